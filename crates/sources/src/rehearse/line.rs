//! A statement to rehearse.

/// A statement to rehearse, in the engine's dialect with named parameters.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Line {
    /// Its text.
    pub sql: String,
    /// Whether it changes records.
    pub writes: bool,
}
