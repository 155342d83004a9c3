//! The column that tells whether a record was changed meanwhile is gone.

use super::shared::{Subject, of_entity, refused_types, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Lost, Rule, Severity};
use crate::name::same;
use crate::schema::Kind;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/version-column-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TypeChanged],
    elements: &[ElementKind::Version],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The entity's `version` names a column that the changed schema doesn't have; a risk where its type no longer counts.",
    matters: "Forms can neither read nor save a record.",
    before: "version = \"row_version\"",
    after: "hive.row_version was dropped",
    to_do: "The merge carries a rename over; otherwise it sets `version` aside until the column returns, and two people can overwrite each other.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let subject = |lost: &Lost<'_>| (lost.used.why == Why::Version).then(|| Subject::new("the version can't be compared"));
    out.extend(refused_types(context, &RULE, RULE.severity, subject));
    // Numbers and moments can be told to be later; so can what the engine counts itself.
    let counts = |kind: Kind| matches!(kind, Kind::Integer | Kind::Decimal | Kind::Float | Kind::DateTime | Kind::Binary | Kind::Any);
    for met in context.met_entities(&[ChangeKind::TypeChanged]) {
        let Some(version) = &met.entity.version else { continue };
        let now = context.column_now(&met.before.name, &version.value).map(|c| &c.column_type);
        let own = met.change.column.as_deref().is_some_and(|c| same(c, &version.value));
        if let Some(now) = now.filter(|t| own && !counts(t.kind)) {
            let message = format!("the version column is {} now and counts nothing: changes may be overwritten", now.shown());
            out.push(of_entity(&RULE, Severity::Risk, &met, message).pages(met.entity.saving_pages()).at(&version.place));
        }
    }
    report_losses(context, &RULE, out, subject);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/version = "age"
after drop keeper.age
finds break keeper/version: the version can't be compared: `keeper.age` is gone

after drop keeper.age
finds nothing
"#;
