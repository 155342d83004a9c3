//! How a record is called: the title template.

use super::Context;
use super::fields::FieldDraft;
use crate::name;
use crate::schema::{Table, TableKind};

/// The title of a table's records and why it was chosen. `around` are the tables whose titles are being
/// looked for, so that titles never chase each other.
pub(super) fn title(context: &Context<'_>, table: &Table, key: &[String], around: &mut Vec<String>) -> (String, &'static str) {
    let own = context.fields_of(&table.name);
    let open: Vec<&FieldDraft> = own.iter().filter(|f| !f.hidden && !f.is_bulky()).collect();
    let texts: Vec<&FieldDraft> = open.iter().copied().filter(|f| f.is_text()).collect();
    let column = |f: &FieldDraft| name::fold(f.columns.first().map_or("", String::as_str));
    let called = |wanted: &str| texts.iter().find(|f| column(f) == wanted);
    if let (Some(last), Some(first)) = (called("last_name"), called("first_name")) {
        return (format!("{{{}}}, {{{}}}", last.name, first.name), "people are called by their names");
    }
    let plain = |f: &FieldDraft| format!("{{{}}}", f.name);
    if table.kind == TableKind::View && key.len() > 1 {
        // A view's `apiary_id` is told by its `apiary`.
        let readable = |column: &String| {
            let stem =
                column.strip_suffix("_id").and_then(|stem| open.iter().find(|f| f.columns.first().is_some_and(|c| name::same(c, stem))));
            stem.or_else(|| open.iter().find(|f| f.columns.first().is_some_and(|c| name::same(c, column)))).map(|f| plain(f))
        };
        let parts: Vec<String> = key.iter().filter_map(readable).collect();
        if parts.len() > 1 && parts.len() <= 3 {
            return (parts.join(", "), "it is what the view keeps apart");
        }
    }
    if let Some(field) = ["name", "title", "label", "full_name", "display_name"].iter().find_map(|n| called(n)) {
        return (plain(field), "it is called a name");
    }
    if let Some(field) = texts.iter().find(|f| ["_name", "_title"].iter().any(|end| column(f).ends_with(end)) && f.required) {
        return (plain(field), "it is called a name");
    }
    if let Some(field) = texts.iter().find(|f| f.unique && f.required).or_else(|| texts.iter().find(|f| f.unique)) {
        return (plain(field), "it is text and unique");
    }
    if let Some(parts) = references(context, table, &open, around) {
        return (parts, "what it belongs to, and when");
    }
    if let Some(field) = texts.iter().find(|f| f.required) {
        return (plain(field), "it is the first required text");
    }
    if let Some(field) = texts.first() {
        return (plain(field), "it is the first text");
    }
    let by_key: Vec<String> = own.iter().filter(|f| f.columns.iter().any(|c| name::contains(key, c))).map(plain).collect();
    if by_key.is_empty() {
        (own.first().map(plain).unwrap_or_default(), "there is nothing else")
    } else {
        (by_key.join(" "), "there is nothing more readable than the key")
    }
}

/// What a record belongs to and its first date: "hive 12, 2026-05-01".
fn references(context: &Context<'_>, table: &Table, open: &[&FieldDraft], around: &mut Vec<String>) -> Option<String> {
    around.push(name::fold(&table.name));
    let mut parts: Vec<String> = Vec::new();
    for field in open {
        let Some((_, target)) = field.target.as_ref().filter(|_| !field.is_related()) else { continue };
        if parts.len() < 2
            && !around.contains(&name::fold(target))
            && context.names.schema.table(target).is_some_and(|t| leads_to_text(context, t, around))
        {
            parts.push(format!("{{{}}}", field.name));
        }
    }
    around.pop();
    let date = open.iter().find(|f| f.kind.name == "date" || f.kind.name == "date-time");
    if parts.is_empty() {
        return None;
    }
    parts.truncate(if date.is_some() { 1 } else { 2 });
    Some(parts.into_iter().chain(date.map(|f| format!("{{{}}}", f.name))).collect::<Vec<_>>().join(", "))
}

/// Whether the title of a table ends in something readable without coming back here.
fn leads_to_text(context: &Context<'_>, table: &Table, around: &mut Vec<String>) -> bool {
    let Some(drafted) = context.entities.get(&name::fold(&table.name)).filter(|_| around.len() <= 4) else { return false };
    let (_, why) = title(context, table, &drafted.key, around);
    !why.contains("key") && !why.contains("nothing")
}
