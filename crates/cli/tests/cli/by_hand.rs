//! What people write into an entity beyond its draft, at random: formulas, rules, queries, files, names for others.

use crate::model::Random;
use ysomorph_core::definition::Node;
use ysomorph_core::name;

/// A field as far as these edits need to know it.
struct Known {
    name: String,
    column: Option<String>,
    /// The entity its lookup points at.
    target: Option<String>,
}

fn known(entity: &Node) -> Vec<Known> {
    let fields = entity.get("field").map(Node::entries).unwrap_or_default();
    fields
        .iter()
        .map(|f| Known {
            name: f.key.clone(),
            column: f.node.get("column").and_then(Node::as_text).map(name::read),
            target: f.node.get("lookup").and_then(|l| l.get("entity")).and_then(Node::as_text).map(str::to_owned),
        })
        .collect()
}

fn toml(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n"))
}

/// How SQL is written by hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hand {
    /// In the very letters of the schema.
    AsWritten,
    /// As people write: other letter case, quotes or none, line breaks, comments, and queries of every form.
    AsPeople,
}

impl Hand {
    /// SQL with quoted names, as this hand writes it.
    fn sql(self, sql: &str, random: &mut Random) -> String {
        if self == Hand::AsWritten {
            return sql.to_owned();
        }
        const RESERVED: &[&str] = &["order", "group"];
        let mut out = String::new();
        for (at, part) in sql.split('"').enumerate() {
            if at % 2 == 0 {
                let breaks = if random.one_in(4) { part.replacen(' ', "\n  ", 1) } else { part.to_owned() };
                out.push_str(&if random.one_in(5) { breaks.replacen(' ', " /* it's \"ours\" */ ", 1) } else { breaks });
                continue;
            }
            let plain = name::is_plain(part) && !RESERVED.contains(&part.to_lowercase().as_str());
            let spelled = match random.below(4) {
                0 => part.to_ascii_uppercase(),
                1 => part.char_indices().map(|(at, c)| if at % 2 == 0 { c.to_ascii_uppercase() } else { c }).collect(),
                _ => part.to_owned(),
            };
            out.push_str(&match random.below(4) {
                0 | 1 if plain => spelled,
                2 => format!("[{spelled}]"),
                3 => format!("`{spelled}`"),
                _ => format!("\"{spelled}\""),
            });
        }
        out
    }
}

/// Another entity's table and its columns.
pub type TableOf<'a> = &'a dyn Fn(&str) -> Option<(String, Vec<String>)>;

/// Adds some of what the format has beyond drafts. `table_of` gives another entity's table and its columns.
pub fn extend(text: &str, entity: &Node, table_of: TableOf<'_>, random: &mut Random, hand: Hand) -> String {
    let mut text = text.to_owned();
    let fields = known(entity);
    let over: Vec<&Known> = fields.iter().filter(|f| f.column.is_some()).collect();
    let read_only = entity.get("read_only").is_some();
    let table = name::read(entity.get("table").and_then(Node::as_text).unwrap_or_default());
    if over.is_empty() {
        return text;
    }
    let pick = |random: &mut Random| over[random.below(over.len())];
    let column = |field: &Known| name::quoted(field.column.as_deref().unwrap_or_default());
    let listed = |text: String, field: &str| text.replacen("[page.list]\nfields = [", &format!("[page.list]\nfields = [\"{field}\", "), 1);
    if hand == Hand::AsPeople && random.one_in(3) && !text.contains("where =") {
        let condition = condition(&name::quoted(&table), &column(pick(random)), &pick_target(&over, table_of, random), random);
        text = text.replacen("[page.list]\n", &format!("[page.list]\nwhere = {}\n", toml(&hand.sql(&condition, random))), 1);
    }
    if random.one_in(3) {
        let (one, other) = (pick(random), pick(random));
        let formula = format!("length({}) + coalesce({}, 0)", column(one), column(other));
        text.push_str(&format!("\n[field.calculated]   # ours\nkind = \"number\"\nformula = {}\n", toml(&hand.sql(&formula, random))));
        text = listed(text, "calculated");
    }
    if random.one_in(4) && !read_only {
        let rule = format!("{} IS NULL OR {} IS NOT NULL", column(pick(random)), column(pick(random)));
        text.push_str(&format!(
            "\n[check.sensible]\nrule = {}   # must hold\nmessage = \"That can't be\"\n",
            toml(&hand.sql(&rule, random))
        ));
    }
    let several = |random: &mut Random| {
        let names: std::collections::BTreeSet<String> = (0..3).map(|_| toml(&pick(random).name)).collect();
        names.into_iter().collect::<Vec<_>>().join(", ")
    };
    if random.one_in(3) {
        text.push_str(&format!("\n[export.all]\nfields = [{}]\n", several(random)));
    }
    if random.one_in(4) && !read_only {
        let (one, other) = (toml(&pick(random).name), toml(&pick(random).name));
        let key = name::written(pick(random).column.as_deref().unwrap_or("id"));
        text.push_str(&format!("\n[import.sheet]\nkey = [{}]\ncolumns = {{ \"One\" = {one}, \"Other one\" = {other} }}\n", toml(&key)));
    }
    if random.one_in(3) {
        let field = pick(random);
        text.push_str(&format!(
            "\n[outward]\nname = \"things\"\nfields = {{ {} = \"theirName\" }}\nhide = [{}]\n",
            toml(&field.name),
            toml(&pick(random).name)
        ));
    }
    if random.one_in(3) {
        text.push_str(&format!(
            "\n[page.by-something]\nkind = \"grouped\"\ngroup = [{}]\nfields = [{}]\n",
            toml(&pick(random).name),
            several(random)
        ));
    }
    if random.one_in(4) {
        let joined = over.iter().find_map(|f| Some((f, table_of(f.target.as_deref()?)?)));
        let own = name::quoted(&table);
        let (select, extra) = match joined {
            Some((field, (other, columns))) if random.one_in(2) && !columns.is_empty() => {
                let shown = name::quoted(&columns[random.below(columns.len())]);
                let on = column(field);
                let other = name::quoted(&other);
                (format!("SELECT t.*, o.{shown} AS other_side FROM {own} t LEFT JOIN {other} o ON o.id = t.{on}"), Some("other_side"))
            }
            // Every column by its name, and something of the query's own.
            _ if random.one_in(3) => {
                let columns: Vec<String> = over.iter().map(|field| column(field)).collect();
                (format!("SELECT {}, 1 AS other_side FROM {own}", columns.join(", ")), Some("other_side"))
            }
            _ if random.one_in(3) => {
                (format!("SELECT {own}.*, {own}.{} AS other_side FROM {own}", column(pick(random))), Some("other_side"))
            }
            _ => (format!("SELECT t.* FROM {own} t WHERE t.{} IS NOT NULL", column(pick(random))), None),
        };
        let select = if hand == Hand::AsPeople { through(&select, &own, &pick_target(&over, table_of, random), random) } else { select };
        text.push_str(&format!("\n[source]\nselect = {}\n", toml(&hand.sql(&select, random))));
        if random.one_in(2) && !read_only {
            let sql = format!("UPDATE {own} SET {} = 1 WHERE id = :key_id", column(pick(random)));
            text.push_str(&format!("delete = {{ sql = {} }}\n", toml(&hand.sql(&sql, random))));
        }
        if let Some(extra) = extra {
            text.push_str(&format!("\n[field.{extra}]\ncolumn = \"{extra}\"\nkind = \"text\"\n"));
            text = listed(text, extra);
        }
    }
    text
}

/// The menu as somebody lays it out: groups of their own, some of the draft's, some called otherwise.
pub fn menu(text: &str, random: &mut Random) -> String {
    let Some(at) = text.find("[[menu]]") else { return text.to_owned() };
    let (before, menu) = text.split_at(at);
    if random.one_in(3) {
        return format!("{before}{}", menu.replacen("label = \"", "label = \"Our ", 1));
    }
    let items: Vec<&str> =
        menu.lines().filter_map(|line| line.strip_prefix("items = [")).flat_map(|l| l.split('"').skip(1).step_by(2)).collect();
    let mut groups: Vec<(&str, Vec<&str>)> = vec![("Ours", Vec::new()), ("Records", Vec::new()), ("The rest", Vec::new())];
    for item in items {
        let at = random.below(groups.len());
        groups[at].1.push(item);
    }
    let mut out = before.to_owned();
    for (label, items) in groups.iter().filter(|(_, items)| !items.is_empty()) {
        let items: Vec<String> = items.iter().map(|item| format!("\"{item}\"")).collect();
        out.push_str(&format!("[[menu]]\nlabel = \"{label}\"\nitems = [{}]   # {label}\n\n", items.join(", ")));
    }
    out.trim_end().to_owned() + "\n"
}

/// Pages as people change them: a section called otherwise, an order of their own, a child list taken off.
pub fn pages(text: &str, fields: &[String], random: &mut Random) -> String {
    match random.below(4) {
        0 => text.replacen("{ title = \"", "{ title = \"Our ", 1 + random.below(2)),
        1 if !text.contains("sort = [\"-") => {
            let field = &fields[random.below(fields.len())];
            let own = format!("\nsort = [\"-{field}\", ");
            if text.contains(&format!("\nsort = [\"{field}\"")) { text.to_owned() } else { text.replacen("\nsort = [", &own, 1) }
        }
        2 => {
            let lines: Vec<&str> = text.lines().collect();
            let lists: Vec<usize> = (0..lines.len()).filter(|at| lines[*at].starts_with("  { entity = \"")).collect();
            match lists.as_slice() {
                [] => text.to_owned(),
                lists => {
                    let gone = lists[random.below(lists.len())];
                    let rest = lines.iter().enumerate().filter(|(at, _)| *at != gone).map(|(_, line)| format!("{line}\n"));
                    rest.collect()
                }
            }
        }
        _ => text.to_owned(),
    }
}

/// A lookup's column, and the table and columns it points at.
type Pointed = Option<(String, String, Vec<String>)>;

fn pick_target(over: &[&Known], table_of: TableOf<'_>, random: &mut Random) -> Pointed {
    let all: Vec<(String, String, Vec<String>)> = over
        .iter()
        .filter_map(|f| {
            let (table, columns) = table_of(f.target.as_deref()?)?;
            Some((name::quoted(f.column.as_deref()?), name::quoted(&table), columns))
        })
        .collect();
    (!all.is_empty()).then(|| all[random.below(all.len())].clone())
}

/// A query as somebody may write it who reads a table through others.
fn through(plain: &str, own: &str, pointed: &Pointed, random: &mut Random) -> String {
    let other = pointed.as_ref().map(|(_, table, _)| table.clone());
    match (random.below(8), other) {
        (0, _) => format!("WITH x AS (SELECT * FROM {own}) SELECT x.* FROM x"),
        (1, _) => format!("WITH x AS (SELECT * FROM {own}), y AS (SELECT * FROM x WHERE id > 0) SELECT * FROM y ORDER BY id"),
        (2, _) => format!("SELECT s.* FROM (SELECT t.* FROM {own} t) AS s"),
        (3, Some(other)) if other != own => format!("SELECT * FROM {own} JOIN {other} USING (id)"),
        (4, Some(other)) if other != own => format!("SELECT * FROM {own} NATURAL LEFT JOIN {other}"),
        (5, Some(other)) => format!("SELECT t.* FROM {own} t WHERE t.id IN (SELECT o.id FROM {other} o WHERE o.id = t.id)"),
        (6, _) => format!("SELECT * FROM {own} EXCEPT SELECT * FROM {own} WHERE id < 0"),
        _ => plain.to_owned(),
    }
}

/// A condition as somebody may write it.
fn condition(own: &str, column: &str, pointed: &Pointed, random: &mut Random) -> String {
    match (random.below(7), pointed) {
        (0, _) => "rowid > 0".to_owned(),
        (1, _) => format!("id IN (WITH x AS (SELECT * FROM {own}) SELECT id FROM x WHERE {column} IS NOT NULL)"),
        (2, Some((by, other, columns))) if !columns.is_empty() => {
            let shown = name::quoted(&columns[random.below(columns.len())]);
            format!("EXISTS (SELECT 1 FROM {other} o WHERE o.id = {by} AND o.{shown} IS NOT NULL)")
        }
        (3, Some((by, other, _))) => format!("{by} IN (SELECT id FROM {other} WHERE id > 0 ORDER BY id LIMIT 5)"),
        (4, Some((_, other, _))) if other != own => format!("id IN (SELECT id FROM {own} JOIN {other} USING (id))"),
        (5, _) => format!("(SELECT count(*) FROM (SELECT {column} AS c FROM {own}) s WHERE s.c = 1) >= 0"),
        _ => format!("{own}.{column} IS NOT NULL OR NOT ({column} > 5)"),
    }
}
