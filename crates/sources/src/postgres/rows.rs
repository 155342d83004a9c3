//! The catalogue as the query gives it: rows as tuples, tables by their number.

use serde::Deserialize;

/// A table's number.
pub(super) type Oid = u32;

/// A namespace; absent for the home schema.
pub(super) type Namespace = Option<String>;

/// Role, privilege, whether it may be passed on.
pub(super) type Acl = (String, String, bool);

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Rows {
    pub database: String,
    pub trail: bool,
    pub tables: Vec<TableRow>,
    pub types: Vec<TypeRow>,
    pub columns: Vec<ColumnRow>,
    pub numbered: Vec<(Oid, i16)>,
    pub constraints: Vec<ConstraintRow>,
    pub indexes: Vec<IndexRow>,
    pub triggers: Vec<(Oid, String, String, i16, char)>,
    #[allow(clippy::type_complexity, reason = "a row")]
    pub policies: Vec<(Oid, String, char, bool, Option<Vec<String>>, Option<String>, Option<String>)>,
    pub grants: Vec<(Oid, String, String, bool, i16)>,
    pub partitions: Vec<(Oid, Namespace, String, Option<String>)>,
    pub parents: Vec<(Oid, Oid)>,
    pub reads: Vec<(Oid, Oid, String)>,
    pub elsewhere: Vec<(Oid, String, String)>,
    pub enums: Vec<(Namespace, String, Option<Vec<String>>)>,
    #[allow(clippy::type_complexity, reason = "a row")]
    pub domains: Vec<(Namespace, String, Oid, i32, bool, Option<String>, Vec<String>)>,
    pub composites: Vec<(Namespace, String, Option<Vec<String>>)>,
    pub ranges: Vec<(Namespace, String, String)>,
    #[allow(clippy::type_complexity, reason = "a row")]
    pub sequences: Vec<(Namespace, String, String, i64, i64, i64, i64, bool, Vec<Acl>)>,
    pub routines: Vec<RoutineRow>,
    pub default_grants: Vec<(String, char, String, String, bool)>,
}

#[derive(Debug, Deserialize)]
pub(super) struct TableRow(
    pub Oid,
    pub Namespace,
    pub String,
    pub char,
    pub char,
    pub String,
    pub u8,
    pub Option<String>,
    pub Option<String>,
    pub Option<String>,
    pub i32,
    pub Option<String>,
    pub Vec<String>,
);

/// Number, modifier, spelling, name, type of type, category, base type of a domain, its modifier.
#[derive(Debug, Clone, Deserialize)]
pub(super) struct TypeRow(pub Oid, pub i32, pub String, pub String, pub char, pub char, pub Oid, pub i32);

/// Table, number, name, type, modifier, NOT NULL, default or expression, generated, identity, collation, comment.
#[derive(Debug, Deserialize)]
pub(super) struct ColumnRow(
    pub Oid,
    pub i16,
    pub String,
    pub Oid,
    pub i32,
    pub bool,
    pub Option<String>,
    pub String,
    pub String,
    pub Option<String>,
    pub Option<String>,
);

/// Table, type, name, columns, target, target's columns, text, delete, update, match, deferrable, deferred, validated, nulls not distinct.
#[derive(Debug, Deserialize)]
pub(super) struct ConstraintRow(
    pub Oid,
    pub char,
    pub String,
    pub Option<Vec<i16>>,
    pub Oid,
    pub Option<Vec<i16>>,
    pub Option<String>,
    pub char,
    pub char,
    pub char,
    pub bool,
    pub bool,
    pub bool,
    pub bool,
);

/// Table, name, unique, key columns, columns, parts as text, predicate, method, options, nulls not distinct, unusual operator classes.
#[derive(Debug, Deserialize)]
pub(super) struct IndexRow(
    pub Oid,
    pub String,
    pub bool,
    pub i16,
    pub Vec<i16>,
    pub Vec<String>,
    pub Option<String>,
    pub String,
    pub Vec<i16>,
    pub bool,
    pub Vec<Option<String>>,
);

/// Namespace, name, kind, arguments, result, language, body, flags, settings, owner, grants.
#[derive(Debug, Deserialize)]
pub(super) struct RoutineRow(
    pub Namespace,
    pub String,
    pub char,
    pub String,
    pub Option<String>,
    pub String,
    pub Option<String>,
    pub (bool, bool, char, char, bool),
    pub Vec<String>,
    pub String,
    pub Vec<Acl>,
);
