//! Many records at once: chosen in a list, and given the same.

use super::{Making, broken, form, list, narrow};
use crate::ask::{Shown, address};
use crate::form::is_bytes;
use maud::{Markup, html};
use ysomorph_core::definition::Field;
use ysomorph_core::statements::Saving;

/// A list to choose from, and what is to be changed of the chosen ones.
pub fn content(making: &Making<'_>) -> Markup {
    let narrowing = list::narrowing(making);
    let found = making.source.rows(&narrowing, &making.broken);
    let source = &making.source;
    let saving = Saving::of_page(&source.version.model, source.entity, source.page, source.access, &source.version.known);
    let fields: Vec<&Field> =
        saving.fields().into_iter().filter(|field| !found.without.contains(&field.name) && !is_bytes(field)).collect();
    let to = address(Shown::One(making.which), &source.entity.name, &source.page.name, &[]) + &making.request.query.written();
    html! {
        h1 { (making.heading()) }
        (broken::told(making, found.trouble.as_ref(), list::still_works(&found)))
        (form::said(making))
        @if list::still_works(&found) {
            (narrow::form(making))
            form .form id={ "bulk-" (making.which.word()) } method="post" action=(to) novalidate {
                input type="hidden" name="token" value=(making.request.token);
                div .fields {
                    @for field in fields {
                        @if let Some(drawn) = making.drawn(&field.name) {
                            div .set {
                                @let id = format!("{}-set-{}", making.which.word(), field.name);
                                span { input type="checkbox" id=(id) name="set" value=(field.name) checked[is_set(making, field)]; " " label for=(id) { "Change" } }
                                (form::control(making, field, drawn, None))
                            }
                        }
                    }
                }
                p .actions { button .main { @if making.request.site.writes { "Change the chosen ones" } @else { "Change the chosen ones (only shown)" } } }
            }
            (list::records(making, &narrowing, &found))
        }
    }
}

fn is_set(making: &Making<'_>, field: &Field) -> bool {
    making.sent.typed.as_ref().is_some_and(|typed| typed.0.values("set").any(|name| name == field.name))
}
