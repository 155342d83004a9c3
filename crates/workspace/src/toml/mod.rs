//! Lossless TOML: reading with positions, and edits as byte splices.
//!
//! Everything outside a splice is the same by construction. Bytes of a file fall into *units*: a line with the
//! comments directly above it, a block with its header, a member of an array with its comma. A unit that is
//! taken out and put back where it was gives the same bytes.

mod apply;
mod edit;
mod keys;
mod layout;
mod parse;
mod render;
mod sequence;
mod strings;

pub use apply::{ApplyError, Bytes, Piece, apply};
pub use edit::splice_value;
pub use parse::{ParseError, Parsed, errors, parse};
pub use render::{file as render_file, value as render_value};
