//! Step 2: what is the generator's follows the draft where it changed, what is a person's stays, and what is new in the
//! draft comes in beside its neighbours there. One walk over the shapes serves every part of the format; arrays are in
//! [`super::rows`].

use super::layout::Placement;
use super::questions::{Limit, looser};
use super::tile::{StandIn, Tile};
use super::values::{Kept, default_of};
use super::whole::{Whole, has_own, is_as_drafted, numbered, place_by};
use crate::definition::{EntityIndex, Entry, FileKey, Node, Shape, Tree, Value, shape_of};
use crate::merge::Element;
use crate::name;
use std::collections::{BTreeMap, BTreeSet};

/// The drafts of one element: for the accepted schema (or what the draft said when it went), and for the changed one.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Drafts<'a> {
    pub accepted: Option<&'a Node>,
    pub changed: Option<&'a Node>,
}

impl<'a> Drafts<'a> {
    pub fn key(&self, key: &str) -> Drafts<'a> {
        Drafts { accepted: self.accepted.and_then(|n| n.get(key)), changed: self.changed.and_then(|n| n.get(key)) }
    }
}

/// What the walk is given.
#[derive(Clone, Copy)]
pub(super) struct Given<'a> {
    pub placement: &'a Placement,
    pub answers: &'a BTreeMap<String, String>,
    /// What a person left out while the draft had it no more.
    pub left_out: &'a BTreeSet<String>,
    /// What there is, before anything changes.
    pub index: &'a EntityIndex,
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
pub(super) fn walk<'a>(whole: &'a mut Whole, accepted: &Tree, changed: &Tree, given: Given<'a>) -> Walk<'a> {
    let Whole { tree, tiles } = whole;
    let mut walk = Walk { given, tiles, kept: Vec::new(), limits: Vec::new(), left_out: BTreeSet::new(), new_fields: BTreeMap::new() };
    let files: BTreeSet<FileKey> = tree.files.keys().chain(changed.files.keys()).chain(accepted.files.keys()).cloned().collect();
    for file in files {
        let element = Element::file(file.clone());
        let drafts = Drafts { accepted: accepted.files.get(&file), changed: changed.files.get(&file) };
        let stands = drafts.changed.is_some()
            && drafts.accepted == drafts.changed
            && tree.files.get(&file).is_some_and(|root| is_as_drafted(root, drafts.accepted, walk.tiles));
        if stands {
            continue;
        }
        match (tree.files.get_mut(&file), drafts) {
            (Some(root), drafts) => walk.table(&element, root, *shape_of(&file), drafts),
            (None, Drafts { accepted: None, changed: Some(new) }) if !given.left_out.contains(&element.encode()) => {
                tree.files.insert(file, numbered(new.clone(), walk.tiles, "a new table"));
            }
            (None, Drafts { accepted: Some(_), changed: None }) => {
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
            let is_kept = has_own(node, self.tiles) && drafts.accepted != Some(node);
            if is_kept || (drafts.accepted.is_some_and(|accepted| accepted != node)) {
                let yours = super::whole::shown(node, self.tiles);
                self.keep(element, yours.as_ref(), drafts.changed, false);
            }
            return;
        }
        let is_element = !matches!(shape, Shape::Named(_)) || element.steps.len() != 1;
        let at = self.tile(node).at.clone();
        let drafts = Drafts { accepted: drafts.accepted.or(at.as_ref()), ..drafts };
        if is_element {
            match (drafts.accepted, drafts.changed) {
                (Some(accepted), None) => return self.loses(element, node, accepted),
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
                        tile.forget_departure();
                    }
                }
            }
        }
        let is_page = element.key_at(0) == Some("page") && element.steps.len() == 2;
        let flat = |draft: Option<&Node>| draft.filter(|_| is_page).and_then(|d| self.given.placement.flattened(node, Some(d)));
        let (flat0, flat1) = (flat(drafts.accepted), flat(drafts.changed));
        let drafts = Drafts { accepted: flat0.as_ref().or(drafts.accepted), changed: flat1.as_ref().or(drafts.changed) };
        match shape {
            Shape::Record(keys) => {
                for key in keys {
                    self.child(element, node, key.name, key.shape, drafts);
                }
            }
            Shape::Named(inner) | Shape::ByField(inner) => {
                let mut names: Vec<String> = Vec::new();
                for node in [drafts.changed, Some(&*node), drafts.accepted].into_iter().flatten() {
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
    fn loses(&mut self, element: &Element, node: &Node, accepted: &Node) {
        let is_own = has_own(node, self.tiles);
        let tile = self.tile(node);
        if tile.stays {
            tile.stays = false;
            return;
        }
        tile.at = Some(accepted.plain());
        // A field that is no lookup any more has no use for what a person said of it as one.
        let is_lookup = element.steps.len() == 3 && element.key_at(0) == Some("field") && element.last() == "lookup";
        let goes = !is_own || is_lookup;
        if is_lookup && !tile.away {
            let value = node.get("value").map(|value| value.strings().iter().map(|c| name::read(c)).collect());
            let key =
                node.get("entity").and_then(Node::as_text).and_then(|target| self.given.index.entities.get(target)).map(|t| t.key.clone());
            self.tile(node).referred = value.or(key).unwrap_or_default();
        }
        let tile = self.tile(node);
        if goes && !tile.away {
            tile.away = true;
            NO_MORE.clone_into(&mut tile.because);
        } else if is_own && !goes {
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
        match (drafts.accepted, drafts.changed) {
            (None, Some(new)) => self.comes(&element, parent, name, shape, new, of.changed),
            (Some(_), None) => {
                self.left_out.insert(element.encode());
            }
            (Some(accepted), Some(changed)) => {
                let is_limit = looser(element.last(), None, Some(changed)) && accepted != changed && element.key_at(0) == Some("field");
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
                        self.keep(&element, None, Some(changed), accepted != changed);
                    } else if self.is_label_of_renamed(&element) {
                        self.comes(&element, parent, name, shape, changed, of.changed);
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
        let names: BTreeSet<String> =
            drafts.accepted.iter().chain(drafts.changed.iter()).flat_map(|n| n.entries()).map(|e| e.key.clone()).collect();
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
        let (accepted, changed) = (full(drafts.accepted), full(drafts.changed));
        let tile = self.tile(node).clone();
        if let Some(stand_in) = tile.stand_in.clone().filter(|s| s.limit) {
            return self.limited(element, node, &stand_in, drafts, changed.as_ref());
        }
        if tile.own {
            let yours = full(Some(node));
            if yours == changed {
                return;
            }
            if accepted != changed && looser(element.last(), yours.as_ref(), changed.as_ref()) {
                return self.limit(element, node, drafts);
            }
            return self.keep(element, Some(node), drafts.changed, accepted != changed);
        }
        if element.steps.len() == 1 && element.last() == "key" && self.given.lost_keys.contains(element.file.name()) {
            return;
        }
        match (drafts.accepted, drafts.changed) {
            (Some(accepted), None) => {
                if self.would_widen(element, node) {
                    return;
                }
                let tile = self.tile(node);
                if tile.stays {
                    tile.stays = false;
                    if let Some((_, was)) = tile.faces.iter().find(|(draft, _)| draft.is_none()).cloned() {
                        self.becomes(node, Some(accepted), &was, FOLLOWS);
                    }
                } else if !tile.away {
                    tile.away = true;
                    tile.at = Some(accepted.plain());
                    NO_MORE.clone_into(&mut tile.because);
                }
            }
            (None, Some(changed)) => {
                let tile = self.tile(node);
                let before = if tile.away { tile.at.take() } else { None };
                if tile.away {
                    tile.away = false;
                    AGAIN.clone_into(&mut tile.because);
                } else if !tile.was_hidden {
                    tile.stays = true;
                }
                if before.as_ref() != Some(changed) {
                    self.follows(node, before.as_ref(), changed);
                }
            }
            (Some(accepted), Some(changed))
                if accepted != changed && (!self.would_widen(element, node) || changed.as_bool() == Some(true)) =>
            {
                self.follows(node, Some(accepted), changed);
            }
            _ => {}
        }
    }

    /// The generator's value follows: to what stood under that value of the draft, else to the value itself.
    pub(super) fn follows(&mut self, node: &mut Node, accepted: Option<&Node>, changed: &Node) {
        let known = self.tile(node).faces.iter().find(|(draft, _)| draft.as_ref() == Some(changed)).map(|(_, was)| was.clone());
        let to = known.unwrap_or_else(|| changed.clone());
        self.becomes(node, accepted, &to, FOLLOWS);
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
        if let Some(memory) = tile.remembered() {
            memory.spelled.clear();
        }
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
        let known = self.tile(node).answers.iter().find(|a| a.database.as_ref() == drafts.changed).map(|a| a.taken);
        let answer = self.given.answers.get(&question).map(String::as_str);
        let taken = match (answer, known) {
            (Some(answer), _) => answer != "keep",
            (None, Some(taken)) => taken,
            (None, None) => true,
        };
        if answer.is_some() || known.is_none() {
            self.limits.push(Limit { question, element: element.clone(), yours: Some(node.clone()), database: drafts.changed.cloned() });
        }
        let database = drafts.changed.map(Node::plain);
        let tile = self.tile(node);
        if answer.is_some() {
            tile.answers.retain(|a| a.database != database);
            tile.answers.push(super::tile::Answered { database: database.clone(), taken });
        }
        match database {
            Some(value) if taken => {
                "the database declares less".clone_into(&mut tile.because);
                tile.stand_in = Some(StandIn { value, limit: true });
            }
            _ => self.keep(element, Some(node), drafts.changed, true),
        }
    }

    /// A limit that a person left away: the database's takes the place of none.
    fn limit_of_nothing(&mut self, element: &Element, parent: &mut Node, name: &str, of: Drafts<'_>) {
        let question = self.given.placement.limit_question(element);
        let drafts = of.key(name);
        self.limits.push(Limit { question: question.clone(), element: element.clone(), yours: None, database: drafts.changed.cloned() });
        let Some(changed) = drafts.changed.filter(|_| self.given.answers.get(&question).is_none_or(|a| a != "keep")) else {
            return self.keep(element, None, drafts.changed, true);
        };
        let mut new = numbered(changed.clone(), self.tiles, "the database declares less");
        // It stands in for a limit that isn't there: taken away again when the database accepts more.
        self.tile(&new).stand_in = Some(StandIn { value: changed.clone(), limit: true });
        self.tile(&new).refused = false;
        new.value = Value::Other(String::new());
        enter_key(parent, name, new, of.changed);
    }

    /// A limit behind the database's: it comes back when the database accepts it again.
    fn limited(&mut self, element: &Element, node: &Node, stand_in: &StandIn, drafts: Drafts<'_>, changed: Option<&Node>) {
        let nothing = matches!(&node.value, Value::Other(text) if text.is_empty());
        let yours = (!nothing).then_some(node);
        let fits = !looser(element.last(), yours, changed);
        let tile = self.tile(node);
        if fits {
            "the database accepts it again".clone_into(&mut tile.because);
            if nothing {
                tile.away = true;
            } else {
                tile.stand_for_itself();
            }
        } else if let Some(changed) = drafts.changed {
            if nothing {
                tile.away = false;
            }
            if stand_in.value != *changed {
                tile.stand_in = Some(StandIn { value: changed.plain(), limit: true });
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

#[cfg(test)]
mod tests {
    #[test]
    fn the_generators_follows_the_draft_and_a_persons_stays() {
        crate::testkit::merge_as_said(
            r#"
# Drafted by the length of the column.
after keeper.phone: text(30)
then keeper/field.phone.max_length = 30

# A person was stricter: nothing to do.
given keeper/field.phone.max_length = 9
after keeper.phone: text(30)
then keeper/field.phone.max_length = 9

# The database is stricter than the person: its limit stands in, and the question is which.
given keeper/field.phone.max_length = 15
after keeper.phone: text(10)
then keeper/field.phone.max_length = 10
asks limit/keeper.phone/max_length

given keeper/field.phone.max_length = 15
after keeper.phone: text(10)
answer limit/keeper.phone/max_length keep
then keeper/field.phone.max_length = 15

# A kind that nobody chose.
after keeper.age: text
then keeper/field.age.kind = "text"

given keeper/field.age.kind = "duration"
after keeper.age: text
then keeper/field.age.kind = "duration"

# A label that a person wrote stays whatever the column is called.
given keeper/field.phone.label = "Call"
after keeper.phone -> mobile
then keeper/field.phone.label = "Call"

# A query of a person's own doesn't give the new column: no page could read it.
given keeper/source = { select = "SELECT id, last_name, phone, region_code, born_on, age FROM keeper WHERE age > 3" }
after keeper + shoe integer
then keeper/field.shoe gone
then keeper/page.list.fields = ["last_name", "phone", "region_code", "born_on", "age"]

# Nor what has the name of something that the query gives.
given keeper/source = { select = "SELECT id, last_name, phone, region_code, born_on, age, 1 AS shoe FROM keeper" }
given keeper/field.shoe = { column = "shoe", kind = "number", label = "One" }
after keeper + shoe text(20)
then keeper/field.shoe = { column = "shoe", kind = "number", label = "One" }

given keeper/source = { select = "SELECT k.* FROM keeper k WHERE age > 3" }
after keeper + shoe integer
then keeper/field.shoe.column = "shoe"

# What a person left out isn't put back by a change elsewhere.
given keeper/page.list.search = []
after keeper.age: text
then keeper/page.list.search = []
"#,
        );
    }
}
