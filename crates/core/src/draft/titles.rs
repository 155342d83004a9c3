//! How a record is called: the title template.

use super::context::{Context, Title};
use super::fields::FieldDraft;
use crate::name;
use crate::schema::{Table, TableKind};

/// The title of a table's records. `around` are the tables whose titles are being looked for, so that titles never
/// chase each other.
pub(super) fn title(context: &Context<'_>, table: &Table, key: &[String], around: &mut Vec<String>) -> Title {
    let convention = Some("titles");
    let readable = |template: String, why: &'static str| Title { template, why, is_readable: true, convention };
    let own = context.fields_of(&table.name);
    let open: Vec<&FieldDraft> = own.iter().filter(|f| !f.hidden && !f.is_bulky()).collect();
    let texts: Vec<&FieldDraft> = open.iter().copied().filter(|f| f.is_text()).collect();
    let plain = |f: &FieldDraft| format!("{{{}}}", f.name);
    if table.kind == TableKind::View && key.len() > 1 {
        // A view's `apiary_id` is told by its `apiary`.
        let told = |column: &String| {
            let stem =
                column.strip_suffix("_id").and_then(|stem| open.iter().find(|f| f.columns.first().is_some_and(|c| name::same(c, stem))));
            stem.or_else(|| open.iter().find(|f| f.columns.first().is_some_and(|c| name::same(c, column)))).map(|f| plain(f))
        };
        let parts: Vec<String> = key.iter().filter_map(told).collect();
        if parts.len() > 1 && parts.len() <= 3 {
            return Title { convention: None, ..readable(parts.join(", "), "what the view keeps apart") };
        }
    }
    let called = |wanted: &str| {
        let fits = |f: &&&FieldDraft| name::matches_words(&[wanted.to_owned()], f.columns.first().map_or("", String::as_str));
        texts.iter().filter(|f| f.required || !wanted.contains('*')).find(fits).map(|f| plain(f))
    };
    for wanted in &context.names.conventions.titles {
        let parts: Option<Vec<String>> = wanted.split(',').map(|part| called(part.trim())).collect();
        if let Some(parts) = parts {
            let why = if parts.len() > 1 { "people are called by their names" } else { "a name" };
            return readable(parts.join(", "), why);
        }
    }
    if let Some(field) = texts.iter().find(|f| f.unique && f.required).or_else(|| texts.iter().find(|f| f.unique)) {
        return readable(plain(field), "text, and unique");
    }
    if let Some(parts) = references(context, table, &open, around) {
        return readable(parts, "what it belongs to, and when");
    }
    if let Some(field) = texts.iter().find(|f| f.required) {
        return readable(plain(field), "the first required text");
    }
    if let Some(field) = texts.first() {
        return readable(plain(field), "the first text");
    }
    let by_key: Vec<String> = own.iter().filter(|f| f.columns.iter().any(|c| name::contains(key, c))).map(plain).collect();
    if by_key.is_empty() {
        Title { template: own.first().map(plain).unwrap_or_default(), why: "there is nothing else", is_readable: false, convention }
    } else {
        Title { template: by_key.join(" "), why: "there is nothing more readable than the key", is_readable: false, convention }
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
    title(context, table, &drafted.key, around).is_readable
}

#[cfg(test)]
mod tests {
    use crate::draft::{Conventions, DraftInput, NamesInUse, draft};
    use crate::testkit::schema;

    #[test]
    fn a_record_is_called_by_what_people_know_it_by() {
        for (tables, entity, expected) in [
            ("hive: id integer key; name text", "hive", "{name}"),
            ("hive: id integer key; notes text; title text", "hive", "{title}"),
            ("keeper: id integer key; first_name text required; last_name text required", "keeper", "{last_name}, {first_name}"),
            // Unique text before any other, and required before optional.
            ("hive: id integer key; colour text required; plate text unique", "hive", "{plate}"),
            ("hive: id integer key; colour text; wood text required", "hive", "{wood}"),
            // What it belongs to and when, where it has no text of its own.
            (
                "hive: id integer key; name text\nvisit: id integer key; hive_id integer required -> hive; visited_on date required",
                "visit",
                "{hive}, {visited_on}",
            ),
            ("reading: id integer key; value decimal(8,2)", "reading", "{id}"),
            ("count: year integer key; month integer key; many integer", "count", "{year} {month}"),
        ] {
            let (conventions, names) = (Conventions::default(), NamesInUse::default());
            let drafted = draft(&schema(tables), &DraftInput { conventions: &conventions, names: &names, open_to: None, title: "" });
            let title = drafted.tree.entity(entity).and_then(|root| root.get("title")?.as_text());
            assert_eq!(title, Some(expected), "{tables}");
        }
    }
}
