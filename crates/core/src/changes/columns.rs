//! Differences of one column.

use super::tables::Tables;
use super::{Change, ChangeKind};
use crate::schema::Column;

impl Tables<'_> {
    pub(super) fn compare_columns(&self, before: &Column, after: &Column, out: &mut Vec<Change>) {
        if before == after {
            return;
        }
        let change = |kind| Change::of_column(kind, &self.before.name, &before.name);
        let (old, new) = (&before.column_type, &after.column_type);
        let same_type = if self.across { old.same_across_engines(new) } else { old == new };
        if !same_type {
            let mut changed = change(ChangeKind::TypeChanged).from_to(Some(old.shown_with_domain()), Some(new.shown_with_domain()));
            changed.relation = Some(old.relation(new));
            out.push(changed);
        }
        match (before.nullable, after.nullable) {
            (true, false) => out.push(change(ChangeKind::BecameRequired).from_to(Some("optional".into()), Some("NOT NULL".into()))),
            (false, true) => out.push(change(ChangeKind::BecameOptional).from_to(Some("NOT NULL".into()), Some("optional".into()))),
            _ => {}
        }
        if self.says_other(before.default.as_ref(), after.default.as_ref()) {
            out.push(change(ChangeKind::DefaultChanged).from_to(before.default.clone(), after.default.clone()));
        }
        let expression = |c: &Column| c.generated.as_ref().map(|g| g.expression.clone());
        let numbering = |c: &Column| match (c.auto, c.always) {
            (_, true) => Some("numbered by the database alone".to_owned()),
            (true, false) => Some("numbered by the database".to_owned()),
            (false, false) => {
                c.generated.as_ref().map(|g| format!("generated{}: {}", if g.stored { ", stored" } else { "" }, g.expression))
            }
        };
        let stored = |c: &Column| c.generated.as_ref().is_some_and(|g| g.stored);
        let modes = |c: &Column| (c.auto, c.always, !self.across && stored(c));
        if self.says_other(expression(before).as_ref(), expression(after).as_ref()) || modes(before) != modes(after) {
            out.push(change(ChangeKind::GeneratedChanged).from_to(numbering(before), numbering(after)));
        }
        if self.across {
            return;
        }
        if self.says_other(before.on_update.as_ref(), after.on_update.as_ref()) {
            out.push(change(ChangeKind::OnUpdateChanged).from_to(before.on_update.clone(), after.on_update.clone()));
        }
        // A column that became text or stopped being so changed its type, not its order.
        let collations = same_type || old.is_text() == new.is_text();
        if collations && before.collation != after.collation {
            out.push(change(ChangeKind::CollationChanged).from_to(before.collation.clone(), after.collation.clone()));
        }
        if before.comment != after.comment {
            out.push(change(ChangeKind::CommentChanged).from_to(before.comment.clone(), after.comment.clone()));
        }
    }
}
