//! Grouped pages: the groups with their totals, and the records of one group.

use super::builder::Builder;
use super::dialect::same_or_empty;
use super::lists::sorted;
use super::need::Spot;
use super::select::Select;
use super::statement::Gives;
use super::{Purpose, Statement};

/// Each group with its number of records and its totals.
pub(crate) fn groups(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    out.extend(of_select(builder, builder.select()));
}

/// The groups of what a SELECT finds.
pub(super) fn of_select<'a>(builder: &Builder<'a>, mut select: Select<'a>) -> Option<Statement> {
    let page = builder.page()?;
    // What tells a record from others is no part of a group.
    select.columns.clear();
    select.gives.clear();
    for (field, name) in builder.visible(&page.group).filter(|(f, _)| f.related.is_none()) {
        let mut own = select.field_values(field, Spot::Group, &name.place);
        let values = own.len();
        if field.lookup.is_some() {
            own.push(select.shown(field, Spot::Group, &name.place));
        }
        select.order.extend(own.last().cloned());
        select.groups.extend(own.iter().cloned());
        for (at, column) in own.into_iter().enumerate() {
            let of = field.name.clone();
            select.give_field(field, if at < values { Gives::Value(of) } else { Gives::Text(of) }, column);
        }
    }
    select.give(Gives::Count, "count(*)".to_owned());
    for (field, name) in builder.visible(&page.shown) {
        let Some(function) = field.total.as_deref().and_then(function) else { continue };
        for value in select.field_values(field, Spot::Shown, &name.place).into_iter().take(1) {
            select.give(Gives::Total(field.name.clone()), format!("{function}({value})"));
        }
        select.total(field, field.total.as_deref().unwrap_or_default(), &name.place);
    }
    Some(builder.reading(Purpose::Groups, select, ""))
}

/// The SQL of a total.
fn function(total: &str) -> Option<&'static str> {
    Some(match total {
        "sum" => "sum",
        "average" => "avg",
        "least" => "min",
        "greatest" => "max",
        "count" => "count",
        _ => return None,
    })
}

/// Narrows to one group, by `:group_1`…
pub(super) fn by_group<'a>(builder: &Builder<'a>, select: &mut Select<'a>) {
    let group = builder.page().map_or(&[][..], |page| &page.group);
    let mut number = 0;
    for (field, name) in builder.visible(group).filter(|(f, _)| f.related.is_none()) {
        for column in select.field_values(field, Spot::Group, &name.place) {
            number += 1;
            select.filters.push(same_or_empty(&column, &format!(":group_{number}"), builder.engine()));
        }
    }
}

/// The records of one group.
pub(crate) fn rows(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let Some(page) = builder.page() else { return };
    let mut select = builder.select();
    by_group(builder, &mut select);
    for (field, name) in builder.visible(&page.shown) {
        builder.read(&mut select, field, &name.place);
    }
    sorted(builder, &mut select);
    out.push(builder.reading(Purpose::GroupRows, select, ""));
}
