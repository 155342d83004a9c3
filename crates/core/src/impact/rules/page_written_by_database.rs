//! A form writes a column that the database writes itself.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity, What};
use crate::name::{same, shown};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/written-by-database",
    severity: Severity::Break,
    changes: &[ChangeKind::GeneratedChanged, ChangeKind::ColumnAdded],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "An add or edit page saves a column that is generated now.",
    matters: "The database refuses to be told the value: every save fails.",
    before: "the edit page of hive saves age",
    after: "age became GENERATED ALWAYS AS (…)",
    to_do: "The merge makes a drafted field read-only and takes it off the add page; a field placed by hand has to be taken off by hand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::Save, What::WrittenByDatabase { table, column }) = (&lost.used.why, &lost.what) {
            let field = lost.entity.fields.iter().find(|f| f.columns.iter().any(|c| same(&c.value, column)));
            let mut finding =
                Finding::new(RULE.name, RULE.severity, format!("nothing can be saved: the database generates `{}` itself", shown(column)))
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .at(&lost.used.place)
                    .help("make the field read-only, and take it off the add page")
                    .because((
                        context.cause(
                            table,
                            Some(column),
                            &[ChangeKind::GeneratedChanged, ChangeKind::ColumnAdded, ChangeKind::ColumnRenamed],
                        ),
                        Remedy::Merge,
                    ));
            finding.field = field.map(|f| f.name.clone());
            out.push(finding);
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.born_on: date generated age
finds break keeper/page.add: nothing can be saved: the database generates `born_on` itself
finds break keeper/page.edit: nothing can be saved: the database generates `born_on` itself

after keeper + decade integer generated age
finds nothing
"#;
