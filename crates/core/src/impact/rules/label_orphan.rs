//! A label or menu entry speaks of what is gone.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "label/orphan",
    severity: Severity::Note,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TableDropped, ChangeKind::TableRenamed],
    elements: &[ElementKind::Label, ElementKind::Menu],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A hand-written label belongs to a field whose column is gone (note), or a menu entry opens an entity whose table is gone (break).",
    matters: "The label is worth keeping for when the column returns; a menu entry that opens nothing fails when used.",
    before: "label = \"Yard\" for apiary in the menu",
    after: "the table apiary was dropped",
    to_do: "Nothing: the merge sets it aside with what it hung on, and puts it back when that returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entity in context.entities() {
        let table = &entity.table.value;
        if context.changed().table(table).is_none() {
            for item in context.model.app.menu.iter().flat_map(|g| &g.items) {
                if item.value.split('/').next() == Some(entity.name.as_str()) {
                    out.push(
                        Finding::new(RULE.name, Severity::Break, format!("the menu opens `{}`", shown(&item.value)))
                            .with_fate(&context.fate(table, None))
                            .entity(&entity.name)
                            .at(&item.place)
                            .because(context.cause_of_loss(table, None)),
                    );
                }
            }
            continue;
        }
        for field in &entity.fields {
            // What a query of a person's own gives needs no column of the table.
            let results = entity.source.select.as_ref().and_then(|select| context.results.get(select.value.as_str())?.as_ref());
            let is_given = |column: &str| results.is_some_and(|results| results.iter().any(|c| same(&c.name, column)));
            let gone =
                field.columns.iter().find(|c| context.changed().table(table).is_some_and(|t| t.broken.is_none() && !t.reads(&c.value)));
            // A label that moves along with a new name is no orphan.
            let gone = gone.filter(|c| !is_given(&c.value) && same(context.name_now(table, &c.value), &c.value));
            if let (Some(label), Some(column)) = (&field.label, gone) {
                out.push(
                    Finding::new(RULE.name, RULE.severity, format!("the label \"{}\" belongs to a lost column", shown(&label.value)))
                        .with_fate(&context.fate(table, Some(&column.value)))
                        .entity(&entity.name)
                        .field(&field.name)
                        .at(&label.place)
                        .because(context.cause_of_loss(table, Some(&column.value))),
                );
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# A label that a person wrote goes with its column.
given keeper/field.phone.label = "Call"
after drop keeper.phone
finds note keeper/field.phone.label: the label "Call" belongs to a lost column: `keeper.phone` is gone

# The menu still offers it.
after drop grown_up
finds break app/menu[1].items[0] of grown_up: the menu opens `grown_up`: `grown_up` is gone

# The query gives it, whatever the table has.
given keeper/source = { select = "SELECT k.*, upper(k.last_name) AS loud FROM keeper k" }
given keeper/field.loud = { column = "loud", kind = "text", label = "Loud", read_only = true }
after drop keeper.phone
finds nothing

# A drafted label is no loss.
after drop keeper.phone
finds nothing
"#;
