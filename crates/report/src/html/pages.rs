//! Each broken page as people would meet it, now and after the merge.

use super::words::{anchor, prose};
use crate::report::MOST_DRAWN;
use crate::{PageRecords, Report, Scene};
use maud::{Markup, html};
use std::collections::BTreeMap;
use ysomorph_core::definition::Model;
use ysomorph_core::drawing::{Drawing, DrawingInput, DrawnField};
use ysomorph_core::impact::Finding;
use ysomorph_core::name::shown;

pub(super) fn pages(report: &Report) -> Option<Markup> {
    let scene = report.scene.as_deref()?;
    let findings = report.findings.as_deref().unwrap_or_default();
    let broken = report.broken_pages();
    let has_records = scene.records.iter().any(|all| !all.is_empty());
    if broken.is_empty() {
        return None;
    }
    let (now, after) = (by_entity(findings), by_entity(&scene.left));
    Some(html! {
        p { "Each page that can't work, " @if scene.after.is_some() { "as it is and as the merge leaves it; " } "what is broken is hatched and named. "
            @if has_records { "The records are the database's." } @else { "Grey bars stand for records." } }
        @for (entity, page) in report.drawn_pages() { (beside(scene, entity, page, &now, &after)) }
        @if broken.len() > MOST_DRAWN {
            p { "These can't work either: "
                (broken.iter().skip(MOST_DRAWN).map(|(entity, page)| format!("{}/{}", shown(entity), shown(page))).collect::<Vec<_>>().join(", ")) "." }
        }
    })
}

type ByEntity<'f> = BTreeMap<&'f str, Vec<Finding>>;

/// Drawing one page looks at its entity's findings alone.
fn by_entity(findings: &[Finding]) -> ByEntity<'_> {
    let mut found: ByEntity<'_> = BTreeMap::new();
    for finding in findings {
        found.entry(finding.entity.as_deref().unwrap_or_default()).or_default().push(finding.clone());
    }
    found
}

fn beside(scene: &Scene, entity: &str, page: &str, now: &ByEntity<'_>, after: &ByEntity<'_>) -> Markup {
    let translations = BTreeMap::new();
    let draw = |model: &Model, findings: &ByEntity<'_>, records: &PageRecords| {
        let own = model.entities.get(entity)?;
        let page = own.pages.iter().find(|p| p.name == page)?;
        let findings = findings.get(entity).map_or(&[][..], Vec::as_slice);
        let records = records.get(&(entity.to_owned(), page.name.clone())).cloned().unwrap_or_default();
        Some(Drawing { records, ..DrawingInput { model, findings, role: None, translations: &translations }.draw(own, page) })
    };
    let [of_now, of_after] = &scene.records;
    let id = anchor("page", &[entity, page]);
    html! {
        article .pair id=(id) data-entity=(shown(entity)) data-page=(shown(page)) {
            h3 { a href={ "#" (id) } { (shown(entity)) "/" (shown(page)) } }
            div .frames {
                @if let Some(drawing) = draw(&scene.now, now, of_now) { (frame("Now", &drawing)) }
                @if let Some(model) = &scene.after {
                    @match draw(model, after, of_after) {
                        Some(drawing) => { (frame("After the merge", &drawing)) }
                        None => { figure .frame { figcaption { "After the merge" } p .gone { "This page is set aside, and comes back with what it hung on." } } }
                    }
                }
            }
        }
    }
}

fn frame(when: &str, drawing: &Drawing) -> Markup {
    let fields = || drawing.sections.iter().flat_map(|(_, fields)| fields);
    let count = fields().filter(|f| f.broken.is_some()).count()
        + drawing.broken.len()
        + drawing.children.iter().filter(|c| c.broken.is_some()).count();
    let texts = texts_of(drawing);
    html! {
        figure .frame {
            figcaption { (when) @if count > 0 { span .severity.break { " ✕ broken" } } @else { span .works { " works" } } }
            div .window {
                div .bar { (shown(&drawing.label)) }
                @for message in &drawing.broken { p .broken { "✕ " (prose(message)) } }
                @for (tool, labels) in &drawing.tools { p .tool { span { (tool) } " " (shown(&labels.join(" · "))) } }
                @if matches!(drawing.layout, "rows" | "groups") { (rows(&format!("{}, {when}", shown(&drawing.label)), &fields().collect::<Vec<_>>(), &drawing.records)) }
                @else { @for (title, fields) in &drawing.sections { (section(title, fields, &texts)) } }
                @for child in &drawing.children {
                    p .child.broken[child.broken.is_some()] {
                        b { (shown(&child.label)) } " " (shown(&child.fields.join(" · ")))
                        @if let Some(why) = &child.broken { span .why { "✕ " (prose(why)) } }
                    }
                }
            }
        }
    }
}

/// The texts of the one record that a page shows, by field; of one without a value an empty one.
fn texts_of(drawing: &Drawing) -> BTreeMap<&str, &str> {
    let fields = drawing.sections.iter().flat_map(|(_, fields)| fields).filter(|field| field.kind != "related");
    let texts = drawing.records.first().into_iter().flatten();
    fields.zip(texts).map(|(field, text)| (field.name.as_str(), text.as_deref().unwrap_or_default())).collect()
}

/// A list: a column for each field, and records or bars for them.
fn rows(name: &str, fields: &[&DrawnField], records: &[Vec<Option<String>>]) -> Markup {
    let texts = |record: &[Option<String>]| {
        let mut texts = record.iter().cloned();
        fields.iter().map(|field| if field.kind == "related" { None } else { texts.next().flatten() }).collect::<Vec<_>>()
    };
    html! {
        div .scroll tabindex="0" role="region" aria-label={ "Columns of " (name) } {
            table .records {
                thead { tr { @for field in fields { th scope="col" .broken[field.broken.is_some()] { (shown(&field.label)) } } } }
                @if !records.is_empty() {
                    tbody { @for record in records { tr {
                        @for (field, text) in fields.iter().zip(texts(record)) { td .broken[field.broken.is_some()] { (shown(&text.unwrap_or_default())) } }
                    } } }
                } @else { tbody aria-hidden="true" {
                    @for _ in 0..2 { tr { @for field in fields { td .broken[field.broken.is_some()] { span .stub {} } } } }
                } }
            }
        }
        @for message in fields.iter().filter_map(|f| f.broken.as_ref()) { p .broken { "✕ " (prose(message)) } }
    }
}

/// A form or record: a line for each field.
fn section(title: &str, fields: &[DrawnField], texts: &BTreeMap<&str, &str>) -> Markup {
    html! {
        @if !title.is_empty() { p .section { (shown(title)) } }
        dl .fields {
            @for field in fields {
                div .broken[field.broken.is_some()] {
                    dt { (shown(&field.label)) }
                    dd { span .box { @if let Some(text) = texts.get(field.name.as_str()) { (shown(text)) } @else if field.remarks.is_empty() { span .stub {} } @else { (shown(&field.remarks.join("; "))) } }
                        @if let Some(message) = &field.broken { span .why { "✕ " (prose(message)) } } }
                }
            }
        }
    }
}
