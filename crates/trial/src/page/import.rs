//! Import: a file is chosen, its columns are matched to fields, the first lines are shown as they would come in, and then they come in.

use super::Making;
use crate::ask::{Query, Shown, address};
use crate::importing::{Fate, Line, Plan, fields, guessed};
use crate::sheet::Sheet;
use maud::{Markup, html};
use ysomorph_core::definition::{Field, Import};
use ysomorph_core::name::shown;
use ysomorph_report::words::plural;

/// Most lines that are shown before they come in.
const MOST_SHOWN: usize = 100;

/// A file that was sent, and what is chosen of it.
pub struct Given<'g> {
    /// Its number among those that were sent.
    pub upload: &'g str,
    /// Its sheets.
    pub sheets: &'g [Sheet],
    /// What is chosen.
    pub chosen: &'g Query,
    /// Whether it is to come in.
    pub is_run: bool,
}

/// Where the import of a page is.
pub fn address_of(making: &Making<'_>) -> String {
    address(Shown::One(making.which), &making.source.entity.name, &making.source.page.name, &[]) + "/import"
}

/// Asks for a file.
pub fn choose(making: &Making<'_>, trouble: Option<&str>) -> Markup {
    let imports = &making.source.entity.imports;
    html! {
        h1 { "Import: " (making.heading()) }
        @if let Some(trouble) = trouble { div .broken role="alert" { p { strong { "This file can't be read. " } (trouble) } } }
        form .narrow method="post" enctype="multipart/form-data" action=(address_of(making)) {
            input type="hidden" name="token" value=(making.request.token);
            div .ask { label for="file" { "A file: CSV or XLSX" } input id="file" type="file" name="file" required accept=".csv,.txt,.xlsx"; }
            @if !imports.is_empty() {
                div .ask { label for="import" { "As" } select id="import" name="import" {
                    @for import in imports { option value=(import.name) { (shown(&import.name)) } }
                    option value="" { "new records" }
                } }
            }
            div .ask.go { button { "Look at it" } }
        }
        p .quiet { "Its first line tells which column is for which field. Nothing is saved before you have seen what would come in." }
    }
}

/// What would come of a file, or what came of it.
pub fn content(making: &Making<'_>, given: &Given<'_>) -> Markup {
    let import = given.chosen.get("import").and_then(|name| making.source.entity.imports.iter().find(|import| import.name == name));
    let at = given.chosen.get("sheet").and_then(|at| at.parse::<usize>().ok()).unwrap_or(0).min(given.sheets.len().saturating_sub(1));
    let Some(sheet) = given.sheets.get(at) else { return choose(making, Some("there is nothing in it")) };
    // A form that was sent says by its own field whether there is a heading.
    let has_heading = given.chosen.get("sent").is_none() || given.chosen.get("heading").is_some();
    let all = fields(&making.source);
    let width = sheet.rows.iter().take(MOST_SHOWN).map(Vec::len).max().unwrap_or(0);
    let label = |field: &Field| making.label_of(making.source.entity, field);
    let heading = |column: usize| sheet.rows.first().and_then(|row| row.get(column)).filter(|_| has_heading).cloned().unwrap_or_default();
    let chosen: Vec<(usize, String)> = (0..width)
        .filter_map(|column| match given.chosen.first(&format!("column.{column}")) {
            Some(name) => (!name.is_empty()).then(|| (column, name.to_owned())),
            None => guessed(import, &all, &label, &heading(column)).map(|field| (column, field.name.clone())),
        })
        .collect();
    let plan = Plan::new(&making.source, import, &chosen, has_heading);
    let outcome = if given.is_run && making.request.site.writes { plan.run(sheet) } else { plan.preview(sheet, MOST_SHOWN) };
    let is_done = given.is_run && making.request.site.writes && outcome.is_ok();
    html! {
        h1 { "Import: " (making.heading()) }
        @match &outcome {
            Err(trouble) => div .broken role="alert" { p { strong { "Nothing came in. " } (trouble) } },
            Ok(lines) if is_done => (came_in(making, lines)),
            Ok(lines) => {
                @if given.is_run { div .notice role="status" { p { strong { "Nothing was saved: " } "this session is read-only. Start it with " code { "--write" } " to save." } } }
                (options(making, given, import, at, has_heading))
                (preview(making, sheet, lines, &plan, &all, width, &chosen, &heading))
            },
        }
    }
}

fn options(making: &Making<'_>, given: &Given<'_>, import: Option<&Import>, at: usize, has_heading: bool) -> Markup {
    html! {
        form .narrow #taking method="post" action={ (address_of(making)) "/" (given.upload) } {
            input type="hidden" name="token" value=(making.request.token);
            input type="hidden" name="sent" value="1";
            @if let Some(import) = import { input type="hidden" name="import" value=(import.name); }
            @if given.sheets.len() > 1 {
                div .ask { label for="sheet" { "Sheet" } select id="sheet" name="sheet" {
                    @for (number, sheet) in given.sheets.iter().enumerate() { option value=(number) selected[number == at] { (shown(&sheet.name)) } }
                } }
            }
            div .ask { label for="heading" { "Its first line has headings" } input id="heading" type="checkbox" name="heading" value="1" checked[has_heading]; }
            div .ask.go { button name="again" value="1" { "Look again" } button .main name="run" value="1" { @if making.request.site.writes { "Take them" } @else { "Take them (only shown)" } } }
        }
    }
}

#[allow(clippy::too_many_arguments, reason = "a table of what was worked out above")]
fn preview(
    making: &Making<'_>,
    sheet: &Sheet,
    lines: &[Line],
    plan: &Plan<'_>,
    all: &[&Field],
    width: usize,
    chosen: &[(usize, String)],
    heading: &dyn Fn(usize) -> String,
) -> Markup {
    let label = |field: &Field| making.label_of(making.source.entity, field);
    html! {
        p { (counted(lines)) @if sheet.rows.len() > lines.len() + 1 { "; of the first " (MOST_SHOWN) " lines" } "." }
        div .scroll tabindex="0" role="region" aria-label="The file" {
            table .records {
                thead { tr {
                    th scope="col" { "Line" }
                    th scope="col" { "What becomes of it" }
                    @for column in 0..width {
                        th scope="col" {
                            @let name = format!("column.{column}");
                            @let own = chosen.iter().find(|(at, _)| *at == column).map(|(_, name)| name.as_str());
                            @let title = heading(column);
                            label for=(name) { @if title.is_empty() { "Column " (column + 1) } @else { (shown(&title)) } }
                            " " select id=(name) name=(name) form="taking" {
                                option value="" { "not taken" }
                                @for field in all { option value=(field.name) selected[own == Some(field.name.as_str())] { (label(field)) } }
                            }
                        }
                    }
                } }
                tbody { @for line in lines {
                    @let row = sheet.rows.get(line.number - 1);
                    tr {
                        td { (line.number) }
                        td .fate { (fate(&line.fate)) }
                        @for column in 0..width {
                            td .nothing[!plan.columns.iter().any(|(at, _)| *at == column)] { (row.and_then(|row| row.get(column)).map(|cell| shown(cell)).unwrap_or_default()) }
                        }
                    }
                } }
            }
        }
    }
}

fn fate(fate: &Fate) -> Markup {
    html! {
        @match fate {
            Fate::New => "new",
            Fate::Changes => "changes what is there",
            Fate::Skipped(why) => span .why { "skipped: " (why) },
        }
    }
}

fn counted(lines: &[Line]) -> String {
    let count = |of: &dyn Fn(&Fate) -> bool| lines.iter().filter(|line| of(&line.fate)).count();
    let (new, changed) = (count(&|fate| *fate == Fate::New), count(&|fate| *fate == Fate::Changes));
    let skipped = lines.len() - new - changed;
    format!("{}, {} changed, {skipped} skipped", plural(new, "new record", "new records"), changed)
}

fn came_in(making: &Making<'_>, lines: &[Line]) -> Markup {
    html! {
        div .notice role="status" { p { strong { (counted(lines)) "." } } }
        @let skipped: Vec<&Line> = lines.iter().filter(|line| matches!(line.fate, Fate::Skipped(_))).collect();
        @if !skipped.is_empty() {
            h2 { "Skipped" }
            ul { @for line in skipped.iter().take(1_000) { li { "Line " (line.number) ": " (shown(&line.cells.join(", "))) " – " (fate(&line.fate)) } } }
        }
        p .actions { a .button href=(making.address_of(ysomorph_core::definition::PageKind::List, &[]).unwrap_or_else(|| "/now/".to_owned())) { "To the list" } }
    }
}
