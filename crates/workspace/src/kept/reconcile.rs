//! From a merged whole to the tiles: values are written where they differ, what is new goes in beside its neighbours, and what
//! is hidden is hidden. A byte that the merge has no reason to change doesn't change.

use super::error::ReconcileError;
use super::marks::marked;
use super::tree::{Place, Read, read};
use super::values::{respelled, respelled_key};
use crate::toml::{render_block, render_file, render_key, render_line, render_value};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use ysomorph_core::definition::{Entry, FileKey, Node, Value};
use ysomorph_core::merge::{Tile, Whole};
use ysomorph_kept::{Id, Tiles, Unreadable, What};

/// Brings the tiles of all files to what a whole says. `before` is the whole as the tiles were read. Files of which nothing
/// changed are shared, not made anew.
pub(crate) fn reconcile(
    files: &BTreeMap<FileKey, Arc<Tiles>>,
    before: &Whole,
    after: &Whole,
) -> Result<BTreeMap<FileKey, Arc<Tiles>>, ReconcileError> {
    let roots: Vec<(&FileKey, &Node)> = after.tree.files.iter().collect();
    let made = roots.into_par_iter().map(|(file, root)| match (files.get(file), before.tree.files.get(file)) {
        (Some(tiles), Some(was)) if is_same(was, root, before, after, false) => Ok((file.clone(), Arc::clone(tiles))),
        (Some(tiles), Some(was)) => {
            let (_, _, places) = read(tiles, was.tile, false);
            let tiles = Tiles::clone(tiles);
            let mut writer = Writer { tiles, places, before, after, file, failed: None, blocks: BTreeMap::new() };
            writer.node(was, root);
            match writer.failed {
                Some(error) => Err(ReconcileError::Unreadable(file.path(), error)),
                None => Ok((file.clone(), Arc::new(marked(writer.tiles, root, after, file)?))),
            }
        }
        _ => {
            let text = render_file(&root.plain());
            let tiles = ysomorph_kept::read(&text).map_err(|e| ReconcileError::Unreadable(file.path(), e))?;
            Ok((file.clone(), Arc::new(marked(tiles, root, after, file)?)))
        }
    });
    made.collect::<Result<Vec<_>, _>>().map(|files| files.into_iter().collect())
}

/// Whether nothing of a node is to be written: it says the same, is shown or hidden as it was, and nothing else is remembered.
fn is_same(was: &Node, now: &Node, before: &Whole, after: &Whole, around: bool) -> bool {
    let (Some(old), Some(new)) = (before.tile(was), after.tile(now)) else { return false };
    let is_hidden = around || new.is_hidden();
    let remembered = |tile: &Tile| Tile {
        touched: false,
        was_hidden: false,
        gone: false,
        is_back: false,
        empty: false,
        because: String::new(),
        ..tile.clone()
    };
    let same_tile =
        was.tile == now.tile && is_hidden == old.was_hidden && (old.is_plain() && new.is_plain() || remembered(old) == remembered(new));
    if !same_tile || (old.own, old.laid) != (new.own, new.laid) {
        return false;
    }
    match (&was.value, &now.value) {
        (Value::Table(a), Value::Table(b)) => {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.key == b.key && is_same(&a.node, &b.node, before, after, is_hidden))
        }
        (Value::List(a), Value::List(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| is_same(a, b, before, after, is_hidden)),
        _ => was == now,
    }
}

struct Writer<'a> {
    tiles: Tiles,
    places: Read,
    before: &'a Whole,
    after: &'a Whole,
    file: &'a FileKey,
    failed: Option<Unreadable>,
    /// The `[[…]]` that were put in, by their nodes' numbers.
    blocks: BTreeMap<u32, Id>,
}

impl Writer<'_> {
    fn note(&mut self, done: Result<(), Unreadable>) {
        if let Err(error) = done {
            self.failed.get_or_insert(error);
        }
    }

    fn place(&self, node: &Node) -> Place {
        self.places.place(node.tile)
    }

    /// Brings a node that was there to what it is now.
    fn node(&mut self, was: &Node, now: &Node) {
        let (old, new) = (self.before.tile(was).and_then(|t| t.stand_in.clone()), self.after.tile(now).and_then(|t| t.stand_in.clone()));
        match (&was.value, &now.value) {
            (Value::Table(_), Value::Table(entries)) => self.table(was, now, entries),
            (Value::List(before), Value::List(items)) if old.is_none() && new.is_none() && holds(items, before) => {
                self.list(was, now, before, items);
            }
            _ => self.value(was, now, old.map(|s| s.value), new.map(|s| s.value)),
        }
    }

    /// A value, and what stands in for it.
    fn value(&mut self, was: &Node, now: &Node, old: Option<Node>, new: Option<Node>) {
        let (Place::Line(id) | Place::Member(id)) = self.place(was) else { return };
        if was.plain() == now.plain() && old == new {
            return;
        }
        let Some(shown) = self.tiles.written(id) else { return };
        let Some(mark) = self.tiles.mark_mut(id) else { return };
        let mut spellings = std::mem::take(&mut mark.spellings);
        let raw = mark.behind.clone().filter(|_| old.is_some()).unwrap_or_else(|| shown.clone());
        let nothing = |node: &Node| matches!(&node.value, Value::Other(text) if text.is_empty());
        let own = if nothing(now) { String::new() } else { respelled(&raw, &was.plain(), &now.plain(), &mut spellings) };
        let (text, behind) = match (old, new) {
            (_, None) => (own, None),
            (None, Some(new)) => (render_value(&new), Some(own)),
            (Some(old), Some(new)) if old == new => (shown, Some(own)),
            (Some(_), Some(new)) => (render_value(&new), Some(own)),
        };
        if let Some(mark) = self.tiles.mark_mut(id) {
            mark.spellings = spellings;
            mark.behind = behind;
        }
        let done = if text.is_empty() { Ok(()) } else { self.tiles.write(id, &text) };
        self.note(done);
    }

    fn list(&mut self, was: &Node, now: &Node, before: &[Node], items: &[Node]) {
        for (at, item) in items.iter().enumerate() {
            match before.iter().find(|b| b.tile == item.tile) {
                Some(known) => self.node(known, item),
                None => self.new_item(was, now, at, item, items),
            }
        }
    }

    /// A new member of an array, or a new `[[…]]`.
    fn new_item(&mut self, was: &Node, now: &Node, at: usize, item: &Node, items: &[Node]) {
        match self.place(was) {
            Place::Line(id) | Place::Member(id) => {
                let done = self.tiles.insert_member(id, at, &render_value(&item.plain()));
                self.note(done.map(|_| ()));
            }
            Place::Blocks(..) => {
                let Some(path) = self.path_of(now) else { return };
                let header = format!("[[{}]]", rendered(&path));
                let header_of = |node: &Node| match self.place(node) {
                    Place::Table(id, _) => Some(id),
                    _ => self.blocks.get(&node.tile).copied(),
                };
                let before = items.iter().take(at).rev().find_map(header_of);
                let last = before.and_then(|id| self.tiles.lines().iter().rposition(|l| l.blocks().contains(&id)));
                let next = items.iter().skip(at + 1).find_map(header_of);
                let next = next.and_then(|id| self.tiles.lines().iter().position(|l| l.id() == id));
                let index = last.map(|l| l + 1).or(next).unwrap_or(self.tiles.lines().len());
                let new = self.insert_block(index, &render_block(&header, &item.plain()));
                self.blocks.extend(new.map(|id| (item.tile, id)));
            }
            _ => {}
        }
    }

    /// The keys that lead to a node.
    fn path_of(&self, node: &Node) -> Option<Vec<String>> {
        path_in(self.after.tree.files.get(self.file)?, node.tile)
    }

    /// Puts a block in, and gives its first line.
    fn insert_block(&mut self, at: usize, block: &str) -> Option<Id> {
        // What follows must not fall under the new header.
        let lines = self.tiles.lines();
        let at = (at..lines.len()).find(|at| lines.get(*at).is_some_and(|l| l.what() != What::Key)).unwrap_or(lines.len());
        let gap = if at == 0 { "" } else { "\n" };
        match self.tiles.insert_lines(at, &format!("{gap}{block}\n")) {
            Ok(lines) => lines.first().copied(),
            Err(error) => {
                self.note(Err(error));
                None
            }
        }
    }

    fn table(&mut self, was: &Node, now: &Node, entries: &[Entry]) {
        // Keys first, all at once: one may take the name that another gives up.
        let mut renames: Vec<(Id, usize, String)> = Vec::new();
        for entry in entries {
            let Some(known) = was.entries().iter().find(|e| e.node.tile == entry.node.tile) else { continue };
            if known.key != entry.key {
                renames.extend(self.spellings_of(was, known).into_iter().map(|(id, at)| (id, at, entry.key.clone())));
            }
        }
        for (id, at, to) in renames {
            self.tiles.rename_key(id, at, &|before| respelled_key(before, &to));
        }
        let mut previous: Vec<&Entry> = Vec::new();
        for entry in entries {
            match was.entries().iter().find(|e| e.node.tile == entry.node.tile) {
                Some(known) => self.node(&known.node, &entry.node),
                None => self.new_entry(was, now, entry, &previous),
            }
            previous.push(entry);
        }
    }

    /// Every spelling of a key of a table: the tile, and which of its keys it is.
    fn spellings_of(&self, table: &Node, entry: &Entry) -> Vec<(Id, usize)> {
        let container = match self.place(table) {
            Place::Line(id) | Place::Member(id) => Some(id),
            _ => None,
        };
        if container.is_some() {
            return match self.place(&entry.node) {
                Place::Member(id) => vec![(id, 0)],
                _ => Vec::new(),
            };
        }
        let root = self.before.tree.files.get(self.file);
        let Some(mut path) = root.and_then(|root| path_in(root, table.tile)) else { return Vec::new() };
        let depth = path.len();
        path.push(entry.key.clone());
        self.tiles.lines().iter().filter(|l| l.path().starts_with(&path)).map(|l| (l.id(), depth)).collect()
    }

    /// A key that is new in a table.
    fn new_entry(&mut self, was: &Node, now: &Node, entry: &Entry, previous: &[&Entry]) {
        let value = entry.node.plain();
        if let Place::Line(id) | Place::Member(id) = self.place(was) {
            let known = |node: &Node| matches!(self.place(node), Place::Member(_));
            let at = now
                .entries()
                .iter()
                .take_while(|e| e.node.tile != entry.node.tile)
                .filter(|e| known(&e.node) || self.places.is_later(e.node.tile))
                .count();
            let done = self.tiles.insert_member(id, at, &render_line(&entry.key, &value));
            return self.note(done.map(|_| ()));
        }
        let Some(path) = self.path_of(now) else { return };
        let is_table = |node: &Node| matches!(node.value, Value::Table(_));
        let is_tables = !value.items().is_empty() && value.items().iter().all(is_table);
        let written = |path: &[String], key: &str| rendered(&[path, &[key.to_owned()]].concat());
        let is_group =
            path.is_empty() && is_table(&value) && !value.entries().is_empty() && value.entries().iter().all(|e| is_table(&e.node));
        if is_group {
            let at = self.end_of(previous).unwrap_or(self.tiles.lines().len());
            let blocks: Vec<String> = value
                .entries()
                .iter()
                .map(|e| render_block(&format!("[{}]", written(std::slice::from_ref(&entry.key), &e.key)), &e.node))
                .collect();
            self.insert_block(at, &blocks.join("\n\n"));
            return;
        }
        if path.is_empty() && is_tables {
            let at = self.end_of(previous).unwrap_or(self.tiles.lines().len());
            let blocks: Vec<String> = value.items().iter().map(|i| render_block(&format!("[[{}]]", render_key(&entry.key)), i)).collect();
            self.insert_block(at, &blocks.join("\n\n"));
            return;
        }
        if path.len() == 1 && is_table(&value) && !self.is_among_keys(&path, previous) {
            let at = self.end_of(previous).or_else(|| self.start_of(now, entry)).unwrap_or(self.tiles.lines().len());
            self.insert_block(at, &render_block(&format!("[{}]", written(&path, &entry.key)), &value));
            return;
        }
        self.new_line(was, &path, entry, previous, &value);
    }

    /// Whether what stands before something new is spelled by keys in the section of the table around.
    fn is_among_keys(&self, path: &[String], previous: &[&Entry]) -> bool {
        let lines = self.tiles.lines();
        let Some(at) = self.end_of(previous).and_then(|end| end.checked_sub(1)) else { return false };
        let header = lines.get(..at).unwrap_or_default().iter().rev().find(|l| l.what() != What::Key);
        lines.get(at).is_some_and(|l| l.what() == What::Key) && header.map_or(0, |h| h.path().len()) <= path.len()
    }

    /// Behind the last line of the nearest that stands before.
    fn end_of(&self, previous: &[&Entry]) -> Option<usize> {
        previous.iter().rev().find_map(|entry| {
            let path = self.path_of(&entry.node)?;
            let lines = self.tiles.lines();
            lines.iter().rposition(|l| l.path().starts_with(&path)).map(|at| at + 1)
        })
    }

    /// Before the first line of the nearest that stands behind.
    fn start_of(&self, table: &Node, entry: &Entry) -> Option<usize> {
        let after = table.entries().iter().skip_while(|e| e.node.tile != entry.node.tile).skip(1);
        after.filter_map(|e| self.path_of(&e.node)).find_map(|path| self.tiles.lines().iter().position(|l| l.path().starts_with(&path)))
    }

    /// A key with its value on a line of its own, in the section of its table.
    fn new_line(&mut self, was: &Node, path: &[String], entry: &Entry, previous: &[&Entry], value: &Node) {
        let lines = self.tiles.lines();
        let block = match self.place(was) {
            Place::Table(id, _) if lines.iter().any(|l| l.id() == id && l.what() == What::Each) => Some(id),
            _ => None,
        };
        let inside = |l: &ysomorph_kept::Line| l.path().starts_with(path) && block.is_none_or(|b| l.blocks().contains(&b));
        let header = lines.iter().position(|l| l.what() != What::Key && l.path() == path && block.is_none_or(|b| l.id() == b));
        // The section of a line: the header before it.
        let section = |at: usize| lines.get(..at).unwrap_or_default().iter().rposition(|l| l.what() != What::Key);
        let own = |at: usize| lines.get(at).is_some_and(|l| l.what() == What::Key) && section(at) == header;
        let behind = previous.iter().rev().find_map(|e| {
            let mut before = path.to_vec();
            before.push(e.key.clone());
            (0..lines.len()).rev().find(|at| own(*at) && lines.get(*at).is_some_and(|l| l.path().starts_with(&before) && inside(l)))
        });
        // What a key of the table begins with in the section of a line; nothing where that is the section of one of its parts.
        let dotted_at = |at: usize| {
            let around = section(at).and_then(|at| lines.get(at)).map_or(0, |l| l.path().len());
            let is_key = lines.get(at).is_some_and(|l| l.what() == What::Key);
            path.get(around..).filter(|_| is_key).map(<[String]>::to_vec)
        };
        let (at, dotted): (usize, Vec<String>) = match (behind, header) {
            (Some(line), Some(_)) => (line + 1, Vec::new()),
            (None, Some(header)) => (header + 1, Vec::new()),
            (Some(line), None) if path.is_empty() => (line + 1, Vec::new()),
            (None, None) if path.is_empty() => (0, Vec::new()),
            // The table has no header of its own: its keys are dotted ones of another, above those of its parts.
            _ => {
                match behind.or_else(|| (0..lines.len()).rev().find(|at| lines.get(*at).is_some_and(inside) && dotted_at(*at).is_some())) {
                    Some(line) => (line + 1, dotted_at(line).unwrap_or_default()),
                    None => {
                        let header = rendered(path);
                        let end = lines.len();
                        self.insert_block(end, &format!("[{header}]\n{}", render_line(&entry.key, value)));
                        return;
                    }
                }
            }
        };
        let before: String = dotted.iter().map(|k| format!("{}.", render_key(k))).collect();
        let done = self.tiles.insert_lines(at, &format!("{before}{}\n", render_line(&entry.key, value)));
        self.note(done.map(|_| ()));
    }
}

/// Keys as a header writes them.
fn rendered(path: &[String]) -> String {
    path.iter().map(|k| render_key(k)).collect::<Vec<_>>().join(".")
}

/// The keys that lead to the node of a number.
fn path_in(root: &Node, tile: u32) -> Option<Vec<String>> {
    fn find(node: &Node, tile: u32, path: &mut Vec<String>) -> bool {
        if node.tile == tile {
            return true;
        }
        for entry in node.entries() {
            path.push(entry.key.clone());
            if find(&entry.node, tile, path) {
                return true;
            }
            path.pop();
        }
        node.items().iter().any(|item| find(item, tile, path))
    }
    let mut path = Vec::new();
    find(root, tile, &mut path).then_some(path)
}

/// Whether all members that were there still are: else the value as a whole is another.
fn holds(items: &[Node], before: &[Node]) -> bool {
    before.iter().all(|b| items.iter().any(|i| i.tile == b.tile))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::kept::whole_of;
    use ysomorph_core::definition::Seg;
    use ysomorph_core::merge::place;

    /// What a file says after something was changed in the whole.
    fn changed(text: &str, change: impl FnOnce(&mut Node, &mut Vec<Tile>)) -> Tiles {
        let files = BTreeMap::from([(FileKey::App, Arc::new(ysomorph_kept::read(text).unwrap()))]);
        let before = whole_of(&files, &|_| false);
        let mut after = before.clone();
        change(after.tree.files.get_mut(&FileKey::App).unwrap(), &mut after.tiles);
        Tiles::clone(&reconcile(&files, &before, &after).unwrap()[&FileKey::App])
    }

    /// A number for a node that is new.
    fn new(node: Node, tiles: &mut Vec<Tile>) -> Node {
        tiles.push(Tile::default());
        Node { tile: u32::try_from(tiles.len() - 1).unwrap(), ..node }
    }

    fn at(path: &str) -> Vec<Seg> {
        path.split('/').filter(|p| !p.is_empty()).map(|p| p.parse().map_or_else(|_| p.into(), Seg::Index)).collect()
    }

    /// Puts a key into a table behind another one.
    fn put(root: &mut Node, table: &str, behind: &str, key: &str, node: Node) {
        let Some(Value::Table(entries)) = root.at_path_mut(&at(table)).map(|n| &mut n.value) else { panic!("no {table}") };
        let order: Vec<String> = [behind, key].map(str::to_owned).to_vec();
        let there: Vec<String> = entries.iter().map(|e| e.key.clone()).collect();
        entries.insert(place(&order, key, &there), Entry { key: key.to_owned(), at: Default::default(), node });
    }

    #[test]
    fn what_is_new_takes_the_form_that_is_there() {
        let field = || Node::table().with("column", "x".into());
        for (text, table, behind, key, node, expected) in [
            (
                "[field.a]\ncolumn = \"a\"\n\n[page.list]\n",
                "field",
                "a",
                "x",
                field(),
                "[field.a]\ncolumn = \"a\"\n\n[field.x]\ncolumn = \"x\"\n\n[page.list]\n",
            ),
            (
                "[field]\na = { column = \"a\" } # own\nb.column = \"b\"\n",
                "field",
                "a",
                "x",
                field(),
                "[field]\na = { column = \"a\" } # own\nx = { column = \"x\" }\nb.column = \"b\"\n",
            ),
            (
                "field.a.column = \"a\"\nkey = 1\n",
                "field",
                "a",
                "x",
                field(),
                "field.a.column = \"a\"\nfield.x = { column = \"x\" }\nkey = 1\n",
            ),
            (
                "field = { a = { column = \"a\" } }\n",
                "field",
                "a",
                "x",
                field(),
                "field = { a = { column = \"a\" }, x = { column = \"x\" } }\n",
            ),
            ("[field.a]\ncolumn = \"a\"\n# own\n", "field/a", "column", "max", 3.into(), "[field.a]\ncolumn = \"a\"\nmax = 3\n# own\n"),
            (
                "label.one = \"A\"\r\n\r\n[x]\r\n",
                "label",
                "one",
                "many",
                "As".into(),
                "label.one = \"A\"\r\nlabel.many = \"As\"\r\n\r\n[x]\r\n",
            ),
            (
                "[page.list]\nfields = [\"a\"]",
                "page/list",
                "fields",
                "sort",
                Node::texts(&["a"]),
                "[page.list]\nfields = [\"a\"]\nsort = [\"a\"]",
            ),
            ("# head\n\n# of a\na = 1\n", "", "none", "b", 2.into(), "b = 2\n# head\n\n# of a\na = 1\n"),
        ] {
            let tiles = changed(text, |root, tiles| {
                let node = new(node, tiles);
                put(root, table, behind, key, node);
            });
            assert_eq!(tiles.shown(), expected);
        }
    }

    /// A field as people may write it, on top of a file or in a section of its own: the one, then the other.
    const WRITTEN: &[(&str, &str)] = &[
        ("field.F = { column = \"c\" }   # short\n", ""),
        ("field.F.column = \"c\"\nfield.F.label = \"L\"\n", ""),
        ("", "\n[field.F]   # ours\ncolumn = \"c\"\n"),
        ("", "\n[field]\nF = { column = \"c\" }\n"),
        ("", "\n[field]\nF.column = \"c\"\n"),
        ("", "\n[field.F.lookup]\nentity = \"e\"\n"),
    ];

    #[test]
    fn what_is_new_comes_in_however_its_neighbours_are_written() {
        let written = |(top, own): &(&str, &str), field: &str| (top.replace('F', field), own.replace('F', field));
        for (one, other) in WRITTEN.iter().flat_map(|one| WRITTEN.iter().map(move |other| (one, other))) {
            let ((top_a, a), (top_b, b)) = (written(one, "a"), written(other, "b"));
            let text = format!("{top_a}{top_b}table = \"t\"\nkey = [\"id\"]\n{a}{b}\n[page.list]\nfields = [\"a\"]\n");
            // Two headers of one table are no TOML.
            if crate::toml::parse(&text).is_err() {
                continue;
            }
            for (table, behind, node) in [
                ("field", "a", Node::table().with("column", "x".into())),
                ("field", "b", Node::table().with("column", "x".into())),
                ("field", "none", Node::table().with("column", "x".into())),
                ("field/a", "column", "x".into()),
                ("field/b", "none", "x".into()),
                ("", "table", "x".into()),
                ("page", "list", Node::table().with("fields", Node::texts(&["a"]))),
            ] {
                let tiles = changed(&text, |root, tiles| {
                    let node = new(node.clone(), tiles);
                    put(root, table, behind, "new", node);
                });
                let says = crate::toml::parse(&tiles.shown()).unwrap();
                let found = says.at_path(&at(&format!("{table}/new"))).map(Node::plain);
                assert_eq!(found, Some(node.plain()), "{table} behind {behind} in\n{text}\ngave\n{}", tiles.shown());
                let mut others = text.lines().filter(|line| !line.contains(" = {"));
                assert!(others.all(|line| tiles.shown().contains(line)), "{text}\ngave\n{}", tiles.shown());
            }
        }
    }

    #[test]
    fn a_value_changes_by_its_own_letters_and_comes_back_in_its_spelling() {
        for (text, there) in [
            ("a = \"x\\ty \\u00fc z\"   # note\n", "a = \"x\\ty \\u00fc zz\"   # note\n"),
            ("a = 'x\ty ü z'\n", "a = 'x\ty ü zz'\n"),
            ("a = \"\"\"\nx\ty ü z\"\"\"\n", "a = \"\"\"\nx\ty ü zz\"\"\"\n"),
        ] {
            let set = |to: &'static str| {
                move |root: &mut Node, _: &mut Vec<Tile>| {
                    if let Some(node) = root.at_path_mut(&at("a")) {
                        node.value = Value::Text(to.to_owned());
                    }
                }
            };
            let tiles = changed(text, set("x\ty ü zz"));
            assert_eq!(tiles.shown(), there);
            let files = BTreeMap::from([(FileKey::App, Arc::new(tiles))]);
            let before = whole_of(&files, &|_| false);
            let mut after = before.clone();
            set("x\ty ü z")(after.tree.files.get_mut(&FileKey::App).unwrap(), &mut after.tiles);
            assert_eq!(reconcile(&files, &before, &after).unwrap()[&FileKey::App].shown(), text);
        }
    }

    #[test]
    fn a_stand_in_keeps_what_is_behind_it_and_a_list_keeps_both() {
        let text = "title = '{a} of {b}' # ours\n";
        let tiles = changed(text, |root, tiles| {
            let tile = root.get("title").unwrap().tile as usize;
            tiles[tile].stand_in = Some(ysomorph_core::merge::StandIn { value: "{a}".into(), limit: false });
        });
        assert_eq!(tiles.shown(), "title = \"{a}\" # ours\n");
        let files = BTreeMap::from([(FileKey::App, Arc::new(Tiles::from_list(&tiles.list()).unwrap()))]);
        let before = whole_of(&files, &|_| false);
        let title = before.tree.app().unwrap().get("title").unwrap();
        assert_eq!((title.as_text(), before.tiles[title.tile as usize].stand_in.is_some()), (Some("{a} of {b}"), true));
        let mut after = before.clone();
        after.tiles[title.tile as usize].stand_in = None;
        assert_eq!(reconcile(&files, &before, &after).unwrap()[&FileKey::App].shown(), text);
    }
}
