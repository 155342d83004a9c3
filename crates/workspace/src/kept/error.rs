//! Why a merge can't be written.

use ysomorph_kept::Unreadable;

/// Why a merge can't be written: a defect of the program, told rather than written.
#[derive(Debug, Clone, thiserror::Error)]
pub enum ReconcileError {
    /// Something new isn't TOML where it is to stand.
    #[error("`{0}` can't be written: {1}")]
    Unreadable(String, Unreadable),
    /// The text would say something else than was meant.
    #[error("`{0}` would come out otherwise than meant; nothing was written")]
    Otherwise(String),
}
