//! Child lists: the records that point at the one shown.

use super::builder::Builder;
use super::need::{Read, Why};
use super::statement::Gives;
use super::{Purpose, Statement};
use crate::definition::{Child, Field};

/// Each child list of the page whose entity the user may read.
pub(crate) fn lists(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let Some(page) = builder.page() else { return };
    for child in &page.children {
        out.extend(list(builder, child));
    }
}

pub(super) fn list(builder: &Builder<'_>, child: &Child) -> Option<Statement> {
    let entity = builder.model.entities.get(&child.entity.value)?;
    let access = builder.access_to(entity)?;
    let by = entity.field(&child.by.value)?;
    let why = Why::Child { entity: entity.name.clone(), by: by.name.clone() };
    let mut select = builder.over(entity, why.clone(), &child.entity.place);
    select.rows_of(access);
    for key in &entity.key {
        let column = select.own(&key.value, why.clone(), &child.entity.place);
        select.give(Gives::Key, column);
    }
    let value = by.lookup.as_ref().map_or(&[][..], |lookup| &lookup.value);
    let pointed_at = by.lookup.as_ref().and_then(|lookup| builder.model.entities.get(&lookup.entity.value)).unwrap_or(builder.entity);
    for (column, to) in by.columns.iter().zip(pointed_at.referenced(value)) {
        let read = Read::of(entity, &column.value);
        select.uses.extend(builder.needs_of_record_column(builder.entity, &to.value, read, &why, &child.by.place));
        let column = select.own(&column.value, why.clone(), &child.by.place);
        select.filters.push(format!("{column} = {}", builder.column_of_record(builder.entity, &to.value, "key")));
    }
    for column in &by.columns {
        select.ordered(&column.value, why.clone(), &child.by.place);
    }
    let seen = |name: &str| -> Option<&Field> {
        let field = entity.field(name)?;
        (!field.hidden && field.related.is_none() && !access.is_some_and(|a| a.hides(name))).then_some(field)
    };
    let why_field = |field: &Field| {
        let (entity, by) = (entity.name.clone(), by.name.clone());
        Why::ChildField { entity, by, field: field.name.clone() }
    };
    for name in &child.fields {
        if let Some(field) = seen(&name.value) {
            let text = select.shown_for(field, &why_field(field), &name.place);
            if let Some(text) = text {
                select.give_field(field, Gives::Text(field.name.clone()), text);
            }
        }
    }
    for name in &child.sort {
        if let Some(field) = seen(name.value.strip_prefix('-').unwrap_or(&name.value)) {
            let text = select.shown_for(field, &why_field(field), &name.place);
            // A lookup is sorted by its text.
            if let (Some(column), None, None) = (field.columns.first(), &field.lookup, &field.formula) {
                select.ordered(&column.value, why_field(field), &name.place);
            }
            select.order.extend(text.map(|t| if name.value.starts_with('-') { format!("{t} DESC") } else { t }));
        }
    }
    Some(builder.reading(Purpose::Children(entity.name.clone(), by.name.clone()), select, ""))
}
