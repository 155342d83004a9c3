//! Whether an entity that isn't open is drafted as before: told by all that its file is drafted from, without drafting it.

use super::context::{Context, Drafted};
use super::fields::FieldDraft;
use crate::definition::{Asleep, Node, Value};
use std::collections::BTreeMap;
use std::hash::{DefaultHasher, Hash, Hasher};

/// By entity that isn't open: a number that two drafts have in common where they would draft the same file. It means nothing
/// outside of the program's run.
pub(super) fn signs(context: &Context<'_>, asleep: &Asleep) -> BTreeMap<String, u64> {
    if asleep.is_empty() {
        return BTreeMap::new();
    }
    let own: BTreeMap<&str, u64> = context.entities.values().map(|d| (d.entity.as_str(), of_entity(context, d))).collect();
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

fn of_entity(context: &Context<'_>, drafted: &Drafted<'_>) -> u64 {
    let Drafted { entity, table, fields, key, key_is_sure, title } = drafted;
    let mut all = DefaultHasher::new();
    (entity, &table.name, context.names.called(&table.name), table.is_keyless(), table.kind as u8, key, key_is_sure).hash(&mut all);
    title.template.hash(&mut all);
    fields.iter().for_each(|field| of_field(field, &mut all));
    all.finish()
}

fn of_field(field: &FieldDraft, all: &mut DefaultHasher) {
    let FieldDraft { name, label, columns, kind, hidden, required, unique, kept, surrogate, is_version, secret, .. } = field;
    (name, label, columns, kind.name, hidden, required, unique, kept, surrogate, is_version, secret).hash(all);
    let FieldDraft { record_keeping, supplied, machine_made, guessed, target, begins, spoken, is_address, is_measure, indexed, .. } = field;
    (record_keeping, supplied, machine_made, guessed, target, begins, spoken, is_address, is_measure, indexed).hash(all);
    of_node(&field.node, all);
}

fn of_node(node: &Node, all: &mut DefaultHasher) {
    std::mem::discriminant(&node.value).hash(all);
    match &node.value {
        Value::Bool(value) => value.hash(all),
        Value::Int(value) => value.hash(all),
        Value::Text(text) | Value::Other(text) => text.hash(all),
        Value::List(items) => {
            items.len().hash(all);
            items.iter().for_each(|item| of_node(item, all));
        }
        Value::Table(entries) => {
            entries.len().hash(all);
            for entry in entries {
                entry.key.hash(all);
                of_node(&entry.node, all);
            }
        }
    }
}
