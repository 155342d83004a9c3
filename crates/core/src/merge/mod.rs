//! The merge: carries the definition over to a changed schema with everything a person made kept.
//!
//! It works on the [`Whole`]: everything that ever stood in the definition and that no person deleted, shown or hidden. Five
//! steps, in [`run`](merge): every mention takes the name that its table or column has now ([`rekey`], [`follow`]); what names
//! something lost is hidden ([`hide`]); the generator's values follow the draft and a person's stay ([`walk`], [`rows`]); what
//! is new in the draft comes in beside its neighbours; and access is narrowed ([`narrow`]). The workspace brings the files to
//! what the whole says.

mod asked;
mod carried;
mod claim;
mod custom;
mod database;
mod effect;
mod element;
mod empty;
mod follow;
mod hide;
mod identities;
#[cfg(test)]
mod laws;
mod layout;
mod mentions;
mod menu;
mod narrow;
mod outcome;
mod part;
mod questions;
mod reach;
mod references;
mod rekey;
mod row_matching;
mod rows;
mod run;
mod settle;
mod thing;
mod tile;
mod titles;
mod told;
mod values;
mod walk;
mod whole;

pub use claim::{deleted_from, renamed_by_hand};
pub use custom::{customisations, reset, with_excluded};
pub use database::{DatabaseChange, Seen};
pub use effect::{Effect, Effects, effects};
pub use element::{Element, Step, member_key, place};
pub use follow::FieldNaming;
pub use identities::{Identities, LeftOut};
pub use layout::NewFields;
pub use outcome::{MergeInput, Outcome};
pub use part::{UsedElsewhere, partly, tables_of, used_elsewhere};
pub use questions::Question;
pub use reach::{is_about_tables, reached};
pub use rekey::of_branches;
pub use run::{merge, safe_merge};
pub use settle::settle;
pub use thing::Thing;
pub use tile::{Answered, Memory, Seldom, StandIn, Tile};
pub use told::{Aside, Change, Done};
pub use values::Kept;
pub use whole::Whole;
