//! Builds SELECT statements piece by piece, noting each need beside the SQL it stands for.

use super::dialect::{joined, literal, or_empty};
use super::need::{Need, Spot, Use, Why};
use super::{Purpose, Statement};
use crate::definition::{Access, Entity, Field, Lookup, Model, Page, Place, Spanned};
use crate::name::{quoted_for as quoted, same};
use crate::schema::Engine;
use crate::sql::{self, Part};

/// Templates may lead from lookup to lookup this far, and never to an entity they come from: then the value
/// itself is shown.
const DEPTH: usize = 3;

/// What a page of one user is built from.
pub(super) struct Builder<'a> {
    pub model: &'a Model,
    pub entity: &'a Entity,
    pub page: &'a Page,
    /// The role's access; absent where there are no roles, and for writes.
    pub user: Option<&'a Access>,
    pub engine: Engine,
}

impl<'a> Builder<'a> {
    /// The fields a list of names stands for: those that exist, aren't hidden and may be seen by the user.
    pub fn visible(&self, names: &'a [Spanned<String>]) -> impl Iterator<Item = (&'a Field, &'a Spanned<String>)> {
        names.iter().filter_map(|name| {
            let field = self.entity.field(name.value.strip_prefix('-').unwrap_or(&name.value))?;
            let hidden = field.hidden || self.user.is_some_and(|user| user.hides(&field.name));
            (!hidden).then_some((field, name))
        })
    }

    pub fn statement(&self, purpose: Purpose, sql: String, uses: Vec<Use>) -> Statement {
        Statement { purpose, role: self.user.map(|u| u.role.clone()), sql, uses }
    }

    /// The access the user's role has to another entity: `Some(None)` where there are no roles.
    pub fn access_to(&self, entity: &'a Entity) -> Option<Option<&'a Access>> {
        match self.user {
            None => Some(None),
            Some(user) => entity.access_of(&user.role).filter(|a| a.read).map(Some),
        }
    }

    /// A SELECT over the page's entity with the role's rows and the page's condition.
    pub fn select(&self) -> Select<'a> {
        let mut select = Select::over(self.model, self.engine, self.entity, Why::Entity, self.entity.table.place.clone());
        if let Some(rows) = self.user.and_then(|u| u.rows.as_ref()) {
            let role = self.user.map(|u| u.role.clone()).unwrap_or_default();
            select.condition(rows, Why::Rows { role });
        }
        if let Some(condition) = &self.page.condition {
            select.condition(condition, Why::PageCondition);
        }
        for key in &self.entity.key {
            let column = select.column("r", &self.entity.table.value, key.value.as_str(), Why::Key, &key.place);
            select.columns.push(column);
        }
        select
    }
}

/// A SELECT in the making.
pub(super) struct Select<'a> {
    model: &'a Model,
    engine: Engine,
    entity: &'a Entity,
    pub columns: Vec<String>,
    conditions: Vec<String>,
    /// Table and condition; `@` stands for the join's own alias.
    joins: Vec<(String, String)>,
    pub filters: Vec<String>,
    pub order: Vec<String>,
    pub uses: Vec<Use>,
    rowid: bool,
}

impl<'a> Select<'a> {
    /// Over an entity's table, under the alias `r`.
    pub fn over(model: &'a Model, engine: Engine, entity: &'a Entity, why: Why, place: Place) -> Select<'a> {
        let uses = vec![Use { need: Need::Table(entity.table.value.clone()), why, place }];
        Select {
            model,
            engine,
            entity,
            columns: vec![],
            conditions: vec![],
            joins: vec![],
            filters: vec![],
            order: vec![],
            uses,
            rowid: false,
        }
    }

    /// A condition over the table's own columns, applied before anything is joined.
    pub fn condition(&mut self, text: &Spanned<String>, why: Why) {
        // The line break ends a comment the fragment may end with.
        self.conditions.push(format!("({}\n)", text.value));
        self.uses.push(Use {
            need: Need::Condition { table: self.entity.table.value.clone(), text: text.value.clone() },
            why,
            place: text.place.clone(),
        });
    }

    /// A column, qualified.
    pub fn column(&mut self, alias: &str, table: &str, column: &str, why: Why, place: &Place) -> String {
        self.rowid |= alias == "r" && ["rowid", "oid", "_rowid_"].iter().any(|n| same(n, column));
        self.uses.push(Use { need: Need::Column { table: table.to_owned(), column: column.to_owned() }, why, place: place.clone() });
        format!("{}.{}", quoted(alias, self.engine), quoted(column, self.engine))
    }

    /// A field's own columns.
    pub fn field_columns(&mut self, field: &Field, spot: Spot, place: &Place) -> Vec<String> {
        let table = self.entity.table.value.clone();
        let why = Why::Field { field: field.name.clone(), spot };
        field.columns.iter().map(|c| self.column("r", &table, &c.value, why.clone(), place)).collect()
    }

    /// What people see of a field: its value, or a lookup's shown text.
    pub fn shown(&mut self, field: &'a Field, spot: Spot, place: &Place) -> String {
        let own = self.field_columns(field, spot, place);
        let first = own.first().cloned().unwrap_or_else(|| "NULL".to_owned());
        match &field.lookup {
            Some(lookup) => self.lookup_text(lookup, &field.name, &own, None, &[]).unwrap_or(first),
            None => first,
        }
    }

    /// The entity's title.
    pub fn title(&mut self) -> Option<String> {
        let title = self.entity.title.as_ref()?;
        Some(self.template(title, self.entity, "r", &|named| Why::Title { named }, &[&self.entity.name]))
    }

    /// A template's text over the columns of `entity` under `alias`.
    pub fn template(
        &mut self,
        template: &Spanned<String>,
        entity: &'a Entity,
        alias: &str,
        why: &dyn Fn(String) -> Why,
        chain: &[&str],
    ) -> String {
        let mut parts = Vec::new();
        for part in sql::parse_template(&template.value).parts {
            match part {
                Part::Text(text) => parts.push(literal(&text, self.engine)),
                Part::Field { field, at, of } => {
                    let place = template.inside(at.start);
                    let named = of.as_ref().map_or_else(|| field.clone(), |(inner, _)| format!("{field}.{inner}"));
                    let Some(known) = entity.field(&field).filter(|f| !f.hidden) else { continue };
                    let text = match of {
                        None => self.text_of(known, entity, alias, &place, &why(named), chain),
                        Some((inner, _)) => self.text_through(known, &inner, entity, alias, &place, &why(named), chain),
                    };
                    parts.extend(text.map(|t| or_empty(&t, self.engine)));
                }
            }
        }
        joined(&parts, self.engine)
    }

    /// The readable text of a field of the entity under `alias`.
    fn text_of(&mut self, field: &'a Field, entity: &'a Entity, alias: &str, place: &Place, why: &Why, chain: &[&str]) -> Option<String> {
        let own: Vec<String> =
            field.columns.iter().map(|c| self.column(alias, &entity.table.value, &c.value, why.clone(), place)).collect();
        let first = own.first().cloned();
        match &field.lookup {
            Some(lookup) if chain.len() < DEPTH => self.lookup_text(lookup, &field.name, &own, Some((why, place)), chain).or(first),
            _ => first,
        }
    }

    /// The readable text of a field of the entity that a lookup points at.
    #[allow(clippy::too_many_arguments, reason = "one step of a recursion whose state these are")]
    fn text_through(
        &mut self,
        field: &'a Field,
        inner: &str,
        entity: &'a Entity,
        alias: &str,
        place: &Place,
        why: &Why,
        chain: &[&str],
    ) -> Option<String> {
        let own: Vec<String> =
            field.columns.iter().map(|c| self.column(alias, &entity.table.value, &c.value, why.clone(), place)).collect();
        let lookup = field.lookup.as_ref()?;
        let target = self.model.entities.get(&lookup.entity.value)?;
        let joined = self.join(lookup, target, &own, why.clone(), why, place);
        let inner = target.field(inner).filter(|f| !f.hidden)?;
        self.text_of(inner, target, &joined, place, why, &[chain, &[&target.name]].concat())
    }

    /// The shown text of a lookup whose own columns are given. `around` is the template it is part of, if any:
    /// then what is missing is that template's trouble.
    fn lookup_text(
        &mut self,
        lookup: &'a Lookup,
        field: &str,
        own: &[String],
        around: Option<(&Why, &Place)>,
        chain: &[&str],
    ) -> Option<String> {
        let target = self.model.entities.get(&lookup.entity.value).filter(|t| !chain.contains(&t.name.as_str()))?;
        let (target_why, value_why, place) = match around {
            Some((why, place)) => (why.clone(), why.clone(), place),
            None => (Why::LookupTarget { field: field.to_owned() }, Why::LookupValue { field: field.to_owned() }, &lookup.entity.place),
        };
        let alias = self.join(lookup, target, own, target_why, &value_why, place);
        let template = lookup.show.as_ref().or(target.title.as_ref())?;
        let display = |named: String| match around {
            Some((why, _)) => why.clone(),
            None => Why::Display { field: field.to_owned(), named },
        };
        Some(self.template(template, target, &alias, &display, &[chain, &[&target.name]].concat()))
    }

    /// Joins a lookup's target once; returns its alias.
    fn join(&mut self, lookup: &Lookup, target: &Entity, own: &[String], target_why: Why, value_why: &Why, place: &Place) -> String {
        let table = target.table.value.clone();
        let value = if lookup.value.is_empty() { &target.key } else { &lookup.value };
        let alias = format!("l{}", self.joins.len() + 1);
        self.uses.push(Use { need: Need::Table(table.clone()), why: target_why, place: place.clone() });
        let mut pairs: Vec<String> = Vec::new();
        for (own, value) in own.iter().zip(value) {
            let column =
                self.column(&alias, &table, &value.value, value_why.clone(), if lookup.value.is_empty() { place } else { &value.place });
            pairs.push(format!("{column} = {own}"));
        }
        let condition = if pairs.is_empty() { "1 = 0".to_owned() } else { pairs.join(" AND ") };
        // The same target over the same columns is joined once.
        let own_condition = condition.replace(&format!("{}.", quoted(&alias, self.engine)), "@.");
        if let Some(known) = self.joins.iter().position(|(joined, on)| *joined == table && *on == own_condition) {
            return format!("l{}", known + 1);
        }
        self.joins.push((table, own_condition));
        alias
    }

    /// The finished statement.
    pub fn sql(&self, columns: &[String], tail: &str) -> String {
        let table = quoted(&self.entity.table.value, self.engine);
        let own = quoted("r", self.engine);
        let from = if self.conditions.is_empty() {
            format!("{table} AS {own}")
        } else {
            let star = if self.rowid { "rowid, *" } else { "*" };
            format!("(SELECT {star} FROM {table} WHERE {}) AS {own}", self.conditions.join(" AND "))
        };
        let columns = if columns.is_empty() { "1".to_owned() } else { columns.join(", ") };
        let mut sql = format!("SELECT {columns} FROM {from}");
        for (at, (table, on)) in self.joins.iter().enumerate() {
            let alias = quoted(&format!("l{}", at + 1), self.engine);
            sql.push_str(&format!(" LEFT JOIN {} AS {alias} ON {}", quoted(table, self.engine), on.replace("@.", &format!("{alias}."))));
        }
        if !self.filters.is_empty() {
            sql.push_str(&format!(" WHERE {}", self.filters.join(" AND ")));
        }
        if !self.order.is_empty() {
            sql.push_str(&format!(" ORDER BY {}", self.order.join(", ")));
        }
        sql.push_str(tail);
        sql
    }
}
