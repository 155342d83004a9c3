//! Another column or table has the name now that the definition means something else by.

use crate::changes::{Change, ChangeKind};
use crate::definition::{EntityIndex, FileKey, Referent, Seg, display_path, references};
use crate::impact::{Context, Docs, ElementKind, Finding, Location, Remedy, Rule, Severity};
use crate::name::{self, same, shown};
use crate::schema::Engine;
use crate::sql;
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/column-replaced",
    severity: Severity::Risk,
    changes: &[
        ChangeKind::ColumnAdded,
        ChangeKind::ColumnRenamed,
        ChangeKind::ColumnDropped,
        ChangeKind::TableRenamed,
        ChangeKind::TableDropped,
    ],
    elements: &[
        ElementKind::Page,
        ElementKind::Places,
        ElementKind::Key,
        ElementKind::Version,
        ElementKind::Condition,
        ElementKind::Source,
        ElementKind::Lookup,
        ElementKind::Related,
        ElementKind::Access,
        ElementKind::Exchange,
    ],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column or table that the definition names was renamed or dropped, and another one has its name now: two changed places, or one was renamed onto the other's name.",
    matters: "Everything works, with the wrong data: pages show and save another column, a row filter compares it.",
    before: "[field.name] column = \"name\"; rows = \"name = :user_name\"",
    after: "keeper.name was dropped, and keeper.nick is called name",
    to_do: "Merge before anybody uses the application: names are carried over, and what is gone is set aside.",
};

/// A name that means something else now.
struct Replaced<'a> {
    cause: usize,
    table: &'a str,
    column: Option<&'a str>,
    /// What has it now, in words.
    by: String,
}

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    covered(context, out);
    let replaced = replaced(context);
    if replaced.is_empty() {
        return;
    }
    let tree = context.input.tree;
    // Once for an element, however often it names it.
    let mut told: BTreeSet<(FileKey, Vec<Seg>, usize)> = BTreeSet::new();
    for reference in references(tree, &EntityIndex::of(tree), context.input.accepted) {
        let named = |r: &&Replaced<'_>| match (&reference.to, r.column) {
            (Referent::Column { table, column }, Some(own)) => same(table, r.table) && same(column, own),
            (Referent::Table(table), None) => same(table, r.table),
            _ => false,
        };
        let Some(known) = replaced.iter().find(named) else { continue };
        let element: Vec<Seg> = reference.path.iter().take(2).cloned().collect();
        if !told.insert((reference.file.clone(), element, known.cause)) {
            continue;
        }
        let Some(root) = tree.files.get(&reference.file) else { continue };
        let what = match known.column {
            Some(column) => name::dotted(known.table, column),
            None => name::written(known.table),
        };
        let path = display_path(&reference.file, Some(root), &reference.path);
        let message = format!("`{}` names `{}`, but {} has that name now", shown(&path), shown(&what), known.by);
        let mut finding = Finding::new(RULE.name, RULE.severity, message).because((Some(known.cause), Remedy::Merge));
        if let Some(entity) = context.entities().find(|e| FileKey::Entity(e.name.clone()) == reference.file) {
            finding = finding.entity(&entity.name);
            finding = match reference.path.as_slice() {
                [Seg::Key(group), Seg::Key(field), ..] if group == "field" => {
                    finding.field(field).pages(context.pages_with(entity, field, |_| true))
                }
                [Seg::Key(group), Seg::Key(page), ..] if group == "page" => finding.pages(vec![page.clone()]),
                [Seg::Key(group), Seg::Key(role), ..] if group == "access" => match entity.access_of(role) {
                    Some(access) => {
                        let pages = entity.pages.iter().filter(|p| access.allows(p)).map(|p| p.name.clone()).collect();
                        finding.role(role).pages(pages)
                    }
                    None => finding,
                },
                _ => finding.pages(entity.pages.iter().map(|p| p.name.clone()).collect()),
            };
        }
        if let Some(at) = root.at_path(&reference.path).map(|node| node.inner(reference.at.start)) {
            finding.at = Some(Location::at(&reference.file, at));
        }
        out.push(finding);
    }
}

/// A query of a person's own gives the new column and something else under one name: SQLite takes whichever comes first.
fn covered(context: &Context<'_>, out: &mut Vec<Finding>) {
    let (accepted, changed) = (context.input.accepted, context.changed());
    let is_sqlite = changed.engine == Engine::Sqlite;
    for entity in context.entities().filter(|e| is_sqlite && e.source.select.is_some()) {
        let results = |schema| entity.source.select.as_ref().and_then(|select| sql::projection(&select.value, schema)).unwrap_or_default();
        let (before, now) = (results(accepted), results(changed));
        for name in sql::named_twice(&now).filter(|name| !sql::named_twice(&before).any(|known| same(known, name))) {
            let new = now.iter().find(|c| same(&c.name, name)).and_then(|c| c.from.as_ref());
            let Some((table, column)) = new.filter(|(table, column)| accepted.column(table, column).is_none()) else { continue };
            let is_it =
                |(_, c): &(usize, &Change)| c.kind == ChangeKind::ColumnAdded && c.table == *table && c.column.as_ref() == Some(column);
            let cause = context.changes(RULE.changes).find(is_it).map(|(at, _)| at);
            for field in entity.fields.iter().filter(|f| f.columns.iter().any(|c| same(&c.value, name))) {
                let message = format!(
                    "`{}` shows the new column `{}`: the custom select gives two columns of that name, and the first is taken",
                    shown(&field.name),
                    shown(&name::dotted(table, column))
                );
                let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).field(&field.name).at(&field.place);
                let finding = finding.pages(context.pages_with(entity, &field.name, |_| true));
                let finding = finding.help("call what the query gives otherwise, and the field's column with it");
                out.push(finding.because((cause, Remedy::Hand)));
            }
        }
    }
}

fn replaced<'a>(context: &Context<'a>) -> Vec<Replaced<'a>> {
    let mut replaced = Vec::new();
    let other_name = |own: &str, to: &Option<String>| to.as_ref().is_none_or(|to| !same(own, to));
    for (cause, change) in context.changes(RULE.changes).filter(|(_, c)| other_name(c.column.as_ref().unwrap_or(&c.table), &c.to)) {
        let now = context.table_name_now(&change.table);
        match &change.column {
            Some(column) => {
                let Some(there) = context.changed().column(now, column) else { continue };
                let by = match context.column_before(now, &there.name) {
                    Some((_, before)) if !same(&before, column) => format!("what was `{}`", shown(&before)),
                    _ => "another column".to_owned(),
                };
                replaced.push(Replaced { cause, table: &change.table, column: Some(column), by });
            }
            None => {
                let Some(there) = context.changed().table(&change.table) else { continue };
                let before = context.table_name_before(&there.name);
                let by = if same(before, &change.table) { "another table".to_owned() } else { format!("what was `{}`", shown(before)) };
                replaced.push(Replaced { cause, table: &change.table, column: None, by });
            }
        }
    }
    replaced
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# Two columns change names: nothing fails, and each field shows the other's values.
before numbered
after keeper swaps last_name phone
finds risk keeper/field.last_name.column: `keeper/field/last_name/column` names `keeper.last_name`, but what was `phone` has that name now
finds risk keeper/field.phone.column: `keeper/field/phone/column` names `keeper.phone`, but what was `last_name` has that name now

before numbered
after visit.note: text(60)
finds nothing

# The name that a query gives to something else.
on sqlite
given keeper/source = { select = "SELECT k.*, upper(k.last_name) AS loud FROM keeper k" }
given keeper/field.loud = { column = "loud", kind = "text", read_only = true }
after keeper + loud text
finds risk keeper/field.loud: `loud` shows the new column `keeper.loud`: the custom select gives two columns of that name, and the first is taken

on sqlite
given keeper/source = { select = "SELECT upper(k.last_name) AS loud, k.* FROM keeper k" }
given keeper/field.loud = { column = "loud", kind = "text", read_only = true }
after keeper + loud text
finds nothing
"#;
