//! The merge: carries the definition over to a changed schema with everything a person made kept.
//!
//! Five steps, in this order: [`rekey`], [`loss`], [`returns`], [`ownership`], [`access`]. The core works on
//! values and gives [`Edit`]s; the workspace turns them into bytes.

mod access;
mod arrays;
mod asked;
mod custom;
mod edit;
mod element;
mod follow;
mod kept_references;
mod layout;
mod loss;
mod memory;
mod new_tables;
mod outcome;
mod ownership;
mod questions;
mod rekey;
mod remember;
mod returns;
mod run;

pub use custom::{customisations, reset};
pub use edit::{Edit, Op};
pub use element::{Element, Step, interleave, member_key, place};
pub use follow::{FieldNames, Followed};
pub use layout::NewFields;
pub use memory::{Fact, Gone, Left, Memory, Part, Respelled, Thing};
pub use outcome::{Input, Outcome, Stored};
pub use ownership::{Kept, Marks};
pub use questions::Question;
pub use run::{merge, safe_answers};
