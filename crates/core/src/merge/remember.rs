//! What is remembered after a merge.

use super::edit::Editor;
use super::memory::{Fact, Gone, Left, Memory, Part, Thing};
use super::outcome::Input;
use super::returns::Scene;
use crate::changes::Comparison;
use crate::rename::RenameMap;
use crate::schema::Schema;

/// Brings the memory up to date: new facts in, facts that hold again out.
///
/// What came back under a name it had before is renamed by that: what still waits may name it.
pub(super) fn remember(
    memory: &mut Memory,
    scene: &Scene<'_>,
    things: &[Thing],
    restricted: &[(String, String)],
    yours: &Editor,
    stored: &Editor,
) {
    let taken_over: Vec<Thing> = memory.gone.iter().map(|g| g.thing.clone()).filter(|t| t.is_in(scene.carried)).collect();
    memory.gone.retain(|g| !g.thing.is_in(scene.changed) || taken_over.iter().any(|t| t.same(&g.thing)));
    let left = memory.gone.iter().map(|g| g.left).max().unwrap_or(0) + 1;
    for thing in things {
        if let Some(shape) = scene.accepted.table(&thing.table).filter(|_| !memory.gone.iter().any(|g| g.thing.same(thing))) {
            memory.gone.push(Gone { thing: thing.clone(), shape: shape.clone(), left, restricted: restricted.to_vec() });
        }
    }
    memory.next = yours.next.max(stored.next);
    // A value that a person has changed since no longer waits for the draft or a limit.
    let alive = |editor: &Editor, part: &Part| {
        let in_what_is_away =
            || editor.parts.iter().any(|p| p.id != part.id && p.left == Left::Absent && part.element.is_within(&p.element));
        matches!(part.fact, Fact::Needs(_) | Fact::Container)
            || in_what_is_away()
            || editor.replaced(&part.element).or(editor.removed(&part.element)).is_some_and(|p| p.id == part.id)
    };
    memory.parts = yours.parts.iter().filter(|p| alive(yours, p)).cloned().collect();
    // The draft's own parts are kept alike, so that what is away stands in the same order on both sides.
    memory.draft_parts = stored.parts.iter().filter(|p| alive(stored, p)).cloned().collect();
    let returned = &scene.returning.names;
    if !returned.is_empty() {
        memory.rename(returned);
        memory.gone.retain(|g| !g.thing.is_in(scene.changed) || taken_over.iter().any(|t| t.same(&g.thing)));
        memory.renames.push(returned.clone());
    }
}

/// What was measured of the data stays known until it is measured anew; and where nothing changed, the catalogue's
/// numbers alone, which move when a database is restored, are no reason to write.
pub(super) fn keep_what_was_known(input: &Input<'_>, taken: &RenameMap, comparison: &Comparison, accepted: &mut Schema) {
    if accepted.fingerprints.is_empty() {
        let known = input.accepted.fingerprints.iter().map(|f| {
            let (table, column) = (taken.table(&f.table).to_owned(), taken.column(&f.table, &f.column).to_owned());
            crate::schema::Fingerprint { table, column, ..f.clone() }
        });
        accepted.fingerprints = known.filter(|f| accepted.column(&f.table, &f.column).is_some()).collect();
        accepted.fingerprints.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
    }
    let same = comparison.changes.is_empty()
        && accepted.tables == input.accepted.tables
        && accepted.objects == input.accepted.objects
        && accepted.outside == input.accepted.outside;
    if same {
        accepted.catalogue.clone_from(&input.accepted.catalogue);
    }
}
