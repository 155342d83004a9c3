//! A column holds values of another kind.

use super::shared::of_field;
use super::shared::{Subject, loses_precision, refused_types};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
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
    let refused = refused_types(context, &RULE, Severity::Break, |lost| {
        let field = match (&lost.used.why, &lost.used.need) {
            (Why::Field { field, .. } | Why::ChildField { field, .. }, _) => field,
            (Why::Display { named, .. }, Need::Ordered(_)) => named,
            _ => return None,
        };
        Some(Subject::new(format!("the database refuses this page for the new type of `{}`", shown(field))).of_field(field))
    });
    out.extend(refused.map(|finding| Finding { remedy: Remedy::Merge, ..finding }.settled_by(&["total", "kind"])));
    for met in context.met_fields(RULE.changes) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        if old.kind == new.kind || loses_precision(old, new) {
            continue;
        }
        let forms = context.forms(met.entity, met.field);
        // Without a choice, and without a lookup that turns it: what people type is what the database gets.
        let refused = new.enforced && met.field.choices.is_empty() && met.field.lookup.is_none() && new.refuses_every(&met.field.kind);
        let (severity, how) = match old.relation(new) {
            _ if refused && met.field.required && !forms.is_empty() => {
                (Severity::Break, ": the database refuses every value that the form accepts")
            }
            _ if refused => (Severity::Risk, ": the database refuses every value that the form accepts, except an empty one"),
            TypeRelation::Widened => (Severity::Note, ": every value fits"),
            _ => (Severity::Risk, ": the database may refuse or change some values"),
        };
        let message = format!("`{}` was {} and is {} now{how}", met.name(), old.shown_with_domain(), new.shown_with_domain());
        let pages = if severity == Severity::Break { forms } else { context.pages_with(met.entity, &met.field.name, |_| true) };
        out.push(of_field(&RULE, severity, &met, pages, message).settled_by(&["kind"]));
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
on sqlite
after keeper.born_on: integer
finds risk keeper/field.born_on: `born_on` was date and is integer now: the database may refuse or change some values

after keeper.born_on: integer
finds risk keeper/field.born_on: `born_on` was date and is integer now: the database refuses every value that the form accepts, except an empty one

after keeper.age: text
finds note keeper/field.age: `age` was integer and is text now: every value fits

after keeper.phone: text(30)
finds nothing
"#;
