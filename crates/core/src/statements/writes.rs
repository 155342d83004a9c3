//! Writes: adding, changing and deleting a record, by the generator's SQL or a person's own, and validations.

use super::builder::Builder;
use super::dialect::{call, from_hex, no_values};
use super::need::{Need, Read, Spot, Use, Why};
use super::{Purpose, Statement};
use crate::definition::{Access, CustomWrite, Field, Place};
use crate::name::{fold, quoted_for as quoted, same};
use crate::schema::{Column, Engine, Kind, Operation};
use std::collections::BTreeSet;

/// A column that a write sets, with the field and place that ask for it.
pub(super) struct Set<'a> {
    pub column: String,
    pub field: &'a Field,
    pub place: &'a Place,
}

/// How values are given to a write.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Values {
    /// As the engine has them.
    OwnTypes,
    /// As texts: bytes by their hexadecimal digits.
    Texts,
}

/// Whether a column's default can stand in a statement: a value, a word of the standard for the moment or the user, or a call. A bare
/// word is a text to SQLite as a default, and a column in a statement.
fn can_be_evaluated(default: &str) -> bool {
    const WORDS: [&str; 9] = [
        "current_date",
        "current_time",
        "current_timestamp",
        "localtime",
        "localtimestamp",
        "current_user",
        "session_user",
        "true",
        "false",
    ];
    let is_value = |text: &str| text.starts_with(['\'', '(', '-', '+', '.']) || text.starts_with(|c: char| c.is_ascii_digit());
    let word: String = default.chars().take_while(|c| c.is_alphanumeric() || matches!(c, '_' | '.' | '`' | '"')).collect();
    let rest = default[word.len()..].trim_start();
    is_value(default) || rest.starts_with(['(', '\'']) || WORDS.contains(&word.to_ascii_lowercase().as_str())
}

impl<'a> Builder<'a> {
    /// The columns a form writes, each once. A query that stands in for the table may give columns that aren't the
    /// table's own: those are never written.
    fn sets(&self) -> Vec<Set<'a>> {
        let mut seen = BTreeSet::new();
        let mut sets = Vec::new();
        for (field, name) in self.visible(self.shown()) {
            if field.is_stored() && !field.read_only {
                sets.extend(self.own_columns(field, &name.place).filter(|set| seen.insert(fold(&set.column))));
            }
        }
        sets
    }

    /// The columns of a field that are the table's own.
    pub(super) fn own_columns(&self, field: &'a Field, place: &'a Place) -> impl Iterator<Item = Set<'a>> + use<'a> {
        let table = self.known.table(&self.entity.table.value).filter(|_| self.entity.source.select.is_some());
        let own = field.columns.iter().filter(move |c| table.is_none_or(|t| t.reads(&c.value)));
        own.map(move |column| Set { column: column.value.clone(), field, place })
    }

    /// A write with its needs: the table, the columns it sets, the key it goes by, and that the database takes it.
    pub(super) fn write(
        &self,
        purpose: Purpose,
        operation: Operation,
        sql: String,
        columns: Vec<String>,
        set: Vec<Use>,
        why: Why,
    ) -> Statement {
        let table = &self.entity.table.value;
        let column = |column: &str, why: Why, place: &Place| Use {
            need: Need::Column { table: table.clone(), select: None, column: column.to_owned() },
            why,
            place: place.clone(),
        };
        let mut uses = vec![self.table_need()];
        uses.extend(set);
        if operation != Operation::Insert {
            for key in &self.entity.key {
                uses.push(column(&key.value, Why::Key, &key.place));
                let need = Need::Ordered(Read::of_table(table, &key.value));
                uses.push(Use { need, why: Why::Key, place: key.place.clone() });
            }
        }
        if let Some(version) = self.entity.version.as_ref().filter(|_| operation == Operation::Update) {
            uses.push(column(&version.value, Why::Version, &version.place));
            // It is compared with what was read.
            let need = Need::Ordered(Read::of_table(table, &version.value));
            uses.push(Use { need, why: Why::Version, place: version.place.clone() });
        }
        uses.push(Use { need: Need::Write { table: table.clone(), operation, columns }, why, place: self.place().clone() });
        self.statement(purpose, sql, uses)
    }

    /// A write of a person's own, with the values of the fields that are on the form.
    fn custom(&self, purpose: Purpose, part: &'static str, write: &CustomWrite) -> Statement {
        let why = Why::Source { part };
        let (sql, need, place) = match (&write.sql, &write.routine) {
            (Some(sql), _) => {
                let need = Need::Statement { table: self.entity.table.value.clone(), text: sql.value.clone() };
                (sql.value.trim_end().trim_end_matches(';').to_owned(), need, &sql.place)
            }
            (None, Some(routine)) => {
                let known = self.known.objects.routines.iter().find(|r| same(&r.name, &routine.value));
                let mut arguments: Vec<(String, String)> =
                    write.arguments.iter().map(|(name, field)| (name.clone(), format!(":{}", field.value))).collect();
                if let Some(known) = known {
                    let order = known.parameters();
                    arguments.sort_by_key(|(name, _)| order.iter().position(|p| same(p, name)));
                }
                let names = arguments.iter().map(|(name, _)| name.clone()).collect();
                let sql = call(&routine.value, known.is_some_and(|r| r.kind == "function"), &arguments, self.engine());
                (sql, Need::Routine { name: routine.value.clone(), arguments: names }, &routine.place)
            }
            (None, None) => ("SELECT 1".to_owned(), Need::Statement { table: String::new(), text: "SELECT 1".to_owned() }, &write.place),
        };
        self.statement(purpose, sql, vec![Use { need, why, place: place.clone() }])
    }

    fn by_key(&self, versioned: bool) -> String {
        let engine = self.engine();
        let mut parts: Vec<String> =
            self.entity.key.iter().enumerate().map(|(at, key)| format!("{} = :key_{}", quoted(&key.value, engine), at + 1)).collect();
        if let Some(version) = self.entity.version.as_ref().filter(|_| versioned) {
            parts.push(format!("{} = :version", quoted(&version.value, engine)));
        }
        format!(" WHERE {}", parts.join(" AND "))
    }

    /// The value that a form gives a column. One that is left empty, where the database refuses that, is what the column's default
    /// says: what may be left empty can be saved.
    fn given(&self, column: &str, at: usize, values: Values) -> String {
        let column = self.known.table(&self.entity.table.value).and_then(|t| t.column(column));
        let is_bytes = column.is_some_and(|c| c.column_type.kind == Kind::Binary);
        let value = match values {
            Values::Texts if is_bytes => from_hex(&format!(":value_{at}"), self.engine()),
            _ => format!(":value_{at}"),
        };
        let known = column.filter(|c| c.needs_value());
        let default = |column: &'a Column| match column.own_default() {
            // A set without any member is a value.
            None => (column.column_type.kind == Kind::Set).then_some("''"),
            own => own.filter(|text| can_be_evaluated(text)),
        };
        match known.and_then(|column| Some((column, default(column)?))) {
            // A number's size can't be told from its default.
            Some((known, default)) if self.engine() == Engine::Postgresql => {
                format!("COALESCE(CAST({value} AS {}), {default})", known.column_type.original)
            }
            Some((_, default)) => format!("COALESCE({value}, {default})"),
            None => value,
        }
    }

    /// An INSERT of these columns.
    pub(super) fn insert_sql(&self, columns: &[String], values: Values) -> String {
        let engine = self.engine();
        let table = quoted(&self.entity.table.value, engine);
        if columns.is_empty() {
            return format!("INSERT INTO {table} {}", no_values(engine));
        }
        let names: Vec<String> = columns.iter().map(|c| quoted(c, engine)).collect();
        let given: Vec<String> = columns.iter().enumerate().map(|(at, column)| self.given(column, at + 1, values)).collect();
        format!("INSERT INTO {table} ({}) VALUES ({})", names.join(", "), given.join(", "))
    }

    /// An UPDATE of these columns by key, counting up the version where there is one and the columns don't set it.
    pub(super) fn update_sql(&self, columns: &[String], versioned: bool, values: Values) -> String {
        let engine = self.engine();
        let mut sets: Vec<String> =
            columns.iter().enumerate().map(|(at, c)| format!("{} = {}", quoted(c, engine), self.given(c, at + 1, values))).collect();
        let version = self.entity.version.as_ref().filter(|v| versioned && !crate::name::contains(columns, &v.value));
        sets.extend(version.map(|v| format!("{} = :next_version", quoted(&v.value, engine))));
        format!("UPDATE {} SET {}{}", quoted(&self.entity.table.value, engine), sets.join(", "), self.by_key(versioned))
    }
}

fn uses_of(builder: &Builder<'_>, sets: &[Set<'_>]) -> Vec<Use> {
    let table = &builder.entity.table.value;
    sets.iter()
        .map(|set| Use {
            need: Need::Column { table: table.clone(), select: None, column: set.column.clone() },
            why: Why::Field { field: set.field.name.clone(), spot: Spot::Shown },
            place: set.place.clone(),
        })
        .collect()
}

/// A new record of the page's fields.
pub(crate) fn insert(builder: &Builder<'_>) -> Statement {
    if let Some(write) = &builder.entity.source.insert {
        return builder.custom(Purpose::Insert, "insert", write);
    }
    let sets = builder.sets();
    let columns: Vec<String> = sets.iter().map(|s| s.column.clone()).collect();
    builder.write(
        Purpose::Insert,
        Operation::Insert,
        builder.insert_sql(&columns, Values::OwnTypes),
        columns,
        uses_of(builder, &sets),
        Why::Save,
    )
}

/// A new record as each role that may not give all of the page's fields.
pub(crate) fn insert_as_roles<'a>(builder: &Builder<'a>, users: &[Option<&'a Access>], out: &mut Vec<Statement>) {
    if builder.entity.source.insert.is_some() {
        return;
    }
    let all: Vec<String> = builder.sets().into_iter().map(|s| s.column).collect();
    for access in users.iter().flatten() {
        let may = |set: &Set<'_>| !access.hides(&set.field.name) && !access.read_only.iter().any(|f| f.value == set.field.name);
        let columns: Vec<String> = builder.sets().into_iter().filter(may).map(|s| s.column).collect();
        if columns == all {
            continue;
        }
        let sql = builder.insert_sql(&columns, Values::OwnTypes);
        let why = Why::SaveAs { role: access.role.clone() };
        let mut statement = builder.write(Purpose::Insert, Operation::Insert, sql, columns, Vec::new(), why);
        statement.role = Some(access.role.clone());
        out.push(statement);
    }
}

/// A changed record; nothing where the page can't change anything.
pub(crate) fn update(builder: &Builder<'_>) -> Option<Statement> {
    if let Some(write) = &builder.entity.source.update {
        return Some(builder.custom(Purpose::Update, "update", write));
    }
    let sets = builder.sets();
    let mut columns: Vec<String> = sets.iter().map(|s| s.column.clone()).collect();
    if columns.is_empty() {
        return None;
    }
    let sql = builder.update_sql(&columns, true, Values::OwnTypes);
    columns
        .extend(builder.entity.version.iter().map(|v| v.value.clone()).filter(|v| !crate::name::contains(&columns, v)).collect::<Vec<_>>());
    Some(builder.write(Purpose::Update, Operation::Update, sql, columns, uses_of(builder, &sets), Why::Save))
}

/// A record taken out.
pub(crate) fn delete(builder: &Builder<'_>) -> Statement {
    if let Some(write) = &builder.entity.source.delete {
        return builder.custom(Purpose::Delete, "delete", write);
    }
    let sql = format!("DELETE FROM {}{}", quoted(&builder.entity.table.value, builder.engine()), builder.by_key(false));
    builder.write(Purpose::Delete, Operation::Delete, sql, Vec::new(), Vec::new(), Why::Save)
}

/// Whether each validation holds for the record just saved, before the transaction ends: the database evaluates the
/// rule over the record as it really is.
pub(crate) fn checks(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    for check in &builder.entity.checks {
        let Some(rule) = &check.rule else { continue };
        let mut select = builder.over(builder.entity, Why::Entity, &builder.entity.table.place);
        select.raw_condition(format!("NOT ({}\n)", rule.value), rule, Why::Check { check: check.name.clone() });
        for (at, key) in builder.entity.key.iter().enumerate() {
            let column = select.own(&key.value, Why::Key, &key.place);
            select.filters.push(format!("{column} = :key_{}", at + 1));
        }
        let sql = select.sql(&["count(*)".to_owned()], "");
        out.push(builder.statement(Purpose::Check(check.name.clone()), sql, select.uses));
    }
}

#[cfg(test)]
mod tests {
    use super::can_be_evaluated;

    #[test]
    fn what_a_default_says_can_be_said_in_a_statement_unless_it_is_a_bare_word() {
        for (default, wanted) in [
            ("CURRENT_DATE", true),
            ("current_time", true),
            ("now()", true),
            ("('now'::text)::date", true),
            ("date('now')", true),
            ("curdate()", true),
            ("timezone('utc'::text, now())", true),
            ("pg_catalog.now()", true),
            ("nextval('a_seq'::regclass)", true),
            ("'x'::text", true),
            ("E'a\\n'", true),
            ("-1.5", true),
            ("0", true),
            ("TRUE", true),
            ("calm", false),
            ("\"calm\"", false),
        ] {
            assert_eq!(can_be_evaluated(default), wanted, "{default}");
        }
    }
}
