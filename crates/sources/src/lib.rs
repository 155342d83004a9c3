//! Where schemas come from. Each source converts at the border: the core sees one neutral model.
//!
//! A source only looks: databases are opened read-only, and nothing it is asked could write.

mod source;
pub mod sqlite;

pub use source::{Source, SourceError};
