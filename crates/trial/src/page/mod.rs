//! Pages: each kind in a file, in a frame that all have.

mod beside;
mod broken;
mod bulk;
mod delete;
mod export;
mod form;
mod frame;
mod groups;
mod import;
mod list;
mod narrow;
mod panel;
mod record;

use crate::ask::{Query, Shown, address};
use crate::form::{Mistake, Typed};
use crate::reader::{Record, Source, Trouble, Viewer};
use crate::saving::{Form, Outcome};
use crate::site::{Site, Which};
use crate::value;
pub use export::File;
pub use frame::{first, message, welcome};
pub use import::Given;
use maud::{Markup, html};
use ysomorph_core::definition::{Drawn, Field, PageKind};
use ysomorph_core::drawing::{Drawing, DrawnField};
use ysomorph_sources::Values;

/// What a page is made from.
#[derive(Clone, Copy)]
pub struct Request<'a> {
    /// What is served.
    pub site: &'a Site,
    /// Why it isn't what the files and the database say by now.
    pub trouble: Option<&'a str>,
    /// Which of the two is asked for.
    pub shown: Shown,
    /// Whoever looks.
    pub viewer: &'a Viewer,
    /// What the address asks for.
    pub query: &'a Query,
    /// What every form has to carry.
    pub token: &'a str,
    /// The address itself, to come back to.
    pub here: &'a str,
}

/// A page of one version, as it is being made.
struct Making<'a> {
    request: &'a Request<'a>,
    which: Which,
    source: Source<'a>,
    drawing: Drawing,
    /// Fields that the database hasn't got.
    broken: Vec<String>,
    /// What became of a form that was sent.
    sent: Sent,
}

/// What became of a form that was sent.
#[derive(Debug, Default)]
struct Sent {
    /// What was typed.
    typed: Option<Typed>,
    /// What is wrong with it.
    mistakes: Vec<Mistake>,
    /// The record as somebody else left it meanwhile.
    conflict: Option<Box<Record>>,
    /// What would have been sent to the database.
    told: Vec<(String, Vec<(String, String)>)>,
    /// What else there is to say.
    note: Option<String>,
}

/// What a form leads to.
pub enum Done {
    /// Another page.
    To(String),
    /// The same page, with what there is to say.
    Page(Markup),
}

impl Making<'_> {
    /// The drawn field of a name.
    fn drawn(&self, field: &str) -> Option<&DrawnField> {
        self.drawing.sections.iter().flat_map(|(_, fields)| fields).find(|drawn| drawn.name == field)
    }

    /// The fields of the page that can be shown, but for those that had to be left out.
    fn fields(&self, without: &[String]) -> Vec<&Field> {
        let fields = self.source.reading().visible(&self.source.page.shown);
        fields.filter(|field| !without.contains(&field.name)).collect()
    }

    /// Whether the page takes records from files, and whoever looks may add some. An entity that has an import offers it on its list.
    fn offers_import(&self) -> bool {
        let (entity, page) = (self.source.entity, self.source.page);
        let offered = page.offers("import") || page.actions.is_none() && page.kind == PageKind::List && !entity.imports.is_empty();
        offered && !entity.read_only && self.source.access.is_none_or(|access| access.add)
    }

    /// The key of the record that is asked for.
    fn key(&self) -> Values {
        self.sent.typed.as_ref().map_or_else(|| self.request.query.key(), |typed| typed.0.key())
    }

    /// What people call a field.
    fn label(&self, field: &Field) -> String {
        self.drawn(&field.name).map_or_else(|| self.label_of(self.source.entity, field), |drawn| drawn.label.clone())
    }

    /// What people call a field of any entity.
    fn label_of(&self, entity: &ysomorph_core::definition::Entity, field: &Field) -> String {
        self.source.version.drawing(&entity.name, None).label(entity, field)
    }

    fn cell(&self, field: &Field, record: &Record) -> Markup {
        value::cell(&self.source, self.request.shown, field, record)
    }

    /// The address of another page of the entity, where whoever looks may use it.
    fn address_of(&self, kind: PageKind, key: &[String]) -> Option<String> {
        let entity = &self.source.entity.name;
        let page = self.source.version.page_of_kind(entity, kind, self.request.viewer.role.as_deref())?;
        Some(address(self.request.shown, entity, &page.name, key))
    }

    /// The same page, asked for otherwise.
    fn address_with(&self, query: &Query) -> String {
        address(self.request.shown, &self.source.entity.name, &self.source.page.name, &[]) + &query.written()
    }

    /// What stands above the page: as it is labelled, else by what it is for.
    fn heading(&self) -> String {
        let one = || {
            let own = self.source.entity.label.as_ref().map(|(one, _)| one.clone());
            own.unwrap_or_else(|| ysomorph_core::draft::field_label(&self.source.entity.name))
        };
        let many = || self.source.version.drawing(&self.source.entity.name, None).many(self.source.entity);
        match self.source.page.kind {
            _ if self.source.page.label.is_some() => self.drawing.label.clone(),
            PageKind::List => many(),
            PageKind::Detail => one(),
            PageKind::Add => format!("New: {}", one()),
            PageKind::Edit => format!("Edit: {}", one()),
            PageKind::Bulk => format!("Edit several: {}", many()),
            PageKind::Grouped => self.drawing.label.clone(),
        }
    }

    /// What a part of the page is called where the other version stands beside it.
    fn part(&self, name: &str) -> String {
        match self.request.shown {
            Shown::Both => format!("{name}, {}", if self.which == Which::Now { "now" } else { "after the merge" }),
            Shown::One(_) => name.to_owned(),
        }
    }

    fn content(&self) -> Markup {
        match self.source.page.kind.drawn() {
            Drawn::Rows if self.source.page.kind == PageKind::Bulk => bulk::content(self),
            Drawn::Rows => list::content(self),
            Drawn::Record => record::content(self),
            Drawn::Form => form::empty(self),
            Drawn::Groups => groups::content(self),
        }
    }
}

/// What a page of one version is made from; nothing where there is no such page or whoever looks may not use it.
fn making<'a>(request: &'a Request<'a>, which: Which, entity: &str, page: &str) -> Option<Making<'a>> {
    let version = request.site.version(which);
    let (entity, page, access) = version.page(entity, page, request.viewer.role.as_deref())?;
    let source = Source { version, entity, page, access, viewer: request.viewer, pool: &request.site.pool };
    let drawing = version.drawing(&entity.name, request.viewer.role.as_deref()).draw(entity, page);
    let broken = broken::fields(version, entity, page, request.viewer);
    Some(Making { request, which, source, drawing, broken, sent: Sent::default() })
}

/// Saves what a form of a page says; nothing where there is no such page, or whoever looks may not use it.
pub fn save(request: &Request<'_>, (entity, page): (&str, &str), typed: Typed) -> Option<Done> {
    let Shown::One(which) = request.shown else { return None };
    let mut making = making(request, which, entity, page)?;
    if !making.source.page.kind.saves() || making.source.entity.read_only {
        return None;
    }
    if typed.0.get("find").is_none() {
        let key = typed.0.key();
        let form = Form { source: &making.source, typed: &typed, writes: request.site.writes, is_line: false };
        let outcome = match making.source.page.kind {
            PageKind::Add => form.add(),
            PageKind::Bulk => form.change_many(),
            _ => form.change(&key),
        };
        match outcome {
            Outcome::Saved(_) if making.source.page.kind == PageKind::Bulk => {
                return Some(Done::To(making.address_with(making.request.query)));
            }
            Outcome::Saved(key) => {
                let to = making.address_of(PageKind::Detail, &key).filter(|_| key.len() == making.source.entity.key.len());
                return Some(Done::To(to.or_else(|| making.address_of(PageKind::List, &[])).unwrap_or_else(|| "/now/".to_owned())));
            }
            Outcome::Mistakes(mistakes) => making.sent.mistakes = mistakes,
            Outcome::Conflict(record) => making.sent.conflict = Some(record),
            Outcome::Told(told) => making.sent.told = told,
            Outcome::Nothing => making.sent.note = Some("Nothing was changed.".to_owned()),
            Outcome::Trouble(trouble) => making.sent.note = Some(format!("It wasn't saved. {trouble}")),
        }
    }
    making.sent.typed = Some(typed);
    let title = making.heading();
    let content = making.content();
    Some(Done::Page(frame::frame(request, &title, Some((entity, page)), &content)))
}

/// Asks whether a record is to go, or lets it go; nothing where there is no such page or whoever looks may not do that.
pub fn delete(request: &Request<'_>, (entity, page): (&str, &str), typed: Option<&Typed>) -> Option<Done> {
    let Shown::One(which) = request.shown else { return None };
    let making = making(request, which, entity, page)?;
    let may = making.source.access.is_none_or(|access| access.delete);
    if !may || !making.source.page.offers("delete") || making.source.entity.read_only {
        return None;
    }
    let done = delete::content(&making, typed);
    Some(match done {
        Done::Page(content) => Done::Page(frame::frame(request, &making.heading(), Some((entity, page)), &content)),
        to => to,
    })
}

/// A file of what a page finds; nothing where there is no such page, or it doesn't offer that to whoever looks.
pub fn exported(request: &Request<'_>, (entity, page): (&str, &str)) -> Option<Result<File, Trouble>> {
    let Shown::One(which) = request.shown else { return None };
    let making = making(request, which, entity, page)?;
    let may = making.source.page.offers("export") && making.source.access.is_none_or(|access| access.read);
    may.then(|| export::file(&making)).flatten()
}

/// The bytes of a picture or file of a page's record; nothing where whoever looks doesn't see it.
pub fn bytes(request: &Request<'_>, (entity, page): (&str, &str)) -> Option<Vec<u8>> {
    let Shown::One(which) = request.shown else { return None };
    let making = making(request, which, entity, page)?;
    let key = making.key();
    let is_whole = key.len() == making.source.entity.key.len();
    is_whole.then(|| making.source.bytes(request.query.get("field")?, &key)).flatten()
}

/// What an import is at.
pub enum Import<'i> {
    /// A file is asked for; why the last one wasn't taken.
    Choose(Option<&'i str>),
    /// A file was sent.
    Given(Given<'i>),
}

/// The import of a page; nothing where there is no such page, or it isn't offered to whoever looks.
pub fn imported(request: &Request<'_>, (entity, page): (&str, &str), step: &Import<'_>) -> Option<Markup> {
    let Shown::One(which) = request.shown else { return None };
    let making = making(request, which, entity, page)?;
    if !making.offers_import() {
        return None;
    }
    let content = match step {
        Import::Choose(trouble) => import::choose(&making, *trouble),
        Import::Given(given) => import::content(&making, given),
    };
    Some(frame::frame(request, &making.heading(), Some((entity, page)), &content))
}

/// A page of an entity; nothing where there is no such page in either version, or whoever looks may not use it.
pub fn page(request: &Request<'_>, (entity, page): (&str, &str)) -> Option<Markup> {
    let making = |which: Which| making(request, which, entity, page);
    let (title, content) = match request.shown {
        Shown::One(which) => {
            let making = making(which)?;
            (making.heading(), making.content())
        }
        Shown::Both => {
            let both = [making(Which::Now), making(Which::After)];
            let title = both.iter().flatten().next()?.heading();
            (title, beside::content(&both))
        }
    };
    Some(frame::frame(request, &title, Some((entity, page)), &html! { (content) }))
}
