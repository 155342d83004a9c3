//! What the definition points at without the database saying so: lookups and related sets outlive their foreign keys.

use super::whole::Whole;
use crate::definition::{EntityIndex, KnownField, Node};
use crate::name;
use crate::schema::{ForeignKey, Schema};

/// A schema as the draft is to see it: what the definition looks up without a foreign key counts as one, so that a lookup
/// whose foreign key alone went stays a lookup, unless a merge had made it one.
pub(super) fn with_kept_references(schema: &Schema, whole: &Whole, index: &EntityIndex) -> Schema {
    let mut kept = schema.clone();
    // What a merge put in speaks for itself alone. A lookup that the draft had no more, because what it looks up couldn't be
    // referred to, is one again when nothing but the foreign key is missing.
    let counts = |entity: &str, field: &str, part: Option<&str>| {
        let field = whole.tree.entity(entity).and_then(|e| e.get("field")?.get(field));
        let is_generators = |node: &Node| whole.tile(node).is_some_and(|t| t.added);
        match (field, part) {
            // A related set that is hidden for now is in use as before: the draft has it again whichever way its links come back.
            (Some(field), part)
                if whole.tile(field).is_some_and(|t| t.added || (t.away && part.is_some()))
                    && !super::whole::has_own(field, &whole.tiles) =>
            {
                false
            }
            (Some(field), Some(part)) => field.get(part).is_some_and(|node| !is_generators(node)),
            (field, None) => field.is_some(),
            (None, _) => false,
        }
    };
    for (entity, known) in &index.entities {
        let Some(table) = schema.table(&known.table) else { continue };
        for (field, KnownField { columns, target, through }) in &known.fields {
            let Some(target) = target.as_ref().filter(|_| through.is_none()).and_then(|t| index.entities.get(t)) else { continue };
            let taken = table.foreign_keys.iter().any(|k| k.columns.iter().any(|c| name::contains(columns, c)));
            let there = columns.iter().all(|c| table.column(c).is_some());
            if taken || !there || !counts(entity, field, Some("lookup")) {
                continue;
            }
            let lookup = whole.tree.entity(entity).and_then(|e| e.get("field")?.get(field)?.get("lookup"));
            let value = lookup.and_then(|lookup| lookup.get("value"));
            let to: Vec<String> = value.map_or_else(|| target.key.clone(), |v| v.strings().iter().map(|c| name::read(c)).collect());
            // One that went with the key that it referred to isn't a reference to whatever is the key now.
            let referred = lookup.and_then(|lookup| whole.tile(lookup)).filter(|t| t.away).map(|t| &t.referred);
            if referred.is_some_and(|referred| !referred.is_empty() && *referred != to) {
                continue;
            }
            keep(&mut kept, &table.name, ForeignKey { columns: columns.clone(), table: target.table.clone(), to, ..ForeignKey::default() });
        }
        // The ends of a related set likewise.
        for (field, names) in &known.fields {
            let Some((through, here, there)) = &names.through else { continue };
            let Some(target) = names.target.as_ref().and_then(|t| index.entities.get(t)) else { continue };
            let Some(joining) = schema.table(through) else { continue };
            if !counts(entity, field, None) {
                continue;
            }
            for (columns, end) in [(here, known), (there, target)] {
                let taken = kept
                    .table(through)
                    .is_some_and(|t| t.foreign_keys.iter().any(|k| k.columns.iter().any(|c| name::contains(columns, c))));
                if !taken && columns.iter().all(|c| joining.column(c).is_some()) {
                    let to = end.key.clone();
                    keep(
                        &mut kept,
                        &joining.name,
                        ForeignKey { columns: columns.clone(), table: end.table.clone(), to, ..ForeignKey::default() },
                    );
                }
            }
        }
    }
    kept
}

/// Adds a reference that still fits what it points at.
fn keep(schema: &mut Schema, table: &str, key: ForeignKey) {
    if schema.table(&key.table).is_some_and(|t| key.fits(t))
        && let Some(table) = schema.tables.named_mut(table)
    {
        table.foreign_keys.push(key);
        table.foreign_keys.sort();
    }
}
