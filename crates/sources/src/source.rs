//! A source as it is named on the command line or in the configuration.

use crate::address::{Address, without_password};
use crate::error::SourceError;
use crate::{mariadb, postgres, sqlite};
use std::fmt;
use std::path::{Path, PathBuf};
use ysomorph_core::schema::{Engine, Outline, Schema};

/// A place a schema can be read from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Source {
    /// `sqlite:FILE`
    Sqlite(PathBuf),
    /// `snapshot:FILE`
    Snapshot(PathBuf),
    /// `postgres://…`, `mysql://…`
    Server(Box<Address>),
}

impl Source {
    /// Reads a source's name. `${NAME}` stands for the environment variable, asked through `environment`.
    /// A relative file is taken from `base`.
    pub fn parse(text: &str, base: &Path, environment: impl Fn(&str) -> Option<String>) -> Result<Source, SourceError> {
        let full = expand(text, &environment)?;
        let scheme = full.split_once("://").map_or("", |(scheme, _)| scheme);
        if matches!(scheme, "postgres" | "postgresql" | "mysql" | "mariadb") {
            let address =
                Address::parse(&full, &environment).map_err(|reason| SourceError::Url { url: format!("{scheme}://…"), reason })?;
            return Ok(Source::Server(Box::new(address)));
        }
        if let Some(file) = full.strip_prefix("sqlite:") {
            return Ok(Source::Sqlite(base.join(file)));
        }
        if let Some(file) = full.strip_prefix("snapshot:") {
            return Ok(Source::Snapshot(base.join(file)));
        }
        // The text may hold a password: only its scheme is repeated.
        let scheme = text.split_once(':').map_or(text, |(scheme, _)| scheme);
        Err(SourceError::Unknown(if text.contains(':') { format!("{scheme}:…") } else { text.to_owned() }))
    }

    /// Reads the schema; nothing is written. `schemas` are the namespaces wanted, home first; none stands for the
    /// usual one. Files have no other.
    pub fn read(&self, schemas: &[String]) -> Result<Schema, SourceError> {
        match self {
            Source::Server(address) if address.engine == Engine::Postgresql => {
                Ok(postgres::read(address, schemas)?.without_mistakable_names())
            }
            Source::Server(address) => Ok(mariadb::read(address, schemas)?.without_mistakable_names()),
            Source::Sqlite(path) => Ok(sqlite::read(path)?.without_mistakable_names()),
            Source::Snapshot(path) => {
                Schema::from_snapshot(&text_of(path)?).map_err(|source| SourceError::Snapshot { path: path.clone(), source })
            }
        }
    }

    /// The engine of a live database; a snapshot's is in the snapshot.
    pub fn engine(&self) -> Engine {
        match self {
            Source::Server(address) => address.engine,
            Source::Sqlite(_) | Source::Snapshot(_) => Engine::Sqlite,
        }
    }

    /// Reads two sources at the same time, to compare them. Of two snapshots the tables that stand word for word in
    /// both are left out, unless they are wanted `whole`: comparing wouldn't mention them.
    ///
    /// # Errors
    /// What went wrong with either.
    pub fn read_two(before: &Source, after: &Source, schemas: &[String], whole: bool) -> Result<(Schema, Schema), SourceError> {
        fn both<T: Send>(
            first: impl FnOnce() -> Result<T, SourceError> + Send,
            second: impl FnOnce() -> Result<T, SourceError> + Send,
        ) -> Result<(T, T), SourceError> {
            std::thread::scope(|scope| {
                let other = scope.spawn(second);
                let first = first();
                let second = other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic));
                Ok((first?, second?))
            })
        }
        let (Source::Snapshot(old), Source::Snapshot(new), false) = (before, after, whole) else {
            return both(|| before.read(schemas), || after.read(schemas));
        };
        let (old_text, new_text) = both(|| text_of(old), || text_of(new))?;
        let failed = |path: &PathBuf| {
            let path = path.clone();
            move |source| SourceError::Snapshot { path, source }
        };
        let (old_outline, new_outline) =
            both(|| Outline::of(&old_text).map_err(failed(old)), || Outline::of(&new_text).map_err(failed(new)))?;
        Outline::differing(old_outline, new_outline).map_err(failed(new))
    }
}

fn text_of(path: &Path) -> Result<String, SourceError> {
    // A pipe in a folder would be waited for; what a shell hands over has a place of its own.
    let handed = ["/dev/fd", "/dev/stdin", "/proc/self/fd"].iter().any(|place| path.starts_with(place));
    if !handed && std::fs::metadata(path).is_ok_and(|there| !there.is_file()) {
        return Err(SourceError::Open { path: path.to_owned(), reason: "it is no plain file".to_owned() });
    }
    std::fs::read_to_string(path).map_err(|error| SourceError::Open { path: path.to_owned(), reason: error.to_string() })
}

impl fmt::Display for Source {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Source::Server(address) => write!(f, "{address}"),
            Source::Sqlite(path) => write!(f, "sqlite:{}", path.display()),
            Source::Snapshot(path) => write!(f, "snapshot:{}", path.display()),
        }
    }
}

/// A source's text as it may be kept in a file: a password in it is left out.
pub fn kept_text(text: &str) -> String {
    if text.contains("${") { text.to_owned() } else { without_password(text) }
}

fn expand(text: &str, environment: &impl Fn(&str) -> Option<String>) -> Result<String, SourceError> {
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once("${") {
        let Some((name, tail)) = after.split_once('}') else { break };
        out.push_str(before);
        out.push_str(&environment(name).ok_or_else(|| SourceError::Environment(name.to_owned()))?);
        rest = tail;
    }
    out.push_str(rest);
    Ok(out)
}
