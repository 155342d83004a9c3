//! Which columns refer to other records: by the foreign keys that the database declares, or by a name and a type that leave no doubt.

use super::given::Names;
use super::labels::prefix_of;
use crate::name;
use crate::schema::{Column, ForeignKey, Table, TableKind};
use std::borrow::Cow;

/// A reference that a lookup is drafted from.
#[derive(Debug, Clone)]
pub(super) struct Reference<'a> {
    pub key: Cow<'a, ForeignKey>,
    /// Whether only its name says so.
    pub is_guess: bool,
}

/// The references of a table that become lookups: the target is read, and no column belongs to two of them (the widest goes first);
/// then what the names of columns say.
pub(super) fn references<'a>(names: &Names<'a>, table: &'a Table) -> Vec<Reference<'a>> {
    let reads = |k: &&ForeignKey| names.in_use.entity(&k.table).is_some() && names.schema.table(&k.table).is_some_and(|t| k.fits(t));
    let mut keys: Vec<&ForeignKey> = table.foreign_keys.iter().filter(reads).collect();
    keys.sort_by_key(|k| std::cmp::Reverse(k.columns.len()));
    let mut used: Vec<&str> = Vec::new();
    keys.retain(|key| {
        let free = !key.columns.iter().any(|c| name::contains(&used, c));
        if free {
            used.extend(key.columns.iter().map(String::as_str));
        }
        free
    });
    let mut all: Vec<Reference<'a>> = keys.into_iter().map(|key| Reference { key: Cow::Borrowed(key), is_guess: false }).collect();
    if names.conventions.references_by_name && table.kind == TableKind::Table {
        let declared = |column: &Column| table.foreign_keys.iter().any(|k| name::contains(&k.columns, &column.name));
        let prefix = prefix_of(table);
        for column in table.columns.iter().filter(|c| !declared(c) && c.generated.is_none() && !c.is_numbered()) {
            let target = names.referable.target(names.schema, table, column, prefix.as_deref());
            if let Some(target) = target.filter(|t| names.in_use.entity(&t.name).is_some()) {
                let key = ForeignKey { columns: vec![column.name.clone()], table: target.name.clone(), ..ForeignKey::default() };
                all.push(Reference { key: Cow::Owned(key), is_guess: true });
            }
        }
    }
    all
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_column_refers_to_what_its_name_and_type_leave_no_doubt_of() {
        crate::testkit::draft_as_said(
            r#"
before hosts: id integer key; name text(40) required
before Job: JobId integer key; name text(40) required
before mail: id integer key; host_id integer required; JobId integer; hostid text; other_host_id integer; id_host integer
then mail/field.host.lookup = { entity = "hosts" }
then mail/field.host.required = true
then mail/field.jobid.lookup = { entity = "job" }
then mail/field.jobid.label = "Job"
then mail/field.id_host.lookup = { entity = "hosts" }
then mail/field.hostid.kind = "text"
then mail/field.other_host_id.kind = "number"
then hosts/page.detail.children[0].entity = "mail"

# Two tables are called so.
before hosts: id integer key; name text(40) required
before host: id integer key; name text(40) required
before mail: id integer key; host_id integer required
then mail/field.host_id.kind = "number"

# All tables have a prefix, and so have the columns.
before shop_host: ho_id integer key; ho_name text(40) required; ho_place text
before shop_mail: ma_id integer key; ma_host_id integer required; ma_text text
before shop_other: ot_id integer key; ot_x integer; ot_y integer
then shop_mail/field.ma_host.lookup = { entity = "shop_host" }

# The key is another kind of value, or several columns.
before host: id text(36) key; name text(40) required
before line: order_id integer key; no integer key
before mail: id integer key; host_id integer required; line_id integer
then mail/field.host_id.kind = "number"
then mail/field.line_id.kind = "number"
"#,
        );
    }
}
