//! The lines and headers of a file as units that tile it.
//!
//! ```text
//! table = "hive"↵            a line of the root block
//! ↵
//! # ---- pages↵              free text: a blank line follows, so it belongs to nothing
//! ↵
//! # the name↵                ┐ the unit of [field.name]: from the line break before its comments
//! [field.name]   # here      ┘ to the end of its line
//! ```
//! A unit starts with the line break that ends the line before it, so that taking out the last one leaves a
//! file that still ends as it did.

use super::parse::{Form, Parsed, Syntax, mark_length};
use std::ops::Range;
use ysomorph_core::definition::Seg;

/// A header or a key's line.
#[derive(Debug)]
pub(super) struct Item {
    /// The path of the table or value.
    pub path: Vec<Seg>,
    /// Whether it is a header.
    pub header: bool,
    /// From the line break before its comments to the end of its line.
    pub unit: Range<usize>,
    /// What recognises it among its siblings.
    pub key: String,
}

/// Text between units that belongs to none of them.
#[derive(Debug)]
pub(super) struct Free {
    pub span: Range<usize>,
    pub key: String,
    /// The item it stands before.
    pub before: usize,
}

/// A file's units in order.
#[derive(Debug)]
pub(super) struct Layout {
    pub items: Vec<Item>,
    pub free: Vec<Free>,
}

/// One member of a container of lines or blocks: its key and bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Member {
    pub key: String,
    pub span: Range<usize>,
}

impl Layout {
    pub fn of(parsed: &Parsed<'_>) -> Layout {
        let text = parsed.text;
        let mut found: Vec<(usize, usize, Vec<Seg>, bool)> = Vec::new();
        collect(text, &parsed.syntax, &mut Vec::new(), &mut found);
        found.sort_by_key(|(start, ..)| *start);
        let mut layout = Layout { items: Vec::new(), free: Vec::new() };
        let mut previous = mark_length(text);
        for (start, end, path, header) in found {
            let unit_start = lead_start(text, previous, start);
            for span in paragraphs(text, previous..unit_start) {
                let key = format!("#{}", text[span.clone()].trim());
                layout.free.push(Free { span, key, before: layout.items.len() });
            }
            let key = key_of(text, &path, header, start, end);
            layout.items.push(Item { path, header, unit: unit_start..end, key });
            previous = end;
        }
        layout
    }

    /// The items of the block a header opens (the header first); for the root, its lines.
    pub fn block(&self, header: Option<usize>) -> Range<usize> {
        let start = header.unwrap_or(0);
        let after = header.map_or(0, |h| h + 1);
        let end = self.items[after..].iter().position(|i| i.header).map_or(self.items.len(), |n| after + n);
        start..end
    }

    /// Blocks and the free text between them.
    pub fn blocks(&self) -> Vec<Member> {
        let headers: Vec<usize> = (0..self.items.len()).filter(|i| self.items.get(*i).is_some_and(|i| i.header)).collect();
        let mut members: Vec<Member> = headers
            .iter()
            .filter_map(|&h| {
                let last = self.items.get(self.block(Some(h)).end - 1)?;
                let first = self.items.get(h)?;
                Some(Member { key: first.key.clone(), span: first.unit.start..last.unit.end })
            })
            .collect();
        members
            .extend(self.free.iter().filter(|f| headers.contains(&f.before)).map(|f| Member { key: f.key.clone(), span: f.span.clone() }));
        numbered(members)
    }

    /// Lines of a block and the free text between them.
    pub fn lines(&self, header: Option<usize>) -> Vec<Member> {
        let block = self.block(header);
        let first = header.map_or(block.start, |h| h + 1);
        let mut members: Vec<Member> =
            self.items[first..block.end].iter().map(|i| Member { key: i.key.clone(), span: i.unit.clone() }).collect();
        members.extend(
            self.free
                .iter()
                .filter(|f| f.before >= first && f.before < block.end)
                .map(|f| Member { key: f.key.clone(), span: f.span.clone() }),
        );
        numbered(members)
    }

    /// The header of a path, if it has one.
    pub fn header(&self, path: &[Seg]) -> Option<usize> {
        self.items.iter().position(|i| i.header && i.path == path)
    }
}

/// Free text by paragraphs: what stands between two of them may leave and return. Each starts with the line break before it.
fn paragraphs(text: &str, span: Range<usize>) -> Vec<Range<usize>> {
    let mut spans: Vec<Range<usize>> = Vec::new();
    let (mut at, mut start, mut has_text, mut blank) = (span.start, span.start, false, false);
    for line in text[span.clone()].split_inclusive('\n') {
        let is_blank = line.trim().is_empty();
        if !is_blank && has_text && blank {
            // The paragraph before ended where its last line did.
            let end = start + text[start..at].trim_end().len();
            spans.push(start..end);
            start = end;
        }
        has_text |= !is_blank;
        blank = is_blank;
        at += line.len();
    }
    if has_text {
        spans.push(start..span.end);
    }
    spans
}

/// In order of their places; members of the same key (the same comment twice) told apart by their number.
fn numbered(mut members: Vec<Member>) -> Vec<Member> {
    members.sort_by_key(|m| m.span.start);
    let mut seen: std::collections::BTreeMap<String, usize> = std::collections::BTreeMap::new();
    for member in &mut members {
        let count = seen.entry(member.key.clone()).or_default();
        *count += 1;
        if *count > 1 {
            member.key = format!("{} ({count})", member.key);
        }
    }
    members
}

/// The line break of the text, for what is inserted.
pub(super) fn line_break(text: &str) -> &'static str {
    if text.contains("\r\n") { "\r\n" } else { "\n" }
}

fn collect(text: &str, syntax: &Syntax, path: &mut Vec<Seg>, out: &mut Vec<(usize, usize, Vec<Seg>, bool)>) {
    match &syntax.kind {
        Form::Table { header, entries } => {
            if *header {
                let (start, end) = line_around(text, &syntax.span);
                out.push((start, end, path.clone(), true));
            }
            for (key, key_span, child) in entries {
                path.push(Seg::Key(key.clone()));
                match &child.kind {
                    Form::Table { .. } | Form::Tables(_) => collect(text, child, path, out),
                    _ => {
                        let (start, _) = line_around(text, key_span);
                        let (_, end) = line_around(text, &child.span);
                        out.push((start, end, path.clone(), false));
                    }
                }
                path.pop();
            }
        }
        Form::Tables(tables) => {
            for (at, table) in tables.iter().enumerate() {
                path.push(Seg::Index(at));
                collect(text, table, path, out);
                path.pop();
            }
        }
        Form::Scalar | Form::Array(_) | Form::Inline(_) => {}
    }
}

/// The start of the first and the end of the last line a span touches, line break not included.
fn line_around(text: &str, span: &Range<usize>) -> (usize, usize) {
    let start = text[..span.start].rfind('\n').map_or(mark_length(text), |at| at + 1);
    let end = text[span.end..].find('\n').map_or(text.len(), |at| span.end + at);
    let end = if text[..end].ends_with('\r') { end - 1 } else { end };
    (start, end)
}

/// Where the unit of a line starts: over comments directly above, then blank lines, then the line break before.
fn lead_start(text: &str, previous: usize, line: usize) -> usize {
    let above = |at: usize| -> Option<(usize, &str)> {
        let body = text[previous..at].strip_suffix('\n')?;
        // The first break of the gap ends the previous item's own line.
        let start = body.rfind('\n').map(|n| previous + n + 1).or_else(|| (previous == mark_length(text)).then_some(previous))?;
        Some((start, text[start..at].trim()))
    };
    let mut at = line;
    while let Some((start, content)) = above(at).filter(|(_, c)| c.starts_with('#')) {
        at = start;
        let _ = content;
    }
    while let Some((start, _)) = above(at).filter(|(_, c)| c.is_empty()) {
        at = start;
    }
    let before = &text[previous..at];
    if before.ends_with("\r\n") {
        at - 2
    } else if before.ends_with('\n') {
        at - 1
    } else {
        at
    }
}

fn key_of(text: &str, path: &[Seg], header: bool, start: usize, end: usize) -> String {
    let names: Vec<&str> = path
        .iter()
        .filter_map(|seg| match seg {
            Seg::Key(key) => Some(key.as_str()),
            Seg::Index(_) => None,
        })
        .collect();
    let dotted = names.join(".");
    if !header {
        return dotted;
    }
    // A table of an array has no name of its own: its first line tells which it is.
    match path.last() {
        Some(Seg::Index(_)) => format!("[[{dotted}]]{}", text[end..].lines().find(|l| !l.trim().is_empty()).unwrap_or(&text[start..end])),
        _ => format!("[{dotted}]"),
    }
}

#[cfg(test)]
mod tests {
    use super::super::parse::parse;
    use super::*;

    #[test]
    fn units_and_free_text_tile_the_file() {
        let text = "# top\n\n# more\n\ntable = \"hive\" # t\n# key\nkey = [\"id\",\n  \"x\"]\n\n# ---- fields\n\n# the name\n[field.name]\n\ncolumn = \"name\"\n# loose\n\nlabel.one = 1\n[[menu]]\nlabel = \"A\"\n";
        let parsed = parse(text).unwrap();
        let layout = Layout::of(&parsed);
        let mut spans: Vec<Range<usize>> =
            layout.items.iter().map(|i| i.unit.clone()).chain(layout.free.iter().map(|f| f.span.clone())).collect();
        spans.sort_by_key(|s| s.start);
        let joined: String = spans.iter().map(|s| &text[s.clone()]).collect();
        assert_eq!(joined + "\n", text, "{layout:?}");
        assert_eq!(layout.free.iter().map(|f| f.key.as_str()).collect::<Vec<_>>(), ["## top", "## more", "## ---- fields", "## loose"]);
        assert_eq!(
            layout.blocks().iter().map(|m| m.key.as_str()).collect::<Vec<_>>(),
            ["## ---- fields", "[field.name]", "[[menu]]label = \"A\""]
        );
    }
}
