//! Many databases as a comment on a change request: who may be updated, and what keeps the others from it.

use super::{Entry, OneOfMany, Several, some_of};
use crate::markdown::{Bounded, code, escaped, folded, prose};
use crate::stories::counts;
use crate::wording::plural;
use ysomorph_core::name::shown;

/// Most names of databases at one finding.
const MOST_NAMES: usize = 40;

/// Many databases as Markdown with a table and folded details.
pub fn to_markdown(several: &Several) -> String {
    let mut text = Bounded::default();
    text.add(&format!("**{}**\n", escaped(&several.outcome())));
    text.add("\n| database | the definition | changes | |\n|---|---|--:|---|\n");
    let told = |one: &OneOfMany| one.trouble.as_deref().map_or_else(|| counts(one.totals), shown);
    for one in &several.databases {
        let changes = if one.trouble.is_some() { String::new() } else { one.changes.to_string() };
        text.add(&format!("| {} | {} | {changes} | {} |\n", escaped(&shown(&one.name)), one.state(), prose(&told(one))));
    }
    for (because, entries) in several.causes() {
        let count = entries.iter().map(|entry| entry.count).sum();
        let body: String = entries.iter().map(line).collect();
        folded(&format!("{because}: {}", plural(count, "finding", "findings")), &body, &mut text);
    }
    text.finished()
}

fn line(entry: &Entry<'_>) -> String {
    let finding = &entry.first.finding;
    let subject = Some(entry.subject()).filter(|subject| !subject.is_empty()).map_or_else(String::new, |s| format!("{}: ", escaped(&s)));
    let places: String = entry.places.iter().map(|place| format!(" `{}`", code(place))).collect();
    format!(
        "- **{}** {subject}{}{places} `{}`, on {}\n",
        finding.severity.word(),
        prose(&shown(&finding.message)),
        finding.rule,
        escaped(&some_of(&entry.first.databases, MOST_NAMES))
    )
}
