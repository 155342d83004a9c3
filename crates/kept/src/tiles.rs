//! The vocabulary: tiles, and hiding and showing them.

use std::collections::{BTreeMap, BTreeSet};

/// A tile's number: given once, kept for as long as the tile is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Id(pub(crate) u32);

/// A file's kept text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tiles {
    /// Whether the file begins with a byte order mark.
    pub(crate) byte_mark: bool,
    /// Whether its last line has no terminator. The tiles have theirs all the same.
    pub(crate) no_last_end: bool,
    pub(crate) lines: Vec<Line>,
    /// What stands after the last line.
    pub(crate) end: String,
    /// What is remembered of the file as a whole.
    pub mark: Mark,
    /// How a line that is written anew ends.
    pub(crate) line_end: &'static str,
    pub(crate) next: u32,
}

/// What is remembered of a tile beside its bytes.
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(default)]
pub struct Mark {
    /// Whether a person wrote it or edited its value.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub own: bool,
    /// Whether a person added, deleted or moved one of its members.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub laid: bool,
    /// The value that what is shown stands in for, as it was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub behind: Option<String>,
    /// Spellings of values that stood here: used again when the value is what it was.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub spellings: Vec<String>,
    /// Whatever else is to be known of the elements that begin here, by how many keys lead to them. Opaque to this crate.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub notes: BTreeMap<u8, String>,
    /// Whether the latest edit wrote it: never kept.
    #[serde(skip)]
    pub touched: bool,
}

/// What a line says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum What {
    /// `key = value`
    Key,
    /// `[table]`
    Table,
    /// `[[one of several]]`
    Each,
}

/// A header, or a key with its value, with what stands before it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    pub(crate) id: Id,
    /// The hidden elements that take it along, itself among them: it is shown while there are none.
    pub(crate) hidden: BTreeSet<Id>,
    pub(crate) what: What,
    /// The keys from the file's root, whatever header they stand under.
    pub(crate) path: Vec<String>,
    /// The `[[…]]` that it stands in, the outermost first; one that is such a header ends with itself.
    pub(crate) blocks: Vec<Id>,
    /// What stands before it, to the last comment that a blank line follows: it stays when the line is hidden.
    pub(crate) free: String,
    /// The rest of what stands before it: it goes with the line.
    pub(crate) own: String,
    /// The line up to its value; of a header, all of it.
    pub(crate) head: String,
    pub(crate) value: Value,
    /// What follows on the line, with its terminator.
    pub(crate) after: String,
    /// What is remembered of it.
    pub mark: Mark,
}

/// A value as it is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// A value of one piece.
    Plain(String),
    /// An array or inline table.
    Members(Container),
}

/// An array or inline table: its members, and the blanks around whichever of them are shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Container {
    /// `[` or `{`
    pub(crate) bracket: char,
    /// After the bracket, through a comment on that line.
    pub(crate) open: String,
    /// The blanks before the first member that is shown.
    pub(crate) first: String,
    /// Whether a comma follows the last member that is shown.
    pub(crate) trailing: bool,
    /// Before the closing bracket.
    pub(crate) rest: String,
    pub(crate) members: Vec<Member>,
}

/// A member of an array, or an entry of an inline table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Member {
    pub(crate) id: Id,
    pub(crate) hidden: bool,
    /// The blanks before it where it isn't the first that is shown; none where it never was another.
    pub(crate) sep: Option<String>,
    /// From its first comment to itself.
    pub(crate) note: String,
    /// An entry's key with its `=`.
    pub(crate) head: String,
    pub(crate) value: Value,
    /// From it to its comma.
    pub(crate) pre: String,
    /// After its comma, through a comment on the same line.
    pub(crate) post: String,
    /// What is remembered of it.
    pub mark: Mark,
}

impl Line {
    /// Its number.
    pub fn id(&self) -> Id {
        self.id
    }

    /// What it says.
    pub fn what(&self) -> What {
        self.what
    }

    /// The keys from the file's root.
    pub fn path(&self) -> &[String] {
        &self.path
    }

    /// The `[[…]]` that it stands in, the outermost first; one that is such a header ends with itself.
    pub fn blocks(&self) -> &[Id] {
        &self.blocks
    }

    /// Its value; a header has none.
    pub fn value(&self) -> &Value {
        &self.value
    }

    /// Whether it is in the file.
    pub fn is_shown(&self) -> bool {
        self.hidden.is_empty()
    }
}

impl Container {
    /// Whether it is an inline table.
    pub fn is_table(&self) -> bool {
        self.bracket == '{'
    }

    /// Its members, hidden ones too.
    pub fn members(&self) -> &[Member] {
        &self.members
    }
}

impl Member {
    /// Its number.
    pub fn id(&self) -> Id {
        self.id
    }

    /// Whether it isn't in the file.
    pub fn is_hidden(&self) -> bool {
        self.hidden
    }

    /// Its value.
    pub fn value(&self) -> &Value {
        &self.value
    }

    /// An entry's keys: `a.b` has two.
    pub fn keys(&self) -> Vec<String> {
        crate::path::parts(self.head.trim_end().trim_end_matches('='))
    }

    /// Its bytes, without what stands around them.
    pub fn key(&self) -> String {
        if self.head.is_empty() { self.value.whole() } else { self.head.trim_end().trim_end_matches('=').trim().to_owned() }
    }
}

impl Value {
    /// What is shown of it, to tell values apart.
    pub(crate) fn whole(&self) -> String {
        match self {
            Value::Plain(text) => text.clone(),
            Value::Members(container) => {
                let members: Vec<String> =
                    container.members.iter().filter(|m| !m.hidden).map(|m| format!("{}{}", m.head.trim(), m.value.whole())).collect();
                format!("{}{}", container.bracket, members.join(","))
            }
        }
    }

    pub(crate) fn each_mut(&mut self, visit: &mut dyn FnMut(&mut Member)) {
        if let Value::Members(container) = self {
            for member in &mut container.members {
                visit(member);
                member.value.each_mut(visit);
            }
        }
    }

    /// The hidden members of it, at any depth.
    pub(crate) fn hidden_members(&self) -> Vec<Id> {
        let mut hidden = Vec::new();
        self.each(&mut |member| hidden.extend(member.hidden.then_some(member.id)));
        hidden
    }

    pub(crate) fn each<'v>(&'v self, visit: &mut dyn FnMut(&'v Member)) {
        if let Value::Members(container) = self {
            for member in &container.members {
                visit(member);
                member.value.each(visit);
            }
        }
    }
}

impl Tiles {
    /// Hides an element: a member, a line, or a header with everything within it.
    pub fn hide(&mut self, id: Id) {
        self.set(id, true);
    }

    /// Shows an element again: what was hidden within it by itself stays hidden.
    pub fn show(&mut self, id: Id) {
        self.set(id, false);
    }

    fn set(&mut self, id: Id, hidden: bool) {
        let element = self.lines.iter().find(|line| line.id == id).map(|line| (line.what, line.path.clone(), line.blocks.clone()));
        let Some((what, path, blocks)) = element else {
            let mut set = |member: &mut Member| {
                if member.id == id {
                    member.hidden = hidden;
                }
            };
            return self.lines.iter_mut().for_each(|line| line.value.each_mut(&mut set));
        };
        let within = |line: &Line| match what {
            What::Each => line.blocks.contains(&id),
            What::Key | What::Table => line.path.starts_with(&path) && line.blocks.starts_with(&blocks),
        };
        for line in self.lines.iter_mut().filter(|line| within(line)) {
            if hidden {
                line.hidden.insert(id);
            } else {
                line.hidden.remove(&id);
            }
        }
    }

    /// Every tile that can be hidden.
    pub fn ids(&self) -> Vec<Id> {
        let mut ids = Vec::new();
        for line in &self.lines {
            ids.push(line.id);
            line.value.each(&mut |member| ids.push(member.id));
        }
        ids
    }

    /// Every tile that isn't shown for itself or for the line it stands in.
    pub fn hidden(&self) -> Vec<Id> {
        let mut hidden = Vec::new();
        for line in &self.lines {
            hidden.extend((!line.is_shown()).then_some(line.id));
            hidden.extend(line.value.hidden_members());
        }
        hidden
    }

    /// The members of the value under a key, written with dots from the file's root.
    pub fn members(&self, key: &str) -> impl Iterator<Item = &Member> {
        let line = self.lines.iter().find(|line| line.what == What::Key && line.path.join(".") == key);
        line.into_iter().flat_map(|line| match &line.value {
            Value::Members(container) => container.members.as_slice(),
            Value::Plain(_) => &[],
        })
    }

    /// A number nobody has.
    pub(crate) fn fresh(&mut self) -> Id {
        self.next += 1;
        Id(self.next - 1)
    }
}
