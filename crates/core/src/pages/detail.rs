//! One record, to read, with what belongs to it.

use super::{Drawn, Kind};
use crate::definition::Node;
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement, children, records, related};

/// See the module.
pub(super) const KIND: Kind =
    Kind { name: "detail", needs: |access| access.read, saves: false, drawn: Drawn::Record, reads, writes: |_, _, _| {}, draft };

fn reads(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    records::record(builder, out);
    related::sets(builder, related::Of::Record, out);
    children::lists(builder, out);
}

fn draft(page: &PageDraft<'_>) -> Option<Node> {
    Some(page.sections(&|_| true).with_some("children", page.children()))
}
