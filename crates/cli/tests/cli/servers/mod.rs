//! Real servers: a database of its own for each test, dropped again. Where no server answers a test is skipped with
//! a line that says so; with `YSOMORPH_REQUIRE_SERVERS=1` it fails instead.

mod agreement;
mod dumps;
mod journeys;
mod single_changes;
mod sources;
mod spellings;
mod troubles;

use mysql::prelude::Queryable;
use std::path::Path;
use std::sync::atomic::{AtomicU32, Ordering};
use ysomorph_core::changes::compare;
use ysomorph_core::rename::Known;
use ysomorph_core::schema::Schema;
use ysomorph_sources::Source;

#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Server {
    Postgresql,
    Mariadb,
}

pub const BOTH: [Server; 2] = [Server::Postgresql, Server::Mariadb];

/// A database on a server.
pub struct Place {
    pub server: Server,
    pub name: String,
}

fn host(server: Server) -> String {
    let (variable, usual) = match server {
        Server::Postgresql => ("YSOMORPH_TEST_POSTGRESQL", "postgres://postgres@127.0.0.1:5432"),
        Server::Mariadb => ("YSOMORPH_TEST_MARIADB", "mysql://root@127.0.0.1:3306"),
    };
    std::env::var(variable).unwrap_or_else(|_| usual.to_owned())
}

impl Place {
    /// A new database; `None` where no server answers.
    pub fn new(server: Server) -> Option<Place> {
        static COUNT: AtomicU32 = AtomicU32::new(0);
        let name = format!("ysomorph_{}_{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
        let place = Place { server, name };
        match place.try_run_on(place.maintenance(), &format!("CREATE DATABASE {}", place.name)) {
            Ok(()) => Some(place),
            Err(error) => {
                assert!(std::env::var_os("YSOMORPH_REQUIRE_SERVERS").is_none(), "no {server:?} server answers: {error}");
                println!("skipped: no {server:?} server answers at {}: {error}", host(server));
                std::mem::forget(place);
                None
            }
        }
    }

    pub fn with(server: Server, sql: &str) -> Option<Place> {
        let place = Place::new(server)?;
        place.sql(sql);
        Some(place)
    }

    pub fn url(&self) -> String {
        format!("{}/{}", host(self.server), self.name)
    }

    fn maintenance(&self) -> &'static str {
        if self.server == Server::Postgresql { "postgres" } else { "information_schema" }
    }

    #[track_caller]
    pub fn sql(&self, sql: &str) {
        self.try_run_on(&self.name, sql).unwrap_or_else(|e| panic!("{e}\n{sql}"));
    }

    pub fn try_run_on(&self, database: &str, sql: &str) -> Result<(), String> {
        let url = format!("{}/{database}", host(self.server));
        if self.server == Server::Postgresql {
            let mut client = postgres::Client::connect(&url, postgres::NoTls).map_err(|e| format!("{e:?}"))?;
            return client.batch_execute(sql).map_err(|e| e.as_db_error().map_or_else(|| e.to_string(), |d| d.message().to_owned()));
        }
        let mut connection = mysql::Conn::new(mysql::Opts::from_url(&url).unwrap()).map_err(|e| e.to_string())?;
        let outcome = connection.query_iter(sql).map_err(|e| e.to_string())?;
        // Every statement's result has to be taken, or the rest doesn't run.
        let mut outcome = outcome;
        while let Some(set) = outcome.iter() {
            for row in set {
                row.map_err(|e| e.to_string())?;
            }
        }
        Ok(())
    }

    /// How many records a table has.
    pub fn count(&self, table: &str) -> i64 {
        let sql = format!("SELECT count(*) FROM {table}");
        if self.server == Server::Postgresql {
            return postgres::Client::connect(&self.url(), postgres::NoTls).unwrap().query_one(&sql, &[]).unwrap().get(0);
        }
        let mut connection = mysql::Conn::new(mysql::Opts::from_url(&self.url()).unwrap()).unwrap();
        connection.query_first(sql).unwrap().unwrap()
    }

    /// The schema as the library reads it.
    #[track_caller]
    pub fn read(&self, schemas: &[&str]) -> Schema {
        let schemas: Vec<String> = schemas.iter().map(|s| (*s).to_owned()).collect();
        let source = Source::parse(&self.url(), Path::new(""), |_| None).unwrap();
        source.read(&schemas).unwrap_or_else(|e| panic!("{e}"))
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let force = if self.server == Server::Postgresql { " WITH (FORCE)" } else { "" };
        let _ = self.try_run_on(self.maintenance(), &format!("DROP DATABASE IF EXISTS {}{force}", self.name));
    }
}

/// Changes between two schemas, one line each.
pub fn told(before: &Schema, after: &Schema) -> Vec<String> {
    compare(before, after, &Known::default())
        .changes
        .iter()
        .map(|c| {
            let renamed = c.to.as_ref().map_or(String::new(), |t| format!(" → {t}"));
            let relation = c.relation.map_or(String::new(), |r| format!(" ({})", r.word()));
            format!("{} {}{renamed}{relation}", c.kind.name(), ysomorph_core::name::shown(&c.subject()))
        })
        .collect()
}
