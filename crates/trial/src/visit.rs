//! A request that was let in: what of which page is asked for, by whom. Reading takes its time, so pages are made beside the server.

use crate::ask::{Query, Shown};
use crate::guard::cookies;
use crate::page::{self, Request};
use crate::pool;
use crate::reader::Viewer;
use crate::served::{Served, Shared};
use crate::site::Site;
use axum::extract::rejection::PathRejection;
use axum::extract::{FromRequestParts, Path};
use axum::http::header::LOCATION;
use axum::http::request::Parts;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// The cookie that says who looks.
pub const VIEWER: &str = "ysomorph_viewer";

/// A request that was let in.
pub struct Visit {
    /// What is served.
    pub served: Shared,
    /// The parts of the address, by the names that its route has for them.
    parts: BTreeMap<String, String>,
    /// What stands behind the question mark.
    pub query: Query,
    /// The address, to come back to.
    pub here: String,
    headers: HeaderMap,
}

impl FromRequestParts<Shared> for Visit {
    type Rejection = PathRejection;

    async fn from_request_parts(parts: &mut Parts, served: &Shared) -> Result<Visit, PathRejection> {
        let Path(names) = Path::<BTreeMap<String, String>>::from_request_parts(parts, served).await?;
        Ok(Visit {
            served: Arc::clone(served),
            parts: names,
            query: Query::read(parts.uri.query().unwrap_or_default()),
            here: parts.uri.path_and_query().map_or_else(|| parts.uri.path().to_owned(), ToString::to_string),
            headers: parts.headers.clone(),
        })
    }
}

impl Visit {
    /// A part of the address; empty where it has none of that name.
    pub fn part(&self, name: &str) -> &str {
        self.parts.get(name).map_or("", String::as_str)
    }

    /// The entity and the page.
    pub fn at(&self) -> (&str, &str) {
        (self.part("entity"), self.part("page"))
    }

    /// A form, where it is one of this program.
    pub fn form(&self, body: &[u8]) -> Option<Query> {
        let form = Query::read(&String::from_utf8_lossy(body));
        form.get("token").is_some_and(|token| self.served.guard.is_token(token)).then_some(form)
    }

    /// Makes an answer beside the server.
    pub async fn make(self, make: impl FnOnce(&Visit, &Request<'_>) -> Response + Send + 'static) -> Response {
        let Some(shown) = Shown::named(self.part("shown")) else { return nowhere().await };
        let made = tokio::task::spawn_blocking(move || {
            let begun = Instant::now();
            pool::begin();
            let served = &self.served;
            let (site, trouble) = (served.current.site(), served.current.trouble());
            let viewer = viewer_of(served, &site, &self.headers);
            let request = Request {
                site: &site,
                trouble: trouble.as_deref(),
                shown,
                viewer: &viewer,
                query: &self.query,
                token: &served.guard.token,
                here: &self.here,
            };
            let mut response = make(&self, &request);
            // What takes the time, for whoever looks into the browser's own tools.
            let (whole, asked) = (begun.elapsed(), pool::spent());
            let milliseconds = |time: Duration| time.as_secs_f64() * 1_000.0;
            let told = format!("database;dur={:.1}, page;dur={:.1}", milliseconds(asked), milliseconds(whole.saturating_sub(asked)));
            if let Ok(told) = told.parse() {
                response.headers_mut().insert("server-timing", told);
            }
            response
        });
        made.await.unwrap_or_else(|_| (StatusCode::INTERNAL_SERVER_ERROR, "This page couldn't be made: a defect.").into_response())
    }
}

/// Whoever looks: as the cookie says, else as the command did. A role that isn't there any more is none of anybody's.
fn viewer_of(served: &Served, site: &Site, headers: &HeaderMap) -> Viewer {
    let kept = cookies(headers, VIEWER).next().map(Query::read);
    let chosen = kept.as_ref().and_then(|kept| kept.get("role")).or(served.setting.role.as_deref());
    let role = site.roles().find(|role| Some(*role) == chosen).or_else(|| site.roles().next()).map(str::to_owned);
    let mut values = served.setting.values.clone();
    for parameter in &site.now.model.app.parameters {
        if let Some(value) = kept.as_ref().and_then(|kept| kept.get(&format!("with.{}", parameter.name))) {
            values.insert(parameter.name.clone(), value.to_owned());
        }
    }
    values.extend((served.setting.always)());
    Viewer { role, values }
}

/// A form that isn't one of this program.
pub fn foreign() -> Response {
    (StatusCode::FORBIDDEN, "This form isn't from a page of this program: go back and load it again.").into_response()
}

/// A page, or that there is none.
pub fn shown_or_absent(request: &Request<'_>, page: Option<maud::Markup>) -> Response {
    page.map_or_else(|| absent(request), |page| Html(page.into_string()).into_response())
}

/// That there is no such page for whoever looks.
pub fn absent(request: &Request<'_>) -> Response {
    let text = "There is no such page, or it isn't there for whoever looks.";
    (StatusCode::NOT_FOUND, Html(page::message(request, "No such page", text).into_string())).into_response()
}

/// That there is nothing of that address.
pub async fn nowhere() -> Response {
    (StatusCode::NOT_FOUND, "There is no such page.").into_response()
}

/// Leads on to another address.
pub fn to(address: &str) -> Response {
    (StatusCode::SEE_OTHER, [(LOCATION, address.to_owned())]).into_response()
}

/// Back to the page a form was on, or an address is for; never to anywhere else.
pub fn back(form: &Query) -> Response {
    let here = form.get("here").filter(|here| here.starts_with('/') && !here.starts_with("//") && !here.contains('\\'));
    to(here.unwrap_or("/now/"))
}
