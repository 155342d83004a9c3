//! Many records, to find one.

use super::{Drawn, Kind};
use crate::definition::{Access, Node};
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement, lists, related, writes};

/// See the module.
pub(super) const KIND: Kind = Kind { name: "list", needs: |access| access.read, saves: false, drawn: Drawn::Rows, reads, writes, draft };

fn reads(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    lists::rows(builder, out);
    lists::narrowed(builder, out);
    related::sets(builder, related::Of::Rows, out);
}

fn writes(builder: &Builder<'_>, users: &[Option<&Access>], out: &mut Vec<Statement>) {
    if builder.page().is_some_and(|page| page.offers("delete")) && users.iter().any(|user| user.is_none_or(|access| access.delete)) {
        out.push(writes::delete(builder));
    }
}

fn draft(page: &PageDraft<'_>) -> Option<Node> {
    let node = Node::table()
        .with("fields", page.names(&page.listed()))
        .with_some("search", page.some(&page.searched()))
        .with_some("filter", page.some(&page.filtered()))
        .with_some("sort", page.sort());
    Some(node)
}
