//! A form for many records at once.

use super::{Drawn, Kind};
use crate::definition::{Access, Node};
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement, lists, records, writes};

/// See the module.
pub(super) const KIND: Kind =
    Kind { name: "bulk", needs: |access| access.edit && access.read, saves: true, drawn: Drawn::Rows, reads, writes, draft };

fn reads(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    lists::rows(builder, out);
    lists::narrowed(builder, out);
    records::choices(builder, out);
}

fn writes(builder: &Builder<'_>, _: &[Option<&Access>], out: &mut Vec<Statement>) {
    out.extend(writes::update(builder));
    writes::checks(builder, out);
}

fn draft(page: &PageDraft<'_>) -> Option<Node> {
    let fields = page.changed_together();
    (!page.read_only && !fields.is_empty()).then(|| {
        Node::table().with("fields", page.names(&fields)).with_some("filter", page.some(&page.filtered())).with_some("sort", page.sort())
    })
}
