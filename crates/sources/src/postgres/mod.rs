//! PostgreSQL: the whole catalogue as one JSON value, in one read-only repeatable-read transaction with time-outs.
//!
//! The number of round trips doesn't depend on the database. Nothing here could write: the session itself is
//! read-only. Names at home come without a schema, because the search path is set to the home schema alone.

mod build;
mod error;
mod grants;
mod objects;
mod parts;
mod rows;
pub(crate) mod trail;
mod types;

use crate::address::{Address, Tls};
use crate::server::{ServerError, Trouble, bounded, expanded, tls_config};
pub(crate) use error::{refusal, told};
use postgres::config::SslMode;
use postgres::types::Type;
use postgres::{Client, Config, IsolationLevel, NoTls};
use rows::Rows;
use tokio_postgres_rustls::MakeRustlsConnect;
use ysomorph_core::schema::Schema;

const CATALOGUE: &str = include_str!("catalogue.sql");
/// The oldest version whose catalogue has all that is asked for.
const OLDEST: i32 = 120_000;

/// Reads these schemas, home first; none stands for the first of the search path.
pub(crate) fn read(address: &Address, schemas: &[String]) -> Result<Schema, ServerError> {
    let schemas = schemas.to_vec();
    bounded(address, connect, move |mut client, address| read_from(&mut client, address, &schemas))
}

/// A session that can't write, with limits on waiting.
pub(crate) fn connect(address: &Address) -> Result<Client, ServerError> {
    let (config, tls) = config(address)?;
    let connected = match tls {
        Some(tls) => Config::from(config).connect(tls),
        None => Config::from(config).connect(NoTls),
    };
    connected.map_err(|error| told(address, &error))
}

/// A session over which questions are sent without waiting for answers, and what drives it.
pub(crate) struct Pipelined {
    pub runtime: tokio::runtime::Runtime,
    pub client: tokio_postgres::Client,
}

/// The same session for many questions at once.
pub(crate) fn connect_pipelined(address: &Address) -> Result<Pipelined, ServerError> {
    let (config, tls) = config(address)?;
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_all()
        .build()
        .map_err(|error| ServerError::new(address, Trouble::Other, &error.to_string()))?;
    let connected = runtime.block_on(async {
        Ok(match tls {
            Some(tls) => {
                let (client, connection) = config.connect(tls).await?;
                tokio::spawn(connection);
                client
            }
            None => {
                let (client, connection) = config.connect(NoTls).await?;
                tokio::spawn(connection);
                client
            }
        })
    });
    let client = connected.map_err(|error| told(address, &error))?;
    Ok(Pipelined { runtime, client })
}

/// How a session is opened: read-only, with limits on waiting; and the encryption, if any.
fn config(address: &Address) -> Result<(tokio_postgres::Config, Option<MakeRustlsConnect>), ServerError> {
    let mut config = tokio_postgres::Config::new();
    config
        .host(&address.host)
        .port(address.port)
        .user(&address.user)
        .dbname(&address.database)
        .application_name("ysomorph")
        .connect_timeout(address.connect_timeout)
        .options(format!(
            "-c default_transaction_read_only=on -c statement_timeout={} -c lock_timeout=5000 -c idle_in_transaction_session_timeout=60000",
            address.read_timeout.as_millis()
        ));
    if let Some(password) = address.password() {
        config.password(password);
    }
    // A socket can't be encrypted, and needn't be.
    let tls = tls_config(address)?.filter(|_| !address.host.starts_with('/'));
    config.ssl_mode(match (&tls, &address.tls) {
        (None, _) => SslMode::Disable,
        (Some(_), Tls::Prefer) => SslMode::Prefer,
        (Some(_), _) => SslMode::Require,
    });
    Ok((config, tls.map(MakeRustlsConnect::new)))
}

/// The types of parameters that always exist; the others' follow from where they stand.
pub(crate) fn parameter_type(name: &str) -> Type {
    match name {
        "today" => Type::DATE,
        "now" => Type::TIMESTAMPTZ,
        "user_name" | "search" => Type::TEXT,
        _ => Type::UNKNOWN,
    }
}

/// Reads over an open session.
fn read_from(client: &mut Client, address: &Address, schemas: &[String]) -> Result<Schema, ServerError> {
    let fail = |e: postgres::Error| told(address, &e);
    let mut transaction =
        client.build_transaction().isolation_level(IsolationLevel::RepeatableRead).read_only(true).start().map_err(fail)?;
    let wanted: Vec<&str> = schemas.iter().map(String::as_str).collect();
    let row = transaction
        .query_typed(
            "SELECT coalesce(($1::text[])[1], current_schema(), 'public'), current_setting('server_version_num')::int4,
                    set_config('search_path', quote_ident(coalesce(($1::text[])[1], current_schema(), 'public')), true),
                    ARRAY(SELECT nspname::text FROM pg_namespace WHERE nspname !~ '^pg_' AND nspname <> 'information_schema' ORDER BY 1)",
            &[(&wanted, Type::TEXT_ARRAY)],
        )
        .map_err(fail)?;
    let (home, version, there): (String, i32, Vec<String>) =
        row.first().map_or_else(Default::default, |row| (row.get(0), row.get(1), row.get(3)));
    if version < OLDEST {
        let message = format!("PostgreSQL {} is too old; version 12 or later is needed", version / 10_000);
        return Err(ServerError::new(address, Trouble::Other, &message));
    }
    let all = if wanted.is_empty() { vec![home.clone()] } else { expanded(schemas, &there) };
    if let Some(missing) = all.iter().find(|s| !there.contains(s)) {
        let message = format!("it has no schema `{missing}`");
        return Err(ServerError::new(address, Trouble::NoSchema(there), &message));
    }
    let sql = CATALOGUE
        .replace("{nulls}", if version >= 150_000 { "i.indnullsnotdistinct" } else { "false" })
        .replace("{body}", if version >= 140_000 { "coalesce(pg_get_function_sqlbody(p.oid), p.prosrc)" } else { "p.prosrc" });
    let (catalogue, unseen) = parts::read(&mut transaction, address, &sql, &all)?;
    let rows: Rows = serde_json::from_value(catalogue)
        .map_err(|e| ServerError::new(address, Trouble::Other, &format!("its catalogue has a form this version doesn't know: {e}")))?;
    let kept = rows.trail;
    let mut schema = build::schema(rows);
    schema.home = Some(home);
    schema.unseen.extend(unseen);
    if kept && let Some(catalogue) = &mut schema.catalogue {
        // Who may not read the log simply does without it.
        let mut attempt = transaction.savepoint("trail").map_err(fail)?;
        schema.trail = attempt.query_typed(trail::NEWEST, &[]).unwrap_or_default().iter().map(trail::entry).collect();
        attempt.rollback().map_err(fail)?;
        catalogue.trail = Some(schema.trail.last().map_or(0, |entry| entry.id));
    }
    transaction.commit().map_err(fail)?;
    Ok(schema)
}
