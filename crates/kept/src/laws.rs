//! The laws of the kept text, exhaustive where small and random where large.

use crate::tiles::{Id, Tiles, Value, What};
use crate::{Lifted, read};
use proptest::prelude::*;

/// Files in the layouts people write.
const FILES: &[&str] = &[
    "",
    "\n",
    "# only a comment",
    "a = 1",
    "a = 1\n",
    "\u{feff}a = 1\r\n# end",
    "fields = [\"a\", \"b\", \"c\"]\n",
    "fields = [\"a\",\"b\",\"c\",]\n",
    "fields = [ 'a', \"b\" , 'c' ]   # note\n",
    "fields = [\n  \"a\",   # first\n  \"b\", # second\n  \"c\" # last\n]\n",
    "fields = [ # shown\n  # about a\n  \"a\",\n\n  # about b\n  # and more\n  \"b\",\n  \"c\",\n  # end\n]\n",
    "fields = [\"a\" # x\n , \"b\", # y\n \"c\"]\n",
    "fields = [\n\n]\nother = []\n",
    "lookup = { entity = \"region\", show = \"{name}\", order = [\"name\", \"code\"] }\n",
    "sections = [\n  { title = \"One\", fields = [\"a\", \"b\"] },\n  { title = \"Two\",  fields = [\"c\"] },   # ours\n]\n",
    "# head\n\n# of a\n[a]   # table\nx = 1\n\n# ---- heading\n\n# of b\n[a.b]\ny = [1, 2]  # list\nz = \"\"\"\ntext # no comment\n\"\"\"\n",
    "a.b.c = 1\na.b.d = '''x''' # s\n\n[e.f]\ng = { h.i = 1, j = [ ] }\n",
    "[page.detail]\nkind = \"detail\"\n\n[[page.detail.children]]\nentity = \"hive\"\nby = \"yard\"\nfields = [\"tag\"]\n\n# second\n[[page.detail.children]]\nentity = \"visit\"\nby = \"yard\"\n\n[page.list]\nfields = [\"a\"]\n",
    "[field.\"two words\"]\ncolumn = \"\\\"two words\\\"\"\n[field.'x']\ncolumn = 'x'\n",
    "  [a]\n  x = 1979-05-27 07:32:00 # when\n\ty = 0x1F\n",
    "[x]\r\na = [\r\n  1,\r\n  2 # two\r\n]\r\n# end",
];

fn subsets(ids: &[Id]) -> Vec<Vec<Id>> {
    let all = |bits: usize| ids.iter().enumerate().filter(move |(at, _)| bits >> at & 1 == 1).map(|(_, id)| *id).collect();
    (0..1usize << ids.len().min(9)).map(all).collect()
}

fn with_hidden(tiles: &Tiles, hidden: &[Id]) -> Tiles {
    let mut tiles = tiles.clone();
    hidden.iter().for_each(|id| tiles.hide(*id));
    tiles
}

fn is_toml(text: &str) -> bool {
    toml::de::DeTable::parse(text.trim_start_matches('\u{feff}')).is_ok()
}

#[test]
fn nothing_hidden_is_the_file_as_it_was_read() {
    for file in FILES {
        assert_eq!(read(file).unwrap().shown(), *file);
    }
    for broken in ["a =", "[a", "a = 1\na = 2", "fields = [\"a\""] {
        assert!(read(broken).is_err(), "{broken}");
    }
}

/// Every subset hidden: the text is TOML, hiding and showing commute, and what is read from it lifts to the same.
#[test]
fn every_hidden_subset_is_toml_whatever_the_order_and_lifts_to_itself() {
    for file in FILES {
        let tiles = read(file).unwrap();
        for hidden in subsets(&tiles.ids()) {
            let some = with_hidden(&tiles, &hidden);
            let text = some.shown();
            assert!(is_toml(&text), "{file:?} without {hidden:?}: {text:?}");
            let reversed: Vec<Id> = hidden.iter().rev().copied().collect();
            assert_eq!(with_hidden(&tiles, &reversed).shown(), text);
            let mut back = some.clone();
            hidden.iter().for_each(|id| back.show(*id));
            assert_eq!(back.shown(), *file, "shown again");
            let mut lifted = some.clone();
            assert_eq!(lifted.lift(&text), Ok(Lifted::default()), "{file:?} without {hidden:?}: {text:?}");
            assert!(lifted == some, "{file:?} without {hidden:?}: {text:?}: {}", differing(&lifted, &some));
        }
    }
}

/// Lines and members that hold members.
fn holders(tiles: &Tiles) -> Vec<(Id, bool, usize)> {
    fn of(id: Id, value: &Value, all: &mut Vec<(Id, bool, usize)>) {
        if let Value::Members(container) = value {
            all.push((id, container.bracket == '{', container.members.len()));
            container.members.iter().for_each(|m| of(m.id, &m.value, all));
        }
    }
    let mut all = Vec::new();
    tiles.lines.iter().for_each(|line| of(line.id, &line.value, &mut all));
    all
}

/// Inserted and hidden again is nothing, whatever else is hidden; inserted and shown is TOML and reads as one member more.
#[test]
fn inserting_a_tile_and_hiding_it_is_nothing() {
    for file in FILES {
        let tiles = read(file).unwrap();
        for hidden in subsets(&tiles.ids()) {
            for (holder, is_entry, count) in holders(&tiles) {
                for at in 0..=count {
                    let mut with = with_hidden(&tiles, &hidden);
                    let new = with.insert_member(holder, at, if is_entry { "new = \"x\"" } else { "\"new\"" }).unwrap();
                    let text = with.shown();
                    assert!(is_toml(&text), "{file:?} without {hidden:?}: {text:?}");
                    let mut lifted = with.clone();
                    assert_eq!(lifted.lift(&text), Ok(Lifted::default()), "{text:?}");
                    assert!(lifted == with, "{text:?}: {}", differing(&lifted, &with));
                    with.hide(new);
                    assert_eq!(with.shown(), with_hidden(&tiles, &hidden).shown(), "{file:?} without {hidden:?}");
                }
            }
        }
    }
    for (file, at, expected) in [
        ("f = [\"a\", \"b\"]\n", 2, "f = [\"a\", \"b\", \"new\"]\n"),
        ("f = [\"a\", \"b\"]\n", 0, "f = [\"new\", \"a\", \"b\"]\n"),
        ("f = [\"a\"]\n", 1, "f = [\"a\", \"new\"]\n"),
        ("f = []\n", 0, "f = [\"new\"]\n"),
        ("f = [\n  \"a\", # of a\n]\n", 1, "f = [\n  \"a\", # of a\n  \"new\",\n]\n"),
        ("f = [\n  \"a\" # of a\n]\n", 1, "f = [\n  \"a\", # of a\n  \"new\"\n]\n"),
        ("f = [\n  \"a\",\n  \"b\"\n]\n", 0, "f = [\n  \"new\",\n  \"a\",\n  \"b\"\n]\n"),
        ("f = [\"a\",\"b\"]\n", 1, "f = [\"a\",\"new\",\"b\"]\n"),
    ] {
        let mut tiles = read(file).unwrap();
        tiles.insert_member(Id(0), at, "\"new\"").unwrap();
        assert_eq!(tiles.shown(), expected);
    }
    let mut tiles = read("f = [\"a\"]\ng = 1\n").unwrap();
    for bad in ["", "1, 2", "a =", "\"open"] {
        assert!(tiles.insert_member(Id(0), 0, bad).is_err(), "{bad}");
    }
    assert!(tiles.insert_member(Id(2), 0, "1").is_err(), "no array");
}

/// Edits of a text as people make them: anywhere, as long as TOML comes out.
fn edited(text: &str, kind: usize, at: usize, word: &str) -> Option<String> {
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let line = at % lines.len().max(1);
    let own = lines.get(line).copied().unwrap_or_default();
    let replaced = |new: &str| {
        let mut all: Vec<String> = lines.iter().map(|l| (*l).to_owned()).collect();
        match all.get_mut(line) {
            Some(slot) => new.clone_into(slot),
            None => all.push(new.to_owned()),
        }
        all.concat()
    };
    let new = match kind % 14 {
        0 => replaced(""),
        1 => replaced(&format!("{own}# {word}\n")),
        2 => replaced(&format!("\n{own}")),
        3 => replaced(&format!("# {word}\n\n{own}")),
        4 => replaced(&format!("{own}{word}_{at} = [\"x\", \"y\"]\n")),
        5 => replaced(&format!("{own}\n[{word}_{at}]\nq = 1\n")),
        6 => replaced(&own.replacen(", ", &format!(", \"{word}\", "), 1)),
        7 => replaced(&own.replacen(", ", ",", 1)),
        8 => replaced(&own.replacen('[', "[ # why\n ", 1)),
        9 => replaced(&own.replace('"', "'")),
        10 => {
            let mut moved = lines.clone();
            let taken = moved.remove(line.min(moved.len().checked_sub(1)?));
            let to = (at / 7) % (moved.len() + 1);
            moved.insert(to, taken);
            moved.concat()
        }
        11 => replaced(&own.replacen("= ", "=   ", 1)),
        12 => {
            let (open, close) = (own.find('[')? + 1, own.rfind(']')?);
            let mut members: Vec<&str> = own.get(open..close)?.split(", ").collect();
            members.reverse();
            replaced(&format!("{}{}{}", &own[..open], members.join(", "), &own[close..]))
        }
        _ => text.trim_end().to_owned(),
    };
    (new != text && is_toml(&new)).then_some(new)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(2000) })]
    /// Whatever is edited while whatever is hidden: what is lifted shows the edited file to the byte, lifts to itself, and what
    /// was hidden can still be shown, unless it went with what it stood in.
    #[test]
    fn an_edited_file_is_lifted_to_the_byte(
        file in 0..FILES.len(),
        hidden in any::<u64>(),
        edits in prop::collection::vec((0usize..14, 0usize..40, "[a-z]{1,3}"), 1..5),
    ) {
        let tiles = read(FILES[file]).unwrap();
        let ids: Vec<Id> = tiles.ids().into_iter().enumerate().filter(|(at, _)| hidden >> (at % 64) & 1 == 1).map(|(_, id)| id).collect();
        let mut kept = with_hidden(&tiles, &ids);
        for (kind, at, word) in edits {
            let Some(text) = edited(&kept.shown(), kind, at, &word) else { continue };
            let before = kept.clone();
            let lifted = kept.lift(&text).unwrap();
            prop_assert_eq!(kept.shown(), text.clone(), "hidden {:?}", ids);
            let mut again = kept.clone();
            prop_assert_eq!(again.lift(&text), Ok(Lifted::default()));
            kept.untouch();
            let list = kept.list();
            let listed = Tiles::from_list(&list).unwrap();
            prop_assert_eq!((listed.list(), listed.shown()), (list, text.clone()));
            prop_assert!(again == kept, "{}", differing(&again, &kept));
            // Nothing hidden is lost but what is told.
            let now = kept.ids();
            for id in before.hidden() {
                prop_assert!(now.contains(&id) || lifted.deleted.contains(&id), "{id:?} is lost: {text:?}");
            }
            for hidden in &ids {
                let mut shown = kept.clone();
                shown.show(*hidden);
                prop_assert!(is_toml(&shown.shown()) || lifted.adopted.contains(hidden) || named_twice(&shown.shown()), "{:?}", shown.shown());
            }
        }
    }
}

/// Where two kept texts differ.
fn differing(a: &Tiles, b: &Tiles) -> String {
    let lines = a.lines.iter().zip(&b.lines).find(|(a, b)| a != b).map_or_else(String::new, |(a, b)| format!("{a:?}\n{b:?}"));
    format!("{} and {} lines, ends {:?} and {:?}; {lines}", a.lines.len(), b.lines.len(), a.end, b.end)
}

/// Somebody may have taken the name of what is hidden, under another header.
fn named_twice(text: &str) -> bool {
    toml::de::DeTable::parse(text.trim_start_matches('\u{feff}')).is_err_and(|e| e.message().contains("duplicate"))
}

#[test]
fn what_returns_after_edits_stands_where_it_stood() {
    for (file, hidden, edit, back) in [
        // Beside its neighbour, whatever came in between.
        ("f = [\"a\", \"b\", \"c\"]\n", &["\"b\""][..], "f = [\"a\", \"x\", \"c\"]\n", "f = [\"a\", \"b\", \"x\", \"c\"]\n"),
        // The only member gives way to another: comma and layout stay.
        ("f = [\n  \"a\",\n]\n", &["\"a\""], "f = [\n  \"x\",\n]\n", "f = [\n  \"a\",\n  \"x\",\n]\n"),
        // Another order.
        ("f = [\"a\", \"b\", \"c\"]\n", &["\"c\""], "f = [\"b\", \"a\"]\n", "f = [\"b\", \"a\", \"c\"]\n"),
        // Comments go and come with their member.
        (
            "f = [\n  \"a\", # of a\n  # of b\n  \"b\",\n  \"c\"\n]\n",
            &["\"b\""],
            "f = [\n  \"a\", # of a!\n  \"c\"\n]\n",
            "f = [\n  \"a\", # of a!\n  # of b\n  \"b\",\n  \"c\"\n]\n",
        ),
        // A name that is hidden is taken: it becomes the hidden one.
        ("f = [\"a\", \"b\"]\n", &["\"b\""], "f = [\"b\", \"a\"]\n", "f = [\"b\", \"a\"]\n"),
    ] {
        let mut tiles = read(file).unwrap();
        let ids: Vec<Id> = tiles.members("f").filter(|m| hidden.contains(&m.key().as_str())).map(|m| m.id()).collect();
        ids.iter().for_each(|id| tiles.hide(*id));
        tiles.lift(edit).unwrap();
        assert_eq!(tiles.shown(), edit);
        ids.iter().for_each(|id| tiles.show(*id));
        assert_eq!(tiles.shown(), back);
    }
}

#[test]
fn a_deleted_line_may_keep_what_is_hidden_in_it() {
    let file = "[access.guest]\nread = true\nhide = [\"a\", \"b\"]   # ours\n\n[page.list]\nfields = [\"a\"]\n";
    let mut tiles = read(file).unwrap();
    let hidden = tiles.members("access.guest.hide").find(|m| m.key() == "\"b\"").unwrap().id();
    tiles.hide(hidden);
    let edit = "[access.guest]\nread = true\n\n[page.list]\nfields = [\"a\"]\n";
    let keeps = |path: &[String]| path.last().is_some_and(|key| key == "hide");
    let mut forgetful = tiles.clone();
    assert_eq!(forgetful.lift(edit).unwrap().deleted, [hidden]);
    assert_eq!(tiles.lift_keeping(edit, &keeps), Ok(Lifted::default()));
    assert_eq!(tiles.shown(), edit);
    let line = tiles.lines().iter().find(|l| keeps(l.path())).unwrap().id();
    tiles.show(line);
    tiles.show(hidden);
    assert_eq!(tiles.shown(), "[access.guest]\nread = true\nhide = [\"b\"]   # ours\n\n[page.list]\nfields = [\"a\"]\n");
}

/// One array in every layout that people write: each reformatted into each other, whatever is hidden, is lifted to the byte.
#[test]
fn a_reformatted_array_is_lifted_to_the_byte() {
    let layouts = [
        "f = [\"a\", \"b\"]\n",
        "f = [ \"a\",\"b\" ]\n",
        "f = [\n  \"a\",\n  \"b\",\n]\n",
        "f = [\n  \"a\",\n  \"b\"\n]\n",
        "f = [\"a\",\n     \"b\"]\n",
        "f = [\n  \"a\", \"b\",\n]\n",
        "f = [\n  \"a\", # of a\n  \"b\", # of b\n]\n",
        "f = [ # of all\n  \"a\",\n  # of b\n  \"b\" # more\n]\n",
        "f = [\"a\" # of a\n, \"b\"\n# end\n]\n",
        "f = [\n\n  \"a\",\n\n\n  \"b\",\n\n]\n",
        "f = []\n",
        "f = [\n]\n",
        "f = [\n  \"a\",\n  \"b\",\n  \"c\",\n]\n",
        "f = [\"c\", # of c\n  \"a\"]\n",
    ];
    for (before, after) in layouts.iter().flat_map(|before| layouts.iter().map(move |after| (before, after))) {
        let tiles = read(before).unwrap();
        for hidden in subsets(&tiles.ids()) {
            for line_end in ["\n", "\r\n"] {
                let after = after.replace('\n', line_end);
                let mut lifted = with_hidden(&tiles, &hidden);
                lifted.lift(&after).unwrap();
                assert_eq!(lifted.shown(), after, "{before:?} without {hidden:?}");
                lifted.hidden().iter().for_each(|id| lifted.show(*id));
                assert!(is_toml(&lifted.shown()), "{before:?} without {hidden:?}, then {after:?}: {:?}", lifted.shown());
            }
        }
    }
}

/// A table that is hidden in one spelling and written in another is what was written, and nothing of it ever stands twice.
#[test]
fn what_is_written_in_another_way_than_it_is_hidden_in_takes_its_place() {
    let spellings = [
        "[field.a]\ncolumn = \"a\"\n\n[field.b]\ncolumn = \"b\"\n",
        "field.a = { column = \"a\" }\n\n[field.b]\ncolumn = \"b\"\n",
        "field.a.column = \"a\"\nfield.b.column = \"b\"\n",
        "field = { a = { column = \"a\" }, b = { column = \"b\" } }\n",
        "[field]\na = { column = \"a\" }\nb.column = \"b\"\n",
        "[field]\n[field.a]\ncolumn = \"a\"\n[field.a.lookup]\nentity = \"x\"\n",
        "[field.a]\nlookup = { entity = \"x\" }\nlookup_too = 1\n",
        "[[field.a]]\ncolumn = \"a\"\n[[field.a]]\ncolumn = \"b\"\n",
        "field.a = [{ column = \"a\" }]\n",
    ];
    for (before, after) in spellings.iter().flat_map(|before| spellings.iter().map(move |after| (before, after))) {
        let tiles = read(before).unwrap();
        for hidden in subsets(&tiles.ids()) {
            let mut lifted = with_hidden(&tiles, &hidden);
            lifted.lift(after).unwrap();
            assert_eq!(lifted.shown(), **after, "{before:?} without {hidden:?}");
            lifted.hidden().iter().for_each(|id| lifted.show(*id));
            assert!(is_toml(&lifted.shown()), "{before:?} without {hidden:?}, then {after:?}: {:?}", lifted.shown());
        }
    }
}

/// Sections written anew, in any order and with whatever keys: what is hidden stays under its own header.
#[test]
fn what_is_hidden_stays_in_its_section_however_that_is_written_anew() {
    let before = "[a]\nx = 1\ny = [\"p\", \"q\"]\n\n[b]\nx = 2\nz = { r = 1 }\n\n[c]\nx = 3\n";
    let written = |name: &str, how: usize| match how {
        0 => String::new(),
        1 => format!("[{name}]\n\n"),
        2 => format!("[{name}]\nx = 9\n\n"),
        _ => format!("[{name}]\nnew = 1\n\n"),
    };
    let tiles = read(before).unwrap();
    for how in 0..64 {
        let parts = [written("a", how % 4), written("b", how / 4 % 4), written("c", how / 16)];
        for order in [[0, 1, 2], [2, 1, 0], [1, 2, 0]] {
            let after = order.map(|at| parts[at].as_str()).concat();
            for hidden in subsets(&tiles.ids()) {
                let mut lifted = with_hidden(&tiles, &hidden);
                lifted.lift(&after).unwrap();
                assert_eq!(lifted.shown(), after, "without {hidden:?}");
                let mut section = Vec::new();
                for line in lifted.lines() {
                    match line.what() {
                        What::Key => assert!(line.path().starts_with(&section), "without {hidden:?}, then {after:?}: {:?}", line.path()),
                        _ => section = line.path().to_vec(),
                    }
                }
            }
        }
    }
}
