//! Kinds of pages: what each reads and writes, who may use it, and how it is drafted. A new kind is a file here and
//! a line in [`KINDS`].

mod add;
mod bulk;
mod detail;
mod edit;
mod grouped;
mod list;

use crate::definition::{Access, Node};
use crate::draft::PageDraft;
use crate::statements::{Builder, Statement};

/// A kind of page.
#[derive(Debug)]
pub struct Kind {
    /// Its name, also that of the drafted page.
    pub name: &'static str,
    /// What a role must be granted to use it.
    pub needs: fn(&Access) -> bool,
    /// Whether it saves records.
    pub saves: bool,
    /// How it is drawn.
    pub drawn: Drawn,
    /// Everything one user's page reads.
    pub reads: fn(&Builder<'_>, &mut Vec<Statement>),
    /// Everything the page writes, whoever uses it; not asked where the entity is read-only.
    pub writes: fn(&Builder<'_>, &[Option<&Access>], &mut Vec<Statement>),
    /// The page as the generator writes it; nothing where it makes no sense.
    pub draft: fn(&PageDraft<'_>) -> Option<Node>,
}

/// How a page is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drawn {
    /// Records as rows.
    Rows,
    /// One record, section by section.
    Record,
    /// An empty form.
    Form,
    /// Groups with totals.
    Groups,
}

/// Every kind of page, in the order they are drafted.
pub const KINDS: &[&Kind] = &[&list::KIND, &detail::KIND, &add::KIND, &edit::KIND, &bulk::KIND, &grouped::KIND];

/// Their names.
pub const NAMES: [&str; KINDS.len()] = {
    let mut names = [""; KINDS.len()];
    let mut at = 0;
    while at < KINDS.len() {
        names[at] = KINDS[at].name;
        at += 1;
    }
    names
};

/// The kind of this name.
pub fn named(name: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.name == name).copied()
}

impl PartialEq for Kind {
    fn eq(&self, other: &Kind) -> bool {
        self.name == other.name
    }
}

impl Eq for Kind {}
