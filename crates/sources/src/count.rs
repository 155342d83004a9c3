//! Counting in the database itself: one statement a table, read-only, within a time limit for all.

use crate::server::{ServerError, bounded};
use crate::{Address, Source, SourceError, mariadb, postgres, sqlite};
use mysql::prelude::Queryable;
use std::sync::mpsc;
use std::time::{Duration, Instant};
use ysomorph_core::impact::data::{Counted, TableCounts, counted};
use ysomorph_core::schema::Engine;

/// Called before each table: how many are done, how many there are, which comes next.
pub type Progress = fn(usize, usize, &str);

/// The numbers, and the tables that couldn't be counted with the reason.
pub type CountedTables = (Vec<Counted>, Vec<(String, String)>);

/// Asks the database for counts. What the time limit leaves out, and what the database refuses, is told table by table.
///
/// # Errors
/// Where the source can't be asked at all, or is no database.
pub fn count(source: &Source, plan: Vec<TableCounts>, limit: Duration, progress: Progress) -> Result<CountedTables, SourceError> {
    let until = Instant::now() + limit;
    match source {
        Source::Sqlite(path) => sqlite::look(path, |looked| on_sqlite(looked, &plan, until, progress)),
        Source::Snapshot(_) => Ok((Vec::new(), plan.into_iter().map(|t| (t.table, "a snapshot has no data".to_owned())).collect())),
        Source::Server(address) => Ok(on_server(address, plan, until, progress)?),
    }
}

/// Runs the statements one by one until the time is over.
fn each(
    plan: &[TableCounts],
    until: Instant,
    progress: Progress,
    mut run: impl FnMut(&TableCounts, Duration) -> Result<Vec<i64>, String>,
) -> CountedTables {
    let (mut all, mut left) = (Vec::new(), Vec::new());
    for (at, table) in plan.iter().enumerate() {
        progress(at, plan.len(), &table.table);
        let remaining = until.saturating_duration_since(Instant::now());
        if remaining.is_zero() {
            left.push((table.table.clone(), "the time was over".to_owned()));
            continue;
        }
        match run(table, remaining) {
            Ok(numbers) => all.extend(counted(table, &numbers)),
            Err(reason) => left.push((table.table.clone(), reason)),
        }
    }
    progress(plan.len(), plan.len(), "");
    (all, left)
}

fn on_sqlite(looked: &sqlite::Looked, plan: &[TableCounts], until: Instant, progress: Progress) -> Result<CountedTables, SourceError> {
    let connection = looked.connect()?;
    let interrupt = connection.get_interrupt_handle();
    let (done, waits) = mpsc::channel::<()>();
    // SQLite has no time limit of its own.
    let watch = std::thread::spawn(move || {
        if waits.recv_timeout(until.saturating_duration_since(Instant::now())) == Err(mpsc::RecvTimeoutError::Timeout) {
            interrupt.interrupt();
        }
    });
    let counts = each(plan, until, progress, |table, _| {
        let numbers = |row: &rusqlite::Row<'_>| (0..table.counts.len() + 2).map(|at| row.get(at)).collect();
        connection.query_row(&table.sql, [], numbers).map_err(|e| e.to_string())
    });
    drop(done);
    let _ = watch.join();
    Ok(counts)
}

fn on_server(address: &Address, plan: Vec<TableCounts>, until: Instant, progress: Progress) -> Result<CountedTables, ServerError> {
    if address.engine == Engine::Postgresql {
        return bounded(address, postgres::connect, move |mut client, address| {
            // Each statement is a read-only transaction of its own, so that one that fails doesn't stop the others.
            Ok(each(&plan, until, progress, |table, remaining| {
                let limit = format!("SET statement_timeout = {}", remaining.as_millis().max(1));
                let row = client.batch_execute(&limit).and_then(|()| client.query_one(&table.sql, &[]));
                let row = row.map_err(|e| postgres::told(address, &e).message)?;
                (0..table.counts.len() + 2).map(|at| row.try_get(at).map_err(|e| e.to_string())).collect()
            }))
        });
    }
    bounded(address, mariadb::connect, move |mut connection, address| {
        Ok(each(&plan, until, progress, |table, remaining| {
            // MySQL has no such limit for a statement; there the connection's own holds.
            if address.engine == Engine::Mariadb {
                let limit = format!("SET SESSION max_statement_time = {}", remaining.as_secs().max(1));
                connection.query_drop(limit).map_err(|e| mariadb::told(address, &e).message)?;
            }
            let row: Option<mysql::Row> = connection.query_first(&table.sql).map_err(|e| mariadb::told(address, &e).message)?;
            let row = row.ok_or_else(|| "nothing came back".to_owned())?;
            (0..table.counts.len() + 2).map(|at| row.get(at).ok_or_else(|| format!("column {} is no number", at + 1))).collect()
        }))
    })
}
