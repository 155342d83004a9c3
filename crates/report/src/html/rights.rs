//! Who may see and do what, before and after the merge.

use crate::Report;
use crate::wording::plural;
use maud::{Markup, html};
use std::collections::BTreeMap;
use ysomorph_core::access::{Access, Rights};
use ysomorph_core::name::shown;

pub(super) fn rights(report: &Report) -> Option<Markup> {
    if report.access.is_empty() {
        return None;
    }
    let compares = report.access.iter().any(|a| a.after.is_some());
    let mut entities: BTreeMap<&str, Vec<&Access>> = BTreeMap::new();
    for one in &report.access {
        entities.entry(&one.entity).or_default().push(one);
    }
    let is_touched = |all: &Vec<&Access>| {
        all.iter().any(|a| !a.wider.is_empty() || !a.narrower.is_empty() || a.before.is_none() || compares && a.after.is_none())
    };
    let (touched, same): (Vec<_>, Vec<_>) = entities.into_iter().partition(|(_, all)| is_touched(all));
    let wider: usize = report.access.iter().map(|a| a.wider.len()).sum();
    Some(html! {
        @if compares {
            @if wider == 0 {
                p .proof { "Nobody may see or do more than before: every role's records, actions, pages and fields of every entity that was there were compared, before and after the merge." }
            } @else {
                p .proof .wider { (plural(wider, "right is", "rights are")) " wider after the merge than before: they are marked below." }
            }
        }
        @if !touched.is_empty() { (table(&touched, compares)) }
        @if compares && touched.is_empty() { p { "Nothing of it changes." } }
        @if !same.is_empty() {
            @if touched.is_empty() && same.len() <= 12 {
                (table(&same, compares))
            } @else {
                details { summary { (plural(same.len(), "entity", "entities")) " with the same rights as before" } (table(&same, compares)) }
            }
        }
    })
}

fn table(entities: &[(&str, Vec<&Access>)], compares: bool) -> Markup {
    html! {
        div .scroll tabindex="0" role="region" aria-label="Rights by entity and role" {
            table .rights {
                thead { tr { th scope="col" { "Entity" } th scope="col" { "Role" } th scope="col" { "Records" } th scope="col" { "Actions" } th scope="col" { "Hidden" } th scope="col" { "Read-only" }
                    @if compares { th scope="col" { "The merge" } } } }
                @for (entity, all) in entities {
                    tbody {
                        @for (at, one) in all.iter().enumerate() {
                            tr data-of-entity=(shown(entity)) {
                                @if at == 0 { th scope="rowgroup" rowspan=(all.len()) { (shown(entity)) } }
                                th scope="row" { (shown(&one.role)) }
                                (cells(one))
                                @if compares { td { (verdict(one)) } }
                            }
                        }
                    }
                }
            }
        }
    }
}

fn cells(one: &Access) -> Markup {
    let parts: [&dyn Fn(&Rights) -> String; 4] =
        [&|r| shown(&r.records.words()), &|r| r.actions.join(", "), &|r| shown(&r.hidden.join(", ")), &|r| shown(&r.read_only.join(", "))];
    html! {
        @for part in parts {
            td { @match (one.before.as_ref().map(part), one.after.as_ref().map(part)) {
                (Some(before), Some(after)) if before != after => { del { (or_none(&before)) } " " ins { (or_none(&after)) } }
                (Some(only), _) | (None, Some(only)) => { (or_none(&only)) }
                (None, None) => {}
            } }
        }
    }
}

fn or_none(text: &str) -> &str {
    if text.is_empty() { "–" } else { text }
}

fn verdict(one: &Access) -> Markup {
    html! {
        @if !one.wider.is_empty() { span .severity.break { "✕ wider: " (shown(&one.wider.join("; "))) } }
        @if !one.narrower.is_empty() { span .narrower { "narrower: no longer " (shown(&one.narrower.join("; "))) } }
        @if one.before.is_none() { "new" }
        @if one.after.is_none() { "gone" }
    }
}
