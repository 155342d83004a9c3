//! The folder a definition lives in: reading it whole, planning what to write, writing it in one transaction.
//!
//! - [`Workspace`] reads configuration, definition and state, and reports every file that can't be read at once.
//! - [`toml`] edits definition files without touching a byte they have no reason to touch.
//! - `folder` knows which files are the workspace's, and writes many of them wholly or not at all; [`merges`] keeps an entry
//!   for each write, to undo it.

mod around;
mod closed;
mod code;
mod config;
mod data_key;
mod database;
mod decisions;
mod files;
mod first_look;
mod folder;
mod follow_ups;
mod index;
mod indexing;
mod joined;
mod kept;
pub mod merges;
mod open;
mod opening;
mod part;
mod plan;
mod secret;
mod start;
mod state;
pub mod toml;
mod translations;
mod undo;
mod write_error;

pub use closed::{Closed, OpenError, configuration};
pub use config::{Config, DatabaseConfig};
pub use data_key::kept_data_key;
pub use database::{KnownDatabase, as_accepted};
pub use decisions::{Answer, answers_of};
pub use files::FileError;
pub use folder::{LockError, Refused, TransactionError, digest};
pub use follow_ups::FollowUps;
pub use merges::{By, EntryKind, HistoryEntry};
pub use open::Workspace;
pub use part::Part;
pub use plan::{Planned, TextChange};
pub use start::{Begin, StartError, start};
pub use state::follow_ups::FollowUp;
pub use undo::{UndoError, Undone, named};
pub use write_error::WriteError;
