//! SQL fragments (conditions, row filters, formulas, statements of a person's own): which tables and columns they
//! name, and renaming those in place.
//!
//! Names resolve as in SQL ([`super::resolve`]). What can't be resolved beyond doubt makes the analysis *uncertain*:
//! such a fragment is never rewritten.

use super::parser;
use super::projection::{ResultColumn, projection};
use super::resolve::{Resolver, Source};
use super::target::{Call, Named, Target};
use crate::name;
use crate::name::RenameMap;
use crate::schema::{Engine, Operation, Schema};
use sqlparser::ast::Visit;
use std::ops::Range;

/// What the names of a fragment are looked for in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope<'a> {
    /// An expression over an entity's columns: its table's, or those of the query that stands in for it.
    Columns {
        /// The table.
        table: &'a str,
        /// The query.
        select: Option<&'a str>,
    },
    /// A whole statement. Its `:key_COLUMN` parameters are named after columns of this table.
    Statement {
        /// The table.
        table: &'a str,
    },
}

/// All names of a fragment.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Analysis {
    /// In order of their places.
    pub names: Vec<Named>,
    /// Whether every name was resolved beyond doubt.
    pub certain: bool,
    /// The functions that it calls.
    pub calls: Vec<Call>,
    /// Tables that are joined by whatever names they share.
    pub natural: Vec<String>,
    /// The table and columns that a statement writes, where it says which.
    pub writes: Option<(String, Operation, Vec<String>)>,
    /// Why the text couldn't be read at all.
    pub error: Option<String>,
}

impl Analysis {
    /// The names the database wouldn't find, or find twice.
    pub fn missing(&self) -> impl Iterator<Item = &Named> {
        self.names.iter().filter(|n| matches!(n.target, Target::Missing { .. } | Target::Ambiguous(_)))
    }
}

/// Analyses a fragment.
pub fn analyse(text: &str, scope: Scope<'_>, schema: &Schema) -> Analysis {
    let own = match scope {
        Scope::Columns { table, select } => Source::of_entity(table, select.map(|select| projection(select, schema))),
        Scope::Statement { .. } => Source { columns: Some(Vec::<ResultColumn>::new()), ..Source::default() },
    };
    let mut resolver = Resolver::new(text, schema, own);
    let visited = match scope {
        Scope::Columns { .. } => parser::expression(text, schema.engine).map(|expression| {
            let _ = expression.visit(&mut resolver);
        }),
        Scope::Statement { .. } => parser::statements(text, schema.engine).and_then(|statements| match statements.as_slice() {
            [statement] => {
                let _ = statement.visit(&mut resolver);
                Ok(())
            }
            _ => Err("it has to be one statement".to_owned()),
        }),
    };
    if let Err(error) = visited {
        return Analysis { error: Some(error), ..Analysis::default() };
    }
    let mut names = resolver.names;
    names.sort_by_key(|n| n.at.start);
    names.dedup();
    Analysis { names, certain: resolver.certain, calls: resolver.calls, natural: resolver.natural, writes: resolver.writes, error: None }
}

/// The fragment's replacements under new names: byte range and new text, in order. `None` where the fragment
/// can't be analysed with certainty although it may name something renamed.
pub fn rename_in(text: &str, scope: Scope<'_>, schema: &Schema, renames: &RenameMap) -> Option<Vec<(Range<usize>, String)>> {
    let mut olds: Vec<&str> = renames.table_renames().map(|(from, _)| from).collect();
    olds.extend(renames.column_renames().map(|(_, from, _)| from));
    if olds.is_empty() {
        return Some(Vec::new());
    }
    let analysis = analyse(text, scope, schema);
    if !analysis.certain {
        return if crate::sql::mentions_word(text, &olds, schema.engine) { None } else { Some(Vec::new()) };
    }
    // What a NATURAL join goes by changes with a rename, though no name in the text does.
    if joins_otherwise(&analysis.natural, schema, renames) {
        return None;
    }
    if renamed_apart(&analysis.names, renames) {
        return None;
    }
    let mut pieces: Vec<(Range<usize>, String)> = analysis
        .names
        .into_iter()
        .filter_map(|named| {
            let (old, new) = match &named.target {
                Target::Column { table, column } => (column.as_str(), renames.column(table, column)),
                Target::Table(table) => (table.as_str(), renames.table(table)),
                Target::Missing { .. } | Target::Ambiguous(_) => return None,
            };
            if old == new {
                return None;
            }
            let written = &text[named.at.clone()];
            let quote = written.chars().next().filter(|c| "\"`[".contains(*c));
            Some((named.at, requoted(new, quote, schema.engine)))
        })
        .collect();
    // A name of USING stands for two columns, and is written once.
    pieces.dedup_by(|a, b| a.0 == b.0);
    if let Scope::Statement { table } = scope {
        for (at, parameter) in super::parameters(text, schema.engine) {
            let Some(column) = parameter.strip_prefix("key_") else { continue };
            let new = renames.column(table, column);
            if new != column {
                let start = at + ":key_".len();
                pieces.push((start..start + column.len(), new.to_owned()));
            }
        }
        pieces.sort_by_key(|(at, _)| at.start);
    }
    Some(pieces)
}

/// Whether tables that are joined by whatever names they share would share others.
fn joins_otherwise(natural: &[String], schema: &Schema, renames: &RenameMap) -> bool {
    let shares = |table: &str, from: &str, to: &str| {
        let others = natural.iter().filter(|other| !name::same(other, table)).map(|other| schema.table(other));
        others.into_iter().any(|other| {
            other.is_none_or(|other| {
                other.columns.iter().any(|c| name::same(&c.name, from) || name::same(renames.column(&other.name, &c.name), to))
            })
        })
    };
    renames.column_renames().any(|(table, from, to)| name::contains(natural, table) && shares(table, from, to))
}

/// Whether a name that stands for columns of two tables, as in USING, would have to be two names.
fn renamed_apart(names: &[Named], renames: &RenameMap) -> bool {
    let new = |named: &Named| match &named.target {
        Target::Column { table, column } => Some(renames.column(table, column).to_owned()),
        _ => None,
    };
    names.windows(2).any(|pair| match pair {
        [a, b] => a.at == b.at && new(a) != new(b),
        _ => false,
    })
}

/// A name in the quotes it stood in, or in double quotes where the new name needs them.
pub(crate) fn requoted(new: &str, quote: Option<char>, engine: Engine) -> String {
    // Only the last part of a qualified name stands where the old one stood.
    let (_, new) = name::split_qualified(new);
    match quote {
        Some('`') if !new.contains('`') => format!("`{new}`"),
        Some('[') if !new.contains(']') => format!("[{new}]"),
        None if is_bare(new, engine) => new.to_owned(),
        _ => name::quoted_for(new, engine),
    }
}

/// Whether a name can stand bare in a fragment: plain, and read back as a column by the parser.
fn is_bare(new: &str, engine: Engine) -> bool {
    let folds_back = !engine.tells_case() || !new.chars().any(char::is_uppercase);
    name::is_plain(new) && folds_back && !sqlparser::keywords::ALL_KEYWORDS.contains(&new.to_ascii_uppercase().as_str())
}

#[cfg(test)]
mod tests {
    use super::*;

    const HIVE: Scope<'static> = Scope::Columns { table: "hive", select: None };
    use crate::schema::{Column, ColumnType, Engine, Table};

    fn schema() -> Schema {
        let table = |name: &str, columns: &[&str]| Table {
            name: name.into(),
            columns: columns
                .iter()
                .map(|c| Column {
                    name: (*c).into(),
                    column_type: ColumnType::from_declaration("text", false),
                    nullable: true,
                    ..Column::default()
                })
                .collect(),
            ..Table::default()
        };
        Schema::new(
            Engine::Sqlite,
            vec![table("apiary", &["id", "keeper_id", "name"]), table("hive", &["id", "apiary_id", "tag", "two words"])],
        )
    }

    fn renamed(text: &str, map: &RenameMap) -> Option<String> {
        let mut out = text.to_owned();
        for (at, new) in rename_in(text, HIVE, &schema(), map)?.into_iter().rev() {
            out.replace_range(at, &new);
        }
        Some(out)
    }

    #[test]
    fn only_the_names_own_characters_change() {
        let mut map = RenameMap::default();
        map.rename_column("hive", "tag", "hive no");
        map.rename_table("apiary", "yard");
        map.rename_column("apiary", "keeper_id", "owner_id");
        for (before, after) in [
            ("tag = 'tag' /* tag */ AND hive.tag<>\"tag\"", "\"hive no\" = 'tag' /* tag */ AND hive.\"hive no\"<>\"hive no\""),
            (
                "apiary_id IN (SELECT id FROM apiary WHERE keeper_id = :user_keeper)",
                "apiary_id IN (SELECT id FROM yard WHERE owner_id = :user_keeper)",
            ),
            (
                "EXISTS (SELECT 1 FROM apiary a WHERE a.id = hive.apiary_id AND a.name LIKE `tag`)",
                "EXISTS (SELECT 1 FROM yard a WHERE a.id = hive.apiary_id AND a.name LIKE `hive no`)",
            ),
            ("EXISTS (SELECT 1 FROM apiary tag WHERE tag.id = apiary_id)", "EXISTS (SELECT 1 FROM yard tag WHERE tag.id = apiary_id)"),
        ] {
            assert_eq!(renamed(before, &map).as_deref(), Some(after));
        }
        for (before, after) in [
            (
                "tag IN (WITH x AS (SELECT * FROM hive) SELECT tag FROM x)",
                "\"hive no\" IN (WITH x AS (SELECT * FROM hive) SELECT \"hive no\" FROM x)",
            ),
            // A query may have a table's name; inside, the table is meant.
            (
                "1 IN (WITH hive AS (SELECT tag FROM hive) SELECT tag FROM hive)",
                "1 IN (WITH hive AS (SELECT \"hive no\" FROM hive) SELECT \"hive no\" FROM hive)",
            ),
            (
                "1 IN (WITH x (tag) AS (SELECT tag FROM hive) SELECT tag FROM x)",
                "1 IN (WITH x (tag) AS (SELECT \"hive no\" FROM hive) SELECT tag FROM x)",
            ),
            (
                "1 IN (SELECT x.tag FROM (SELECT h.tag AS tag, h.id FROM hive h) x)",
                "1 IN (SELECT x.tag FROM (SELECT h.\"hive no\" AS tag, h.id FROM hive h) x)",
            ),
            ("1 IN (SELECT a.name FROM apiary a JOIN hive h USING (id))", "1 IN (SELECT a.name FROM yard a JOIN hive h USING (id))"),
            (
                "1 IN (WITH RECURSIVE n (i) AS (SELECT id FROM hive UNION SELECT i + 1 FROM n) SELECT i FROM n ORDER BY i)",
                "1 IN (WITH RECURSIVE n (i) AS (SELECT id FROM hive UNION SELECT i + 1 FROM n) SELECT i FROM n ORDER BY i)",
            ),
        ] {
            assert_eq!(renamed(before, &map).as_deref(), Some(after));
        }
        map.rename_column("hive", "id", "hive_id");
        for doubtful in ["1 IN (SELECT name FROM apiary JOIN hive USING (id))", "1 IN (SELECT name FROM apiary NATURAL JOIN hive)"] {
            assert_eq!(renamed(doubtful, &map), None, "it would join by something else");
        }
        // What isn't shared may have any name that stays so.
        let mut own = RenameMap::default();
        own.rename_table("hive", "comb");
        own.rename_column("hive", "tag", "hive_no");
        let natural = "1 IN (SELECT name FROM apiary NATURAL JOIN hive)";
        assert_eq!(renamed(natural, &own).as_deref(), Some("1 IN (SELECT name FROM apiary NATURAL JOIN comb)"));
        own.rename_column("hive", "tag", "name");
        assert_eq!(renamed(natural, &own), None, "it would be shared");
        map.rename_column("apiary", "id", "hive_id");
        assert_eq!(
            renamed("1 IN (SELECT name FROM apiary JOIN hive USING (id))", &map).as_deref(),
            Some("1 IN (SELECT name FROM yard JOIN hive USING (hive_id))")
        );
    }

    #[test]
    fn what_the_database_would_not_find_is_missing() {
        for (text, missing) in [
            ("colour = 1", Some("colour")),
            ("tag = colour OR 1", Some("colour")),
            ("id IN (SELECT hive_id FROM colony)", Some("colony")),
            ("[two words] > 1 AND rowid = 2", None),
            ("apiary.name = 1", Some("apiary.name")),
            ("1 IN (WITH x AS (SELECT * FROM apiary) SELECT colour FROM x)", Some("colour")),
            ("1 IN (WITH x AS (SELECT colour FROM apiary) SELECT 1 FROM x)", Some("colour")),
            ("1 IN (WITH x AS (SELECT tag FROM apiary) SELECT 1 FROM x, hive)", None),
            ("1 IN (SELECT 1 FROM apiary JOIN hive USING (tag))", Some("tag")),
            ("1 IN (SELECT id FROM apiary JOIN hive USING (id))", None),
            ("1 IN (SELECT id FROM apiary a JOIN hive h ON a.id = h.apiary_id)", Some("id")),
            ("1 IN (SELECT name FROM apiary NATURAL JOIN hive WHERE id = 1 ORDER BY tag)", None),
            ("1 IN (SELECT s.name FROM (SELECT id FROM apiary) s)", Some("name")),
            ("1 IN (SELECT a FROM (SELECT id, name FROM apiary) AS s (a, b))", None),
            ("1 IN (WITH x AS (SELECT 1 AS one), y AS (SELECT one FROM x) SELECT one FROM y ORDER BY one)", None),
            ("1 IN (WITH x AS (SELECT two FROM y), y AS (SELECT 1 AS two) SELECT two FROM x)", Some("y")),
        ] {
            let analysis = analyse(text, HIVE, &schema());
            let found = analysis.missing().next().map(|n| match &n.target {
                Target::Missing { name, .. } | Target::Ambiguous(name) => name.as_str(),
                _ => "",
            });
            assert_eq!(found, missing, "{text}: {analysis:?}");
        }
    }

    #[test]
    fn a_query_that_stands_in_for_the_table_passes_names_through() {
        let select = "SELECT h.*, a.name, a.keeper_id AS owner FROM hive h JOIN apiary a ON a.id = h.apiary_id";
        let scope = Scope::Columns { table: "hive", select: Some(select) };
        let mut map = RenameMap::default();
        map.rename_column("hive", "tag", "hive_no");
        map.rename_column("apiary", "name", "title");
        map.rename_column("apiary", "keeper_id", "owner_id");
        let text = "tag = 'x' AND hive.name <> '' AND owner = :me";
        let mut out = text.to_owned();
        for (at, new) in rename_in(text, scope, &schema(), &map).unwrap().into_iter().rev() {
            out.replace_range(at, &new);
        }
        assert_eq!(out, "hive_no = 'x' AND hive.title <> '' AND owner = :me");
        let missing = analyse("colour = 1", scope, &schema());
        assert!(missing.certain && missing.missing().count() == 1, "{missing:?}");
    }

    #[test]
    fn every_spelling_of_a_name_follows_a_rename_of_table_and_column() {
        let select = "SELECT h.*, a.name AS yard FROM hive h JOIN apiary a ON a.id = h.apiary_id";
        let expression = |select: Option<&'static str>| Scope::Columns { table: "hive", select };
        let statement = Scope::Statement { table: "hive" };
        let mut table = RenameMap::default();
        table.rename_table("hive", "comb");
        let mut column = RenameMap::default();
        column.rename_column("hive", "tag", "plate");
        let mut both = table.clone();
        both.rename_column("hive", "tag", "plate");
        // Before, and under the table's new name, the column's, and both.
        let conditions = [
            ("tag > 1", "tag > 1", "plate > 1", "plate > 1"),
            ("\"tag\" > 1", "\"tag\" > 1", "\"plate\" > 1", "\"plate\" > 1"),
            ("hive.tag > 1", "comb.tag > 1", "hive.plate > 1", "comb.plate > 1"),
            ("\"hive\".\"tag\" > 1", "\"comb\".\"tag\" > 1", "\"hive\".\"plate\" > 1", "\"comb\".\"plate\" > 1"),
            ("Hive.Tag > 1", "comb.Tag > 1", "Hive.plate > 1", "comb.plate > 1"),
            (
                "EXISTS (SELECT 1 FROM apiary a WHERE a.id = hive.apiary_id AND hive.tag <> a.name)",
                "EXISTS (SELECT 1 FROM apiary a WHERE a.id = comb.apiary_id AND comb.tag <> a.name)",
                "EXISTS (SELECT 1 FROM apiary a WHERE a.id = hive.apiary_id AND hive.plate <> a.name)",
                "EXISTS (SELECT 1 FROM apiary a WHERE a.id = comb.apiary_id AND comb.plate <> a.name)",
            ),
            // An alias is nobody's name but the query's.
            (
                "id IN (SELECT hive.id FROM hive AS hive WHERE hive.tag > 1)",
                "id IN (SELECT hive.id FROM comb AS hive WHERE hive.tag > 1)",
                "id IN (SELECT hive.id FROM hive AS hive WHERE hive.plate > 1)",
                "id IN (SELECT hive.id FROM comb AS hive WHERE hive.plate > 1)",
            ),
        ];
        let statements = [
            ("SELECT hive.* FROM hive", "SELECT comb.* FROM comb", "SELECT hive.* FROM hive", "SELECT comb.* FROM comb"),
            (
                "SELECT hive.*, count(hive.*), hive.tag FROM main.hive",
                "SELECT comb.*, count(comb.*), comb.tag FROM main.comb",
                "SELECT hive.*, count(hive.*), hive.plate FROM main.hive",
                "SELECT comb.*, count(comb.*), comb.plate FROM main.comb",
            ),
            (
                "SELECT h.*, h.tag AS tag FROM hive h ORDER BY h.tag",
                "SELECT h.*, h.tag AS tag FROM comb h ORDER BY h.tag",
                "SELECT h.*, h.plate AS tag FROM hive h ORDER BY h.plate",
                "SELECT h.*, h.plate AS tag FROM comb h ORDER BY h.plate",
            ),
            (
                "UPDATE hive SET tag = :tag WHERE hive.id = :key_id",
                "UPDATE comb SET tag = :tag WHERE comb.id = :key_id",
                "UPDATE hive SET plate = :tag WHERE hive.id = :key_id",
                "UPDATE comb SET plate = :tag WHERE comb.id = :key_id",
            ),
            (
                "DELETE FROM hive WHERE \"hive\".tag = 1",
                "DELETE FROM comb WHERE \"comb\".tag = 1",
                "DELETE FROM hive WHERE \"hive\".plate = 1",
                "DELETE FROM comb WHERE \"comb\".plate = 1",
            ),
        ];
        let scoped = [expression(None), expression(Some(select))].into_iter().flat_map(|scope| conditions.map(|case| (scope, case)));
        for (scope, (before, by_table, by_column, by_both)) in scoped.chain(statements.map(|case| (statement, case))) {
            for (map, after) in [(&table, by_table), (&column, by_column), (&both, by_both)] {
                let mut out = before.to_owned();
                let pieces = rename_in(before, scope, &schema(), map);
                for (at, new) in pieces.unwrap_or_else(|| panic!("{before} can't be told")).into_iter().rev() {
                    out.replace_range(at, &new);
                }
                assert_eq!(out, after, "{scope:?}");
                // And back again.
                let now = map.applied_to(&schema());
                let renamed = match scope {
                    Scope::Columns { select: Some(_), .. } => continue,
                    Scope::Columns { .. } => Scope::Columns { table: map.table("hive"), select: None },
                    Scope::Statement { .. } => Scope::Statement { table: map.table("hive") },
                };
                assert!(analyse(&out, renamed, &now).missing().next().is_none(), "{out}");
            }
        }
    }

    #[test]
    fn statements_are_analysed_whole() {
        let mut map = RenameMap::default();
        map.rename_column("hive", "id", "hive_id");
        map.rename_column("hive", "tag", "hive_no");
        for (before, after) in [
            (
                "UPDATE hive SET tag = :tag WHERE id = :key_id",
                "UPDATE hive SET hive_no = :tag WHERE hive_id = :key_id".replace("key_id", "key_hive_id"),
            ),
            (
                "INSERT INTO hive (apiary_id, tag) VALUES (:apiary, upper(:tag))",
                "INSERT INTO hive (apiary_id, hive_no) VALUES (:apiary, upper(:tag))".to_owned(),
            ),
            ("DELETE FROM hive WHERE id = :key_id", "DELETE FROM hive WHERE hive_id = :key_hive_id".to_owned()),
        ] {
            let mut out = before.to_owned();
            for (at, new) in rename_in(before, Scope::Statement { table: "hive" }, &schema(), &map).unwrap().into_iter().rev() {
                out.replace_range(at, &new);
            }
            assert_eq!(out, after);
        }
        for (text, missing) in
            [("UPDATE hive SET colour = 1", 1), ("INSERT INTO hives (a) VALUES (1)", 1), ("DELETE FROM hive WHERE gone = 1", 1)]
        {
            assert_eq!(analyse(text, Scope::Statement { table: "hive" }, &schema()).missing().count(), missing, "{text}");
        }
    }
}
