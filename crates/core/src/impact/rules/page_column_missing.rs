//! A field used on a page has no column any more.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/column-missing",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::ViewChanged,
    ],
    elements: &[ElementKind::Page, ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field that a page shows, searches, filters, sorts or saves has lost its column. Told once a page, with every place.",
    matters: "The database refuses the page's statement.",
    before: "the list of keepers shows and searches postcode",
    after: "keeper.postcode is called postal_code",
    to_do: "Answer whether it was renamed; the merge carries the field over, or sets it aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.what) {
        (Why::ChildField { entity, field, .. }, What::Column { .. } | What::Table { .. }) => {
            let subject = Subject::new(format!("the list of `{}` can't show `{}`", shown(entity), shown(field)));
            Some(Subject { places: vec!["child list".to_owned()], ..subject })
        }
        (Why::Field { field, .. }, What::Column { .. }) => {
            let mut places: Vec<String> = lost
                .uses
                .iter()
                .filter_map(|used| match &used.why {
                    Why::Field { spot, .. } => Some(spot.word().to_owned()),
                    _ => None,
                })
                .collect();
            places.dedup();
            Some(Subject { places, ..Subject::new(format!("field `{}` can't be read", shown(field))).of_field(field) })
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone -> mobile
finds break keeper/page.list.fields[1]: field `phone` can't be read: `keeper.phone` is `mobile` now
finds break keeper/page.detail.sections[0].fields[1]: field `phone` can't be read: `keeper.phone` is `mobile` now
finds break keeper/page.add.sections[0].fields[1]: field `phone` can't be read: `keeper.phone` is `mobile` now
finds break keeper/page.edit.sections[0].fields[1]: field `phone` can't be read: `keeper.phone` is `mobile` now
finds break region/page.detail.children[0].fields[1]: the list of `keeper` can't show `phone`: `keeper.phone` is `mobile` now

# A hidden field is on no page.
given keeper/field.phone.hidden = true
after drop keeper.phone
finds nothing

# On the list of children of another page.
given keeper/field.phone.hidden = true
after drop visit.note
finds break keeper/page.detail.children[0].fields[1]: the list of `visit` can't show `note`: `visit.note` is gone
finds break visit/page.list.fields[2]: field `note` can't be read: `visit.note` is gone
finds break visit/page.detail.sections[0].fields[2]: field `note` can't be read: `visit.note` is gone
finds break visit/page.add.sections[0].fields[2]: field `note` can't be read: `visit.note` is gone
finds break visit/page.edit.sections[0].fields[2]: field `note` can't be read: `visit.note` is gone

after keeper + shoe integer
finds nothing
"#;
