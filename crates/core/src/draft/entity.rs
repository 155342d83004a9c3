//! One drafted entity.

use super::context::{Context, Drafted};
use super::labels;
use super::pages::PageDraft;
use crate::definition::{Node, PageKind};
use crate::name;

/// An entity's file.
pub(super) fn draft(context: &Context<'_>, drafted: &Drafted<'_>) -> Node {
    let Drafted { entity, table, fields: own, key, title, .. } = drafted;
    let conventions = context.names.conventions;
    let (one, many) = labels::one_and_many(&context.names.called(&table.name), conventions);
    // Records that nothing tells apart can't be changed one by one.
    let only_read = table.is_keyless();
    let mut all = Node::table();
    for field in own.iter() {
        all.set(&field.name, field.node.clone());
    }
    let version = own.iter().find(|f| f.surrogate && f.kept && f.is_version);
    let written: Vec<String> = key.iter().map(|c| name::written(c)).collect();
    let mut node = Node::table()
        .with("table", name::written(&table.name).as_str().into())
        .with("key", Node::texts(&written))
        .with_some("version", version.and_then(|f| f.columns.first()).map(|c| name::written(c).as_str().into()))
        .with("title", title.template.as_str().into())
        .with("label", Node::table().with("one", one.as_str().into()).with("many", many.as_str().into()))
        .with_some("read_only", only_read.then(|| true.into()))
        .with("field", all);
    let page = PageDraft { context, entity, fields: own, title: &title.template, one: &one, many: &many, key, read_only: only_read };
    let mut drafted = Node::table();
    for kind in PageKind::ALL.into_iter().filter(|kind| conventions.pages.iter().any(|wanted| wanted == kind.name())) {
        if let Some(page) = page.page(kind) {
            drafted.set(kind.name(), page);
        }
    }
    node.set("page", drafted);
    if let Some(role) = context.open_to {
        let mut access = Node::table().with("read", true.into());
        if !only_read {
            for action in ["add", "edit", "delete"] {
                access.set(action, true.into());
            }
        }
        node.set("access", Node::table().with(role, access));
    }
    node
}
