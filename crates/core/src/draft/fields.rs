//! Fields from columns: kinds, lookups from foreign keys, limits, what is hidden and read-only.

use super::names::{entity_name, lookup_name};
use super::{Context, labels};
use crate::definition::{FIELD_KINDS, Node};
use crate::name;
use crate::schema::{Column, ForeignKey, Kind, Table};

/// A drafted field with what pages need to know of it.
#[derive(Debug, Clone)]
pub(super) struct FieldDraft {
    pub name: String,
    pub columns: Vec<String>,
    pub kind: String,
    pub hidden: bool,
    pub required: bool,
    pub unique: bool,
    /// The database or the application fills it: on no form.
    pub kept: bool,
    /// Numbered by the database: shown nowhere unless there is nothing else.
    pub surrogate: bool,
    /// The entity and table a lookup points at.
    pub target: Option<(String, String)>,
    pub node: Node,
}

impl FieldDraft {
    pub fn is_text(&self) -> bool {
        ["text", "email", "phone", "url", "code"].contains(&self.kind.as_str())
    }

    /// Too long or too big for a row of a list.
    pub fn is_bulky(&self) -> bool {
        ["multiline", "image", "file", "json", "password"].contains(&self.kind.as_str())
    }
}

/// The fields of a table in column order.
pub(super) fn fields(context: &Context<'_>, table: &Table, entity: &str) -> Vec<FieldDraft> {
    let mut groups: Vec<(Vec<String>, String)> = Vec::new();
    let mut keys: Vec<Option<&ForeignKey>> = Vec::new();
    let references = usable_references(context, table);
    for column in &table.columns {
        if context.names.is_left_out(entity, &column.name) {
            continue;
        }
        let key = references.iter().find(|k| name::contains(&k.columns, &column.name));
        match key {
            // A composite reference is one field, where its first column stands.
            Some(key) if key.columns.first().is_some_and(|first| !name::same(first, &column.name)) => {}
            Some(key) => {
                let columns: Vec<String> = key.columns.iter().filter_map(|c| table.column(c)).map(|c| c.name.clone()).collect();
                groups.push((columns.clone(), lookup_name(table, &columns, &key.table)));
                keys.push(Some(key));
            }
            None => {
                groups.push((vec![column.name.clone()], entity_name(&column.name)));
                keys.push(None);
            }
        }
    }
    if table.primary_key.is_empty() && table.reads("rowid") && entity_key(table) == ["rowid"] {
        groups.push((vec!["rowid".to_owned()], "rowid".to_owned()));
        keys.push(None);
    }
    let names = context.names.fields(entity, &groups);
    groups.into_iter().zip(keys).zip(names).map(|(((columns, _), key), name)| field(context, table, name, columns, key)).collect()
}

/// Foreign keys that become lookups: the target is read, and no column belongs to two of them (the widest goes first).
fn usable_references<'a>(context: &Context<'_>, table: &'a Table) -> Vec<&'a ForeignKey> {
    let mut keys: Vec<&ForeignKey> = table
        .foreign_keys
        .iter()
        .filter(|k| context.names.entity(&k.table).is_some() && context.schema.table(&k.table).is_some_and(|t| k.fits(t)))
        .collect();
    keys.sort_by_key(|k| std::cmp::Reverse(k.columns.len()));
    let mut used: Vec<&str> = Vec::new();
    keys.retain(|key| {
        let free = !key.columns.iter().any(|c| name::contains(&used, c));
        if free {
            used.extend(key.columns.iter().map(String::as_str));
        }
        free
    });
    keys
}

fn field(context: &Context<'_>, table: &Table, name: String, columns: Vec<String>, key: Option<&ForeignKey>) -> FieldDraft {
    let conventions = context.plan.conventions;
    let own: Vec<&Column> = columns.iter().filter_map(|c| table.column(c)).collect();
    let first = own.first().copied();
    let target = key.and_then(|k| Some((context.names.entity(&k.table)?.to_owned(), context.schema.table(&k.table)?.name.clone())));
    let kind = match (&target, first) {
        (Some(_), _) => "lookup".to_owned(),
        (None, Some(column)) => kind(column, conventions),
        (None, None) => "number".to_owned(),
    };
    let is_key = columns.iter().all(|c| name::contains(&table.primary_key, c));
    let database_fills = first.is_none_or(|c| c.auto || c.written_by_database());
    let keeps = [&conventions.record_keeping, &conventions.version_columns];
    let kept = database_fills
        || columns.iter().any(|c| keeps.iter().any(|patterns| name::matches_any(patterns, c)))
            && own.iter().all(|c| !c.needs_value() || c.default.is_some());
    let required =
        target.is_none() && first.is_some_and(Column::needs_value) && !kept || target.is_some() && own.iter().all(|c| c.needs_value());
    // A form that couldn't save without the column must show it.
    let must_be_given = own.iter().any(|c| c.needs_value() && c.default.is_none());
    let hidden = columns.iter().any(|c| name::matches_any(&conventions.sensitive, c)) && !must_be_given && !is_key;
    let max_length = first.filter(|c| target.is_none() && c.column_type.kind == Kind::Text).and_then(|c| c.column_type.size);
    // What an engine can hold at most is nobody's limit.
    let max_length = max_length.filter(|size| *size < 65_535);
    let label = match (&target, columns.as_slice()) {
        (Some(_), [column]) => labels::label(column.strip_suffix("_id").unwrap_or(column), conventions),
        (Some((_, target)), _) => labels::label(target, conventions),
        (None, [column, ..]) => labels::label(column, conventions),
        (None, []) => String::new(),
    };
    let mut node = Node::table();
    match columns.as_slice() {
        [column] => node.set("column", name::written(column).as_str().into()),
        several => node.set("columns", Node::texts(&several.iter().map(|c| name::written(c)).collect::<Vec<_>>())),
    }
    node.set("kind", kind.as_str().into());
    if label != labels::field_label(&name) {
        node.set("label", label.as_str().into());
    }
    let flag = |on: bool| on.then(|| Node::from(true));
    let node = node
        .with_some("required", flag(required))
        .with_some("max_length", max_length.map(|n| Node::from(i64::from(n))))
        .with_some("hidden", flag(hidden))
        .with_some("read_only", flag(kept))
        .with_some("lookup", key.zip(target.as_ref()).map(|(key, target)| lookup(context, key, target)));
    FieldDraft {
        unique: table.is_unique(&columns),
        surrogate: is_key && database_fills,
        name,
        columns,
        kind,
        hidden,
        required,
        kept,
        target,
        node,
    }
}

fn lookup(context: &Context<'_>, key: &ForeignKey, (entity, table): &(String, String)) -> Node {
    let mut node = Node::table().with("entity", entity.as_str().into());
    if let Some(target) = context.schema.table(table) {
        let value = key.target_columns(target);
        let fold = |columns: &[String]| -> Vec<String> { columns.iter().map(|c| name::fold(c)).collect() };
        if fold(value) != fold(&entity_key(target)) {
            node.set("value", Node::texts(&value.iter().map(|c| name::written(c)).collect::<Vec<_>>()));
        }
    }
    node
}

/// The columns that tell records apart: the primary key, else a unique constraint over required columns, else
/// the row number; for a view a guess, to be checked by hand.
pub(super) fn entity_key(table: &Table) -> Vec<String> {
    if !table.primary_key.is_empty() {
        return table.primary_key.clone();
    }
    let required = |columns: &[String]| columns.iter().all(|c| table.column(c).is_some_and(|c| !c.nullable));
    if let Some(unique) = table.uniques.iter().find(|u| required(&u.columns)) {
        return unique.columns.clone();
    }
    if table.reads("rowid") && table.column("rowid").is_none() {
        return vec!["rowid".to_owned()];
    }
    let ids: Vec<String> = table
        .columns
        .iter()
        .filter(|c| name::same(&c.name, "id"))
        .chain(table.columns.iter().filter(|c| name::fold(&c.name).ends_with("_id")))
        .map(|c| c.name.clone())
        .collect();
    match ids.as_slice() {
        [id, ..] if name::same(id, "id") => vec![id.clone()],
        [] => table.columns.first().map(|c| c.name.clone()).into_iter().collect(),
        _ => ids,
    }
}

/// A field's kind from its column's type, its name helping where the type says only "text" or "bytes".
fn kind(column: &Column, conventions: &super::Conventions) -> String {
    let spelled: String = column.column_type.original.to_lowercase().split_whitespace().collect();
    let configured = conventions.kinds.iter().find(|(t, _)| t.to_lowercase().split_whitespace().collect::<String>() == spelled);
    if let Some((_, kind)) = configured.filter(|(_, k)| FIELD_KINDS.contains(&k.as_str()) && *k != "lookup") {
        return kind.clone();
    }
    let words = name::words(&column.name);
    let named = |list: &[&str]| words.iter().any(|w| list.contains(&w.as_str()));
    let ends = |word: &str| words.len() > 1 && words.last().is_some_and(|w| w == word);
    match column.column_type.kind {
        Kind::Integer => "number",
        Kind::Decimal | Kind::Float => "decimal",
        Kind::Boolean => "boolean",
        Kind::Date => "date",
        Kind::Time => "time",
        Kind::DateTime => "date-time",
        Kind::Json => "json",
        Kind::Binary if named(&["photo", "picture", "portrait", "image", "logo", "thumbnail"]) => "image",
        Kind::Binary => "file",
        Kind::Interval => "duration",
        Kind::Spatial => "place",
        Kind::Composite | Kind::Array | Kind::Range | Kind::Set | Kind::Bits | Kind::Xml | Kind::Network => "text",
        Kind::Text | Kind::Uuid | Kind::Any | Kind::Other | Kind::Enum => {
            let unsized_text = column.column_type.size.is_none();
            if unsized_text && (ends("on") || ends("date")) {
                "date"
            } else if unsized_text && ends("at") {
                "date-time"
            } else if named(&["email", "mail"]) {
                "email"
            } else if named(&["phone", "mobile", "fax"]) {
                "phone"
            } else if named(&["url", "website", "homepage"]) {
                "url"
            } else if column.column_type.size.is_none_or(|s| s > 400)
                && named(&["notes", "note", "description", "comment", "comments", "findings", "remarks"])
            {
                "multiline"
            } else {
                "text"
            }
        }
    }
    .to_owned()
}
