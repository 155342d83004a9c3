//! What a merge would do about each finding, where its rule alone can't say.

use super::{Finding, Remedy};
use crate::definition::FileKey;
use crate::merge::{Edit, Outcome, Step};

/// Sets the remedy of findings that a merge settles: asked where a question about the column is open, done where it
/// edits one of the field's keys that settle it.
pub fn settle(findings: &mut [Finding], outcome: &Outcome) {
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
}

/// Whether an edit is of this key of the finding's field, which may have followed its column by then.
fn of_field(edit: &Edit, finding: &Finding, outcome: &Outcome, key: &str) -> bool {
    let (Some(entity), Some(field)) = (&finding.entity, &finding.field) else { return false };
    let followed = outcome.renamed_fields.iter().find(|(of, from, _)| of == entity && from == field);
    let field = followed.map_or(field, |(.., to)| to);
    let under = |steps: &[Step]| matches!(steps, [Step::Key(a), Step::Key(f), Step::Key(k), ..] if a == "field" && f == field && k == key);
    edit.element.file == FileKey::Entity(entity.clone()) && under(&edit.element.steps)
}
