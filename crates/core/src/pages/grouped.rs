//! Records in groups, with totals.

use super::{Drawn, Kind};
use crate::definition::Node;
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement, groups, lists};

/// See the module.
pub(super) const KIND: Kind =
    Kind { name: "grouped", needs: |access| access.read, saves: false, drawn: Drawn::Groups, reads, writes: |_, _, _| {}, draft };

fn reads(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    groups::groups(builder, out);
    groups::rows(builder, out);
    lists::narrowed(builder, out);
}

fn draft(page: &PageDraft<'_>) -> Option<Node> {
    let by = page.grouped_by()?;
    let label = page.group_label(by);
    let node = Node::table().with("label", label.as_str().into()).with("group", Node::texts(&[by]));
    Some(node.with("fields", page.names(&page.summed_up(by))).with_some("sort", page.sort()))
}
