//! Forms: a control for every kind of field, with help, marks, limits and what is wrong with what was typed.

use super::{Making, narrow, record as reading};
use crate::ask::{address, as_one, values};
use crate::form::{has_members, held, is_bytes, is_masked, kept_as, members};
use crate::reader::{MOST_BESIDE, Record};
use crate::value;
use maud::{Markup, html};
use ysomorph_core::definition::Field;
use ysomorph_core::drawing::DrawnField;
use ysomorph_core::name::shown;
use ysomorph_core::statements::Saving;

/// A form for a new record.
pub fn empty(making: &Making<'_>) -> Markup {
    html! {
        h1 { (making.heading()) }
        (super::broken::told(making, None, true))
        (form(making, None, &making.broken))
    }
}

/// A form with a record's values.
pub fn of_record(making: &Making<'_>, record: &Record, without: &[String]) -> Markup {
    form(making, Some(record), without)
}

fn form(making: &Making<'_>, record: Option<&Record>, without: &[String]) -> Markup {
    let source = &making.source;
    let saving = Saving::of_page(&source.version.model, source.entity, source.page, source.access, &source.version.known);
    let (fields, related): (Vec<&str>, Vec<&str>) =
        (saving.fields().iter().map(|f| f.name.as_str()).collect(), saving.related().iter().map(|f| f.name.as_str()).collect());
    let may_change = |field: &Field| fields.contains(&field.name.as_str()) && (!is_bytes(field) || source.reading().holds_bytes(field));
    let takes_files = saving.fields().iter().any(|field| is_bytes(field) && may_change(field));
    let key = record.map(|record| record.key.clone()).unwrap_or_default();
    let shown_one = crate::ask::Shown::One(making.which);
    let current = making.sent.conflict.as_deref().or(record);
    html! {
        (said(making))
        form .form method="post" action=(address(shown_one, &source.entity.name, &source.page.name, &[])) novalidate enctype=[takes_files.then_some("multipart/form-data")] {
            input type="hidden" name="token" value=(making.request.token);
            @for part in &key { input type="hidden" name="key" value=(part); }
            @if let Some(version) = current.and_then(|current| current.version.as_deref()) { input type="hidden" name="version" value=(version); }
            @for (title, drawn) in &making.drawing.sections {
                @let is_there = |field: &Field| record.is_some() || without.contains(&field.name) || related.contains(&field.name.as_str()) || may_change(field);
                @if drawn.iter().filter_map(|drawn| source.entity.field(&drawn.name)).any(is_there) { section .fields-of {
                    @if !title.is_empty() { h2 { (shown(title)) } }
                    div .fields {
                        @for drawn in drawn {
                            @if let Some(field) = source.entity.field(&drawn.name) {
                                @if without.contains(&field.name) {
                                    div .gone { span .label { (drawn.label) } span .why { (drawn.broken.as_deref().map(shown).unwrap_or_default()) } }
                                } @else if related.contains(&field.name.as_str()) {
                                    (links(making, field, drawn, record))
                                } @else if may_change(field) {
                                    (control(making, field, drawn, record))
                                } @else if let Some(record) = record {
                                    div { span .label { (drawn.label) } div { (reading::field_of(making, field, drawn, record, without)) } }
                                }
                            }
                        }
                    }
                } }
            }
            p .actions {
                button .main { @if making.request.site.writes { "Save" } @else { "Save (only shown)" } }
                @if let Some(to) = making.address_of(ysomorph_core::definition::PageKind::List, &[]) { a href=(to) { "Leave it" } }
            }
        }
    }
}

/// What there is to say of a form that was sent.
pub fn said(making: &Making<'_>) -> Markup {
    let sent = &making.sent;
    html! {
        @if sent.typed.is_some() { div data-sent {} }
        @if let Some(note) = &sent.note { div .notice role="status" { p { (note) } } }
        @if sent.conflict.is_some() {
            div .broken role="alert" {
                p .headline { strong { "Somebody else saved this record meanwhile." } }
                p { "Nothing of yours is lost, and nothing was saved: what stands there now is told beside each field that differs. Save again to put yours in its place." }
            }
        }
        @if !sent.mistakes.is_empty() {
            div .broken role="alert" {
                p .headline { strong { "It wasn't saved." } }
                ul { @for mistake in &sent.mistakes { li {
                    @match &mistake.field {
                        Some(field) => { a href={ "#" (id_of(making, field)) } { (label(making, field)) } ": " },
                        None => {},
                    }
                    (mistake.text)
                } } }
            }
        }
        (told(&sent.told))
    }
}

/// What would be sent to the database.
pub fn told(told: &[(String, Vec<(String, String)>)]) -> Markup {
    html! {
        @if !told.is_empty() {
            div .notice role="status" {
                p { strong { "Nothing was saved: " } "this session is read-only. It would send" }
                @for (sql, values) in told {
                    pre .sql { code { (shown(sql)) } }
                    @if !values.is_empty() { dl .given { @for (name, value) in values { div { dt { code { ":" (shown(name)) } } dd { (shown(value)) } } } } }
                }
                p { "Start it with " code { "--write" } " to save." }
            }
        }
    }
}

fn id_of(making: &Making<'_>, field: &str) -> String {
    format!("{}-field-{field}", making.which.word())
}

fn label(making: &Making<'_>, field: &str) -> String {
    making.drawn(field).map_or_else(|| shown(field), |drawn| drawn.label.clone())
}

/// A field's control, with its label, help and what is wrong.
pub fn control(making: &Making<'_>, field: &Field, drawn: &DrawnField, record: Option<&Record>) -> Markup {
    let (typed, sent) = (making.sent.typed.as_ref(), &making.sent);
    let before = record.map(|record| held(field, record));
    let first = || before.clone().or_else(|| prefilled(making, field)).unwrap_or_default();
    let value = typed.and_then(|typed| typed.value(&field.name)).map_or_else(first, str::to_owned);
    let theirs = sent.conflict.as_ref().map(|now| held(field, now));
    let was = theirs.clone().unwrap_or_else(|| match typed {
        Some(typed) => typed.was(&field.name).to_owned(),
        None => before.clone().unwrap_or_default(),
    });
    let differs = theirs.as_ref().filter(|theirs| typed.is_some_and(|typed| typed.was(&field.name) != theirs.as_str()));
    let mistake = sent.mistakes.iter().find(|m| m.field.as_deref() == Some(field.name.as_str()));
    let (id, name) = (id_of(making, &field.name), format!("field.{}", field.name));
    let helps = field.help.is_some() || mistake.is_some() || field.unit.is_some();
    let described = helps.then(|| format!("{id}-help"));
    html! {
        div .wrong[mistake.is_some()] {
            label for=(id) { (drawn.label) @if field.required { " " span .required title="a value is needed" { "*" } } }
            div {
                (input(making, field, record, &Control { id: &id, name: &name, value: &value, described: described.as_deref(), is_wrong: mistake.is_some() }))
                input type="hidden" name={ "was." (field.name) } value=(was);
                @if let Some(described) = &described {
                    p .help id=(described) {
                        @if let Some(mistake) = mistake { span .why { (mistake.text) } " " }
                        @if let Some(unit) = &field.unit { "in " (shown(&unit.value)) ". " }
                        @if let Some(help) = &field.help { (shown(&help.value)) }
                    }
                }
                @if let Some(theirs) = differs { p .theirs { "Now in the database: " b { @if theirs.is_empty() { (value::NOTHING) } @else { (value::plain(field, theirs)) } } } }
            }
        }
    }
}

/// What a new record starts with: what the address says, else the field's default.
fn prefilled(making: &Making<'_>, field: &Field) -> Option<String> {
    making.request.query.get(&format!("field.{}", field.name)).map(str::to_owned).or_else(|| {
        let default = field.default.clone()?;
        Some(if field.kind == "boolean" { if default == "true" { "1".to_owned() } else { "0".to_owned() } } else { default })
    })
}

struct Control<'c> {
    id: &'c str,
    name: &'c str,
    value: &'c str,
    described: Option<&'c str>,
    is_wrong: bool,
}

fn input(making: &Making<'_>, field: &Field, record: Option<&Record>, control: &Control<'_>) -> Markup {
    let Control { id, name, value, described, is_wrong } = control;
    let invalid = is_wrong.then_some("true");
    if field.lookup.is_some() {
        return lookup(making, field, record, control);
    }
    if is_bytes(field) {
        return file(making, field, record, control);
    }
    if has_members(field) {
        return several(field, control);
    }
    if !field.choices.is_empty() || field.kind == "boolean" {
        let offered: Vec<(String, String)> = if field.choices.is_empty() {
            vec![("1".to_owned(), "Yes".to_owned()), ("0".to_owned(), "No".to_owned())]
        } else {
            field.choices.iter().map(|choice| (choice.value.value.clone(), value::plain(field, &choice.value.value))).collect()
        };
        return select(control, &offered, !field.required || value.is_empty());
    }
    let (kind, mode) = match field.kind.as_str() {
        "multiline" | "code" | "json" => {
            return html! {
                textarea id=(id) name=(name) rows="5" maxlength=[field.max_length] aria-describedby=[*described] aria-invalid=[invalid] required[field.required] { (value) }
            };
        }
        "date" => ("date", None),
        "time" => ("time", None),
        "date-time" => ("datetime-local", None),
        "number" => ("text", Some("numeric")),
        "decimal" | "money" | "percent" => ("text", Some("decimal")),
        "email" => ("email", None),
        "phone" => ("tel", None),
        "url" => ("url", None),
        _ if is_masked(field) => ("password", None),
        _ => ("text", None),
    };
    let placeholder = (is_masked(field) && record.is_some_and(|record| record.text(&field.name).is_some())).then_some("unchanged");
    html! {
        input id=(id) name=(name) value=(value) type=(kind) inputmode=[mode] maxlength=[field.max_length] placeholder=[placeholder] autocomplete="off"
            pattern=[field.pattern.as_ref().map(|pattern| pattern.text())]
            step=[matches!(kind, "time" | "datetime-local").then_some("1")] aria-describedby=[*described] aria-invalid=[invalid] required[field.required];
    }
}

/// A picture or file to be sent, beside the one that is there.
fn file(making: &Making<'_>, field: &Field, record: Option<&Record>, control: &Control<'_>) -> Markup {
    let Control { id, name, described, is_wrong, .. } = control;
    let there = record.filter(|record| record.text(&field.name).is_some());
    let accept = (field.kind == "image").then_some("image/png,image/jpeg,image/gif,image/webp");
    let clear = format!("{id}-clear");
    // What was chosen before a mistake elsewhere.
    let kept = making.sent.typed.as_ref().filter(|_| !is_wrong).and_then(|typed| typed.0.get(&kept_as(&field.name)));
    html! {
        @if let Some(record) = there { div .there { (making.cell(field, record)) } }
        @if let Some(kept) = kept {
            input type="hidden" name=(kept_as(&field.name)) value=(kept);
            p .help role="status" { "The chosen file is kept; another one can be chosen instead." }
        }
        input type="file" id=(id) name=(name) accept=[accept] aria-describedby=[*described] aria-invalid=[is_wrong.then_some("true")];
        @if there.is_some() && !field.required {
            " " span { input type="checkbox" id=(clear) name={ "clear." (field.name) } value="1"; " " label for=(clear) { "Take it away" } }
        }
    }
}

/// A box for each choice of a field that may have several. The field's own name says that it was on the form, whatever is ticked.
fn several(field: &Field, control: &Control<'_>) -> Markup {
    let Control { id, value, described, is_wrong, .. } = control;
    let chosen = members(field, value);
    // A member that isn't offered any more stays until somebody takes it out.
    let unknown = chosen.iter().filter(|member| !field.choices.iter().any(|choice| choice.value.value == **member)).copied();
    let offered: Vec<&str> = field.choices.iter().map(|choice| choice.value.value.as_str()).chain(unknown).collect();
    html! {
        span .members id=(id) role="group" aria-describedby=[*described] aria-invalid=[is_wrong.then_some("true")] {
            input type="hidden" name={ "field." (field.name) } value="";
            @for (at, member) in offered.iter().enumerate() {
                @let box_id = format!("{id}-{at}");
                span {
                    input type="checkbox" id=(box_id) name={ "member." (field.name) } value=(member) checked[chosen.contains(member)];
                    " " label for=(box_id) { (value::plain(field, member)) } " "
                }
            }
        }
    }
}

fn select(control: &Control<'_>, offered: &[(String, String)], may_be_empty: bool) -> Markup {
    let Control { id, name, value, described, is_wrong } = control;
    html! {
        select id=(id) name=(name) aria-describedby=[*described] aria-invalid=[is_wrong.then_some("true")] {
            @if may_be_empty { option value="" selected[value.is_empty()] { (value::NOTHING) } }
            @for (offer, text) in offered { option value=(offer) selected[offer == value] { (text) } }
            // What stands there may be none of those that are offered.
            @if !value.is_empty() && !offered.iter().any(|(offer, _)| offer == value) { option value=(value) selected { (shown(value)) } }
        }
    }
}

/// What a field offers: as many as fit, or those that a text finds.
struct Offer {
    records: Vec<Record>,
    /// Whether there are more than are offered, or a text was looked for: then another one can be.
    is_searched: bool,
    sought: Option<String>,
}

impl Offer {
    fn of(making: &Making<'_>, field: &Field) -> Offer {
        let sought = making.sent.typed.as_ref().and_then(|typed| typed.0.get(&find(field))).map(str::to_owned);
        let mut records = making.source.choices(field, sought.as_deref()).map(|found| found.records).unwrap_or_default();
        let most = usize::try_from(MOST_BESIDE).unwrap_or(usize::MAX);
        let is_searched = records.len() > most || sought.is_some();
        records.truncate(most);
        Offer { records, is_searched, sought }
    }

    /// Where a text is looked for: by a button, or by script while it is typed.
    fn control(&self, making: &Making<'_>, field: &Field) -> Markup {
        html! {
            @if self.is_searched {
                span .find data-of=(id_of(making, &field.name)) {
                    input type="search" name=(find(field)) value=[self.sought.as_deref()] aria-label={ "Find: " (label(making, &field.name)) } size="12";
                    button name="find" value=(field.name) formnovalidate { "Find" }
                    " " span .found role="status" { @if self.sought.is_some() && self.records.is_empty() { "Nothing is called so." } }
                }
            }
        }
    }
}

fn find(field: &Field) -> String {
    format!("find.{}", field.name)
}

/// A lookup's records to choose from; in a large table those that a text finds.
fn lookup(making: &Making<'_>, field: &Field, record: Option<&Record>, control: &Control<'_>) -> Markup {
    let offer = Offer::of(making, field);
    let mut offered: Vec<(String, String)> = offer.records.iter().map(|one| (as_one(&one.key), narrow::title(one))).collect();
    if !control.value.is_empty() && !offered.iter().any(|(value, _)| value == control.value) {
        // The one that was chosen, however far down it stands.
        let own = record.filter(|record| held(field, record) == control.value).and_then(|record| record.text(&field.name)).map(shown);
        let text = own.or_else(|| making.source.choice(field, &values(control.value)).map(|one| narrow::title(&one)));
        offered.insert(0, (control.value.to_owned(), text.unwrap_or_else(|| shown(control.value))));
    }
    html! {
        (select(control, &offered, !field.required || control.value.is_empty()))
        (offer.control(making, field))
    }
}

/// The records that a related set may link, ticked where they are; in a large table those that a text finds.
fn links(making: &Making<'_>, field: &Field, drawn: &DrawnField, record: Option<&Record>) -> Markup {
    let linked: Vec<Record> = match record {
        Some(record) => making.source.related(field, &[record]).map(|found| found.records).unwrap_or_default(),
        None => Vec::new(),
    };
    let was: Vec<String> = linked.iter().map(|one| as_one(&one.key)).collect();
    let now = making.sent.typed.as_ref().map_or_else(|| was.clone(), |typed| typed.ticked(&field.name).0);
    let offer = Offer::of(making, field);
    // What is linked or ticked stays to be seen, however far down it stands and whatever is looked for.
    let chosen = now.iter().filter(|value| !was.contains(value)).filter_map(|value| making.source.choice(field, &values(value)));
    let chosen: Vec<Record> = linked.into_iter().chain(chosen).collect();
    // Above what is found, else where it stands among all.
    let ticks = if offer.is_searched { followed_by(chosen, &offer.records) } else { followed_by(offer.records.clone(), &chosen) };
    html! {
        fieldset .links {
            legend { (drawn.label) }
            div {
                div .ticks id=(id_of(making, &field.name)) {
                    @for (at, one) in ticks.iter().enumerate() {
                        @let (id, value) = (format!("{}-{at}", id_of(making, &field.name)), as_one(&one.key));
                        span { input type="checkbox" id=(id) name={ "related." (field.name) } value=(value) checked[now.contains(&value)]; " " label for=(id) { (narrow::title(one)) } }
                    }
                }
                (offer.control(making, field))
            }
            @for value in &was { input type="hidden" name={ "linked." (field.name) } value=(value); }
        }
    }
}

/// Records, and those of others that aren't among them.
fn followed_by(mut records: Vec<Record>, others: &[Record]) -> Vec<Record> {
    let further: Vec<Record> = others.iter().filter(|one| !records.iter().any(|other| other.key == one.key)).cloned().collect();
    records.extend(further);
    records
}
