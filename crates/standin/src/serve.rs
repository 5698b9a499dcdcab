//! Hosts and paths to files and pages.

use crate::pages;
use crate::site::{File, Site};
use crate::spans::{Caller, Tracer};
use crate::switches::{PLUGINS, Switch, Switches};
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::{Router, routing::any};
use flate2::{Compression, write::GzEncoder};
use std::fmt::Write as _;
use std::io::Write as _;
use std::sync::Arc;

/// Answers for every host of the scenario.
pub fn router(site: Arc<Site>) -> Router {
    Router::new().fallback(any(answer)).with_state(site)
}

async fn answer(State(site): State<Arc<Site>>, request: Request) -> Response {
    // HTTP/2 has the host in the request's own address.
    let named = request.headers().get(header::HOST).and_then(|h| h.to_str().ok()).or_else(|| request.uri().host());
    let host = named.unwrap_or("").split(':').next().unwrap_or("").to_owned();
    let path = request.uri().path().to_owned();
    let cookie = request.headers().get(header::COOKIE).and_then(|h| h.to_str().ok());
    let switches = site.with_active(Switches::of(request.uri().query(), cookie));
    if let Some(((_, _), file)) = site.files.iter().find(|((h, p), _)| *h == host && *p == path) {
        return send_file(file, request.headers(), &host, &switches);
    }
    if host == "static.skerryline.test"
        && let Some(name) = path.strip_prefix("/media/fleet/")
    {
        let (name, headers) = (name.to_owned(), request.headers().clone());
        let painted = tokio::task::spawn_blocking(move || {
            site.gallery(&name).map(|file| send_file(file, &headers, "static.skerryline.test", &switches))
        });
        return painted.await.ok().flatten().unwrap_or_else(|| StatusCode::NOT_FOUND.into_response());
    }
    if host == "www.skerryline.test" {
        if path == "/plugins/gull-stats/visit" {
            return StatusCode::NO_CONTENT.into_response();
        }
        if path == "/mooring/plugins/" {
            return plugins_page(&site, &request);
        }
        if let Some((_, to)) = pages::MOVED.iter().find(|(from, _)| *from == path) {
            return (StatusCode::MOVED_PERMANENTLY, [(header::LOCATION, *to)]).into_response();
        }
        if let Some(page) = pages::ALL.iter().find(|p| p.path == path) {
            let accepts = accepts_gzip(request.headers());
            let asked = switches.clone();
            let caller = request.headers().get("traceparent").and_then(|h| h.to_str().ok()).and_then(Caller::of);
            let made = tokio::task::spawn_blocking(move || {
                let caller = caller.filter(|_| site.exporter.get().is_some());
                let tracer = Tracer::new(caller);
                let made = site.page(page, &asked, &tracer);
                if let Some(exporter) = site.exporter.get() {
                    exporter.send(tracer.done());
                }
                made
            })
            .await;
            return match made {
                Ok(Ok((markup, took))) => send_page(markup, &took, accepts, &switches),
                Ok(Err(error)) => {
                    (StatusCode::INTERNAL_SERVER_ERROR, format!("The stand-in's database failed: {error}"))
                        .into_response()
                }
                Err(error) => {
                    (StatusCode::INTERNAL_SERVER_ERROR, format!("The stand-in failed: {error}")).into_response()
                }
            };
        }
    }
    (
        StatusCode::NOT_FOUND,
        [(header::CONTENT_TYPE, "text/html; charset=utf-8")],
        "<!doctype html><title>Not here</title><h1>No boat calls here</h1><p>The stand-in has no such page.</p>",
    )
        .into_response()
}

/// The content system's page of plugins: which are active, and a form for each to change that.
fn plugins_page(site: &Site, request: &Request) -> Response {
    let query = request.uri().query().unwrap_or("");
    let value = |name: &str| query.split('&').find_map(|pair| pair.strip_prefix(name));
    if request.method() == Method::POST {
        let plugin = value("plugin=").and_then(|name| PLUGINS.iter().find(|p| **p == name));
        let (Some(plugin), Some(active)) = (plugin, value("active=")) else {
            return (StatusCode::BAD_REQUEST, "Say which plugin, and whether it is to be active.").into_response();
        };
        site.set_active(plugin, active == "1");
        return (StatusCode::SEE_OTHER, [(header::LOCATION, "/mooring/plugins/")]).into_response();
    }
    let active = site.with_active(Switches::default());
    let mut rows = String::new();
    for plugin in PLUGINS {
        let is_active = active.is_active(plugin);
        let _ = write!(
            rows,
            "<tr><td>{plugin}</td><td>{}</td><td><form method=\"post\" action=\"/mooring/plugins/?plugin={plugin}&amp;active={}\"><button>{}</button></form></td></tr>",
            if is_active { "active" } else { "off" },
            u8::from(!is_active),
            if is_active { "Switch off" } else { "Switch on" }
        );
    }
    let page = format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Plugins, Mooring</title><h1>Plugins</h1><table><thead><tr><th>Plugin</th><th>State</th><th></th></tr></thead><tbody>{rows}</tbody></table>"
    );
    ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], page).into_response()
}

fn accepts_gzip(headers: &HeaderMap) -> bool {
    headers.get(header::ACCEPT_ENCODING).and_then(|h| h.to_str().ok()).is_some_and(|v| v.contains("gzip"))
}

fn gzip(body: &[u8]) -> Vec<u8> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::new(6));
    // Writing to memory does not fail.
    let _ = encoder.write_all(body);
    encoder.finish().unwrap_or_default()
}

fn send_file(file: &File, headers: &HeaderMap, host: &str, switches: &Switches) -> Response {
    let own = host.ends_with("skerryline.test");
    let mut answer =
        Response::builder().header(header::CONTENT_TYPE, file.mime).header(header::ACCESS_CONTROL_ALLOW_ORIGIN, "*");
    let cache =
        if own && switches.has(Switch::CacheLong) { Some("public, max-age=31536000, immutable") } else { file.cache };
    if let Some(cache) = cache {
        answer = answer.header(header::CACHE_CONTROL, cache);
    }
    // The content system counts visits by a cookie that it sends with everything.
    if own && file.mime.starts_with("image/") && !switches.has(Switch::CookiesOff) {
        let visitor = format!("mooring_visitor={}; Domain=skerryline.test; Path=/", "7c1e".repeat(24));
        answer = answer.header(header::SET_COOKIE, visitor);
    }
    if file.tagged {
        let tag = format!(
            "\"{:x}-{:x}\"",
            file.body.len(),
            file.body.iter().fold(7u32, |sum, b| sum.rotate_left(5) ^ u32::from(*b))
        );
        let known = headers.get(header::IF_NONE_MATCH).and_then(|v| v.to_str().ok()) == Some(&tag);
        answer = answer.header(header::ETAG, tag);
        if known {
            let empty = answer.status(StatusCode::NOT_MODIFIED).body(Body::empty());
            return empty.unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response());
        }
    }
    let text = !file.mime.starts_with("image/") && !file.mime.starts_with("font/");
    let packed = file.packed || (own && text && switches.has(Switch::TextPacked));
    let body = if packed && accepts_gzip(headers) {
        answer = answer.header(header::CONTENT_ENCODING, "gzip").header(header::VARY, "accept-encoding");
        gzip(&file.body)
    } else {
        file.body.clone()
    };
    answer.body(Body::from(body)).unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}

fn send_page(page: String, took: &[(&'static str, f64)], accepts: bool, switches: &Switches) -> Response {
    let mut timing = String::new();
    for (name, ms) in took {
        let _ = write!(timing, "{}{name};dur={ms:.1};desc=\"plugin\"", if timing.is_empty() { "" } else { ", " });
    }
    let mut answer = Response::builder()
        .header(header::CONTENT_TYPE, "text/html; charset=utf-8")
        .header(header::CACHE_CONTROL, "no-store");
    if !timing.is_empty() {
        answer = answer.header("server-timing", timing);
    }
    let repairs = switches.names();
    if !repairs.is_empty() {
        // The page's files are repaired with it.
        answer = answer.header(header::SET_COOKIE, format!("fix={repairs}; Domain=skerryline.test; Path=/"));
    }
    let body = if accepts {
        answer = answer.header(header::CONTENT_ENCODING, "gzip");
        gzip(page.as_bytes())
    } else {
        page.into_bytes()
    };
    answer.body(Body::from(body)).unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}
