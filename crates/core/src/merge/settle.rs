//! What a merge would do about each finding, where its rule alone can't say.

use super::{Change, Outcome, Step};
use crate::definition::FileKey;
use crate::impact::{Finding, Remedy, Severity};
use crate::schema::Schema;

/// Sets the remedy of findings by what the merge does: asked where a question about the column is open, done where it
/// edits one of the field's keys that settle it. A break that isn't among those left after the merge is settled by it, one
/// that is stays a person's; `changed` is the whole changed schema.
pub fn settle(findings: &mut [Finding], outcome: &Outcome, changed: &Schema) {
    for finding in findings.iter_mut().filter(|f| !f.settled_by.is_empty()) {
        let asks = |key: &str| {
            let Some(column) = &finding.column else { return false };
            let names = [format!("limit/{column}/{key}"), format!("{key}/{column}")];
            outcome.open_questions().any(|q| names.contains(&q.name))
        };
        let edits = |key: &str| outcome.edits.iter().any(|edit| of_field(edit, finding, outcome, key));
        if finding.settled_by.iter().any(|key| asks(key)) {
            finding.remedy = Remedy::Ask;
        } else if finding.settled_by.iter().any(|key| edits(key)) {
            finding.remedy = Remedy::Merge;
        }
    }
    // Hand-written code isn't the merge's.
    let mut breaks = findings.iter_mut().filter(|f| f.severity == Severity::Break && !f.rule.starts_with("code/")).peekable();
    // Looking through the whole definition again is worth it only where something may be settled.
    let left = if breaks.peek().is_some() { outcome.breaks_left(changed) } else { Vec::new() };
    for finding in breaks {
        let stays = left.iter().any(|after| is_same(finding, after, outcome));
        finding.remedy = match finding.remedy {
            Remedy::Hand if !stays => Remedy::Merge,
            Remedy::Merge if stays => Remedy::Hand,
            other => other,
        };
        if finding.remedy == Remedy::Merge {
            // What a person could do is done.
            finding.help.clear();
        }
    }
}

/// Whether a break after a merge is the one there was before.
fn is_same(before: &Finding, after: &Finding, outcome: &Outcome) -> bool {
    let followed = |entity: &Option<String>, field: &str| {
        let own = outcome.renamed_fields.iter().find(|(of, from, _)| Some(of) == entity.as_ref() && from == field);
        own.map_or_else(|| field.to_owned(), |(.., to)| to.clone())
    };
    let field = before.field.as_ref().map(|field| followed(&before.entity, field));
    let last = |column: &Option<String>| column.as_ref().and_then(|c| c.rsplit('.').next().map(str::to_owned));
    let on_same_page = before.pages.is_empty() && after.pages.is_empty() || before.pages.iter().any(|page| after.pages.contains(page));
    before.rule == after.rule
        && before.entity == after.entity
        && (before.role == after.role || before.role.is_none())
        && field == after.field
        && last(&before.column) == last(&after.column)
        && on_same_page
}

/// Whether an edit is of this key of the finding's field, which may have followed its column by then.
fn of_field(edit: &Change, finding: &Finding, outcome: &Outcome, key: &str) -> bool {
    let (Some(entity), Some(field)) = (&finding.entity, &finding.field) else { return false };
    let followed = outcome.renamed_fields.iter().find(|(of, from, _)| of == entity && from == field);
    let field = followed.map_or(field, |(.., to)| to);
    let under = |steps: &[Step]| matches!(steps, [Step::Key(a), Step::Key(f), Step::Key(k), ..] if a == "field" && f == field && k == key);
    edit.element.file == FileKey::Entity(entity.clone()) && under(&edit.element.steps)
}
