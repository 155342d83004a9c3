//! Measuring data in the database itself: one pass over a table, read-only, over a bounded number of records and
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

/// Characters of a hash that are kept.
const HASH: usize = 12;

/// Most columns that one statement measures: engines bound what it may give.
const AT_ONCE: usize = 40;

/// Columns of a table to measure in one pass, and its statement.
struct Job {
    table: String,
    columns: Vec<String>,
    sql: String,
}

/// What is measured of a column: values, different ones, the shortest, the longest; and hashes.
type Measured = ([i64; 4], Option<String>);

/// The records, and what is measured of each column.
type Row = (i64, Vec<Measured>);

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
    let quote = |n: &str| name::quoted_for(n, schema.engine);
    let mut jobs = Vec::new();
    for table in schema.tables.iter().filter(|t| t.kind == TableKind::Table) {
        let measurable = |kind: Kind| !matches!(kind, Kind::Binary | Kind::Spatial | Kind::Xml);
        let columns = table.columns.iter().filter(|c| measurable(c.column_type.kind) && wanted(&table.name, &c.name));
        let columns: Vec<&str> = columns.map(|column| column.name.as_str()).collect();
        for part in columns.chunks(AT_ONCE) {
            let values: Vec<String> =
                part.iter().enumerate().map(|(at, column)| format!("{} AS v{at}", as_text(&quote(column), schema.engine))).collect();
            let measured: Vec<String> = (0..part.len()).map(|at| measured(&format!("v{at}"), schema.engine, key)).collect();
            let sql = format!(
                "SELECT count(*), {} FROM (SELECT {} FROM {} LIMIT {RECORDS}) AS sampled",
                measured.join(", "),
                values.join(", "),
                quote(&table.name)
            );
            jobs.push(Job { table: table.name.clone(), columns: part.iter().map(|column| (*column).to_owned()).collect(), sql });
        }
    }
    jobs
}

/// What is asked of one value. Of the hashes the first ones are kept, in their order, so that the samples of two databases are alike.
fn measured(value: &str, engine: Engine, key: &DataKey) -> String {
    // SQLite's function knows the key. The key is hexadecimal: nothing in it could end the text.
    let keyed = match engine {
        Engine::Sqlite => format!("md5({value})"),
        Engine::Postgresql => format!("md5('{}' || {value})", key.0),
        Engine::Mariadb | Engine::Mysql => format!("md5(concat('{}', {value}))", key.0),
    };
    let hash = format!("substr({keyed}, 1, {HASH})");
    let hashes = match engine {
        Engine::Postgresql => {
            format!("array_to_string((array_agg(DISTINCT {hash} ORDER BY {hash}) FILTER (WHERE {value} IS NOT NULL))[1:{SAMPLE}], ',')")
        }
        Engine::Sqlite => format!("group_concat(DISTINCT {hash})"),
        Engine::Mariadb | Engine::Mysql => format!("group_concat(DISTINCT {hash} ORDER BY {hash} SEPARATOR ',')"),
    };
    format!("count({value}), count(DISTINCT {value}), coalesce(min(length({value})), 0), coalesce(max(length({value})), 0), {hashes}")
}

fn fingerprints(job: &Job, (records, measured): Row) -> impl Iterator<Item = Fingerprint> {
    let count = |number: i64| u64::try_from(number).unwrap_or_default();
    job.columns.iter().zip(measured).map(move |(column, ([filled, distinct, shortest, longest], hashes))| {
        // A list that was too long for the engine ends within a hash.
        let hashes = hashes.unwrap_or_default();
        let mut sample: Vec<String> = hashes.split(',').filter(|hash| hash.len() == HASH).map(str::to_owned).collect();
        sample.sort();
        sample.truncate(SAMPLE);
        Fingerprint {
            table: job.table.clone(),
            column: column.clone(),
            records: count(records),
            filled: count(filled),
            distinct: count(distinct),
            shortest: count(shortest),
            longest: count(longest),
            key: String::new(),
            sample,
        }
    })
}

/// A statement's one record, by how the engine gives its numbers and texts.
fn row<E>(job: &Job, number: impl Fn(usize) -> Result<i64, E>, text: impl Fn(usize) -> Result<Option<String>, E>) -> Result<Row, E> {
    let column = |at: usize| -> Result<Measured, E> {
        let first = 1 + at * 5;
        Ok(([number(first)?, number(first + 1)?, number(first + 2)?, number(first + 3)?], text(first + 4)?))
    };
    Ok((number(0)?, (0..job.columns.len()).map(column).collect::<Result<_, _>>()?))
}

/// Runs the jobs until the time is over; gives the number of columns that are left.
fn each<E>(jobs: &[Job], until: Instant, mut run: impl FnMut(&Job) -> Result<Row, E>) -> Result<(Vec<Fingerprint>, usize), E> {
    let mut found = Vec::new();
    for (at, job) in jobs.iter().enumerate() {
        if Instant::now() > until {
            return Ok((found, jobs.iter().skip(at).map(|job| job.columns.len()).sum()));
        }
        found.extend(fingerprints(job, run(job)?));
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
    let run = |job: &Job| connection.query_row(&job.sql, [], |one| row(job, |at| one.get(at), |at| one.get(at)));
    added.and_then(|()| each(jobs, until, run)).map_err(|error| SourceError::Read { path: path.to_owned(), reason: error.to_string() })
}

fn on_server(address: &Address, jobs: Vec<Job>, until: Instant) -> Result<(Vec<Fingerprint>, usize), ServerError> {
    if address.engine == Engine::Postgresql {
        return bounded(address, postgres::connect, move |mut client, address| {
            let mut transaction = client.build_transaction().read_only(true).start().map_err(|e| postgres::told(address, &e))?;
            each(&jobs, until, |job| {
                let one = transaction.query_one(&job.sql, &[])?;
                let number = |at: usize| one.try_get::<_, i64>(at).or_else(|_| one.try_get::<_, i32>(at).map(i64::from));
                row(job, number, |at| one.try_get(at))
            })
            .map_err(|e: ::postgres::Error| postgres::told(address, &e))
        });
    }
    bounded(address, mariadb::connect, move |mut connection, address| {
        let told = |e: mysql::Error| mariadb::told(address, &e);
        connection.query_drop("SET SESSION group_concat_max_len = 10000").map_err(told)?;
        each(&jobs, until, |job| {
            let one: Option<mysql::Row> = connection.query_first(&job.sql)?;
            let number = |at: usize| Ok(one.as_ref().and_then(|one| one.get(at)).unwrap_or_default());
            row(job, number, |at| Ok(one.as_ref().and_then(|one| one.get(at)).flatten()))
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
