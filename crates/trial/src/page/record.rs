//! One record: its sections, what is linked to it, and the records that belong to it.

use super::{Making, broken, delete, form, list, narrow};
use crate::ask::address;
use crate::reader::{MOST_BESIDE, Record, Trouble};
use crate::value;
use maud::{Markup, html};
use ysomorph_core::definition::{Child, Field, PageKind};
use ysomorph_core::drawing::DrawnField;
use ysomorph_core::name::shown;
use ysomorph_sources::Values;

/// A record, to read or to change.
pub fn content(making: &Making<'_>) -> Markup {
    let key = making.key();
    if key.len() != making.source.entity.key.len() {
        return html! {
            h1 { (making.heading()) }
            p .empty { "Choose a record: " @if let Some(list) = making.address_of(PageKind::List, &[]) { a href=(list) { "the list" } " leads to each." } }
        };
    }
    let found = making.source.record(&key, &making.broken);
    let record = found.records.first();
    let is_form = making.source.page.kind.saves();
    html! {
        h1 { @match record { Some(record) => (narrow::title(record)), None => (making.heading()) } }
        @if record.is_some() { p .kicker { (making.heading()) } }
        (broken::told(making, found.trouble.as_ref(), list::still_works(&found)))
        @match record {
            Some(record) => {
                (actions(making, record, is_form))
                @if is_form { (form::of_record(making, record, &found.without)) } @else { (sections(making, record, &found.without)) }
                @for child in &making.source.page.children { (children(making, child, &key)) }
            }
            None if found.trouble.is_none() => p .empty { "There is no such record, or it isn't yours to see." },
            None => {},
        }
    }
}

fn actions(making: &Making<'_>, record: &Record, is_form: bool) -> Markup {
    let to = |kind: PageKind| making.address_of(kind, &record.key);
    html! {
        p .actions {
            @if is_form {
                @if let Some(detail) = to(PageKind::Detail) { a href=(detail) { "Back to reading" } }
            } @else {
                @if let Some(edit) = to(PageKind::Edit).filter(|_| !making.source.entity.read_only) { a .button href=(edit) { "Edit" } }
                @if let Some(delete) = delete::address_of(making, &record.key) { a .button href=(delete) { "Delete" } }
            }
        }
    }
}

fn sections(making: &Making<'_>, record: &Record, without: &[String]) -> Markup {
    html! {
        @for (title, fields) in &making.drawing.sections {
            section .fields-of {
                @if !title.is_empty() { h2 { (shown(title)) } }
                dl .fields {
                    @for drawn in fields {
                        @if let Some(field) = making.source.entity.field(&drawn.name) {
                            div .gone[without.contains(&field.name)] {
                                dt { (drawn.label) }
                                dd { (field_of(making, field, drawn, record, without)) }
                            }
                        }
                    }
                }
            }
        }
    }
}

/// What is read of a field.
pub fn field_of(making: &Making<'_>, field: &Field, drawn: &DrawnField, record: &Record, without: &[String]) -> Markup {
    html! {
        @if without.contains(&field.name) {
            span .why { (drawn.broken.as_deref().map(shown).unwrap_or_default()) }
        } @else if field.related.is_some() {
            (linked(making, field, record))
        } @else {
            (making.cell(field, record))
        }
    }
}

/// The records that a related set links.
fn linked(making: &Making<'_>, field: &Field, record: &Record) -> Markup {
    let Some(found) = making.source.related(field, &[record]) else { return html! {} };
    let target = field.related.as_ref().map(|related| related.entity.value.as_str()).unwrap_or_default();
    let page = making.source.version.page_of_kind(target, PageKind::Detail, making.request.viewer.role.as_deref());
    html! {
        @match &found.trouble {
            Some(Trouble::Refused(message)) => span .why { (message) },
            _ if found.records.is_empty() => span .nothing { (value::NOTHING) },
            _ => ul .linked {
                @for one in &found.records {
                    li { @match page {
                        Some(page) => a href=(address(making.request.shown, target, &page.name, &one.key)) { (narrow::title(one)) },
                        None => (narrow::title(one)),
                    } }
                }
            },
        }
    }
}

/// A child list: the records that point here.
fn children(making: &Making<'_>, child: &Child, key: &Values) -> Markup {
    let version = making.source.version;
    let Some(entity) = version.model.entities.get(&child.entity.value) else { return html! {} };
    let Some(found) = making.source.children(child, key) else { return html! {} };
    let role = making.request.viewer.role.as_deref();
    let access = role.and_then(|role| entity.access_of(role));
    let seen = |field: &&Field| !field.hidden && field.related.is_none() && !access.is_some_and(|access| access.hides(&field.name));
    let fields: Vec<&Field> = child.fields.iter().filter_map(|name| entity.field(&name.value)).filter(seen).collect();
    let page = version.page_of_kind(&entity.name, PageKind::Detail, role);
    let most = usize::try_from(MOST_BESIDE).unwrap_or(usize::MAX);
    let Some(drawn) = making.drawing.children.iter().find(|drawn| child.is_of(&drawn.entity, &drawn.by)) else { return html! {} };
    let label = &drawn.label;
    html! {
        section .children {
            h2 { (label) }
            @if let Some(broken) = &drawn.broken { p .broken role="alert" { (ysomorph_report::words::prose(broken)) } }
            @match &found.trouble {
                Some(Trouble::Refused(message)) => p .broken role="alert" { "This list can't be read. " (message) },
                Some(Trouble::Lost(message)) => p .broken role="alert" { (message) },
                Some(Trouble::Missing(name)) => p .notice { "No records without a value for " code { ":" (shown(name)) } "." },
                None if found.records.is_empty() => p .empty { "None." },
                None => {
                    div .scroll tabindex="0" role="region" aria-label=(making.part(label)) {
                        table .records {
                            thead { tr { @for field in &fields { th scope="col" .number[value::is_number(field)] { (making.label_of(entity, field)) } }
                                @if page.is_some() { th scope="col" { span .unseen { "Open" } } } } }
                            tbody {
                                @for record in found.records.iter().take(most) {
                                    tr {
                                        @for field in &fields {
                                            td .number[value::is_number(field)] data-label=(making.label_of(entity, field)) {
                                                @match record.text(&field.name) {
                                                    Some(text) => (value::value(field, text)),
                                                    None => span .nothing { (value::NOTHING) },
                                                }
                                            }
                                        }
                                        @if let Some(page) = page {
                                            td .open { a href=(address(making.request.shown, &entity.name, &page.name, &record.key)) { "Open" } }
                                        }
                                    }
                                }
                            }
                        }
                    }
                    @if found.records.len() > most { p .more { "The first " (most) " are shown." } }
                },
            }
        }
    }
}
