//! What the generator writes for a schema: entities, fields, lookups, labels, pages, a menu, access.
//!
//! The same schema, conventions and names give the same tree. Drafts leave defaults out. Names in use are
//! taken over, so that a field a person renamed is still the same element.

mod alike;
mod constraints;
mod context;
mod conventions;
mod entity;
mod explain;
mod fields;
mod given;
mod joins;
mod keys;
mod kind;
mod labels;
mod made;
mod measures;
mod menu;
mod names;
mod notes;
mod pages;
mod referable;
mod references;
mod routines;
mod sections;
mod steady;
mod titles;

pub use constraints::Declared;
pub use conventions::{Conventions, LabelCase, MenuEntities};
pub use explain::{Explained, explained};
pub use labels::{field_label, of_value as choice_label, unit_of};
pub use made::Made;
pub use names::{NamesInUse, wanted_name};
pub use notes::{Doubt, Guess, Note, worth_a_look};

use crate::definition::{Asleep, FileKey, Node, Tree, rename_mentions};
use crate::name;
use crate::schema::{Schema, Table, TableKind};
use context::{Context, Drafted, Title};
use fields::AlikeFields;
use given::Names;
use joins::{Join, Linked};
use made::Lookups;
use rayon::prelude::*;
use referable::Referable;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What a draft is made from, beside the schema.
#[derive(Debug, Clone)]
pub struct DraftInput<'a> {
    /// How drafts are made.
    pub conventions: &'a Conventions,
    /// Entity and field names to take over.
    pub names: &'a NamesInUse,
    /// The role that may do everything; absent where the definition has none.
    pub open_to: Option<&'a str>,
    /// The application's title.
    pub title: &'a str,
    /// What another draft by the same conventions and names made.
    pub earlier: Option<&'a Made>,
}

/// A drafted definition.
#[derive(Debug, Clone, Default)]
pub struct Draft {
    /// Its files.
    pub tree: Tree,
    /// By entity over a view whose key is a guess: the view, and keys it may have, the guess first.
    pub keys: BTreeMap<String, (String, Vec<Vec<String>>)>,
    /// The fields, for another draft.
    pub made: Made,
    /// By entity that isn't open and wasn't drafted: the same number in two drafts where both would draft the same file.
    pub signs: BTreeMap<String, u64>,
}

/// Drafts a whole definition, but for the entities in it that aren't open.
pub fn draft(schema: &Schema, plan: &DraftInput<'_>) -> Draft {
    built(schema, plan, |_, draft| draft)
}

/// Drafts a whole definition and gives it to `then`, with what it was drafted from.
fn built<R>(schema: &Schema, plan: &DraftInput<'_>, then: impl FnOnce(&Context<'_>, Draft) -> R) -> R {
    // Whatever tables and columns are called now, they are spoken of by their first names: a rename changes no label and no
    // layout, and a draft is the same whichever way a schema was reached.
    let first = &plan.names.first;
    let schema = &*if first.is_empty() { Cow::Borrowed(schema) } else { Cow::Owned(first.applied_to(schema)) };
    let joins = join_tables(schema, plan);
    let in_use = plan.names.completed(schema, &joins.iter().map(|j| j.table.name.as_str()).collect::<Vec<_>>());
    let (prefix, referable) = (labels::prefix_of_tables(schema), Referable::of(schema));
    let names = Names { schema, conventions: plan.conventions, in_use: &in_use, prefix, referable };
    let (context, made) = gathered(&names, &joins, plan);
    let mut draft = Draft { made, ..Draft::default() };
    let asleep = &plan.names.asleep;
    let entities: Vec<&Drafted<'_>> = context.entities.values().filter(|d| !asleep.contains(&d.entity)).collect();
    let draw = |drafted: &&Drafted<'_>| (FileKey::Entity(drafted.entity.clone()), entity::draft(&context, drafted));
    let (drawn, (menu, signs)) = rayon::join(
        || entities.par_iter().map(draw).collect::<Vec<_>>(),
        || rayon::join(|| menu::menu(&context), || steady::signs(&context, asleep)),
    );
    draft.tree.files.extend(drawn);
    draft.signs = signs;
    let guessed = entities.iter().filter(|d| !d.key_is_sure);
    draft.keys = guessed.map(|d| (d.entity.clone(), (d.table.name.clone(), keys::possible_keys(d.table)))).collect();
    let mut app = Node::table().with("title", plan.title.into());
    if let Some(role) = plan.open_to {
        app.set("role", Node::table().with(role, Node::table().with("label", labels::sentence(role).as_str().into())));
    }
    draft.tree.files.insert(FileKey::App, app.with_some("menu", menu));
    let now = first.inverse();
    if !now.is_empty() {
        // What is drafted may speak of what isn't open.
        draft.tree.asleep = asleep.renamed(first);
        rename_mentions(&mut draft.tree, schema, &now);
        draft.tree.asleep = Asleep::default();
        for (view, keys) in draft.keys.values_mut() {
            keys.iter_mut().flatten().for_each(|c| *c = now.column(view, c).to_owned());
            *view = now.table(view).to_owned();
        }
    }
    then(&context, draft)
}

/// Tables that only join others, and aren't entities of the definition already.
fn join_tables<'a>(schema: &'a Schema, plan: &DraftInput<'_>) -> Vec<Join<'a>> {
    let pointed: std::collections::BTreeSet<String> =
        schema.tables.iter().flat_map(|t| &t.foreign_keys).map(|k| name::fold(&k.table)).collect();
    let is_free = |table: &&Table| plan.names.may_join(&table.name) && !pointed.contains(&name::fold(&table.name));
    let candidates = schema.tables.iter().filter(|t| joins::ends(t, plan.conventions).is_some()).filter(is_free);
    let wanted = |table: &&Table| plan.names.is_join(&table.name) || plan.conventions.join_tables.fit(name::split_qualified(&table.name).1);
    candidates.filter(wanted).filter_map(|t| Join::of(schema, t, plan.conventions, plan.names.is_join(&t.name))).collect()
}

/// Tables drafted one after the other, that share fields that are alike.
const TABLES_AT_ONCE: usize = 64;

/// Drafts the fields of every entity, then the titles, which look at the fields of others.
fn gathered<'a>(names: &'a Names<'a>, joins: &[Join<'a>], plan: &DraftInput<'a>) -> (Context<'a>, Made) {
    let mut links: BTreeMap<String, Vec<Linked<'a>>> = BTreeMap::new();
    for linked in joins.iter().flat_map(Join::linked) {
        links.entry(name::fold(&linked.here.table)).or_default().push(linked);
    }
    let mut context =
        Context { names, open_to: plan.open_to, entities: BTreeMap::new(), pointing: BTreeMap::new(), tables: BTreeMap::new() };
    let earlier = plan.earlier.filter(|made| made.is_beside(names.schema));
    let drafted = |alike: &mut AlikeFields<'a>, table: &'a Table| {
        let entity = names.in_use.entity(&table.name)?.to_owned();
        let key = name::fold(&table.name);
        let (references, links) = (references::references(names, table), links.get(&key).map_or(&[][..], Vec::as_slice));
        let known = earlier.filter(|_| links.is_empty()).and_then(|made| made.fields(names, table, &entity, &references));
        let fields = known.map_or_else(|| fields::fields(names, table, &entity, &references, links, alike).into(), Arc::clone);
        Some((table, entity, key, fields, Lookups::of(table, &references)))
    };
    let tables = names.schema.tables.par_iter().with_min_len(TABLES_AT_ONCE);
    let drafted: Vec<_> = tables.map_init(AlikeFields::default, drafted).flatten().collect();
    let mut made_of = Vec::new();
    for (table, entity, key, fields, references) in drafted {
        made_of.push((key.clone(), references));
        // Who noted a record isn't what it belongs to.
        for field in fields.iter().filter(|f| f.kind.name == "lookup" && !f.hidden && !f.record_keeping) {
            let Some((target, _)) = &field.target else { continue };
            context.pointing.entry(target.clone()).or_default().push((entity.clone(), field.name.clone()));
        }
        let found = if table.kind == TableKind::View { keys::view_key(names.schema, table) } else { None };
        let key_is_sure = !table.is_keyless() || found.is_some();
        let own_key = found.unwrap_or_else(|| {
            let known = if key_is_sure { None } else { names.in_use.key(table) };
            known.map_or_else(|| keys::entity_key(table), <[String]>::to_vec)
        });
        context.tables.insert(entity.clone(), key.clone());
        let drafted = Drafted { entity, table, fields, key: own_key, key_is_sure, title: Title::default() };
        context.entities.insert(key, drafted);
    }
    let title = |(_, drafted): (&String, &Drafted<'a>)| titles::title(&context, drafted.table, &drafted.key, &mut Vec::new());
    let titles: Vec<Title> = context.entities.par_iter().map(title).collect();
    for (drafted, title) in context.entities.values_mut().zip(titles) {
        drafted.title = title;
    }
    let made = Made::of(names, made_of.into_iter().filter_map(|(key, references)| Some((context.entities.get(&key)?, references))));
    (context, made)
}
