//! Step 4: ownership decides, value by value, what follows the draft and what stays a person's.
//!
//! For every element: `d` the stored draft, `p0` and `p1` the drafts for the accepted and the changed schema,
//! `yours` what stands in the file. One walk over the [`Shape`] serves every part of the format; arrays are in
//! [`super::arrays`].

use super::edit::Editor;
use super::element::Element;
use super::layout::Placement;
use super::loss::{Pending, reason};
use super::memory::{Fact, Left};
use super::questions::{Limit, looser};
use crate::definition::{FileKey, Node, Seg, Shape, Tree, Value, shape_of};
use crate::draft::field_label;
use crate::sql;
use std::collections::{BTreeMap, BTreeSet};

/// Elements that are a person's although the draft says the same, with the value that is.
pub type Marks = BTreeMap<Element, Option<Node>>;

/// A customisation that stays.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// The element.
    pub element: Element,
    /// What stands there.
    pub yours: Option<Node>,
    /// What the draft would say.
    pub draft: Option<Node>,
    /// Whether the draft for the changed schema says something else than before.
    pub concerned: bool,
}

/// The three drafts of one element.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Drafts<'a> {
    pub d: Option<&'a Node>,
    pub p0: Option<&'a Node>,
    pub p1: Option<&'a Node>,
}

impl<'a> Drafts<'a> {
    pub fn key(&self, key: &str) -> Drafts<'a> {
        let get = |node: Option<&'a Node>| node.and_then(|n| n.get(key));
        Drafts { d: get(self.d), p0: get(self.p0), p1: get(self.p1) }
    }
}

/// Whose side is merged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Side {
    /// The definition: questions are asked, customisations kept.
    Yours,
    /// The stored draft itself: everything follows.
    Stored,
}

/// The walk.
pub(super) struct Owner<'a> {
    /// What this merge put back.
    pub returned: &'a [Element],
    /// Entities over tables that are renamed, or whose columns are.
    pub renamed: &'a BTreeSet<String>,
    pub side: Side,
    pub editor: &'a mut Editor,
    pub pending: &'a Pending,
    pub marks: &'a mut Marks,
    pub inserted: &'a mut BTreeSet<Element>,
    pub placement: &'a Placement,
    pub answers: &'a BTreeMap<String, String>,
    pub kept: Vec<Kept>,
    pub limits: Vec<Limit>,
}

impl Owner<'_> {
    /// Merges every file.
    pub fn run(&mut self, d: &Tree, p0: &Tree, p1: &Tree) {
        let mut files: Vec<_> = self.editor.tree.files.keys().chain(p1.files.keys()).cloned().collect();
        files.sort();
        files.dedup();
        let busy: BTreeSet<FileKey> =
            self.pending.keys().map(|e| e.file.clone()).chain(self.editor.parts.iter().map(|p| p.element.file.clone())).collect();
        for file in files {
            let drafts = Drafts { d: d.files.get(&file), p0: p0.files.get(&file), p1: p1.files.get(&file) };
            let element = Element::file(file.clone());
            // Most files of most merges are so: nobody touched them, the drafts agree, and nothing waits there.
            let untouched = self.editor.tree.files.get(&file) == drafts.d;
            if untouched && drafts.p0 == drafts.p1 && !busy.contains(&file) {
                continue;
            }
            match (self.editor.tree.files.contains_key(&file), drafts.p1) {
                (true, Some(_)) => self.node(&element, *shape_of(&file), drafts),
                (false, Some(new)) if drafts.p0.is_none() && drafts.d.is_none() && self.editor.removed(&element).is_none() => {
                    self.editor.create(&file, new.clone(), "a new table");
                    self.inserted.insert(element);
                }
                _ => {}
            }
        }
    }

    /// A table: key by key.
    fn node(&mut self, element: &Element, shape: Shape, drafts: Drafts<'_>) {
        match shape {
            Shape::Record(keys) => {
                for key in keys {
                    self.key(&element.key(key.name), key.shape, drafts.key(key.name), drafts.p1);
                }
            }
            Shape::Named(inner) => {
                let mut names: Vec<String> = Vec::new();
                for node in [drafts.p1, self.editor.get(element), drafts.p0, drafts.d].into_iter().flatten() {
                    names.extend(node.entries().iter().map(|e| e.key.clone()));
                }
                let mut seen = BTreeSet::new();
                for name in names.into_iter().filter(|n| seen.insert(n.clone())) {
                    self.key(&element.key(&name), *inner, drafts.key(&name), drafts.p1);
                }
            }
            _ => {}
        }
    }

    fn key(&mut self, element: &Element, shape: Shape, drafts: Drafts<'_>, around: Option<&Node>) {
        // Access never follows the draft: only a new entity brings its own.
        if element.key_at(0) == Some("access") {
            return self.note_access(element, drafts);
        }
        if self.drops_left_over(element, drafts) {
            return;
        }
        match shape {
            Shape::Set(_) => self.set(element, drafts, around),
            Shape::Records { .. } => self.records(element, shape, drafts, around),
            Shape::Named(_) if drafts.p1.is_some() || self.editor.get(element).is_some() => self.node(element, shape, drafts),
            Shape::Record(_) => self.element(element, shape, drafts, around),
            _ => self.leaf(element, shape, drafts, around),
        }
    }

    /// Takes out what a merge had added and no draft has any more: to something that was away since, or under a name that
    /// it has no longer. False where it isn't that.
    pub(super) fn drops_left_over(&mut self, element: &Element, drafts: Drafts<'_>) -> bool {
        let is_generators = self.inserted.contains(element)
            && drafts.d.is_some()
            && self.editor.get(element) == drafts.d
            && !self.pending.contains_key(element)
            && !self.marks.keys().any(|mark| mark.is_within(element));
        let is_about = || self.renamed.contains(element.file.name()) || self.returned.iter().any(|back| element.is_within(back));
        let is_left_over = is_generators && drafts.p0.is_none() && drafts.p1.is_none() && is_about();
        if is_left_over {
            self.inserted.remove(element);
            self.editor.remove(element, Fact::Draft, "the draft no longer has it");
        }
        is_left_over
    }

    fn note_access(&mut self, element: &Element, drafts: Drafts<'_>) {
        let yours = self.editor.get(element).cloned();
        if self.side == Side::Yours && yours.as_ref() != drafts.d && yours.as_ref() != drafts.p0 {
            self.kept.push(Kept { element: element.clone(), yours, draft: drafts.p1.cloned(), concerned: false });
        }
    }

    /// An element that is a table of its own: a field, a page, a lookup.
    fn element(&mut self, element: &Element, shape: Shape, drafts: Drafts<'_>, around: Option<&Node>) {
        let yours = self.editor.get(element).cloned();
        match (yours, drafts.p1) {
            (Some(_), Some(p1)) => {
                if self.pending.contains_key(element) && element.last() == "lookup" {
                    return self.follow_pending(element, Some(p1));
                }
                if element.key_at(0) == Some("page") && element.steps.len() == 2 {
                    let laid = self.placement.flattened(self.editor.get(element), drafts);
                    let drafts =
                        Drafts { d: laid.0.as_ref().or(drafts.d), p0: laid.1.as_ref().or(drafts.p0), p1: laid.2.as_ref().or(drafts.p1) };
                    return self.node(element, shape, drafts);
                }
                self.node(element, shape, drafts);
            }
            (Some(_), None) if self.pending.contains_key(element) => self.follow_pending(element, None),
            (Some(yours), None) if drafts.p0.is_some() => {
                let untouched = Some(&yours) == drafts.d || Some(&yours) == drafts.p0;
                if untouched && !self.marks.keys().any(|m| m.is_within(element)) {
                    self.inserted.remove(element);
                    self.editor.remove(element, Fact::Draft, "the draft no longer has it");
                } else if self.side == Side::Yours {
                    self.kept.push(Kept { element: element.clone(), yours: Some(yours), draft: None, concerned: true });
                }
            }
            (Some(yours), None) if self.side == Side::Yours && Some(&yours) != drafts.d => {
                self.kept.push(Kept { element: element.clone(), yours: Some(yours), draft: None, concerned: false });
            }
            (None, None)
                if drafts.p0.is_none() && drafts.d.is_some() && self.side == Side::Yours && self.editor.removed(element).is_none() =>
            {
                self.kept.push(Kept { element: element.clone(), yours: None, draft: drafts.d.cloned(), concerned: false });
            }
            (None, None)
                if drafts.p0.is_some() && drafts.d.is_some() && self.side == Side::Yours && self.editor.removed(element).is_none() =>
            {
                self.marks.insert(element.clone(), None);
            }
            (None, Some(p1)) if drafts.p0.is_none() && drafts.d.is_none() && !self.is_taken_out(element) => self.add(element, p1, around),
            (None, Some(p1)) if self.side == Side::Yours && drafts.p0.is_some() => {
                self.kept.push(Kept { element: element.clone(), yours: None, draft: Some(p1.clone()), concerned: drafts.p0 != Some(p1) });
            }
            _ => {}
        }
    }

    /// A new key, or one that was here before and comes back in its own bytes.
    fn add(&mut self, element: &Element, value: &Node, around: Option<&Node>) {
        let because = "new in the draft";
        if let Some(part) = self.editor.removed(element).filter(|p| p.fact == Fact::Draft).cloned()
            && self.editor.put_back(part.id, "the draft has it again")
        {
            if let Some(was) = part.was.filter(|was| was != value) {
                match crate::definition::at_path(&element.file, &keys_only(element)) {
                    Some((shape @ (Shape::Record(_) | Shape::Named(_)), ..)) => {
                        self.node(element, shape, Drafts { d: Some(&was), p0: Some(&was), p1: Some(value) });
                    }
                    _ => self.editor.set(element, value.clone(), Fact::Draft, because),
                }
            }
        } else {
            self.editor.insert(element, value.clone(), before_in(around, element.last()), because);
        }
        self.inserted.insert(element.clone());
    }

    fn follow_pending(&mut self, element: &Element, p1: Option<&Node>) {
        let things = self.pending.get(element).cloned().unwrap_or_default();
        let because = reason(&things);
        match self.safe_text(element, p1) {
            Some(value) => self.editor.set(element, value, Fact::Needs(things), &because),
            // What a merge had added waits for nothing: the draft says whether it belongs there again.
            None if self.inserted.remove(element) => self.editor.remove(element, Fact::Draft, &because),
            None => self.editor.remove(element, Fact::Needs(things), &because),
        }
    }

    /// The draft's value, but a title that names a field hidden from somebody gives way to the key.
    fn safe_text(&self, element: &Element, p1: Option<&Node>) -> Option<Node> {
        let value = p1?.clone();
        if self.was_there(element, &value) {
            return Some(value);
        }
        let Some(text) = value.as_text() else { return Some(value) };
        if element.last() == "title" && element.steps.len() == 1 && self.names_hidden(element, text) {
            return self.placement.key_title(element.file.name()).map(|t| Node::text(t.as_str()));
        }
        Some(value)
    }

    /// Whether a value stood here before a merge replaced it: what is put back exposes nothing new.
    fn was_there(&self, element: &Element, value: &Node) -> bool {
        self.editor.replaced(element).is_some_and(|part| part.was.as_ref() == Some(value))
    }

    fn names_hidden(&self, element: &Element, template: &str) -> bool {
        let Some(root) = self.editor.tree.files.get(&element.file) else { return false };
        let hidden = |field: &str| {
            if self.placement.concealed.contains(&(element.file.name().to_owned(), field.to_owned())) {
                return true;
            }
            let by_field = root.at_path(&["field".into(), Seg::from(field), "hidden".into()]).and_then(Node::as_bool) == Some(true);
            by_field
                || root.get("access").is_some_and(|a| {
                    a.entries().iter().any(|role| role.node.get("hide").is_some_and(|h| h.strings().iter().any(|f| f == field)))
                })
        };
        sql::parse_template(template).fields().any(|(field, ..)| hidden(field))
    }

    fn leaf(&mut self, element: &Element, shape: Shape, drafts: Drafts<'_>, around: Option<&Node>) {
        let yours = self.editor.get(element).cloned();
        if yours.is_some() && self.pending.contains_key(element) {
            return self.follow_pending(element, drafts.p1);
        }
        if let Some(part) = self.editor.replaced(element).filter(|p| p.fact != Fact::Draft).cloned() {
            return self.follow_stand_in(element, &part, drafts);
        }
        let default = default_of(element, shape);
        let full = |node: Option<&Node>| node.cloned().or_else(|| default.clone());
        let (y, d, p0, p1) = (full(yours.as_ref()), full(drafts.d), full(drafts.p0), full(drafts.p1));
        let marked = self.marks.get(element).is_some_and(|value| *value == yours);
        // What a merge wrote in another value's place is the generator's until a person edits it.
        let stand_in = self.editor.replaced(element).is_some();
        let custom = marked || (y != d && y != p0 && !stand_in);
        if y == p1 {
            if custom && self.side == Side::Yours {
                self.marks.insert(element.clone(), yours);
            }
            return;
        }
        if custom && self.side == Side::Yours {
            if p0 != p1 && looser(element.last(), y.as_ref(), p1.as_ref()) {
                return self.limit(element, yours, drafts.p1, around);
            }
            self.kept.push(Kept { element: element.clone(), yours, draft: drafts.p1.cloned(), concerned: p0 != p1 });
            return;
        }
        // The draft may have an earlier value again without this change being about it: under a name it had before.
        if let Some(again) = drafts.p1.filter(|p1| stand_in && self.was_there(element, p1)) {
            return self.editor.set(element, again.clone(), Fact::Draft, "the draft has it again");
        }
        if p0 == p1 || self.would_widen(element, y.as_ref()) {
            return;
        }
        let because = "follows the draft";
        match (yours, drafts.p1) {
            (Some(_), Some(p1)) => {
                let put_back = self.was_there(element, p1);
                let exposes = element.last() == "title" && p1.as_text().is_some_and(|t| self.names_hidden(element, t));
                if put_back || !exposes {
                    self.editor.set(element, p1.clone(), Fact::Draft, because);
                }
            }
            (Some(_), None) => {
                self.inserted.remove(element);
                self.editor.remove(element, Fact::Draft, because);
            }
            (None, Some(p1)) => self.add(element, p1, around),
            (None, None) => {}
        }
    }

    /// A value that stands in for one that was set aside follows the draft; a limit goes back when it is accepted again.
    fn follow_stand_in(&mut self, element: &Element, part: &super::memory::Part, drafts: Drafts<'_>) {
        if part.fact == Fact::Limit {
            let accepted = !looser(element.last(), part.was.as_ref(), drafts.p1);
            if accepted {
                self.editor.restore(element, "the database accepts it again");
            } else if let Some(p1) = drafts.p1 {
                self.editor.set(element, p1.clone(), Fact::Limit, &part.because);
            }
            return;
        }
        let Left::Value(_) = part.left else { return };
        if self.editor.get(element).and_then(Node::as_text) == Some(super::loss::NOBODY) {
            return;
        }
        match self.safe_text(element, drafts.p1) {
            Some(value) => self.editor.set(element, value, part.fact.clone(), &part.because),
            None => self.editor.remove(element, part.fact.clone(), &part.because),
        }
    }

    /// Protections go only where a merge had put them.
    fn would_widen(&self, element: &Element, y: Option<&Node>) -> bool {
        let protects = ["hidden", "read_only"].contains(&element.last()) && y.and_then(Node::as_bool) == Some(true);
        protects && !self.inserted.contains(element)
    }

    fn limit(&mut self, element: &Element, yours: Option<Node>, p1: Option<&Node>, around: Option<&Node>) {
        let question = self.placement.limit_question(element);
        let keep = self.answers.get(&question).is_some_and(|a| a == "keep");
        self.limits.push(Limit { question, element: element.clone(), yours: yours.clone(), database: p1.cloned() });
        if keep {
            self.kept.push(Kept { element: element.clone(), yours, draft: p1.cloned(), concerned: true });
            return;
        }
        let because = "the database declares less";
        match (yours, p1) {
            (Some(_), Some(p1)) => self.editor.set(element, p1.clone(), Fact::Limit, because),
            (None, Some(p1)) => self.editor.insert_limit(element, p1.clone(), before_in(around, element.last()), because),
            _ => {}
        }
    }
}

/// The keys before one in the order of a draft, the nearest first.
pub(super) fn before_in(around: Option<&Node>, key: &str) -> Vec<String> {
    let names: Vec<String> = around.map(|n| n.entries().iter().map(|e| e.key.clone()).collect()).unwrap_or_default();
    let own = names.iter().position(|n| n == key).unwrap_or(names.len());
    names[..own].iter().rev().cloned().collect()
}

/// The value an absent key stands for.
pub(super) fn default_of(element: &Element, shape: Shape) -> Option<Node> {
    match shape {
        Shape::Bool => Some(Node::from(false)),
        Shape::Set(_) | Shape::Records { .. } => Some(Node::new(Value::List(Vec::new()))),
        Shape::Text if element.key_at(0) == Some("field") && element.last() == "label" => {
            element.key_at(1).map(|f| Node::text(field_label(f)))
        }
        Shape::Word(_) if element.key_at(0) == Some("page") => element.key_at(1).map(Node::text),
        _ => None,
    }
}

fn keys_only(element: &Element) -> Vec<Seg> {
    element
        .steps
        .iter()
        .map(|s| match s {
            super::Step::Key(key) => Seg::Key(key.clone()),
            super::Step::Member(_) => Seg::Index(0),
        })
        .collect()
}
