//! Merges without files: a definition as kept, merged into one state of a database after another.
//!
//! Cases of merges say what stands in the definition afterwards, and what is asked:
//!
//! ```text
//! given keeper/field.phone.label = "Call"
//! after keeper.phone -> mobile
//! then keeper/field.phone.column = "mobile"
//! then keeper/field.phone.max_length gone
//! asks new-field/keeper.shoe
//! ```
//!
//! The way back has to give everything back, whatever a case says.

use super::case::{Case, cases, said};
use super::definition::{ROLE, is_as_said, there, written};
use crate::definition::{Asleep, FileKey, Node, Sleeper, Tree, Value, validate};
use crate::draft::Conventions;
use crate::merge::{FieldNaming, Identities, MergeInput, NewFields, Outcome, Tile, Whole, merge, reached, safe_merge};
use crate::rename::RenamePolicy;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Arc;

/// What a workspace keeps between merges.
#[derive(Clone)]
pub struct Kept {
    pub whole: Whole,
    pub known: Identities,
    pub accepted: Schema,
    /// Files that nothing is remembered of.
    fresh: BTreeSet<FileKey>,
}

impl Kept {
    /// A definition that was never merged.
    pub fn new(mut tree: Tree, accepted: Schema) -> Kept {
        let mut tiles = vec![Tile::default()];
        tree.files.iter_mut().for_each(|(_, root)| number(root, &mut tiles));
        let fresh = tree.files.keys().cloned().collect();
        let known = Identities { start_role: Some(ROLE.to_owned()), ..Identities::default() };
        Kept { whole: Whole { tree, tiles }, known, accepted, fresh }
    }

    /// A merge, with the safe answer to all that isn't answered.
    pub fn merged(&self, changed: &Schema, answers: &BTreeMap<String, String>) -> Outcome {
        let (deleted, conventions) = (BTreeSet::new(), Conventions::default());
        let input = MergeInput {
            whole: &self.whole,
            deleted: &deleted,
            renamed: &[],
            set_apart: &[],
            fresh: &self.fresh,
            known: &self.known,
            accepted: &self.accepted,
            changed,
            answers,
            conventions: &conventions,
            speaks_of_before: false,
            renames: RenamePolicy::Certain,
            new_fields: NewFields::Ask,
            field_names: FieldNaming::Keep,
        };
        let answers = safe_merge(&input).0;
        merge(&MergeInput { answers: &answers, ..input })
    }

    /// What the next merge begins with.
    pub fn after(&self, outcome: &Outcome) -> Kept {
        let mut whole = outcome.whole.clone();
        let Whole { tree, tiles } = &mut whole;
        tree.files.values().for_each(|root| settle(root, false, tiles));
        Kept { whole, known: outcome.known.clone(), accepted: outcome.accepted.clone(), fresh: BTreeSet::new() }
    }
}

/// Runs cases of what a look leaves closed: `closed visit grown_up`, or `closed` alone for nothing.
pub fn closed_as_said(text: &str) {
    for text in cases(text) {
        let expected = text.lines().find_map(|line| line.trim().strip_prefix("closed")).expect("a case says what stays closed");
        let case = Case::read(text);
        let part = within_reach(&case.tree, &case.before, case.after.as_ref().unwrap_or(&case.before), &BTreeSet::new());
        let closed: Vec<&str> = part.asleep.iter().map(|(entity, _)| entity).collect();
        assert_eq!(closed, expected.split_whitespace().collect::<Vec<_>>(), "{text}");
    }
}

/// The definition as a look at a change opens it, which tells of `told` whatever changes.
pub fn within_reach(tree: &Tree, accepted: &Schema, changed: &Schema, told: &BTreeSet<String>) -> Tree {
    let whole = Kept::new(tree.clone(), accepted.clone()).whole;
    let all: BTreeMap<String, Arc<Sleeper>> =
        tree.entities().filter_map(|(entity, _)| Some((entity.to_owned(), Arc::new(whole.sleeper(entity)?.0)))).collect();
    let closed: BTreeSet<String> = all.keys().filter(|entity| !told.contains(*entity)).cloned().collect();
    let Some(open) = reached(&all, (&BTreeSet::new(), &closed), accepted, changed) else { return tree.clone() };
    let is_open = |file: &FileKey| *file == FileKey::App || open.contains(file.name());
    let files = tree.files.iter().filter(|(file, _)| is_open(file)).map(|(file, node)| (file.clone(), node.clone()));
    let asleep = all.into_iter().filter(|(entity, _)| !open.contains(entity)).collect();
    Tree { files: files.collect(), asleep: Asleep::new(asleep) }
}

fn number(node: &mut Node, tiles: &mut Vec<Tile>) {
    node.tile = u32::try_from(tiles.len()).unwrap_or(u32::MAX);
    tiles.push(Tile::default());
    match &mut node.value {
        Value::Table(entries) => entries.iter_mut().for_each(|e| number(&mut e.node, tiles)),
        Value::List(items) => items.iter_mut().for_each(|item| number(item, tiles)),
        _ => {}
    }
}

/// Keeps of a tile what a list of the kept text keeps.
fn settle(node: &Node, around: bool, tiles: &mut [Tile]) {
    let Some(tile) = tiles.get_mut(node.tile as usize) else { return };
    let is_hidden = around || tile.is_hidden();
    *tile =
        Tile { was_hidden: is_hidden, touched: false, gone: false, is_back: false, empty: false, because: String::new(), ..tile.clone() };
    node.entries().iter().for_each(|e| settle(&e.node, is_hidden, tiles));
    node.items().iter().for_each(|item| settle(item, is_hidden, tiles));
}

/// Holds the draft of each case against what the case says.
pub fn draft_as_said(text: &str) {
    let mut wrong = String::new();
    for case in cases(text) {
        let tree = Case::read(case).tree;
        assert!(said(case, "then").next().is_some(), "a case says nothing of its draft:\n{case}");
        for line in said(case, "then").filter(|line| !is_as_said(&tree, line)) {
            let _ = write!(wrong, "\n{case}\nbut not so: {line}; it is {}\n", there(&tree, line));
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// Merges each case and holds what comes of it against what the case says.
pub fn merge_as_said(text: &str) {
    let wrong = merged_otherwise(text);
    assert!(wrong.is_empty(), "{wrong}");
}

/// What comes of cases otherwise than they say. Besides, every merge has to be sound, a second one does nothing, and the way back
/// gives everything back.
pub fn merged_otherwise(text: &str) -> String {
    let mut wrong = String::new();
    for case in cases(text) {
        let Case { before, after: Some(after), tree, answers, .. } = Case::read(case) else {
            let says_something = said(case, "then").chain(said(case, "asks")).next().is_some();
            assert!(!says_something, "nothing happens in a case that says what comes of it:\n{case}");
            continue;
        };
        let kept = Kept::new(tree, before);
        let outcome = kept.merged(&after, &answers);
        let mut say = |what: String| wrong.push_str(&format!("\n{case}\nbut {what}\n"));
        for line in said(case, "then").filter(|line| !is_as_said(&outcome.tree, line)) {
            say(format!("not so: {line}; the merge did {}", done(&outcome)));
        }
        let asked: BTreeSet<&str> = outcome.questions.iter().map(|q| q.name.as_str()).collect();
        for question in said(case, "asks").filter(|question| !asked.contains(question)) {
            say(format!("it asks {asked:?}, not {question}"));
        }
        // What was wrong in the definition stays so, and SQL that is kept is fixed by hand.
        let is_own_sql = |path: &str| path.contains("/source/");
        let problems = |tree: &Tree, schema: &Schema| -> BTreeSet<String> {
            validate(tree, schema).into_iter().filter(|p| !is_own_sql(&p.path)).map(|p| p.message).collect()
        };
        let before = problems(&kept.whole.tree, &kept.accepted);
        let new: Vec<String> = problems(&outcome.tree, &outcome.accepted).into_iter().filter(|p| !before.contains(p)).collect();
        if !new.is_empty() {
            say(format!("the definition isn't sound: {new:?}"));
        }
        let there = kept.after(&outcome);
        let again = there.merged(&after, &BTreeMap::new());
        if !again.edits.is_empty() {
            say(format!("a second merge does something: {}", done(&again)));
        }
        let back = there.merged(&kept.accepted, &BTreeMap::new());
        if back.tree != kept.whole.tree {
            say(format!("the way back gives something else: it did {}", done(&back)));
        }
    }
    wrong
}

/// What a merge did, a line each.
fn done(outcome: &Outcome) -> String {
    let line = |c: &crate::merge::Change| {
        let new = c.new.as_ref().map_or_else(String::new, |node| format!(" = {}", written(node)));
        format!("\n    {:?} {}{new} ({})", c.done, c.element.shown(), c.because)
    };
    outcome.edits.iter().map(line).collect()
}
