//! Measuring data in the database itself: one statement a column, read-only, over a bounded number of records and
//! within a time limit. Values never leave the database but as hashes.

use crate::server::{ServerError, bounded};
use crate::{Address, Source, SourceError, mariadb, postgres, sqlite};
use mysql::prelude::Queryable;
use rusqlite::functions::FunctionFlags;
use std::path::Path;
use std::time::{Duration, Instant};
use ysomorph_core::name;
use ysomorph_core::schema::{Engine, Fingerprint, Kind, SAMPLE, Schema, TableKind};
use ysomorph_core::statements::as_text;

/// Most records looked at in a table.
const RECORDS: u32 = 50_000;

/// A column to measure, and its statement.
struct Job {
    table: String,
    column: String,
    sql: String,
}

/// What hashes of values are made with: random, and kept apart from them.
#[derive(Clone)]
pub struct DataKey(String);

impl std::fmt::Debug for DataKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("…")
    }
}

impl DataKey {
    /// How many hexadecimal digits it has.
    const LENGTH: usize = 64;

    /// A new one.
    ///
    /// # Errors
    /// Where the system has no random numbers.
    pub fn fresh() -> std::io::Result<DataKey> {
        let mut bytes = [0; DataKey::LENGTH / 2];
        getrandom::fill(&mut bytes).map_err(|error| std::io::Error::other(error.to_string()))?;
        Ok(DataKey(bytes.iter().map(|b| format!("{b:02x}")).collect()))
    }

    /// One that was kept; `None` where the text isn't one.
    pub fn read(text: &str) -> Option<DataKey> {
        let text = text.trim();
        let whole = text.len() == DataKey::LENGTH && text.bytes().all(|b| b.is_ascii_hexdigit());
        whole.then(|| DataKey(text.to_lowercase()))
    }

    /// As it is kept.
    pub fn text(&self) -> String {
        format!("{}\n", self.0)
    }

    /// What tells it from other keys, and tells nothing else of it.
    pub fn id(&self) -> String {
        format!("{:x}", md5::compute(format!("which key: {}", self.0))).chars().take(8).collect()
    }
}

/// Measures the columns of a schema that was read from this source. `wanted` picks them. What the time limit leaves
/// out is given as a count.
///
/// # Errors
/// Where the source can't be asked.
pub fn measure(
    source: &Source,
    schema: &Schema,
    wanted: &dyn Fn(&str, &str) -> bool,
    key: &DataKey,
    limit: Duration,
) -> Result<(Vec<Fingerprint>, usize), SourceError> {
    let jobs = jobs(schema, wanted, key);
    let until = Instant::now() + limit;
    let (mut found, left) = match source {
        Source::Sqlite(path) => sqlite::look(path, |looked| on_sqlite(looked, path, &jobs, key, until))?,
        Source::Snapshot(_) => (schema.fingerprints.clone(), 0),
        Source::Server(address) => on_server(address, jobs, until)?,
    };
    if !matches!(source, Source::Snapshot(_)) {
        found.iter_mut().for_each(|f| f.key = key.id());
    }
    found.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
    Ok((found, left))
}

fn jobs(schema: &Schema, wanted: &dyn Fn(&str, &str) -> bool, key: &DataKey) -> Vec<Job> {
    // SQLite's function knows the key. The key is hexadecimal: nothing in it could end the text.
    let keyed = match schema.engine {
        Engine::Sqlite => "md5(v)".to_owned(),
        Engine::Postgresql => format!("md5('{}' || v)", key.0),
        Engine::Mariadb | Engine::Mysql => format!("md5(concat('{}', v))", key.0),
    };
    let quote = |n: &str| name::quoted_for(n, schema.engine);
    let mut jobs = Vec::new();
    for table in schema.tables.iter().filter(|t| t.kind == TableKind::Table) {
        let measurable = |kind: Kind| !matches!(kind, Kind::Binary | Kind::Spatial | Kind::Xml);
        for column in table.columns.iter().filter(|c| measurable(c.column_type.kind) && wanted(&table.name, &c.name)) {
            let hashes = format!("SELECT DISTINCT substr({keyed}, 1, 12) AS h FROM sampled WHERE v IS NOT NULL ORDER BY h LIMIT {SAMPLE}");
            let joined = match schema.engine {
                Engine::Postgresql => "string_agg(h, ',' ORDER BY h)",
                Engine::Sqlite => "group_concat(h, ',')",
                _ => "group_concat(h ORDER BY h SEPARATOR ',')",
            };
            let sql = format!(
                "WITH sampled AS (SELECT {} AS v FROM {} LIMIT {RECORDS})
                 SELECT count(*), count(v), count(DISTINCT v), coalesce(min(length(v)), 0), coalesce(max(length(v)), 0),
                        (SELECT {joined} FROM ({hashes}) hashes) FROM sampled",
                as_text(&quote(&column.name), schema.engine),
                quote(&table.name)
            );
            jobs.push(Job { table: table.name.clone(), column: column.name.clone(), sql });
        }
    }
    jobs
}

fn fingerprint(job: &Job, counts: [i64; 5], hashes: Option<String>) -> Fingerprint {
    let count = |at: usize| u64::try_from(counts[at]).unwrap_or_default();
    let mut sample: Vec<String> = hashes.map(|h| h.split(',').map(str::to_owned).collect()).unwrap_or_default();
    sample.sort();
    Fingerprint {
        table: job.table.clone(),
        column: job.column.clone(),
        records: count(0),
        filled: count(1),
        distinct: count(2),
        shortest: count(3),
        longest: count(4),
        key: String::new(),
        sample,
    }
}

/// Runs the jobs until the time is over; gives the rest's number.
fn each<E>(
    jobs: &[Job],
    until: Instant,
    mut run: impl FnMut(&str) -> Result<([i64; 5], Option<String>), E>,
) -> Result<(Vec<Fingerprint>, usize), E> {
    let (mut found, total) = (Vec::new(), jobs.len());
    for (at, job) in jobs.iter().enumerate() {
        if Instant::now() > until {
            return Ok((found, total - at));
        }
        let (counts, hashes) = run(&job.sql)?;
        found.push(fingerprint(job, counts, hashes));
    }
    Ok((found, 0))
}

fn on_sqlite(
    looked: &sqlite::Looked,
    path: &Path,
    jobs: &[Job],
    key: &DataKey,
    until: Instant,
) -> Result<(Vec<Fingerprint>, usize), SourceError> {
    let connection = looked.connect()?;
    // SQLite has no hash of its own.
    let flags = FunctionFlags::SQLITE_UTF8 | FunctionFlags::SQLITE_DETERMINISTIC;
    let key = key.0.clone();
    let added = connection.create_scalar_function("md5", 1, flags, move |context| {
        let text = context.get_raw(0).as_str_or_null()?;
        Ok(text.map(|text| format!("{:x}", md5::compute(format!("{key}{text}")))))
    });
    let run = |sql: &str| {
        connection.query_row(sql, [], |row| Ok(([row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?], row.get(5)?)))
    };
    added.and_then(|()| each(jobs, until, run)).map_err(|error| SourceError::Read { path: path.to_owned(), reason: error.to_string() })
}

fn on_server(address: &Address, jobs: Vec<Job>, until: Instant) -> Result<(Vec<Fingerprint>, usize), ServerError> {
    if address.engine == Engine::Postgresql {
        return bounded(address, postgres::connect, move |mut client, address| {
            let mut transaction = client.build_transaction().read_only(true).start().map_err(|e| postgres::told(address, &e))?;
            each(&jobs, until, |sql| {
                let row = transaction.query_one(sql, &[])?;
                let number =
                    |at: usize| row.try_get::<_, i64>(at).or_else(|_| row.try_get::<_, i32>(at).map(i64::from)).unwrap_or_default();
                Ok(([number(0), number(1), number(2), number(3), number(4)], row.get(5)))
            })
            .map_err(|e: ::postgres::Error| postgres::told(address, &e))
        });
    }
    bounded(address, mariadb::connect, move |mut connection, address| {
        let told = |e: mysql::Error| mariadb::told(address, &e);
        connection.query_drop("SET SESSION group_concat_max_len = 10000").map_err(told)?;
        each(&jobs, until, |sql| {
            let row: Option<(i64, i64, i64, i64, i64, Option<String>)> = connection.query_first(sql)?;
            let (a, b, c, d, e, hashes) = row.unwrap_or_default();
            Ok(([a, b, c, d, e], hashes))
        })
        .map_err(told)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_is_random_reads_back_and_is_not_shown() {
        let (a, b) = (DataKey::fresh().unwrap(), DataKey::fresh().unwrap());
        assert!(a.0 != b.0 && a.id() != b.id());
        assert_eq!(DataKey::read(&a.text()).unwrap().id(), a.id());
        assert!(!format!("{a:?}").contains(&a.0[..8]) && !a.0.contains(&a.id()));
        for bad in ["", "abc", &"g".repeat(64), &"a".repeat(65)] {
            assert!(DataKey::read(bad).is_none(), "{bad}");
        }
    }
}
