//! Forms as they are sent: as an address is written, or in parts where files go with them.

use crate::ask::Query;
use crate::bytes::to_hex;
use crate::form::kept_as;
use crate::visit::{Visit, foreign};
use axum::body::{Bytes, to_bytes};
use axum::extract::{FromRequest, Multipart, Request};
use axum::http::StatusCode;
use axum::http::header::CONTENT_TYPE;
use axum::response::{IntoResponse, Response};

/// Most bytes of a form without files.
pub const LARGEST_FORM: usize = 64 * 1024;
/// Most bytes of a file, and of a form with files.
pub const LARGEST_FILE: usize = 20 * 1024 * 1024;

/// A form of a page of this program, files by their hexadecimal digits; else what is answered.
pub async fn form(visit: &Visit, request: Request) -> Result<Query, Response> {
    let is_in_parts = |kind: &str| kind.to_ascii_lowercase().starts_with("multipart/form-data");
    if request.headers().get(CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).is_some_and(is_in_parts) {
        return in_parts(visit, request).await;
    }
    let too_large = |_| (StatusCode::PAYLOAD_TOO_LARGE, "This form is too large.").into_response();
    let body = to_bytes(request.into_body(), LARGEST_FORM).await.map_err(too_large)?;
    visit.form(&body).map(Query::with_members).ok_or_else(foreign)
}

/// A form in parts: its fields, and its files as they are.
pub struct Parts {
    pub fields: Query,
    pub files: Vec<(String, Bytes)>,
}

impl Parts {
    /// Those of a page of this program; else what is answered.
    pub async fn of(visit: &Visit, mut parts: Multipart) -> Result<Parts, Response> {
        let unreadable = || (StatusCode::BAD_REQUEST, "This form can't be read.").into_response();
        let too_large = || (StatusCode::PAYLOAD_TOO_LARGE, "These files are too large: 20 MB are the most.").into_response();
        let (mut fields, mut files) = (Vec::new(), Vec::new());
        while let Some(part) = parts.next_field().await.map_err(|_| unreadable())? {
            let name = part.name().unwrap_or_default().to_owned();
            // What it was called where it comes from says nothing here.
            let is_file = part.file_name().is_some();
            let bytes = part.bytes().await.map_err(|_| too_large())?;
            if is_file {
                files.push((name, bytes));
            } else {
                fields.push((name, String::from_utf8_lossy(&bytes).into_owned()));
            }
        }
        let fields = Query::of(fields);
        let is_own = fields.get("token").is_some_and(|token| visit.served.guard.is_token(token));
        is_own.then_some(Parts { fields, files }).ok_or_else(foreign)
    }
}

async fn in_parts(visit: &Visit, request: Request) -> Result<Query, Response> {
    let unreadable = |_| (StatusCode::BAD_REQUEST, "This form can't be read.").into_response();
    let parts = Multipart::from_request(request, &()).await.map_err(unreadable)?;
    let Parts { mut fields, files } = Parts::of(visit, parts).await?;
    for (name, chosen) in files {
        let Some(kept) = name.strip_prefix("field.").map(kept_as) else { continue };
        if chosen.is_empty() {
            // The one that was chosen before the mistake is meant; where it isn't kept any more, the form says which it was.
            let before = fields.get(&kept).and_then(|before| visit.served.held(before)).unwrap_or(chosen);
            fields = fields.and(name, to_hex(&before));
        } else {
            fields = fields.with(&kept, visit.served.hold(chosen.clone()).as_deref()).and(name, to_hex(&chosen));
        }
    }
    Ok(fields.with_members())
}
