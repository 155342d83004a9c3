//! Drafted pages: a list people can search, a detail page, forms with short fields first and long ones below.

use super::fields::FieldDraft;
use crate::definition::{Node, Value};
use crate::sql;

/// The pages of an entity; read-only ones have no forms.
pub(super) fn pages(fields: &[FieldDraft], title: &str, one: &str, read_only: bool, list_fields: usize) -> Node {
    let shown: Vec<&FieldDraft> = fields.iter().filter(|f| !f.hidden && !f.surrogate).collect();
    // A table of nothing but its key still has something to show.
    let shown: Vec<&FieldDraft> = if shown.is_empty() { fields.iter().filter(|f| !f.hidden).collect() } else { shown };
    let names = |fields: &[&FieldDraft]| Node::texts(&fields.iter().map(|f| f.name.as_str()).collect::<Vec<_>>());
    let pick = |wanted: &dyn Fn(&FieldDraft) -> bool| -> Vec<&FieldDraft> { shown.iter().copied().filter(|f| wanted(f)).collect() };
    let mut listed = pick(&|f| !f.is_bulky() && !f.kept);
    if listed.is_empty() {
        listed = shown.clone();
    }
    listed.truncate(list_fields);
    let search = pick(&|f| f.is_text() && !f.is_bulky());
    let filter = pick(&|f| ["lookup", "date", "boolean"].contains(&f.kind.as_str()) && !f.kept);
    let nonempty = |node: Node| (!node.items().is_empty()).then_some(node);
    let list = Node::table()
        .with("fields", names(&listed))
        .with_some("search", nonempty(names(&search)))
        .with_some("filter", nonempty(names(&filter)))
        .with_some("sort", nonempty(sort(&shown, title)));
    let pages = Node::table().with("list", list).with("detail", sections(&shown, one, &|_| true));
    if read_only {
        return pages;
    }
    let pages = pages.with("add", sections(&shown, one, &|f| !f.kept));
    // Nothing can be changed in a record that is nothing but its key.
    pages.with("edit", sections(&shown, one, &|f| !f.kept || !f.surrogate))
}

/// Sorted by what records are called; by the newest date where only a date tells.
fn sort(shown: &[&FieldDraft], title: &str) -> Node {
    let mut by: Vec<String> = Vec::new();
    for (name, _, of) in sql::parse_template(title).fields() {
        if of.is_none()
            && let Some(field) = shown.iter().find(|f| f.name == name && !f.is_bulky())
        {
            let newest_first = field.kind.starts_with("date") && by.is_empty();
            by.push(if newest_first { format!("-{name}") } else { name.to_owned() });
        }
    }
    Node::texts(&by)
}

fn sections(shown: &[&FieldDraft], one: &str, wanted: &dyn Fn(&FieldDraft) -> bool) -> Node {
    let (long, short): (Vec<&FieldDraft>, Vec<&FieldDraft>) = shown.iter().copied().filter(|f| wanted(f)).partition(|f| f.is_bulky());
    let section = |title: &str, fields: &[&FieldDraft]| {
        let names: Vec<&str> = fields.iter().map(|f| f.name.as_str()).collect();
        (!names.is_empty()).then(|| Node::table().with("title", title.into()).with("fields", Node::texts(&names)))
    };
    let more = if one == "More" { "Further" } else { "More" };
    let sections: Vec<Node> = section(one, &short).into_iter().chain(section(more, &long)).collect();
    Node::table().with("sections", Node::new(Value::List(sections)))
}
