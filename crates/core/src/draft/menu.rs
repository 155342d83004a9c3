//! The menu, from the entities people start at, by what belongs together.

use super::context::{Context, Drafted};
use super::conventions::MenuEntities;
use super::labels;
use super::notes::{Doubt, MENU, Note};
use crate::definition::{Node, Value};
use crate::name;
use crate::schema::TableKind;
use std::collections::{BTreeMap, BTreeSet};

/// Entities of a menu group, at least: fewer stay with the others.
const TOGETHER: usize = 4;

/// What all records are under that belong nowhere else.
const RECORDS: &str = "Records";
const OVERVIEWS: &str = "Overviews";
const TECHNICAL: &str = "Technical";

/// Menu groups: records with a name of their own, by schema, by the word their tables begin with or by what they belong to; views;
/// last what the application keeps for itself. What is told only by what it belongs to is reached from there.
pub(super) fn menu(context: &Context<'_>) -> Option<Node> {
    let left_out: BTreeSet<&str> = left_out(context).into_iter().collect();
    let offered: Vec<&Drafted<'_>> = context.entities.values().filter(|d| !left_out.contains(d.entity.as_str())).collect();
    let together = together(context, &offered);
    let mut groups: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for drafted in &offered {
        let label = match drafted.table.kind {
            TableKind::View => OVERVIEWS,
            TableKind::Table if is_technical(context, drafted) => TECHNICAL,
            TableKind::Table => together.get(drafted.entity.as_str()).map_or(RECORDS, String::as_str),
        };
        groups.entry(label).or_default().push(&drafted.entity);
    }
    let last = |label: &str| [RECORDS, OVERVIEWS, TECHNICAL].iter().position(|l| *l == label).map_or(0, |at| at + 1);
    let mut groups: Vec<(&str, Vec<&str>)> = groups.into_iter().collect();
    groups.sort_by_key(|(label, _)| last(label));
    let row = |(label, items): (&str, Vec<&str>)| Node::table().with("label", label.into()).with("items", Node::texts(&items));
    (!groups.is_empty()).then(|| Node::new(Value::List(groups.into_iter().map(row).collect())))
}

/// What entities are kept together by, and how the group that it makes is called.
struct Grouping<'a> {
    word: &'a dyn Fn(&Drafted<'_>) -> Option<String>,
    label: &'a dyn Fn(&str) -> String,
}

/// By entity: the group of those that it belongs with, where they are several.
fn together<'a>(context: &'a Context<'_>, offered: &[&'a Drafted<'_>]) -> BTreeMap<&'a str, String> {
    let conventions = context.names.conventions;
    let mut found: BTreeMap<&str, String> = BTreeMap::new();
    let tables: Vec<&Drafted<'_>> =
        offered.iter().copied().filter(|d| d.table.kind == TableKind::Table && !is_technical(context, d)).collect();
    let many = |called: &str| labels::one_and_many(called, conventions).1;
    let label = |word: &str| labels::label(word, conventions);
    let schema = |d: &Drafted<'_>| name::split_qualified(&d.table.name).0.map(str::to_owned);
    let beginning = |d: &Drafted<'_>| name::words(&context.names.called(&d.table.name)).into_iter().next();
    // The word that a table of its own is called by is written as that table is.
    let called_by = |first: &str| if context.entities.contains_key(first) { many(first) } else { label(first) };
    let owner = |d: &Drafted<'_>| Some(context.names.called(&owner(context, d).table.name).into_owned());
    let by = [
        Grouping { word: &schema, label: &label },
        Grouping { word: &beginning, label: &called_by },
        Grouping { word: &owner, label: &many },
    ];
    for grouping in by {
        let mut words: BTreeMap<String, Vec<&str>> = BTreeMap::new();
        for drafted in tables.iter().filter(|d| !found.contains_key(d.entity.as_str())) {
            if let Some(word) = (grouping.word)(drafted) {
                words.entry(word).or_default().push(&drafted.entity);
            }
        }
        // Two words may be called alike.
        let mut groups: BTreeMap<String, Vec<&str>> = BTreeMap::new();
        for (word, entities) in words {
            groups.entry((grouping.label)(&word)).or_default().extend(entities);
        }
        // A word that all begin with tells nothing apart.
        for (label, items) in groups.into_iter().filter(|(_, items)| items.len() >= TOGETHER && items.len() < tables.len()) {
            found.extend(items.into_iter().map(|entity| (entity, label.clone())));
        }
    }
    found
}

/// What an entity's records always belong to, and that again, up to what belongs to nothing.
fn owner<'a>(context: &'a Context<'_>, drafted: &'a Drafted<'_>) -> &'a Drafted<'a> {
    let mut at = drafted;
    let mut seen = BTreeSet::new();
    while seen.insert(at.entity.as_str()) {
        let lookup = at.fields.iter().find(|f| f.kind.name == "lookup" && f.required && !f.record_keeping);
        match lookup.and_then(|f| context.by_entity(&f.target.as_ref()?.0)) {
            Some(next) if !seen.contains(next.entity.as_str()) => at = next,
            _ => break,
        }
    }
    at
}

/// Whether the application keeps a table for itself, as its name says.
fn is_technical(context: &Context<'_>, drafted: &Drafted<'_>) -> bool {
    context.names.conventions.technical.fit_words(name::split_qualified(&drafted.table.name).1)
}

/// Entities that are reached from others alone.
fn left_out<'a>(context: &'a Context<'_>) -> Vec<&'a str> {
    let tables = || context.entities.values().filter(|d| d.table.kind == TableKind::Table);
    // Where everything belongs to something, everything is a start.
    if context.names.conventions.menu == MenuEntities::All || tables().all(belongs_to_others) {
        return Vec::new();
    }
    tables().filter(|d| belongs_to_others(d)).map(|d| d.entity.as_str()).collect()
}

/// What was guessed of the menu.
pub(super) fn notes(context: &Context<'_>) -> Vec<Note> {
    let note = Note::new(&[MENU], "menu", "not in it", "its records belong to others").changed_by(Some("menu")).doubted(Doubt::Menu);
    let technical = Note::new(&[MENU], "menu", "last", "a technical table, by its name").changed_by(Some("technical")).doubted(Doubt::Menu);
    let left_out = left_out(context);
    let is_last = |d: &&Drafted<'_>| d.table.kind == TableKind::Table && is_technical(context, d) && !left_out.contains(&d.entity.as_str());
    let last = context.entities.values().filter(is_last).map(|d| technical.clone().of(&d.entity));
    left_out.iter().map(|entity| note.clone().of(entity)).chain(last).collect()
}

/// A table without a name of its own that always belongs to another: a line, an event.
fn belongs_to_others(drafted: &Drafted<'_>) -> bool {
    let named = drafted.fields.iter().any(|f| {
        let column = f.columns.first().map_or("", String::as_str);
        f.is_text() && (f.unique || ["name", "title", "last_name"].iter().any(|n| name::same(n, column)))
    });
    let belongs = drafted.fields.iter().any(|f| f.kind.name == "lookup" && f.required);
    belongs && !named
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_menu_keeps_together_what_belongs_together() {
        crate::testkit::draft_as_said(
            r#"
# A few are one list; what the application keeps for itself stands last.
before mail_queue: id integer key; subject text required
then app/menu[0].label = "Records"
then app/menu[1].label = "Overviews"
then app/menu[2].label = "Technical"
then app/menu[2].items = ["mail_queue"]

# By the word they begin with.
before stock: id integer key; name text required
before stock_place: id integer key; name text required
before stock_unit: id integer key; name text required
before stock_kind: id integer key; name text required
then app/menu[0].label = "Stocks"
then app/menu[0].items = ["stock", "stock_kind", "stock_place", "stock_unit"]
then app/menu[1].label = "Records"
"#,
        );
    }
}
