//! Both versions of a page beside each other.

use super::Making;
use maud::{Markup, html};

/// The page now and after the merge.
pub fn content(both: &[Option<Making<'_>>; 2]) -> Markup {
    html! {
        div .both {
            @for (making, name) in both.iter().zip(["Now", "After the merge"]) {
                section .version aria-label=(name) {
                    p .version-name { (name) }
                    @match making {
                        Some(making) => (making.content()),
                        None => p .empty { "There is no such page." },
                    }
                }
            }
        }
    }
}
