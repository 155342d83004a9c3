//! Applies the core's edits to the bytes of a file, one after the other.

use super::layout::{Layout, Member, line_break};
use super::parse::{Form, Parsed, Syntax, mark_length, parse};
use super::render;
use super::sequence::{Place, Promoted, Sequence, Unit};
use super::strings::escaped;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ops::Range;
use ysomorph_core::definition::{Node, Seg, Value};
use ysomorph_core::merge::{Edit, Op, interleave, place};

/// One run of bytes of a part.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "as", rename_all = "lowercase")]
#[allow(missing_docs, reason = "each variant's text names its parts")]
pub enum Piece {
    /// A block with its header, from the line break before it.
    Block { text: String, order: Vec<String>, key: String },
    /// A line of a block, from the line break before it.
    Line { text: String, order: Vec<String>, key: String, header: Vec<String> },
    /// A member of an array or inline table.
    Member {
        lead: String,
        value: String,
        tail: String,
        first_lead: String,
        trailing: bool,
        rest: String,
        /// Whether it was the only one there.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        alone: bool,
        /// The array or table it was in.
        container: String,
        /// Its key in an inline table.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        key: String,
        /// The keys of the inline table, those set aside included.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        order: Vec<String>,
        /// Members that came to stand first in its absence, with the blanks they have elsewhere.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        promoted: BTreeMap<String, String>,
    },
    /// A value alone, or a whole file.
    Text { text: String },
}

/// The bytes of parts by number.
pub type Bytes = BTreeMap<u32, Vec<Piece>>;

/// Why an edit can't be applied: always a defect of this program; nothing is written.
#[derive(Debug, thiserror::Error)]
pub enum ApplyError {
    /// The file would no longer be TOML.
    #[error("an edit at {0} would leave a file that can't be read: {1}")]
    Broken(String, super::ParseError),
    /// The files would not say what the merge means.
    #[error("{0} would come out otherwise than meant")]
    Otherwise(String),
    /// What the edit is about isn't there.
    #[error("an edit is about {0}, which isn't there")]
    Missing(String),
}

/// Applies one edit to a file's text. `None` stands for no file.
pub fn apply(text: Option<&str>, edit: &Edit, bytes: &mut Bytes) -> Result<Option<String>, ApplyError> {
    let missing = || ApplyError::Missing(edit.element.shown());
    match (&edit.op, text) {
        (Op::Create { value }, None) => return Ok(Some(render::file(value))),
        (Op::RestoreFile { part }, None) => {
            return match bytes.remove(part).as_deref() {
                Some([Piece::Text { text }]) => Ok(Some(text.clone())),
                _ => Err(missing()),
            };
        }
        (Op::RemoveFile { remember }, Some(text)) => {
            bytes.insert(*remember, vec![Piece::Text { text: text.to_owned() }]);
            return Ok(None);
        }
        _ => {}
    }
    let text = text.ok_or_else(missing)?;
    let parsed = parse(text).map_err(|e| ApplyError::Broken(edit.element.shown(), e))?;
    let file = File { layout: Layout::of(&parsed), parsed };
    let edited = file.edit(edit, bytes).ok_or_else(missing)?;
    Ok(Some(edited))
}

struct File<'a> {
    parsed: Parsed<'a>,
    layout: Layout,
}

impl File<'_> {
    fn text(&self) -> &str {
        self.parsed.text
    }

    fn replaced(&self, range: &Range<usize>, new: &str) -> String {
        format!("{}{new}{}", &self.text()[..range.start], &self.text()[range.end..])
    }

    fn edit(&self, edit: &Edit, bytes: &mut Bytes) -> Option<String> {
        match &edit.op {
            Op::Splice(pieces) => super::splice_value(self.text(), &self.parsed.syntax.at(&edit.path)?.span, pieces),
            Op::RenameKey { to } => {
                let names: Option<Vec<String>> =
                    edit.path.iter().map(|seg| if let Seg::Key(key) = seg { Some(key.clone()) } else { None }).collect();
                let places = super::keys::spellings(self.text(), &names?);
                let mut text = self.text().to_owned();
                places.iter().rev().for_each(|at| text.replace_range(at.clone(), &respelled_key(&self.text()[at.clone()], to)));
                (!places.is_empty()).then_some(text)
            }
            Op::Set { value, remember } => {
                let span = self.parsed.syntax.at(&edit.path)?.span.clone();
                if let Some(id) = remember {
                    bytes.insert(*id, vec![Piece::Text { text: self.text().get(span.clone())?.to_owned() }]);
                }
                Some(self.replaced(&span, &render::value(value)))
            }
            Op::Restore { part } => {
                let span = self.parsed.syntax.at(&edit.path)?.span.clone();
                match bytes.remove(part)?.as_slice() {
                    [Piece::Text { text }] => Some(self.replaced(&span, text)),
                    _ => None,
                }
            }
            Op::Remove { remember } => {
                let ghosts = Ghosts::of(bytes);
                let container = edit.element.parent().encode();
                let (edited, pieces) = self.remove(&edit.path, &ghosts, container)?;
                if let Some(id) = remember {
                    bytes.insert(*id, pieces);
                }
                Some(edited)
            }
            Op::PutBack { part } => {
                let pieces = bytes.remove(part)?;
                let container = edit.element.parent().encode();
                let mut promoted = Ghosts(pieces.clone()).promoted(&container);
                promoted.extend(Ghosts::of(bytes).promoted(&container));
                let mut text = self.text().to_owned();
                for piece in &pieces {
                    let parsed = parse(&text).ok()?;
                    let file = File { layout: Layout::of(&parsed), parsed };
                    text = file.put_back(&edit.path, piece, &mut promoted)?;
                }
                keep_promoted(bytes, &container, promoted);
                Some(text)
            }
            Op::Insert { .. } | Op::InsertMember { .. } => {
                let container = edit.element.parent().encode();
                let mut promoted = Ghosts::of(bytes).promoted(&container);
                let edited = match &edit.op {
                    Op::Insert { value, after } => self.insert(&edit.path, value, after, &mut promoted),
                    Op::InsertMember { value } => self.insert_member(&edit.path, value, &mut promoted),
                    _ => None,
                };
                keep_promoted(bytes, &container, promoted);
                edited
            }
            Op::Create { .. } | Op::RemoveFile { .. } | Op::RestoreFile { .. } => None,
        }
    }

    /// The members of an array or inline table, with the index of the path's last step among them.
    fn sequence(&self, container: &[Seg], last: &Seg) -> Option<(Sequence, Option<usize>)> {
        let syntax = self.parsed.syntax.at(container)?;
        let (values, index): (Vec<Range<usize>>, Option<usize>) = match (&syntax.kind, last) {
            (Form::Array(items), Seg::Index(at)) => (items.iter().map(|i| i.span.clone()).collect(), Some(*at)),
            (Form::Inline(entries), Seg::Key(key)) => {
                let spans = entries.iter().map(|(_, key, value)| key.start..inline_end(value).max(key.end));
                (spans.collect(), entries.iter().position(|(k, ..)| k == key))
            }
            _ => return None,
        };
        Some((Sequence::of(self.text(), &syntax.span, &values), index))
    }

    fn remove(&self, path: &[Seg], ghosts: &Ghosts, container_name: String) -> Option<(String, Vec<Piece>)> {
        let (last, container) = path.split_last()?;
        if let Some((mut sequence, Some(index))) = self.sequence(container, last) {
            let order = ghosts.inline(&self.inline_order(container), &container_name);
            let key = match last {
                Seg::Key(key) => key.clone(),
                Seg::Index(_) => String::new(),
            };
            let inner = sequence.inner.clone();
            let mut promoted = ghosts.promoted(&container_name);
            let (unit, Place { first_lead, trailing, rest, alone }) = sequence.remove(index, &mut promoted)?;
            let piece = Piece::Member {
                lead: unit.lead,
                value: unit.value,
                tail: unit.tail,
                first_lead,
                trailing,
                rest,
                alone,
                container: container_name,
                key,
                order,
                promoted,
            };
            return Some((self.replaced(&inner, &sequence.render()), vec![piece]));
        }
        let mut cuts: Vec<(Range<usize>, Piece)> = Vec::new();
        let mut covered = 0;
        for (at, item) in self.layout.items.iter().enumerate() {
            if at < covered || !item.path.starts_with(path) {
                continue;
            }
            if item.header {
                let block = self.layout.block(Some(at));
                let span = item.unit.start..self.layout.items.get(block.end - 1)?.unit.end;
                let order = ghosts.blocks(&self.layout.blocks());
                covered = block.end;
                cuts.push((span.clone(), Piece::Block { text: self.text().get(span)?.to_owned(), order, key: item.key.clone() }));
            } else {
                let header = self.layout.items[..at].iter().rposition(|i| i.header);
                let names = self.header_names(header);
                let order = ghosts.lines(&self.layout.lines(header), &names);
                cuts.push((
                    item.unit.clone(),
                    Piece::Line { text: self.text().get(item.unit.clone())?.to_owned(), order, key: item.key.clone(), header: names },
                ));
            }
        }
        if cuts.is_empty() {
            return None;
        }
        let mut text = self.text().to_owned();
        for (span, _) in cuts.iter().rev() {
            text.replace_range(span.clone(), "");
        }
        Some((text, cuts.into_iter().map(|(_, piece)| piece).collect()))
    }

    fn inline_order(&self, container: &[Seg]) -> Vec<String> {
        match self.parsed.syntax.at(container).map(|s| &s.kind) {
            Some(Form::Inline(entries)) => entries.iter().map(|(key, ..)| key.clone()).collect(),
            _ => Vec::new(),
        }
    }

    fn header_names(&self, header: Option<usize>) -> Vec<String> {
        header_names(header.and_then(|h| self.layout.items.get(h)).map(|i| i.path.as_slice()).unwrap_or_default())
    }

    fn put_back(&self, path: &[Seg], piece: &Piece, promoted: &mut Promoted) -> Option<String> {
        match piece {
            Piece::Member { lead, value, tail, first_lead, trailing, rest, alone, order, .. } => {
                let (last, container) = path.split_last()?;
                let (mut sequence, _) = self.sequence(container, last)?;
                let index = match last {
                    Seg::Index(at) => *at,
                    Seg::Key(key) => place(order, key, &self.inline_order(container)),
                };
                let inner = sequence.inner.clone();
                let unit = Unit { lead: lead.clone(), value: value.clone(), tail: tail.clone() };
                sequence.put_back(
                    index,
                    unit,
                    &Place { first_lead: first_lead.clone(), trailing: *trailing, rest: rest.clone(), alone: *alone },
                    promoted,
                );
                Some(self.replaced(&inner, &sequence.render()))
            }
            Piece::Block { text, order, key } => {
                let start = self.layout.block(None).end;
                let root_end =
                    start.checked_sub(1).and_then(|at| self.layout.items.get(at)).map_or(mark_length(self.text()), |i| i.unit.end);
                Some(self.place_unit(&self.layout.blocks(), order, key, text, root_end))
            }
            Piece::Line { text, order, key, header } => {
                let at = match header.as_slice() {
                    [] => None,
                    names => Some(self.layout.items.iter().position(|i| i.header && header_names(&i.path) == names)?),
                };
                let start = at.and_then(|h| self.layout.items.get(h)).map_or(mark_length(self.text()), |i| i.unit.end);
                Some(self.place_unit(&self.layout.lines(at), order, key, text, start))
            }
            Piece::Text { .. } => None,
        }
    }

    /// Places a block or line after its nearest predecessor, before its nearest successor, or at the container's start.
    fn place_unit(&self, members: &[Member], order: &[String], key: &str, text: &str, start: usize) -> String {
        let keys: Vec<String> = members.iter().map(|m| m.key.clone()).collect();
        let index = place(order, key, &keys);
        let at = match index.checked_sub(1).and_then(|before| members.get(before)) {
            Some(before) => before.span.end,
            None => start,
        };
        self.insert_unit(at, text)
    }

    /// A unit starts with the line break before it; at the very start of a file the break goes behind it.
    fn insert_unit(&self, at: usize, unit: &str) -> String {
        let first = at == mark_length(self.text()) && unit.starts_with(['\n', '\r']);
        if first {
            let break_length = if unit.starts_with("\r\n") { 2 } else { 1 };
            let turned = format!("{}{}", &unit[break_length..], &unit[..break_length]);
            return self.replaced(&(at..at), &turned);
        }
        self.replaced(&(at..at), unit)
    }

    fn insert(&self, path: &[Seg], value: &Node, after: &[String], promoted: &mut Promoted) -> Option<String> {
        let (last, container) = path.split_last()?;
        let Seg::Key(key) = last else { return None };
        let line_break = line_break(self.text());
        if let Some(Syntax { kind: Form::Inline(entries), .. }) = self.parsed.syntax.at(container) {
            let (mut sequence, _) = self.sequence(container, last)?;
            let index = after.iter().find_map(|a| entries.iter().position(|(k, ..)| k == a)).map_or(0, |at| at + 1);
            let inner = sequence.inner.clone();
            sequence.insert(index, render::line(key, value), promoted);
            return Some(self.replaced(&inner, &sequence.render()));
        }
        let is_block = container.len() == 1
            && matches!(value.value, Value::Table(_))
            && matches!(container.first(), Some(Seg::Key(k)) if ["field", "page", "access", "role", "parameter"].contains(&k.as_str()));
        if is_block {
            let names = key_names(path);
            let block = render::block(&format!("[{}]", names.join(".")), value).replace('\n', line_break);
            let sibling = after.iter().find_map(|a| self.block_after(&[container, &[Seg::Key(a.clone())]].concat()));
            let at = sibling
                .or_else(|| self.block_after(container))
                .or_else(|| self.layout.items.last().map(|i| i.unit.end))
                .unwrap_or(self.text().len());
            return Some(self.insert_unit(at, &format!("{line_break}{line_break}{block}")));
        }
        let line = render::line(key, value).replace('\n', line_break);
        let sibling = after.iter().find_map(|a| self.line_of(container, a));
        let prefix = match self.layout.header(container) {
            _ if container.is_empty() => None,
            Some(_) => None,
            // A table spelled by dotted keys grows by another one.
            None => self.layout.items.iter().find(|i| !i.header && i.path.starts_with(container)),
        };
        if let Some(dotted) = prefix {
            let header = self.layout.items.iter().rfind(|i| i.header && i.unit.start < dotted.unit.start);
            let names = key_names(container.get(header.map_or(0, |h| h.path.len())..)?);
            let at = sibling.unwrap_or(dotted.unit.end);
            return Some(self.insert_unit(at, &format!("{line_break}{}.{line}", names.join("."))));
        }
        let at = match sibling {
            Some(at) => at,
            None if container.is_empty() => mark_length(self.text()),
            None => match self.layout.header(container).and_then(|h| self.layout.items.get(h)) {
                Some(header) => header.unit.end,
                None => {
                    // Only deeper tables have headers: this one gets its own before them.
                    let names = key_names(container);
                    let first = self.layout.items.iter().find(|i| i.header && i.path.starts_with(container))?;
                    return Some(
                        self.insert_unit(first.unit.start, &format!("{line_break}{line_break}[{}]{line_break}{line}", names.join("."))),
                    );
                }
            },
        };
        Some(self.insert_unit(at, &format!("{line_break}{line}")))
    }

    /// The end of the block that holds the last unit of an element: a header can't stand among another table's lines.
    fn block_after(&self, path: &[Seg]) -> Option<usize> {
        let last = self.layout.items.iter().rposition(|i| i.path.starts_with(path))?;
        let next = self.layout.items.iter().skip(last + 1).position(|i| i.header).map_or(self.layout.items.len(), |n| last + 1 + n);
        self.layout.items.get(next.checked_sub(1)?).map(|i| i.unit.end)
    }

    /// The end of the line of a key in the block of a table.
    fn line_of(&self, container: &[Seg], key: &str) -> Option<usize> {
        let path = [container, &[Seg::Key(key.to_owned())]].concat();
        self.layout.items.iter().rfind(|i| !i.header && i.path.starts_with(&path)).map(|i| i.unit.end)
    }

    fn insert_member(&self, path: &[Seg], value: &Node, promoted: &mut Promoted) -> Option<String> {
        let (last, container) = path.split_last()?;
        let Seg::Index(index) = last else { return None };
        if let Some(Syntax { kind: Form::Tables(_), .. }) = self.parsed.syntax.at(container) {
            let line_break = line_break(self.text());
            let names = key_names(container);
            let block = render::block(&format!("[[{}]]", names.join(".")), value).replace('\n', line_break);
            let before = index.checked_sub(1).and_then(|at| self.block_after(&[container, &[Seg::Index(at)]].concat()));
            let at = before.or_else(|| self.layout.items.iter().find(|i| i.path.starts_with(container)).map(|i| i.unit.start))?;
            return Some(self.insert_unit(at, &format!("{line_break}{line_break}{block}")));
        }
        let (mut sequence, _) = self.sequence(container, last)?;
        let inner = sequence.inner.clone();
        sequence.insert(*index, render::value(value), promoted);
        Some(self.replaced(&inner, &sequence.render()))
    }
}

/// A key in the spelling of the one before. Quotes stay; where a bare one needs them now they are single ones, which it
/// loses again.
fn respelled_key(before: &str, to: &str) -> String {
    let is_bare = |name: &str| render::key(name) == name;
    let was_needed = |quoted: &str| !is_bare(quoted.trim_matches('\''));
    match before.chars().next() {
        Some('"') => format!("\"{}\"", escaped(to)),
        Some('\'') if was_needed(before) && is_bare(to) => to.to_owned(),
        _ if is_bare(to) && !before.starts_with('\'') => to.to_owned(),
        _ if !to.contains('\'') => format!("'{to}'"),
        _ => render::key(to),
    }
}

/// The end of an inline entry's value; one spelled by dotted keys ends with its last.
fn inline_end(syntax: &Syntax) -> usize {
    match &syntax.kind {
        Form::Table { entries, .. } => entries.iter().map(|(_, _, s)| inline_end(s)).max().unwrap_or(syntax.span.end),
        Form::Inline(entries) if syntax.span == (0..0) => entries.iter().map(|(_, _, s)| inline_end(s)).max().unwrap_or(0),
        _ => syntax.span.end,
    }
}

/// Units that are set aside, for the order of their container.
struct Ghosts(Vec<Piece>);

impl Ghosts {
    fn of(bytes: &Bytes) -> Ghosts {
        Ghosts(bytes.values().flatten().cloned().collect())
    }

    /// Members of a container that stand first in another's absence.
    fn promoted(&self, wanted: &str) -> Promoted {
        let of = self.0.iter().filter_map(|p| match p {
            Piece::Member { container, promoted, .. } if container == wanted => Some(promoted.clone()),
            _ => None,
        });
        of.flatten().collect()
    }

    fn inline(&self, visible: &[String], wanted: &str) -> Vec<String> {
        interleave(
            visible,
            self.0.iter().filter_map(|p| match p {
                Piece::Member { key, order, container, .. } if container == wanted && !key.is_empty() => {
                    Some((key.as_str(), order.as_slice()))
                }
                _ => None,
            }),
        )
    }

    fn blocks(&self, visible: &[Member]) -> Vec<String> {
        let keys: Vec<String> = visible.iter().map(|m| m.key.clone()).collect();
        interleave(
            &keys,
            self.0.iter().filter_map(|p| match p {
                Piece::Block { key, order, .. } => Some((key.as_str(), order.as_slice())),
                _ => None,
            }),
        )
    }

    fn lines(&self, visible: &[Member], names: &[String]) -> Vec<String> {
        let keys: Vec<String> = visible.iter().map(|m| m.key.clone()).collect();
        interleave(
            &keys,
            self.0.iter().filter_map(|p| match p {
                Piece::Line { key, order, header, .. } if header == names => Some((key.as_str(), order.as_slice())),
                _ => None,
            }),
        )
    }
}

/// What a part that went back knew of its neighbours stays known to those still set aside.
fn keep_promoted(bytes: &mut Bytes, wanted: &str, known: Promoted) {
    let mut pieces = bytes.values_mut().flatten();
    let heir = pieces.find_map(|p| match p {
        Piece::Member { container, promoted, .. } if container == wanted => Some(promoted),
        _ => None,
    });
    if let Some(heir) = heir {
        heir.extend(known);
    }
}

/// The keys of a path as they are written in a header.
fn key_names(path: &[Seg]) -> Vec<String> {
    let keys = path.iter().filter_map(|seg| match seg {
        Seg::Key(key) => Some(render::key(key)),
        Seg::Index(_) => None,
    });
    keys.collect()
}

/// The path of a header as texts.
fn header_names(path: &[Seg]) -> Vec<String> {
    let name = |seg: &Seg| match seg {
        Seg::Key(key) => key.clone(),
        Seg::Index(at) => format!("={at}"),
    };
    path.iter().map(name).collect()
}
