//! Kinds of pages. A new kind is a case here; the compiler names the places that have to say what it reads, writes and how it is
//! drafted.

/// A kind of page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PageKind {
    /// Many records, to find one.
    List,
    /// One record, to read, with what belongs to it.
    Detail,
    /// An empty form.
    Add,
    /// One record, to change.
    Edit,
    /// Many records, to change a few fields of all of them.
    Bulk,
    /// Groups of records with totals.
    Grouped,
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

impl PageKind {
    /// Every kind, in the order they are drafted.
    pub const ALL: [PageKind; 6] = [PageKind::List, PageKind::Detail, PageKind::Add, PageKind::Edit, PageKind::Bulk, PageKind::Grouped];

    /// Their names.
    pub const NAMES: [&'static str; PageKind::ALL.len()] = {
        let mut names = [""; PageKind::ALL.len()];
        let mut at = 0;
        while at < PageKind::ALL.len() {
            names[at] = PageKind::ALL[at].name();
            at += 1;
        }
        names
    };

    /// Its name, also that of the drafted page.
    pub const fn name(self) -> &'static str {
        match self {
            PageKind::List => "list",
            PageKind::Detail => "detail",
            PageKind::Add => "add",
            PageKind::Edit => "edit",
            PageKind::Bulk => "bulk",
            PageKind::Grouped => "grouped",
        }
    }

    /// The kind of this name.
    pub fn named(name: &str) -> Option<PageKind> {
        PageKind::ALL.into_iter().find(|kind| kind.name() == name)
    }

    /// Whether it saves records.
    pub const fn saves(self) -> bool {
        matches!(self, PageKind::Add | PageKind::Edit | PageKind::Bulk)
    }

    /// How it is drawn.
    pub const fn drawn(self) -> Drawn {
        match self {
            PageKind::List | PageKind::Bulk => Drawn::Rows,
            PageKind::Detail | PageKind::Edit => Drawn::Record,
            PageKind::Add => Drawn::Form,
            PageKind::Grouped => Drawn::Groups,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_is_found_by_its_name() {
        for kind in PageKind::ALL {
            assert_eq!(PageKind::named(kind.name()), Some(kind));
        }
        assert_eq!(PageKind::named("tiles"), None);
        assert!(PageKind::ALL.into_iter().filter(|kind| kind.saves()).eq([PageKind::Add, PageKind::Edit, PageKind::Bulk]));
    }
}
