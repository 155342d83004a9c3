//! What the driver reports, in plain words.

use crate::address::Address;
use crate::server::{ServerError, Trouble, of_io};
use postgres::error::{DbError, SqlState};
use ysomorph_core::refusal::{Refusal, RefusalKind};

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

/// What a refusal of the database means. Its DETAIL quotes rows and values: nothing of it is kept but the names of columns.
pub(crate) fn refusal(error: &DbError) -> Refusal {
    let code = error.code();
    let kind = match code.code() {
        "23505" | "23P01" => RefusalKind::Taken,
        // The same code for both ends.
        "23503" if error.message().starts_with("insert") => RefusalKind::NothingThere,
        "23503" if error.message().starts_with("update or delete") => RefusalKind::ReferredTo,
        "23503" => RefusalKind::Reference,
        "23502" => RefusalKind::Empty,
        "23514" | "44000" => RefusalKind::Check,
        "22001" => RefusalKind::TooLong,
        "22003" | "22008" | "22015" => RefusalKind::OutOfRange,
        "55P03" | "40P01" | "40001" => RefusalKind::Locked,
        "P0001" => RefusalKind::Own,
        other if other.starts_with("22") => RefusalKind::WrongValue,
        other if other.starts_with("23") => RefusalKind::Check,
        // What a trigger's author chose.
        other if other.starts_with('P') || other.starts_with("45") => RefusalKind::Own,
        _ => RefusalKind::Statement,
    };
    // "Key (tag, yard_id)=(7, a value) already exists."
    let keys = error.detail().and_then(|detail| detail.strip_prefix("Key (")?.split_once(")=(")).map_or("", |(keys, _)| keys);
    let keys = keys.split(", ").filter(|key| !key.is_empty()).map(|key| key.trim_matches('"').to_owned());
    Refusal {
        kind,
        constraint: error.constraint().map(str::to_owned),
        columns: error.column().map(str::to_owned).into_iter().chain(keys).collect(),
        ..Refusal::of_statement(error.message(), Some(code.code().to_owned()), None)
    }
}
