//! What a person wrote in another way than it is hidden in: a table as a header, as dotted keys or as a value. A file can say it in one
//! way alone, so what they wrote takes the place of what is hidden.

use crate::tiles::{Id, Line, What};
use std::collections::BTreeSet;

type Path = [String];

/// What the shown lines of a file define, by their paths.
#[derive(Default)]
struct Defined<'l> {
    /// By values outside of any `[[…]]`.
    values: BTreeSet<&'l Path>,
    /// By `[…]`.
    headers: BTreeSet<&'l Path>,
    /// By `[[…]]`.
    each: BTreeSet<&'l Path>,
    /// Tables by dotted keys.
    dotted: BTreeSet<&'l Path>,
    /// Everything that something stands in.
    around: BTreeSet<&'l Path>,
}

/// Takes out the hidden lines that could never be shown beside those that are, and gives their ids and those of what is hidden in them.
pub(crate) fn taken_out(lines: &mut Vec<Line>) -> Vec<Id> {
    if lines.iter().all(Line::is_shown) {
        return Vec::new();
    }
    let in_sections = with_sections(lines);
    let defined = Defined::of(&in_sections);
    let mut header_is_out = false;
    let is_out: Vec<bool> = in_sections
        .iter()
        .map(|(line, section)| {
            // What stands under a header goes with it.
            let is_out = !line.is_shown() && (line.what == What::Key && header_is_out || defined.excludes(line, *section));
            header_is_out = if line.what == What::Key { header_is_out } else { is_out };
            is_out
        })
        .collect();
    let mut out = Vec::new();
    let mut places = is_out.into_iter();
    lines.retain(|line| {
        let stays = !places.next().unwrap_or_default();
        if !stays {
            out.push(line.id);
            out.extend(line.value.hidden_members());
        }
        stays
    });
    out
}

/// Each line with the length of the path of the header that it stands under.
fn with_sections(lines: &[Line]) -> Vec<(&Line, usize)> {
    let mut section = 0;
    let with = |line| {
        let line: &Line = line;
        if line.what != What::Key {
            section = line.path.len();
        }
        (line, section)
    };
    lines.iter().map(with).collect()
}

/// The tables that a line's dotted key makes.
fn dotted(line: &Line, section: usize) -> impl Iterator<Item = &Path> {
    let last = if line.what == What::Key { line.path.len() } else { 0 };
    (section + 1..last).filter_map(|length| line.path.get(..length))
}

impl<'l> Defined<'l> {
    fn of(lines: &[(&'l Line, usize)]) -> Defined<'l> {
        let mut defined = Defined::default();
        for (line, section) in lines.iter().filter(|(line, _)| line.is_shown()) {
            let path = line.path.as_slice();
            match line.what {
                What::Key if line.blocks.is_empty() => drop(defined.values.insert(path)),
                What::Key => {}
                What::Each => drop(defined.each.insert(path)),
                What::Table => drop(defined.headers.insert(path)),
            }
            if line.blocks.is_empty() {
                defined.dotted.extend(dotted(line, *section));
            }
            defined.around.extend((1..path.len()).filter_map(|length| path.get(..length)));
        }
        defined
    }

    fn excludes(&self, line: &Line, section: usize) -> bool {
        let path = line.path.as_slice();
        let mut around = (1..path.len()).filter_map(|length| path.get(..length));
        let is_elsewhere = around.any(|around| self.values.contains(around) || line.blocks.is_empty() && self.each.contains(around));
        let is_excluded = match line.what {
            What::Key if !line.blocks.is_empty() => false,
            What::Key => {
                let is_table = [&self.headers, &self.each, &self.around].iter().any(|tables| tables.contains(path));
                is_table || dotted(line, section).any(|table| self.headers.contains(table) || self.each.contains(table))
            }
            What::Table => self.values.contains(path) || self.each.contains(path) || self.dotted.contains(path),
            What::Each => self.values.contains(path) || self.headers.contains(path) || self.dotted.contains(path),
        };
        is_elsewhere || is_excluded
    }
}
