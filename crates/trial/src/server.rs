//! Answers requests: each is a page made by reading, or an answer that is kept. Reading takes its time, so it is done beside the server.

use crate::TrialError;
use crate::ask::{Query, Shown};
use crate::form::Typed;
use crate::guard::{Guard, cookies, guarded};
use crate::page::{self, Done, Given, Import, Request};
use crate::pool;
use crate::reader::Viewer;
use crate::sheet::{self, Sheet};
use crate::site::{Current, Site};
use axum::Router;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, Multipart, Path, RawQuery, State};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE, LOCATION, SET_COOKIE};
use axum::http::{HeaderMap, StatusCode, Uri};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use futures_util::stream;
use std::collections::VecDeque;
use std::convert::Infallible;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use std::time::{Duration, Instant};
use tokio::net::TcpListener;
use tokio::sync::watch;
use ysomorph_sources::Values;

/// The cookie that says who looks.
const VIEWER: &str = "ysomorph_viewer";
/// Most bytes of a form.
const LARGEST_FORM: usize = 64 * 1024;
/// Most bytes of a file that is imported.
const LARGEST_FILE: usize = 20 * 1024 * 1024;
/// Most files that are kept between looking at them and taking them.
const MOST_FILES: usize = 4;

/// An answer that somebody gave in the browser.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answered {
    /// The question's name.
    pub question: String,
    /// The choice.
    pub choice: String,
}

/// Keeps an answer, or says why it can't.
pub type Keep = Box<dyn Fn(&Answered) -> Result<(), String> + Send + Sync>;

/// What is served, and how.
pub struct Setting {
    /// The port; 0 for any that is free.
    pub port: u16,
    /// Who looks first: a role, and values for what SQL may name.
    pub role: Option<String>,
    /// Values by the names of parameters.
    pub values: Values,
    /// Makes the site from the files and the database as they are.
    pub load: Box<dyn Fn() -> Result<Site, String> + Send + Sync>,
    /// What tells whether files or schema changed since the last time.
    pub seen: Box<dyn Fn() -> Option<String> + Send + Sync>,
    /// Keeps an answer.
    pub answer: Keep,
    /// Tells the address, once it can be opened.
    pub ready: Box<dyn Fn(&str) + Send + Sync>,
    /// Values of parameters that are always there: today, now.
    pub always: Box<dyn Fn() -> Values + Send + Sync>,
}

struct Served {
    setting: Setting,
    current: Current,
    /// Counts what may have changed what pages show.
    changes: watch::Sender<u64>,
    /// Files that were sent, under random names: never by their own, and never on the disk.
    files: Mutex<VecDeque<(String, Arc<Vec<Sheet>>)>>,
    guard: Arc<Guard>,
}

type Shared = Arc<Served>;

/// Serves until the program is ended.
///
/// # Errors
/// Where the site can't be made, or nobody can listen at the port.
pub fn serve(first: Site, setting: Setting) -> Result<(), TrialError> {
    let system = |error: &dyn std::fmt::Display| TrialError::System(error.to_string());
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().map_err(|e| system(&e))?;
    let port = setting.port;
    runtime.block_on(async move {
        let taken = |e: &std::io::Error| TrialError::Port { port, reason: e.to_string() };
        let listener = TcpListener::bind(("127.0.0.1", port)).await.map_err(|e| taken(&e))?;
        let port = listener.local_addr().map_err(|e| taken(&e))?.port();
        let guard = Arc::new(Guard::new(port).map_err(|e| system(&e))?);
        (setting.ready)(&guard.address());
        let served = Arc::new(Served {
            setting,
            current: Current::new(first),
            changes: watch::Sender::new(0),
            files: Mutex::default(),
            guard: Arc::clone(&guard),
        });
        let watched = Arc::downgrade(&served);
        std::thread::spawn(move || look_again(&watched));
        axum::serve(listener, routes(served, guard)).await.map_err(|e| system(&e))
    })
}

/// How often files and schema are looked at.
const PAUSE: Duration = Duration::from_secs(1);

/// Makes the site anew whenever files or schema changed, and tells the open pages.
fn look_again(served: &Weak<Served>) {
    let mut last = served.upgrade().and_then(|served| (served.setting.seen)());
    if let Some(served) = served.upgrade().filter(|served| served.current.site().is_begun) {
        served.load();
    }
    loop {
        std::thread::sleep(PAUSE);
        let Some(served) = served.upgrade() else { return };
        let now = (served.setting.seen)();
        if now != last {
            last = now;
            served.load();
        }
    }
}

impl Served {
    /// Makes the site anew; where that fails the one before stays, with a word of what hinders.
    fn load(&self) {
        match (self.setting.load)() {
            Ok(site) => self.current.replace(site),
            Err(trouble) => self.current.hindered(trouble),
        }
        self.tell();
    }

    /// Keeps a file's sheets, and gives the name that they are kept under; the oldest go.
    fn keep(&self, sheets: Vec<Sheet>) -> Option<String> {
        let name = crate::guard::random().ok()?;
        let mut files = self.files.lock().unwrap_or_else(PoisonError::into_inner);
        files.push_back((name.clone(), Arc::new(sheets)));
        while files.len() > MOST_FILES {
            files.pop_front();
        }
        Some(name)
    }

    /// A file's sheets, where they are still kept.
    fn file(&self, name: &str) -> Option<Arc<Vec<Sheet>>> {
        let files = self.files.lock().unwrap_or_else(PoisonError::into_inner);
        files.iter().find(|(own, _)| own == name).map(|(_, sheets)| Arc::clone(sheets))
    }

    /// Tells the open pages that something may have changed.
    fn tell(&self) {
        self.changes.send_modify(|count| *count = count.wrapping_add(1));
    }
}

fn routes(served: Shared, guard: Arc<Guard>) -> Router {
    Router::new()
        .route("/", get(enter))
        .route("/style.css", get(style))
        .route("/script.js", get(script))
        .route("/live", get(live))
        .route("/viewer", post(viewer))
        .route("/answer", post(answer))
        .route("/{shown}/", get(start))
        .route("/{shown}/{entity}/{page}", get(show).post(save))
        .route("/{shown}/{entity}/{page}/export", get(export))
        .route("/{shown}/{entity}/{page}/import", get(ask_import).post(upload).layer(DefaultBodyLimit::max(LARGEST_FILE)))
        .route("/{shown}/{entity}/{page}/import/{upload}", get(look_at).post(take))
        .route("/{shown}/{entity}/{page}/delete", get(ask_delete).post(delete))
        .fallback(nowhere)
        .layer(DefaultBodyLimit::max(LARGEST_FORM))
        .layer(axum::middleware::from_fn_with_state(guard, guarded))
        .with_state(served)
}

/// By the printed address: the key becomes a cookie.
async fn enter(State(served): State<Shared>, RawQuery(query): RawQuery) -> Response {
    let query = Query::read(query.as_deref().unwrap_or_default());
    match query.get("key") {
        Some(key) if served.guard.is_key(key) => {
            let mut response = back(&query);
            if let Ok(cookie) = served.guard.cookie().parse() {
                response.headers_mut().append(SET_COOKIE, cookie);
            }
            response
        }
        Some(_) => (StatusCode::FORBIDDEN, "This isn't the key: open the address that was printed.").into_response(),
        None => to("/now/"),
    }
}

async fn style() -> Response {
    let style = format!("{}{}", ysomorph_report::BASE_STYLE, include_str!("style.css"));
    ([(CONTENT_TYPE, "text/css; charset=utf-8")], style).into_response()
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

async fn start(State(served): State<Shared>, Path(shown): Path<String>, uri: Uri, headers: HeaderMap) -> Response {
    making(served, headers, shown, uri, String::new(), |request| match page::first(request) {
        Some(address) => to(&address),
        None => Html(page::welcome(request).into_string()).into_response(),
    })
    .await
}

async fn show(
    State(served): State<Shared>,
    Path((shown, entity, name)): Path<(String, String, String)>,
    RawQuery(query): RawQuery,
    uri: Uri,
    headers: HeaderMap,
) -> Response {
    making(served, headers, shown, uri, query.unwrap_or_default(), move |request| match page::page(request, &entity, &name) {
        Some(page) => Html(page.into_string()).into_response(),
        None => absent(request),
    })
    .await
}

async fn save(
    State(served): State<Shared>,
    Path((shown, entity, name)): Path<(String, String, String)>,
    RawQuery(query): RawQuery,
    uri: Uri,
    headers: HeaderMap,
    body: Bytes,
) -> Response {
    let Some(form) = form(&served, &body) else { return foreign() };
    let told = Arc::clone(&served);
    making(served, headers, shown, uri, query.unwrap_or_default(), move |request| {
        done(&told, request, page::save(request, &entity, &name, Typed(form)))
    })
    .await
}

async fn ask_delete(
    State(served): State<Shared>,
    Path((shown, entity, name)): Path<(String, String, String)>,
    RawQuery(query): RawQuery,
    uri: Uri,
    headers: HeaderMap,
) -> Response {
    let query = query.unwrap_or_default();
    let told = Arc::clone(&served);
    making(served, headers, shown, uri, query, move |request| done(&told, request, page::delete(request, &entity, &name, None))).await
}

async fn delete(
    State(served): State<Shared>,
    Path((shown, entity, name)): Path<(String, String, String)>,
    RawQuery(query): RawQuery,
    uri: Uri,
    headers: HeaderMap,
    body: Bytes,
) -> Response {
    let Some(form) = form(&served, &body).map(Typed) else { return foreign() };
    let query = query.unwrap_or_default();
    let told = Arc::clone(&served);
    making(served, headers, shown, uri, query, move |request| done(&told, request, page::delete(request, &entity, &name, Some(&form))))
        .await
}

async fn export(
    State(served): State<Shared>,
    Path((shown, entity, name)): Path<(String, String, String)>,
    RawQuery(query): RawQuery,
    uri: Uri,
    headers: HeaderMap,
) -> Response {
    let query = query.unwrap_or_default();
    making(served, headers, shown, uri, query, move |request| match page::exported(request, &entity, &name) {
        Some(Ok(file)) => {
            let kept = [(CONTENT_TYPE, file.kind.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{}\"", file.name))];
            (kept, file.bytes).into_response()
        }
        Some(Err(trouble)) => {
            let text = page::message(request, "No file", &trouble.to_string()).into_string();
            (StatusCode::BAD_GATEWAY, Html(text)).into_response()
        }
        None => absent(request),
    })
    .await
}

/// The parts of an address of an import.
type ImportPath = Path<(String, String, String)>;

async fn ask_import(State(served): State<Shared>, Path((shown, entity, name)): ImportPath, uri: Uri, headers: HeaderMap) -> Response {
    making(served, headers, shown, uri, String::new(), move |request| {
        page_or_absent(request, page::imported(request, &entity, &name, &Import::Choose(None)))
    })
    .await
}

/// Keeps a file that was sent until it is taken, in memory.
async fn upload(
    State(served): State<Shared>,
    Path((shown, entity, name)): ImportPath,
    uri: Uri,
    headers: HeaderMap,
    mut parts: Multipart,
) -> Response {
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
    if !served.guard.is_token(&token) {
        return foreign();
    }
    let kept = Arc::clone(&served);
    let here = uri.path().to_owned();
    making(served, headers, shown, uri, String::new(), move |request| {
        // Whoever may not import doesn't have a file read either.
        let Some(page) = page::imported(request, &entity, &name, &Import::Choose(None)) else { return absent(request) };
        drop(page);
        match sheet::read(&file) {
            Ok(sheets) => match kept.keep(sheets) {
                Some(upload) => to(&format!("{here}/{upload}{}", Query::default().with("import", Some(&import)).written())),
                None => (StatusCode::INTERNAL_SERVER_ERROR, "The system has no random numbers.").into_response(),
            },
            Err(trouble) => page_or_absent(request, page::imported(request, &entity, &name, &Import::Choose(Some(&trouble)))),
        }
    })
    .await
}

/// The parts of an address of a file that was sent.
type UploadPath = Path<(String, String, String, String)>;

async fn look_at(
    State(served): State<Shared>,
    Path((shown, entity, name, upload)): UploadPath,
    RawQuery(query): RawQuery,
    uri: Uri,
    headers: HeaderMap,
) -> Response {
    let chosen = Query::read(query.as_deref().unwrap_or_default());
    let file = served.file(&upload);
    making(served, headers, shown, uri, String::new(), move |request| {
        import_of(request, (&entity, &name), &upload, file.as_deref(), &chosen, false)
    })
    .await
}

async fn take(
    State(served): State<Shared>,
    Path((shown, entity, name, upload)): UploadPath,
    uri: Uri,
    headers: HeaderMap,
    body: Bytes,
) -> Response {
    let Some(chosen) = form(&served, &body) else { return foreign() };
    let (file, told) = (served.file(&upload), Arc::clone(&served));
    making(served, headers, shown, uri, String::new(), move |request| {
        let is_run = chosen.get("run").is_some();
        let response = import_of(request, (&entity, &name), &upload, file.as_deref(), &chosen, is_run);
        if is_run {
            told.tell();
        }
        response
    })
    .await
}

fn import_of(
    request: &Request<'_>,
    (entity, name): (&str, &str),
    upload: &str,
    file: Option<&Vec<Sheet>>,
    chosen: &Query,
    is_run: bool,
) -> Response {
    let step = match file {
        Some(sheets) => Import::Given(Given { upload, sheets, chosen, is_run }),
        None => Import::Choose(Some("it isn't kept any more: send it again")),
    };
    page_or_absent(request, page::imported(request, entity, name, &step))
}

fn page_or_absent(request: &Request<'_>, page: Option<maud::Markup>) -> Response {
    page.map_or_else(|| absent(request), |page| Html(page.into_string()).into_response())
}

/// What a form leads to, as an answer.
fn done(served: &Served, request: &Request<'_>, done: Option<Done>) -> Response {
    match done {
        Some(Done::To(address)) => {
            // What is saved in one window is seen in the others.
            served.tell();
            to(&address)
        }
        Some(Done::Page(page)) => Html(page.into_string()).into_response(),
        None => absent(request),
    }
}

/// Makes an answer beside the server: reading takes its time.
async fn making(
    served: Shared,
    headers: HeaderMap,
    shown: String,
    uri: Uri,
    query: String,
    make: impl FnOnce(&Request<'_>) -> Response + Send + 'static,
) -> Response {
    let Some(shown) = Shown::named(&shown) else { return nowhere().await };
    let made = tokio::task::spawn_blocking(move || {
        let site = served.current.site();
        let viewer = viewer_of(&served, &site, &headers);
        let query = Query::read(&query);
        let here = uri.path_and_query().map_or_else(|| uri.path().to_owned(), ToString::to_string);
        let trouble = served.current.trouble();
        let begun = Instant::now();
        pool::begin();
        let mut response = make(&Request {
            site: &site,
            trouble: trouble.as_deref(),
            shown,
            viewer: &viewer,
            query: &query,
            token: &served.guard.token,
            here: &here,
        });
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

fn absent(request: &Request<'_>) -> Response {
    let text = "There is no such page, or it isn't there for whoever looks.";
    (StatusCode::NOT_FOUND, Html(page::message(request, "No such page", text).into_string())).into_response()
}

async fn nowhere() -> Response {
    (StatusCode::NOT_FOUND, "There is no such page.").into_response()
}

fn to(address: &str) -> Response {
    (StatusCode::SEE_OTHER, [(LOCATION, address.to_owned())]).into_response()
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

/// A form, where it is one of this program.
fn form(served: &Served, body: &Bytes) -> Option<Query> {
    let form = Query::read(&String::from_utf8_lossy(body));
    form.get("token").is_some_and(|token| served.guard.is_token(token)).then_some(form)
}

fn foreign() -> Response {
    (StatusCode::FORBIDDEN, "This form isn't from a page of this program: go back and load it again.").into_response()
}

/// Back to the page a form was on, or an address is for; never to anywhere else.
fn back(form: &Query) -> Response {
    let here = form.get("here").filter(|here| here.starts_with('/') && !here.starts_with("//") && !here.contains('\\'));
    to(here.unwrap_or("/now/"))
}

async fn viewer(State(served): State<Shared>, body: Bytes) -> Response {
    let Some(form) = form(&served, &body) else { return foreign() };
    let kept = form.with("token", None).with("here", None).written();
    let mut response = back(&form);
    if let Ok(cookie) = format!("{VIEWER}={}; HttpOnly; SameSite=Strict; Path=/", kept.trim_start_matches('?')).parse() {
        response.headers_mut().append(SET_COOKIE, cookie);
    }
    response
}

async fn answer(State(served): State<Shared>, body: Bytes) -> Response {
    let Some(form) = form(&served, &body) else { return foreign() };
    let kept = tokio::task::spawn_blocking(move || {
        let (Some(question), Some(choice)) = (form.get("question"), form.get("choice")) else {
            return Err("An answer needs a question and a choice.".to_owned());
        };
        let site = served.current.site();
        let is_asked = site.questions.iter().any(|q| q.name == question && q.choices.iter().any(|c| c == choice));
        if !is_asked {
            return Err("Nothing asks that any more: load the page again.".to_owned());
        }
        (served.setting.answer)(&Answered { question: question.to_owned(), choice: choice.to_owned() })?;
        served.load();
        Ok(back(&form))
    });
    match kept.await {
        Ok(Ok(response)) => response,
        Ok(Err(message)) => (StatusCode::CONFLICT, message).into_response(),
        Err(_) => (StatusCode::INTERNAL_SERVER_ERROR, "The answer couldn't be kept: a defect.").into_response(),
    }
}
