//! Who may speak to the server: hosts it answers to, pages it listens to, and the token it may ask for.
//!
//! A page of another site can make a browser send requests here, and a name that is made to point here
//! (DNS rebinding) makes them look like its own. So requests whose `Host` is not ours are refused, and so
//! are changes (tower-http's `csrf`) and sockets whose `Origin` is not the host that was asked.

use crate::problem::Problem;
use axum::Form;
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use sha2::{Digest, Sha256};
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Mutex;
use tower_http::csrf::{CsrfLayer, ProtectionError};

/// What a server asks of those who speak to it.
#[derive(Clone, Debug, Default)]
pub struct Guard {
    /// Names it answers to beside its own addresses.
    pub hosts: Vec<String>,
    /// Whether it listens beyond this machine: then it answers to any address, which no name can stand for.
    pub beyond_loopback: bool,
    /// What every request must show, if anything.
    pub token: Option<String>,
}

/// Why a server is not started.
#[derive(Debug, thiserror::Error)]
pub enum Unguarded {
    #[error(
        "--listen {0} reaches beyond this machine: set --token or --token-file, so that not everybody who reaches it \
         can read and change all skies"
    )]
    NoToken(SocketAddr),
    #[error("--token: {0} characters; 8 or more are needed")]
    ShortToken(usize),
}

const SHORTEST_TOKEN: usize = 8;
const COOKIE: &str = "tenter_token";
/// Days for which a browser keeps the token.
const KEPT_DAYS: u32 = 30;
/// Pause after a wrong token; only one is tried at a time.
const PAUSE: Duration = Duration::from_millis(500);

impl Guard {
    pub fn new(listen: SocketAddr, hosts: Vec<String>, token: Option<String>) -> Result<Guard, Unguarded> {
        let beyond_loopback = !listen.ip().is_loopback();
        match &token {
            None if beyond_loopback => Err(Unguarded::NoToken(listen)),
            Some(token) if token.chars().count() < SHORTEST_TOKEN => {
                Err(Unguarded::ShortToken(token.chars().count()))
            }
            _ => Ok(Guard { hosts, beyond_loopback, token }),
        }
    }

    /// Whether the server answers to a host, with or without a port.
    fn answers_to(&self, host: &str) -> bool {
        let name = match host.strip_prefix('[') {
            Some(rest) => rest.split(']').next().unwrap_or_default(),
            None => host.rsplit_once(':').map_or(host, |(name, _)| name),
        };
        match name.parse::<IpAddr>() {
            Ok(address) => address.is_loopback() || self.beyond_loopback,
            Err(_) => {
                name.eq_ignore_ascii_case("localhost")
                    || self.hosts.iter().any(|h| h.eq_ignore_ascii_case(name))
            }
        }
    }

    /// What the cookie holds: it tells nobody the token.
    fn cookie_value(token: &str) -> String {
        let hash = Sha256::digest(format!("tenter cookie {token}"));
        hash.iter().map(|b| format!("{b:02x}")).collect()
    }

    /// Whether a request shows the token, if one is asked for.
    fn admits(&self, headers: &HeaderMap) -> bool {
        let Some(token) = &self.token else { return true };
        let bearer = headers.get(header::AUTHORIZATION).and_then(|v| v.to_str().ok());
        let wanted = Guard::cookie_value(token);
        let cookies = headers.get_all(header::COOKIE).iter().filter_map(|v| v.to_str().ok());
        let mut shown = cookies.flat_map(|v| v.split(';')).filter_map(|c| c.trim().split_once('='));
        bearer.and_then(|v| v.strip_prefix("Bearer ")).is_some_and(|v| same(v, token))
            || shown.any(|(name, value)| name == COOKIE && same(value, &wanted))
    }
}

/// Compares without telling by its time where two texts differ.
fn same(one: &str, other: &str) -> bool {
    let (one, other) = (Sha256::digest(one), Sha256::digest(other));
    one.iter().zip(&other).fold(0, |differ, (a, b)| differ | (a ^ b)) == 0
}

/// The host that is asked.
fn host_of(uri: &Uri, headers: &HeaderMap) -> Option<String> {
    let told = headers.get(header::HOST).and_then(|v| v.to_str().ok()).map(String::from);
    uri.authority().map(|a| a.to_string()).or(told)
}

/// Refuses foreign hosts, sockets for foreign pages, and whoever does not show the token.
pub async fn watch(State(guard): State<Arc<Guard>>, request: Request, next: Next) -> Response {
    let refuse = |kind, title, detail: String| Problem::new(StatusCode::FORBIDDEN, kind, title, detail);
    let Some(host) = host_of(request.uri(), request.headers()) else {
        let detail = "a request names its host".to_string();
        return Problem::new(StatusCode::BAD_REQUEST, "/problems/host", "No host", detail).into_response();
    };
    if !guard.answers_to(&host) {
        let detail = format!("{host:?} is no name of this server; `tenter serve --host` adds one");
        return refuse("/problems/host", "A foreign host", detail).into_response();
    }
    if request.headers().contains_key(header::UPGRADE)
        && let Some(origin) = request.headers().get(header::ORIGIN)
    {
        let page = origin.to_str().ok().and_then(|o| o.split_once("://")).map(|(_, authority)| authority);
        if page != Some(host.as_str()) {
            return refuse("/problems/origin", "A foreign page", format!("{origin:?} is not {host}"))
                .into_response();
        }
    }
    if request.uri().path() == "/enter" || guard.admits(request.headers()) {
        return next.run(request).await;
    }
    let wants_page = request.headers().get(header::ACCEPT).and_then(|v| v.to_str().ok());
    if request.method() == Method::GET && wants_page.is_some_and(|a| a.contains("text/html")) {
        return entry(StatusCode::UNAUTHORIZED, "");
    }
    let detail = "send it as `Authorization: Bearer`, or enter it in the browser".to_string();
    Problem::new(StatusCode::UNAUTHORIZED, "/problems/token", "The token is needed", detail).into_response()
}

/// Changes asked for by pages of other sites are refused.
pub fn csrf() -> CsrfLayer<impl Fn(ProtectionError) -> Response<Body> + Clone + Send + 'static> {
    CsrfLayer::new().with_rejection_response(|_: ProtectionError| {
        let detail = "changes are taken from Tenter's own pages and from programs".to_string();
        Problem::new(StatusCode::FORBIDDEN, "/problems/origin", "A foreign page", detail).into_response()
    })
}

#[derive(Deserialize)]
pub struct Entered {
    token: String,
}

/// Takes the token once and leaves a cookie for it.
pub async fn enter(State(guard): State<Arc<Guard>>, Form(entered): Form<Entered>) -> Response {
    static ONE_AT_A_TIME: Mutex<()> = Mutex::const_new(());
    let Some(token) = &guard.token else { return to_the_skies() };
    let _turn = ONE_AT_A_TIME.lock().await;
    if !same(entered.token.trim(), token) {
        tokio::time::sleep(PAUSE).await;
        return entry(StatusCode::FORBIDDEN, "<p role=\"alert\">That is not the token.</p>");
    }
    let value = Guard::cookie_value(token);
    let age = KEPT_DAYS * 24 * 3600;
    let cookie = format!("{COOKIE}={value}; HttpOnly; SameSite=Strict; Path=/; Max-Age={age}");
    let mut response = to_the_skies();
    let cookie = HeaderValue::from_str(&cookie).expect("hexadecimal digits are plain");
    response.headers_mut().insert(header::SET_COOKIE, cookie);
    response
}

fn to_the_skies() -> Response {
    (StatusCode::SEE_OTHER, [(header::LOCATION, "/")]).into_response()
}

/// The page that asks for the token.
fn entry(status: StatusCode, note: &str) -> Response {
    let page = format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Tenter</title><style>
        body {{ background: #262626; color: #ececec; font: 14px sans-serif; min-height: 90vh;
               display: grid; place-content: center }}
        form {{ display: grid; gap: 12px; width: 20em }}
        input, button {{ font: inherit; padding: 6px 8px; border: 1px solid #8a8a8a; border-radius: 3px }}
        input {{ background: #303030; color: inherit }} button {{ background: #a9535c; color: #fff }}
        </style><form method=\"post\" action=\"/enter\"><h1>Tenter</h1>{note}
        <label for=\"token\">Token of this server</label>
        <input id=\"token\" name=\"token\" type=\"password\" autocomplete=\"current-password\" autofocus required>
        <button>Enter</button></form></html>"
    );
    let headers = [(header::CONTENT_TYPE, "text/html; charset=utf-8"), (header::CACHE_CONTROL, "no-store")];
    (status, headers, page).into_response()
}

/// What browsers are told to hold pages to.
pub const HEADERS: [(&str, &str); 4] = [
    (
        "content-security-policy",
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; object-src 'none'; \
         base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
    ),
    ("x-content-type-options", "nosniff"),
    ("referrer-policy", "same-origin"),
    ("cross-origin-resource-policy", "same-origin"),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_names_of_its_own_are_answered() {
        let local = Guard { hosts: vec!["sky.example".into()], ..Guard::default() };
        for host in
            ["localhost", "localhost:8787", "127.0.0.1:1", "[::1]:8787", "sky.example", "SKY.example:80"]
        {
            assert!(local.answers_to(host), "{host}");
        }
        for host in ["evil.example", "10.0.0.7", "localhost.evil.example", "[2001:db8::1]:80", ""] {
            assert!(!local.answers_to(host), "{host}");
        }
        let open = Guard { beyond_loopback: true, ..Guard::default() };
        assert!(open.answers_to("10.0.0.7:8787") && !open.answers_to("evil.example"));
    }

    #[test]
    fn nobody_is_served_beyond_this_machine_without_a_token() {
        let guard = |listen: &str, token: Option<&str>| {
            Guard::new(listen.parse().unwrap(), vec![], token.map(String::from))
        };
        assert!(guard("127.0.0.1:0", None).is_ok() && guard("[::1]:0", None).is_ok());
        assert!(matches!(guard("0.0.0.0:8787", None), Err(Unguarded::NoToken(_))));
        assert!(matches!(guard("127.0.0.1:0", Some("short")), Err(Unguarded::ShortToken(5))));
        assert!(guard("0.0.0.0:8787", Some("long enough")).is_ok());
    }

    #[test]
    fn the_token_is_shown_as_a_header_or_a_cookie() {
        let guard = Guard { token: Some("long enough".into()), ..Guard::default() };
        let with = |name: header::HeaderName, value: String| {
            let mut headers = HeaderMap::new();
            headers.insert(name, value.parse().unwrap());
            guard.admits(&headers)
        };
        assert!(!guard.admits(&HeaderMap::new()));
        assert!(with(header::AUTHORIZATION, "Bearer long enough".into()));
        assert!(!with(header::AUTHORIZATION, "Bearer long enougH".into()));
        let value = Guard::cookie_value("long enough");
        assert!(with(header::COOKIE, format!("other=1; {COOKIE}={value}")));
        assert!(!with(header::COOKIE, format!("{COOKIE}=long enough")));
    }
}
