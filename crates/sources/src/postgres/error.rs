//! What the driver reports, in plain words.

use crate::address::Address;
use crate::server::{ServerError, Trouble, of_io};
use postgres::error::SqlState;

/// A driver's error in plain words.
pub(crate) fn told(address: &Address, error: &postgres::Error) -> ServerError {
    if let Some(db) = error.as_db_error() {
        let code = db.code();
        let trouble = if *code == SqlState::INVALID_PASSWORD || *code == SqlState::INVALID_AUTHORIZATION_SPECIFICATION {
            Trouble::Login
        } else if *code == SqlState::INVALID_CATALOG_NAME {
            Trouble::NoDatabase
        } else if *code == SqlState::INSUFFICIENT_PRIVILEGE {
            Trouble::Denied
        } else if *code == SqlState::LOCK_NOT_AVAILABLE {
            Trouble::Locked
        } else if *code == SqlState::QUERY_CANCELED {
            Trouble::TooSlow
        } else if code.code().starts_with("57P") || code.code().starts_with("08") {
            Trouble::Lost
        } else {
            Trouble::Other
        };
        return ServerError::new(address, trouble, db.message());
    }
    let mut source: Option<&dyn std::error::Error> = Some(error);
    let mut last = error.to_string();
    let mut trouble = Trouble::Other;
    while let Some(inner) = source {
        last = inner.to_string();
        if let Some(io) = inner.downcast_ref::<std::io::Error>() {
            trouble = of_io(io);
        }
        source = inner.source();
    }
    if trouble == Trouble::Other {
        let text = error.to_string();
        trouble = match () {
            // A message cut short.
            () if error.is_closed() || last.contains("bytes remaining") => Trouble::Lost,
            () if text.contains("TLS") || last.contains("certificate") => Trouble::Tls,
            () if last.contains("password") => Trouble::Login,
            () if text.contains("timed out") || last.contains("timed out") => Trouble::Hangs,
            () => Trouble::Other,
        };
    }
    if last.contains("invalid peer certificate") || last.contains("InvalidCertificate") {
        trouble = Trouble::Tls;
    }
    ServerError::new(address, trouble, &last)
}
