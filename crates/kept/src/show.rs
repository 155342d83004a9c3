//! From tiles to the text of the file.

use crate::tiles::{Container, Tiles, Value};

impl Tiles {
    /// The file: what isn't hidden, and what stands before hidden lines and isn't theirs.
    pub fn shown(&self) -> String {
        let mut out = String::new();
        for line in &self.lines {
            out.push_str(&line.free);
            if line.is_shown() {
                out.push_str(&line.own);
                out.push_str(&line.head);
                line.value.show(self.line_end, &mut out);
                out.push_str(&line.after);
            }
        }
        out.push_str(&self.end);
        if self.no_last_end {
            let bare = out.strip_suffix("\r\n").or_else(|| out.strip_suffix('\n')).unwrap_or(&out).len();
            out.truncate(bare);
        }
        if self.byte_mark { format!("\u{feff}{out}") } else { out }
    }
}

impl Value {
    pub(crate) fn show(&self, line_end: &str, out: &mut String) {
        match self {
            Value::Plain(text) => out.push_str(text),
            Value::Members(container) => container.show(line_end, out),
        }
    }
}

/// The closing one of a bracket.
pub(crate) fn closing(bracket: char) -> char {
    if bracket == '[' { ']' } else { '}' }
}

impl Container {
    /// As it stands in the file. A blank before which a comment ends, or after which one begins, has a line break while it
    /// is shown there; what is kept of it doesn't change.
    pub(crate) fn show(&self, line_end: &str, out: &mut String) {
        out.push(self.bracket);
        out.push_str(&self.open);
        let mut comment_before = self.open.contains('#');
        let shown: Vec<_> = self.members.iter().filter(|m| !m.hidden).collect();
        for (at, member) in shown.iter().enumerate() {
            let blank = if at == 0 { self.first.as_str() } else { member.sep.as_deref().unwrap_or(" ") };
            push_blank(blank, comment_before || member.note.starts_with('#'), line_end, out);
            out.push_str(&member.note);
            out.push_str(&member.head);
            member.value.show(line_end, out);
            out.push_str(&member.pre);
            if at + 1 < shown.len() || self.trailing {
                out.push(',');
            }
            out.push_str(&member.post);
            comment_before = member.post.contains('#');
        }
        push_blank(&self.rest, comment_before, line_end, out);
        out.push(closing(self.bracket));
    }
}

fn push_blank(blank: &str, has_to_break: bool, line_end: &str, out: &mut String) {
    if has_to_break && !blank.contains('\n') {
        out.push_str(line_end);
    }
    out.push_str(blank);
}
