//! A page saves or deletes where the database takes no writes.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity, What};
use crate::name::{same, shown};
use crate::schema::{Operation, Refusal};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/not-writable",
    severity: Severity::Break,
    changes: &[
        ChangeKind::TableKindChanged,
        ChangeKind::TriggerDropped,
        ChangeKind::TriggerChanged,
        ChangeKind::TriggerAdded,
        ChangeKind::TableDropped,
        ChangeKind::UniqueDropped,
        ChangeKind::PrimaryKeyChanged,
        ChangeKind::ForeignKeyAdded,
        ChangeKind::ForeignKeyDropped,
        ChangeKind::ColumnDropped,
        ChangeKind::ViewChanged,
    ],
    elements: &[ElementKind::Form, ElementKind::Source],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A table became a view, a view lost the trigger that made it writable, a trigger names something gone, or a foreign key can't be followed any more.",
    matters: "The database refuses the statement before it runs: nothing can be saved or deleted.",
    before: "pages that add and edit harvests",
    after: "harvest became a view",
    to_do: "The merge makes an entity over a view read-only; broken triggers and keys have to be fixed in the database.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        let (Why::Save, What::Refused { table, operation, refusal }) = (&lost.used.why, &lost.what) else { continue };
        let verb = match operation {
            Operation::Insert => "added",
            Operation::Update => "changed",
            Operation::Delete => "deleted",
        };
        let keys = [
            ChangeKind::ForeignKeyAdded,
            ChangeKind::ForeignKeyDropped,
            ChangeKind::TableDropped,
            ChangeKind::UniqueDropped,
            ChangeKind::PrimaryKeyChanged,
            ChangeKind::ColumnDropped,
        ];
        let (reason, cause, remedy) = match refusal {
            Refusal::ReadOnlyView => {
                let cause =
                    context.cause(table, None, &[ChangeKind::TableKindChanged, ChangeKind::TriggerDropped, ChangeKind::TriggerChanged]);
                (format!("`{}` is a view", shown(table)), cause, Remedy::Merge)
            }
            Refusal::Trigger { trigger, message } => {
                let cause = context.cause(table, None, &[ChangeKind::TriggerAdded, ChangeKind::TriggerChanged]);
                (format!("trigger `{}` fails: {}", shown(trigger), shown(message)), cause, Remedy::Hand)
            }
            Refusal::TargetMissing { from, key } => {
                let cause = context.cause(&key.table, None, &[ChangeKind::TableDropped, ChangeKind::TableRenamed]);
                (
                    format!(
                        "the foreign key of `{}` over `{}` points at `{}`, which is gone",
                        shown(from),
                        key.columns.join(", "),
                        shown(&key.table)
                    ),
                    cause,
                    Remedy::Hand,
                )
            }
            Refusal::Mismatch { from, key } => {
                let cause = context.cause(&key.table, None, &keys).or_else(|| context.cause(from, None, &keys));
                (
                    format!(
                        "the foreign key of `{}` over `{}` doesn't fit the columns it points at in `{}`",
                        shown(from),
                        key.columns.join(", "),
                        shown(&key.table)
                    ),
                    cause,
                    Remedy::Hand,
                )
            }
        };
        // What hangs on the record is changed with it.
        let own = match refusal {
            Refusal::Mismatch { from, key } => same(from, table) || same(&key.table, table),
            Refusal::TargetMissing { from, .. } => same(from, table),
            _ => true,
        };
        let along = if own { "" } else { "the records that hang on it go along, and " };
        out.push(
            Finding::new(RULE.name, RULE.severity, format!("no record can be {verb}: {along}{reason}"))
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .at(&lost.used.place)
                .because((cause, remedy)),
        );
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# A view has taken the table's place.
on sqlite
after keeper -> keeper_table
after view keeper: id integer; last_name text(60); phone text(20); region_code text(8); born_on date; age integer = SELECT * FROM keeper_table
finds break keeper/page.list: no record can be deleted: `keeper` is a view
finds break keeper/page.add: no record can be added: `keeper` is a view
finds break keeper/page.edit: no record can be changed: `keeper` is a view
finds break keeper/page.bulk: no record can be changed: `keeper` is a view

# What it refers to is gone: SQLite refuses every write.
on sqlite
after drop region
finds break keeper/page.list: no record can be deleted: the foreign key of `keeper` over `region_code` points at `region`, which is gone
finds break keeper/page.add: no record can be added: the foreign key of `keeper` over `region_code` points at `region`, which is gone
finds break keeper/page.edit: no record can be changed: the foreign key of `keeper` over `region_code` points at `region`, which is gone
finds break keeper/page.bulk: no record can be changed: the foreign key of `keeper` over `region_code` points at `region`, which is gone

after broken trigger t on keeper: INSERT INTO nowhere VALUES (1)
finds break keeper/page.add: no record can be added: trigger `t` fails: no such table

after trigger t on keeper: UPDATE region SET active = 1
finds nothing
"#;
