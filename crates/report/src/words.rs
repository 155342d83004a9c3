//! How pages of this program say things, wherever they are shown.

use crate::{html, stories, wording};
use maud::Markup;
use ysomorph_core::changes::Change;
use ysomorph_core::impact::{Finding, Severity};

pub use wording::plural;

/// A change in a phrase.
pub fn change(change: &Change) -> String {
    wording::phrase(change)
}

/// What the merge does about a finding, where there is something to say.
pub fn remedy(finding: &Finding) -> Option<&'static str> {
    stories::remedy(finding)
}

/// A severity as a word with a shape, so that colour only repeats it.
pub fn severity(severity: Severity) -> Markup {
    html::words::severity(severity)
}

/// A sentence, with what stands in backticks as code.
pub fn prose(text: &str) -> Markup {
    html::words::prose(text)
}
