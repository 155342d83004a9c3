//! What one user's statements of a page, import or export are made from.

use super::need::{Need, Spot, Use, Why};
use super::select::Select;
use super::statement::Gives;
use super::{Purpose, Statement};
use crate::definition::{Access, Entity, Field, Model, Page, Place, Spanned};
use crate::schema::{Engine, Schema};

/// What one user's statements are made from.
#[derive(Clone, Copy)]
pub struct Builder<'a> {
    /// The definition.
    pub(super) model: &'a Model,
    /// The entity.
    pub(super) entity: &'a Entity,
    pub(super) page: Option<&'a Page>,
    /// The role's access; absent where there are no roles, and for writes.
    pub(super) user: Option<&'a Access>,
    /// The schema the application was made for.
    pub(super) known: &'a Schema,
    /// Whether everything is read as texts.
    pub(super) texts: bool,
    /// Fields to do without.
    pub(super) without: &'a [String],
}

impl<'a> Builder<'a> {
    /// Of a page.
    pub(super) fn of_page(
        model: &'a Model,
        entity: &'a Entity,
        page: &'a Page,
        user: Option<&'a Access>,
        known: &'a Schema,
    ) -> Builder<'a> {
        Builder { model, entity, page: Some(page), user, known, texts: false, without: &[] }
    }

    /// Of an entity without a page.
    pub(super) fn of_entity(model: &'a Model, entity: &'a Entity, user: Option<&'a Access>, known: &'a Schema) -> Builder<'a> {
        Builder { model, entity, page: None, user, known, texts: false, without: &[] }
    }

    /// The page, if there is one.
    pub fn page(&self) -> Option<&'a Page> {
        self.page
    }

    /// The engine whose dialect is written.
    pub fn engine(&self) -> Engine {
        self.known.engine
    }

    /// The fields on the page.
    pub(super) fn shown(&self) -> &'a [Spanned<String>] {
        self.page.map_or(&[], |page| &page.shown)
    }

    /// The fields a list of names stands for: those that exist, aren't hidden and may be seen by the user.
    pub(super) fn visible(&self, names: &'a [Spanned<String>]) -> impl Iterator<Item = (&'a Field, &'a Spanned<String>)> + use<'a> {
        let (entity, user, without) = (self.entity, self.user, self.without);
        names.iter().filter_map(move |name| {
            let field = entity.field(name.value.strip_prefix('-').unwrap_or(&name.value))?;
            let hidden = field.hidden || user.is_some_and(|user| user.hides(&field.name)) || without.contains(&field.name);
            (!hidden).then_some((field, name))
        })
    }

    pub(super) fn statement(&self, purpose: Purpose, sql: String, uses: Vec<Use>) -> Statement {
        Statement { purpose, role: self.user.map(|u| u.role.clone()), sql, uses, gives: Vec::new() }
    }

    /// The statement that a SELECT is.
    pub(super) fn reading(&self, purpose: Purpose, select: Select<'a>, tail: &str) -> Statement {
        let sql = select.sql(&select.columns, tail);
        Statement { gives: select.gives, ..self.statement(purpose, sql, select.uses) }
    }

    /// The access the user's role has to another entity: `Some(None)` where there are no roles.
    pub(super) fn access_to(&self, entity: &'a Entity) -> Option<Option<&'a Access>> {
        match self.user {
            None => Some(None),
            Some(user) => entity.access_of(&user.role).filter(|a| a.read).map(Some),
        }
    }

    /// A SELECT over an entity, for the reason given.
    pub(super) fn over(&self, entity: &'a Entity, why: Why, place: &Place) -> Select<'a> {
        let mut select = Select::over(self.model, self.known, entity, why, place);
        (select.texts, select.role) = (self.texts, self.user.map(|user| user.role.as_str()));
        select
    }

    /// A SELECT over the page's entity with the role's rows and the page's condition, reading the key.
    pub(super) fn select(&self) -> Select<'a> {
        let mut select = self.over(self.entity, Why::Entity, &self.entity.table.place);
        select.rows_of(self.user);
        if let Some(condition) = self.page.and_then(|page| page.condition.as_ref()) {
            select.condition(condition, Why::PageCondition);
        }
        for key in &self.entity.key {
            let column = select.own(&key.value, Why::Key, &key.place);
            select.give(Gives::Key, column);
        }
        select
    }

    /// Reads a field with everything people see of it; a related set is a statement of its own.
    pub(super) fn read(&self, select: &mut Select<'a>, field: &'a Field, place: &Place) {
        if field.related.is_some() {
            return;
        }
        let own = select.field_values(field, Spot::Shown, place);
        for value in own {
            select.give_field(field, Gives::Value(field.name.clone()), value);
        }
        if field.lookup.is_some() {
            let text = select.shown(field, Spot::Shown, place);
            select.give_field(field, Gives::Text(field.name.clone()), text);
        }
    }

    /// The place of the page, else of the entity.
    pub(super) fn place(&self) -> &'a Place {
        self.page.map_or(&self.entity.place, |page| &page.place)
    }

    /// The table the entity writes to.
    pub(super) fn table_need(&self) -> Use {
        Use { need: Need::Table(self.entity.table.value.clone()), why: Why::Entity, place: self.entity.table.place.clone() }
    }
}
