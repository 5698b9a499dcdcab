//! Calling the server without a network.

#![allow(clippy::unwrap_used, dead_code)]

use axum::body::{Body, to_bytes};
use axum::http::{Request, StatusCode};
use phainon_server::{serve::router, state::State};
use std::sync::Arc;
use tower::ServiceExt;

/// How this machine's own pages call it.
pub const HOST: (&str, &str) = ("host", "127.0.0.1:7460");

/// The type of [`form`].
pub const MULTIPART: (&str, &str) = ("content-type", "multipart/form-data; boundary=part");

/// The type of a JSON body.
pub const JSON: (&str, &str) = ("content-type", "application/json");

/// A request.
pub fn call(method: &str, path: &str, headers: &[(&str, &str)], body: impl Into<Body>) -> Request<Body> {
    let mut request = Request::builder().method(method).uri(path);
    for (name, value) in headers {
        request = request.header(*name, *value);
    }
    request.body(body.into()).unwrap()
}

/// Status, headers and bytes of the answer.
pub async fn answer(state: &Arc<State>, request: Request<Body>) -> (StatusCode, axum::http::HeaderMap, Vec<u8>) {
    let answer = router(state.clone()).oneshot(request).await.unwrap();
    let (status, headers) = (answer.status(), answer.headers().clone());
    (status, headers, to_bytes(answer.into_body(), 1 << 26).await.unwrap().into())
}

/// Status, text and content security policy of the answer.
pub async fn ask(state: &Arc<State>, request: Request<Body>) -> (StatusCode, String, Option<String>) {
    let (status, headers, body) = answer(state, request).await;
    let policy = headers.get("content-security-policy").map(|v| v.to_str().unwrap().to_owned());
    (status, String::from_utf8_lossy(&body).into_owned(), policy)
}

/// Files as a browser's form sends them.
pub fn form<T: AsRef<[u8]>>(files: &[(&str, T)]) -> Vec<u8> {
    let mut text = Vec::new();
    for (name, bytes) in files {
        let head = format!("--part\r\ncontent-disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n");
        text.extend(head.into_bytes());
        text.extend(bytes.as_ref());
        text.extend(b"\r\n");
    }
    text.extend(b"--part--\r\n");
    text
}

/// A recording of the demo, as its file.
pub fn demo(name: &str) -> Vec<u8> {
    std::fs::read(format!("{}/../../demo/{name}.phainon.zip", env!("CARGO_MANIFEST_DIR"))).unwrap()
}

/// Imports files and gives the ids of what they became.
pub async fn import<T: AsRef<[u8]>>(state: &Arc<State>, files: &[(&str, T)]) -> Vec<i64> {
    let (status, text, _) = ask(state, call("POST", "/api/import", &[HOST, MULTIPART], form(files))).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let made: serde_json::Value = serde_json::from_str(&text).unwrap();
    made["ids"].as_array().unwrap().iter().map(|id| id.as_i64().unwrap()).collect()
}

/// What a path of the API gives, as JSON.
pub async fn json(state: &Arc<State>, path: &str) -> serde_json::Value {
    let (status, text, _) = ask(state, call("GET", path, &[HOST], "")).await;
    assert_eq!(status, StatusCode::OK, "{path}: {text}");
    serde_json::from_str(&text).unwrap()
}
