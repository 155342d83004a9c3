//! Lists: a page of records with search, filters, sorting by heading and a count.

use super::{Making, broken, import, narrow};
use crate::ask::{Query, Shown, address, as_one};
use crate::reader::{Found, MOST_COUNTED, Record, Trouble};
use crate::value;
use maud::{Markup, html};
use std::collections::BTreeMap;
use ysomorph_core::definition::{Field, PageKind};
use ysomorph_core::name::shown;
use ysomorph_core::statements::Narrowing;

/// A list.
pub fn content(making: &Making<'_>) -> Markup {
    let narrowing = narrowing(making);
    let found = making.source.rows(&narrowing, &making.broken);
    html! {
        h1 { (making.heading()) }
        (broken::told(making, found.trouble.as_ref(), still_works(&found)))
        @if still_works(&found) {
            (actions(making))
            (narrow::form(making))
            (records(making, &narrowing, &found))
        }
    }
}

/// What is asked of the page.
pub fn narrowing(making: &Making<'_>) -> Narrowing {
    let size = u32::try_from(making.source.page.page_size.clamp(1, 500)).unwrap_or(25);
    making.request.query.narrowing(&narrow::ways(making), size)
}

/// Whether something is shown although something is broken.
pub fn still_works(found: &Found) -> bool {
    !found.without.is_empty() || found.trouble.is_none()
}

fn actions(making: &Making<'_>) -> Markup {
    let bulk = making.source.page.offers("edit").then(|| making.address_of(PageKind::Bulk, &[])).flatten();
    let add = making.source.page.offers("add").then(|| making.address_of(PageKind::Add, &[])).flatten();
    html! {
        @if !making.source.entity.read_only && (add.is_some() || bulk.is_some() || making.offers_import()) {
            p .actions {
                @if let Some(add) = add { a .button href=(add) { "Add" } }
                @if making.offers_import() { a .button href=(import::address_of(making)) { "Import" } }
                @if let Some(bulk) = bulk { a .button href=(bulk) { "Edit several" } }
            }
        }
    }
}

/// The records that were found, with what leads to more of them.
pub fn records(making: &Making<'_>, narrowing: &Narrowing, found: &Found) -> Markup {
    if found.trouble.is_some() && found.without.is_empty() {
        return html! {};
    }
    let fields = making.fields(&found.without);
    let picks = making.source.page.kind == PageKind::Bulk;
    let related = related(making, &fields, &found.records);
    let sortable: Vec<&str> = making.source.reading().sortable().map(|field| field.name.as_str()).collect();
    let detail = making.source.version.page_of_kind(&making.source.entity.name, PageKind::Detail, making.request.viewer.role.as_deref());
    let lead = |record: &Record| {
        let page = detail.filter(|_| record.key.len() == making.source.entity.key.len() && !record.key.is_empty())?;
        Some(address(making.request.shown, &making.source.entity.name, &page.name, &record.key))
    };
    html! {
        @if found.records.is_empty() {
            p .empty { @if narrowing.offset > 0 { "There are no more records." } @else { "No records." } }
        } @else {
            div .scroll tabindex="0" role="region" aria-label=(making.part(&making.heading())) {
                table .records {
                    thead { tr { @if picks { th scope="col" { span .unseen { "Choose" } } }
                        @for field in &fields { (heading(making, field, sortable.contains(&field.name.as_str()), narrowing)) }
                        @if detail.is_some() { th scope="col" { span .unseen { "Open" } } } } }
                    tbody {
                        @for record in &found.records {
                            tr {
                                @if picks { td .pick { (pick(making, &fields, record)) } }
                                @for field in &fields {
                                    td .number[value::is_number(field)] data-label=(making.label(field)) {
                                        @if field.related.is_some() { (links(related.get(&field.name), record)) }
                                        @else { (making.cell(field, record)) }
                                    }
                                }
                                @if let Some(to) = lead(record) {
                                    td .open { a href=(to) aria-label={ "Open " (name_of(&fields, record)) } { "Open" } }
                                } @else if detail.is_some() { td {} }
                            }
                        }
                    }
                }
            }
        }
        (pages(making, narrowing, found))
        (exports(making))
    }
}

/// Chooses a record among many.
fn pick(making: &Making<'_>, fields: &[&Field], record: &Record) -> Markup {
    let value = as_one(&record.key);
    let is_chosen = making.sent.typed.as_ref().is_some_and(|typed| typed.0.values("record").any(|chosen| chosen == value));
    html! { input type="checkbox" name="record" value=(value) form={ "bulk-" (making.which.word()) } checked[is_chosen] aria-label={ "Choose " (name_of(fields, record)) }; }
}

/// What a row is called where it has no title: its first text.
fn name_of(fields: &[&Field], record: &Record) -> String {
    let first = fields.iter().find_map(|field| Some(value::plain(field, record.text(&field.name)?)));
    first.unwrap_or_else(|| shown(&record.key.join(", ")))
}

fn heading(making: &Making<'_>, field: &Field, is_sortable: bool, narrowing: &Narrowing) -> Markup {
    let label = making.label(field);
    let down = narrowing.sort.as_ref().filter(|(name, _)| *name == field.name).map(|(_, down)| *down);
    let next = if down == Some(false) { format!("-{}", field.name) } else { field.name.clone() };
    let query = making.request.query.with("sort", Some(&next)).with("page", None);
    html! {
        th scope="col" .number[value::is_number(field)] aria-sort=[down.map(|down| if down { "descending" } else { "ascending" })] {
            @if is_sortable { a href=(making.address_with(&query)) { (label) @match down { Some(true) => " ↓", Some(false) => " ↑", None => "" } } }
            @else { (label) }
        }
    }
}

/// The records that related sets link to those of the page, by field and key.
fn related(making: &Making<'_>, fields: &[&Field], records: &[Record]) -> BTreeMap<String, BTreeMap<Vec<String>, Vec<String>>> {
    let owners: Vec<&Record> = records.iter().collect();
    let mut all = BTreeMap::new();
    for field in fields.iter().filter(|field| field.related.is_some() && !owners.is_empty()) {
        let mut by_owner: BTreeMap<Vec<String>, Vec<String>> = BTreeMap::new();
        for record in making.source.related(field, &owners).map(|found| found.records).unwrap_or_default() {
            let title = narrow::title(&record);
            by_owner.entry(record.owner).or_default().push(title);
        }
        all.insert(field.name.clone(), by_owner);
    }
    all
}

fn links(by_owner: Option<&BTreeMap<Vec<String>, Vec<String>>>, record: &Record) -> Markup {
    let titles = by_owner.and_then(|all| all.get(&record.key));
    html! {
        @match titles {
            Some(titles) => (titles.join(", ")),
            None => span .nothing { (value::NOTHING) },
        }
    }
}

/// How many there are, and the pages before and behind.
fn pages(making: &Making<'_>, narrowing: &Narrowing, found: &Found) -> Markup {
    let page = making.request.query.page();
    let count_shown = u32::try_from(found.records.len()).unwrap_or(u32::MAX);
    let is_last = count_shown < narrowing.limit;
    // What was left out isn't asked again: its refusal is told already.
    let count = match (&found.trouble, page, is_last) {
        (Some(Trouble::Refused(_)), ..) => None,
        (_, 1, true) => Some(count_shown),
        _ => making.source.count(narrowing),
    };
    let to = |page: u32| making.address_with(&making.request.query.with("page", (page > 1).then(|| page.to_string()).as_deref()));
    let (first, last) = (narrowing.offset.saturating_add(1), narrowing.offset.saturating_add(count_shown));
    let pages = count.filter(|count| *count <= MOST_COUNTED).map(|count| count.div_ceil(narrowing.limit).max(1));
    html! {
        nav .pages aria-label=(making.part("Pages")) {
            @if count_shown > 0 {
                span { (first) "–" (last) @match count {
                    Some(count) if count > MOST_COUNTED => { " of more than " (MOST_COUNTED) },
                    Some(count) => { " of " (count) },
                    None => {},
                } }
            }
            @if page > 1 { a href=(to(1)) { "First" } " " a href=(to(page - 1)) rel="prev" { "Previous" } }
            @if !is_last && count.is_none_or(|count| count > last) { a href=(to(page.saturating_add(1))) rel="next" { "Next" } }
            @if let Some(pages) = pages.filter(|pages| *pages > page) { a href=(to(pages)) { "Last" } }
        }
    }
}

/// What leads to files of what is found, and to the exports of the definition.
fn exports(making: &Making<'_>) -> Markup {
    let entity = making.source.entity;
    let whole = address(Shown::One(making.which), &entity.name, &making.source.page.name, &[]);
    let to = |format: &str, export: Option<&str>| {
        let query = making.request.query.with("page", None).with("as", Some(format)).with("export", export);
        format!("{whole}/export{}", query.written())
    };
    html! {
        @if making.source.page.offers("export") {
            p .exports {
                "As a file: " a href=(to("csv", None)) { "CSV" } " " a href=(to("xlsx", None)) { "XLSX" }
                @for export in &entity.exports { "; " (shown(&export.name)) ": " a href=(to("csv", Some(&export.name))) { "CSV" } " " a href=(to("xlsx", Some(&export.name))) { "XLSX" } }
            }
        }
    }
}

/// What stays of an address when a group is opened.
pub fn of_group(query: &Query, group: &[Option<String>]) -> String {
    let mut out = query.with("group", None).with("page", None).written();
    for value in group {
        let value = value.as_ref().map_or_else(String::new, |value| format!("={value}"));
        out.push(if out.is_empty() { '?' } else { '&' });
        out.push_str("group=");
        out.extend(form_urlencoded::byte_serialize(value.as_bytes()));
    }
    out
}
