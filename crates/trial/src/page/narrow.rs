//! The search and the filters of a list: a form that asks for the same page.

use super::Making;
use crate::ask::{EMPTY, Way, as_one};
use crate::reader::MOST_BESIDE;
use crate::value;
use maud::{Markup, html};
use ysomorph_core::definition::Field;
use ysomorph_core::name::shown;

/// The ways in which the page's fields are filtered.
pub fn ways(making: &Making<'_>) -> Vec<(String, Way)> {
    let fields = making.source.reading().filters().filter(|field| !making.broken.contains(&field.name));
    fields.map(|field| (field.name.clone(), Way::of(&field.kind, !field.choices.is_empty()))).collect()
}

/// The form; nothing where the page offers neither.
pub fn form(making: &Making<'_>) -> Markup {
    let reading = making.source.reading();
    let searched: Vec<String> = reading.searched().map(|field| making.label(field)).collect();
    let filters: Vec<&Field> = reading.filters().filter(|field| !making.broken.contains(&field.name)).collect();
    let query = making.request.query;
    let is_filtered = ways(making).iter().any(|(field, way)| is_used(making, field, *way));
    let is_narrowed = query.get("search").is_some() || is_filtered;
    html! {
        @if !searched.is_empty() || !filters.is_empty() {
            form .narrow method="get" action=(making.address_with(&crate::ask::Query::default())) role="search" aria-label=(making.part("Search")) {
                @if !searched.is_empty() {
                    div .ask {
                        label for={ "search-" (making.which.word()) } { "Search" }
                        input id={ "search-" (making.which.word()) } type="search" name="search" value=[query.get("search")]
                            title={ "in " (searched.join(", ")) };
                    }
                }
                @if !filters.is_empty() {
                    details .filters open[is_filtered] { summary { "Filters" } div { @for field in filters { (filter(making, field)) } } }
                }
                @if let Some(sort) = query.get("sort") { input type="hidden" name="sort" value=(sort); }
                @for group in query.all("group") { input type="hidden" name="group" value=(group); }
                div .ask.go {
                    button { "Show" }
                    @if is_narrowed { " " a href=(making.address_with(&everything(making))) { "Show all" } }
                }
            }
        }
    }
}

/// The address without search and filters.
fn everything(making: &Making<'_>) -> crate::ask::Query {
    let mut query = making.request.query.with("search", None).with("page", None);
    for (field, _) in ways(making) {
        for end in ["", ".from", ".to"] {
            query = query.with(&format!("filter.{field}{end}"), None);
        }
    }
    query
}

fn is_used(making: &Making<'_>, field: &str, way: Way) -> bool {
    let ends: &[&str] = if matches!(way, Way::Between { .. }) { &[".from", ".to"] } else { &[""] };
    ends.iter().any(|end| making.request.query.get(&format!("filter.{field}{end}")).is_some())
}

fn filter(making: &Making<'_>, field: &Field) -> Markup {
    let name = format!("filter.{}", field.name);
    let id = format!("{}-{}", making.which.word(), name);
    let query = making.request.query;
    let label = making.label(field);
    html! {
        div .ask {
            @match Way::of(&field.kind, !field.choices.is_empty()) {
                Way::Is => {
                    label for=(id) { (label) }
                    select id=(id) name=(name) {
                        option value="" { "all" }
                        @for (value, text) in choices(making, field) {
                            option value=(value) selected[query.get(&name) == Some(value.as_str())] { (text) }
                        }
                        @if !field.required { option value=(EMPTY) selected[query.get(&name) == Some(EMPTY)] { "without" } }
                    }
                }
                Way::Between { is_moment } => {
                    fieldset {
                        legend { (label) }
                        @for (end, word) in [("from", "from"), ("to", "to")] {
                            @let own = format!("{name}.{end}");
                            label for={ (id) "." (end) } { (word) }
                            input id={ (id) "." (end) } name=(own) value=[query.get(&own)]
                                type=(if field.kind == "date" || is_moment { "date" } else if field.kind == "time" { "time" } else { "text" })
                                inputmode=[value::is_number(field).then_some("decimal")] size="8";
                        }
                    }
                }
                Way::Has => {
                    label for=(id) { (label) }
                    input id=(id) name=(name) value=[query.get(&name)] type="text" size="12";
                }
            }
        }
    }
}

/// What can be chosen, with what people read; a large table's first.
fn choices(making: &Making<'_>, field: &Field) -> Vec<(String, String)> {
    if field.kind == "boolean" {
        return vec![("1".to_owned(), "Yes".to_owned()), ("0".to_owned(), "No".to_owned())];
    }
    if !field.choices.is_empty() {
        return field.choices.iter().map(|c| (c.value.value.clone(), value::plain(field, &c.value.value))).collect();
    }
    let found = making.source.choices(field, None).map(|found| found.records).unwrap_or_default();
    let most = usize::try_from(MOST_BESIDE).unwrap_or(usize::MAX);
    let mut all: Vec<(String, String)> = found.iter().take(most).map(|r| (as_one(&r.key), title(r))).collect();
    // One that was asked for stays, however far down it stands.
    let asked = making.request.query.get(&format!("filter.{}", field.name)).filter(|asked| *asked != EMPTY);
    if let Some(asked) = asked.filter(|asked| !all.iter().any(|(value, _)| value == asked)) {
        all.push((asked.to_owned(), shown(&crate::ask::values(asked).join(", "))));
    }
    all
}

/// What people read of a record.
pub fn title(record: &crate::reader::Record) -> String {
    match &record.title {
        Some(title) if !title.trim().is_empty() => shown(title),
        _ => shown(&record.key.join(", ")),
    }
}
