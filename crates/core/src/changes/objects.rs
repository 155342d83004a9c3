//! Differences of what a database has besides tables.

use super::difference::{Met, paired};
use super::tables::grants;
use super::{Change, ChangeKind};
use crate::rename::RenameMap;
use crate::schema::{CompositeType, DefaultGrant, Domain, Engine, EnumType, Event, Objects, RangeType, Routine, Sequence};
use crate::sql;

/// Added, dropped and changed.
type Kinds = (ChangeKind, ChangeKind, ChangeKind);

/// Compares all objects of two schemas of one engine.
pub(super) fn compare(before: &Objects, after: &Objects, engine: Engine, names: &RenameMap, out: &mut Vec<Change>) {
    let same_text = |a: &str, b: &str| sql::says_same(a, b, engine, |old, new| names.may_turn(old, new));
    kind(
        (ChangeKind::EnumAdded, ChangeKind::EnumDropped, ChangeKind::EnumChanged),
        (&before.enums, &after.enums),
        |e: &EnumType| e.name.clone(),
        |a, b| a == b,
        |e| e.values.join(", "),
        out,
    );
    kind(
        (ChangeKind::DomainAdded, ChangeKind::DomainDropped, ChangeKind::DomainChanged),
        (&before.domains, &after.domains),
        |d: &Domain| d.name.clone(),
        |a, b| {
            let texts = |d: &Domain| (d.default.clone().unwrap_or_default(), d.checks.join(" AND "));
            let ((da, ca), (db, cb)) = (texts(a), texts(b));
            a.name == b.name && a.base == b.base && a.required == b.required && same_text(&da, &db) && same_text(&ca, &cb)
        },
        |d| {
            let default = d.default.as_ref().map_or(String::new(), |d| format!(" default {d}"));
            let checks: String = d.checks.iter().map(|c| format!(" check ({c})")).collect();
            format!("{}{}{default}{checks}", d.base.shown(), if d.required { " NOT NULL" } else { "" })
        },
        out,
    );
    kind(
        (ChangeKind::CompositeAdded, ChangeKind::CompositeDropped, ChangeKind::CompositeChanged),
        (&before.composites, &after.composites),
        |c: &CompositeType| c.name.clone(),
        |a, b| a == b,
        |c| c.parts.join(", "),
        out,
    );
    kind(
        (ChangeKind::RangeAdded, ChangeKind::RangeDropped, ChangeKind::RangeChanged),
        (&before.ranges, &after.ranges),
        |r: &RangeType| r.name.clone(),
        |a, b| a == b,
        |r| format!("range of {}", r.over),
        out,
    );
    let counts = |s: &Sequence| (s.name.clone(), s.of.clone(), s.start, s.step, s.least, s.greatest, s.cycles);
    kind(
        (ChangeKind::SequenceAdded, ChangeKind::SequenceDropped, ChangeKind::SequenceChanged),
        (&before.sequences, &after.sequences),
        |s: &Sequence| s.name.clone(),
        |a, b| counts(a) == counts(b),
        |s| format!("from {} by {}, {} to {}{}", s.start, s.step, s.least, s.greatest, if s.cycles { ", cycling" } else { "" }),
        out,
    );
    kind(
        (ChangeKind::RoutineAdded, ChangeKind::RoutineDropped, ChangeKind::RoutineChanged),
        (&before.routines, &after.routines),
        |r: &Routine| r.name.clone(),
        |a, b| {
            let rest =
                |r: &Routine| (r.signature(), r.kind.clone(), r.returns.clone(), r.result.clone(), r.language.clone(), r.options.clone());
            // A body that a user may not see says nothing.
            let unseen = a.body.is_empty() || b.body.is_empty();
            rest(a) == rest(b) && a.owner == b.owner && (unseen || a.body == b.body || same_text(&a.body, &b.body))
        },
        |r| {
            let returns = r.returns.as_ref().map_or(String::new(), |t| format!(" returns {t}"));
            let options = if r.options.is_empty() { String::new() } else { format!(", {}", r.options.join(", ")) };
            format!("{} {}{returns}{options}", r.kind, r.signature())
        },
        out,
    );
    kind(
        (ChangeKind::EventAdded, ChangeKind::EventDropped, ChangeKind::EventChanged),
        (&before.events, &after.events),
        |e: &Event| e.name.clone(),
        |a, b| (&a.name, &a.schedule, a.off) == (&b.name, &b.schedule, b.off) && (a.body == b.body || same_text(&a.body, &b.body)),
        |e| format!("{}{}", e.schedule, if e.off { ", switched off" } else { "" }),
        out,
    );
    let changed = ChangeKind::DefaultGrantsChanged;
    kind(
        (changed, changed, changed),
        (&before.default_grants, &after.default_grants),
        |g: &DefaultGrant| format!("new {} of {}", g.on, g.owner),
        |a, b| a == b,
        |g| g.grant.shown(),
        out,
    );
    for routine in &after.routines {
        if let Some(old) = before.routines.iter().find(|r| r.signature() == routine.signature()) {
            grants(&routine.name, &old.grants, &routine.grants, out);
        }
    }
    for sequence in &after.sequences {
        if let Some(old) = before.sequences.iter().find(|s| s.name == sequence.name) {
            grants(&sequence.name, &old.grants, &sequence.grants, out);
        }
    }
}

fn kind<T>(
    kinds: Kinds,
    (before, after): (&[T], &[T]),
    name: impl Fn(&T) -> String,
    same: impl Fn(&T, &T) -> bool,
    shown: impl Fn(&T) -> String,
    out: &mut Vec<Change>,
) {
    let text = |item: &T| Some(shown(item)).filter(|t| !t.is_empty());
    paired(before, after, &name, same, |met| {
        out.push(match met {
            Met::Gone(item) => Change::of_object(kinds.1, "", &name(item)).from_to(text(item), None),
            Met::New(item) => Change::of_object(kinds.0, "", &name(item)).from_to(None, text(item)),
            Met::Both(a, b) => Change::of_object(kinds.2, "", &name(b)).from_to(text(a), text(b)),
        });
    });
}
