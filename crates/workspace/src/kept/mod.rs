//! The kept text of the workspace: between the texts of its files, as tiles, and the whole that the core merges.
//!
//! [`tree`] reads tiles as the core's tree, hidden ones too. [`reconcile`] brings tiles to what a merged whole says: the only
//! place where a merge writes text. [`store`] keeps the tiles between commands.

mod error;
mod marks;
mod reconcile;
mod set_apart;
mod store;
mod tree;
mod values;

pub use error::ReconcileError;
pub(crate) use reconcile::reconcile;
pub(crate) use store::{INDEX, KNOWN, Kept, Stored, Was, list_of};
pub(crate) use tree::whole_of;
