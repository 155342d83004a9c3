//! Lists: rows, count, one statement for each search field, filter and sort.

use super::builder::Builder;
use super::dialect::{as_text, like};
use super::need::Spot;
use super::records;
use super::select::Select;
use super::{Purpose, Statement};

fn push<'a>(builder: &Builder<'a>, out: &mut Vec<Statement>, purpose: Purpose, add: &dyn Fn(&mut Select<'a>)) {
    let mut select = builder.select();
    add(&mut select);
    out.push(match purpose {
        Purpose::Count => {
            let sql = select.sql(&["count(*)".to_owned()], "");
            builder.statement(purpose, sql, select.uses)
        }
        _ => builder.reading(purpose, select, " LIMIT :limit OFFSET :offset"),
    });
}

/// A page of records with their fields, and how many there are.
pub(crate) fn rows(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    push(builder, out, Purpose::Rows, &|select| {
        for (field, name) in builder.visible(builder.shown()) {
            builder.read(select, field, &name.place);
        }
        sorted(builder, select);
    });
    push(builder, out, Purpose::Count, &|_| {});
}

/// A few records as people see them.
pub(super) fn sample(builder: &Builder<'_>, records: u32) -> Statement {
    let mut select = builder.select();
    let mut columns = Vec::new();
    for (field, name) in builder.visible(builder.shown()).filter(|(f, _)| f.related.is_none()) {
        let text = select.shown(field, Spot::Shown, &name.place);
        columns.push(match field.kind.as_str() {
            "image" | "file" => format!("CASE WHEN {text} IS NULL THEN NULL ELSE '({})' END", field.kind),
            _ => as_text(&text, builder.engine()),
        });
    }
    sorted(builder, &mut select);
    let sql = select.sql(&columns, &format!(" LIMIT {records}"));
    builder.statement(Purpose::Rows, sql, select.uses)
}

/// The page's own order.
pub(super) fn sorted<'a>(builder: &Builder<'a>, select: &mut Select<'a>) {
    let Some(page) = builder.page() else { return };
    for (field, name) in builder.visible(&page.sort).filter(|(f, _)| f.related.is_none()) {
        let text = select.shown(field, Spot::Sort, &name.place);
        select.order.push(if name.value.starts_with('-') { format!("{text} DESC") } else { text });
    }
}

/// The same records searched, filtered and sorted by each field that offers it, and the choices of each filter.
pub(crate) fn narrowed(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let Some(page) = builder.page() else { return };
    for (field, name) in builder.visible(&page.search).filter(|(f, _)| f.related.is_none()) {
        push(builder, out, Purpose::Search(field.name.clone()), &|select| {
            let text = select.shown(field, Spot::Search, &name.place);
            select.filters.push(like(&as_text(&text, builder.engine()), ":search", builder.engine()));
        });
    }
    for (field, name) in builder.visible(&page.filter).filter(|(f, _)| f.related.is_none()) {
        push(builder, out, Purpose::Filter(field.name.clone()), &|select| {
            for (at, column) in select.field_values(field, Spot::Filter, &name.place).into_iter().enumerate() {
                select.filters.push(format!("{column} = :value_{}", at + 1));
            }
        });
    }
    for (field, name) in builder.visible(&page.sort).filter(|(f, _)| f.related.is_none()) {
        push(builder, out, Purpose::Sort(field.name.clone()), &|select| {
            let text = select.shown(field, Spot::Sort, &name.place);
            select.order.push(text);
        });
    }
    for (field, _) in builder.visible(&page.filter) {
        out.extend(records::choices_of(builder, field));
    }
}
