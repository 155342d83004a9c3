//! What all pages have: the menu, which version is shown, who looks, and what changed.

use super::{Request, panel};
use crate::ask::{Shown, address};
use crate::site::Which;
use maud::{DOCTYPE, Markup, html};
use ysomorph_core::definition::PageKind;
use ysomorph_core::name::shown;

/// An entity and a page, by name.
pub type Named<'n> = (&'n str, &'n str);

/// A whole page.
pub fn frame(request: &Request<'_>, title: &str, at: Option<Named<'_>>, content: &Markup) -> Markup {
    let site = request.site;
    html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (title) " · " (shown(&site.title)) }
                link rel="stylesheet" href="/style.css";
                link rel="icon" href="/icon.svg" type="image/svg+xml";
                script src="/script.js" defer {}
            }
            body .beside[request.shown == Shown::Both] {
                a .skip href="#content" { "Skip to the content" }
                header .top {
                    p .application { a href={ "/" (request.shown.word()) "/" } { (shown(&site.title)) } }
                    a .to-menu href="#menu" { "Menu" }
                    (switch(request))
                    (viewer(request))
                }
                div .middle {
                    nav .menu id="menu" aria-label="Menu" { (menu(request, at)) }
                    main id="content" tabindex="-1" {
                        @if let Some(trouble) = request.trouble {
                            div .notice role="status" { p { strong { "This is as it was: " } "what is there now can't be read. " (shown(trouble)) } }
                        }
                        (content)
                    }
                    (panel::panel(request))
                }
                footer { (shown(&site.database)) @if site.writes { b { ": what is saved here is saved there." } } @else { ", read only: nothing is saved." } }
            }
        }
    }
}

/// Which version is shown.
fn switch(request: &Request<'_>) -> Markup {
    if request.site.after.is_none() {
        let text = if request.site.is_begun { "What changed is being worked out…" } else { "The merge changes nothing." };
        return html! { p .switch { (text) } };
    }
    let to = |word: &str| {
        let rest = request.here.trim_start_matches('/').split_once('/').map_or("", |(_, rest)| rest);
        format!("/{word}/{rest}")
    };
    html! {
        nav .switch aria-label="Version" {
            @for (shown, label) in [(Shown::One(Which::Now), "Now"), (Shown::One(Which::After), "After the merge"), (Shown::Both, "Both")] {
                a href=(to(shown.word())) aria-current=[(shown == request.shown).then_some("true")] { (label) }
            }
        }
    }
}

/// Who looks: the role, and what SQL may ask about the person.
fn viewer(request: &Request<'_>) -> Markup {
    let site = request.site;
    let roles: Vec<&str> = site.roles().collect();
    let parameters = &site.version(Which::After).model.app.parameters;
    html! {
        @if !roles.is_empty() || !parameters.is_empty() {
            form .viewer id="viewer" method="post" action="/viewer" {
                input type="hidden" name="token" value=(request.token);
                input type="hidden" name="here" value=(request.here);
                @if !roles.is_empty() {
                    label for="role" { "Seen by" }
                    select id="role" name="role" {
                        @for role in &roles {
                            @let label = site.now.model.app.role_labels.get(*role).map_or(*role, String::as_str);
                            option value=(role) selected[request.viewer.role.as_deref() == Some(*role)] { (shown(label)) }
                        }
                    }
                }
                @for parameter in parameters {
                    label for={ "with-" (parameter.name) } { (shown(parameter.label.as_deref().unwrap_or(&parameter.name))) }
                    input id={ "with-" (parameter.name) } name={ "with." (parameter.name) } size="6"
                        value=[request.viewer.values.get(&parameter.name)];
                }
                button { "Look" }
            }
        }
    }
}

/// A line of the menu.
struct Item {
    entity: String,
    page: String,
    label: String,
}

/// The application's menu: what whoever looks may use.
fn menu(request: &Request<'_>, at: Option<Named<'_>>) -> Markup {
    let which = match request.shown {
        Shown::One(which) => which,
        Shown::Both => Which::After,
    };
    let version = request.site.version(which);
    let role = request.viewer.role.as_deref();
    let item = |item: &str| -> Option<Item> {
        let (entity, page) = match item.split_once('/') {
            Some((entity, page)) => (entity, page.to_owned()),
            None => (item, version.page_of_kind(item, PageKind::List, role)?.name.clone()),
        };
        let (entity, page, _) = version.page(entity, &page, role)?;
        let drawing = version.drawing(&entity.name, role);
        let label = if item.contains('/') { drawing.page_label(entity, page) } else { drawing.many(entity) };
        Some(Item { entity: entity.name.clone(), page: page.name.clone(), label })
    };
    let mut groups: Vec<(String, Vec<Item>)> = Vec::new();
    for group in &version.model.app.menu {
        groups.push((group.label.clone(), group.items.iter().filter_map(|name| item(&name.value)).collect()));
    }
    if version.model.app.menu.is_empty() {
        groups.push((String::new(), version.model.entities.keys().filter_map(|name| item(name)).collect()));
    }
    // One entry is where one is: the page itself where the menu has it, else the first of its entity.
    let is_here = |item: &Item| at == Some((item.entity.as_str(), item.page.as_str()));
    let all = || groups.iter().flat_map(|(_, items)| items);
    let here = all().find(|item| is_here(item)).or_else(|| all().find(|item| at.is_some_and(|(entity, _)| entity == item.entity)));
    let current = |item: &Item| {
        let is_it = here.is_some_and(|here| std::ptr::eq(here, item));
        is_it.then_some(if is_here(item) { "page" } else { "true" })
    };
    html! {
        @for (label, items) in groups.iter().filter(|(_, items)| !items.is_empty()) {
            @if !label.is_empty() { h2 { (shown(label)) } }
            ul {
                @for item in items {
                    @let Item { entity, page, label } = item;
                    @let breaks = request.site.breaks_of(which, entity, page, role);
                    li {
                        a href=(address(request.shown, entity, page, &[])) aria-current=[current(item)] {
                            (shown(label))
                            @if breaks > 0 { " " span .mark title="can't work" { "✕" span .unseen { " can't work" } } }
                        }
                    }
                }
            }
        }
    }
}

/// The first page, where no entity is chosen yet.
pub fn welcome(request: &Request<'_>) -> Markup {
    let content = html! {
        h1 { (shown(&request.site.title)) }
        p .empty { "Choose a page from the menu." }
    };
    frame(request, "Start", None, &content)
}

/// A page that says something.
pub fn message(request: &Request<'_>, title: &str, text: &str) -> Markup {
    let content = html! {
        h1 { (title) }
        p .empty { (text) }
        p { a href={ "/" (request.shown.word()) "/" } { "To the start" } }
    };
    frame(request, title, None, &content)
}

/// Where the first page of the menu leads.
pub fn first(request: &Request<'_>) -> Option<String> {
    let version = request.site.version(Which::After);
    let role = request.viewer.role.as_deref();
    let items = version.model.app.menu.iter().flat_map(|group| group.items.iter().map(|item| item.value.as_str()));
    let all = items.chain(version.model.entities.keys().map(String::as_str));
    all.filter_map(|item| {
        let (entity, page) = match item.split_once('/') {
            Some((entity, page)) => (entity, page),
            None => (item, version.page_of_kind(item, PageKind::List, role)?.name.as_str()),
        };
        version.page(entity, page, role).map(|_| address(request.shown, entity, page, &[]))
    })
    .next()
}
