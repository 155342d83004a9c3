//! Sessions with the database, kept open between pages.

use std::cell::Cell;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use ysomorph_sources::{ReadError, Reader, Records, Source, SourceError, Values, Writer};

/// Sessions that nobody uses at the moment.
#[derive(Debug, Clone)]
pub struct Pool {
    source: Arc<Source>,
    home: Option<String>,
    idle: Arc<Mutex<Vec<Reader>>>,
}

thread_local! {
    /// How long the page that this thread makes has waited for the database.
    static SPENT: Cell<Duration> = const { Cell::new(Duration::ZERO) };
}

/// Begins to count how long a page waits for the database.
pub fn begin() {
    SPENT.set(Duration::ZERO);
}

/// How long it waited.
pub fn spent() -> Duration {
    SPENT.get()
}

/// Most sessions that are kept.
const KEPT: usize = 8;

impl Pool {
    /// Sessions with a database, in which tables are found in the home schema.
    pub fn new(source: Source, home: Option<String>) -> Pool {
        Pool { source: Arc::new(source), home, idle: Arc::default() }
    }

    /// Reads by any session, or a new one.
    ///
    /// # Errors
    /// Where the database refuses the statement or can't be asked.
    pub fn read(&self, sql: &str, values: &Values) -> Result<Records, ReadError> {
        let begun = Instant::now();
        let outcome = self.read_by_any(sql, values);
        SPENT.set(SPENT.get() + begun.elapsed());
        outcome
    }

    fn read_by_any(&self, sql: &str, values: &Values) -> Result<Records, ReadError> {
        let idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner).pop();
        if let Some(mut reader) = idle {
            match reader.read(sql, values) {
                // The server may have closed it meanwhile: once more, by a new one.
                Err(ReadError::Lost(_)) => {}
                outcome => {
                    self.keep(reader);
                    return outcome;
                }
            }
        }
        let mut reader = Reader::open(&self.source, self.home.as_deref())?;
        let outcome = reader.read(sql, values);
        if !matches!(outcome, Err(ReadError::Lost(_))) {
            self.keep(reader);
        }
        outcome
    }

    /// A session that writes, opened for one save.
    ///
    /// # Errors
    /// Where the database can't be reached, or nobody may write there.
    pub fn writer(&self) -> Result<Writer, SourceError> {
        Writer::open(&self.source, self.home.as_deref())
    }

    fn keep(&self, reader: Reader) {
        let mut idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner);
        if idle.len() < KEPT {
            idle.push(reader);
        }
    }
}
