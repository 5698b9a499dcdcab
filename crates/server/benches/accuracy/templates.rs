//! Pages that other people made: open-source templates from the registry, served locally. What a page
//! takes from `vendor`, `plugins` or `core` folders comes from a host of its own, as third parties' files do.

use axum::Router;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use phainon_core::Conditions;
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::{RecordRequest, Sealed};
use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// Pages, in `node_modules` of the folder.
pub const PAGES: [&str; 15] = [
    "material-kit/index.html",
    "material-dashboard/pages/dashboard.html",
    "paper-kit-2/index.html",
    "gentelella/dist/index.html",
    "soft-ui-design-system/index.html",
    "soft-ui-design-system/pages/about-us.html",
    "soft-ui-dashboard/pages/dashboard.html",
    "now-ui-dashboard/examples/dashboard.html",
    "black-dashboard/examples/dashboard.html",
    "reveal.js/demo.html",
    "impress.js/index.html",
    "startbootstrap-agency/dist/index.html",
    "startbootstrap-creative/dist/index.html",
    "startbootstrap-freelancer/dist/index.html",
    "startbootstrap-clean-blog/dist/index.html",
];

const HOST: &str = "www.anchorage.test";
const LIBRARIES: &str = "libs.quayside.test";
/// What the server takes for a document, and for a file.
const WORK: (Duration, Duration) = (Duration::from_millis(180), Duration::from_millis(8));

struct Site {
    root: PathBuf,
}

pub struct Served {
    hosts: LocalHosts,
    url: String,
}

impl Served {
    pub fn request(&self, conditions: Conditions, loads: usize) -> RecordRequest {
        let mut request = RecordRequest::new(&self.url, conditions, loads);
        request.trusted_key = Some(self.hosts.key_hash().to_owned());
        // Names of hosts that a page asks for are not looked up: what is not served here is not there.
        request.sealed = Some(Sealed {
            server: self.hosts.address(),
            round_trips: BTreeMap::new(),
            before: String::new(),
            not_asked: Vec::new(),
            refused: Vec::new(),
        });
        request
    }
}

/// Serves the package of a page; `None` where it is not there.
pub async fn serve(folder: &Path, page: &str) -> Option<Served> {
    let (package, path) = page.split_once('/')?;
    let root = folder.join("node_modules").join(package);
    if !root.join(path).is_file() {
        return None;
    }
    let app = Router::new().fallback(any(answer)).with_state(Arc::new(Site { root }));
    let hosts = LocalHosts::start(&[HOST.into(), LIBRARIES.into()], app, |_| Offer::Both).await.ok()?;
    Some(Served { hosts, url: format!("https://{HOST}/{path}") })
}

async fn answer(State(site): State<Arc<Site>>, request: Request) -> Response {
    let named = request.headers().get(header::HOST).and_then(|h| h.to_str().ok()).or_else(|| request.uri().host());
    let host = named.unwrap_or_default().split(':').next().unwrap_or_default().to_owned();
    let path = request.uri().path().trim_start_matches('/').to_owned();
    let outside = path.split('/').any(|part| part == "..");
    if (host != HOST && host != LIBRARIES) || outside {
        return StatusCode::NOT_FOUND.into_response();
    }
    let Ok(body) = tokio::fs::read(site.root.join(&path)).await else { return StatusCode::NOT_FOUND.into_response() };
    let mime = mime(&path);
    let body = if mime.starts_with("text/html") {
        tokio::time::sleep(WORK.0).await;
        with_libraries(&String::from_utf8_lossy(&body), &path).into_bytes()
    } else {
        tokio::time::sleep(WORK.1).await;
        body
    };
    sent(body, mime, request.headers())
}

/// Has libraries come from their own host.
fn with_libraries(page: &str, path: &str) -> String {
    let Ok(base) = url::Url::parse(&format!("https://{LIBRARIES}/{path}")) else { return page.to_owned() };
    let mut new = String::with_capacity(page.len());
    let mut rest = page;
    while let Some(at) = rest.find("<script") {
        let end = rest[at..].find('>').map_or(rest.len(), |end| at + end);
        let tag = &rest[at..end];
        let source = tag.split_once("src=\"").and_then(|(_, after)| Some((after.split('"').next()?, after)));
        new.push_str(&rest[..at]);
        match source
            .filter(|(s, _)| ["/core/", "/plugins/", "vendor"].iter().any(|f| s.contains(f)) && !s.contains("//"))
        {
            Some((address, _)) => {
                let whole = base.join(address).map_or_else(|_| address.to_owned(), |u| u.to_string());
                new.push_str(&tag.replace(&format!("src=\"{address}\""), &format!("src=\"{whole}\"")));
            }
            None => new.push_str(tag),
        }
        rest = &rest[end..];
    }
    new.push_str(rest);
    new
}

fn mime(path: &str) -> &'static str {
    match path.rsplit_once('.').map_or("", |(_, ending)| ending) {
        "html" | "" => "text/html; charset=utf-8",
        "css" => "text/css",
        "js" | "mjs" => "text/javascript",
        "json" | "map" => "application/json",
        "svg" => "image/svg+xml",
        "png" => "image/png",
        "jpg" | "jpeg" => "image/jpeg",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "ico" => "image/x-icon",
        "woff" => "font/woff",
        "woff2" => "font/woff2",
        "ttf" => "font/ttf",
        _ => "application/octet-stream",
    }
}

fn sent(body: Vec<u8>, mime: &'static str, asked: &HeaderMap) -> Response {
    let packs = asked.get(header::ACCEPT_ENCODING).and_then(|v| v.to_str().ok()).is_some_and(|v| v.contains("gzip"));
    let text = mime.starts_with("text/") || mime.contains("json") || mime.contains("svg");
    let headers = [
        (header::CONTENT_TYPE, mime),
        (header::CACHE_CONTROL, "max-age=600"),
        (header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"),
    ];
    if !(packs && text) {
        return (headers, body).into_response();
    }
    let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::new(6));
    // Writing to memory does not fail.
    let _ = encoder.write_all(&body);
    (headers, [(header::CONTENT_ENCODING, "gzip")], encoder.finish().unwrap_or_default()).into_response()
}
