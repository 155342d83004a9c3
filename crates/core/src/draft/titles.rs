//! How a record is called: the title template.

use super::context::{Context, Title};
use super::fields::FieldDraft;
use crate::name::{self, Patterns};
use crate::schema::{Table, TableKind};

/// The title of a table's records. `around` are the tables whose titles are being looked for, so that titles never
/// chase each other.
pub(super) fn title(context: &Context<'_>, table: &Table, key: &[String], around: &mut Vec<String>) -> Title {
    let convention = Some("titles");
    let readable = |template: String, why: &'static str| Title { template, why, is_readable: true, is_doubtful: false, convention };
    let doubtful = |title: Title| Title { is_doubtful: true, ..title };
    let own: Vec<&FieldDraft> = context.fields_of(&table.name).iter().map(|field| &**field).collect();
    let open: Vec<&FieldDraft> =
        own.iter().copied().filter(|f| !f.hidden && !f.is_bulky() && !f.secret && !f.record_keeping && !f.machine_made).collect();
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
    let called = |wanted: &Patterns, is_loose: bool| {
        let fits = |f: &&&FieldDraft| wanted.fit(&f.spoken);
        texts.iter().filter(|f| f.required || !is_loose).find(fits).map(|f| plain(f))
    };
    for (wanted, parts) in context.names.conventions.titles.all() {
        let parts: Option<Vec<String>> = parts.iter().map(|part| called(part, wanted.contains('*'))).collect();
        if let Some(parts) = parts {
            // A file's name alone tells nothing apart where its directory belongs to it.
            if let (Some(whole), true) = (together(table, &texts, &parts), wanted.contains('*')) {
                return readable(whole, "texts that are unique together");
            }
            let why = if parts.len() > 1 { "people are called by their names" } else { "a name" };
            return readable(parts.join(", "), why);
        }
    }
    if let Some(field) = texts.iter().find(|f| f.unique && f.required).or_else(|| texts.iter().find(|f| f.unique)) {
        return readable(plain(field), "text, and unique");
    }
    if let Some(whole) = together(table, &texts, &[]) {
        return readable(whole, "texts that are unique together");
    }
    if let Some(parts) = references(context, table, &open, around) {
        return readable(parts, "what it belongs to, and when");
    }
    if let Some(field) = texts.iter().find(|f| f.required) {
        return doubtful(readable(plain(field), "the first required text"));
    }
    if let Some(field) = texts.first() {
        return doubtful(readable(plain(field), "the first text"));
    }
    let by_key: Vec<String> = own.iter().filter(|f| f.columns.iter().any(|c| name::contains(key, c))).map(|f| plain(f)).collect();
    let is_secret = own.iter().any(|f| f.secret && f.columns.iter().any(|c| name::contains(key, c)));
    let (template, why) = match (own.first(), open.first()) {
        (_, Some(other)) if is_secret => (plain(other), "its key sounds sensitive"),
        (Some(first), _) if by_key.is_empty() => (plain(first), "there is nothing else"),
        _ => (by_key.join(" "), "there is nothing more readable than the key"),
    };
    Title { template, why, is_readable: false, is_doubtful: true, convention }
}

/// Two or three texts that are unique together, these among them: "host, instance".
fn together(table: &Table, texts: &[&FieldDraft], among: &[String]) -> Option<String> {
    let whole = |columns: &[String]| {
        let field = |column: &String| texts.iter().find(|f| f.columns.as_slice() == std::slice::from_ref(column));
        let parts: Vec<String> = columns.iter().map(|c| field(c).map(|f| format!("{{{}}}", f.name))).collect::<Option<_>>()?;
        ((2..=3).contains(&parts.len()) && among.iter().all(|a| parts.contains(a))).then(|| parts.join(", "))
    };
    let uniques = table.uniques.iter().map(|u| u.columns.as_slice());
    std::iter::once(table.primary_key.as_slice()).chain(uniques).find_map(whole)
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
            // What is unique together, before what it belongs to; a file by its directory too.
            ("node: id integer key; host text required; instance text required; unique host instance", "node", "{host}, {instance}"),
            (
                "file: id integer key; directory text required; file_name text required; unique directory file_name",
                "file",
                "{directory}, {file_name}",
            ),
            ("hive: id integer key; yard text required; name text required; unique yard name", "hive", "{name}"),
            // Neither secrets, nor digests, nor what an application notes for itself.
            ("key: id integer key; access_token text required unique; body_hash text required; purpose text", "key", "{purpose}"),
            ("login: access_token text key; seen_on date; tries integer", "login", "{seen_on}"),
            (
                "hive: id integer key; name text\nmove: id integer key; hive_id integer required -> hive; created_at moment; moved_on date",
                "move",
                "{hive}, {moved_on}",
            ),
            ("reading: id integer key; value decimal(8,2)", "reading", "{id}"),
            ("count: year integer key; month integer key; many integer", "count", "{year} {month}"),
        ] {
            let (conventions, names) = (Conventions::default(), NamesInUse::default());
            let drafted =
                draft(&schema(tables), &DraftInput { conventions: &conventions, names: &names, open_to: None, title: "", earlier: None });
            let title = drafted.tree.entity(entity).and_then(|root| root.get("title")?.as_text());
            assert_eq!(title, Some(expected), "{tables}");
        }
    }
}
