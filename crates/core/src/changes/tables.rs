//! Differences of one table or view.

use super::difference::{Met, difference, paired};
use super::{Change, ChangeKind};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::{Check, Column, ForeignKey, Grant, Index, Policy, Schema, Table, TableKind, Trigger, Unique};
use crate::sql;

/// Two states of one table.
pub(super) struct Tables<'a> {
    pub accepted: &'a Schema,
    pub changed: &'a Schema,
    /// The renames, and the way back.
    pub names: &'a RenameMap,
    pub back: &'a RenameMap,
    pub before: &'a Table,
    pub after: &'a Table,
    /// Whether the two are on different engines: then only what both have in common counts.
    pub across: bool,
}

impl Tables<'_> {
    pub fn compare(&self, out: &mut Vec<Change>) {
        if self.before.is(self.after) {
            return;
        }
        let table = &self.before.name;
        if self.before.kind != self.after.kind {
            let word = |t: &Table| Some(t.kind.word().to_owned());
            out.push(Change::of_table(ChangeKind::TableKindChanged, table).from_to(word(self.before), word(self.after)));
        }
        if self.after.broken.is_some() {
            // Its columns aren't gone one by one: the whole view can't be read.
            if self.before.broken.is_none() {
                out.push(Change::of_table(ChangeKind::ViewBroken, table).from_to(None, self.after.broken.clone()));
            }
            return;
        }
        for before in &self.before.columns {
            match self.after.column(self.names.column(table, &before.name)) {
                Some(after) => self.compare_columns(before, after, out),
                None => out.push(Change::of_column(ChangeKind::ColumnDropped, table, &before.name).from_to(Some(described(before)), None)),
            }
        }
        for after in &self.after.columns {
            let origin = self.before.column(self.back.column(&self.after.name, &after.name));
            if origin.is_none_or(|before| !name::same(self.names.column(table, &before.name), &after.name)) {
                out.push(Change::of_column(ChangeKind::ColumnAdded, table, &after.name).from_to(None, Some(described(after))));
            }
        }
        let carried = self.names.applied_to_table(self.before);
        self.compare_keys(&carried, out);
        if self.across {
            return;
        }
        self.compare_rest(&carried, out);
        self.compare_rights(&carried, out);
        let views = self.before.kind == TableKind::View && self.after.kind == TableKind::View;
        if views && self.says_other(self.before.definition.as_ref(), self.after.definition.as_ref()) {
            let text = |t: &Table| t.definition.clone();
            out.push(Change::of_table(ChangeKind::ViewChanged, table).from_to(text(self.before), text(self.after)));
        }
        self.compare_options(out);
    }

    fn report(&self, kinds: (ChangeKind, ChangeKind), gone: bool, text: String, out: &mut Vec<Change>) {
        let change = Change::of_table(if gone { kinds.1 } else { kinds.0 }, &self.before.name);
        out.push(if gone { change.from_to(Some(text), None) } else { change.from_to(None, Some(text)) });
    }

    fn compare_keys(&self, carried: &Table, out: &mut Vec<Change>) {
        let table = &self.before.name;
        let folded = |columns: &[String]| -> Vec<String> { columns.iter().map(|c| name::fold(c)).collect() };
        if folded(&carried.primary_key) != folded(&self.after.primary_key) {
            out.push(
                Change::of_table(ChangeKind::PrimaryKeyChanged, table)
                    .from_to(Some(self.before.primary_key.join(", ")), Some(self.after.primary_key.join(", "))),
            );
        }
        let same_key = |a: &ForeignKey, b: &ForeignKey| {
            let target = self.changed.table(&b.table).or_else(|| self.accepted.table(&b.table));
            a.means(b, target)
        };
        difference(&carried.foreign_keys, &self.after.foreign_keys, same_key, |key, gone| {
            self.report((ChangeKind::ForeignKeyAdded, ChangeKind::ForeignKeyDropped), gone, key.shown(), out);
        });
        let same_unique = |a: &Unique, b: &Unique| {
            let set = |u: &Unique| {
                let mut c = folded(&u.columns);
                c.sort();
                c
            };
            let modes = |u: &Unique| (u.nulls_not_distinct, u.deferrable);
            (self.across || modes(a) == modes(b)) && set(a) == set(b)
        };
        difference(&carried.uniques, &self.after.uniques, same_unique, |unique, gone| {
            self.report((ChangeKind::UniqueAdded, ChangeKind::UniqueDropped), gone, unique.shown(), out);
        });
    }

    fn compare_rest(&self, carried: &Table, out: &mut Vec<Change>) {
        let table = &self.before.name;
        let same_check = |a: &Check, b: &Check| a.not_valid == b.not_valid && !self.says_other(Some(&a.expression), Some(&b.expression));
        difference(&carried.checks, &self.after.checks, same_check, |check, gone| {
            let text = format!(
                "{}{}",
                sql::readable(&check.expression, self.after.engine),
                if check.not_valid { " (not for records that were there before)" } else { "" }
            );
            self.report((ChangeKind::CheckAdded, ChangeKind::CheckDropped), gone, text, out);
        });
        let same_exclusion = |a: &String, b: &String| !self.says_other(Some(a), Some(b));
        difference(&carried.exclusions, &self.after.exclusions, same_exclusion, |exclusion, gone| {
            self.report((ChangeKind::ExclusionAdded, ChangeKind::ExclusionDropped), gone, exclusion.clone(), out);
        });
        let same_index = |a: &Index, b: &Index| {
            let rest = |i: &Index| (i.unique, i.method.clone(), folded_all(&i.carries), i.parts.len());
            let parts = || {
                a.parts.iter().zip(&b.parts).all(|(a, b)| {
                    a.column.as_deref().map(name::fold) == b.column.as_deref().map(name::fold)
                        && a.order == b.order
                        && !self.says_other(a.expression.as_ref(), b.expression.as_ref())
                })
            };
            rest(a) == rest(b) && parts() && !self.says_other(a.condition.as_ref(), b.condition.as_ref())
        };
        difference(&carried.indexes, &self.after.indexes, same_index, |index, gone| {
            // MariaDB keeps an index for each foreign key, and keeps it when the key goes.
            let of_key = |t: &Table| {
                t.foreign_keys.iter().any(|k| {
                    index.parts.len() == k.columns.len()
                        && index.parts.iter().zip(&k.columns).all(|(p, c)| p.column.as_deref().is_some_and(|p| name::same(p, c)))
                })
            };
            if self.after.engine.is_mysql_like() && of_key(carried) != of_key(self.after) {
                return;
            }
            let kind = if gone { ChangeKind::IndexDropped } else { ChangeKind::IndexAdded };
            let change = Change::of_object(kind, table, &index.name);
            out.push(if gone { change.from_to(Some(index.shown()), None) } else { change.from_to(None, Some(index.shown())) });
        });
        let same_trigger = |a: &Trigger, b: &Trigger| {
            name::same(&a.name, &b.name)
                && a.off == b.off
                && a.broken.is_some() == b.broken.is_some()
                && !self.says_other(Some(&a.definition), Some(&b.definition))
        };
        let by_name = |t: &Trigger| name::fold(&t.name);
        paired(&self.before.triggers, &self.after.triggers, by_name, same_trigger, |met| {
            out.push(match met {
                Met::Gone(t) => Change::of_object(ChangeKind::TriggerDropped, table, &t.name).from_to(Some(t.name.clone()), None),
                Met::New(t) => Change::of_object(ChangeKind::TriggerAdded, table, &t.name).from_to(None, Some(t.name.clone())),
                Met::Both(a, b) => Change::of_object(ChangeKind::TriggerChanged, table, &b.name).from_to(Some(state(a)), Some(state(b))),
            });
        });
        let partition = |t: &str, kind| Change::of_object(kind, table, t);
        difference(
            &carried.partitions,
            &self.after.partitions,
            |a, b| !self.says_other(Some(a), Some(b)),
            |p, gone| {
                out.push(partition(p, if gone { ChangeKind::PartitionDropped } else { ChangeKind::PartitionAdded }));
            },
        );
    }

    fn compare_rights(&self, carried: &Table, out: &mut Vec<Change>) {
        let table = &self.before.name;
        let same_policy = |a: &Policy, b: &Policy| {
            let rest = |p: &Policy| (p.name.clone(), p.command.clone(), p.restrictive, p.roles.clone());
            rest(a) == rest(b)
                && !self.says_other(a.sees.as_ref(), b.sees.as_ref())
                && !self.says_other(a.writes.as_ref(), b.writes.as_ref())
        };
        let by_name = |p: &Policy| p.name.clone();
        let shown = |p: &Policy| Some(p.shown(&|text| sql::readable(text, self.after.engine)));
        paired(&carried.policies, &self.after.policies, by_name, same_policy, |met| {
            out.push(match met {
                Met::Gone(p) => Change::of_object(ChangeKind::PolicyDropped, table, &p.name).from_to(shown(p), None),
                Met::New(p) => Change::of_object(ChangeKind::PolicyAdded, table, &p.name).from_to(None, shown(p)),
                Met::Both(a, b) => Change::of_object(ChangeKind::PolicyChanged, table, &b.name).from_to(shown(a), shown(b)),
            });
        });
        if self.before.row_security != self.after.row_security {
            let word = |t: &Table| Some(t.row_security.word().to_owned());
            out.push(Change::of_table(ChangeKind::RowSecurityChanged, table).from_to(word(self.before), word(self.after)));
        }
        grants(table, &carried.grants, &self.after.grants, out);
        if self.before.owner != self.after.owner {
            out.push(Change::of_table(ChangeKind::OwnerChanged, table).from_to(self.before.owner.clone(), self.after.owner.clone()));
        }
    }

    fn compare_options(&self, out: &mut Vec<Change>) {
        let table = &self.before.name;
        let mut aspect = |kind, before: Option<String>, after: Option<String>| {
            if before != after {
                out.push(Change::of_table(kind, table).from_to(before, after));
            }
        };
        if self.before.kind == self.after.kind {
            let options = |t: &Table| {
                let mut all = t.options.clone();
                all.extend(t.strict.then(|| "STRICT".to_owned()));
                all.extend((t.without_rowid && t.kind == TableKind::Table).then(|| "WITHOUT ROWID".to_owned()));
                all.extend(t.materialised.then(|| "materialised".to_owned()));
                (!all.is_empty()).then(|| all.join(", "))
            };
            aspect(ChangeKind::OptionsChanged, options(self.before), options(self.after));
        }
        aspect(ChangeKind::CollationChanged, self.before.collation.clone(), self.after.collation.clone());
        aspect(ChangeKind::CommentChanged, self.before.comment.clone(), self.after.comment.clone());
        if self.says_other(self.before.partitioned_by.as_ref(), self.after.partitioned_by.as_ref()) {
            aspect(ChangeKind::PartitioningChanged, self.before.partitioned_by.clone(), self.after.partitioned_by.clone());
        }
        let parents = |tables: &[String]| (!tables.is_empty()).then(|| tables.join(", "));
        let carried: Vec<String> = self.before.inherits.iter().map(|t| self.names.table(t).to_owned()).collect();
        aspect(ChangeKind::InheritanceChanged, parents(&carried), parents(&self.after.inherits));
    }

    /// Whether two SQL texts differ in more than spelling and renamed names. Across engines texts say nothing.
    pub(super) fn says_other(&self, before: Option<&String>, after: Option<&String>) -> bool {
        match (before, after) {
            (Some(before), Some(after)) => {
                !self.across
                    && before != after
                    && !sql::says_same(before, after, self.after.engine, |old, new| self.names.may_turn(old, new))
            }
            (before, after) => before.is_some() != after.is_some(),
        }
    }
}

/// A column in a few words: type, NOT NULL, default.
fn described(column: &Column) -> String {
    let mut text = column.column_type.shown_with_domain();
    if !column.nullable {
        text.push_str(" NOT NULL");
    }
    if let Some(default) = &column.default {
        text.push_str(&format!(" DEFAULT {default}"));
    }
    if column.generated.is_some() {
        text.push_str(" generated");
    }
    text
}

fn folded_all(columns: &[String]) -> Vec<String> {
    columns.iter().map(|c| name::fold(c)).collect()
}

fn state(trigger: &Trigger) -> String {
    match (&trigger.broken, trigger.off) {
        (Some(message), _) => format!("broken: {message}"),
        (None, true) => "switched off".to_owned(),
        (None, false) => trigger.definition.clone(),
    }
}

/// Grants that came, went or changed.
pub(super) fn grants(object: &str, before: &[Grant], after: &[Grant], out: &mut Vec<Change>) {
    let same = |a: &Grant, b: &Grant| (&a.to, &a.privileges, folded_all(&a.columns)) == (&b.to, &b.privileges, folded_all(&b.columns));
    let by_role = |g: &Grant| (g.to.clone(), folded_all(&g.columns));
    paired(before, after, by_role, same, |met| {
        out.push(match met {
            Met::Gone(g) => Change::of_object(ChangeKind::GrantDropped, object, &g.to).from_to(Some(g.shown()), None),
            Met::New(g) => Change::of_object(ChangeKind::GrantAdded, object, &g.to).from_to(None, Some(g.shown())),
            Met::Both(a, b) => Change::of_object(ChangeKind::GrantChanged, object, &b.to).from_to(Some(a.shown()), Some(b.shown())),
        });
    });
}
