//! List pages: rows, count, one statement per search field, filter and sort.

use super::builder::{Builder, Select};
use super::dialect::as_text;
use super::forms;
use super::need::Spot;
use super::{Purpose, Statement};
use crate::definition::Field;

/// Everything a list page reads.
pub(super) fn reads<'a>(builder: &Builder<'a>, out: &mut Vec<Statement>) {
    let page = builder.page;
    let base = |out: &mut Vec<Statement>, purpose: Purpose, add: &dyn Fn(&mut Select<'a>)| {
        let mut select = builder.select();
        add(&mut select);
        let columns = select.columns.clone();
        let sql = match purpose {
            Purpose::Count => select.sql(&["count(*)".to_owned()], ""),
            _ => select.sql(&columns, " LIMIT :limit OFFSET :offset"),
        };
        out.push(builder.statement(purpose, sql, select.uses));
    };
    base(out, Purpose::Rows, &|select| {
        for (field, name) in builder.visible(&page.shown) {
            let own = select.field_columns(field, Spot::Shown, &name.place);
            select.columns.extend(own);
            if field.lookup.is_some() {
                let text = select.shown(field, Spot::Shown, &name.place);
                select.columns.push(text);
            }
        }
        for (field, name) in builder.visible(&page.sort) {
            let text = select.shown(field, Spot::Sort, &name.place);
            select.order.push(if name.value.starts_with('-') { format!("{text} DESC") } else { text });
        }
    });
    base(out, Purpose::Count, &|_| {});
    for (field, name) in builder.visible(&page.search) {
        base(out, Purpose::Search(field.name.clone()), &|select| {
            let text = select.shown(field, Spot::Search, &name.place);
            select.filters.push(format!("{} LIKE :search", as_text(&text, builder.engine)));
        });
    }
    let mut chosen: Vec<&Field> = Vec::new();
    for (field, name) in builder.visible(&page.filter) {
        base(out, Purpose::Filter(field.name.clone()), &|select| {
            for (at, column) in select.field_columns(field, Spot::Filter, &name.place).into_iter().enumerate() {
                select.filters.push(format!("{column} = :value_{}", at + 1));
            }
        });
        chosen.push(field);
    }
    for (field, name) in builder.visible(&page.sort) {
        base(out, Purpose::Sort(field.name.clone()), &|select| {
            let text = select.shown(field, Spot::Sort, &name.place);
            select.order.push(text);
        });
    }
    for field in chosen {
        out.extend(forms::choices_of(builder, field));
    }
}
