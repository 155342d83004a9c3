//! What each key of the definition means: the one table that validation, renaming, setting aside and merging
//! walk by. The keys themselves are in [`super::format`].

/// What a name in the definition refers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// A table or view.
    Table,
    /// A column of the entity's table.
    Column,
    /// A column of the table the lookup points at.
    TargetColumn,
    /// A field of the entity.
    Field,
    /// A field of the entity, `-` before it for descending.
    SortField,
    /// A field of the entity the lookup points at, `-` before it for descending.
    TargetSortField,
    /// An entity.
    Entity,
    /// A menu item: an entity, or `entity/page`.
    MenuItem,
    /// A page of the entity.
    Page,
    /// A field of the entity that the table around names as `entity` (a child list's).
    TargetField,
    /// A column of the join table that the table around names as `through`.
    ThroughColumn,
    /// A routine of the database.
    Routine,
    /// One of these words; any word where there are none.
    Word(&'static [&'static str]),
}

/// What happens to an element when something it names is gone. A name in a [`Shape::Set`] always goes as a member.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnGone {
    /// The element is set aside.
    Remove,
    /// The whole table around it is set aside (a field whose column went).
    RemoveParent,
    /// The field around the table around it is set aside (a related set whose join table went).
    RemoveField,
    /// SQL of a person's own that takes the place of the generator's: it stays until a person says otherwise.
    Ask,
    /// The whole file is set aside.
    RemoveFile,
    /// The draft's value takes its place; where the draft has none, the element goes.
    Draft,
    /// As [`OnGone::Draft`], together with the keys of the table around it that belong together (a lookup and its field's kind).
    DraftLookup,
    /// A condition nothing fulfils takes its place: access never widens.
    Deny,
}

/// What a value may be, and how it merges.
#[derive(Debug, Clone, Copy)]
#[allow(missing_docs, reason = "each variant's text names its parts")]
pub enum Shape {
    /// true or false
    Bool,
    /// A whole number.
    Int,
    /// Text for people.
    Text,
    /// Text, a number, or true or false: a value of the database.
    Scalar,
    /// One of these words.
    Word(&'static [&'static str]),
    /// A template over fields; `true` for those of the lookup's target.
    Template { of_target: bool },
    /// A SQL expression over the entity's columns; `true` for one over the lookup's target.
    Condition { of_target: bool },
    /// A whole SQL statement.
    Statement,
    /// One name.
    Name(Role),
    /// Names that are one value together.
    Names(Role),
    /// Names merged one by one.
    Set(Role),
    /// A table with these keys.
    Record(&'static [Key]),
    /// A table of elements named by people.
    Named(&'static Shape),
    /// A table whose keys are fields of the entity.
    ByField(&'static Shape),
    /// An array of tables, each recognised by what these keys hold.
    Records { by: &'static [&'static str], keys: &'static [Key] },
}

/// One key of a record.
#[derive(Debug, Clone, Copy)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// Its value.
    pub shape: Shape,
    /// What a loss does to it.
    pub on_gone: OnGone,
    /// What it is for, in a sentence: the manual and the JSON Schemas say it.
    pub doc: &'static str,
}

impl Shape {
    /// The shape of a table's key.
    pub fn child(&self, name: &str) -> Option<&'static Shape> {
        match self {
            Shape::Record(keys) => keys.iter().find(|key| key.name == name).map(|k| &k.shape),
            Shape::Named(inner) | Shape::ByField(inner) => Some(inner),
            _ => None,
        }
    }

    /// The keys of a record or of the members of an array of records.
    pub fn keys(&self) -> &'static [Key] {
        match self {
            Shape::Record(keys) | Shape::Records { keys, .. } => keys,
            _ => &[],
        }
    }

    /// What a string in it refers to.
    pub fn role(&self) -> Option<Role> {
        match self {
            Shape::Name(role) | Shape::Names(role) | Shape::Set(role) => Some(*role),
            _ => None,
        }
    }
}
