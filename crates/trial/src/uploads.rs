//! Files that are sent to be imported: kept in memory under a random name until they are taken.

use crate::ask::Query;
use crate::page::{self, Given, Import, Request};
use crate::sent::Parts;
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
pub async fn send(visit: Visit, parts: Multipart) -> Response {
    let Parts { fields, files } = match Parts::of(&visit, parts).await {
        Ok(parts) => parts,
        Err(answer) => return answer,
    };
    let import = fields.get("import").unwrap_or_default().to_owned();
    let file = files.into_iter().find(|(name, _)| name == "file").map(|(_, bytes)| bytes).unwrap_or_default();
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
