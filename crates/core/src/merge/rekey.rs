//! Step 1: every mention takes the name that its table or column has now, in what is hidden too, by its own characters only.

use super::identities::Identities;
use super::whole::{Whole, element};
use crate::definition::{EntityIndex, FileKey, Pieces, Seg, Tree, Value, rename_mentions, renamed_mentions};
use crate::merge::Element;
use crate::name;
use crate::rename::{RenameMap, without_gone};
use crate::schema::{Column, Engine, Schema, Table};
use crate::sql;
use std::collections::BTreeSet;

/// What to replace, by its place in a file.
type Edits = Vec<(Vec<Seg>, Pieces)>;

/// Carries renames through. Returns the elements whose SQL can't be analysed with certainty although it may name something
/// renamed: they stay as they are. `all` is the schema before, with everything that is lost.
pub(super) fn rekey(whole: &mut Whole, all: &Schema, names: &RenameMap) -> Vec<Element> {
    let mut doubtful = Vec::new();
    if names.is_empty() {
        return doubtful;
    }
    let index = EntityIndex::of(&whole.tree);
    let because = because(names);
    // The names that the way back writes of itself.
    let exact: BTreeSet<&str> =
        names.table_renames().map(|(from, _)| from).chain(names.column_renames().map(|(_, from, _)| from)).collect();
    let Whole { tree, tiles } = whole;
    let mut found: Vec<(FileKey, Edits)> = Vec::new();
    for (file, root) in &tree.files {
        let mut edits = Vec::new();
        for (path, pieces) in renamed_mentions(file, root, &index, all, names) {
            match pieces {
                Some(pieces) => edits.push((path, pieces)),
                None => doubtful.push(element(file, root, &path)),
            }
        }
        if !edits.is_empty() {
            found.push((file.clone(), edits));
        }
    }
    for (file, edits) in found {
        let Some(root) = tree.files.get_mut(&file) else { continue };
        for (path, pieces) in edits {
            let Some(node) = root.at_path_mut(&path) else { continue };
            let Some(tile) = tiles.get_mut(node.tile as usize) else { continue };
            let Value::Text(text) = &mut node.value else { continue };
            let pieces = respelled(&mut tile.spelled, text, pieces, &exact, all.engine);
            pieces.iter().rev().for_each(|(at, new)| text.replace_range(at.clone(), new));
            tile.because.clone_from(&because);
        }
    }
    doubtful
}

/// Carries over what another branch wrote about the names from before; returns what [`rekey`] does.
pub(super) fn rekey_branch(whole: &mut Whole, known: &Identities, accepted: &Schema) -> Vec<Element> {
    let names = known.spoken_of_before(accepted);
    if names.is_empty() { Vec::new() } else { rekey(whole, &with_old_names(known, accepted, &names), &names) }
}

/// A definition in which another branch may speak of names from before, brought to the names of now.
pub fn of_branches(tree: &Tree, known: &Identities, accepted: &Schema) -> Tree {
    let names = known.spoken_of_before(accepted);
    let mut tree = tree.clone();
    if !names.is_empty() {
        rename_mentions(&mut tree, &with_old_names(known, accepted, &names), &names);
    }
    tree
}

/// The schema with what has other names now under both: a table as it was called has its columns as they were called.
fn with_old_names(known: &Identities, accepted: &Schema, names: &RenameMap) -> Schema {
    let mut both = known.all(accepted);
    let old = names.inverse();
    for table in accepted.tables.iter().filter(|t| old.table(&t.name) != t.name) {
        let mut before = table.clone();
        before.name = old.table(&table.name).to_owned();
        both.tables.push(before);
    }
    let renamed = |table: &Table| -> Vec<Column> {
        let own = names.column_renames().filter(|(of, ..)| name::same(of, &table.name));
        own.filter_map(|(_, from, to)| Some(Column { name: from.to_owned(), ..table.column(to)?.clone() })).collect()
    };
    both.tables.change(|table| names.concerns(&table.name), |table| table.columns.extend(renamed(table)));
    both.tables.sort();
    both
}

/// Uses the spelling a name had before, where it is known, and remembers one that the way back would lose.
fn respelled(spelled: &mut Vec<(String, String)>, text: &str, mut pieces: Pieces, exact: &BTreeSet<&str>, engine: Engine) -> Pieces {
    let mut known = std::mem::take(spelled);
    let mut fresh: Vec<(String, String)> = Vec::new();
    let mut would_be_lost = false;
    for (range, new) in &mut pieces {
        let now = text.get(range.clone()).unwrap_or_default().to_owned();
        if let Some(at) = known.iter().position(|(is, was)| *is == now && name::same(&name::unquoted(was), &name::unquoted(new))) {
            // And back again: which of the two is first doesn't matter.
            *new = known.remove(at).1;
        }
        would_be_lost |= spelled_back(new, &now, engine) != now || !exact.contains(name::unquoted(&now).as_str());
        fresh.push((new.clone(), now));
    }
    // A name may stand there in several spellings: all of them in their order, or none.
    if !would_be_lost {
        fresh.clear();
    }
    // What is known of a name goes along with it, through any number of renames.
    for (now, _) in &mut known {
        let moved = pieces.iter().find(|(range, _)| text.get(range.clone()) == Some(now.as_str()));
        if let Some((_, new)) = moved {
            now.clone_from(new);
        }
    }
    known.extend(fresh);
    *spelled = known;
    pieces
}

/// How the way back would write the old name, given how the new one is written.
fn spelled_back(new: &str, old: &str, engine: Engine) -> String {
    let quote = new.chars().next().filter(|c| "\"`[".contains(*c));
    sql::requoted(&name::unquoted(old), quote, engine)
}

fn because(names: &RenameMap) -> String {
    let pairs = names.table_renames().chain(names.column_renames().map(|(_, from, to)| (from, to)));
    let stays = pairs.filter(|(_, to)| without_gone(to) == *to);
    let all: Vec<String> = stays.map(|(from, to)| name::shown(&format!("{} is {to} now", without_gone(from)))).collect();
    match all.as_slice() {
        [one] => one.clone(),
        _ => "names changed in the database".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::ops::Range;

    /// Renames every `old` in a text to `new` and back: what stands there in between, and after.
    fn there_and_back(text: &str, old: &str, new: &str) -> (String, String) {
        let mut spelled = Vec::new();
        let mut renamed = |text: &str, from: &str, to: &str, exact: &str| {
            let at = |word: &str| -> Vec<Range<usize>> {
                let quoted = [format!("`{word}`"), format!("\"{word}\""), word.to_owned()];
                let lower = text.to_lowercase();
                let mut found: Vec<Range<usize>> = Vec::new();
                for form in quoted {
                    found.extend(lower.match_indices(&form).map(|(at, form)| at..at + form.len()));
                }
                found.sort_by_key(|r| (r.start, std::cmp::Reverse(r.end)));
                let mut end = 0;
                found.retain(|r| {
                    r.start >= end && {
                        end = r.end;
                        true
                    }
                });
                found
            };
            let quote = |r: &Range<usize>| text[r.clone()].chars().next().filter(|c| "\"`".contains(*c));
            let pieces: Pieces = at(from)
                .into_iter()
                .map(|r| {
                    let quote = quote(&r);
                    (r, sql::requoted(to, quote, Engine::Sqlite))
                })
                .collect();
            let pieces = respelled(&mut spelled, text, pieces, &BTreeSet::from([exact]), Engine::Sqlite);
            let mut out = text.to_owned();
            pieces.into_iter().rev().for_each(|(at, new)| out.replace_range(at, &new));
            out
        };
        let there = renamed(text, old, new, old);
        let back = renamed(&there, new, old, new);
        // As often as one likes.
        let there_again = renamed(&back, old, new, old);
        assert_eq!((there_again.as_str(), renamed(&there_again, new, old, new)), (there.as_str(), back.clone()), "{text}");
        (there, back)
    }

    #[test]
    fn a_name_goes_back_in_the_very_spelling_it_had() {
        for (text, there) in [
            ("place IS NULL", "spot IS NULL"),
            ("PLACE IS NULL", "spot IS NULL"),
            ("`place` IS NULL", "`spot` IS NULL"),
            ("t.place > 0", "t.spot > 0"),
            // Several spellings, each in its place.
            ("`place` IS NULL OR `PlAcE` = 1 OR place = 2", "`spot` IS NULL OR `spot` = 1 OR spot = 2"),
        ] {
            assert_eq!(there_and_back(text, "place", "spot"), (there.to_owned(), text.to_owned()));
        }
        // A word of the language, that would be written in quotes.
        assert_eq!(there_and_back("t.rank > 0", "rank", "spot").1, "t.rank > 0");
    }
}
