//! Translations of labels: gettext catalogues `app/labels.LANG.po` beside the definition.
//!
//! `msgctxt` is the element's path, `msgid` its text in the definition's own language. A merge touches only the entries
//! whose element changed: one that went becomes obsolete (`#~`), one whose text changed fuzzy, with the text it was
//! translated from (`#|`); when the element is as it was, the entry is as it was, to the byte.

use crate::files::{FileError, list_folder, read_text};
use std::collections::BTreeMap;
use std::ops::Range;
use std::path::Path;
use ysomorph_core::definition::{At, FileKey, Node, Tree};
use ysomorph_core::draft::field_label;
use ysomorph_core::impact::{Location, Translation};

/// An entry of a catalogue.
#[derive(Debug, Clone, PartialEq, Eq)]
struct CatalogueEntry {
    /// Its bytes, from its first line to the end of its last.
    at: Range<usize>,
    context: String,
    id: String,
    text: String,
    obsolete: bool,
    fuzzy: bool,
}

/// The labels that a catalogue translates, by the element's path.
pub(crate) fn labels(catalogue: &str) -> BTreeMap<String, String> {
    // It was read when the workspace was opened.
    let entries = entries(catalogue).unwrap_or_default();
    entries.into_iter().filter(|e| !e.obsolete && !e.fuzzy && !e.text.is_empty()).map(|e| (e.context, e.text)).collect()
}

/// Every entry of every catalogue, obsolete ones and the head aside.
pub(crate) fn all(catalogues: &BTreeMap<String, String>) -> Vec<Translation> {
    let mut all = Vec::new();
    for (file, text) in catalogues {
        let language = file.trim_start_matches("app/labels.").trim_end_matches(".po");
        // Lines are counted along: the entries come in order.
        let (mut line, mut counted) = (1, 0);
        for entry in entries(text).unwrap_or_default() {
            // The entry's first line; its comments stand above.
            line += text.get(counted..entry.at.start).map_or(0, |between| between.matches('\n').count());
            counted = entry.at.start;
            if entry.obsolete || entry.id.is_empty() {
                continue;
            }
            all.push(Translation {
                language: language.to_owned(),
                context: entry.context,
                id: entry.id,
                text: entry.text,
                fuzzy: entry.fuzzy,
                at: Location { file: file.clone(), line: u32::try_from(line).unwrap_or(1), column: 1 },
            });
        }
    }
    all
}

/// Reads the catalogues beside a definition, by path; each that can't be read is an error.
pub(crate) fn read(root: &Path, errors: &mut Vec<FileError>) -> BTreeMap<String, String> {
    // Where the folder can't be listed, reading the definition says so.
    let names = list_folder(root, "app").unwrap_or_default();
    let files: Vec<String> =
        names.into_iter().filter(|n| n.starts_with("labels.") && n.ends_with(".po")).map(|n| format!("app/{n}")).collect();
    let mut catalogues = BTreeMap::new();
    for file in files {
        match read_text(root, &file) {
            Ok(Some(text)) => {
                if let Err((line, message)) = entries(&text) {
                    errors.push(FileError { file: file.clone(), at: Some(At { line, column: 1 }), message, text: text.as_str().into() });
                }
                catalogues.insert(file, text);
            }
            Ok(None) => {}
            Err(error) => errors.push(error),
        }
    }
    catalogues
}

/// The entries of a catalogue; where it can't be read, the line and what is wrong.
fn entries(text: &str) -> Result<Vec<CatalogueEntry>, (u32, String)> {
    let mut all = Vec::new();
    let mut start = 0;
    let mut lines: Vec<(usize, usize, &str)> = Vec::new();
    let mut number = 0;
    for line in text.split_inclusive('\n').chain(std::iter::once("")) {
        number += 1;
        let bare = line.trim();
        if bare.is_empty() {
            all.extend(entry(&lines)?);
            lines.clear();
        } else {
            lines.push((start, number, line));
        }
        start += line.len();
    }
    Ok(all)
}

fn entry(lines: &[(usize, usize, &str)]) -> Result<Option<CatalogueEntry>, (u32, String)> {
    let (Some(first), Some(last)) = (lines.first(), lines.last()) else { return Ok(None) };
    let mut entry = CatalogueEntry {
        at: first.0..last.0 + last.2.len(),
        context: String::new(),
        id: String::new(),
        text: String::new(),
        obsolete: false,
        fuzzy: false,
    };
    let mut key = "";
    for (_, number, line) in lines {
        let mut line = line.trim();
        if let Some(rest) = line.strip_prefix("#~") {
            entry.obsolete = true;
            line = rest.trim_start();
        }
        if line.starts_with("#,") {
            entry.fuzzy |= line.contains("fuzzy");
        }
        if line.starts_with('#') {
            continue;
        }
        let quoted = match line.split_once(' ').filter(|(word, _)| word.starts_with("msg")) {
            Some((word, rest)) => {
                key = word;
                rest.trim()
            }
            None => line,
        };
        let inner = quoted.strip_prefix('"').and_then(|q| q.strip_suffix('"'));
        let inner = inner.ok_or_else(|| (u32::try_from(*number).unwrap_or(0), "a text in quotes belongs here".to_owned()))?;
        let value = unescaped(inner);
        match key {
            "msgctxt" => entry.context.push_str(&value),
            "msgid" => entry.id.push_str(&value),
            "msgstr" | "msgstr[0]" => entry.text.push_str(&value),
            _ => {}
        }
    }
    // The head of the catalogue has no context.
    Ok((!entry.context.is_empty()).then_some(entry))
}

fn unescaped(text: &str) -> String {
    let mut out = String::new();
    let mut characters = text.chars();
    while let Some(c) = characters.next() {
        match (c, if c == '\\' { characters.next() } else { None }) {
            ('\\', Some('n')) => out.push('\n'),
            ('\\', Some('t')) => out.push('\t'),
            ('\\', Some(other)) => out.push(other),
            (c, _) => out.push(c),
        }
    }
    out
}

fn escaped(text: &str) -> String {
    text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n").replace('\t', "\\t")
}

/// The label at an element's path, `None` where the element is gone.
fn label(tree: &Tree, context: &str) -> Option<String> {
    let mut steps = context.split('/');
    let file = match steps.next()? {
        "app" => FileKey::App,
        entity => FileKey::Entity(entity.to_owned()),
    };
    let steps: Vec<&str> = steps.collect();
    let step = |node: Option<&Node>, step: &str| -> Option<Node> {
        let node = node?;
        node.get(step).or_else(|| node.items().iter().find(|i| i.member_name() == step)).cloned()
    };
    let root = tree.files.get(&file)?.clone();
    let found = steps.iter().try_fold(root.clone(), |node, name| step(Some(&node), name));
    match (found.as_ref().and_then(Node::as_text), steps.as_slice()) {
        (Some(text), _) => Some(text.to_owned()),
        // A field without a label has its name's words.
        (None, ["field", field, "label"]) => root.get("field")?.get(field).map(|_| field_label(field)),
        _ => None,
    }
}

/// Fields that were renamed: entity, old name, new name.
pub(crate) type RenamedFields = [(String, String, String)];

/// An element's path before its field was renamed.
fn former(context: &str, fields: &RenamedFields) -> String {
    let under = |(entity, from, to): &(String, String, String)| {
        let rest = context.strip_prefix(&format!("{entity}/field/{to}/"))?;
        Some(format!("{entity}/field/{from}/{rest}"))
    };
    fields.iter().find_map(under).unwrap_or_else(|| context.to_owned())
}

/// A catalogue whose entries speak of the fields' new names.
fn with_new_contexts(text: &str, fields: &RenamedFields) -> String {
    let mut out = text.to_owned();
    if fields.is_empty() {
        return out;
    }
    // Each entry by itself: one field may take the name that another gives up.
    for entry in entries(text).unwrap_or_default().into_iter().rev() {
        let context = |(entity, field): (&str, &str)| format!("msgctxt \"{}", escaped(&format!("{entity}/field/{field}/")));
        let own = fields.iter().find(|(entity, from, _)| entry.context.starts_with(&format!("{entity}/field/{from}/")));
        if let Some((entity, from, to)) = own {
            let renamed = text[entry.at.clone()].replacen(&context((entity, from)), &context((entity, to)), 1);
            out.replace_range(entry.at, &renamed);
        }
    }
    out
}

/// A catalogue after a merge that renamed these fields.
pub(crate) fn merged(text: &str, before: &Tree, after: &Tree, fields: &RenamedFields) -> String {
    let text = &with_new_contexts(text, fields);
    let Ok(entries) = entries(text) else { return text.to_owned() };
    let mut out = text.to_owned();
    for entry in entries.into_iter().rev() {
        let (old, new) = (label(before, &former(&entry.context, fields)), label(after, &entry.context));
        if old == new {
            continue;
        }
        let own = &text[entry.at.clone()];
        let changed = match (entry.obsolete, new) {
            (false, None) => {
                let obsolete: String = own.split_inclusive('\n').map(|line| format!("#~ {line}")).collect();
                // What a person called otherwise and didn't translate anew comes back as it went.
                let unlike = old.filter(|label| *label != entry.id);
                unlike.map_or_else(String::new, |label| format!("#~ {}{}", went_as(&label), end_of(own))) + &obsolete
            }
            (true, Some(new)) => {
                let own: String = own.split_inclusive('\n').map(|line| line.strip_prefix("#~ ").unwrap_or(line)).collect();
                let noted = own.strip_prefix(&went_as(&new)).and_then(|rest| rest.strip_prefix(end_of(&own)));
                let own: String = own.split_inclusive('\n').filter(|line| !line.starts_with(WENT_AS)).collect();
                if new == entry.id || noted.is_some() { own } else { fuzzy(&own, &entry.id, &new) }
            }
            (false, Some(new)) if new != entry.id => fuzzy(own, &entry.id, &new),
            _ => own.to_owned(),
        };
        out.replace_range(entry.at, &changed);
    }
    out
}

/// How an obsolete entry says what the label was, where that isn't what it translates.
const WENT_AS: &str = "#. the label was ";

fn went_as(label: &str) -> String {
    format!("{WENT_AS}\"{}\"", escaped(label))
}

fn end_of(text: &str) -> &'static str {
    if text.contains("\r\n") { "\r\n" } else { "\n" }
}

/// An entry whose label is another now; or as it was, when the label is what it was translated from.
fn fuzzy(own: &str, old: &str, new: &str) -> String {
    let end = end_of(own);
    let was = format!("#, fuzzy{end}#| msgid \"{}\"{end}", escaped(new));
    let renamed = own.replacen(&format!("msgid \"{}\"", escaped(old)), &format!("msgid \"{}\"", escaped(new)), 1);
    if own.starts_with(&was) {
        let rest = &own[was.len()..];
        return rest.replacen(&format!("msgid \"{}\"", escaped(old)), &format!("msgid \"{}\"", escaped(new)), 1);
    }
    if own.starts_with("#, fuzzy") {
        // Changed again: what it was translated from stays.
        let lines: Vec<&str> = own.split_inclusive('\n').collect();
        let head: String = lines.iter().take(2).copied().collect();
        let rest: String = lines.iter().skip(2).copied().collect();
        return head + &rest.replacen(&format!("msgid \"{}\"", escaped(old)), &format!("msgid \"{}\"", escaped(new)), 1);
    }
    format!("#, fuzzy{end}#| msgid \"{}\"{end}{renamed}", escaped(old))
}

#[cfg(test)]
mod tests {
    use super::*;

    const CATALOGUE: &str = "# head\nmsgid \"\"\nmsgstr \"\"\n\"Language: de\\n\"\n\nmsgctxt \"hive/field/tag/label\"\nmsgid \"Number \\\"burnt\\\"\"\nmsgstr \"Nummer\"\n\n# by hand\nmsgctxt \"hive/label/one\"\nmsgid \"Hive\"\nmsgstr \"\"\n\"Stock\"";

    fn tree(label: Option<&str>) -> Tree {
        let mut tree = Tree::default();
        let field = label.map(|label| Node::table().with("tag", Node::table().with("label", label.into()))).unwrap_or_default();
        let node = Node::table().with("label", Node::table().with("one", "Hive".into())).with("field", field);
        tree.files.insert(FileKey::Entity("hive".into()), node);
        tree
    }

    #[test]
    fn what_goes_is_obsolete_what_changes_is_fuzzy_and_both_come_back_to_the_byte() {
        let (was, other, gone) = (tree(Some("Number \"burnt\"")), tree(Some("No.")), tree(None));
        let read = entries(CATALOGUE).unwrap();
        assert_eq!(read.iter().map(|e| e.text.as_str()).collect::<Vec<_>>(), ["Nummer", "Stock"]);
        assert_eq!(merged(CATALOGUE, &was, &was, &[]), CATALOGUE);
        let without = merged(CATALOGUE, &was, &gone, &[]);
        assert!(without.contains("#~ msgctxt \"hive/field/tag/label\"\n#~ msgid") && without.contains("\nmsgid \"Hive\""), "{without}");
        assert_eq!(merged(&without, &gone, &was, &[]), CATALOGUE);
        let changed = merged(CATALOGUE, &was, &other, &[]);
        assert!(
            changed.contains("#, fuzzy\n#| msgid \"Number \\\"burnt\\\"\"\nmsgctxt \"hive/field/tag/label\"\nmsgid \"No.\""),
            "{changed}"
        );
        assert_eq!(merged(&changed, &other, &was, &[]), CATALOGUE);
        let changed_and_gone = merged(&changed, &other, &gone, &[]);
        assert_eq!(merged(&changed_and_gone, &gone, &other, &[]), changed);
        assert_eq!(merged(&changed_and_gone, &gone, &was, &[]), CATALOGUE);
        // What a person called otherwise and didn't translate anew comes back as it was, and fuzzy under a third label.
        let (unlike, third) = (tree(Some("Mine")), tree(Some("Third")));
        let gone_unlike = merged(CATALOGUE, &unlike, &gone, &[]);
        assert!(gone_unlike.contains("#~ #. the label was \"Mine\"\n#~ msgctxt \"hive/field/tag/label\"\n"), "{gone_unlike}");
        assert_eq!(merged(&gone_unlike, &gone, &unlike, &[]), CATALOGUE);
        assert_eq!(merged(&gone_unlike, &gone, &was, &[]), CATALOGUE);
        let third = merged(&gone_unlike, &gone, &third, &[]);
        assert!(third.contains("#, fuzzy\n#| msgid \"Number") && !third.contains("the label was"), "{third}");
        assert!(entries("msgid unquoted\n").is_err());
        // A field takes the name that another one gives up.
        let entry = |field: &str, text: &str| format!("msgctxt \"hive/field/{field}/label\"\nmsgid \"{text}\"\nmsgstr \"\"\n");
        let renamed = |from: &str, to: &str| ("hive".to_owned(), from.to_owned(), to.to_owned());
        let both =
            with_new_contexts(&format!("{}\n{}", entry("no", "A"), entry("tag", "B")), &[renamed("no", "tag"), renamed("tag", "tag_2")]);
        assert_eq!(both, format!("{}\n{}", entry("tag", "A"), entry("tag_2", "B")));
    }
}
