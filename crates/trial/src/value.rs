//! Values as people read them, by the kind of their field.

use crate::ask::{Shown, address};
use crate::form::{has_members, is_bytes, members};
use crate::reader::{Record, Source};
use maud::{Markup, html};
use ysomorph_core::definition::{Field, PageKind};
use ysomorph_core::draft::choice_label;
use ysomorph_core::name::shown;

/// What stands where there is no value.
pub const NOTHING: &str = "–";

/// A field's value in a record, as it stands on a page.
pub fn cell(source: &Source<'_>, shown_now: Shown, field: &Field, record: &Record) -> Markup {
    let Some(text) = record.text(&field.name) else { return html! { span .nothing { (NOTHING) } } };
    if is_bytes(field) && !field.sensitive && source.reading().holds_bytes(field) && !record.key.is_empty() {
        let to = bytes_address(source, shown_now, field, record);
        return html! {
            a href=(to) { @if field.kind == "image" { img .thumbnail src=(to) alt=(plain(field, text)) loading="lazy"; } @else { (plain(field, text)) } }
        };
    }
    if let Some(to) = target(source, shown_now, field, record) {
        return html! { a href=(to) { (shown(text)) } };
    }
    value(field, text)
}

/// A value of a field.
pub fn value(field: &Field, text: &str) -> Markup {
    let plain = plain(field, text);
    match field.kind.as_str() {
        _ if !field.choices.is_empty() => html! { (plain) },
        "email" => html! { a href={ "mailto:" (text) } { (plain) } },
        // Any other scheme could be a script.
        "url" if text.starts_with("https://") || text.starts_with("http://") => {
            html! { a href=(text) rel="noopener noreferrer" { (plain) } }
        }
        "multiline" | "code" | "json" => html! { span .long { (plain) } },
        "number" | "decimal" | "money" | "percent" => {
            html! { (plain) @if let Some(unit) = &field.unit { " " span .unit { (shown(&unit.value)) } } }
        }
        "image" | "file" => html! { span .nothing { (plain) } },
        _ => html! { (plain) },
    }
}

/// A value as text.
pub fn plain(field: &Field, text: &str) -> String {
    if has_members(field) && text.contains(',') {
        return members(field, text).into_iter().map(|member| plain(field, member)).collect::<Vec<_>>().join(", ");
    }
    if let Some(choice) = field.choices.iter().find(|choice| choice.value.value == text) {
        return shown(&choice.label.clone().unwrap_or_else(|| choice_label(text)));
    }
    match field.kind.as_str() {
        "boolean" => match text.to_ascii_lowercase().as_str() {
            "1" | "true" | "t" => "Yes".to_owned(),
            "0" | "false" | "f" => "No".to_owned(),
            _ => shown(text),
        },
        "image" => "Picture".to_owned(),
        "file" => "File".to_owned(),
        "decimal" | "money" | "percent" => field.decimals.and_then(|places| rounded(text, places)).unwrap_or_else(|| shown(text)),
        // Lines stay lines.
        "multiline" | "code" | "json" => text.lines().map(shown).collect::<Vec<_>>().join("\n"),
        _ => shown(text),
    }
}

/// A number with so many decimals: cut or filled up where nothing is lost by that, else as it is.
fn rounded(text: &str, places: i64) -> Option<String> {
    let places = usize::try_from(places).ok()?;
    let (whole, part) = text.split_once('.').unwrap_or((text, ""));
    if !whole.trim_start_matches('-').bytes().all(|b| b.is_ascii_digit()) || !part.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    let kept = part.trim_end_matches('0');
    if kept.len() > places {
        return None;
    }
    Some(if places == 0 { whole.to_owned() } else { format!("{whole}.{kept:0<places$}") })
}

/// Where a field leads: the page of the record it points at, where whoever looks may use it.
fn target(source: &Source<'_>, shown_now: Shown, field: &Field, record: &Record) -> Option<String> {
    let lookup = field.lookup.as_ref()?;
    // By other columns than its key a record has no address.
    let target = source.version.model.entities.get(&lookup.entity.value)?;
    let by_key = lookup.value.is_empty() || lookup.value.iter().map(|c| &c.value).eq(target.key.iter().map(|c| &c.value));
    let key: Vec<String> = record.values.get(&field.name)?.iter().cloned().collect::<Option<_>>()?;
    if !by_key || key.len() != target.key.len() {
        return None;
    }
    let page = source.version.page_of_kind(&target.name, PageKind::Detail, source.viewer.role.as_deref())?;
    Some(address(shown_now, &target.name, &page.name, &key))
}

/// Where the bytes of a picture or file are.
fn bytes_address(source: &Source<'_>, shown_now: Shown, field: &Field, record: &Record) -> String {
    let which = if shown_now == Shown::Both { Shown::One(crate::site::Which::After) } else { shown_now };
    let whole = address(which, &source.entity.name, &source.page.name, &record.key);
    let (path, query) = whole.split_once('?').unwrap_or((&whole, ""));
    let name: String = form_urlencoded::byte_serialize(field.name.as_bytes()).collect();
    format!("{path}/bytes?field={name}&{query}")
}

/// Whether a field's values stand at the right.
pub fn is_number(field: &Field) -> bool {
    field.lookup.is_none() && field.choices.is_empty() && ["number", "decimal", "money", "percent"].contains(&field.kind.as_str())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_is_never_changed_by_how_it_is_shown() {
        for (text, places, wanted) in [
            ("12.5", 2, Some("12.50")),
            ("12.500", 2, Some("12.50")),
            ("12.505", 2, None),
            ("7", 2, Some("7.00")),
            ("7.00", 0, Some("7")),
            ("-0.5", 1, Some("-0.5")),
            ("1e9", 2, None),
            ("NaN", 2, None),
        ] {
            assert_eq!(rounded(text, places).as_deref(), wanted, "{text}");
        }
    }
}
