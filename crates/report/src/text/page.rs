//! A page drawn for the terminal.

use super::beside::beside;
use super::drafted::notes_of;
use super::style::{bad, bold, dim, padded, warm, width, wrapped};
use super::values::{field_value, readable};
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
    let room = width().saturating_sub(2 * fields.len()) / fields.len().max(1);
    let wide: Vec<usize> = (0..fields.len()).map(|at| table.iter().map(|row| row[at].width()).max().unwrap_or(0)).collect();
    let total: usize = wide.iter().sum::<usize>() + 2 * fields.len();
    // What a narrow column leaves, a wide one may take.
    let spare: usize = wide.iter().map(|w| room.saturating_sub(*w)).sum();
    let hungry = wide.iter().filter(|w| **w > room).count().max(1);
    let width = |at: usize| if total <= width() { wide[at] } else { wide[at].min(room + if wide[at] > room { spare / hungry } else { 0 }) };
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
