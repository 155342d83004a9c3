//! Grouped pages: the groups with their totals, and the records of one group.

use super::builder::Builder;
use super::dialect::same_or_empty;
use super::lists::sorted;
use super::need::Spot;
use super::{Purpose, Statement};

/// Each group with its number of records and its totals.
pub(crate) fn groups(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let Some(page) = builder.page() else { return };
    let mut select = builder.select();
    let mut columns = Vec::new();
    for (field, name) in builder.visible(&page.group).filter(|(f, _)| f.related.is_none()) {
        let mut own = select.field_values(field, Spot::Group, &name.place);
        if field.lookup.is_some() {
            own.push(select.shown(field, Spot::Group, &name.place));
        }
        select.order.extend(own.last().cloned());
        select.groups.extend(own.iter().cloned());
        columns.extend(own);
    }
    columns.push("count(*)".to_owned());
    for (field, name) in builder.visible(&page.shown) {
        let Some(function) = field.total.as_deref().and_then(function) else { continue };
        for value in select.field_values(field, Spot::Shown, &name.place).into_iter().take(1) {
            columns.push(format!("{function}({value})"));
        }
        select.total(field, field.total.as_deref().unwrap_or_default(), &name.place);
    }
    let sql = select.sql(&columns, "");
    out.push(builder.statement(Purpose::Groups, sql, select.uses));
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

/// The records of one group.
pub(crate) fn rows(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let Some(page) = builder.page() else { return };
    let mut select = builder.select();
    for (field, name) in builder.visible(&page.group).filter(|(f, _)| f.related.is_none()) {
        for column in select.field_values(field, Spot::Group, &name.place) {
            let number = select.filters.len() + 1;
            select.filters.push(same_or_empty(&column, &format!(":group_{number}"), builder.engine()));
        }
    }
    for (field, name) in builder.visible(&page.shown) {
        builder.read(&mut select, field, &name.place);
    }
    sorted(builder, &mut select);
    let columns = select.columns.clone();
    let sql = select.sql(&columns, "");
    out.push(builder.statement(Purpose::GroupRows, sql, select.uses));
}
