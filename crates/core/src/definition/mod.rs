//! The definition: the application as data.
//!
//! It is held twice. The [`Tree`] keeps every key and value as written and is what merges work on; its
//! [`Shape`] says what each key means, so that merging, renaming and checking are one general walk each. The
//! [`Model`] is the same content as typed values with places, for statements and rules.

mod model;
mod node;
mod read;
mod references;
mod shape;
mod validate;

pub use model::{Access, App, Entity, Field, Lookup, MenuGroup, Model, Page, PageKind, Place, Spanned};
pub use node::{At, Entry, FileKey, Node, Seg, Tree, Value, display_path};
pub use references::{Index, Reference, Referent, references, references_in};
pub use shape::{FIELD_KINDS, Key, Loss, OnGone, Role, Shape, at_path, shape_of};
pub use validate::{Problem, ProblemKind, validate};
