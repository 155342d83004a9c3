//! Changes met by the elements that lean on what changed: where rules about changes begin. Work grows with the changes
//! and with what leans on each of them.

use super::met::{MetEntity, MetField, MetLimits};
use super::{Context, code};
use crate::changes::{Change, ChangeKind};
use crate::definition::{Entity, Field, Lookup, Page, PageKind};
use crate::draft::Declared;
use crate::name;
use crate::schema::{Column, Operation, Table};
use crate::statements::{self, Need};
use std::collections::{BTreeMap, BTreeSet};

impl<'a> Context<'a> {
    /// The changes of these kinds, with their index.
    pub fn changes(&self, kinds: &[ChangeKind]) -> impl Iterator<Item = (usize, &'a Change)> {
        self.input.comparison.changes.iter().enumerate().filter(|(_, change)| kinds.contains(&change.kind))
    }

    /// The entities over a table, by the name that was accepted.
    pub fn entities_over(&self, table: &str) -> &[&'a Entity] {
        self.by_table.get(&name::fold(table)).map_or(&[], Vec::as_slice)
    }

    /// A table of the accepted schema as it is now, under the name it is presumed to have, where it can be read.
    pub fn table_now(&self, table: &str) -> Option<&'a Table> {
        self.input.changed.table(self.names.table(table)).filter(|t| t.broken.is_none())
    }

    /// A column of the accepted schema as it is now.
    pub fn column_now(&self, table: &str, column: &str) -> Option<&'a Column> {
        self.table_now(table)?.column(self.names.column(table, column))
    }

    /// Columns of the accepted schema under the names they are presumed to have.
    pub fn columns_now(&self, table: &str, columns: &[String]) -> Vec<String> {
        columns.iter().map(|c| self.names.column(table, c).to_owned()).collect()
    }

    /// The name a table of the accepted schema is presumed to have now.
    pub fn table_name_now<'n>(&'n self, table: &'n str) -> &'n str {
        self.names.table(table)
    }

    /// The name that a table of the changed schema had.
    pub fn table_name_before<'n>(&'n self, table: &'n str) -> &'n str {
        self.names.table_renames().find(|(_, to)| name::same(to, table)).map_or(table, |(from, _)| from)
    }

    /// The name a column of the accepted schema is presumed to have now.
    pub fn name_now<'n>(&'n self, table: &str, column: &'n str) -> &'n str {
        self.names.column(table, column)
    }

    /// The table and column that one of the changed schema was, where it was renamed.
    pub fn column_before(&self, table: &str, column: &str) -> Option<(String, String)> {
        let before = self.table_name_before(table);
        let renamed = self.names.column_renames().find(|(of, _, to)| name::same(of, before) && name::same(to, column));
        renamed.map(|(_, from, _)| (before.to_owned(), from.to_owned()))
    }

    /// The first change of these kinds to a table whose text names a column, such as a key's or a check's.
    pub fn cause_about(&self, table: &str, column: &str, kinds: &[ChangeKind]) -> Option<usize> {
        let says = |text: &Option<String>| text.as_deref().is_some_and(|text| code::mentions(text, self.name_now(table, column)));
        self.changes(kinds).find(|(_, c)| name::same(&c.table, table) && (says(&c.before) || says(&c.after))).map(|(at, _)| at)
    }

    /// The first change whose old name stands in a text.
    pub fn cause_mentioned(&self, text: &str) -> Option<usize> {
        let named = |change: &Change| code::lost_name(change).is_some_and(|name| code::mentions(text, name));
        self.input.comparison.changes.iter().position(named)
    }

    /// Whether a renamed name is called so now.
    pub fn may_turn(&self, old: &str, new: &str) -> bool {
        self.names.may_turn(old, new)
    }

    /// The lookups of an entity: field, lookup, its columns as accepted and as they are called now.
    pub fn lookups_of(&self, entity: &'a Entity) -> impl Iterator<Item = (&'a Field, &'a Lookup, Vec<String>, Vec<String>)> {
        entity.fields.iter().filter_map(|field| {
            let columns: Vec<String> = field.columns.iter().map(|c| c.value.clone()).collect();
            let now = self.columns_now(&entity.table.value, &columns);
            Some((field, field.lookup.as_ref()?, columns, now))
        })
    }

    /// The lookups that point at an entity.
    pub fn lookups_to(&self, entity: &str) -> impl Iterator<Item = (&'a Entity, &'a Field)> {
        self.lookups_to.get(entity).into_iter().flatten().copied()
    }

    /// The child lists of an entity's records by one of its lookups: the other entity and its page.
    pub fn child_lists(&self, entity: &str, by: &str) -> Vec<(&'a Entity, &'a Page)> {
        let lists = |page: &&Page| page.children.iter().any(|c| c.is_of(entity, by));
        self.entities().flat_map(|parent| parent.pages.iter().filter(lists).map(move |page| (parent, page))).collect()
    }

    /// The privileges on a table that a page's statements for a role need.
    pub fn privileges(&self, entity: &Entity, page: &Page, role: &str, table: &str) -> BTreeSet<&'static str> {
        let mut statements = statements::of_page(self.model, entity, page, self.input.accepted);
        statements.retain(|s| s.role.as_deref().is_none_or(|known| known == role));
        let needed = statements.iter().flat_map(|s| &s.uses).filter_map(|used| match &used.need {
            Need::Table(t) | Need::Column { table: t, select: None, .. } if name::same(t, table) => Some("SELECT"),
            Need::Write { table: t, operation, .. } if name::same(t, table) => Some(match operation {
                Operation::Insert => "INSERT",
                Operation::Update => "UPDATE",
                Operation::Delete => "DELETE",
            }),
            _ => None,
        });
        needed.collect()
    }

    /// Changes of these kinds, met by entities whose table is there before and after.
    pub fn met_entities(&self, kinds: &[ChangeKind]) -> Vec<MetEntity<'a>> {
        let mut met = Vec::new();
        for (at, change) in self.changes(kinds).filter(|(_, change)| !change.table.is_empty()) {
            for entity in self.entities_over(&change.table) {
                let tables = self.input.accepted.table(&change.table).zip(self.table_now(&change.table));
                met.extend(tables.map(|(before, after)| MetEntity { at, change, entity, before, after }));
            }
        }
        met
    }

    /// Changes of these kinds to columns, met by the fields that hold them. A changed type of the database is met by the
    /// columns of that type.
    pub fn met_fields(&self, kinds: &[ChangeKind]) -> Vec<MetField<'a>> {
        let mut met = Vec::new();
        for (at, change) in self.changes(kinds) {
            match &change.column {
                Some(column) => {
                    for entity in self.entities_over(&change.table) {
                        let fields = entity.fields.iter().filter(|f| f.columns.iter().any(|c| name::same(&c.value, column)));
                        let columns = self.input.accepted.column(&change.table, column).zip(self.column_now(&change.table, column));
                        let Some((before, after)) = columns else { continue };
                        met.extend(fields.map(|field| MetField { at, change, entity, field, before, after }));
                    }
                }
                None if matches!(change.kind, ChangeKind::EnumChanged | ChangeKind::DomainChanged) => self.of_type(at, change, &mut met),
                None => {}
            }
        }
        met
    }

    /// The fields over columns of a type that changed.
    fn of_type(&self, at: usize, change: &'a Change, met: &mut Vec<MetField<'a>>) {
        let Some(object) = &change.object else { return };
        for entity in self.entities() {
            let Some(table) = self.input.accepted.table(&entity.table.value) else { continue };
            for field in &entity.fields {
                for before in field.columns.iter().filter_map(|c| table.column(&c.value)) {
                    let declared = before.column_type.domain.as_deref().unwrap_or(&before.column_type.original);
                    if name::same(&name::read_table(declared), object)
                        && let Some(after) = self.column_now(&table.name, &before.name)
                    {
                        met.push(MetField { at, change, entity, field, before, after });
                    }
                }
            }
        }
    }

    /// The fields whose declared values, bounds or lengths differ now, each with the first change that may be why.
    pub fn met_limits(&self) -> &[MetLimits<'a>] {
        &self.limits
    }

    /// Gathers them: what constraints say is read once a table, however many changes and fields it has.
    pub(super) fn gather_limits(&self) -> Vec<MetLimits<'a>> {
        use ChangeKind::{CheckAdded, CheckDropped, DomainChanged, EnumChanged, TypeChanged};
        let mut met = self.met_fields(&[TypeChanged, EnumChanged, DomainChanged]);
        for table in self.met_entities(&[CheckAdded, CheckDropped]) {
            for field in &table.entity.fields {
                let columns = field.columns.iter().filter_map(|c| table.before.column(&c.value));
                met.extend(columns.filter_map(|before| {
                    let after = self.column_now(&table.before.name, &before.name)?;
                    Some(MetField { at: table.at, change: table.change, entity: table.entity, field, before, after })
                }));
            }
        }
        let mut declared: BTreeMap<&str, [Vec<(String, Declared)>; 2]> = BTreeMap::new();
        let mut known: BTreeSet<(&str, &str)> = BTreeSet::new();
        let mut found = Vec::new();
        for met in met {
            let table = met.entity.table.value.as_str();
            let Some((before, after)) = self.input.accepted.table(table).zip(self.table_now(table)) else { continue };
            let of_table = || [Declared::of_table(self.input.accepted, before), Declared::of_table(self.input.changed, after)];
            let [old, new] = declared.entry(table).or_insert_with(of_table);
            let of = |all: &[(String, Declared)], column: &Column| {
                all.iter().find(|(known, _)| name::same(known, &column.name)).map(|(_, d)| d.clone()).unwrap_or_default()
            };
            let (before, after) = (of(old, met.before), of(new, met.after));
            if before != after && known.insert((&met.entity.name, &met.field.name)) {
                found.push(MetLimits { met, before, after });
            }
        }
        found
    }

    /// The pages of an entity that show a field.
    pub fn pages_with(&self, entity: &Entity, field: &str, wanted: impl Fn(&Page) -> bool) -> Vec<String> {
        let shows = |page: &&Page| page.shown.iter().any(|f| f.value == field) && wanted(page);
        entity.pages.iter().filter(shows).map(|p| p.name.clone()).collect()
    }

    /// The pages that save a field: none where it is read-only.
    pub fn forms(&self, entity: &Entity, field: &Field) -> Vec<String> {
        if entity.read_only || field.hidden || !field.is_stored() {
            return Vec::new();
        }
        self.pages_with(entity, &field.name, |page| page.kind.saves() && (!field.read_only || page.kind == PageKind::Add))
    }
}

impl MetField<'_> {
    /// `entity.field`, as messages name it.
    pub fn name(&self) -> String {
        name::shown(&self.field.name)
    }
}
