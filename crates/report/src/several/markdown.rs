//! Many databases as a comment on a change request: who may be updated, and what keeps the others from it.

use super::{OneOfMany, Several, Shared, some_of};
use crate::markdown::{Bounded, code, escaped, folded};
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
        text.add(&format!("| {} | {} | {changes} | {} |\n", escaped(&shown(&one.name)), one.state(), escaped(&told(one))));
    }
    for (because, findings) in several.causes() {
        let body: String = findings.iter().map(|shared| line(shared)).collect();
        folded(&format!("{because}: {}", plural(findings.len(), "finding", "findings")), &body, &mut text);
    }
    text.finished()
}

fn line(shared: &Shared) -> String {
    let finding = &shared.finding;
    let entity = finding.entity.as_deref().map_or_else(String::new, |entity| format!("{}: ", escaped(&shown(entity))));
    let at = finding.at.as_ref().map_or_else(String::new, |at| format!(" `{}:{}`", code(&at.file), at.line));
    format!(
        "- **{}** {entity}{}{at} `{}`, on {}\n",
        finding.severity.word(),
        escaped(&shown(&finding.message)),
        finding.rule,
        escaped(&some_of(&shared.databases, MOST_NAMES))
    )
}
