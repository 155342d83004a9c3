//! Builds SELECT statements piece by piece, noting each need beside the SQL it stands for.

use super::dialect::{as_text, literal};
use super::need::{Need, Read, Spot, Use, Why};
use super::relation::Relation;
use super::statement::Gives;
use super::title_text::{self, Piece};
use crate::definition::{Access, Entity, Field, Lookup, Model, Place, Spanned};
use crate::name::quoted_for as quoted;
use crate::schema::{Engine, Schema};
use crate::sql::{self, Part};

/// Templates may lead from lookup to lookup this far, and never to an entity they come from: then the value
/// itself is shown.
const DEPTH: usize = 3;

/// What stands for a value that nobody should see.
pub(crate) const MASK: &str = "•••";

/// A SELECT in the making.
pub(super) struct Select<'a> {
    model: &'a Model,
    engine: Engine,
    entity: &'a Entity,
    pub columns: Vec<String>,
    /// What each of them gives.
    pub gives: Vec<Gives>,
    /// Whether every column is read as text.
    pub texts: bool,
    /// Whose statement it is: a title leaves out what the role never sees.
    pub role: Option<&'a str>,
    own: Relation<'a>,
    /// An inner join right behind the entity, as SQL.
    pub through: Option<String>,
    /// What is joined and on what; `@` stands for the join's own alias.
    joins: Vec<(Relation<'a>, String)>,
    pub filters: Vec<String>,
    pub groups: Vec<String>,
    pub order: Vec<String>,
    pub uses: Vec<Use>,
}

/// Where a value is read: an entity under an alias.
#[derive(Clone, Copy)]
struct Here<'a, 'n> {
    entity: &'a Entity,
    alias: &'n str,
    place: &'n Place,
    why: &'n Why,
    /// Entities passed on the way here.
    chain: &'n [&'n str],
}

impl<'a> Select<'a> {
    /// Over an entity, under the alias `r`.
    pub fn over(model: &'a Model, known: &'a Schema, entity: &'a Entity, why: Why, place: &Place) -> Select<'a> {
        let mut select = Select {
            model,
            engine: known.engine,
            entity,
            columns: vec![],
            gives: vec![],
            texts: false,
            role: None,
            own: Relation::of(entity),
            through: None,
            joins: vec![],
            filters: vec![],
            groups: vec![],
            order: vec![],
            uses: vec![],
        };
        select.stands(entity, why, place);
        select
    }

    /// Notes that an entity's table, or the query that stands in for it, is read.
    fn stands(&mut self, entity: &Entity, why: Why, place: &Place) {
        let table = entity.table.value.clone();
        let (need, why, place) = match &entity.source.select {
            Some(select) => (Need::Statement { table, text: select.value.clone() }, Why::Source { part: "select" }, &select.place),
            None => (Need::Table(table), why, place),
        };
        self.uses.push(Use { need, why, place: place.clone() });
    }

    /// A role's rows of the entity.
    pub fn rows_of(&mut self, access: Option<&'a Access>) {
        if let Some((access, rows)) = access.and_then(|a| Some((a, a.rows.as_ref()?))) {
            self.condition(rows, Why::Rows { role: access.role.clone() });
        }
    }

    /// A condition over the entity's own columns, applied before anything is joined.
    pub fn condition(&mut self, text: &Spanned<String>, why: Why) {
        self.raw_condition(format!("({}\n)", text.value), text, why);
    }

    /// The same, where the SQL isn't the person's text alone.
    pub fn raw_condition(&mut self, sql: String, text: &Spanned<String>, why: Why) {
        self.own.conditions.push(sql);
        self.needs_condition(self.entity, text, why);
    }

    fn needs_condition(&mut self, entity: &Entity, text: &Spanned<String>, why: Why) {
        let need = Need::Condition { table: entity.table.value.clone(), select: select_of(entity), text: text.value.clone() };
        self.uses.push(Use { need, why, place: text.place.clone() });
    }

    /// A column of the entity, qualified.
    pub fn own(&mut self, column: &str, why: Why, place: &Place) -> String {
        self.column(self.entity, "r", column, why, place)
    }

    /// A column of an entity under an alias.
    fn column(&mut self, entity: &Entity, alias: &str, column: &str, why: Why, place: &Place) -> String {
        let need = Need::Column { table: entity.table.value.clone(), select: select_of(entity), column: column.to_owned() };
        self.uses.push(Use { need, why, place: place.clone() });
        if let Some(relation) = self.relation(alias).filter(|_| entity.source.select.is_none()) {
            relation.reads(column);
        }
        self.qualified(alias, column)
    }

    /// What stands in FROM under an alias.
    fn relation(&mut self, alias: &str) -> Option<&mut Relation<'a>> {
        match alias.strip_prefix('l').and_then(|n| n.parse::<usize>().ok()) {
            Some(number) => self.joins.get_mut(number.checked_sub(1)?).map(|(relation, _)| relation),
            None => Some(&mut self.own),
        }
    }

    fn qualified(&self, alias: &str, column: &str) -> String {
        format!("{}.{}", quoted(alias, self.engine), quoted(column, self.engine))
    }

    /// A field's own values: its columns, or its formula.
    pub fn field_values(&mut self, field: &'a Field, spot: Spot, place: &Place) -> Vec<String> {
        if let Some(formula) = &field.formula {
            let column = self.own.formula(field);
            self.needs_condition(self.entity, formula, Why::Formula { field: field.name.clone() });
            return vec![self.qualified("r", &column)];
        }
        let why = Why::Field { field: field.name.clone(), spot };
        if matches!(spot, Spot::Sort | Spot::Group | Spot::Filter) {
            for column in &field.columns {
                self.ordered(&column.value, why.clone(), place);
            }
        }
        field.columns.iter().map(|c| self.own(&c.value, why.clone(), place)).collect()
    }

    /// What people see of a field: its value, or a lookup's shown text.
    pub fn shown(&mut self, field: &'a Field, spot: Spot, place: &Place) -> String {
        let own = self.field_values(field, spot, place);
        let first = own.first().cloned().unwrap_or_else(|| "NULL".to_owned());
        match &field.lookup {
            Some(lookup) => self.lookup_text(lookup, (self.entity, field), &own, None, &[]).unwrap_or(first),
            None => first,
        }
    }

    /// What people see of a field, where all that is missing is one element's trouble.
    pub fn shown_for(&mut self, field: &'a Field, why: &Why, place: &Place) -> Option<String> {
        self.text_of(field, Here { entity: self.entity, alias: "r", place, why, chain: &[] })
    }

    /// The entity's title.
    pub fn title(&mut self) -> Option<String> {
        let title = self.entity.title.as_ref()?;
        Some(self.template(title, self.entity, "r", &|named| Why::Title { named }, &[&self.entity.name]))
    }

    /// A template's text over the columns of the entity itself.
    pub fn own_template(&mut self, template: &Spanned<String>, why: &dyn Fn(String) -> Why) -> String {
        self.template(template, self.entity, "r", why, &[&self.entity.name])
    }

    /// A template's text over the columns of `entity` under `alias`.
    fn template(
        &mut self,
        template: &Spanned<String>,
        entity: &'a Entity,
        alias: &str,
        why: &dyn Fn(String) -> Why,
        chain: &[&str],
    ) -> String {
        let mut pieces = Vec::new();
        for part in sql::parse_template(&template.value).parts {
            match part {
                Part::Text(text) => pieces.push(Piece::Text(text)),
                Part::Field { field, at, of } => {
                    let place = template.inside(at.start);
                    let named = of.as_ref().map_or_else(|| field.clone(), |(inner, _)| format!("{field}.{inner}"));
                    let Some(known) = entity.field(&field).filter(|f| !self.is_hidden(entity, f)) else { continue };
                    if self.texts && is_masked(known) {
                        pieces.push(Piece::Value(literal(MASK, self.engine)));
                        continue;
                    }
                    let why = why(named);
                    let here = Here { entity, alias, place: &place, why: &why, chain };
                    let text = match of {
                        None => self.text_of(known, here),
                        Some((inner, _)) => self.text_through(known, &inner, here),
                    };
                    pieces.extend(text.map(Piece::Value));
                }
            }
        }
        title_text::text(pieces, self.engine)
    }

    /// Whether nobody sees a field, or the role doesn't.
    fn is_hidden(&self, entity: &Entity, field: &Field) -> bool {
        field.hidden || self.role.and_then(|role| entity.access_of(role)).is_some_and(|access| access.hides(&field.name))
    }

    /// The values of a field of the entity under an alias.
    fn values(&mut self, field: &'a Field, here: Here<'a, '_>) -> Vec<String> {
        if let Some(formula) = &field.formula {
            let Some(column) = self.relation(here.alias).map(|r| r.formula(field)) else { return Vec::new() };
            self.needs_condition(here.entity, formula, here.why.clone());
            return vec![self.qualified(here.alias, &column)];
        }
        field.columns.iter().map(|c| self.column(here.entity, here.alias, &c.value, here.why.clone(), here.place)).collect()
    }

    /// The readable text of a field of the entity under an alias.
    fn text_of(&mut self, field: &'a Field, here: Here<'a, '_>) -> Option<String> {
        let own = self.values(field, here);
        let first = own.first().cloned();
        match &field.lookup {
            Some(lookup) if here.chain.len() < DEPTH => {
                self.lookup_text(lookup, (here.entity, field), &own, Some((here.why, here.place)), here.chain).or(first)
            }
            _ => first,
        }
    }

    /// The readable text of a field of the entity that a lookup points at.
    fn text_through(&mut self, field: &'a Field, inner: &str, here: Here<'a, '_>) -> Option<String> {
        let own = self.values(field, here);
        let lookup = field.lookup.as_ref()?;
        let target = self.model.entities.get(&lookup.entity.value)?;
        let joined = self.join((here.entity, field), target, &own, here.why.clone(), here.why, here.place)?;
        let inner = target.field(inner).filter(|f| !(self.is_hidden(target, f) || self.texts && is_masked(f)))?;
        let chain = [here.chain, &[&target.name]].concat();
        self.text_of(inner, Here { entity: target, alias: &joined, chain: &chain, ..here })
    }

    /// The shown text of a lookup of an entity's field, whose own columns are given as SQL. `around` is the template it is part of, if any:
    /// then what is missing is that template's trouble.
    fn lookup_text(
        &mut self,
        lookup: &'a Lookup,
        from: (&Entity, &Field),
        own: &[String],
        around: Option<(&Why, &Place)>,
        chain: &[&str],
    ) -> Option<String> {
        let target = self.model.entities.get(&lookup.entity.value).filter(|t| !chain.contains(&t.name.as_str()))?;
        let (target_why, value_why, place) = match around {
            Some((why, place)) => (why.clone(), why.clone(), place),
            None => {
                let field = || from.1.name.clone();
                (Why::LookupTarget { field: field() }, Why::LookupValue { field: field() }, &lookup.entity.place)
            }
        };
        let alias = self.join(from, target, own, target_why, &value_why, place)?;
        let template = lookup.show.as_ref().or(target.title.as_ref())?;
        let display = |named: String| match around {
            Some((why, _)) => why.clone(),
            None => Why::Display { field: from.1.name.clone(), named },
        };
        Some(self.template(template, target, &alias, &display, &[chain, &[&target.name]].concat()))
    }

    /// Joins the target of an entity's lookup once; returns its alias. `own` are the lookup's columns as SQL.
    fn join(
        &mut self,
        (entity, field): (&Entity, &Field),
        target: &'a Entity,
        own: &[String],
        target_why: Why,
        value_why: &Why,
        place: &Place,
    ) -> Option<String> {
        let lookup = field.lookup.as_ref()?;
        let value = target.referenced(&lookup.value);
        let alias = format!("l{}", self.joins.len() + 1);
        self.stands(target, target_why, place);
        let mut pairs: Vec<String> = Vec::new();
        for (at, (own, value)) in own.iter().zip(value).enumerate() {
            let value_place = if lookup.value.is_empty() { place } else { &value.place };
            let column = self.column(target, &alias, &value.value, value_why.clone(), value_place);
            pairs.push(format!("{column} = {own}"));
            // A formula's type can't be told.
            if let Some(own) = field.columns.get(at).filter(|_| field.formula.is_none()) {
                let need = Need::Compared { this: Read::of(entity, &own.value), with: Read::of(target, &value.value) };
                self.uses.push(Use { need, why: value_why.clone(), place: value_place.clone() });
            }
        }
        let condition = if pairs.is_empty() { "1 = 0".to_owned() } else { pairs.join(" AND ") };
        // The same target over the same columns is joined once.
        let own_condition = condition.replace(&format!("{}.", quoted(&alias, self.engine)), "@.");
        if let Some(known) = self.joins.iter().position(|(joined, on)| joined.entity.name == target.name && *on == own_condition) {
            return Some(format!("l{}", known + 1));
        }
        self.joins.push((Relation::of(target), own_condition));
        Some(alias)
    }

    /// Adds a column.
    pub fn give(&mut self, gives: Gives, sql: String) {
        self.columns.push(sql);
        if self.texts {
            self.gives.push(gives);
        }
    }

    /// Adds a column of a field: what nobody should see, and what is no text, is only said to be there.
    pub fn give_field(&mut self, field: &Field, gives: Gives, sql: String) {
        let stands_for = match field.kind.as_str() {
            _ if !self.texts => None,
            "image" | "file" => Some(field.kind.as_str()),
            _ if is_masked(field) => Some(MASK),
            _ => None,
        };
        match stands_for {
            Some(text) => self.give(gives, format!("CASE WHEN {sql} IS NULL THEN NULL ELSE {} END", literal(text, self.engine))),
            None => self.give(gives, sql),
        }
    }

    /// Notes that records of the entity are sorted or found by a column of their own.
    pub fn ordered(&mut self, column: &str, why: Why, place: &Place) {
        self.uses.push(Use { need: Need::Ordered(Read::of(self.entity, column)), why, place: place.clone() });
    }

    /// Notes that a field's values are added up.
    pub fn total(&mut self, field: &Field, total: &str, place: &Place) {
        for column in field.columns.iter().take(1) {
            let need = Need::Total { of: Read::of(self.entity, &column.value), total: total.to_owned() };
            self.uses.push(Use { need, why: Why::Field { field: field.name.clone(), spot: Spot::Shown }, place: place.clone() });
        }
    }

    /// The finished statement.
    pub fn sql(&self, columns: &[String], tail: &str) -> String {
        let columns = match columns {
            [] => "1".to_owned(),
            all if self.texts => all.iter().map(|c| as_text(c, self.engine)).collect::<Vec<_>>().join(", "),
            all => all.join(", "),
        };
        let mut sql = format!("SELECT {columns} FROM {}", self.own.sql("r", self.engine));
        sql.extend(self.through.iter().map(String::as_str));
        for (at, (relation, on)) in self.joins.iter().enumerate() {
            let alias = format!("l{}", at + 1);
            let on = on.replace("@.", &format!("{}.", quoted(&alias, self.engine)));
            sql.push_str(&format!(" LEFT JOIN {} ON {on}", relation.sql(&alias, self.engine)));
        }
        for (word, parts, between) in [("WHERE", &self.filters, " AND "), ("GROUP BY", &self.groups, ", "), ("ORDER BY", &self.order, ", ")]
        {
            if !parts.is_empty() {
                sql.push_str(&format!(" {word} {}", parts.join(between)));
            }
        }
        sql.push_str(tail);
        sql
    }
}

/// Whether a field's value is shown to nobody who only reads.
pub(super) fn is_masked(field: &Field) -> bool {
    field.sensitive || field.kind == "password"
}

fn select_of(entity: &Entity) -> Option<String> {
    entity.source.select.as_ref().map(|s| s.value.clone())
}
