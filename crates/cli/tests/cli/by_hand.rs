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
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

/// Another entity's table and its columns.
pub type TableOf<'a> = &'a dyn Fn(&str) -> Option<(String, Vec<String>)>;

/// Adds some of what the format has beyond drafts. `table_of` gives another entity's table and its columns.
pub fn extend(text: &str, entity: &Node, table_of: TableOf<'_>, random: &mut Random) -> String {
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
    if random.one_in(3) {
        let (one, other) = (pick(random), pick(random));
        let formula = format!("length({}) + coalesce({}, 0)", column(one), column(other));
        text.push_str(&format!("\n[field.calculated]   # ours\nkind = \"number\"\nformula = {}\n", toml(&formula)));
        text = listed(text, "calculated");
    }
    if random.one_in(4) && !read_only {
        let rule = format!("{} IS NULL OR {} IS NOT NULL", column(pick(random)), column(pick(random)));
        text.push_str(&format!("\n[check.sensible]\nrule = {}   # must hold\nmessage = \"That can't be\"\n", toml(&rule)));
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
            _ => (format!("SELECT t.* FROM {own} t WHERE t.{} IS NOT NULL", column(pick(random))), None),
        };
        text.push_str(&format!("\n[source]\nselect = {}\n", toml(&select)));
        if random.one_in(2) && !read_only {
            let sql = format!("UPDATE {own} SET {} = 1 WHERE id = :key_id", column(pick(random)));
            text.push_str(&format!("delete = {{ sql = {} }}\n", toml(&sql)));
        }
        if let Some(extra) = extra {
            text.push_str(&format!("\n[field.{extra}]\ncolumn = \"{extra}\"\nkind = \"text\"\n"));
            text = listed(text, extra);
        }
    }
    text
}
