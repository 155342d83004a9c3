//! Whether an entity that isn't open is drafted as before: told by all that its file is drafted from, without drafting it.

use super::context::{Context, Drafted};
use super::fields::FieldDraft;
use crate::definition::{Asleep, Node, Value};
use std::collections::{BTreeMap, HashMap};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::Arc;

/// By entity that isn't open: a number that two drafts have in common where they would draft the same file. It means nothing
/// outside of the program's run.
pub(super) fn signs(context: &Context<'_>, asleep: &Asleep) -> BTreeMap<String, u64> {
    if asleep.is_empty() {
        return BTreeMap::new();
    }
    // Fields that are alike in several tables are one.
    let mut of_fields: HashMap<*const FieldDraft, u64> = HashMap::new();
    let mut of_field = |field: &Arc<FieldDraft>| {
        *of_fields.entry(Arc::as_ptr(field)).or_insert_with(|| {
            let mut all = DefaultHasher::new();
            hash_field(field, &mut all);
            all.finish()
        })
    };
    let own = |drafted: &Drafted<'_>| of_entity(context, drafted, &mut of_field);
    let own: HashMap<&str, u64> = context.entities.values().map(|d| d.entity.as_str()).zip(context.entities.values().map(own)).collect();
    let sign = |entity: &str| {
        let mut all = DefaultHasher::new();
        own.get(entity).hash(&mut all);
        // Its lists of what belongs to it are made from the fields there.
        for (child, by) in context.pointing_at(entity) {
            (child, by, own.get(child)).hash(&mut all);
        }
        all.finish()
    };
    asleep.iter().map(|(entity, _)| (entity.to_owned(), sign(entity))).collect()
}

fn of_entity(context: &Context<'_>, drafted: &Drafted<'_>, of_field: &mut dyn FnMut(&Arc<FieldDraft>) -> u64) -> u64 {
    let Drafted { entity, table, fields, key, key_is_sure, title } = drafted;
    let mut all = DefaultHasher::new();
    (entity, &table.name, context.names.called(&table.name), table.is_keyless(), table.kind as u8, key, key_is_sure).hash(&mut all);
    title.template.hash(&mut all);
    fields.iter().for_each(|field| of_field(field).hash(&mut all));
    all.finish()
}

fn hash_field(field: &FieldDraft, all: &mut DefaultHasher) {
    let FieldDraft { name, label, columns, kind, hidden, required, unique, kept, surrogate, is_version, secret, .. } = field;
    (name, label, columns, kind.name, hidden, required, unique, kept, surrogate, is_version, secret).hash(all);
    let FieldDraft { record_keeping, supplied, machine_made, guessed, target, begins, spoken, is_address, is_measure, indexed, .. } = field;
    (record_keeping, supplied, machine_made, guessed, target, begins, spoken, is_address, is_measure, indexed).hash(all);
    hash_node(&field.node, all);
}

fn hash_node(node: &Node, all: &mut DefaultHasher) {
    std::mem::discriminant(&node.value).hash(all);
    match &node.value {
        Value::Bool(value) => value.hash(all),
        Value::Int(value) => value.hash(all),
        Value::Text(text) | Value::Other(text) => text.hash(all),
        Value::List(items) => {
            items.len().hash(all);
            items.iter().for_each(|item| hash_node(item, all));
        }
        Value::Table(entries) => {
            entries.len().hash(all);
            for entry in entries {
                entry.key.hash(all);
                hash_node(&entry.node, all);
            }
        }
    }
}
