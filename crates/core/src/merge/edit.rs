//! Edits of the definition, and the editor that makes them on the tree while noting them for the files.
//!
//! Edits are made one after the other: each path is where things stand when it is applied. The workspace
//! applies the same edits to the bytes and compares the outcome with the tree.

use super::element::{Element, interleave, member_key, place};
use super::memory::{Fact, Left, Memory, Part};
use crate::definition::{Entry, FileKey, Node, Seg, Tree, Value};
use std::borrow::Cow;
use std::ops::Range;

/// What an edit does.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs, reason = "each variant's text names its parts")]
pub enum Op {
    /// Replaces pieces of a string's text: bytes of the value and new text, in order.
    Splice(Vec<(Range<usize>, String)>),
    /// Renames a key of a table.
    RenameKey { to: String },
    /// Replaces a value; the part with this number keeps the old bytes.
    Set { value: Node, remember: Option<u32> },
    /// Replaces a value by the bytes of a part.
    Restore { part: u32 },
    /// Takes an element out; the part with this number keeps its bytes.
    Remove { remember: Option<u32> },
    /// Adds a key after one of its siblings, the nearest first.
    Insert { value: Node, after: Vec<String> },
    /// Adds a member to an array at this index.
    InsertMember { value: Node },
    /// Puts a part's bytes back; members of arrays at the index of the path.
    PutBack { part: u32 },
    /// Makes a file.
    Create { value: Node },
    /// Takes a file out; the part with this number keeps its bytes.
    RemoveFile { remember: u32 },
    /// Puts a file back from a part.
    RestoreFile { part: u32 },
}

/// One edit.
#[derive(Debug, Clone, PartialEq)]
pub struct Edit {
    /// The file.
    pub file: FileKey,
    /// Where, when it is applied.
    pub path: Vec<Seg>,
    /// The element.
    pub element: Element,
    /// What is done.
    pub op: Op,
    /// The value before, where there was one.
    pub old: Option<Node>,
    /// The value after, where there is one.
    pub new: Option<Node>,
    /// Why, for people; empty for what is done in passing and undone in the same merge.
    pub because: String,
}

/// Edits one side (the definition, or a draft) and keeps its parts.
#[derive(Debug, Clone, Default)]
pub(super) struct Editor {
    pub tree: Tree,
    pub edits: Vec<Edit>,
    pub parts: Vec<Part>,
    pub next: u32,
    pub since: usize,
}

impl Editor {
    pub fn new(tree: Tree, parts: Vec<Part>, memory: &Memory) -> Editor {
        Editor { tree, edits: Vec::new(), parts, next: memory.next, since: memory.renames.len() }
    }

    /// The tree with everything that waits for the database in its place.
    pub fn whole(&self) -> Cow<'_, Tree> {
        let waiting: Vec<u32> =
            self.parts.iter().filter(|p| matches!(p.fact, Fact::Needs(_)) && p.left == Left::Absent).map(|p| p.id).collect();
        if waiting.is_empty() {
            return Cow::Borrowed(&self.tree);
        }
        let mut whole = self.clone();
        for id in waiting {
            whole.put_back(id, "");
        }
        Cow::Owned(whole.tree)
    }

    pub fn get(&self, element: &Element) -> Option<&Node> {
        let root = self.tree.files.get(&element.file)?;
        root.at_path(&element.resolve(root)?)
    }

    pub fn part(&self, element: &Element) -> Option<&Part> {
        self.parts.iter().rev().find(|p| p.element == *element)
    }

    /// The part whose replacement stands at the element now.
    pub fn replaced(&self, element: &Element) -> Option<&Part> {
        let current = self.get(element)?;
        self.part(element).filter(|p| matches!(&p.left, Left::Value(left) if left == current))
    }

    /// The part that left nothing at the element, which is still absent.
    pub fn removed(&self, element: &Element) -> Option<&Part> {
        if self.get(element).is_some() {
            return None;
        }
        self.part(element).filter(|p| p.left == Left::Absent)
    }

    fn forget(&mut self, id: u32) -> Option<Part> {
        let at = self.parts.iter().position(|p| p.id == id)?;
        Some(self.parts.remove(at))
    }

    fn note(&mut self, element: &Element, path: Vec<Seg>, op: Op, old: Option<Node>, new: Option<Node>, because: &str) {
        self.edits.push(Edit { file: element.file.clone(), path, element: element.clone(), op, old, new, because: because.to_owned() });
    }

    fn new_part(&mut self, element: &Element, was: Option<Node>, left: Left, fact: Fact, because: &str) -> u32 {
        let order = if element.is_member() { self.order_with_ghosts(element) } else { Vec::new() };
        let id = self.next;
        self.next += 1;
        let (since, because) = (self.since, because.to_owned());
        self.parts.push(Part { id, element: element.clone(), was, left, fact, order, since, because });
        id
    }

    /// The order of a member's array, set-aside members included.
    fn order_with_ghosts(&self, member: &Element) -> Vec<String> {
        let container = member.parent();
        let visible: Vec<String> = self.get(&container).map(|n| n.items().iter().map(member_key).collect()).unwrap_or_default();
        let ghosts = self.parts.iter().filter(|p| p.element.is_member() && p.element.parent() == container && p.left == Left::Absent);
        interleave(&visible, ghosts.map(|p| (p.element.last(), p.order.as_slice())))
    }

    /// Replaces pieces of a text.
    pub fn splice(&mut self, file: &FileKey, path: &[Seg], pieces: Vec<(Range<usize>, String)>, because: &str) {
        let Some(root) = self.tree.files.get_mut(file) else { return };
        let element = Element::at(file, root, path);
        let Some(node) = root.at_path_mut(path) else { return };
        let old = node.clone();
        if let Value::Text(text) = &mut node.value {
            for (range, new) in pieces.iter().rev() {
                text.replace_range(range.clone(), new);
            }
        }
        let new = node.clone();
        // What stands in a part's place stays its stand-in under the new name.
        for part in self.parts.iter_mut().filter(|p| p.element == element) {
            if part.left == Left::Value(old.clone()) {
                part.left = Left::Value(new.clone());
            }
        }
        self.note(&element, path.to_vec(), Op::Splice(pieces), Some(old), Some(new), because);
    }

    /// Renames a key of a table. Elements inside it are named by its new name from then on: [`super::follow`] sees to them.
    pub fn rename_key(&mut self, file: &FileKey, path: &[Seg], to: &str, because: &str) {
        let Some((Seg::Key(from), container)) = path.split_last() else { return };
        let Some(root) = self.tree.files.get_mut(file) else { return };
        let element = Element::at(file, root, path);
        let Some(Value::Table(entries)) = root.at_path_mut(container).map(|n| &mut n.value) else { return };
        entries.iter_mut().filter(|e| e.key == *from).for_each(|e| to.clone_into(&mut e.key));
        let (old, new) = (Node::text(from), Node::text(to));
        self.note(&element, path.to_vec(), Op::RenameKey { to: to.to_owned() }, Some(old), Some(new), because);
    }

    /// Takes a part that was put back in passing out again, under its number and with what was known of it.
    pub fn take_out_again(&mut self, part: &Part) {
        self.with_number(part, |editor| editor.take_out(&part.element, Some(part.fact.clone()), ""));
    }

    /// Puts what stood in a part's place there again.
    pub fn stand_in_again(&mut self, part: &Part, stand_in: Node) {
        self.with_number(part, |editor| editor.set(&part.element, stand_in, part.fact.clone(), ""));
    }

    fn with_number(&mut self, part: &Part, remove: impl FnOnce(&mut Editor)) {
        let next = std::mem::replace(&mut self.next, part.id);
        remove(self);
        self.next = next;
        if let Some(again) = self.parts.iter_mut().find(|p| p.id == part.id) {
            (again.since, again.because) = (part.since, part.because.clone());
        }
        self.parts.sort_by_key(|p| p.id);
    }

    /// Gives an element that is there another value. What it was is remembered under `fact`; a value that
    /// stood here before comes back in its own spelling.
    pub fn set(&mut self, element: &Element, value: Node, fact: Fact, because: &str) {
        let Some(old) = self.get(element).cloned() else { return };
        let Some(path) = self.tree.files.get(&element.file).and_then(|root| element.resolve(root)) else { return };
        if old == value {
            return;
        }
        let stand_in = self.replaced(element).map(|p| (p.id, p.was.clone()));
        let op = match stand_in {
            Some((id, Some(was))) if was == value => {
                let _ = self.forget(id);
                Op::Restore { part: id }
            }
            Some((id, _)) => {
                if let Some(part) = self.parts.iter_mut().find(|p| p.id == id) {
                    part.left = Left::Value(value.clone());
                    // A limit or loss outweighs that the draft merely moved on.
                    if part.fact == Fact::Draft {
                        part.fact = fact;
                    }
                }
                Op::Set { value: value.clone(), remember: None }
            }
            None => {
                self.parts.retain(|p| p.element != *element);
                let id = self.new_part(element, Some(old.clone()), Left::Value(value.clone()), fact, because);
                Op::Set { value: value.clone(), remember: Some(id) }
            }
        };
        if let Some(node) = self.tree.files.get_mut(&element.file).and_then(|root| root.at_path_mut(&path)) {
            node.value = value.value.clone();
        }
        self.note(element, path, op, Some(old), Some(value), because);
    }

    /// Puts the bytes back that stood at an element before it was replaced; a key the merge added goes.
    pub fn restore(&mut self, element: &Element, because: &str) {
        match self.replaced(element).map(|p| (p.id, p.was.clone())) {
            Some((_, Some(was))) => self.set(element, was, Fact::Draft, because),
            Some((id, None)) => {
                let _ = self.forget(id);
                self.take_out(element, None, because);
            }
            None => {}
        }
    }

    /// Takes an element out and remembers it.
    pub fn remove(&mut self, element: &Element, fact: Fact, because: &str) {
        if self.get(element).is_none() {
            return;
        }
        // A stand-in goes with what it stands for: first that comes back, then all leaves as one.
        let kept_fact = match self.replaced(element) {
            Some(part) if part.was.is_some() => Some(part.fact.clone()),
            _ => None,
        };
        if let Some(kept) = kept_fact {
            self.restore(element, because);
            return self.take_out(element, Some(if kept == Fact::Draft { fact } else { kept }), because);
        }
        self.take_out(element, Some(fact), because);
    }

    fn take_out(&mut self, element: &Element, fact: Option<Fact>, because: &str) {
        let Some(root) = self.tree.files.get(&element.file) else { return };
        let Some(path) = element.resolve(root) else { return };
        let Some(old) = root.at_path(&path).cloned() else { return };
        self.parts.retain(|p| p.element != *element);
        let remember = fact.map(|fact| self.new_part(element, Some(old.clone()), Left::Absent, fact, because));
        if path.is_empty() {
            self.tree.files.remove(&element.file);
        } else if let Some(root) = self.tree.files.get_mut(&element.file) {
            root.remove(&path);
        }
        let op = match remember {
            Some(id) if path.is_empty() => Op::RemoveFile { remember: id },
            remember => Op::Remove { remember },
        };
        self.note(element, path, op, Some(old), None, because);
    }

    /// Adds a key to a table, after the nearest of its siblings named. The table is made where it is missing.
    pub fn insert(&mut self, element: &Element, value: Node, after: Vec<String>, because: &str) {
        let Some(root) = self.tree.files.get_mut(&element.file) else { return };
        let mut node = root;
        let (last, parents) = match element.steps.split_last() {
            Some(split) => split,
            None => return,
        };
        let mut path = Vec::new();
        for step in parents {
            let seg = match step {
                super::Step::Key(key) => {
                    if node.get(key).is_none() {
                        node.set(key, Node::table());
                    }
                    Seg::Key(key.clone())
                }
                super::Step::Member(member) => match node.items().iter().position(|i| member_key(i) == *member) {
                    Some(at) => Seg::Index(at),
                    None => return,
                },
            };
            let Some(next) = node.at_path_mut(std::slice::from_ref(&seg)) else { return };
            node = next;
            path.push(seg);
        }
        let super::Step::Key(key) = last else { return };
        if let Value::Table(entries) = &mut node.value {
            let place = after.iter().find_map(|a| entries.iter().position(|e| e.key == *a)).map_or(entries.len(), |at| at + 1);
            entries.insert(place, Entry { key: key.clone(), at: crate::definition::At::default(), node: value.clone() });
        }
        path.push(Seg::Key(key.clone()));
        self.note(element, path, Op::Insert { value: value.clone(), after }, None, Some(value), because);
    }

    /// Adds a key that the merge takes away again when its limit is accepted again.
    pub fn insert_limit(&mut self, element: &Element, value: Node, after: Vec<String>, because: &str) {
        self.parts.retain(|p| p.element != *element);
        self.new_part(element, None, Left::Value(value.clone()), Fact::Limit, because);
        self.insert(element, value, after, because);
    }

    /// Adds a member to an array.
    pub fn insert_member(&mut self, container: &Element, index: usize, value: Node, because: &str) {
        let Some(root) = self.tree.files.get_mut(&container.file) else { return };
        let Some(mut path) = container.resolve(root) else { return };
        let Some(Value::List(items)) = root.at_path_mut(&path).map(|n| &mut n.value) else { return };
        let index = index.min(items.len());
        items.insert(index, value.clone());
        path.push(Seg::Index(index));
        let element = container.member(&member_key(&value));
        self.note(&element, path, Op::InsertMember { value: value.clone() }, None, Some(value), because);
    }

    /// Makes a file.
    pub fn create(&mut self, file: &FileKey, value: Node, because: &str) {
        self.tree.files.insert(file.clone(), value.clone());
        self.note(&Element::file(file.clone()), Vec::new(), Op::Create { value: value.clone() }, None, Some(value), because);
    }

    /// Puts a part back where it was, its container first if that left with it. False where the place doesn't
    /// hold what the merge left.
    pub fn put_back(&mut self, id: u32, because: &str) -> bool {
        let Some(part) = self.parts.iter().find(|p| p.id == id).cloned() else { return false };
        let element = part.element.clone();
        if matches!(part.left, Left::Value(_)) {
            let holds = self.replaced(&element).is_some_and(|p| p.id == id);
            if holds {
                self.restore(&element, because);
            }
            return holds;
        }
        if self.get(&element).is_some() {
            return false;
        }
        let Some(was) = part.was.clone() else { return false };
        if element.steps.is_empty() {
            let _ = self.forget(id);
            self.tree.files.insert(element.file.clone(), was.clone());
            self.note(&element, Vec::new(), Op::RestoreFile { part: id }, None, Some(was), because);
            return true;
        }
        let container = element.parent();
        if self.get(&container).is_none() {
            let around = std::iter::successors(Some(container.clone()), |e| (!e.steps.is_empty()).then(|| e.parent()));
            let waiting = around.into_iter().find_map(|e| self.removed(&e).filter(|p| p.fact == Fact::Container).map(|p| p.id));
            let is_group = container.steps.len() == 1 && !element.is_member();
            let back = waiting.is_some_and(|w| self.put_back(w, because));
            if !(back || is_group && self.tree.files.contains_key(&element.file)) {
                return false;
            }
        }
        let Some(root) = self.tree.files.get_mut(&element.file) else { return false };
        if element.is_member() {
            let Some(mut path) = container.resolve(root) else { return false };
            let Some(Value::List(items)) = root.at_path_mut(&path).map(|n| &mut n.value) else { return false };
            let visible: Vec<String> = items.iter().map(member_key).collect();
            let index = place(&part.order, element.last(), &visible);
            items.insert(index, was.clone());
            path.push(Seg::Index(index));
            let _ = self.forget(id);
            self.note(&element, path, Op::PutBack { part: id }, None, Some(was), because);
            return true;
        }
        if let (Some(group), None) = (element.steps.first(), self.get(&container))
            && let super::Step::Key(group) = group
            && let Some(root) = self.tree.files.get_mut(&element.file)
        {
            root.set(group, Node::table());
        }
        let Some(root) = self.tree.files.get_mut(&element.file) else { return false };
        let Some(mut path) = container.resolve(root) else { return false };
        let Some(node) = root.at_path_mut(&path) else { return false };
        node.set(element.last(), was.clone());
        path.push(Seg::Key(element.last().to_owned()));
        let _ = self.forget(id);
        self.note(&element, path, Op::PutBack { part: id }, None, Some(was), because);
        true
    }
}
