//! Hand-written code names what is gone.

use super::shared::fate;
use crate::changes::ChangeKind;
use crate::impact::code::{self, Hit, SqlTexts};
use crate::impact::named::OLD_NAME;
use crate::impact::{Context, ElementKind, Finding, Remedy, Severity};
use crate::impact::{Docs, Location, Rule};
use crate::name::words;
use crate::name::{same, shown};
use crate::schema::{Schema, Table};
use crate::sql::{self, Analysis, Target};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: OLD_NAME,
    severity: Severity::Risk,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::RoutineDropped,
    ],
    elements: &[ElementKind::Code],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A line under `[code].roots` has an old name as a whole word, in one of the usual spellings. In SQL that can be analysed it is a break; else a risk, probable where the file also speaks of the table. A field that keeps its name when its column is renamed may be what the code means: that is not told.",
    matters: "The application is rebuilt and works; the report that runs at night doesn't.",
    before: "SELECT k.postcode FROM keeper k, in handmade/season.sql",
    after: "keeper.postcode is called postal_code",
    to_do: "Mend it by hand: a merge never touches hand-written code.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let sought = code::sought(context.input.comparison);
    let mut read = Read {
        context,
        texts: SqlTexts::new(context.changed().engine),
        analyses: BTreeMap::new(),
        by_old_tables: BTreeMap::new(),
        both_names: with_old_tables(context),
        spoken: BTreeMap::new(),
    };
    let mut told: BTreeSet<(&str, u32, usize)> = BTreeSet::new();
    for hit in &context.input.around.code {
        let Some(changes) = sought.get(&hit.word) else { continue };
        let found = match read.texts.around(hit) {
            Some(range) => read.in_sql(hit, changes, range),
            None => read.in_code(hit, changes),
        };
        let Some((at, severity, sure)) = found.filter(|(at, ..)| told.insert((&hit.file, hit.line, *at))) else { continue };
        let mut finding =
            Finding::new(RULE.name, severity, format!("{sure} `{}`", shown(&hit.word))).with_fate(&fate(context, at)).culprit(&hit.word);
        finding.at = Some(Location { file: hit.file.clone(), line: hit.line, column: hit.column });
        out.push(finding.because((Some(at), Remedy::Hand)));
    }
}

/// What is read of files, once each however many names are found in them.
struct Read<'c, 'a> {
    context: &'c Context<'a>,
    texts: SqlTexts<'c>,
    /// By file and where the SQL begins.
    analyses: BTreeMap<(&'c str, usize), Analysis>,
    /// The same where renamed tables are known by their old names too: their columns can't be told otherwise.
    by_old_tables: BTreeMap<(&'c str, usize), Analysis>,
    /// The changed schema with renamed tables under both names, where there are any.
    both_names: Option<Schema>,
    /// By file and change: whether the file speaks of the change's table.
    spoken: BTreeMap<(&'c str, usize), bool>,
}

/// Which change, how bad, and how sure.
type Judged = Option<(usize, Severity, &'static str)>;

impl<'c> Read<'c, '_> {
    fn in_sql(&mut self, hit: &'c Hit, changes: &[usize], range: Range<usize>) -> Judged {
        let context = self.context;
        let text = hit.text.get(range.clone()).unwrap_or_default();
        let analysis = self.analyses.entry((&hit.file, range.start)).or_insert_with(|| analysed(text, context.changed()));
        let offset = hit.offset - range.start;
        let is_named = analysis.names.iter().any(|n| n.at.contains(&offset));
        match &self.both_names {
            Some(schema) if !is_named => {
                let analysis = self.by_old_tables.entry((&hit.file, range.start)).or_insert_with(|| analysed(text, schema));
                judge(context, hit, changes, analysis, offset, text)
            }
            _ => judge(context, hit, changes, analysis, offset, text),
        }
    }

    fn in_code(&mut self, hit: &'c Hit, changes: &[usize]) -> Judged {
        let mut perhaps = None;
        for at in changes {
            let Some(change) = self.context.input.comparison.changes.get(*at) else { continue };
            let entities = self.context.entities_over(&change.table);
            let kept = |name: &str| code::spellings(name).contains(&hit.word);
            // A rename takes the column along, not the field's or entity's name.
            let may_be_field = match change.kind {
                ChangeKind::ColumnRenamed => {
                    let follows = |e: &str, f: &str| self.context.input.around.follows(e, f).is_some();
                    entities.iter().any(|e| e.fields.iter().any(|f| kept(&f.name) && !follows(&e.name, &f.name)))
                }
                ChangeKind::TableRenamed => entities.iter().any(|e| kept(&e.name)),
                _ => false,
            };
            if may_be_field {
                continue;
            }
            let speaks = *self
                .spoken
                .entry((&hit.file, *at))
                .or_insert_with(|| code::mentions(&hit.text, &change.table) || entities.iter().any(|e| code::mentions(&hit.text, &e.name)));
            if change.column.is_some() && speaks {
                return Some((*at, Severity::Risk, "the code probably names"));
            }
            // One plain word may be anything.
            if words(&hit.word).len() > 1 {
                perhaps = perhaps.or(Some((*at, Severity::Risk, "the code perhaps names")));
            }
        }
        perhaps
    }
}

fn analysed(text: &str, schema: &Schema) -> Analysis {
    sql::analyse(&sql::without_placeholders(text), sql::Scope::Statement { table: "" }, schema)
}

/// The changed schema in which renamed tables have their old names beside the new ones.
fn with_old_tables(context: &Context<'_>) -> Option<Schema> {
    let renamed = context.changes(&[ChangeKind::TableRenamed]);
    let old: Vec<Table> = renamed
        .filter_map(|(_, change)| {
            let now = context.table_now(&change.table)?;
            context.changed().table(&change.table).is_none().then(|| Table { name: change.table.clone(), ..now.clone() })
        })
        .collect();
    if old.is_empty() {
        return None;
    }
    let mut schema = context.changed().clone();
    schema.tables.extend(old);
    schema.tables.sort();
    Some(schema)
}

/// Which change, how bad and how sure: what a statement's names stand for tells it.
fn judge(context: &Context<'_>, hit: &Hit, changes: &[usize], analysis: &Analysis, offset: usize, text: &str) -> Judged {
    let of = |at: &&usize| context.input.comparison.changes.get(**at);
    let named = analysis.names.iter().find(|n| n.at.contains(&offset));
    match named.map(|n| &n.target) {
        Some(Target::Missing { table, is_table, .. }) => {
            let fits = |at: &&usize| {
                of(at).is_some_and(|change| match (&change.column, table) {
                    (Some(_), Some(table)) => same(&change.table, table) || same(context.table_name_now(&change.table), table),
                    (column, _) => column.is_none() == *is_table,
                })
            };
            let at =
                changes.iter().find(fits).or_else(|| changes.iter().find(|at| of(at).is_some_and(|c| c.column.is_none() == *is_table)))?;
            Some((*at, Severity::Break, "SQL names"))
        }
        // It stands for something that is there.
        Some(_) => None,
        // A routine is called by its name; where all is understood, anything else is an alias, or inside a text.
        None if analysis.certain && analysis.error.is_none() => {
            let routine = changes.iter().find(|at| of(at).is_some_and(|c| c.kind == ChangeKind::RoutineDropped))?;
            let called = text.get(offset + hit.word.len()..).is_some_and(|rest| rest.trim_start().starts_with('('));
            called.then_some((*routine, Severity::Break, "SQL calls"))
        }
        None => {
            let speaks = |at: &&usize| {
                of(at).is_some_and(|c| {
                    c.column.is_none() || [c.table.as_str(), context.table_name_now(&c.table)].iter().any(|t| code::mentions(text, t))
                })
            };
            changes.iter().find(speaks).map(|at| (*at, Severity::Risk, "SQL that can't be analysed probably names"))
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
code q.sql: -- all\nSELECT k.phone\nFROM keeper k;
after keeper.phone -> mobile
finds break q.sql:2:10: SQL names `phone`: `keeper.phone` is `mobile` now

# A text, and another name.
code q.sql: SELECT 'phone' AS phone FROM keeper;
after keeper.phone -> mobile
finds nothing

code q.py: run(f"SELECT born_on FROM keeper WHERE id = {key}")
after drop keeper.born_on
finds break q.py:1:14: SQL names `born_on`: `keeper.born_on` is gone

# In another spelling, where nobody can be sure.
code q.py: keeper = read()\nprint(keeper.bornOn)
after drop keeper.born_on
finds risk q.py:2:14: the code probably names `bornOn`: `keeper.born_on` is gone

# The field keeps its name.
code q.py: print(keeper.phone)
after keeper.phone -> mobile
finds nothing

code q.py: print(keeper.phoneBook)
after drop keeper.phone
finds nothing
"#;
