//! HTTP: hosts and paths to files and pages.

use crate::site::{File, Site};
use crate::switches::Switches;
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::{Router, routing::any};
use flate2::{Compression, write::GzEncoder};
use std::fmt::Write as _;
use std::io::Write as _;
use std::sync::Arc;

pub fn router(site: Arc<Site>) -> Router {
    Router::new().fallback(any(answer)).with_state(site)
}

async fn answer(State(site): State<Arc<Site>>, request: Request) -> Response {
    let host = request
        .headers()
        .get(header::HOST)
        .and_then(|h| h.to_str().ok())
        .unwrap_or("")
        .split(':')
        .next()
        .unwrap_or("")
        .to_owned();
    let path = request.uri().path().to_owned();
    if let Some(((_, _), file)) = site.files.iter().find(|((h, p), _)| *h == host && *p == path) {
        return send_file(file, request.headers());
    }
    if host == "www.skerryline.test" && path == "/plugins/gull-stats/visit" {
        return StatusCode::NO_CONTENT.into_response();
    }
    if host == "www.skerryline.test" && path == "/" {
        let cookie = request.headers().get(header::COOKIE).and_then(|h| h.to_str().ok());
        let switches = Switches::of(request.uri().query(), cookie);
        let accepts = accepts_gzip(request.headers());
        let made = tokio::task::spawn_blocking(move || site.home(&switches)).await;
        return match made {
            Ok(Ok((page, took))) => send_page(page, &took, accepts),
            Ok(Err(error)) => {
                (StatusCode::INTERNAL_SERVER_ERROR, format!("The stand-in's database failed: {error}")).into_response()
            }
            Err(error) => (StatusCode::INTERNAL_SERVER_ERROR, format!("The stand-in failed: {error}")).into_response(),
        };
    }
    (
        StatusCode::NOT_FOUND,
        [(header::CONTENT_TYPE, "text/html; charset=utf-8")],
        "<!doctype html><title>Not here</title><h1>No boat calls here</h1><p>The stand-in has no such page.</p>",
    )
        .into_response()
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

fn send_file(file: &File, headers: &HeaderMap) -> Response {
    let mut answer =
        Response::builder().header(header::CONTENT_TYPE, file.mime).header(header::ACCESS_CONTROL_ALLOW_ORIGIN, "*");
    if let Some(cache) = file.cache {
        answer = answer.header(header::CACHE_CONTROL, cache);
    }
    let body = if file.packed && accepts_gzip(headers) {
        answer = answer.header(header::CONTENT_ENCODING, "gzip").header(header::VARY, "accept-encoding");
        gzip(&file.body)
    } else {
        file.body.clone()
    };
    answer.body(Body::from(body)).unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}

fn send_page(page: String, took: &[(&'static str, f64)], accepts: bool) -> Response {
    let mut timing = String::new();
    for (name, ms) in took {
        let _ = write!(timing, "{}{name};dur={ms:.1};desc=\"plugin\"", if timing.is_empty() { "" } else { ", " });
    }
    let mut answer = Response::builder()
        .header(header::CONTENT_TYPE, "text/html; charset=utf-8")
        .header(header::CACHE_CONTROL, "no-store")
        .header("server-timing", timing);
    let body = if accepts {
        answer = answer.header(header::CONTENT_ENCODING, "gzip");
        gzip(page.as_bytes())
    } else {
        page.into_bytes()
    };
    answer.body(Body::from(body)).unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}
