//! The optional change log: who changed what by which statement. Ysomorph prints the SQL that makes it, and
//! installs nothing itself.

use postgres::Row;
use ysomorph_core::schema::TrailEntry;

/// The SQL that a database's owner runs once, as superuser: event triggers need one.
pub const INSTALL: &str = include_str!("trail.sql");

/// The newest entries, the oldest of them first.
pub(super) const NEWEST: &str =
    "SELECT id, to_char(at AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"'), who, coalesce(object, ''), coalesce(statement, '')
     FROM (SELECT * FROM ysomorph_trail.entry ORDER BY id DESC LIMIT 2000) newest ORDER BY id";

pub(super) fn entry(row: &Row) -> TrailEntry {
    TrailEntry { id: row.get(0), at: row.get(1), who: row.get(2), object: row.get(3), statement: row.get(4) }
}
