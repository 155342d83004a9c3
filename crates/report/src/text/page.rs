//! A page drawn for the terminal.

use super::beside::beside;
use super::drafted::notes_of;
use super::style::{bad, bold, dim, padded, warm, width, wrapped};
use super::values::{field_value, is_exact, readable};
use crate::Report;
use unicode_width::UnicodeWidthStr;
use ysomorph_core::drawing::{Drawing, DrawnField};
use ysomorph_core::name::shown;

/// A drawn page, as it is and, where a merge would change it, as it would be.
pub fn page(report: &Report) -> String {
    let mut out = String::new();
    match report.drawn.as_slice() {
        [now, after] => {
            head(&now.page, &mut out);
            out.push_str(&beside((&now.when, &now.page), (&after.when, &after.page)));
        }
        drawn => drawn.iter().for_each(|d| draw(&d.page, &mut out)),
    }
    let notes = report.drawn.last().map(|d| d.notes.as_slice()).unwrap_or_default();
    if !notes.is_empty() {
        let told = "Guessed, and unchanged since; at the right, the key under [conventions] that changes it:";
        out.push_str(&format!("\n{}\n{}", dim(wrapped(told, 0, 0)), notes_of(notes)));
    }
    out
}

/// What the page is called, and whose view it is.
fn head(drawing: &Drawing, out: &mut String) {
    let whose = drawing.role.as_ref().map_or_else(String::new, |role| format!(", as {} sees it", shown(role)));
    out.push_str(&format!(
        "{}{}\n",
        bold(shown(&drawing.label)),
        dim(format!("  {}/{}{whose}", shown(&drawing.entity), shown(&drawing.page)))
    ));
    out.push_str(&"=".repeat(width()));
    out.push('\n');
}

fn draw(drawing: &Drawing, out: &mut String) {
    head(drawing, out);
    for message in &drawing.broken {
        out.push_str(&format!("{} {}\n", bad("broken:"), wrapped(message, 8, 8)));
    }
    for (tool, labels) in &drawing.tools {
        let labels = shown(&labels.join(" | "));
        out.push_str(&format!("{} {}\n", dim(padded(tool, 10)), wrapped(&labels, 11, 11)));
    }
    match drawing.layout {
        "rows" | "groups" => rows(drawing, out),
        _ => record(drawing, out),
    }
    for child in &drawing.children {
        out.push_str(&format!("\n{}\n{}\n", bold(format!("-- {}", shown(&child.label))), wrapped(&shown(&child.fields.join(" | ")), 0, 0)));
        if let Some(why) = &child.broken {
            out.push_str(&format!("{} {}\n", bad("broken:"), wrapped(&shown(why), 8, 8)));
        }
    }
}

/// Records in columns, as wide as what is in them and no wider than the page.
fn rows(drawing: &Drawing, out: &mut String) {
    let fields: Vec<&DrawnField> = drawing.sections.iter().flat_map(|(_, fields)| fields).collect();
    let read: Vec<&&DrawnField> = fields.iter().filter(|f| f.kind != "related").collect();
    let value = |field: &DrawnField, record: &[Option<String>]| -> String {
        let at = read.iter().position(|f| f.name == field.name);
        readable(field, at.and_then(|at| record.get(at)).cloned().flatten().unwrap_or_default())
    };
    let mut table: Vec<Vec<String>> = vec![fields.iter().map(|f| shown(&f.label)).collect()];
    table.extend(drawing.records.iter().map(|record| fields.iter().map(|f| value(f, record)).collect()));
    let wide: Vec<usize> = (0..fields.len()).map(|at| table.iter().map(|row| row[at].width()).max().unwrap_or(0)).collect();
    let widths = widths(&wide, &fields.iter().map(|field| is_exact(field)).collect::<Vec<_>>(), width().saturating_sub(2 * fields.len()));
    let width = |at: usize| widths.get(at).copied().unwrap_or_default();
    out.push('\n');
    for (number, row) in table.iter().enumerate() {
        let mut line = String::new();
        for (at, cell) in row.iter().enumerate() {
            line.push_str(&padded(&cut(cell, width(at)), width(at) + 2));
        }
        let line = line.trim_end();
        out.push_str(&if number == 0 { format!("{}\n", bold(line)) } else { format!("{line}\n") });
        if number == 0 {
            let rule: String = (0..fields.len()).map(|at| format!("{}  ", "-".repeat(width(at)))).collect();
            out.push_str(&format!("{}\n", dim(rule.trim_end())));
        }
    }
    if drawing.records.is_empty() {
        out.push_str(&format!("{}\n", dim("(no records)")));
    }
    for field in fields.iter().filter(|f| f.broken.is_some()) {
        let told = format!("{}: {}", shown(&field.label), field.broken.as_deref().unwrap_or_default());
        out.push_str(&format!("{} {}\n", bad("broken:"), wrapped(&told, 8, 8)));
    }
}

/// How wide columns are that want to be so wide. Where there isn't room for all, exact ones have what they want, and the others share
/// the rest: what a narrow one leaves, a wide one may take.
fn widths(wanted: &[usize], exact: &[bool], room: usize) -> Vec<usize> {
    if wanted.iter().sum::<usize>() <= room {
        return wanted.to_vec();
    }
    let is_exact = |at: usize| exact.get(at) == Some(&true);
    let taken: usize = wanted.iter().enumerate().filter(|(at, _)| is_exact(*at)).map(|(_, wide)| wide).sum();
    let others = exact.iter().filter(|exact| !**exact).count().max(1);
    // Exact columns that leave the others less than a word are cut like them.
    let is_room = taken + 6 * others <= room;
    let (rest, shared) = if is_room { (room - taken, others) } else { (room, wanted.len().max(1)) };
    let cuts = |at: usize| !(is_room && is_exact(at));
    let each = rest / shared;
    let cut: Vec<usize> = wanted.iter().enumerate().filter(|(at, _)| cuts(*at)).map(|(_, wide)| *wide).collect();
    let spare: usize = cut.iter().map(|wide| each.saturating_sub(*wide)).sum();
    let hungry = cut.iter().filter(|wide| **wide > each).count().max(1);
    let share = |wide: usize| wide.min(each + if wide > each { spare / hungry } else { 0 });
    wanted.iter().enumerate().map(|(at, wide)| if cuts(at) { share(*wide) } else { *wide }).collect()
}

fn cut(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut out = String::new();
    for c in text.chars() {
        if out.width() + 1 >= width {
            break;
        }
        out.push(c);
    }
    out + "…"
}

/// One record, or an empty form, section by section.
fn record(drawing: &Drawing, out: &mut String) {
    let widest = drawing.sections.iter().flat_map(|(_, f)| f).map(|f| f.label.width()).max().unwrap_or(0).min(30);
    let mut at = 0;
    for (title, fields) in &drawing.sections {
        if !title.is_empty() {
            out.push_str(&format!("\n{}\n", bold(format!("-- {}", shown(title)))));
        }
        for field in fields {
            let line = wrapped(&field_value(drawing, field, &mut at), widest + 4, widest + 4);
            let mark = if field.broken.is_some() { warm("!") } else { " ".to_owned() };
            out.push_str(&format!("{mark} {}  {line}\n", padded(&shown(&field.label), widest)));
            if let Some(broken) = &field.broken {
                out.push_str(&format!("  {}  {} {}\n", " ".repeat(widest), bad("broken:"), wrapped(broken, widest + 12, widest + 4)));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::widths;

    #[test]
    fn days_and_amounts_are_never_cut_while_texts_can_be() {
        for (wanted, exact, room, expected) in [
            (vec![10, 20], vec![false, false], 40, vec![10, 20]),
            (vec![30, 10, 30], vec![false, true, false], 50, vec![20, 10, 20]),
            (vec![5, 10, 60], vec![false, true, false], 50, vec![5, 10, 35]),
            // Where hardly anything is left for texts, all are cut.
            (vec![30, 30, 30], vec![true, true, false], 60, vec![20, 20, 20]),
        ] {
            assert_eq!(widths(&wanted, &exact, room), expected, "{wanted:?} in {room}");
        }
    }
}
