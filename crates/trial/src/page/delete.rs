//! Deletion: a question that says what goes with the record.

use super::{Done, Making, narrow};
use crate::ask::{Shown, address};
use crate::form::Typed;
use crate::saving::{Form, Outcome};
use maud::{Markup, html};
use ysomorph_core::definition::PageKind;
use ysomorph_core::name::shown;
use ysomorph_core::statements::Fate;

/// Where a record of the entity is deleted, where whoever looks may do that.
pub fn address_of(making: &Making<'_>, key: &[String]) -> Option<String> {
    let entity = making.source.entity;
    let list = making.source.version.page_of_kind(&entity.name, PageKind::List, making.request.viewer.role.as_deref())?;
    let may = making.source.access.is_none_or(|access| access.delete) && list.offers("delete") && !entity.read_only;
    let whole = address(Shown::One(making.which), &entity.name, &list.name, key);
    let (path, query) = whole.split_once('?')?;
    may.then(|| format!("{path}/delete?{query}"))
}

/// The question; or what came of the answer.
pub fn content(making: &Making<'_>, typed: Option<&Typed>) -> Done {
    let nothing = Typed::default();
    let form = Form { source: &making.source, typed: typed.unwrap_or(&nothing), writes: making.request.site.writes, is_line: false };
    let key = typed.map_or_else(|| making.request.query.key(), |typed| typed.0.key());
    if typed.is_none() {
        return Done::Page(question(making, &form, &key, &html! {}));
    }
    match form.delete(&key) {
        Outcome::Saved(_) => Done::To(making.address_of(PageKind::List, &[]).unwrap_or_else(|| "/now/".to_owned())),
        Outcome::Mistakes(mistakes) => {
            let said = html! { div .broken role="alert" { @for mistake in &mistakes { p { (mistake.text) } } } };
            Done::Page(question(making, &form, &key, &said))
        }
        Outcome::Told(told) => Done::Page(question(making, &form, &key, &super::form::told(&told))),
        Outcome::Trouble(trouble) => {
            Done::Page(question(making, &form, &key, &html! { div .broken role="alert" { p { "It wasn't deleted. " (trouble) } } }))
        }
        Outcome::Conflict(_) | Outcome::Nothing => Done::Page(question(making, &form, &key, &html! {})),
    }
}

fn question(making: &Making<'_>, form: &Form<'_>, key: &ysomorph_sources::Values, said: &Markup) -> Markup {
    let found = making.source.record(key, &making.broken);
    let along = form.along(key);
    let entity = |table: &str| {
        let of = making.source.version.model.entities.values().find(|e| ysomorph_core::name::same(&e.table.value, table));
        of.map_or_else(|| shown(table), |entity| making.source.version.drawing(&entity.name, None).many(entity))
    };
    let words = |fate: Fate, is_one: bool| match (fate, is_one) {
        (Fate::Go, true) => "goes with it",
        (Fate::Go, false) => "go with it",
        (Fate::Loosened, true) => "points at nothing any more",
        (Fate::Loosened, false) => "point at nothing any more",
        (Fate::Hinder, true) => "hinders it: the database refuses as long as it is there",
        (Fate::Hinder, false) => "hinder it: the database refuses as long as they are there",
    };
    html! {
        @match found.records.first() {
            None => { h1 { "Delete" } p .empty { "There is no such record, or it isn't yours to see." } },
            Some(record) => {
                h1 { "Delete " (narrow::title(record)) "?" }
                (said)
                @if along.is_empty() { p { "Nothing else points at it." } } @else {
                    p { "Of other records" }
                    ul { @for one in &along {
                        @if one.seen > 0 { li { (one.seen) " of " b { (entity(&one.table)) } " " (words(one.fate, one.seen == 1)) } }
                        @if one.is_more { li { "Some that aren't yours to see " (words(one.fate, false)) } }
                    } }
                }
                form method="post" {
                    input type="hidden" name="token" value=(making.request.token);
                    @for part in making.request.query.all("key") { input type="hidden" name="key" value=(part); }
                    p .actions { button .danger { "Delete" } " " a href=(making.address_of(PageKind::Detail, &record.key).unwrap_or_else(|| "/now/".to_owned())) { "Keep it" } }
                }
            },
        }
    }
}
