//! Addresses, and what answers each.

use crate::bytes::picture;
use crate::form::Typed;
use crate::guard::{Guard, guarded};
use crate::page::{self, Done, Request};
use crate::sent::{self, LARGEST_FILE, LARGEST_FORM};
use crate::served::{Answered, Shared};
use crate::uploads;
use crate::visit::{VIEWER, Visit, absent, back, foreign, nowhere, shown_or_absent, to};
use axum::Router;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::StatusCode;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE, SET_COOKIE};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use futures_util::stream;
use std::convert::Infallible;
use std::sync::Arc;

/// Every address.
pub fn routes(served: Shared, guard: Arc<Guard>) -> Router {
    let import = get(uploads::ask).post(uploads::send).layer(DefaultBodyLimit::max(LARGEST_FILE));
    Router::new()
        .route("/", get(enter))
        .route("/style.css", get(style))
        .route("/icon.svg", get(icon))
        .route("/script.js", get(script))
        .route("/live", get(live))
        .route("/viewer", post(viewer))
        .route("/answer", post(answer))
        .route("/{shown}/", get(start))
        .route("/{shown}/{entity}/{page}", get(show).post(save).layer(DefaultBodyLimit::max(LARGEST_FILE)))
        .route("/{shown}/{entity}/{page}/export", get(export))
        .route("/{shown}/{entity}/{page}/bytes", get(bytes))
        .route("/{shown}/{entity}/{page}/import", import)
        .route("/{shown}/{entity}/{page}/import/{upload}", get(uploads::look_at).post(uploads::take))
        .route("/{shown}/{entity}/{page}/delete", get(ask_delete).post(delete))
        .fallback(nowhere)
        .layer(DefaultBodyLimit::max(LARGEST_FORM))
        .layer(axum::middleware::from_fn_with_state(guard, guarded))
        .with_state(served)
}

/// By the printed address: the key becomes a cookie.
async fn enter(visit: Visit) -> Response {
    match visit.query.get("key") {
        Some(key) if visit.served.guard.is_key(key) => with_cookie(back(&visit.query), &visit.served.guard.cookie()),
        Some(_) => (StatusCode::FORBIDDEN, "This isn't the key: open the address that was printed.").into_response(),
        None => to("/now/"),
    }
}

fn with_cookie(mut response: Response, cookie: &str) -> Response {
    if let Ok(cookie) = cookie.parse() {
        response.headers_mut().append(SET_COOKIE, cookie);
    }
    response
}

async fn style() -> Response {
    let style = format!("{}{}", ysomorph_report::BASE_STYLE, include_str!("style.css"));
    ([(CONTENT_TYPE, "text/css; charset=utf-8")], style).into_response()
}

async fn icon() -> Response {
    ([(CONTENT_TYPE, "image/svg+xml")], include_str!("icon.svg")).into_response()
}

async fn script() -> Response {
    ([(CONTENT_TYPE, "text/javascript; charset=utf-8")], include_str!("script.js")).into_response()
}

/// Tells an open page whenever something may have changed.
async fn live(State(served): State<Shared>) -> Response {
    let told = stream::unfold(served.changes.subscribe(), |mut changes| async move {
        changes.changed().await.ok()?;
        let count = changes.borrow_and_update().to_string();
        Some((Ok::<Event, Infallible>(Event::default().data(count)), changes))
    });
    Sse::new(told).keep_alive(KeepAlive::default()).into_response()
}

async fn start(visit: Visit) -> Response {
    visit
        .make(|_, request| match page::first(request) {
            Some(address) => to(&address),
            None => Html(page::welcome(request).into_string()).into_response(),
        })
        .await
}

async fn show(visit: Visit) -> Response {
    visit.make(|visit, request| shown_or_absent(request, page::page(request, visit.at()))).await
}

async fn save(visit: Visit, request: axum::extract::Request) -> Response {
    let form = match sent::form(&visit, request).await {
        Ok(form) => Typed(form),
        Err(refusal) => return refusal,
    };
    visit.make(move |visit, request| done(visit, request, page::save(request, visit.at(), form))).await
}

async fn ask_delete(visit: Visit) -> Response {
    visit.make(|visit, request| done(visit, request, page::delete(request, visit.at(), None))).await
}

async fn delete(visit: Visit, body: Bytes) -> Response {
    let Some(form) = visit.form(&body).map(Typed) else { return foreign() };
    visit.make(move |visit, request| done(visit, request, page::delete(request, visit.at(), Some(&form)))).await
}

/// What a form leads to, as an answer.
fn done(visit: &Visit, request: &Request<'_>, done: Option<Done>) -> Response {
    match done {
        Some(Done::To(address)) => {
            // What is saved in one window is seen in the others.
            visit.served.tell();
            to(&address)
        }
        Some(Done::Page(page)) => Html(page.into_string()).into_response(),
        None => absent(request),
    }
}

async fn export(visit: Visit) -> Response {
    let file = |visit: &Visit, request: &Request<'_>| match page::exported(request, visit.at()) {
        Some(Ok(file)) => {
            let kept = [(CONTENT_TYPE, file.kind.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{}\"", file.name))];
            (kept, file.bytes).into_response()
        }
        Some(Err(trouble)) => {
            let text = page::message(request, "No file", &trouble.to_string()).into_string();
            (StatusCode::BAD_GATEWAY, Html(text)).into_response()
        }
        None => absent(request),
    };
    visit.make(file).await
}

/// A picture, or a file to keep: what isn't certainly a picture is never shown as anything.
async fn bytes(visit: Visit) -> Response {
    visit
        .make(|visit, request| match page::bytes(request, visit.at()) {
            Some(bytes) => match picture(&bytes) {
                Some(kind) => ([(CONTENT_TYPE, kind)], bytes).into_response(),
                None => ([(CONTENT_TYPE, "application/octet-stream"), (CONTENT_DISPOSITION, "attachment; filename=\"file\"")], bytes)
                    .into_response(),
            },
            None => absent(request),
        })
        .await
}

/// Who looks from now on, as a cookie keeps it.
async fn viewer(visit: Visit, body: Bytes) -> Response {
    let Some(form) = visit.form(&body) else { return foreign() };
    let kept = form.with("token", None).with("here", None).written();
    with_cookie(back(&form), &format!("{VIEWER}={}; HttpOnly; SameSite=Strict; Path=/", kept.trim_start_matches('?')))
}

/// Keeps an answer, and shows what comes of it.
async fn answer(visit: Visit, body: Bytes) -> Response {
    let Some(form) = visit.form(&body) else { return foreign() };
    let kept = tokio::task::spawn_blocking(move || {
        let (Some(question), Some(choice)) = (form.get("question"), form.get("choice")) else {
            return Err("An answer needs a question and a choice.".to_owned());
        };
        let site = visit.served.current.site();
        let is_asked = site.questions.iter().any(|q| q.name == question && q.choices.iter().any(|c| c == choice));
        if !is_asked {
            return Err("Nothing asks that any more: load the page again.".to_owned());
        }
        (visit.served.setting.answer)(&Answered { question: question.to_owned(), choice: choice.to_owned() })?;
        visit.served.load();
        Ok(back(&form))
    });
    match kept.await {
        Ok(Ok(response)) => response,
        Ok(Err(message)) => (StatusCode::CONFLICT, message).into_response(),
        Err(_) => (StatusCode::INTERNAL_SERVER_ERROR, "The answer couldn't be kept: a defect.").into_response(),
    }
}
