//! The kept text: everything that ever stood in a file and that no person deleted, as tiles that are shown or hidden.
//!
//! This crate knows nothing of databases. It knows one TOML file:
//!
//! - [`read`] takes its text apart into [`Tiles`]: lines and headers, and within arrays and inline tables their members.
//!   Every byte is in exactly one place, so that [`Tiles::shown`] of what was read is the text again.
//! - Hiding a tile takes it out of the shown text and nothing else; showing it puts it back. Which text is shown depends on
//!   *which* tiles are hidden, never on the order in which they were.
//! - [`Tiles::lift`] takes an edited text back to the tiles: what is shown is the edited text to the byte, what was hidden
//!   stays, each behind the nearest tile that stood before it and still does.
//!
//! The laws are tested one by one in `laws.rs`.
//!
//! ```
//! use ysomorph_kept::read;
//! let mut tiles = read("fields = [\"name\", \"place\"]   # ours\n").unwrap();
//! let place = tiles.members("fields").find(|m| m.key() == "\"place\"").unwrap().id();
//! tiles.hide(place);
//! assert_eq!(tiles.shown(), "fields = [\"name\"]   # ours\n");
//! tiles.lift("fields = [\"name\", \"yard\"]   # theirs\n").unwrap();
//! tiles.show(place);
//! assert_eq!(tiles.shown(), "fields = [\"name\", \"place\", \"yard\"]   # theirs\n");
//! ```

mod align;
mod insert;
mod join;
mod known_by;
mod lift;
mod list;
mod otherwise;
mod path;
mod read;
mod scan;
mod show;
mod superseded;
mod tiles;
mod write;

pub use align::edits;
pub use lift::Lifted;
pub use list::Damaged;
pub use read::{Unreadable, read};
pub use superseded::Superseded;
pub use tiles::{Container, Id, Line, Mark, Member, Tiles, Value, What};

#[cfg(test)]
mod laws;
