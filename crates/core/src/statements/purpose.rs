//! What a statement is for.

/// What a statement is for.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Purpose {
    /// A page of records.
    Rows,
    /// How many there are.
    Count,
    /// Records found by one search field.
    Search(String),
    /// Records filtered by one field.
    Filter(String),
    /// Records sorted by one field.
    Sort(String),
    /// What can be chosen for a lookup or related set.
    Choices(String),
    /// One record.
    Record,
    /// The records linked by a related set.
    Related(String),
    /// A child list: entity and link.
    Children(String, String),
    /// Groups with their totals.
    Groups,
    /// The records of a group.
    GroupRows,
    /// The records an export writes.
    Export(String),
    /// The record that a line of an import is about.
    Match(String),
    /// The record that a text in an import stands for.
    Find(String, String),
    /// A new record of a lookup's target, made by an import.
    Create(String, String),
    /// A new record.
    Insert,
    /// A changed record.
    Update,
    /// A record taken out.
    Delete,
    /// A link made.
    Link(String),
    /// A link taken away.
    Unlink(String),
    /// Whether a validation holds for the record just saved.
    Check(String),
}

impl Purpose {
    /// Whether it changes records.
    pub fn is_write(&self) -> bool {
        matches!(self, Purpose::Insert | Purpose::Update | Purpose::Delete | Purpose::Link(_) | Purpose::Unlink(_) | Purpose::Create(..))
    }

    /// What is done, in words for a message: `reading its rows`.
    pub fn words(&self) -> String {
        match self {
            Purpose::Rows => "reading its rows".to_owned(),
            Purpose::Count => "counting its rows".to_owned(),
            Purpose::Search(field) => format!("searching {field}"),
            Purpose::Filter(field) => format!("filtering by {field}"),
            Purpose::Sort(field) => format!("sorting by {field}"),
            Purpose::Choices(field) => format!("reading the choices of {field}"),
            Purpose::Record => "reading a record".to_owned(),
            Purpose::Related(field) => format!("reading the {field} linked to it"),
            Purpose::Children(entity, _) => format!("reading its list of {entity}"),
            Purpose::Groups => "reading its groups".to_owned(),
            Purpose::GroupRows => "reading the records of a group".to_owned(),
            Purpose::Export(export) => format!("exporting {export}"),
            Purpose::Match(import) => format!("finding the record of a line of {import}"),
            Purpose::Find(import, field) => format!("finding the {field} of a line of {import}"),
            Purpose::Create(import, field) => format!("making a {field} that {import} doesn't find"),
            Purpose::Insert => "adding a record".to_owned(),
            Purpose::Update => "saving a record".to_owned(),
            Purpose::Delete => "deleting a record".to_owned(),
            Purpose::Link(field) => format!("linking {field}"),
            Purpose::Unlink(field) => format!("unlinking {field}"),
            Purpose::Check(check) => format!("checking {check}"),
        }
    }
}
