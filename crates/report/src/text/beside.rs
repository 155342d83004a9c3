//! A page as it is and as it would be after the merge, side by side: what is the same stands on one line.

use super::style::{bad, bold, dim, padded, width, wrapped_to};
use super::values::{field_value, readable};
use similar::DiffOp;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
use ysomorph_core::drawing::{Drawing, DrawnField};
use ysomorph_core::name::shown;
use ysomorph_kept::edits;

/// The width of one side.
fn side() -> usize {
    (width() - 3) / 2
}

/// How a line is shown.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Tone {
    Plain,
    Heading,
    Quiet,
    Broken,
}

/// One thing on a page, by what it is, with its lines. Records that only one side could read make no difference.
struct Cell {
    key: String,
    lines: Vec<(String, Tone)>,
    compared: String,
}

fn keys(cells: &[Cell]) -> Vec<&str> {
    cells.iter().map(|cell| cell.key.as_str()).collect()
}

/// Both sides; between them `>` where they differ.
pub(super) fn beside(now: (&str, &Drawing), after: (&str, &Drawing)) -> String {
    let both_read = !now.1.records.is_empty() && !after.1.records.is_empty();
    let (mut left, mut right) = (cells(now.1, both_read), cells(after.1, both_read));
    if now.1.label == after.1.label {
        // It is told above both.
        left.retain(|cell| cell.key != "label");
        right.retain(|cell| cell.key != "label");
    }
    let mut out = line((now.0, Tone::Heading), '|', (&format!("{} (> where it differs)", after.0), Tone::Heading));
    out.push_str(&line((&"-".repeat(side()), Tone::Quiet), '|', (&"-".repeat(side()), Tone::Quiet)));
    for op in edits(&keys(&left), &keys(&right)) {
        let (old, new) = match op {
            DiffOp::Equal { old_index, new_index, len } => (old_index..old_index + len, new_index..new_index + len),
            DiffOp::Delete { old_index, old_len, new_index } => (old_index..old_index + old_len, new_index..new_index),
            DiffOp::Insert { old_index, new_index, new_len } => (old_index..old_index, new_index..new_index + new_len),
            DiffOp::Replace { old_index, old_len, new_index, new_len } => (old_index..old_index + old_len, new_index..new_index + new_len),
        };
        let (old, new) = (left.get(old).unwrap_or_default(), right.get(new).unwrap_or_default());
        for at in 0..old.len().max(new.len()) {
            out.push_str(&row(old.get(at), new.get(at)));
        }
    }
    out
}

fn row(left: Option<&Cell>, right: Option<&Cell>) -> String {
    let between = if left.map(|c| &c.compared) == right.map(|c| &c.compared) { '|' } else { '>' };
    let lines = |cell: Option<&Cell>| cell.map(|c| c.lines.clone()).unwrap_or_default();
    let (left, right) = (lines(left), lines(right));
    let nothing = (String::new(), Tone::Plain);
    let both = |at: usize| (left.get(at).unwrap_or(&nothing), right.get(at).unwrap_or(&nothing));
    (0..left.len().max(right.len()))
        .map(|at| {
            let ((l, l_tone), (r, r_tone)) = both(at);
            line((l, *l_tone), between, (r, *r_tone))
        })
        .collect()
}

fn line((left, left_tone): (&str, Tone), between: char, (right, right_tone): (&str, Tone)) -> String {
    let toned = |text: &str, tone: Tone| match tone {
        Tone::Plain => text.to_owned(),
        Tone::Heading => bold(text),
        Tone::Quiet => dim(text),
        Tone::Broken => bad(text),
    };
    let space = " ".repeat(side().saturating_sub(left.width()));
    let right = if right.is_empty() { String::new() } else { format!(" {}", toned(right, right_tone)) };
    format!("{}{space} {between}{right}\n", toned(left, left_tone))
}

/// Everything on a page, in its order.
fn cells(drawing: &Drawing, compare_values: bool) -> Vec<Cell> {
    let mut cells: Vec<Cell> = Vec::new();
    let mut add = |key: String, text: &str, hanging: usize, tone: Tone| {
        let lines = folded(text, hanging).into_iter().map(|line| (line, tone)).collect();
        cells.push(Cell { key, lines, compared: text.to_owned() });
    };
    add("label".to_owned(), &shown(&drawing.label), 2, Tone::Heading);
    for message in &drawing.broken {
        add(format!("broken {message}"), &format!("broken: {}", shown(message)), 2, Tone::Broken);
    }
    for (tool, labels) in &drawing.tools {
        add(format!("tool {tool}"), &format!("{tool}: {}", shown(&labels.join(", "))), 2, Tone::Plain);
    }
    let fields = || drawing.sections.iter().flat_map(|(_, fields)| fields);
    let widest = fields().map(|f| f.label.width()).max().unwrap_or(0).min(16);
    let mut at = 0;
    let mut compared: Vec<(String, String)> = Vec::new();
    for (title, fields) in &drawing.sections {
        if !title.is_empty() {
            add(format!("section {title}"), &format!("-- {}", shown(title)), 3, Tone::Heading);
        }
        for field in fields {
            let value = value(drawing, field, &mut at);
            let text = format!("{}  {value}", padded(&shown(&field.label), widest));
            add(format!("field {}", field.name), text.trim_end(), 2, Tone::Plain);
            if !compare_values {
                compared.push((format!("field {}", field.name), format!("{}\n{}", field.label, field.remarks.join("\n"))));
            }
            if let Some(broken) = &field.broken {
                add(format!("broken {}", field.name), &format!("  broken: {}", shown(broken)), 4, Tone::Broken);
            }
        }
    }
    for child in &drawing.children {
        let text = format!("-- {}: {}", shown(&child.label), shown(&child.fields.join(", ")));
        add(format!("child {}", child.label), &text, 3, Tone::Plain);
        if let Some(broken) = &child.broken {
            add(format!("broken child {}", child.label), &format!("  broken: {}", shown(broken)), 4, Tone::Broken);
        }
    }
    for (key, text) in compared {
        cells.iter_mut().filter(|c| c.key == key).for_each(|c| c.compared.clone_from(&text));
    }
    cells
}

/// A field's value in the record shown; of a list's records, one after the other.
fn value(drawing: &Drawing, field: &DrawnField, at: &mut usize) -> String {
    if field.kind == "related" || matches!(drawing.layout, "record" | "form") {
        return field_value(drawing, field, at);
    }
    let values = drawing.records.iter().map(|record| readable(field, record.get(*at).cloned().flatten().unwrap_or_else(|| "-".to_owned())));
    let told = values.collect::<Vec<_>>().join(", ");
    *at += 1;
    told
}

/// Text broken at blanks to one side's width; a word that is wider is cut.
fn folded(text: &str, hanging: usize) -> Vec<String> {
    let wrapped = wrapped_to(side(), text, 0, hanging);
    let mut lines: Vec<String> = Vec::new();
    for line in wrapped.split('\n') {
        lines.push(String::new());
        for letter in line.chars() {
            if lines.last().is_some_and(|line| line.width() + letter.width().unwrap_or(0) > side()) {
                lines.push(" ".repeat(hanging));
            }
            lines.last_mut().into_iter().for_each(|line| line.push(letter));
        }
    }
    lines
}
