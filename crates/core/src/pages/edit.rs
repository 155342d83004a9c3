//! A form for a record that is there.

use super::{Drawn, Kind};
use crate::definition::{Access, Node};
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement, records, related, writes};

/// See the module.
pub(super) const KIND: Kind =
    Kind { name: "edit", needs: |access| access.edit && access.read, saves: true, drawn: Drawn::Record, reads, writes, draft };

fn reads(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    records::record(builder, out);
    records::choices(builder, out);
    related::sets(builder, related::Of::Record, out);
}

fn writes(builder: &Builder<'_>, _: &[Option<&Access>], out: &mut Vec<Statement>) {
    out.extend(writes::update(builder));
    related::links(builder, out);
    writes::checks(builder, out);
}

fn draft(page: &PageDraft<'_>) -> Option<Node> {
    // Nothing can be changed in a record that is nothing but its key.
    (!page.read_only).then(|| page.sections(&|field| !field.kept || !field.surrogate))
}
