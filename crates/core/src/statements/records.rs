//! One record by its key, and what can be chosen on a form.

use super::builder::Builder;
use super::dialect::{as_text, like};
use super::need::Why;
use super::statement::Gives;
use super::{Purpose, Statement};
use crate::definition::{Entity, Field, Spanned};

/// The record by key, with its title, version and fields.
pub(crate) fn record(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let mut select = builder.select();
    let keys = select.columns.clone();
    select.filters.extend(keys.iter().enumerate().map(|(at, key)| format!("{key} = :key_{}", at + 1)));
    for key in &builder.entity.key {
        select.ordered(&key.value, Why::Key, &key.place);
    }
    if let Some(version) = builder.entity.version.as_ref().filter(|_| builder.page().is_some_and(|p| p.kind.saves())) {
        let column = select.own(&version.value, Why::Version, &version.place);
        select.give(Gives::Version, column);
    }
    if let Some(title) = select.title() {
        select.give(Gives::Title, title);
    }
    for (field, name) in builder.visible(builder.shown()) {
        builder.read(&mut select, field, &name.place);
    }
    out.push(builder.reading(Purpose::Record, select, ""));
}

/// The choices of each lookup and related set on the form.
pub(crate) fn choices(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    for (field, _) in builder.visible(builder.shown()) {
        if !field.read_only {
            out.extend(choices_of(builder, field));
        }
    }
}

/// What a field's choices are read from.
struct Pointed<'a> {
    entity: &'a Spanned<String>,
    value: &'a [Spanned<String>],
    show: Option<&'a Spanned<String>>,
    order: &'a [Spanned<String>],
    condition: Option<&'a Spanned<String>>,
}

/// What can be chosen for a lookup or related set; nothing for other fields, nor where the role can't read the target.
pub(super) fn choices_of(builder: &Builder<'_>, field: &Field) -> Option<Statement> {
    choices_with(builder, field, Of::All)
}

/// Which choices are read.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Of {
    /// All of them.
    All,
    /// Those whose text has `:search` in it.
    Found,
    /// The one of `:value_1`…
    One,
}

/// Some of what can be chosen.
pub(super) fn choices_with(builder: &Builder<'_>, field: &Field, of: Of) -> Option<Statement> {
    let pointed = match (&field.lookup, &field.related) {
        (Some(lookup), _) => Pointed {
            entity: &lookup.entity,
            value: &lookup.value,
            show: lookup.show.as_ref(),
            order: &lookup.order,
            condition: lookup.condition.as_ref(),
        },
        (None, Some(related)) => Pointed { entity: &related.entity, value: &[], show: related.show.as_ref(), order: &[], condition: None },
        (None, None) => return None,
    };
    let target: &Entity = builder.model.entities.get(&pointed.entity.value)?;
    let access = builder.access_to(target)?;
    let name = || field.name.clone();
    let mut select = builder.over(target, Why::LookupTarget { field: name() }, &pointed.entity.place);
    select.rows_of(access);
    if let Some(condition) = pointed.condition {
        select.condition(condition, Why::LookupCondition { field: name() });
    }
    let value = target.referenced(pointed.value);
    for column in value {
        let place = if pointed.value.is_empty() { &pointed.entity.place } else { &column.place };
        let column = select.own(&column.value, Why::LookupValue { field: name() }, place);
        if of == Of::One {
            select.filters.push(format!("{column} = :value_{}", select.columns.len() + 1));
        }
        select.give(Gives::Key, column);
    }
    let display = |named: String| Why::Display { field: name(), named };
    if let Some(template) = pointed.show.or(target.title.as_ref()) {
        let text = select.own_template(template, &display);
        if of == Of::Found {
            select.filters.push(like(&as_text(&text, builder.engine()), ":search", builder.engine()));
        }
        // Whoever chooses looks for a text.
        if builder.texts && pointed.order.is_empty() {
            select.order.push(text.clone());
        }
        select.give(Gives::Title, text);
    }
    for sorted in pointed.order {
        let wanted = sorted.value.strip_prefix('-').unwrap_or(&sorted.value);
        let Some(known) = target.field(wanted).filter(|f| !f.hidden && f.is_stored()) else { continue };
        for column in &known.columns {
            select.ordered(&column.value, display(wanted.to_owned()), &sorted.place);
            let column = select.own(&column.value, display(wanted.to_owned()), &sorted.place);
            select.order.push(if sorted.value.starts_with('-') { format!("{column} DESC") } else { column });
        }
    }
    Some(builder.reading(Purpose::Choices(field.name.clone()), select, ""))
}
