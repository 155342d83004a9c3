//! Customisations: what a person made of the draft, and the edit that would give one up again.

use super::edit::{Edit, Editor};
use super::element::Element;
use super::memory::{Fact, Memory};
use super::outcome::Input;
use super::ownership::Kept;
use super::run::merge;
use crate::definition::{Node, Tree, Value};
use std::collections::BTreeMap;

/// Every customisation, with what the draft says instead: a merge with the accepted schema itself, which changes
/// nothing, knows them all.
pub fn customisations(input: &Input<'_>) -> Vec<Kept> {
    let answers = BTreeMap::new();
    let kept = merge(&Input { changed: input.accepted, answers: &answers, ..*input }).kept;
    let mut apart = Vec::new();
    kept.into_iter().for_each(|one| split(one, &mut apart));
    apart
}

/// What is kept as a whole (access, which a merge never touches by halves) told key by key.
fn split(kept: Kept, out: &mut Vec<Kept>) {
    let (Some(Value::Table(yours)), Some(Value::Table(draft))) =
        (kept.yours.as_ref().map(|n| &n.value), kept.draft.as_ref().map(|n| &n.value))
    else {
        return out.push(kept);
    };
    let mut keys: Vec<&String> = yours.iter().chain(draft).map(|e| &e.key).collect();
    keys.sort();
    keys.dedup();
    let get = |node: &Option<Node>, key: &str| node.as_ref().and_then(|n| n.get(key)).cloned();
    for key in keys {
        let (yours, draft) = (get(&kept.yours, key), get(&kept.draft, key));
        if yours != draft {
            split(Kept { element: kept.element.key(key), yours, draft, concerned: kept.concerned }, out);
        }
    }
}

/// The edits that give a customisation up, and the definition after them.
pub fn reset(tree: &Tree, kept: &Kept) -> (Vec<Edit>, Tree) {
    let mut editor = Editor::new(tree.clone(), Vec::new(), &Memory::default());
    let because = "given up";
    match (&kept.yours, &kept.draft) {
        (Some(_), Some(draft)) if editor.get(&kept.element).is_some() => editor.set(&kept.element, draft.clone(), Fact::Draft, because),
        (Some(_), None) => editor.remove(&kept.element, Fact::Draft, because),
        (_, Some(draft)) if kept.element.is_member() => {
            let end = editor.get(&kept.element.parent()).map_or(0, |array| array.items().len());
            editor.insert_member(&kept.element.parent(), end, draft.clone(), because);
        }
        (_, Some(draft)) if kept.element.steps.is_empty() => editor.create(&kept.element.file, draft.clone(), because),
        (_, Some(draft)) => editor.insert(&kept.element, draft.clone(), siblings(&editor, &kept.element), because),
        (None, None) => {}
    }
    (editor.edits, editor.tree)
}

/// The keys beside an element, the last first: it goes after what is there.
fn siblings(editor: &Editor, element: &Element) -> Vec<String> {
    let keys = editor.get(&element.parent()).map(|n| n.entries().iter().rev().map(|e| e.key.clone()).collect());
    keys.unwrap_or_default()
}
