//! What a merge would do about each finding, where its rule alone can't say.

use super::{Change, Outcome, Step};
use crate::definition::FileKey;
use crate::impact::named::{CONDITION_BROKEN, LOOKUP_CONDITION_BROKEN, ROW_FILTER_BROKEN, RULE_BROKEN, SOURCE_BROKEN};
use crate::impact::{Finding, FollowUp, Remedy, Severity};
use crate::name::shown;
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
    leave_to_person(findings, outcome);
}

/// A condition that is replaced by one that nobody fulfils, and a rule that is set aside, don't break any more and aren't as good as
/// before either: a person has to decide.
fn leave_to_person(findings: &mut [Finding], outcome: &Outcome) {
    let rules = [CONDITION_BROKEN, LOOKUP_CONDITION_BROKEN, ROW_FILTER_BROKEN, RULE_BROKEN, SOURCE_BROKEN];
    let is_about = |finding: &Finding| rules.contains(&finding.rule);
    let mut conditions = findings.iter_mut().filter(|f| is_about(f) && f.remedy == Remedy::Merge).peekable();
    if conditions.peek().is_none() {
        return;
    }
    let left = outcome.to_decide();
    for finding in conditions {
        let field = finding.field.as_ref().map(|field| followed(outcome, finding.entity.as_deref(), field));
        let is_left = |left: &&FollowUp| {
            let other = &left.finding;
            let is_same_rule = || match left.name.strip_prefix(&format!("{RULE_BROKEN}/")).and_then(|rest| rest.split_once('/')) {
                Some((_, rule)) => finding.message.starts_with(&format!("the rule `{}` ", shown(rule))),
                None => {
                    field == other.field
                        && finding.role == other.role
                        && (field.is_some() || finding.role.is_some() || finding.pages == other.pages || finding.rule == SOURCE_BROKEN)
                }
            };
            other.rule == finding.rule && other.entity == finding.entity && is_same_rule()
        };
        if let Some(left) = left.iter().find(is_left) {
            finding.remedy = Remedy::Hand;
            finding.help = format!("after the merge, {}", left.finding.message);
        }
    }
}

/// What a field of today is called after the merge.
fn followed(outcome: &Outcome, entity: Option<&str>, field: &str) -> String {
    let own = outcome.renamed_fields.iter().find(|(of, from, _)| Some(of.as_str()) == entity && from == field);
    own.map_or_else(|| field.to_owned(), |(.., to)| to.clone())
}

/// Whether a break after a merge is the one there was before.
fn is_same(before: &Finding, after: &Finding, outcome: &Outcome) -> bool {
    let field = before.field.as_ref().map(|field| followed(outcome, before.entity.as_deref(), field));
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
    let field = followed(outcome, Some(entity), field);
    let under = |steps: &[Step]| matches!(steps, [Step::Key(a), Step::Key(f), Step::Key(k), ..] if a == "field" && *f == field && k == key);
    edit.element.file == FileKey::Entity(entity.clone()) && under(&edit.element.steps)
}
