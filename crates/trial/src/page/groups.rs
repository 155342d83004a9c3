//! Grouped pages: groups with their totals; each leads to its records.

use super::{Making, broken, list, narrow};
use crate::value;
use maud::{Markup, html};
use ysomorph_core::definition::Field;
use ysomorph_core::statements::Narrowing;

/// A grouped page, or the records of the group that is asked for.
pub fn content(making: &Making<'_>) -> Markup {
    match making.request.query.group() {
        Some(group) => one(making, group),
        None => all(making),
    }
}

fn all(making: &Making<'_>) -> Markup {
    let found = making.source.groups(&list::narrowing(making), &making.broken);
    let reading = making.source.reading();
    let is_there = |field: &&Field| !found.without.contains(&field.name);
    let by: Vec<&Field> = reading.visible(&making.source.page.group).filter(is_there).collect();
    let totals: Vec<&Field> = reading.visible(&making.source.page.shown).filter(is_there).filter(|f| f.total.is_some()).collect();
    html! {
        h1 { (making.heading()) }
        (broken::told(making, found.trouble.as_ref(), list::still_works(&found)))
        (narrow::form(making))
        @if list::still_works(&found) {
            @if found.records.is_empty() { p .empty { "No records." } } @else {
                div .scroll tabindex="0" role="region" aria-label=(making.part(&making.heading())) {
                    table .records {
                        thead { tr {
                            @for field in &by { th scope="col" { (making.label_of(making.source.entity, field)) } }
                            th .number scope="col" { "Records" }
                            @for field in &totals { th .number scope="col" { (making.label(field)) " (" (field.total.as_deref().unwrap_or_default()) ")" } }
                        } }
                        tbody {
                            @for record in &found.records {
                                @let key: Vec<Option<String>> = by.iter().flat_map(|f| record.values.get(&f.name).cloned().unwrap_or_default()).collect();
                                tr {
                                    @for (at, field) in by.iter().enumerate() {
                                        td data-label=(making.label_of(making.source.entity, field)) {
                                            @let text = record.text(&field.name).map_or_else(|| "without".to_owned(), |text| value::plain(field, text));
                                            @if at == 0 {
                                                a href=(to_group(making, &key)) { (text) }
                                            } @else { (text) }
                                        }
                                    }
                                    td .number data-label="Records" { (record.count.as_deref().unwrap_or_default()) }
                                    @for field in &totals {
                                        td .number data-label=(making.label(field)) {
                                            @match record.totals.get(&field.name).and_then(Option::as_deref) {
                                                Some(total) => (value::value(field, total)),
                                                None => span .nothing { (value::NOTHING) },
                                            }
                                        }
                                    }
                                }
                            }
                        }
                    }
                }
            }
        }
    }
}

fn to_group(making: &Making<'_>, key: &[Option<String>]) -> String {
    making.address_with(&crate::ask::Query::default()) + &list::of_group(making.request.query, key)
}

fn one(making: &Making<'_>, group: Vec<Option<String>>) -> Markup {
    let narrowing = Narrowing { group: Some(group), ..list::narrowing(making) };
    let found = making.source.rows(&narrowing, &making.broken);
    html! {
        h1 { (making.heading()) }
        p .actions { a href=(making.address_with(&making.request.query.with("group", None).with("page", None))) { "All groups" } }
        (broken::told(making, found.trouble.as_ref(), list::still_works(&found)))
        (list::records(making, &narrowing, &found))
    }
}
