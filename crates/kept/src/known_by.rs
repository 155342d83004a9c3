//! What lines and members are known by, to find them again in an edited file: what was there and what stands in the file now are named
//! together, so that a row which a person calls otherwise is still the row it was.

use crate::tiles::{Id, Line, Member, Value, What};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// What each line was known by, and each line of the file: its keys, and the blocks of several that it stands in by what they are
/// about. Of several alike each has its number.
pub(crate) fn lines(own: &[Line], file: &[Line]) -> (Vec<String>, Vec<String>) {
    let (mut of_own, mut of_file) = (BTreeMap::new(), BTreeMap::new());
    let (own_blocks, file_blocks) = (Block::all(own), Block::all(file));
    let deepest = own_blocks.iter().chain(&file_blocks).map(|block| block.header.blocks.len()).max().unwrap_or_default();
    // Each after those around it, whose names it bears.
    for depth in 1..=deepest {
        let level = |blocks: &[Block<'_>], outer: &BTreeMap<Id, String>| -> (Vec<Row>, Vec<Id>) {
            let level = blocks.iter().filter(|block| block.header.blocks.len() == depth);
            level.map(|block| (block.row(outer), block.header.id)).unzip()
        };
        let (own_rows, own_ids) = level(&own_blocks, &of_own);
        let (file_rows, file_ids) = level(&file_blocks, &of_file);
        let (own_names, file_names) = names(&own_rows, file_rows);
        of_own.extend(own_ids.into_iter().zip(own_names));
        of_file.extend(file_ids.into_iter().zip(file_names));
    }
    let named = |line: &Line, of_blocks: &BTreeMap<Id, String>| {
        let block = line.blocks.last().and_then(|b| of_blocks.get(b)).cloned().unwrap_or_default();
        format!("{block}{:?} {}", line.what, line.path.join("\u{1}"))
    };
    (own.iter().map(|line| named(line, &of_own)).collect(), file.iter().map(|line| named(line, &of_file)).collect())
}

/// What each member was known by, and each member of the file; of several alike each has its number, those that are shown first.
pub(crate) fn members(own: &[Member], file: &[Member]) -> (Vec<String>, Vec<String>) {
    names(&own.iter().map(Row::of).collect::<Vec<_>>(), file.iter().map(Row::of).collect())
}

/// Whether what is shown of a value has its members in the order of the file's.
pub(crate) fn is_in_order(own: &Value, file: &Value) -> bool {
    match (own, file) {
        (Value::Members(own), Value::Members(file)) => {
            let shown: Vec<Member> = own.members.iter().filter(|m| !m.hidden).cloned().collect();
            let (own, file) = members(&shown, &file.members);
            own == file
        }
        (Value::Plain(_), Value::Members(file)) => file.members.is_empty(),
        (Value::Members(own), Value::Plain(_)) => own.members.iter().all(|m| m.hidden),
        (Value::Plain(_), Value::Plain(_)) => true,
    }
}

/// One of several, as far as it can be told from the others.
struct Row {
    name: String,
    is_shown: bool,
    /// What is in it, where it is known by nothing but what it is called.
    holds: BTreeSet<String>,
}

impl Row {
    fn of(member: &Member) -> Row {
        let (name, holds) = match &member.value {
            _ if !member.head.is_empty() => (member.key(), BTreeSet::new()),
            Value::Plain(text) => (plain(text), BTreeSet::new()),
            Value::Members(container) => {
                let entry = |key: &str| container.members.iter().find(|m| !m.hidden && !m.head.is_empty() && m.key() == key);
                let (about, is_called) = about(&|key| entry(key).map(|m| &m.value));
                let lists = container.members.iter().filter(|m| is_called && !m.hidden).map(|m| &m.value);
                (if about.is_empty() { member.value.whole() } else { about }, lists.flat_map(listed).collect())
            }
        };
        Row { name, is_shown: !member.hidden, holds }
    }
}

/// A block of several with the keys that stand in it.
struct Block<'l> {
    header: &'l Line,
    keys: Vec<&'l Line>,
}

impl<'l> Block<'l> {
    fn all(lines: &'l [Line]) -> Vec<Block<'l>> {
        let mut keys: HashMap<(&[Id], bool), Vec<&Line>> = HashMap::new();
        for line in lines.iter().filter(|line| line.what == What::Key && !line.blocks.is_empty()) {
            keys.entry((&line.blocks, line.is_shown())).or_default().push(line);
        }
        let headers = lines.iter().filter(|line| line.what == What::Each);
        let block = |header: &'l Line| {
            let own = keys.get(&(header.blocks.as_slice(), header.is_shown())).cloned().unwrap_or_default();
            Block { header, keys: own.into_iter().filter(|line| line.path.len() == header.path.len() + 1).collect() }
        };
        headers.map(block).collect()
    }

    fn row(&self, outer: &BTreeMap<Id, String>) -> Row {
        let around = self.header.blocks.iter().rev().nth(1).and_then(|block| outer.get(block)).cloned().unwrap_or_default();
        let key = |key: &str| self.keys.iter().find(|line| line.path.last().is_some_and(|k| k == key)).map(|line| &line.value);
        let (about, is_called) = about(&key);
        let holds = self.keys.iter().filter(|_| is_called).flat_map(|line| listed(&line.value)).collect();
        let name = format!("{around}[[{}|{about}]]", self.header.path.join("\u{1}"));
        Row { name, is_shown: self.header.is_shown(), holds }
    }
}

/// What a row is about, and whether that is only what it is called: a choice is its value, a child list the entity it is of.
fn about<'v>(key: &dyn Fn(&str) -> Option<&'v Value>) -> (String, bool) {
    let of = |keys: &[&str]| -> String {
        keys.iter().filter_map(|name| Some(format!("{name}={}", key(name)?.whole()))).collect::<Vec<_>>().join(",")
    };
    let told = [["value"].as_slice(), &["entity", "by"]].into_iter().map(of).find(|about| !about.is_empty());
    match told {
        Some(about) => (about, false),
        None => {
            let called = of(&["title", "label"]);
            let is_called = !called.is_empty();
            (called, is_called)
        }
    }
}

/// The plain members of an array that are shown.
fn listed(value: &Value) -> Vec<String> {
    let Value::Members(container) = value else { return Vec::new() };
    let shown = container.members.iter().filter(|member| !member.hidden && member.head.is_empty());
    let plain = |member: &Member| match &member.value {
        Value::Plain(text) => Some(plain(text)),
        Value::Members(_) => None,
    };
    shown.filter_map(plain).collect()
}

/// The same text in other quotes is the same member.
fn plain(text: &str) -> String {
    let inner = ['"', '\''].into_iter().find_map(|q| text.strip_prefix(q)?.strip_suffix(q));
    inner.filter(|t| !t.contains(['\\', '"', '\''])).unwrap_or(text).to_owned()
}

/// Names for both, each with its number among those alike.
fn names(own: &[Row], mut file: Vec<Row>) -> (Vec<String>, Vec<String>) {
    if file.iter().any(|row| !row.holds.is_empty()) {
        let pairs = called_otherwise(own, &file);
        let taken: BTreeSet<&str> = pairs.iter().filter_map(|(was, _)| own.get(*was)).map(|row| row.name.as_str()).collect();
        let paired: BTreeSet<usize> = pairs.iter().map(|(_, is)| *is).collect();
        // What bears the name of a row that is another one now is new.
        for (_, row) in file.iter_mut().enumerate().filter(|(is, row)| !paired.contains(is) && taken.contains(row.name.as_str())) {
            row.name.push_str("\u{0}new");
        }
        for (was, is) in pairs {
            if let (Some(was), Some(is)) = (own.get(was), file.get_mut(is)) {
                is.name.clone_from(&was.name);
            }
        }
    }
    (numbered(own), numbered(&file))
}

/// Rows that a person calls otherwise, by place: what was, and what it is in the file. Where nothing is called as a row was, or what
/// is called so has nothing in common with it, the row is what it shares most with.
fn called_otherwise(own: &[Row], file: &[Row]) -> Vec<(usize, usize)> {
    let is_same = |a: &Row, b: &Row| a.name == b.name && (a.holds.is_empty() || b.holds.is_empty() || !a.holds.is_disjoint(&b.holds));
    let is_known = |row: &Row, among: &[Row]| among.iter().any(|other| other.is_shown && is_same(row, other));
    let gone: Vec<(usize, &Row)> = own.iter().enumerate().filter(|(_, row)| row.is_shown && !is_known(row, file)).collect();
    let mut found: Vec<(usize, usize, usize)> = Vec::new();
    for (is, new) in file.iter().enumerate().filter(|(_, row)| !gone.is_empty() && !row.holds.is_empty() && !is_known(row, own)) {
        let shared = gone.iter().map(|(was, row)| (row.holds.intersection(&new.holds).count(), *was, is));
        found.extend(shared.filter(|(shared, ..)| *shared > 0));
    }
    found.sort_by_key(|(shared, ..)| std::cmp::Reverse(*shared));
    let mut taken: BTreeSet<(bool, usize)> = BTreeSet::new();
    let mut pairs = Vec::new();
    for (_, was, is) in found {
        if !taken.contains(&(true, was)) && !taken.contains(&(false, is)) {
            taken.extend([(true, was), (false, is)]);
            pairs.push((was, is));
        }
    }
    pairs
}

/// Names that tell apart what has the same one: shown ones are counted among themselves, hidden ones after them.
fn numbered(rows: &[Row]) -> Vec<String> {
    let mut seen: HashMap<&String, usize> = HashMap::new();
    let mut all: Vec<String> = vec![String::new(); rows.len()];
    for wanted in [true, false] {
        for (slot, row) in all.iter_mut().zip(rows).filter(|(_, row)| row.is_shown == wanted) {
            let count = seen.entry(&row.name).or_default();
            *count += 1;
            *slot = format!("{}#{count}", row.name);
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use crate::read;

    #[test]
    fn a_row_that_is_called_otherwise_keeps_what_is_hidden_in_it() {
        let blocks = "[[s]]\ntitle = \"A\"\nfields = [\"x\", \"y\", \"z\"]\n\n[[s]]\ntitle = \"B\"\nfields = [\"v\", \"w\"]\n";
        let array = "s = [\n  { title = \"A\", fields = [\"x\", \"y\", \"z\"] },\n  { title = \"B\", fields = [\"v\", \"w\"] },\n]\n";
        // What is hidden, what becomes of the file, and whether what was hidden comes back into the row that holds x.
        #[expect(clippy::type_complexity, reason = "a table of cases")]
        let edits: &[(&str, &[(&str, &str)], bool)] = &[
            ("\"y\"", &[("\"A\"", "\"Mine\"")], true),
            ("\"y\"", &[("\"A\"", "\"Mine\""), ("\"B\"", "\"A\"")], true),
            ("\"y\"", &[("\"A\"", "\"Mine\""), ("\"x\"", "\"x\", \"new\"")], true),
            // Another row, which shares nothing.
            ("\"y\"", &[("\"A\"", "\"Mine\""), ("\"x\", \"z\"", "\"p\", \"q\"")], false),
        ];
        for text in [blocks, array] {
            for (hidden, edits, comes_back) in edits {
                let mut tiles = read(text).unwrap();
                let mut ids = Vec::new();
                for line in &tiles.lines {
                    line.value.each(&mut |member| ids.extend((member.key() == *hidden).then_some(member.id)));
                }
                let id = *ids.first().unwrap();
                tiles.hide(id);
                let edited = edits.iter().fold(tiles.shown(), |text, (from, to)| text.replacen(from, to, 1));
                tiles.lift(&edited).unwrap();
                assert_eq!(tiles.shown(), edited);
                tiles.show(id);
                let in_its_row = ["\"x\", \"y\", \"z\"", "\"x\", \"y\", \"new\", \"z\""].iter().any(|row| tiles.shown().contains(row));
                assert_eq!(in_its_row, *comes_back, "{edits:?}\n{}", tiles.shown());
                let laid = tiles.lines.iter().any(|line| line.path == ["s"] && line.mark.laid);
                assert!(!laid || !comes_back, "a title is no layout: {edits:?}\n{edited}");
            }
        }
    }
}
