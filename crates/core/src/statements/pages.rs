//! What each kind of page reads and writes.

use super::{Builder, Statement, children, groups, lists, records, related, writes};
use crate::definition::{Access, PageKind};

/// Everything one user's page reads.
pub(super) fn reads(kind: PageKind, builder: &Builder<'_>, out: &mut Vec<Statement>) {
    match kind {
        PageKind::List => {
            lists::rows(builder, out);
            lists::narrowed(builder, out);
            related::sets(builder, related::Of::Rows, out);
        }
        PageKind::Detail => {
            records::record(builder, out);
            related::sets(builder, related::Of::Record, out);
            children::lists(builder, out);
        }
        PageKind::Add => records::choices(builder, out),
        PageKind::Edit => {
            records::record(builder, out);
            records::choices(builder, out);
            related::sets(builder, related::Of::Record, out);
        }
        PageKind::Bulk => {
            lists::rows(builder, out);
            lists::narrowed(builder, out);
            records::choices(builder, out);
        }
        PageKind::Grouped => {
            groups::groups(builder, out);
            groups::rows(builder, out);
            lists::narrowed(builder, out);
        }
    }
}

/// Everything a page writes, whoever uses it; not asked where the entity is read-only.
pub(super) fn writes<'a>(kind: PageKind, builder: &Builder<'a>, users: &[Option<&'a Access>], out: &mut Vec<Statement>) {
    match kind {
        PageKind::List => {
            let may = users.iter().any(|user| user.is_none_or(|access| access.delete));
            if may && builder.page().is_some_and(|page| page.offers("delete")) {
                out.push(writes::delete(builder));
            }
        }
        PageKind::Add => {
            out.push(writes::insert(builder));
            writes::insert_as_roles(builder, users, out);
            related::links(builder, out);
            writes::checks(builder, out);
        }
        PageKind::Edit => {
            out.extend(writes::update(builder));
            related::links(builder, out);
            writes::checks(builder, out);
        }
        PageKind::Bulk => {
            out.extend(writes::update(builder));
            writes::checks(builder, out);
        }
        PageKind::Detail | PageKind::Grouped => {}
    }
}
