//! The definition: the application as data.
//!
//! It is held twice. The [`Tree`] keeps every key and value as written and is what merges work on; its
//! [`Shape`] says what each key means, so that merging, renaming and checking are one general walk each. The
//! [`Model`] is the same content as typed values with places, for statements and rules.

mod asleep;
mod format;
mod json_schema;
mod kinds;
mod known;
mod mentions;
mod model;
mod node;
mod page_kinds;
mod read;
mod references;
mod shape;
mod shape_at;
mod text_pattern;
mod tree;
mod validate;

pub use asleep::{Asleep, Sleeper};
pub use format::{ACTIONS, APP, ENTITY, FIELD_KINDS, PAGE_KINDS, WORKSPACE};
pub use json_schema::json_schema;
pub use kinds::FieldKind;
pub use known::{KnownEntity, KnownField};
pub use mentions::{Pieces, rename_mentions, renamed_mentions};
pub use model::{
    Access, App, CheckRule, Child, Choice, CustomWrite, DataSource, Entity, Export, Field, Import, Lookup, MenuGroup, Model, Outward, Page,
    Parameter, Place, Related, Spanned,
};
pub use node::{At, Entry, FileKey, Node, Seg, Value, display_path};
pub use page_kinds::{Drawn, PageKind};
pub use references::{EntityIndex, Reference, Referent, each_reference, references, references_in};
pub use shape::{Key, OnGone, Role, Shape};
pub use shape_at::{Loss, at_path, shape_of};
pub use text_pattern::TextPattern;
pub use tree::{Files, Tree};
pub use validate::{Problem, ProblemKind, validate, validate_workspace};
