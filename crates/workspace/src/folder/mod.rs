//! The workspace's folder as a file system sees it: what in it is ours, reading it, and writing it wholly or not at all.
//!
//! A workspace may come from anybody. So nothing is reached through a link, nothing but plain files is opened, and only
//! the paths of [`is_ours`] are ever written or taken away, whatever a file of the workspace says.

mod access;
mod aside;
mod lasting;
mod lock;
mod paths;
mod recovery;
#[cfg(test)]
mod tests;
mod transaction;

pub(crate) use access::{list, read};
pub(crate) use aside::{is_file, put_aside};
pub use lasting::{TransactionError, digest};
pub(crate) use lock::Lock;
pub use lock::LockError;
pub use paths::Refused;
pub(crate) use paths::is_ours;
pub(crate) use recovery::{at_rest, take, whole};
pub(crate) use transaction::mode_of;
pub use transaction::{Before, Step, Transaction};
