//! Tiles as the core's tree: one table of values whatever it is spelled by, with hidden ones, each with its tile's number.

use super::values;
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use ysomorph_core::definition::{At, Entry, FileKey, Node, Value};
use ysomorph_core::merge::{StandIn, Tile, Whole};
use ysomorph_kept::{Id, Line, Mark, Member, Tiles, What};

/// The key of a tile's own note; a table's note has the number of keys that lead to it.
pub(super) const OWN: u8 = 0;
/// Added to the number of keys for a list of `[[…]]`.
pub(super) const BLOCKS: u8 = 100;

/// Where a node of the tree stands in a file's tiles.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Place {
    /// It has no tile.
    Nowhere,
    /// The file.
    File,
    /// A line's value.
    Line(Id),
    /// A member of an array, or an entry of an inline table.
    Member(Id),
    /// A table that begins with this line; the number of keys that lead to it.
    Table(Id, u8),
    /// A list of `[[…]]` that begins with this line.
    Blocks(Id, u8),
}

/// A file read as a tree.
#[derive(Debug, Default)]
pub(super) struct Read {
    /// The number of the file's first tile.
    first: u32,
    /// By tile number, less the first of the file.
    places: Vec<Place>,
    /// The node that each line belongs to, by its tile's number.
    pub lines: BTreeMap<Id, u32>,
}

impl Read {
    pub fn place(&self, tile: u32) -> Place {
        tile.checked_sub(self.first).and_then(|at| self.places.get(at as usize)).copied().unwrap_or(Place::Nowhere)
    }

    /// Whether a number is of a tile that came later than the file's.
    pub fn is_later(&self, tile: u32) -> bool {
        tile as usize >= self.first as usize + self.places.len()
    }
}

/// The whole that the tiles of all files say; a file that isn't in the folder is hidden.
pub(crate) fn whole_of(files: &BTreeMap<FileKey, Arc<Tiles>>, is_away: &(dyn Fn(&FileKey) -> bool + Sync)) -> Whole {
    let mut whole = Whole { tiles: vec![Tile::default()], ..Whole::default() };
    let all: Vec<(&FileKey, &Arc<Tiles>)> = files.iter().collect();
    let read: Vec<_> = all.into_par_iter().map(|(file, tiles)| (file.clone(), read(tiles, 1, is_away(file)))).collect();
    for (file, (mut root, mut own, _)) in read {
        let before = u32::try_from(whole.tiles.len()).unwrap_or(u32::MAX).saturating_sub(1);
        renumber(&mut root, before);
        whole.tiles.append(&mut own);
        whole.tree.files.insert(file, root);
    }
    whole
}

/// Counts the numbers of a file's nodes on from those before.
fn renumber(node: &mut Node, before: u32) {
    if node.tile != 0 {
        node.tile = node.tile.saturating_add(before);
    }
    match &mut node.value {
        Value::List(items) => items.iter_mut().for_each(|item| renumber(item, before)),
        Value::Table(entries) => entries.iter_mut().for_each(|entry| renumber(&mut entry.node, before)),
        _ => {}
    }
}

/// Reads a file's tiles; the nodes' numbers begin with `first`.
pub(super) fn read(file: &Tiles, first: u32, is_away: bool) -> (Node, Vec<Tile>, Read) {
    let read = Read { first, ..Read::default() };
    let mut reader = Reader { tiles: Numbered { first, all: Vec::new() }, read, blocks: BTreeMap::new(), entries: HashMap::new() };
    let mut root = reader.numbered(Node::table(), Place::File, &file.mark, OWN);
    for line in file.lines() {
        reader.line(&mut root, line);
    }
    reader.settle(&mut root, file, is_away);
    (root, reader.tiles.all, reader.read)
}

/// The tiles of a file, by number.
struct Numbered {
    first: u32,
    all: Vec<Tile>,
}

impl Numbered {
    fn push(&mut self, tile: Tile) -> u32 {
        self.all.push(tile);
        self.first + u32::try_from(self.all.len() - 1).unwrap_or_default()
    }

    fn get_mut(&mut self, number: usize) -> Option<&mut Tile> {
        self.all.get_mut(number.checked_sub(self.first as usize)?)
    }
}

struct Reader {
    tiles: Numbered,
    read: Read,
    /// By `[[…]]`: how many keys lead to it, and which of its list it is.
    blocks: BTreeMap<Id, (usize, usize)>,
    /// By table and key: which of the table's entries it is.
    entries: HashMap<(u32, String), usize>,
}

/// A step into a tree by position.
#[derive(Clone, Copy)]
enum Turn {
    Entry(usize),
    Item(usize),
}

impl Reader {
    fn numbered(&mut self, mut node: Node, place: Place, mark: &Mark, note: u8) -> Node {
        let mut tile: Tile = mark.notes.get(&note).and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default();
        if note == OWN {
            (tile.own, tile.laid, tile.touched) = (mark.own, mark.laid, mark.touched);
        }
        node.tile = self.tiles.push(tile);
        self.read.places.push(place);
        node
    }

    fn line(&mut self, root: &mut Node, line: &Line) {
        let path = line.path();
        let depth = u8::try_from(path.len()).unwrap_or(u8::MAX);
        let (parent, last) = match (line.what(), path.split_last()) {
            (_, None) => return,
            (What::Table, _) => {
                let Some(tile) = self.table(root, line, path.len()).map(|node| node.tile) else { return };
                // A header of its own says more of a table than what stood in it before.
                if matches!(self.read.place(tile), Place::Table(of, _) if of == line.id())
                    && let Some(own) = self.tiles.get_mut(tile as usize)
                {
                    (own.own, own.touched) = (line.mark.own, line.mark.touched);
                }
                self.read.lines.insert(line.id(), tile);
                return;
            }
            (_, Some((last, parent))) => (parent.len(), last),
        };
        if line.what() == What::Each {
            let mut table = self.numbered(Node::table(), Place::Table(line.id(), depth), &line.mark, depth);
            if let Some(tile) = self.tiles.get_mut(table.tile as usize) {
                (tile.own, tile.touched) = (line.mark.own, line.mark.touched);
            }
            table.at = At::default();
            self.read.lines.insert(line.id(), table.tile);
            let number = self.table(root, line, parent).map(|around| around.tile);
            if number.is_some_and(|n| !self.entries.contains_key(&(n, last.clone()))) {
                let list = self.numbered(Node::new(Value::List(Vec::new())), Place::Blocks(line.id(), depth), &line.mark, BLOCKS + depth);
                if let Some(around) = self.table(root, line, parent) {
                    self.put(around, last, list);
                }
            }
            let around = self.table(root, line, parent);
            if let Some(Value::List(items)) = around.and_then(|a| get_mut(a, last)).map(|n| &mut n.value) {
                self.blocks.insert(line.id(), (path.len(), items.len()));
                items.push(table);
            }
            return;
        }
        let node = self.value(line.value(), &line.mark, Place::Line(line.id()));
        self.read.lines.insert(line.id(), node.tile);
        if let Some(around) = self.table(root, line, parent)
            && !self.has(around, last)
        {
            self.put(around, last, node);
        }
    }

    /// The table that the first keys of a line lead to, made where it isn't there yet; nothing where a value stands in the way.
    fn table<'n>(&mut self, root: &'n mut Node, line: &Line, keys: usize) -> Option<&'n mut Node> {
        let mut turns: Vec<Turn> = Vec::new();
        let mut number = root.tile;
        for (at, key) in line.path().iter().take(keys).enumerate() {
            let depth = u8::try_from(at + 1).unwrap_or(u8::MAX);
            let known = self.entries.get(&(number, key.clone())).copied();
            let entry = match known {
                Some(entry) => entry,
                None => {
                    let made = self.numbered(Node::table(), Place::Table(line.id(), depth), &line.mark, depth);
                    self.put(down(root, &turns)?, key, made)?
                }
            };
            turns.push(Turn::Entry(entry));
            let block = line.blocks().iter().filter_map(|b| self.blocks.get(b)).find(|(depth, _)| *depth == at + 1);
            turns.extend(block.map(|(_, index)| Turn::Item(*index)));
            number = down(root, &turns)?.tile;
        }
        down(root, &turns)
    }

    /// Puts a key into a table, and tells which of its entries it is.
    fn put(&mut self, table: &mut Node, key: &str, child: Node) -> Option<usize> {
        let number = table.tile;
        let Value::Table(entries) = &mut table.value else { return None };
        entries.push(Entry { key: key.to_owned(), at: At::default(), node: child });
        self.entries.insert((number, key.to_owned()), entries.len() - 1);
        Some(entries.len() - 1)
    }

    fn has(&self, table: &Node, key: &str) -> bool {
        self.entries.contains_key(&(table.tile, key.to_owned()))
    }

    fn value(&mut self, value: &ysomorph_kept::Value, mark: &Mark, place: Place) -> Node {
        let shown = match value {
            ysomorph_kept::Value::Plain(text) => values::value(text),
            ysomorph_kept::Value::Members(container) if container.is_table() => {
                let mut node = self.numbered(Node::table(), place, mark, OWN);
                for member in container.members() {
                    self.entry(&mut node, member);
                }
                return node;
            }
            ysomorph_kept::Value::Members(container) if mark.behind.is_none() => {
                let node = self.numbered(Node::new(Value::List(Vec::new())), place, mark, OWN);
                let items = container.members().iter().map(|m| self.value(m.value(), &m.mark, Place::Member(m.id()))).collect();
                return Node { value: Value::List(items), ..node };
            }
            ysomorph_kept::Value::Members(container) => {
                let items = container.members().iter().filter_map(|m| match m.value() {
                    ysomorph_kept::Value::Plain(text) => Some(values::value(text)),
                    ysomorph_kept::Value::Members(_) => None,
                });
                Node::new(Value::List(items.collect()))
            }
        };
        let Some(behind) = &mark.behind else {
            let node = self.numbered(shown, place, mark, OWN);
            if let Some(tile) = self.tiles.get_mut(node.tile as usize) {
                tile.stand_for_itself();
            }
            return node;
        };
        let value = if behind.is_empty() { Node::new(Value::Other(String::new())) } else { values::value(behind) };
        let mut node = self.numbered(Node::default(), place, mark, OWN);
        let number = node.tile;
        let numbered = |node: Node, reader: &mut Self| match node.value {
            Value::List(items) => {
                let items = items.into_iter().map(|item| reader.numbered(item, Place::Nowhere, &Mark::default(), OWN)).collect();
                Node { value: Value::List(items), ..Node::default() }
            }
            other => Node::new(other),
        };
        node.value = numbered(value, self).value;
        if let Some(tile) = self.tiles.get_mut(number as usize) {
            let limit = tile.stand_in.as_ref().is_some_and(|s| s.limit);
            tile.stand_in = Some(StandIn { value: shown, limit });
        }
        node
    }

    fn entry(&mut self, table: &mut Node, member: &Member) {
        let keys = member.keys();
        let Some((last, around)) = keys.split_last() else { return };
        let node = self.value(member.value(), &member.mark, Place::Member(member.id()));
        let mut at = table;
        for key in around {
            if !self.has(at, key) {
                let made = self.numbered(Node::table(), Place::Nowhere, &Mark::default(), OWN);
                self.put(at, key, made);
            }
            let Some(found) = self.entries.get(&(at.tile, key.clone())).copied() else { return };
            let Some(next) = down(at, &[Turn::Entry(found)]) else { return };
            at = next;
        }
        if !self.has(at, last) {
            self.put(at, last, node);
        }
    }

    /// What was hidden, for itself or with what it stands in.
    fn settle(&mut self, root: &mut Node, file: &Tiles, is_away: bool) {
        let mut hidden: BTreeMap<Id, bool> = BTreeMap::new();
        for line in file.lines() {
            hidden.insert(line.id(), !line.is_shown());
            members(line.value(), &mut |m| {
                hidden.insert(m.id(), m.is_hidden());
            });
        }
        let headers: BTreeMap<u32, bool> = file
            .lines()
            .iter()
            .filter(|l| l.what() != What::Key)
            .filter_map(|l| Some((*self.read.lines.get(&l.id())?, !l.is_shown())))
            .collect();
        self.hidden(root, is_away, &hidden, &headers);
        if let Some(tile) = self.tiles.get_mut(root.tile as usize) {
            (tile.was_hidden, tile.gone) = (is_away, is_away && !tile.away);
        }
    }

    /// Whether nothing of a node was shown.
    fn hidden(&mut self, node: &Node, around: bool, hidden: &BTreeMap<Id, bool>, headers: &BTreeMap<u32, bool>) -> bool {
        let own = match self.read.place(node.tile) {
            Place::Line(id) | Place::Member(id) => hidden.get(&id).copied(),
            _ => headers.get(&node.tile).copied(),
        };
        let is_hidden = around || own == Some(true);
        let mut inner = true;
        for child in node.items().iter().chain(node.entries().iter().map(|e| &e.node)) {
            inner &= self.hidden(child, is_hidden, hidden, headers);
        }
        let has_children = !node.items().is_empty() || !node.entries().is_empty();
        let is_hidden = is_hidden || own.is_none() && has_children && inner && !matches!(self.read.place(node.tile), Place::File);
        if let Some(tile) = self.tiles.get_mut(node.tile as usize) {
            tile.was_hidden = is_hidden;
            // Until a merge works it out anew.
            tile.gone = is_hidden && !tile.away && !tile.refused;
        }
        is_hidden
    }
}

/// Calls with every member within a value.
pub(super) fn members<'v>(value: &'v ysomorph_kept::Value, visit: &mut dyn FnMut(&'v Member)) {
    if let ysomorph_kept::Value::Members(container) = value {
        for member in container.members() {
            visit(member);
            members(member.value(), visit);
        }
    }
}

/// What some turns lead to.
fn down<'n>(node: &'n mut Node, turns: &[Turn]) -> Option<&'n mut Node> {
    turns.iter().try_fold(node, |node, turn| match (turn, &mut node.value) {
        (Turn::Entry(at), Value::Table(entries)) => entries.get_mut(*at).map(|e| &mut e.node),
        (Turn::Item(at), Value::List(items)) => items.get_mut(*at),
        _ => None,
    })
}

fn get_mut<'n>(node: &'n mut Node, key: &str) -> Option<&'n mut Node> {
    match &mut node.value {
        Value::Table(entries) => entries.iter_mut().find(|e| e.key == key).map(|e| &mut e.node),
        _ => None,
    }
}
