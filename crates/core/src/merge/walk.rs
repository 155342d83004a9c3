//! Step 2: what is the generator's follows the draft where it changed, what is a person's stays, and what is new in the
//! draft comes in beside its neighbours there. One walk over the shapes serves every part of the format; arrays are in
//! [`super::rows`].

use super::layout::Placement;
use super::questions::{Limit, looser};
use super::values::{Kept, default_of};
use super::whole::{StandIn, Tile, Whole, has_own, numbered, place_by};
use crate::definition::{Entry, FileKey, Node, Shape, Tree, Value, shape_of};
use crate::merge::Element;
use std::collections::{BTreeMap, BTreeSet};

/// The drafts of one element: for the accepted schema (or what the draft said when it went), and for the changed one.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Drafts<'a> {
    pub p0: Option<&'a Node>,
    pub p1: Option<&'a Node>,
}

impl<'a> Drafts<'a> {
    pub fn key(&self, key: &str) -> Drafts<'a> {
        Drafts { p0: self.p0.and_then(|n| n.get(key)), p1: self.p1.and_then(|n| n.get(key)) }
    }
}

/// What the walk is given.
#[derive(Clone, Copy)]
pub(super) struct Given<'a> {
    pub placement: &'a Placement,
    pub answers: &'a BTreeMap<String, String>,
    /// What a person left out while the draft had it no more.
    pub left_out: &'a BTreeSet<String>,
    /// Entities whose key names a lost column: another key stands in for it.
    pub lost_keys: &'a BTreeSet<String>,
    /// Fields that have another name now, by entity: what the old one said by itself may have to be said.
    pub renamed: &'a BTreeSet<(String, String)>,
}

/// The walk, and what it comes to.
pub(super) struct Walk<'a> {
    pub given: Given<'a>,
    pub tiles: &'a mut Vec<Tile>,
    pub kept: Vec<Kept>,
    pub limits: Vec<Limit>,
    /// Left out by a person, and gone from the draft with this change.
    pub left_out: BTreeSet<String>,
    /// Fields that came in, by entity.
    pub new_fields: BTreeMap<String, Vec<String>>,
}

pub(super) const NEW: &str = "new in the draft";
pub(super) const FOLLOWS: &str = "follows the draft";
pub(super) const NO_MORE: &str = "the draft no longer has it";
pub(super) const AGAIN: &str = "the draft has it again";

/// Walks every file.
pub(super) fn walk<'a>(whole: &'a mut Whole, p0: &Tree, p1: &Tree, given: Given<'a>) -> Walk<'a> {
    let Whole { tree, tiles } = whole;
    let mut walk = Walk { given, tiles, kept: Vec::new(), limits: Vec::new(), left_out: BTreeSet::new(), new_fields: BTreeMap::new() };
    let files: BTreeSet<FileKey> = tree.files.keys().chain(p1.files.keys()).chain(p0.files.keys()).cloned().collect();
    for file in files {
        let element = Element::file(file.clone());
        let drafts = Drafts { p0: p0.files.get(&file), p1: p1.files.get(&file) };
        match (tree.files.get_mut(&file), drafts) {
            (Some(root), drafts) => walk.table(&element, root, *shape_of(&file), drafts),
            (None, Drafts { p0: None, p1: Some(new) }) if !given.left_out.contains(&element.encode()) => {
                tree.files.insert(file, numbered(new.clone(), walk.tiles, "a new table"));
            }
            (None, Drafts { p0: Some(_), p1: None }) => {
                walk.left_out.insert(element.encode());
            }
            _ => {}
        }
    }
    walk
}

impl Walk<'_> {
    pub(super) fn tile(&mut self, node: &Node) -> &mut Tile {
        if self.tiles.is_empty() {
            self.tiles.push(Tile::default());
        }
        let at = (node.tile as usize).min(self.tiles.len() - 1);
        &mut self.tiles[at]
    }

    pub(super) fn keep(&mut self, element: &Element, yours: Option<&Node>, draft: Option<&Node>, concerned: bool) {
        self.kept.push(Kept { element: element.clone(), yours: yours.cloned(), draft: draft.cloned(), concerned });
    }

    /// A table that is there: a file, a group, an element with keys of its own.
    pub(super) fn table(&mut self, element: &Element, node: &mut Node, shape: Shape, drafts: Drafts<'_>) {
        // Access never follows the draft: only a new entity brings its own.
        if element.key_at(0) == Some("access") {
            let is_kept = has_own(node, self.tiles) && drafts.p0 != Some(node);
            if is_kept || (drafts.p0.is_some_and(|p0| p0 != node)) {
                let yours = super::whole::shown(node, self.tiles);
                self.keep(element, yours.as_ref(), drafts.p1, false);
            }
            return;
        }
        let is_element = !matches!(shape, Shape::Named(_)) || element.steps.len() != 1;
        let at = self.tile(node).at.clone();
        let drafts = Drafts { p0: drafts.p0.or(at.as_ref()), ..drafts };
        if is_element {
            match (drafts.p0, drafts.p1) {
                (Some(p0), None) => return self.loses(element, node, p0),
                (None, None) => {
                    if has_own(node, self.tiles) {
                        let yours = super::whole::shown(node, self.tiles);
                        self.keep(element, yours.as_ref(), None, false);
                    }
                    return;
                }
                (before, Some(_)) => {
                    let tile = self.tile(node);
                    if tile.away {
                        tile.away = false;
                        AGAIN.clone_into(&mut tile.because);
                    } else if before.is_none() && !tile.was_hidden {
                        tile.stays = true;
                    }
                    if !tile.away {
                        tile.at = None;
                    }
                }
            }
        }
        let is_page = element.key_at(0) == Some("page") && element.steps.len() == 2;
        let flat = |draft: Option<&Node>| draft.filter(|_| is_page).and_then(|d| self.given.placement.flattened(node, Some(d)));
        let (flat0, flat1) = (flat(drafts.p0), flat(drafts.p1));
        let drafts = Drafts { p0: flat0.as_ref().or(drafts.p0), p1: flat1.as_ref().or(drafts.p1) };
        match shape {
            Shape::Record(keys) => {
                for key in keys {
                    self.child(element, node, key.name, key.shape, drafts);
                }
            }
            Shape::Named(inner) | Shape::ByField(inner) => {
                let mut names: Vec<String> = Vec::new();
                for node in [drafts.p1, Some(&*node), drafts.p0].into_iter().flatten() {
                    names.extend(node.entries().iter().map(|e| e.key.clone()));
                }
                let mut seen = BTreeSet::new();
                for name in names.into_iter().filter(|n| seen.insert(n.clone())) {
                    self.child(element, node, &name, *inner, drafts);
                }
            }
            _ => {}
        }
    }

    /// An element that the draft has no more.
    fn loses(&mut self, element: &Element, node: &Node, p0: &Node) {
        let is_own = has_own(node, self.tiles);
        let tile = self.tile(node);
        if tile.stays {
            tile.stays = false;
            return;
        }
        tile.at = Some(p0.plain());
        if !is_own && !tile.away {
            tile.away = true;
            NO_MORE.clone_into(&mut tile.because);
        } else if is_own {
            let yours = super::whole::shown(node, self.tiles);
            self.keep(element, yours.as_ref(), None, true);
        }
    }

    fn child(&mut self, around: &Element, parent: &mut Node, name: &str, shape: Shape, of: Drafts<'_>) {
        let element = around.key(name);
        let drafts = of.key(name);
        let Value::Table(entries) = &mut parent.value else { return };
        if let Some(entry) = entries.iter_mut().find(|e| e.key == name) {
            return match shape {
                Shape::Set(_) => self.set(&element, &mut entry.node, drafts),
                Shape::Records { .. } => self.records(&element, &mut entry.node, shape, drafts),
                Shape::Record(_) | Shape::Named(_) | Shape::ByField(_) => self.table(&element, &mut entry.node, shape, drafts),
                _ => self.leaf(&element, &mut entry.node, shape, drafts),
            };
        }
        match (drafts.p0, drafts.p1) {
            (None, Some(new)) => self.comes(&element, parent, name, shape, new, of.p1),
            (Some(_), None) => {
                self.left_out.insert(element.encode());
            }
            (Some(p0), Some(p1)) => {
                let is_limit = looser(element.last(), None, Some(p1)) && p0 != p1 && element.key_at(0) == Some("field");
                if is_limit {
                    self.limit_of_nothing(&element, parent, name, of);
                } else if element.key_at(0) != Some("access") {
                    // Groups are made and left out element by element.
                    if let Shape::Named(inner) = shape
                        && around.steps.is_empty()
                    {
                        return self.group(around, parent, name, *inner, drafts);
                    }
                    if self.given.left_out.contains(&element.encode()) {
                        self.keep(&element, None, Some(p1), p0 != p1);
                    } else if self.is_label_of_renamed(&element) {
                        self.comes(&element, parent, name, shape, p1, of.p1);
                    }
                }
            }
            (None, None) => {}
        }
    }

    fn is_label_of_renamed(&self, element: &Element) -> bool {
        let field = element.key_at(1).unwrap_or_default().to_owned();
        element.steps.len() == 3
            && (element.key_at(0), element.last()) == (Some("field"), "label")
            && self.given.renamed.contains(&(element.file.name().to_owned(), field))
    }

    /// A group that isn't there (no page is, or no check): its elements may come in all the same.
    fn group(&mut self, around: &Element, parent: &mut Node, name: &str, inner: Shape, drafts: Drafts<'_>) {
        let mut made = Node::table();
        self.tiles.push(Tile { added: true, ..Tile::default() });
        made.tile = u32::try_from(self.tiles.len() - 1).unwrap_or(u32::MAX);
        let element = around.key(name);
        let names: BTreeSet<String> = drafts.p0.iter().chain(drafts.p1.iter()).flat_map(|n| n.entries()).map(|e| e.key.clone()).collect();
        for name in names {
            self.child(&element, &mut made, &name, inner, drafts);
        }
        if !made.entries().is_empty() {
            parent.set(name, made);
        }
    }

    /// Something new in the draft.
    fn comes(&mut self, element: &Element, parent: &mut Node, name: &str, shape: Shape, new: &Node, around: Option<&Node>) {
        if self.given.left_out.contains(&element.encode()) {
            return;
        }
        let mut new = new.clone();
        match shape {
            Shape::Set(_) => match self.given.placement.admitted(element, &new) {
                Some(admitted) => new = admitted,
                None => return,
            },
            Shape::Records { .. } if element.last() == "sections" && self.given.placement.is_hand_laid(element) => return,
            _ => {}
        }
        if element.steps.len() == 2 && element.key_at(0) == Some("field") {
            self.new_fields.entry(element.file.name().to_owned()).or_default().push(name.to_owned());
        }
        if element.steps.len() == 1 && element.last() == "field" {
            let names = new.entries().iter().map(|e| e.key.clone());
            self.new_fields.entry(element.file.name().to_owned()).or_default().extend(names);
        }
        let new = numbered(new, self.tiles, NEW);
        enter_key(parent, name, new, around);
    }

    /// A value.
    fn leaf(&mut self, element: &Element, node: &mut Node, shape: Shape, drafts: Drafts<'_>) {
        let default = default_of(element, shape);
        let full = |node: Option<&Node>| node.cloned().or_else(|| default.clone());
        let (p0, p1) = (full(drafts.p0), full(drafts.p1));
        let tile = self.tile(node).clone();
        if let Some(stand_in) = tile.stand_in.clone().filter(|s| s.limit) {
            return self.limited(element, node, &stand_in, drafts, p1.as_ref());
        }
        if tile.own {
            let yours = full(Some(node));
            if yours == p1 {
                return;
            }
            if p0 != p1 && looser(element.last(), yours.as_ref(), p1.as_ref()) {
                return self.limit(element, node, drafts);
            }
            return self.keep(element, Some(node), drafts.p1, p0 != p1);
        }
        if element.steps.len() == 1 && element.last() == "key" && self.given.lost_keys.contains(element.file.name()) {
            return;
        }
        match (drafts.p0, drafts.p1) {
            (Some(p0), None) => {
                if self.would_widen(element, node) {
                    return;
                }
                let tile = self.tile(node);
                if tile.stays {
                    tile.stays = false;
                    if let Some((_, was)) = tile.faces.iter().find(|(draft, _)| draft.is_none()).cloned() {
                        self.becomes(node, Some(p0), &was, FOLLOWS);
                    }
                } else if !tile.away {
                    tile.away = true;
                    tile.at = Some(p0.plain());
                    NO_MORE.clone_into(&mut tile.because);
                }
            }
            (None, Some(p1)) => {
                let tile = self.tile(node);
                let before = if tile.away { tile.at.take() } else { None };
                if tile.away {
                    tile.away = false;
                    AGAIN.clone_into(&mut tile.because);
                } else if !tile.was_hidden {
                    tile.stays = true;
                }
                if before.as_ref() != Some(p1) {
                    self.follows(node, before.as_ref(), p1);
                }
            }
            (Some(p0), Some(p1)) if p0 != p1 && (!self.would_widen(element, node) || p1.as_bool() == Some(true)) => {
                self.follows(node, Some(p0), p1);
            }
            _ => {}
        }
    }

    /// The generator's value follows: to what stood under that value of the draft, else to the value itself.
    pub(super) fn follows(&mut self, node: &mut Node, p0: Option<&Node>, p1: &Node) {
        let known = self.tile(node).faces.iter().find(|(draft, _)| draft.as_ref() == Some(p1)).map(|(_, was)| was.clone());
        let to = known.unwrap_or_else(|| p1.clone());
        self.becomes(node, p0, &to, FOLLOWS);
    }

    fn becomes(&mut self, node: &mut Node, under: Option<&Node>, to: &Node, because: &str) {
        let is_title = to.as_text().is_some_and(|t| t.contains('{'));
        if node == to {
            // A title says already what the draft will: that it stood under the draft before is known all the same. Other values
            // mention names, which what is remembered doesn't follow.
            if is_title && under.is_some_and(|under| under != to) {
                let tile = self.tile(node);
                tile.faces.retain(|(draft, _)| draft.as_ref() != under);
                tile.faces.push((under.cloned(), to.plain()));
            }
            return;
        }
        let was = node.plain();
        let tile = self.tile(node);
        tile.faces.retain(|(draft, _)| draft.as_ref() != under && draft.as_ref() != Some(to));
        // What a title named before exposes nothing new.
        if under != Some(&was) || is_title {
            tile.faces.push((under.cloned(), was));
        }
        because.clone_into(&mut tile.because);
        // Spellings belong to what was written before.
        tile.spelled.clear();
        let number = node.tile;
        let mut value = to.clone();
        if matches!(value.value, Value::List(_) | Value::Table(_)) {
            value = numbered(value, self.tiles, because);
        }
        *node = Node { tile: number, at: node.at, ..value };
    }

    /// Protections go only where a merge had put them.
    fn would_widen(&mut self, element: &Element, node: &Node) -> bool {
        let protects = ["hidden", "read_only"].contains(&element.last()) && node.as_bool() == Some(true);
        protects && !self.tile(node).added
    }

    /// A hand-made limit that is looser than what the database declares now.
    fn limit(&mut self, element: &Element, node: &Node, drafts: Drafts<'_>) {
        let question = self.given.placement.limit_question(element);
        let known = self.tile(node).answers.iter().find(|a| a.database.as_ref() == drafts.p1).map(|a| a.taken);
        let answer = self.given.answers.get(&question).map(String::as_str);
        let taken = match (answer, known) {
            (Some(answer), _) => answer != "keep",
            (None, Some(taken)) => taken,
            (None, None) => true,
        };
        if answer.is_some() || known.is_none() {
            self.limits.push(Limit { question, element: element.clone(), yours: Some(node.clone()), database: drafts.p1.cloned() });
        }
        let database = drafts.p1.map(Node::plain);
        let tile = self.tile(node);
        if answer.is_some() {
            tile.answers.retain(|a| a.database != database);
            tile.answers.push(super::whole::Answered { database: database.clone(), taken });
        }
        match database {
            Some(value) if taken => {
                "the database declares less".clone_into(&mut tile.because);
                tile.stand_in = Some(StandIn { value, limit: true });
            }
            _ => self.keep(element, Some(node), drafts.p1, true),
        }
    }

    /// A limit that a person left away: the database's takes the place of none.
    fn limit_of_nothing(&mut self, element: &Element, parent: &mut Node, name: &str, of: Drafts<'_>) {
        let question = self.given.placement.limit_question(element);
        let drafts = of.key(name);
        self.limits.push(Limit { question: question.clone(), element: element.clone(), yours: None, database: drafts.p1.cloned() });
        let Some(p1) = drafts.p1.filter(|_| self.given.answers.get(&question).is_none_or(|a| a != "keep")) else {
            return self.keep(element, None, drafts.p1, true);
        };
        let mut new = numbered(p1.clone(), self.tiles, "the database declares less");
        // It stands in for a limit that isn't there: taken away again when the database accepts more.
        self.tile(&new).stand_in = Some(StandIn { value: p1.clone(), limit: true });
        self.tile(&new).refused = false;
        new.value = Value::Other(String::new());
        enter_key(parent, name, new, of.p1);
    }

    /// A limit behind the database's: it comes back when the database accepts it again.
    fn limited(&mut self, element: &Element, node: &Node, stand_in: &StandIn, drafts: Drafts<'_>, p1: Option<&Node>) {
        let nothing = matches!(&node.value, Value::Other(text) if text.is_empty());
        let yours = (!nothing).then_some(node);
        let accepted = !looser(element.last(), yours, p1);
        let tile = self.tile(node);
        if accepted {
            "the database accepts it again".clone_into(&mut tile.because);
            if nothing {
                tile.away = true;
            } else {
                tile.stand_in = None;
            }
        } else if let Some(p1) = drafts.p1 {
            if nothing {
                tile.away = false;
            }
            if stand_in.value != *p1 {
                tile.stand_in = Some(StandIn { value: p1.plain(), limit: true });
                "the database declares less".clone_into(&mut tile.because);
            }
        }
    }
}

/// Puts a key in where the draft has it.
pub(super) fn enter_key(parent: &mut Node, name: &str, node: Node, around: Option<&Node>) {
    let order: Vec<String> = around.map(|n| n.entries().iter().map(|e| e.key.clone()).collect()).unwrap_or_default();
    let there: Vec<String> = parent.entries().iter().map(|e| e.key.clone()).collect();
    let at = place_by(&order, name, &there);
    if let Value::Table(entries) = &mut parent.value {
        entries.insert(at, Entry { key: name.to_owned(), at: crate::definition::At::default(), node });
    }
}
