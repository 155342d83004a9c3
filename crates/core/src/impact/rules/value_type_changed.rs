//! A column holds values of another kind.

use super::loses_precision;
use super::{Docs, Rule, of_field};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Remedy, Severity, What};
use crate::name::shown;
use crate::schema::TypeRelation;
use crate::statements::{Need, Why};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/type-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Form, ElementKind::Page, ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column's type changed in kind: a break where the database refuses a page's statement or every value that the form accepts, a risk where it may refuse or turn some, a note where all fit.",
    matters: "Forms, formats and validations are made for the old kind.",
    before: "kind = \"number\" for keeper.member_no",
    after: "the column became text",
    to_do: "The merge takes the kind the draft would give where nobody decided otherwise.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        let What::WrongType { table, column, with: None, operation, .. } = &lost.what else { continue };
        let field = match (&lost.used.why, &lost.used.need) {
            (Why::Field { field, .. } | Why::ChildField { field, .. }, _) => field,
            (Why::Display { named, .. }, Need::Ordered(_)) => named,
            _ => continue,
        };
        let message = format!("`{}` is of a kind now for which the database refuses this page: {}", shown(field), shown(operation));
        let cause = (context.cause_of_type(table, column), Remedy::Merge);
        let finding = Finding::new(RULE.name, Severity::Break, message).entity(&lost.entity.name).field(field).pages(lost.pages.clone());
        out.push(finding.at(&lost.used.place).because(cause).settled_by(&["total", "kind"]));
    }
    for met in context.met_fields(RULE.changes) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        if old.kind == new.kind || loses_precision(old, new) {
            continue;
        }
        let forms = context.forms(met.entity, met.field);
        // Without a choice, and without a lookup that turns it: what people type is what the database gets.
        let refused = new.enforced && met.field.choices.is_empty() && met.field.lookup.is_none() && new.refuses_every(&met.field.kind);
        let (severity, how) = match old.relation(new) {
            _ if refused && met.field.required && !forms.is_empty() => (Severity::Break, ": every value the form accepts is refused"),
            _ if refused => (Severity::Risk, ": every value the form accepts is refused, but none"),
            TypeRelation::Widened => (Severity::Note, "; every value fits"),
            _ => (Severity::Risk, "; some values are refused or turned"),
        };
        let message = format!("`{}` was {} and is {} now{how}", met.name(), old.shown_with_domain(), new.shown_with_domain());
        let pages = if severity == Severity::Break { forms } else { context.pages_with(met.entity, &met.field.name, |_| true) };
        out.push(of_field(&RULE, severity, &met, pages, message).settled_by(&["kind"]));
    }
}
