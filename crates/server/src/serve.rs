//! The web server: who may call it, what it hands out.

use crate::error::Problem;
use crate::state::State;
use crate::{api, spans};
use axum::Router;
use axum::body::Body;
use axum::extract::{Request, State as Shared};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use rust_embed::RustEmbed;
use std::net::SocketAddr;
use std::pin::pin;
use std::sync::Arc;
use std::time::Duration;
use subtle::ConstantTimeEq;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use tower_http::timeout::RequestBodyTimeoutLayer;

/// The built front end.
#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Front;

const POLICY: &str = "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; font-src 'self'; script-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'";

/// Everything that is served.
pub fn router(state: Arc<State>) -> Router {
    Router::new()
        .nest("/api", api::router())
        .merge(spans::router())
        .fallback(front)
        .layer(
            CompressionLayer::new()
                .compress_when(DefaultPredicate::new().and(NotForContentType::const_new("application/zip"))),
        )
        .layer(middleware::from_fn_with_state(state.clone(), guard))
        .with_state(state)
}

/// What callers may take of the server's time and memory.
#[derive(Debug, Clone, Copy)]
pub struct Patience {
    /// A request's head must be there within this, and the next one of a connection too.
    pub head: Duration,
    /// Parts of a request's body must not be further apart.
    pub body: Duration,
    /// So many connections at once; others wait until one of them ends.
    pub connections: usize,
}

impl Default for Patience {
    fn default() -> Self {
        Self { head: Duration::from_secs(20), body: Duration::from_secs(60), connections: 1_000 }
    }
}

/// Listens and serves until the process is told to end. Requests that are never finished are closed, so
/// that nobody can keep others out with them.
pub async fn serve(listener: TcpListener, state: Arc<State>, patience: Patience) {
    let app = router(state.clone()).layer(RequestBodyTimeoutLayer::new(patience.body));
    let mut server = http1::Builder::new();
    server.timer(TokioTimer::new()).header_read_timeout(patience.head);
    let (places, open) = (Arc::new(Semaphore::new(patience.connections)), GracefulShutdown::new());
    let mut ending = pin!(ended(state));
    loop {
        let accepted = async {
            let place = places.clone().acquire_owned().await;
            (listener.accept().await, place)
        };
        let (accepted, place) = tokio::select! {
            accepted = accepted => accepted,
            () = &mut ending => break,
        };
        let Ok((stream, _)) = accepted else {
            // Out of handles, for one: some connection will end.
            tokio::time::sleep(Duration::from_millis(50)).await;
            continue;
        };
        let connection = server.serve_connection(TokioIo::new(stream), TowerToHyperService::new(app.clone()));
        let connection = open.watch(connection);
        tokio::spawn(async move {
            // A caller that goes away is no mistake.
            let _ = connection.await;
            drop(place);
        });
    }
    open.shutdown().await;
}

async fn ended(state: Arc<State>) {
    crate::signals::told_to_end().await;
    // No browser may outlive the program.
    state.jobs.cancel_all();
    // Event streams would keep a graceful end waiting for ever, and who asks twice does not want to wait.
    tokio::spawn(async {
        tokio::select! {
            () = tokio::time::sleep(Duration::from_secs(2)) => {}
            () = crate::signals::told_to_end() => {}
        }
        std::process::exit(0);
    });
}

/// Checks who calls and adds the headers that every answer has.
async fn guard(Shared(state): Shared<Arc<State>>, request: Request, next: Next) -> Response {
    let mut answer = match allowed(&state, &request) {
        Ok(None) => next.run(request).await,
        // A browser keeps the token from here on, and its history does not.
        Ok(Some(cookie)) if *request.method() == Method::GET && !request.uri().path().starts_with("/api") => {
            let to = without_token(request.uri());
            (StatusCode::SEE_OTHER, [(header::LOCATION, to)], [(header::SET_COOKIE, cookie)]).into_response()
        }
        Ok(Some(cookie)) => {
            let mut answer = next.run(request).await;
            answer.headers_mut().insert(header::SET_COOKIE, cookie);
            answer
        }
        Err(problem) => problem.into_response(),
    };
    let headers = answer.headers_mut();
    // A recorded picture comes with a stricter one of its own.
    if !headers.contains_key(header::CONTENT_SECURITY_POLICY) {
        headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    }
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    headers.insert(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer"));
    headers.insert("cross-origin-opener-policy", HeaderValue::from_static("same-origin"));
    // No page elsewhere learns by an image or a script whether something is here.
    headers.insert("cross-origin-resource-policy", HeaderValue::from_static("same-origin"));
    if !headers.contains_key(header::CACHE_CONTROL) {
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    answer
}

/// The host of a Host header, without its port; nothing where it is none.
fn host_of(text: &str) -> &str {
    let (host, port) = match text.strip_prefix('[') {
        Some(rest) => match rest.split_once(']') {
            Some((host, port)) => (host, port),
            None => return "",
        },
        None => text.split_at(text.find(':').unwrap_or(text.len())),
    };
    let is_port = |port: &str| port.strip_prefix(':').is_some_and(|digits| digits.bytes().all(|b| b.is_ascii_digit()));
    if port.is_empty() || is_port(port) { host } else { "" }
}

/// Whether a text is the token; how long that takes to tell says nothing of it.
fn is_token(text: &str, token: &str) -> bool {
    text.as_bytes().ct_eq(token.as_bytes()).into()
}

/// Whether browsers can send a token in an address and in a cookie as it stands (RFC 3986, unreserved).
pub fn can_be_sent(token: &str) -> bool {
    token.bytes().all(|b| b.is_ascii_alphanumeric() || b"-._~".contains(&b))
}

/// The same address without its token, for a browser to go on with.
fn without_token(uri: &Uri) -> String {
    let left: Vec<&str> = uri.query().unwrap_or("").split('&').filter(|p| !p.starts_with("token=")).collect();
    let query = left.join("&");
    if query.is_empty() { uri.path().to_owned() } else { format!("{}?{query}", uri.path()) }
}

/// A page elsewhere must not be able to make a visitor's browser act here: the Host must be ours
/// (against rebinding of names), and whatever changes something must come from our own pages.
fn allowed(state: &State, request: &Request) -> Result<Option<HeaderValue>, Problem> {
    let refuse = |why: &str| Err(Problem::new(StatusCode::FORBIDDEN, why));
    let text = |name: header::HeaderName| request.headers().get(name).and_then(|v| v.to_str().ok());
    let host = text(header::HOST).unwrap_or("");
    let ours = |name: &str| matches!(name, "127.0.0.1" | "localhost" | "::1") || state.hosts.iter().any(|h| h == name);
    if !ours(host_of(host)) {
        return refuse("This server does not answer to that host name.");
    }
    if !matches!(*request.method(), Method::GET | Method::HEAD) {
        match text(header::ORIGIN) {
            Some(origin) if origin.split_once("://").is_none_or(|(_, from)| from != host) => {
                return refuse("Changes are taken from this program's own pages only.");
            }
            // Browsers send Origin with every change; a command line need not.
            _ => {}
        }
        if text(header::HeaderName::from_static("sec-fetch-site"))
            .is_some_and(|site| !matches!(site, "same-origin" | "none"))
        {
            return refuse("Changes are taken from this program's own pages only.");
        }
    }
    let Some(token) = &state.token else { return Ok(None) };
    let presents = |text: Option<&str>| text.is_some_and(|text| is_token(text, token));
    let bearer = presents(text(header::AUTHORIZATION).and_then(|v| v.strip_prefix("Bearer ")));
    let cookie =
        text(header::COOKIE).is_some_and(|c| c.split(';').any(|p| presents(p.trim().strip_prefix("phainon_token="))));
    if bearer || cookie {
        return Ok(None);
    }
    let in_address = request.uri().query().is_some_and(|q| q.split('&').any(|p| presents(p.strip_prefix("token="))));
    if in_address {
        let cookie = format!("phainon_token={token}; HttpOnly; SameSite=Strict; Path=/");
        return Ok(HeaderValue::from_str(&cookie).ok());
    }
    Err(Problem::new(
        StatusCode::UNAUTHORIZED,
        "This server asks for its token: open the address with ?token=… that it printed when it started.",
    ))
}

fn accepts_gzip(headers: &HeaderMap) -> bool {
    headers.get(header::ACCEPT_ENCODING).and_then(|v| v.to_str().ok()).is_some_and(|v| v.contains("gzip"))
}

/// The front end's files; every other address is one of its screens.
async fn front(uri: Uri, headers: HeaderMap) -> Response {
    let path = uri.path().trim_start_matches('/');
    let (name, file) = match Front::get(path).filter(|_| !path.is_empty()) {
        Some(file) => (path, file),
        None if path.starts_with("assets/") => return StatusCode::NOT_FOUND.into_response(),
        None => {
            match Front::get("index.html") {
                Some(file) => ("index.html", file),
                None => {
                    return Problem::new(StatusCode::NOT_FOUND, "The front end has not been built: run `cargo xtask demo`, or `npm ci && npm run build` in web/.").into_response();
                }
            }
        }
    };
    // Names under assets/ carry a hash of their contents.
    let cache = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    let mut answer =
        Response::builder().header(header::CONTENT_TYPE, file.metadata.mimetype()).header(header::CACHE_CONTROL, cache);
    let packed = Front::get(&format!("{name}.gz")).filter(|_| accepts_gzip(&headers));
    let body = match packed {
        Some(packed) => {
            answer = answer.header(header::CONTENT_ENCODING, "gzip").header(header::VARY, "accept-encoding");
            packed.data
        }
        None => file.data,
    };
    answer.body(Body::from(body.into_owned())).unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}

/// Binds the address, saying clearly what is in the way.
pub async fn bind(address: SocketAddr) -> Result<TcpListener, String> {
    TcpListener::bind(address).await.map_err(|e| match e.kind() {
        std::io::ErrorKind::AddrInUse => {
            format!("{address} is in use; choose another with --port, or --port 0 for any free one.")
        }
        _ => format!("{address} cannot be listened on: {e}."),
    })
}
