//! What a piece of SQL or a template names, and renaming those names in place.
//!
//! A parser reads the SQL; nothing is found by searching text. Positions are byte ranges in the fragment,
//! so that a rename replaces only the name's own characters.

mod canonical;
mod dialect;
mod embedded;
mod fragment;
mod limits;
mod outline;
mod parser;
mod places;
mod projection;
mod resolve;
mod target;
mod template;
mod text;
#[cfg(test)]
mod totality;
mod typing;
mod written;

pub use canonical::{readable, says_same};
pub(crate) use dialect::identifier;
pub use embedded::{literal_at, statement_at, statements, without_placeholders};
pub(crate) use fragment::requoted;
pub use fragment::{Analysis, Scope, analyse, rename_in};
pub use limits::{Says, limits};
pub use outline::{Outline, outline};
pub(crate) use parser::statements as parsed_statements;
pub use parser::{TOO_DEEP, is_too_deep};
pub use projection::{ResultColumn, key_of_query, named_twice, projection};
pub use target::{Call, Named, Target};
pub use template::{Part, Template, parse as parse_template};
pub use text::{mentions_word, parameters};
pub use typing::{Mistyped, mistyped, no_condition};
pub use written::{Written, written_by};
