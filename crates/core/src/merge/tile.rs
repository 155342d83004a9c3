//! What is remembered of an element of the definition.
//!
//! Of most there is nothing to remember: what there seldom is stands apart, so that a large definition takes little room.

use crate::definition::Node;
use serde::{Deserialize, Serialize};
use std::ops::{Deref, DerefMut};
use std::sync::LazyLock;

/// What stands in for a value that can't be shown.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StandIn {
    /// What is shown instead.
    pub value: Node,
    /// Whether the database refuses the value, rather than that it names something lost.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub limit: bool,
}

/// A limit that was asked about.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Answered {
    /// What the database declared.
    pub database: Option<Node>,
    /// Whether the database's is taken.
    pub taken: bool,
}

/// What is remembered of an element: its signs, and by dereferencing its [`Memory`].
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Tile {
    /// Whether a person wrote or edited it.
    #[serde(skip)]
    pub own: bool,
    /// Whether a person added, deleted or moved one of its members.
    #[serde(skip)]
    pub laid: bool,
    /// Whether a person wrote or edited it since the last command.
    #[serde(skip)]
    pub touched: bool,
    /// Whether it was hidden when this merge began, for itself or with what it stands in.
    #[serde(skip)]
    pub was_hidden: bool,
    /// Whether it names something lost, or can't be without something hidden: worked out anew by every merge.
    #[serde(skip)]
    pub gone: bool,
    /// Whether it names something that was lost and is there again.
    #[serde(skip)]
    pub is_back: bool,
    /// Whether nothing of it is shown: worked out anew by every merge.
    #[serde(skip)]
    pub empty: bool,
    /// Why it was hidden, or shown, or changed, for people.
    #[serde(skip)]
    pub because: String,
    /// The draft has it no more.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub away: bool,
    /// The database refuses this choice.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub refused: bool,
    /// The draft gained what stood here already: its next loss clears this instead of hiding.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub stays: bool,
    /// A merge put it in.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub added: bool,
    /// What there seldom is.
    #[serde(flatten)]
    pub memory: Seldom,
}

/// What there seldom is to remember.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Memory {
    /// Values of the draft under which another value stood here.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub faces: Vec<(Option<Node>, Node)>,
    /// What is shown in its place.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub stand_in: Option<StandIn>,
    /// Names as they are written now, and as they were written under the name before.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub spelled: Vec<(String, String)>,
    /// What the draft said of it when it went.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at: Option<Node>,
    /// The columns that a lookup referred to when it went: only as a reference to these it comes back.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub referred: Vec<String>,
    /// The limits it was asked about.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub answers: Vec<Answered>,
    /// The names that this field had before it followed its column: the column's and its own, the oldest first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub followed: Vec<(String, String)>,
}

/// A memory that takes no room until something is written to it.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(from = "Memory", into = "Memory")]
pub struct Seldom(Option<Box<Memory>>);

static NOTHING: LazyLock<Memory> = LazyLock::new(Memory::default);

impl Seldom {
    fn memory(&self) -> &Memory {
        self.0.as_deref().unwrap_or_else(|| &NOTHING)
    }
}

impl From<Memory> for Seldom {
    fn from(memory: Memory) -> Seldom {
        Seldom((memory != Memory::default()).then(|| Box::new(memory)))
    }
}

impl From<Seldom> for Memory {
    fn from(seldom: Seldom) -> Memory {
        seldom.0.map(|memory| *memory).unwrap_or_default()
    }
}

impl PartialEq for Seldom {
    fn eq(&self, other: &Seldom) -> bool {
        match (&self.0, &other.0) {
            (None, None) => true,
            _ => self.memory() == other.memory(),
        }
    }
}

impl Deref for Tile {
    type Target = Memory;

    fn deref(&self) -> &Memory {
        self.memory.memory()
    }
}

impl DerefMut for Tile {
    fn deref_mut(&mut self) -> &mut Memory {
        self.memory.0.get_or_insert_default()
    }
}

impl Tile {
    /// Whether it is hidden for itself.
    pub fn is_hidden(&self) -> bool {
        self.gone || self.away || self.refused || self.empty
    }

    /// What is remembered, to be changed; nothing where there is nothing, so that forgetting takes no room.
    pub fn remembered(&mut self) -> Option<&mut Memory> {
        self.memory.0.as_deref_mut()
    }

    /// Forgets what the draft said of it when it went.
    pub fn forget_departure(&mut self) {
        if let Some(memory) = self.remembered() {
            memory.at = None;
            memory.referred.clear();
        }
    }

    /// Shows the value itself again.
    pub fn stand_for_itself(&mut self) {
        if let Some(memory) = self.remembered() {
            memory.stand_in = None;
        }
    }

    /// Whether there is anything to remember beyond what a person did.
    pub fn is_plain(&self) -> bool {
        !(self.away || self.refused || self.stays || self.added) && self.memory == Seldom::default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_seldom_is_kept_like_the_rest() {
        let mut tile = Tile { added: true, ..Tile::default() };
        assert_eq!(serde_json::to_string(&tile).unwrap(), r#"{"added":true}"#);
        tile.stand_in = Some(StandIn { value: "here".into(), limit: true });
        tile.followed.push(("a".into(), "b".into()));
        let text = serde_json::to_string(&tile).unwrap();
        assert_eq!(text, r#"{"added":true,"stand_in":{"value":"here","limit":true},"followed":[["a","b"]]}"#);
        assert_eq!(serde_json::from_str::<Tile>(&text).unwrap(), tile);
        (tile.stand_in, tile.added) = (None, false);
        tile.followed.clear();
        assert_eq!(tile, Tile::default(), "what was emptied is as if it never was");
        assert!(tile.is_plain());
    }
}
