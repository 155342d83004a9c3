//! Who is let in: whoever has the key that was printed, from this machine, by its own address, and nobody else.

use axum::extract::{Request, State};
use axum::http::header::{
    CACHE_CONTROL, CONTENT_SECURITY_POLICY, COOKIE, HOST, HeaderName, ORIGIN, REFERRER_POLICY, X_CONTENT_TYPE_OPTIONS,
};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::sync::Arc;
use subtle::ConstantTimeEq;

/// What a page may load and do: its own style and script, and to ask where it came from.
const POLICY: &str = "default-src 'none'; style-src 'self'; script-src 'self'; img-src 'self'; connect-src 'self'; form-action 'self'; \
                      base-uri 'none'; frame-ancestors 'none'";

/// The name of the cookie.
pub const COOKIE_NAME: &str = "ysomorph_key";

/// What lets somebody in.
#[derive(Debug)]
pub struct Guard {
    /// In the printed address, and then in the cookie.
    key: String,
    /// In every form: another page's script can't know it.
    pub token: String,
    port: u16,
}

impl Guard {
    /// New random keys.
    ///
    /// # Errors
    /// Where the system has no random numbers.
    pub fn new(port: u16) -> Result<Guard, getrandom::Error> {
        Ok(Guard { key: random()?, token: random()?, port })
    }

    /// The address to open.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}/?key={}", self.port, self.key)
    }

    /// Whether this is the key.
    pub fn is_key(&self, given: &str) -> bool {
        given.as_bytes().ct_eq(self.key.as_bytes()).into()
    }

    /// Whether a form came from a page of this program.
    pub fn is_token(&self, given: &str) -> bool {
        given.as_bytes().ct_eq(self.token.as_bytes()).into()
    }

    /// The cookie that stands for the key from now on.
    pub fn cookie(&self) -> String {
        format!("{COOKIE_NAME}={}; HttpOnly; SameSite=Strict; Path=/", self.key)
    }

    /// Whether the request was sent to this address by its own name: a name of somebody else's that leads here isn't.
    fn is_here(&self, headers: &HeaderMap) -> bool {
        let names = ["127.0.0.1", "localhost", "[::1]"].map(|name| format!("{name}:{}", self.port));
        let is_own = |host: &str| names.iter().any(|name| host.eq_ignore_ascii_case(name));
        let hosts: Vec<&HeaderValue> = headers.get_all(HOST).iter().collect();
        matches!(hosts.as_slice(), [host] if host.to_str().is_ok_and(is_own))
    }

    /// Whether what is sent comes from a page of this program, as far as the browser says.
    fn is_from_here(&self, headers: &HeaderMap) -> bool {
        let same = |origin: &str| {
            let names = ["127.0.0.1", "localhost", "[::1]"].map(|name| format!("http://{name}:{}", self.port));
            names.iter().any(|name| origin.eq_ignore_ascii_case(name))
        };
        let origin = headers.get(ORIGIN).is_none_or(|origin| origin.to_str().is_ok_and(same));
        let site = headers.get("sec-fetch-site").is_none_or(|site| site == "same-origin" || site == "none");
        origin && site
    }

    fn has_cookie(&self, headers: &HeaderMap) -> bool {
        cookies(headers, COOKIE_NAME).any(|value| self.is_key(value))
    }
}

/// A random name.
///
/// # Errors
/// Where the system has no random numbers.
pub fn random() -> Result<String, getrandom::Error> {
    let mut bytes = [0_u8; 24];
    getrandom::fill(&mut bytes)?;
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}

/// The values of a cookie of this name.
pub fn cookies<'h>(headers: &'h HeaderMap, name: &'h str) -> impl Iterator<Item = &'h str> {
    let all = headers.get_all(COOKIE).iter().filter_map(|value| value.to_str().ok()).flat_map(|text| text.split(';'));
    all.filter_map(|pair| pair.trim().split_once('=')).filter(move |(own, _)| *own == name).map(|(_, value)| value)
}

/// Lets a request through or refuses it, and gives every answer its headers.
pub async fn guarded(State(guard): State<Arc<Guard>>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    let enters = request.uri().path() == "/" && request.uri().query().is_some_and(|query| query.starts_with("key="));
    let mut response = if !guard.is_here(headers) {
        refused(StatusCode::MISDIRECTED_REQUEST, "Open the address that was printed: this one isn't served here.")
    } else if !(enters || guard.has_cookie(headers)) {
        refused(StatusCode::FORBIDDEN, "Open the address that was printed: the key in it lets you in.")
    } else if request.method() != Method::GET && !(request.method() == Method::POST && guard.is_from_here(headers)) {
        refused(StatusCode::FORBIDDEN, "This was sent from somewhere else.")
    } else {
        next.run(request).await
    };
    let added: [(HeaderName, &'static str); 6] = [
        (CONTENT_SECURITY_POLICY, POLICY),
        (X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (REFERRER_POLICY, "same-origin"),
        (HeaderName::from_static("x-frame-options"), "DENY"),
        (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
        (CACHE_CONTROL, "no-store"),
    ];
    for (name, value) in added {
        response.headers_mut().insert(name, HeaderValue::from_static(value));
    }
    response
}

fn refused(status: StatusCode, message: &'static str) -> Response {
    (status, message).into_response()
}
