//! The folder a definition lives in: reading it whole, planning what to write, writing it in one transaction.
//!
//! - [`Workspace`] reads configuration, definition and state, and reports every file that can't be read at once.
//! - [`toml`] edits definition files without touching a byte they have no reason to touch.
//! - [`Transaction`] writes many files wholly or not at all; [`merges`] keeps an entry for each, to undo it.

mod apply;
mod code;
mod config;
mod decisions;
mod lock;
pub mod merges;
mod open;
mod plan;
mod start;
mod state;
pub mod toml;
mod transaction;
mod translations;

pub use config::{Config, DatabaseConfig};
pub use decisions::Answer;
pub use lock::LockError;
pub use merges::{Entry, EntryKind, UndoError};
pub use open::{FileError, OpenError, Workspace, configuration};
pub use plan::{Planned, TextChange, WriteError};
pub use start::{Begin, StartError, start};
pub use state::follow_ups::FollowUp;
pub use transaction::digest;
pub use transaction::{Before, Step, Transaction, TransactionError, recover};
