//! A form for a new record.

use super::{Drawn, Kind};
use crate::definition::{Access, Node};
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement, records, related, writes};

/// See the module.
pub(super) const KIND: Kind = Kind { name: "add", needs: |access| access.add, saves: true, drawn: Drawn::Form, reads, writes, draft };

fn reads(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    records::choices(builder, out);
}

fn writes<'a>(builder: &Builder<'a>, users: &[Option<&'a Access>], out: &mut Vec<Statement>) {
    out.push(writes::insert(builder));
    writes::insert_as_roles(builder, users, out);
    related::links(builder, out);
    writes::checks(builder, out);
}

fn draft(page: &PageDraft<'_>) -> Option<Node> {
    (!page.read_only).then(|| page.sections(&|field| !field.kept))
}
