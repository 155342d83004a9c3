//! From the text of a file to tiles that hold each of its bytes once.

use crate::list::blocks_of;
use crate::path::parts;
use crate::scan::{after_blanks, after_space, find_outside, line_end, line_stop, plain_end};
use crate::show::closing;
use crate::tiles::{Container, Id, Line, Mark, Member, Tiles, Value, What};
use std::collections::{BTreeMap, BTreeSet};

/// A text that isn't TOML.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct Unreadable {
    /// The byte at which reading stopped, where that is known.
    pub at: Option<usize>,
    /// What is wrong.
    pub message: String,
}

/// Takes a file's text apart.
///
/// # Errors
/// Where it isn't TOML.
pub fn read(text: &str) -> Result<Tiles, Unreadable> {
    read_as(text, "\n")
}

/// The same; where the text has no line break to go by, lines end as is said.
pub(crate) fn read_as(text: &str, usual_end: &'static str) -> Result<Tiles, Unreadable> {
    let bare = text.strip_prefix('\u{feff}').unwrap_or(text);
    let mark = bare.len() < text.len();
    toml::de::DeTable::parse(bare).map_err(|e| Unreadable {
        at: e.span().map(|span| span.start + text.len() - bare.len()),
        message: e.message().trim().replace('\n', "; "),
    })?;
    let line_end = match () {
        () if bare.contains("\r\n") => "\r\n",
        () if bare.contains('\n') => "\n",
        () => usual_end,
    };
    let no_last_end = !bare.is_empty() && !bare.ends_with('\n');
    let whole = if no_last_end { format!("{bare}{line_end}") } else { bare.to_owned() };
    let mut reader = Reader { text: &whole, at: 0, next: 0, table: (Vec::new(), Vec::new()), latest: BTreeMap::new() };
    let (lines, end) = reader.file();
    Ok(Tiles { byte_mark: mark, no_last_end, lines, end, mark: Mark::default(), line_end, next: reader.next })
}

struct Reader<'t> {
    text: &'t str,
    at: usize,
    next: u32,
    /// The header that lines stand under: its keys and the `[[…]]` around.
    table: (Vec<String>, Vec<Id>),
    /// The latest `[[…]]` of each path.
    latest: BTreeMap<Vec<String>, Id>,
}

impl Reader<'_> {
    fn slice(&self, from: usize, to: usize) -> String {
        self.text.get(from..to).unwrap_or_default().to_owned()
    }

    fn fresh(&mut self) -> Id {
        self.next += 1;
        Id(self.next - 1)
    }

    fn file(&mut self) -> (Vec<Line>, String) {
        let mut lines = Vec::new();
        loop {
            let gap = self.at;
            let content = after_space(self.text, gap);
            if content >= self.text.len() {
                return (lines, self.slice(gap, self.text.len()));
            }
            // The line's own indent belongs to it.
            let start = self.text.get(..content).and_then(|t| t.rfind('\n')).map_or(gap, |n| n + 1).max(gap);
            let (free, own) = split_gap(self.text.get(gap..start).unwrap_or_default());
            let line = if self.text.as_bytes().get(content) == Some(&b'[') { self.header(start, content) } else { self.key(start) };
            lines.push(Line { free: free.to_owned(), own: own.to_owned(), ..line });
        }
    }

    fn header(&mut self, start: usize, content: usize) -> Line {
        let each = self.text.get(content..).is_some_and(|t| t.starts_with("[["));
        let inner = content + if each { 2 } else { 1 };
        let close = find_outside(self.text, inner, b"]");
        let path = parts(self.text.get(inner..close).unwrap_or_default());
        let stop = close + if each { 2 } else { 1 };
        let end = line_end(self.text, stop);
        let id = self.fresh();
        let what = if each { What::Each } else { What::Table };
        let blocks = blocks_of(what, &path, id, &mut self.latest);
        self.table = (path.clone(), blocks.clone());
        self.at = end;
        let (head, after) = (self.slice(start, stop), self.slice(stop, end));
        Line {
            id,
            hidden: BTreeSet::new(),
            what,
            path,
            blocks,
            free: String::new(),
            own: String::new(),
            head,
            value: Value::Plain(String::new()),
            after,
            mark: Mark::default(),
        }
    }

    fn key(&mut self, start: usize) -> Line {
        let equals = find_outside(self.text, start, b"=");
        let mut path = self.table.0.clone();
        path.extend(parts(self.text.get(start..equals).unwrap_or_default()));
        let begin = after_blanks(self.text, equals + 1);
        let id = self.fresh();
        self.at = begin;
        let value = self.value();
        let (stop, end) = (self.at, line_end(self.text, self.at));
        self.at = end;
        let (head, after) = (self.slice(start, begin), self.slice(stop, end));
        let blocks = self.table.1.clone();
        Line {
            id,
            hidden: BTreeSet::new(),
            what: What::Key,
            path,
            blocks,
            free: String::new(),
            own: String::new(),
            head,
            value,
            after,
            mark: Mark::default(),
        }
    }

    /// The value here; afterwards the reader stands behind it.
    fn value(&mut self) -> Value {
        match self.text.as_bytes().get(self.at) {
            Some(b'[') => Value::Members(self.container('[')),
            Some(b'{') => Value::Members(self.container('{')),
            _ => {
                let end = plain_end(self.text, self.at);
                let text = self.slice(self.at, end);
                self.at = end;
                Value::Plain(text)
            }
        }
    }

    /// A comment on the line here, with the blanks before it; nothing where there is none.
    fn comment_on_line(&self, at: usize, limit: usize) -> usize {
        let sign = after_blanks(self.text, at);
        if sign < limit && self.text.as_bytes().get(sign) == Some(&b'#') { line_stop(self.text, sign) } else { at }
    }

    fn container(&mut self, bracket: char) -> Container {
        let close = closing(bracket);
        self.at += 1;
        let open_end = self.comment_on_line(self.at, self.text.len());
        let open = self.slice(self.at, open_end);
        self.at = open_end;
        let mut container = Container { bracket, open, first: String::new(), trailing: false, rest: String::new(), members: Vec::new() };
        loop {
            let begin = after_space(self.text, self.at);
            let lead = self.slice(self.at, begin);
            if self.text.get(begin..).is_none_or(|t| t.starts_with(close) || t.is_empty()) {
                container.rest.push_str(&lead);
                self.at = begin + 1;
                return container;
            }
            let note_at = lead.find('#').unwrap_or(lead.len());
            let (blank, note) = lead.split_at(note_at);
            let id = self.fresh();
            self.at = begin;
            let mut head = String::new();
            if bracket == '{' {
                let equals = find_outside(self.text, begin, b"=");
                self.at = after_space(self.text, equals + 1);
                head = self.slice(begin, self.at);
            }
            let value = self.value();
            let after = self.at;
            let next = after_space(self.text, after);
            let has_comma = self.text.as_bytes().get(next) == Some(&b',');
            let (pre, post) = if has_comma {
                let end = self.comment_on_line(next + 1, self.text.len());
                self.at = end;
                (self.slice(after, next), self.slice(next + 1, end))
            } else {
                let end = self.comment_on_line(after, next);
                self.at = end;
                (String::new(), self.slice(after, end))
            };
            let is_first = container.members.is_empty();
            if is_first {
                blank.clone_into(&mut container.first);
            }
            container.trailing = has_comma;
            let sep = (!is_first).then(|| blank.to_owned());
            container.members.push(Member { id, hidden: false, sep, note: note.to_owned(), head, value, pre, post, mark: Mark::default() });
        }
    }
}

/// What stands before a line: free of it to the last comment that a blank line follows, and its own.
pub(crate) fn split_gap(gap: &str) -> (&str, &str) {
    let (mut at, mut free, mut comment) = (0, 0, None);
    for line in gap.split_inclusive('\n') {
        at += line.len();
        if line.trim_start().starts_with('#') {
            comment = Some(at);
        } else if let Some(end) = comment.filter(|_| line.trim().is_empty() && line.ends_with('\n')) {
            free = end;
        }
    }
    gap.split_at(free)
}
