//! The merge: carries the definition over to a changed schema with everything a person made kept.
//!
//! Five steps, in this order: [`rekey`], [`loss`], [`returns`], [`ownership`], [`access`]. The core works on
//! values and gives [`Edit`]s; the workspace turns them into bytes.

mod access;
mod arrays;
mod custom;
mod edit;
mod element;
mod layout;
mod loss;
mod memory;
mod ownership;
mod questions;
mod rekey;
mod returns;
mod run;

pub use custom::{customisations, reset};
pub use edit::{Edit, Op};
pub use element::{Element, Step, interleave, member_key, place};
pub use layout::NewFields;
pub use memory::{Fact, Gone, Left, Memory, Part, Respelled, Thing};
pub use ownership::{Kept, Marks};
pub use questions::Question;
pub use run::{Input, Outcome, Stored, merge, safe_answers};

pub(crate) fn dbg(n: &crate::definition::Node) -> String {
    use crate::definition::Value;
    match &n.value { Value::Text(t) => t.clone(), Value::List(l) => format!("[{}]", l.iter().map(dbg).collect::<Vec<_>>().join(",")), Value::Table(e) => format!("{{{}}}", e.iter().map(|e| format!("{}={}", e.key, dbg(&e.node))).collect::<Vec<_>>().join(", ")), other => format!("{other:?}") }
}
