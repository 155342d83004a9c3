//! A file's kept text as a list: one line of JSON a tile, in the order of the file, so that version control can merge it.

use crate::path::parts;
use crate::tiles::{Container, Id, Line, Mark, Member, Tiles, Value, What};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// The version of the format.
const FORMAT: u32 = 1;

/// A list that can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {message}")]
pub struct Damaged {
    /// The line, from 1.
    pub line: usize,
    /// What is wrong.
    pub message: String,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Head {
    kept: u32,
    #[serde(default, skip_serializing_if = "is_false")]
    byte_mark: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    no_last_end: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    carriage_returns: bool,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    end: String,
    #[serde(default, skip_serializing_if = "is_unmarked")]
    mark: Mark,
}

/// A tile: a line of the file, or a member within the row above that is one level less deep.
#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Row {
    /// 0 for a line.
    depth: usize,
    #[serde(skip_serializing_if = "is_false")]
    hidden: bool,
    /// `table` or `each` for a header.
    #[serde(skip_serializing_if = "Option::is_none")]
    header: Option<String>,
    #[serde(skip_serializing_if = "String::is_empty")]
    free: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    own: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    sep: Option<String>,
    #[serde(skip_serializing_if = "String::is_empty")]
    note: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    head: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    holds: Option<Holds>,
    #[serde(skip_serializing_if = "String::is_empty")]
    pre: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    post: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    after: String,
    #[serde(skip_serializing_if = "is_unmarked")]
    mark: Mark,
}

/// The blanks of an array or inline table.
#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Holds {
    #[serde(skip_serializing_if = "is_false")]
    table: bool,
    #[serde(skip_serializing_if = "String::is_empty")]
    open: String,
    #[serde(skip_serializing_if = "String::is_empty")]
    first: String,
    #[serde(skip_serializing_if = "is_false")]
    trailing: bool,
    #[serde(skip_serializing_if = "String::is_empty")]
    rest: String,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "what serde asks for")]
fn is_false(truth: &bool) -> bool {
    !truth
}

fn is_unmarked(mark: &Mark) -> bool {
    *mark == Mark::default()
}

impl Tiles {
    /// Whether there is nothing to remember: nothing is hidden, and nothing is a person's or marked.
    pub fn is_plain(&self) -> bool {
        let mut plain = is_unmarked(&self.mark);
        for line in &self.lines {
            plain &= line.is_shown() && is_unmarked(&line.mark);
            line.value.each(&mut |member| plain &= !member.hidden && is_unmarked(&member.mark));
        }
        plain
    }

    /// The list.
    pub fn list(&self) -> String {
        let head = Head {
            kept: FORMAT,
            byte_mark: self.byte_mark,
            no_last_end: self.no_last_end,
            carriage_returns: self.line_end == "\r\n",
            end: self.end.clone(),
            mark: self.mark.clone(),
        };
        let mut out = String::new();
        push(&mut out, &head);
        for line in &self.lines {
            let header = match line.what {
                What::Key => None,
                What::Table => Some("table".to_owned()),
                What::Each => Some("each".to_owned()),
            };
            let row = Row {
                hidden: !line.is_shown(),
                header,
                free: line.free.clone(),
                own: line.own.clone(),
                head: line.head.clone(),
                after: line.after.clone(),
                mark: line.mark.clone(),
                ..Row::default()
            };
            push_value(&mut out, row, &line.value);
        }
        out
    }

    /// Reads a list.
    ///
    /// # Errors
    /// Where a line isn't one of a list, as where two versions were joined with a conflict.
    pub fn from_list(text: &str) -> Result<Tiles, Damaged> {
        let mut rows = Vec::new();
        let mut head: Option<Head> = None;
        for (at, line) in text.lines().enumerate() {
            let damaged = |message: String| Damaged { line: at + 1, message };
            if head.is_none() {
                let read: Head = serde_json::from_str(line).map_err(|e| damaged(e.to_string()))?;
                if read.kept > FORMAT {
                    return Err(damaged(format!("it has format {}, this program knows {FORMAT}: use a newer ysomorph", read.kept)));
                }
                head = Some(read);
            } else {
                let row: Row = serde_json::from_str(line).map_err(|e| damaged(e.to_string()))?;
                rows.push((at + 1, row));
            }
        }
        let Some(head) = head else { return Err(Damaged { line: 1, message: "it is empty".to_owned() }) };
        let mut reader = Reader { rows: rows.into_iter().peekable(), next: 0 };
        let mut lines = Vec::new();
        let mut around: (Vec<String>, Vec<Id>) = Default::default();
        let mut latest: BTreeMap<Vec<String>, Id> = BTreeMap::new();
        while let Some((at, row)) = reader.rows.next() {
            if row.depth != 0 {
                return Err(Damaged { line: at, message: "a member stands where none can".to_owned() });
            }
            lines.push(reader.line(row, &mut around, &mut latest)?);
        }
        Ok(Tiles {
            byte_mark: head.byte_mark,
            no_last_end: head.no_last_end,
            lines,
            end: head.end,
            mark: head.mark,
            line_end: if head.carriage_returns { "\r\n" } else { "\n" },
            next: reader.next,
        })
    }
}

fn push(out: &mut String, row: &impl Serialize) {
    out.push_str(&serde_json::to_string(row).unwrap_or_default());
    out.push('\n');
}

fn push_value(out: &mut String, row: Row, value: &Value) {
    let depth = row.depth;
    match value {
        Value::Plain(text) => push(out, &Row { value: (!text.is_empty()).then(|| text.clone()), ..row }),
        Value::Members(container) => {
            let holds = Holds {
                table: container.is_table(),
                open: container.open.clone(),
                first: container.first.clone(),
                trailing: container.trailing,
                rest: container.rest.clone(),
            };
            push(out, &Row { holds: Some(holds), ..row });
            for member in &container.members {
                let row = Row {
                    depth: depth + 1,
                    hidden: member.hidden,
                    sep: member.sep.clone(),
                    note: member.note.clone(),
                    head: member.head.clone(),
                    pre: member.pre.clone(),
                    post: member.post.clone(),
                    mark: member.mark.clone(),
                    ..Row::default()
                };
                push_value(out, row, &member.value);
            }
        }
    }
}

struct Reader<I: Iterator<Item = (usize, Row)>> {
    rows: std::iter::Peekable<I>,
    next: u32,
}

impl<I: Iterator<Item = (usize, Row)>> Reader<I> {
    fn fresh(&mut self) -> Id {
        self.next += 1;
        Id(self.next - 1)
    }

    fn line(&mut self, row: Row, around: &mut (Vec<String>, Vec<Id>), latest: &mut BTreeMap<Vec<String>, Id>) -> Result<Line, Damaged> {
        let id = self.fresh();
        let what = match row.header.as_deref() {
            None => What::Key,
            Some("each") => What::Each,
            Some(_) => What::Table,
        };
        let (path, blocks) = match what {
            What::Key => {
                let mut path = around.0.clone();
                path.extend(parts(row.head.trim_end().trim_end_matches('=')));
                (path, around.1.clone())
            }
            What::Table | What::Each => {
                let path = parts(row.head.trim().trim_start_matches('[').trim_end_matches(']'));
                *around = (path.clone(), blocks_of(what, &path, id, latest));
                around.clone()
            }
        };
        let hidden = if row.hidden { BTreeSet::from([id]) } else { BTreeSet::new() };
        let value = self.value(row.depth, row.value, row.holds)?;
        let (free, own, head, after, mark) = (row.free, row.own, row.head, row.after, row.mark);
        Ok(Line { id, hidden, what, path, blocks, free, own, head, value, after, mark })
    }

    fn value(&mut self, depth: usize, plain: Option<String>, holds: Option<Holds>) -> Result<Value, Damaged> {
        let Some(holds) = holds else { return Ok(Value::Plain(plain.unwrap_or_default())) };
        let mut members = Vec::new();
        while let Some((_, row)) = self.rows.next_if(|(_, row)| row.depth == depth + 1) {
            let id = self.fresh();
            let value = self.value(row.depth, row.value, row.holds)?;
            let (hidden, sep, note, head) = (row.hidden, row.sep, row.note, row.head);
            members.push(Member { id, hidden, sep, note, head, value, pre: row.pre, post: row.post, mark: row.mark });
        }
        if let Some((at, row)) = self.rows.peek()
            && row.depth > depth + 1
        {
            return Err(Damaged { line: *at, message: "a member stands where none can".to_owned() });
        }
        let bracket = if holds.table { '{' } else { '[' };
        let Holds { open, first, trailing, rest, .. } = holds;
        Ok(Value::Members(Container { bracket, open, first, trailing, rest, members }))
    }
}

/// The `[[…]]` that a header stands in; one that is such a header ends with itself.
pub(crate) fn blocks_of(what: What, path: &[String], id: Id, latest: &mut BTreeMap<Vec<String>, Id>) -> Vec<Id> {
    let around = if what == What::Each { path.len().saturating_sub(1) } else { path.len() };
    let mut blocks: Vec<Id> = (1..=around).filter_map(|n| latest.get(path.get(..n)?).copied()).collect();
    if what == What::Each {
        blocks.push(id);
        latest.retain(|known, _| !known.starts_with(path));
        latest.insert(path.to_vec(), id);
    }
    blocks
}
