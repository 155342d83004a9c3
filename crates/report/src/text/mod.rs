//! Reports as text: the outcome first, worst next, then what to type. As wide as the terminal, eighty columns without one; readable aloud, and no
//! meaning by colour alone.

mod access;
mod beside;
mod changes;
mod custom;
mod drafted;
mod findings;
mod follow_ups;
mod history;
mod merge;
mod page;
mod places;
mod questions;
mod quote;
mod several;
mod stories;
mod style;
mod values;

pub use crate::wording::plural;
pub use access::access;
pub use changes::changes;
pub use custom::custom;
pub use drafted::drafted;
pub use findings::{check, rehearse};
pub use history::{history, history_entry};
pub use merge::merge;
pub use page::page;
pub use questions::{question_marked, questions};
pub use quote::quote;
pub use several::several;
pub use stories::impact;
pub use style::{fit, heading, hint};
