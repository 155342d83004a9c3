//! A person gave a field the name of one that is hidden: two fields, and each stays what it is. What is hidden waits under a free name.

use std::collections::{BTreeMap, BTreeSet};
use ysomorph_kept::{Line, Tiles, Value, What};

/// What a field is of: of these keys, one has to be there.
const SOURCES: [&str; 4] = ["column", "columns", "formula", "related"];

/// Sets hidden fields apart whose names stand in the file for something else, and gives the names: the one before, and the one now.
pub(super) fn set_apart(known: &mut Tiles, file: &Tiles) -> Vec<(String, String)> {
    let (hidden, shown) = (sources(known, false), sources(known, true));
    let written = sources(file, true);
    let taken = |(name, own): &(&String, &String)| !shown.contains_key(*name) && written.get(*name).is_some_and(|other| other != *own);
    let apart: Vec<String> = hidden.iter().filter(taken).map(|(name, _)| name.clone()).collect();
    let mut used: BTreeSet<String> = names(known).chain(names(file)).collect();
    let mut renamed = Vec::new();
    for name in apart {
        let Some(free) = (2..).map(|n| format!("{name}_{n}")).find(|free| !used.contains(free)) else { continue };
        let lines = known.lines().iter().filter(|line| !line.is_shown() && field_of(line) == Some(&name)).map(Line::id);
        for id in lines.collect::<Vec<_>>() {
            known.rename_key(id, 1, &|_| free.clone());
        }
        used.insert(free.clone());
        renamed.push((name, free));
    }
    renamed
}

/// The field that a line says something of.
fn field_of(line: &Line) -> Option<&String> {
    match line.path() {
        [group, name, ..] if group == "field" => Some(name),
        _ => None,
    }
}

fn names(tiles: &Tiles) -> impl Iterator<Item = String> {
    tiles.lines().iter().filter_map(field_of).cloned()
}

/// What each field is of, as it is written: of the lines that are shown, or of those that aren't.
fn sources(tiles: &Tiles, are_shown: bool) -> BTreeMap<String, String> {
    let mut all = BTreeMap::new();
    for line in tiles.lines().iter().filter(|line| line.what() == What::Key && line.is_shown() == are_shown) {
        let Some(name) = field_of(line) else { continue };
        let written = |id| tiles.written(id).unwrap_or_default();
        match (line.path(), line.value()) {
            ([_, _, key, ..], _) if SOURCES.contains(&key.as_str()) => {
                all.insert(name.clone(), format!("{key}={}", written(line.id())));
            }
            // A field on one line.
            ([_, _], Value::Members(container)) => {
                let source = container.members().iter().find(|member| SOURCES.contains(&member.key().as_str()));
                all.extend(source.map(|member| (name.clone(), format!("{}={}", member.key(), written(member.id())))));
            }
            _ => {}
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::set_apart;

    #[test]
    fn a_hidden_field_gives_up_a_name_that_something_else_has() {
        for (hidden, written, apart) in [
            ("[field.a]\ncolumn = \"a\"\nlabel = \"A\"   # ours\n", "[field.a]\nformula = \"1\"\n", true),
            ("[field.a]\ncolumn = \"a\"\n", "[field.a]\ncolumn = \"b\"\n", true),
            ("field.a = { column = \"a\" }\n", "[field.a]\nformula = \"1\"\n", true),
            ("field.a.column = \"a\"\nfield.a.kind = \"text\"\n", "field.a = { related = { entity = \"b\", by = \"c\" } }\n", true),
            // The same field, written by hand.
            ("[field.a]\ncolumn = \"a\"\n", "[field.a]\nlabel = \"A\"\ncolumn = \"a\"\n", false),
            ("[field.a]\ncolumn = \"a\"\n", "[field.b]\nformula = \"1\"\n", false),
        ] {
            let text = format!("table = \"t\"\n\n{hidden}\n[field.a_2]\ncolumn = \"c\"\n");
            let mut tiles = ysomorph_kept::read(&text).unwrap();
            let ids: Vec<_> = tiles.lines().iter().filter(|l| l.path().len() > 1 && l.path()[1] == "a").map(|l| l.id()).collect();
            ids.iter().for_each(|id| tiles.hide(*id));
            let file = format!("table = \"t\"\n\n{written}\n[field.a_2]\ncolumn = \"c\"\n");
            let names = set_apart(&mut tiles, &ysomorph_kept::read(&file).unwrap());
            assert_eq!(names, if apart { vec![("a".to_owned(), "a_3".to_owned())] } else { Vec::new() }, "{hidden} {written}");
            tiles.lift(&file).unwrap();
            assert_eq!(tiles.shown(), file);
            ids.iter().for_each(|id| tiles.show(*id));
            let back = tiles.shown();
            let all: toml::Table = toml::from_str(&back).unwrap_or_else(|e| panic!("{back}\n{e}"));
            let fields = all["field"].as_table().unwrap();
            assert_eq!(fields.contains_key("a_3"), apart, "{back}");
            assert!(!apart || fields["a_3"].get("column").is_some() && back.contains("# ours") == hidden.contains("# ours"), "{back}");
        }
    }
}
