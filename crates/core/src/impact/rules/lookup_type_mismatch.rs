//! A lookup compares values of two kinds.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, MetField, Remedy, Rule, Severity, What};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/type-mismatch",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Lookup, ElementKind::Related],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The column of a lookup and the column it points at are of kinds that don't compare: a break where the engine refuses the comparison, else a risk.",
    matters: "PostgreSQL refuses every page that joins them; other engines compare what they make of the values, and find nothing or the wrong record.",
    before: "apiary.region_id and region.id are integers",
    after: "region.id became text",
    to_do: "Have both columns changed alike.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        let What::WrongType { table, column, with: Some(with), operation, .. } = &lost.what else { continue };
        let cause = context.cause_of_type(table, column).or_else(|| context.cause_of_type(&with.0, &with.1));
        let message = format!(
            "`{}.{}` and `{}.{}` can't be compared any more: {}",
            shown(table),
            shown(column),
            shown(&with.0),
            shown(&with.1),
            shown(operation)
        );
        let mut finding =
            Finding::new(RULE.name, Severity::Break, message).entity(&lost.entity.name).pages(lost.pages.clone()).at(&lost.used.place);
        finding.field = lost.used.why.field().map(str::to_owned);
        out.push(finding.because((cause, Remedy::Hand)));
    }
    if context.changed().engine.tells_types() {
        return;
    }
    for met in context.met_fields(&[ChangeKind::TypeChanged]) {
        report(context, &met, &met, out);
        for (entity, field) in context.lookups_to(&met.entity.name) {
            report(context, &MetField { entity, field, ..met }, &met, out);
        }
    }
}

/// Reports a lookup whose two ends were of one kind and aren't now.
fn report(context: &Context<'_>, at: &MetField<'_>, met: &MetField<'_>, out: &mut Vec<Finding>) {
    let Some(lookup) = &at.field.lookup else { return };
    let Some(target) = context.model.entities.get(&lookup.entity.value) else { return };
    let value = target.referenced(&lookup.value);
    for (own, there) in at.field.columns.iter().zip(value) {
        let here = &at.entity.table.value;
        let (from, to) =
            (context.input.accepted.column(here, &own.value), context.input.accepted.column(&target.table.value, &there.value));
        let (Some(from), Some(to)) = (from, to) else { continue };
        let now = context.column_now(here, &own.value).zip(context.column_now(&target.table.value, &there.value));
        let Some((now_from, now_to)) = now else { continue };
        let concerned = [&from.name, &to.name].iter().any(|name| same(name, &met.before.name));
        if concerned && from.column_type.compares_with(&to.column_type) && !now_from.column_type.compares_with(&now_to.column_type) {
            let message = format!(
                "lookup `{}` compares {} with {}: it finds nothing, or the wrong record",
                shown(&at.field.name),
                now_from.column_type.shown(),
                now_to.column_type.shown()
            );
            let pages = context.pages_with(at.entity, &at.field.name, |_| true);
            out.push(of_field(&RULE, RULE.severity, at, pages, message));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
on sqlite
after region.code: integer required
finds risk keeper/field.region_code: lookup `region_code` compares text(8) with integer: it finds nothing, or the wrong record

after region.code: integer required
finds break keeper/field.region_code.lookup.value[0]: `keeper.region_code` and `region.code` can't be compared any more: text(8) = integer
finds break region/page.detail.children[0].by: `keeper.region_code` and `region.code` can't be compared any more: text(8) = integer

after region.code: text(9) required
finds nothing

# The column has the same name at both ends.
before region.code -> region_code
after region.region_code: integer required
finds break keeper/field.region_code.lookup.value[0]: `keeper.region_code` and `region.region_code` can't be compared any more: text(8) = integer
finds break region/page.detail.children[0].by: `keeper.region_code` and `region.region_code` can't be compared any more: text(8) = integer
"#;
