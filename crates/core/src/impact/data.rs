//! What the data itself does against the definition: the counts to ask the database for, one statement a table.
//!
//! Nothing but counts leaves the database. Each statement looks at a bounded number of records and says whether there
//! are more.

pub use super::count::{Count, Counted};
use super::named::{CHECK_VIOLATED, CHOICE_UNKNOWN, DOES_NOT_CONVERT, DUPLICATE_KEY, NULL_IN_REQUIRED, ORPHAN_ROWS, TOO_LONG};
use super::{Context, ImpactInput, Location};
use crate::definition::{Entity, Field, Model, Place};
use crate::name::{self, quoted_for, shown};
use crate::schema::{Column, Engine, Kind, Table, TableKind};
use crate::sql;
use crate::statements::{as_text, literal};

/// Most records looked at in a table.
pub const RECORDS: u32 = 200_000;

/// What is counted in one table, by one statement: first the records looked at, then whether there are more (0 or 1),
/// then each count in its order. All are whole numbers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TableCounts {
    /// The table, by its name in the database.
    pub table: String,
    /// The statement.
    pub sql: String,
    /// What it counts.
    pub counts: Vec<Count>,
}

/// What to count on the changed schema: a statement for each table of an entity that has something to be counted.
pub fn plan(input: ImpactInput<'_>) -> Vec<TableCounts> {
    let model = Model::of(input.tree);
    let context = Context::new(input, &model);
    context.entities().filter_map(|entity| TableCounter::of(&context, entity)?.finished()).collect()
}

/// Puts the numbers of one statement to its counts.
pub fn counted(table: &TableCounts, numbers: &[i64]) -> Vec<Counted> {
    let number = |at: usize| u64::try_from(numbers.get(at).copied().unwrap_or_default()).unwrap_or_default();
    let with = |(at, count): (usize, &Count)| Counted { count: count.clone(), records: number(at + 2), of: number(0), more: number(1) > 0 };
    table.counts.iter().enumerate().map(with).collect()
}

struct TableCounter<'a> {
    context: &'a Context<'a>,
    entity: &'a Entity,
    table: &'a Table,
    engine: Engine,
    /// The SQL of each count, beside it.
    expressions: Vec<String>,
    counts: Vec<Count>,
}

impl<'a> TableCounter<'a> {
    fn of(context: &'a Context<'a>, entity: &'a Entity) -> Option<TableCounter<'a>> {
        let table = context.table_now(&entity.table.value).filter(|t| t.kind == TableKind::Table)?;
        let (engine, expressions, counts) = (context.changed().engine, Vec::new(), Vec::new());
        let mut plan = TableCounter { context, entity, table, engine, expressions, counts };
        for field in entity.fields.iter().filter(|f| f.is_stored()) {
            plan.field(field);
        }
        plan.keys();
        plan.checks();
        Some(plan)
    }

    fn finished(self) -> Option<TableCounts> {
        if self.counts.is_empty() {
            return None;
        }
        let (name, alias) = (self.quoted(&self.table.name), self.alias());
        let columns = self.expressions.join(",\n       ");
        let sql = format!(
            "SELECT count(*),\n       (SELECT count(*) FROM (SELECT 1 FROM {name} LIMIT 1 OFFSET {RECORDS}) AS further),\n       {columns}\n\
             FROM (SELECT * FROM {name} LIMIT {RECORDS}) AS {alias}"
        );
        Some(TableCounts { table: self.table.name.clone(), sql, counts: self.counts })
    }

    fn quoted(&self, name: &str) -> String {
        quoted_for(name, self.engine)
    }

    /// The alias conditions of a person know the table by.
    fn alias(&self) -> String {
        self.quoted(name::split_qualified(&self.table.name).1)
    }

    /// A column, qualified.
    fn own(&self, column: &Column) -> String {
        format!("{}.{}", self.alias(), self.quoted(&column.name))
    }

    fn column(&self, accepted: &str) -> Option<&'a Column> {
        self.table.column(self.context.name_now(&self.entity.table.value, accepted))
    }

    fn whole(&self, expression: &str) -> String {
        let kind = if self.engine.is_mysql_like() { "SIGNED" } else { "BIGINT" };
        format!("CAST(coalesce({expression}, 0) AS {kind})")
    }

    /// Counts the records that a condition is true of.
    fn when(&mut self, rule: &'static str, field: Option<&Field>, place: &Place, condition: &str, what: String) {
        self.expressions.push(self.whole(&format!("sum(CASE WHEN {condition} THEN 1 ELSE 0 END)")));
        let key: Vec<String> = self.table.primary_key.iter().map(|c| format!("{}.{}", self.alias(), self.quoted(c))).collect();
        let columns: Vec<String> =
            field.iter().flat_map(|f| &f.columns).filter_map(|c| self.column(&c.value)).map(|c| self.own(c)).collect();
        let mut seen: Vec<String> = key.into_iter().chain(columns).collect();
        seen.dedup();
        let seen = if seen.is_empty() { "*".to_owned() } else { seen.join(", ") };
        let (table, alias) = (self.quoted(&self.table.name), self.alias());
        let from = if table == alias { table } else { format!("{table} AS {alias}") };
        let show = format!("SELECT {seen} FROM {from} WHERE {condition} LIMIT 100");
        self.add(rule, field, place, what, show);
    }

    fn add(&mut self, rule: &'static str, field: Option<&Field>, place: &Place, what: String, show: String) {
        let column = field.and_then(|f| f.columns.first()).map(|c| (self.entity.table.value.clone(), c.value.clone()));
        let (entity, field, at) = (self.entity.name.clone(), field.map(|f| f.name.clone()), Location::from(place));
        self.counts.push(Count { rule, entity, field, column, at, what, show });
    }

    fn field(&mut self, field: &Field) {
        let named = shown(&field.name);
        let columns: Option<Vec<&Column>> = field.columns.iter().map(|c| self.column(&c.value)).collect();
        let Some(columns) = columns.filter(|c| !c.is_empty()) else { return };
        if field.lookup.is_some() {
            self.lookup(field, &columns);
        }
        let [column] = columns.as_slice() else { return };
        let own = self.own(column);
        let text = as_text(&own, self.engine);
        if field.required && column.nullable && !column.auto {
            self.when(
                NULL_IN_REQUIRED,
                Some(field),
                &field.place,
                &format!("{own} IS NULL"),
                format!("have no value in `{named}`, which has to have one"),
            );
        }
        if let Some(max) = field.max_length.filter(|_| matches!(column.column_type.kind, Kind::Text | Kind::Any)) {
            let length = if self.engine == Engine::Sqlite { "length" } else { "char_length" };
            self.when(
                TOO_LONG,
                Some(field),
                &field.place,
                &format!("{length}({text}) > {max}"),
                format!("have more than {max} characters in `{named}`"),
            );
        }
        if !field.choices.is_empty() && !matches!(column.column_type.kind, Kind::Boolean | Kind::Set) {
            let values: Vec<String> = field.choices.iter().map(|c| literal(&c.value.value, self.engine)).collect();
            let condition = format!("{text} NOT IN ({})", values.join(", "));
            self.when(CHOICE_UNKNOWN, Some(field), &field.place, &condition, format!("have a value in `{named}` that is no choice"));
        }
        if let Some(condition) = self.does_not_convert(column, &field.kind).filter(|_| field.lookup.is_none()) {
            self.when(
                DOES_NOT_CONVERT,
                Some(field),
                &field.place,
                &condition,
                format!("have a value in `{named}` that is no {}", shown(&field.kind)),
            );
        }
        let number = matches!(column.column_type.kind, Kind::Integer | Kind::Decimal | Kind::Float);
        let bound = |bound: &Option<crate::definition::Spanned<String>>| {
            bound.as_ref().map(|b| b.value.clone()).filter(|b| number && b.parse::<f64>().is_ok())
        };
        for (bound, sign, words) in [(bound(&field.min), "<", "less than"), (bound(&field.max), ">", "more than")] {
            if let Some(bound) = bound {
                self.when(
                    CHECK_VIOLATED,
                    Some(field),
                    &field.place,
                    &format!("{own} {sign} {bound}"),
                    format!("have {words} {bound} in `{named}`"),
                );
            }
        }
        let unique = self.table.is_unique(std::slice::from_ref(&column.name));
        if field.unique && !unique {
            self.duplicates(
                Some(field),
                &field.place,
                std::slice::from_ref(&column.name),
                format!("share their `{named}`, which is to be unique"),
            );
        }
    }

    /// What a value of the column has to be like not to be of a field's kind; nothing where the engine sees to it.
    fn does_not_convert(&self, column: &Column, kind: &str) -> Option<String> {
        let own = self.own(column);
        let own_kind = column.column_type.kind;
        let number = matches!(kind, "number" | "decimal" | "percent" | "money");
        let date = kind == "date";
        if kind == "boolean" && matches!(own_kind, Kind::Integer | Kind::Decimal | Kind::Float) {
            return Some(format!("{own} NOT IN (0, 1)"));
        }
        if self.engine == Engine::Sqlite {
            let loose = !self.table.strict;
            return match own_kind {
                // What isn't a number stays text in a numeric column.
                Kind::Integer | Kind::Decimal | Kind::Float if number && loose => Some(format!("typeof({own}) IN ('text', 'blob')")),
                Kind::Text | Kind::Any if number => {
                    let text = format!("trim({own})");
                    Some(format!("{own} IS NOT NULL AND ({text} GLOB '*[^0-9.+-]*' OR {text} NOT GLOB '*[0-9]*')"))
                }
                Kind::Date | Kind::Text if date && loose => {
                    Some(format!("{own} IS NOT NULL AND {own} NOT GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]*'"))
                }
                _ => None,
            };
        }
        if own_kind != Kind::Text {
            return None;
        }
        let operator = if self.engine == Engine::Postgresql { "!~" } else { "NOT REGEXP" };
        // Without backslashes, which the two engines read differently.
        let pattern = match (number, date) {
            (true, _) => "^ *[+-]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][+-]?[0-9]+)? *$",
            (_, true) => "^[0-9]{4}-[0-9]{2}-[0-9]{2}",
            _ => return None,
        };
        Some(format!("{own} {operator} '{pattern}'"))
    }

    /// Values that point at nothing.
    fn lookup(&mut self, field: &Field, columns: &[&Column]) {
        let Some(lookup) = &field.lookup else { return };
        let Some(target) = self.context.model.entities.get(&lookup.entity.value) else { return };
        let Some(there) = self.context.table_now(&target.table.value) else { return };
        let value = target.referenced(&lookup.value);
        let mut pairs = Vec::new();
        for (own, value) in columns.iter().zip(value) {
            let Some(other) = there.column(self.context.name_now(&target.table.value, &value.value)) else { return };
            if self.engine.tells_types() && !own.column_type.compares_with(&other.column_type) {
                return;
            }
            pairs.push(format!("pointed_at.{} = {}", self.quoted(&other.name), self.own(own)));
        }
        if pairs.len() != columns.len() || self.kept_by_database(columns, there) {
            return;
        }
        let filled: Vec<String> = columns.iter().map(|c| format!("{} IS NOT NULL", self.own(c))).collect();
        let exists = format!("SELECT 1 FROM {} AS pointed_at WHERE {}", self.quoted(&there.name), pairs.join(" AND "));
        let condition = format!("{} AND NOT EXISTS ({exists})", filled.join(" AND "));
        let what = format!("point with `{}` at no `{}`", shown(&field.name), shown(&target.name));
        self.when(ORPHAN_ROWS, Some(field), &field.place, &condition, what);
    }

    /// Whether a foreign key lets nothing in that points at nothing. SQLite enforces them only where it is told to.
    fn kept_by_database(&self, columns: &[&Column], target: &Table) -> bool {
        let names: Vec<String> = columns.iter().map(|c| c.name.clone()).collect();
        let key = self.table.foreign_key(&names);
        self.engine != Engine::Sqlite && key.is_some_and(|k| name::same(&k.table, &target.name) && !k.not_valid)
    }

    /// Keys that tell no records apart.
    fn keys(&mut self) {
        let entity = self.entity;
        let lookups = self.context.lookups_to(&entity.name).filter_map(|(_, field)| field.lookup.as_ref());
        let mut keys: Vec<(&[crate::definition::Spanned<String>], &'static str)> = vec![(&entity.key, "key")];
        keys.extend(lookups.filter(|l| !l.value.is_empty()).map(|l| (l.value.as_slice(), "value, which lookups point at")));
        keys.extend(entity.imports.iter().map(|import| (import.key.as_slice(), "key of an import")));
        let mut told: Vec<Vec<String>> = Vec::new();
        for (key, what) in keys {
            let columns: Option<Vec<String>> = key.iter().map(|c| Some(self.column(&c.value)?.name.clone())).collect();
            let Some(columns) = columns.filter(|c| !c.is_empty() && !self.table.tells_apart(c)) else { continue };
            if told.contains(&columns) {
                continue;
            }
            let place = key.first().map_or(&entity.place, |k| &k.place);
            self.duplicates(None, place, &columns, format!("share their {what} ({})", shown(&columns.join(", "))));
            told.push(columns);
        }
    }

    /// Counts the records that share their values of some columns.
    fn duplicates(&mut self, field: Option<&Field>, place: &Place, columns: &[String], what: String) {
        let table = self.quoted(&self.table.name);
        let columns: Vec<String> = columns.iter().map(|c| self.quoted(c)).collect();
        let (listed, filled) = (columns.join(", "), columns.iter().map(|c| format!("{c} IS NOT NULL")).collect::<Vec<_>>().join(" AND "));
        let looked_at = format!("(SELECT * FROM {table} LIMIT {RECORDS}) AS looked_at");
        let groups = format!("SELECT count(*) AS n FROM {looked_at} WHERE {filled} GROUP BY {listed} HAVING count(*) > 1");
        self.expressions.push(self.whole(&format!("(SELECT sum(shared.n) FROM ({groups}) AS shared)")));
        let show = format!("SELECT {listed}, count(*) FROM {table} WHERE {filled} GROUP BY {listed} HAVING count(*) > 1 LIMIT 100");
        self.add(DUPLICATE_KEY, field, place, what, show);
    }

    /// Rules over several fields that the changed schema can still evaluate by itself.
    fn checks(&mut self) {
        let entity = self.entity;
        for check in &entity.checks {
            let Some(rule) = &check.rule else { continue };
            let analysis = sql::analyse(&rule.value, sql::Scope::Columns { table: &self.table.name, select: None }, self.context.changed());
            let sound = analysis.certain && analysis.error.is_none() && analysis.missing().next().is_none();
            if sound && sql::parameters(&rule.value, self.engine).is_empty() {
                // The line break ends a comment that the rule may end with.
                let condition = format!("NOT ({}\n)", rule.value);
                self.when(CHECK_VIOLATED, None, &check.place, &condition, format!("break the rule `{}`", shown(&check.name)));
            }
        }
    }
}
