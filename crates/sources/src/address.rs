//! Where a server is and who asks: read from a url, completed from the environment and the usual password files.
//! A password is kept apart from everything that is printed.

use crate::option_file;
use percent_encoding::percent_decode_str;
use std::fmt;
use std::path::{Path, PathBuf};
use std::time::Duration;
use url::Url;
use ysomorph_core::schema::Engine;

/// A password: never printed, whatever is.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret(String);

impl Secret {
    /// The password itself, for the driver alone.
    pub(crate) fn reveal(&self) -> &str {
        &self.0
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("…")
    }
}

/// How a connection is encrypted.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Tls {
    /// Not at all.
    Off,
    /// Where the server offers it; whose it is isn't checked.
    #[default]
    Prefer,
    /// Always, and the server has to prove its name: to the usual authorities, or to this file of certificates.
    Verify(Option<PathBuf>),
}

/// A database on a server.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Address {
    /// Which protocol; MariaDB's stands for MySQL's too.
    pub engine: Engine,
    /// The host; a path for a socket.
    pub host: String,
    /// The port.
    pub port: u16,
    /// Who asks.
    pub user: String,
    /// The database.
    pub database: String,
    /// Encryption.
    pub tls: Tls,
    /// How long connecting may take.
    pub connect_timeout: Duration,
    /// How long reading may take.
    pub read_timeout: Duration,
    password: Option<Secret>,
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let scheme = if self.engine == Engine::Postgresql { "postgres" } else { "mysql" };
        write!(f, "{scheme}://{}@{}:{}/{}", self.user, self.host, self.port, self.database)
    }
}

impl Address {
    /// Reads a url such as `postgres://anna@db.example:5432/combs?sslmode=verify-full`. What it leaves out comes
    /// from the environment (`PGUSER`, `PGPASSWORD`, `MYSQL_PWD`…) and the engine's password file.
    ///
    /// # Errors
    /// A text for people that repeats nothing of what may hold a password.
    pub fn parse(text: &str, environment: &dyn Fn(&str) -> Option<String>) -> Result<Address, String> {
        let url = Url::parse(text)
            .map_err(|error| format!("it can't be read as a url ({error}); signs such as @ : / in a password are written %40 %3A %2F"))?;
        let engine = match url.scheme() {
            "postgres" | "postgresql" => Engine::Postgresql,
            _ => Engine::Mariadb,
        };
        let postgres = engine == Engine::Postgresql;
        let decoded = |text: &str| percent_decode_str(text).decode_utf8_lossy().into_owned();
        let first = |names: &[&str]| names.iter().find_map(|n| environment(n)).filter(|v| !v.is_empty());
        let own_user = || first(&["USER", "LOGNAME"]).unwrap_or_else(|| "root".to_owned());
        let user = match decoded(url.username()) {
            user if !user.is_empty() => user,
            _ if postgres => first(&["PGUSER"]).unwrap_or_else(own_user),
            _ => own_user(),
        };
        let database = decoded(url.path().trim_start_matches('/'));
        if database.is_empty() {
            return Err(format!("it names no database: write {}://…/DATABASE", url.scheme()));
        }
        let mut address = Address {
            engine,
            host: url.host_str().map(decoded).filter(|h| !h.is_empty()).unwrap_or_else(|| "localhost".to_owned()),
            port: url.port().unwrap_or(if postgres { 5432 } else { 3306 }),
            user,
            database,
            tls: Tls::default(),
            connect_timeout: Duration::from_secs(10),
            read_timeout: Duration::from_secs(120),
            password: url.password().map(|p| Secret(decoded(p))),
        };
        let (mut mode, mut authorities) = (None, None);
        for (key, value) in url.query_pairs() {
            let seconds = || value.parse().map(Duration::from_secs).map_err(|_| format!("`{key}` takes a number of seconds"));
            match key.as_ref() {
                "sslmode" | "ssl-mode" => mode = Some(value.to_lowercase()),
                "sslrootcert" | "ssl-ca" => authorities = Some(PathBuf::from(value.as_ref())),
                "connect_timeout" => address.connect_timeout = seconds()?,
                "read_timeout" => address.read_timeout = seconds()?,
                "host" | "socket" => address.host = value.into_owned(),
                other => {
                    return Err(format!(
                        "it has an unknown option `{other}`; there are sslmode, sslrootcert, connect_timeout, read_timeout, socket"
                    ));
                }
            }
        }
        address.tls = match mode.as_deref() {
            Some("disable" | "disabled") => Tls::Off,
            Some("require" | "required" | "verify-ca" | "verify_ca" | "verify-full" | "verify_identity") => Tls::Verify(authorities),
            None if authorities.is_some() => Tls::Verify(authorities),
            // What doesn't leave the machine needs no encryption.
            None if address.is_local() => Tls::Off,
            Some("allow" | "prefer" | "preferred") | None => Tls::Prefer,
            Some(other) => return Err(format!("sslmode={other} is none of disable, prefer, require, verify-full")),
        };
        if address.password.is_none() {
            let from_variable = first(if postgres { &["PGPASSWORD"] } else { &["MYSQL_PWD"] });
            address.password = from_variable.or_else(|| address.in_password_file(environment)).map(Secret);
        }
        Ok(address)
    }

    /// The same server's other database.
    pub(crate) fn with_database(&self, database: &str) -> Address {
        Address { database: database.to_owned(), ..self.clone() }
    }

    /// The password, for the driver.
    pub(crate) fn password(&self) -> Option<&str> {
        self.password.as_ref().map(Secret::reveal)
    }

    /// A text from a driver with the password taken out, should it be in there.
    pub(crate) fn scrubbed(&self, text: &str) -> String {
        match self.password() {
            Some(password) if !password.is_empty() => text.replace(password, "…"),
            _ => text.to_owned(),
        }
    }

    /// Whether the host is this machine.
    pub(crate) fn is_local(&self) -> bool {
        self.host.starts_with('/') || matches!(self.host.as_str(), "localhost" | "127.0.0.1" | "::1" | "[::1]")
    }

    fn in_password_file(&self, environment: &dyn Fn(&str) -> Option<String>) -> Option<String> {
        let home = environment("HOME").map(PathBuf::from);
        if self.engine == Engine::Postgresql {
            let file = environment("PGPASSFILE").map(PathBuf::from).or_else(|| Some(home?.join(".pgpass")))?;
            return if is_private(&file) { self.in_pgpass(&std::fs::read_to_string(file).ok()?) } else { None };
        }
        let common = ["/etc/my.cnf", "/etc/mysql/my.cnf"].map(PathBuf::from);
        option_file::password(&common.into_iter().chain(home.map(|home| home.join(".my.cnf"))).collect::<Vec<_>>())
    }

    /// `host:port:database:user:password`, `*` for any, `\` before `:` and `\`.
    fn in_pgpass(&self, text: &str) -> Option<String> {
        text.lines().filter(|line| !line.starts_with('#')).find_map(|line| {
            let mut parts = vec![String::new()];
            let mut characters = line.chars();
            while let Some(c) = characters.next() {
                match c {
                    '\\' => parts.last_mut()?.extend(characters.next()),
                    ':' if parts.len() < 5 => parts.push(String::new()),
                    // The password ends here.
                    ':' => break,
                    c => parts.last_mut()?.push(c),
                }
            }
            let [host, port, database, user, password] = parts.as_slice() else { return None };
            let is = |pattern: &String, value: &str| pattern == "*" || pattern == value;
            let here = is(host, &self.host) || (host == "localhost" && self.is_local());
            (here && is(port, &self.port.to_string()) && is(database, &self.database) && is(user, &self.user)).then(|| password.clone())
        })
    }
}

/// Whether a file is a plain one that only its owner may read: the client passes over others.
fn is_private(file: &Path) -> bool {
    let Ok(there) = std::fs::metadata(file) else { return false };
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        if there.permissions().mode() & 0o077 != 0 {
            return false;
        }
    }
    there.is_file()
}

/// A url without its password: what may be kept and shown.
pub fn without_password(text: &str) -> String {
    let Ok(mut url) = Url::parse(text) else { return text.to_owned() };
    if url.password().is_none() || url.set_password(None).is_err() {
        return text.to_owned();
    }
    url.to_string()
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "tests say so when something is wrong")]
    use super::*;

    fn parse(text: &str, environment: &[(&str, &str)]) -> Result<Address, String> {
        Address::parse(text, &|name| environment.iter().find(|(n, _)| *n == name).map(|(_, v)| (*v).to_owned()))
    }

    #[test]
    fn a_url_is_completed_from_the_environment_and_shows_no_password() {
        let address = parse("postgres://anna:s%40cret@db:6000/combs?sslmode=verify-full", &[]).unwrap();
        assert_eq!((address.to_string().as_str(), address.password()), ("postgres://anna@db:6000/combs", Some("s@cret")));
        assert_eq!(address.tls, Tls::Verify(None));
        assert!(!format!("{address:?}").contains("s@cret"));
        assert_eq!(address.scrubbed("login s@cret failed"), "login … failed");
        let address = parse("mysql://localhost/combs", &[("USER", "odo"), ("MYSQL_PWD", "x")]).unwrap();
        assert_eq!((address.to_string().as_str(), address.password()), ("mysql://odo@localhost:3306/combs", Some("x")));
        assert_eq!(without_password("postgres://anna:secret@db/combs"), "postgres://anna@db/combs");
        for bad in ["postgres://db", "postgres://db/x?sslmode=odd", "postgres://db/x?colour=blue", "mysql://h:port/x"] {
            assert!(parse(bad, &[]).is_err(), "{bad}");
        }
    }

    #[test]
    fn password_files_are_read() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("pass");
        std::fs::write(&file, "# all\nother:*:*:*:no\nlocalhost:*:combs:anna:a\\:b:rest\n").unwrap();
        let file_text = file.to_str().unwrap();
        let password = || parse("postgres://anna@127.0.0.1/combs", &[("PGPASSFILE", file_text)]).unwrap().password().map(str::to_owned);
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o644)).unwrap();
            assert_eq!(password(), None, "others may read it");
            std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600)).unwrap();
        }
        assert_eq!(password().as_deref(), Some("a:b"));
        assert_eq!(parse("postgres://odo@127.0.0.1/combs", &[("PGPASSFILE", file_text)]).unwrap().password(), None);
        std::fs::write(folder.path().join(".my.cnf"), "[client]\nuser=x\npassword = \"y z\"   # ours\n").unwrap();
        assert_eq!(parse("mysql://anna@h/combs", &[("HOME", folder.path().to_str().unwrap())]).unwrap().password(), Some("y z"));
    }
}
