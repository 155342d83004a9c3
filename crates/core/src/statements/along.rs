//! What a deletion does to the records of other tables that point at the one deleted.

use super::builder::Builder;
use super::dialect::as_text;
use super::need::Why;
use crate::name::{quoted_for as quoted, same};
use crate::schema::{ForeignKey, Table};

/// Records of another table that a deletion concerns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Along<'a> {
    /// The table.
    pub table: &'a str,
    /// What the database does with them.
    pub fate: Fate,
    /// Counts them, by `:key_1`…, as text.
    pub count: String,
    /// Each counts those that the role sees through one entity; nothing where it sees all there are.
    pub seen: Option<Vec<String>>,
}

/// What becomes of records that point at one that is deleted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// They go with it.
    Go,
    /// They point at nothing any more.
    Loosened,
    /// As long as they are there it can't be deleted.
    Hinder,
}

/// By the foreign keys to the record, whichever of its columns they point at.
pub(super) fn of<'a>(builder: &Builder<'a>) -> Vec<Along<'a>> {
    let (known, engine, entity) = (builder.known, builder.engine(), builder.entity);
    let Some(target) = known.table(&entity.table.value) else { return Vec::new() };
    let mut all = Vec::new();
    for table in &known.tables {
        for key in table.foreign_keys.iter().filter(|key| same(&key.table, &target.name)) {
            let value = |to: &String| builder.column_of_record(entity, to, "key");
            let pairs: Vec<(&String, String)> =
                key.columns.iter().zip(key.target_columns(target)).map(|(column, to)| (column, value(to))).collect();
            if pairs.is_empty() {
                continue;
            }
            let parts: Vec<String> = pairs.iter().map(|(column, value)| format!("{} = {value}", quoted(column, engine))).collect();
            let count =
                format!("SELECT {} FROM {} WHERE {}", as_text("count(*)", engine), quoted(&table.name, engine), parts.join(" AND "));
            all.push(Along { table: &table.name, fate: fate(key), count, seen: seen(builder, table, &pairs) });
        }
    }
    all
}

/// Counts of what the role sees, for each entity over the table that it may read; nothing where nothing is kept from it.
fn seen(builder: &Builder<'_>, table: &Table, pairs: &[(&String, String)]) -> Option<Vec<String>> {
    let user = builder.user?;
    // The links of a related set are seen with it.
    let links = |field: &crate::definition::Field| {
        let through = field.related.as_ref().filter(|_| !field.hidden && !user.hides(&field.name));
        through.is_some_and(|related| same(&related.through.value, &table.name))
    };
    if builder.entity.fields.iter().any(links) {
        return None;
    }
    let mut counts = Vec::new();
    for entity in builder.model.entities.values().filter(|entity| same(&entity.table.value, &table.name)) {
        let Some(access) = builder.access_to(entity) else { continue };
        if access.is_none_or(|access| access.rows.is_none()) {
            return None;
        }
        let mut select = builder.over(entity, Why::Entity, &entity.table.place);
        select.rows_of(access);
        for (column, value) in pairs {
            let column = select.own(column, Why::Entity, &entity.table.place);
            select.filters.push(format!("{column} = {value}"));
        }
        counts.push(select.sql(&[as_text("count(*)", builder.engine())], ""));
    }
    Some(counts)
}

fn fate(key: &ForeignKey) -> Fate {
    match key.on_delete.as_deref().map(str::to_ascii_uppercase).as_deref() {
        Some("CASCADE") => Fate::Go,
        Some("SET NULL" | "SET DEFAULT") => Fate::Loosened,
        _ => Fate::Hinder,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_deletion_does_is_what_the_key_says() {
        for (rule, wanted) in [
            (Some("CASCADE"), Fate::Go),
            (Some("set null"), Fate::Loosened),
            (Some("SET DEFAULT"), Fate::Loosened),
            (Some("RESTRICT"), Fate::Hinder),
            (None, Fate::Hinder),
        ] {
            let key = ForeignKey { on_delete: rule.map(str::to_owned), ..ForeignKey::default() };
            assert_eq!(fate(&key), wanted, "{rule:?}");
        }
    }
}
