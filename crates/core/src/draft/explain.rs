//! A draft with the reasons for it: read off what was drafted, for `start` and `show`; a merge needs none.

use super::context::{Context, Drafted};
use super::fields::FieldDraft;
use super::kind::guessed_kind;
use super::{Conventions, Doubt, Draft, DraftInput, Note, built, menu, routines};
use crate::definition::{FileKey, Node, Seg, Tree};
use crate::name::{self, Patterns};
use crate::schema::{Schema, TableKind};

/// A draft, and what of it was guessed and why.
#[derive(Debug, Clone)]
pub struct Explained {
    /// What was drafted.
    pub draft: Draft,
    /// Why.
    pub notes: Vec<Note>,
}

/// Drafts a whole definition and says why.
pub fn explained(schema: &Schema, plan: &DraftInput<'_>) -> Explained {
    built(schema, plan, |context, draft| {
        let of = |drafted: &Drafted<'_>| {
            let node = draft.tree.entity(&drafted.entity);
            let own = node.map(|node| of_entity(context, drafted, node)).unwrap_or_default();
            own.into_iter().map(|note| note.of(&drafted.entity)).collect::<Vec<_>>()
        };
        let mut notes: Vec<Note> = context.entities.values().flat_map(of).collect();
        notes.extend(menu::notes(context));
        notes.extend(routines::offered(context));
        Explained { draft, notes }
    })
}

impl Explained {
    /// What was guessed of a page and still stands in the definition as it was drafted: what a person changed isn't the
    /// generator's any more.
    pub fn standing<'a>(&'a self, tree: &'a Tree, entity: &'a str, page: &'a str, fields: &'a [&'a str]) -> impl Iterator<Item = &'a Note> {
        let file = FileKey::Entity(entity.to_owned());
        let (drafted, yours) = (self.draft.tree.files.get(&file), tree.files.get(&file));
        let value = |root: Option<&'a Node>, note: &Note| {
            let path: Vec<Seg> = note.path.iter().map(|p| Seg::Key(p.clone())).collect();
            root.and_then(|root| root.at_path(&path))
        };
        let own = self.notes.iter().filter(move |note| note.entity == entity && note.concerns(page, fields));
        own.filter(move |note| value(drafted, note) == value(yours, note))
    }
}

fn of_entity(context: &Context<'_>, drafted: &Drafted<'_>, node: &Node) -> Vec<Note> {
    let title = &drafted.title;
    let called = Note::new(&["title"], "called", &title.template, title.why).changed_by(title.convention);
    let mut notes = vec![if title.is_doubtful { called.doubted(Doubt::Title) } else { called }];
    notes.extend(drafted.fields.iter().flat_map(|field| of_field(drafted, field, context.names.conventions)));
    if drafted.table.is_keyless() {
        let why = match (drafted.key_is_sure, drafted.table.kind) {
            (true, _) => "what its query keeps apart",
            (false, TableKind::View) => "a guess: check it",
            (false, TableKind::Table) => "a guess, as the table has none: its pages only read",
        };
        let note = Note::new(&["key"], "key", drafted.key.join(", "), why);
        notes.push(if drafted.key_is_sure { note } else { note.doubted(Doubt::Key) });
    }
    notes.extend(of_pages(context, drafted, node));
    notes
}

fn of_field(drafted: &Drafted<'_>, field: &FieldDraft, conventions: &Conventions) -> Vec<Note> {
    let FieldDraft { name, node, .. } = field;
    let mut notes = Vec::new();
    let mut note = |key: &str, topic, what: String, why: &str, by: Option<&'static str>| {
        let doubt = match topic {
            "looks up" if by.is_some() => Some(Doubt::Reference),
            "links" => Some(Doubt::Links),
            "hidden" | "masked" => Some(Doubt::Secret),
            "kinds" => Some(Doubt::Kind),
            "added up" => Some(Doubt::Total),
            _ => None,
        };
        notes.push(Note { doubt, ..Note::new(&["field", name, key], topic, what, why).changed_by(by) });
    };
    let text = |key: &str| node.get(key).and_then(Node::as_text);
    let is = |patterns: &Patterns| field.columns.iter().any(|c| patterns.fit_words(c));
    if let Some(through) = node.get("related").and_then(|r| r.get("through")).and_then(Node::as_text) {
        let entity = field.target.as_ref().map_or("", |(entity, _)| entity.as_str());
        let why = format!("the join table {through} carries nothing else");
        note("related", "links", format!("{name} in {entity}"), &why, Some("join_tables"));
        return notes;
    }
    if let Some((entity, _)) = &field.target {
        let what = if entity == name { name.clone() } else { format!("{name} in {entity}") };
        if field.guessed {
            note("lookup", "looks up", what, "by its name and type: the database declares no reference", Some("references_by_name"));
        } else {
            note("lookup", "looks up", what, "by foreign key", None);
        }
    }
    if field.hidden {
        note("hidden", "hidden", name.clone(), "its name sounds sensitive", Some("sensitive"));
    } else if node.get("sensitive").is_some() {
        note("sensitive", "masked", name.clone(), "its name sounds sensitive, but a form must give it", Some("sensitive"));
    }
    let choices = node.get("choices").map_or(0, |c| c.items().len());
    if choices > 0 {
        note("choices", "choices", format!("{name} of {choices}"), "the values the database accepts", None);
    }
    if is(&conventions.version_columns) {
        note("column", "version", name.clone(), "two people can't overwrite each other", Some("version_columns"));
    } else if is(&conventions.record_keeping) {
        note("read_only", "kept", name.clone(), "by the database or the application: on no form", Some("record_keeping"));
    }
    if let Some(unit) = text("unit") {
        note("unit", "units", format!("{name} in {unit}"), "by the end of its name", Some("units"));
    } else if field.is_measure && field.kind.name != "money" {
        note("total", "added up", name.clone(), "its name counts something", Some("totals"));
    }
    let plain = field.columns.first().and_then(|c| drafted.table.column(c));
    let Some(column) = plain.filter(|_| field.target.is_none() && choices == 0 && !field.hidden) else { return notes };
    if let Some((why, by)) = guessed_kind(column, field.kind, conventions) {
        note("kind", "kinds", format!("{name} as {}", field.kind.name), why, Some(by));
    }
    let label = field.label.to_lowercase();
    let words = name::words(&column.name);
    if words.iter().filter_map(|word| conventions.abbreviations.get(word)).any(|long| label.contains(&long.to_lowercase())) {
        note("label", "labels", format!("{name} \"{}\"", field.label), "abbreviations written out", Some("abbreviations"));
    }
    notes
}

/// Topic, page, key, reason and convention of what a page lists.
const LISTED: &[(&str, &str, &str, &str, &str)] = &[
    ("searched", "list", "search", "names, codes, what is unique", "searches"),
    ("sorted by", "list", "sort", "what records are called", "titles"),
    ("filters", "list", "filter", "lookups, choices, dates", "kinds"),
    ("in bulk", "bulk", "fields", "what many records share", "pages"),
    ("grouped by", "grouped", "group", "something can be added up", "pages"),
];

fn of_pages(context: &Context<'_>, drafted: &Drafted<'_>, node: &Node) -> Vec<Note> {
    let told = |page: &str, key: &str| node.get("page").and_then(|all| all.get(page)?.get(key)).map(Node::strings).unwrap_or_default();
    let mut notes = Vec::new();
    let mut note = |page: &str, key: &str, topic, what: &[String], why: &str, by| {
        if !what.is_empty() {
            notes.push(Note::new(&["page", page, key], topic, what.join(", "), why).changed_by(Some(by)));
        }
    };
    let address: Vec<String> = drafted.fields.iter().filter(|f| f.is_address).map(|f| f.name.clone()).collect();
    let sections = node.get("page").and_then(|all| all.get("detail")?.get("sections")).map(Node::items).unwrap_or_default();
    if sections.iter().any(|s| s.get("title").and_then(Node::as_text) == Some("Address")) {
        note("detail", "sections", "together", &address, "an address", "address");
    }
    let listed = told("list", "fields");
    if let (false, Some(page)) = (listed.is_empty(), context.page_draft(&drafted.entity)) {
        let off = page.shown().into_iter().filter(|f| !f.is_related() && !listed.contains(&f.name));
        note("list", "fields", "not listed", &off.map(|f| f.name.clone()).collect::<Vec<_>>(), "short fields first", "list_fields");
    }
    for (topic, page, key, why, by) in LISTED {
        note(page, key, topic, &told(page, key), why, by);
    }
    notes
}
