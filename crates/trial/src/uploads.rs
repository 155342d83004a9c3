//! Files that are sent to be imported: kept in memory under a random name until they are taken.

use crate::ask::Query;
use crate::page::{self, Given, Import, Request};
use crate::sheet;
use crate::visit::{Visit, absent, foreign, shown_or_absent, to};
use axum::body::Bytes;
use axum::extract::Multipart;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};

/// Asks for a file.
pub async fn ask(visit: Visit) -> Response {
    visit.make(|visit, request| shown_or_absent(request, page::imported(request, visit.at(), &Import::Choose(None)))).await
}

/// Keeps a file that was sent.
pub async fn send(visit: Visit, mut parts: Multipart) -> Response {
    let (mut token, mut import, mut file) = (String::new(), String::new(), Vec::new());
    loop {
        match parts.next_field().await {
            Ok(Some(part)) => match part.name().unwrap_or_default() {
                "token" => token = part.text().await.unwrap_or_default(),
                "import" => import = part.text().await.unwrap_or_default(),
                "file" => match part.bytes().await {
                    Ok(bytes) => file = bytes.to_vec(),
                    Err(_) => return (StatusCode::PAYLOAD_TOO_LARGE, "This file is too large: 20 MB are the most.").into_response(),
                },
                _ => {}
            },
            Ok(None) => break,
            Err(_) => return (StatusCode::BAD_REQUEST, "This form can't be read.").into_response(),
        }
    }
    if !visit.served.guard.is_token(&token) {
        return foreign();
    }
    visit
        .make(move |visit, request| {
            // Whoever may not import doesn't have a file read either.
            if page::imported(request, visit.at(), &Import::Choose(None)).is_none() {
                return absent(request);
            }
            match sheet::read(&file) {
                Ok(sheets) => match visit.served.keep(sheets) {
                    Some(upload) => to(&format!(
                        "{}/{upload}{}",
                        visit.here.split('?').next().unwrap_or_default(),
                        Query::default().with("import", Some(&import)).written()
                    )),
                    None => (StatusCode::INTERNAL_SERVER_ERROR, "The system has no random numbers.").into_response(),
                },
                Err(trouble) => shown_or_absent(request, page::imported(request, visit.at(), &Import::Choose(Some(&trouble)))),
            }
        })
        .await
}

/// Shows what would come of a file.
pub async fn look_at(visit: Visit) -> Response {
    visit.make(|visit, request| answer(visit, request, &visit.query, false)).await
}

/// Takes a file, or looks at it otherwise.
pub async fn take(visit: Visit, body: Bytes) -> Response {
    let Some(chosen) = visit.form(&body) else { return foreign() };
    visit
        .make(move |visit, request| {
            let is_run = chosen.get("run").is_some();
            let response = answer(visit, request, &chosen, is_run);
            if is_run {
                visit.served.tell();
            }
            response
        })
        .await
}

fn answer(visit: &Visit, request: &Request<'_>, chosen: &Query, is_run: bool) -> Response {
    let upload = visit.part("upload");
    let file = visit.served.file(upload);
    let step = match &file {
        Some(sheets) => Import::Given(Given { upload, sheets, chosen, is_run }),
        None => Import::Choose(Some("it isn't kept any more: send it again")),
    };
    shown_or_absent(request, page::imported(request, visit.at(), &step))
}
