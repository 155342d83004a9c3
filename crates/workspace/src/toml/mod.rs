//! TOML: reading with positions, and the generator's own spelling.

mod parse;
mod render;
mod strings;

pub(crate) use parse::parse_value;
pub use parse::{ParseError, errors, parse};
pub(crate) use render::{block as render_block, key as render_key, line as render_line};
pub use render::{file as render_file, value as render_value};
pub(crate) use strings::{escaped, fits, offsets};
