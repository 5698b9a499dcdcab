//! Who may call the server, and what a caller is told.

#![allow(clippy::unwrap_used)]

use axum::body::{Body, to_bytes};
use axum::http::{Request, StatusCode};
use phainon_server::{serve::router, state::State};
use phainon_store::Store;
use std::sync::Arc;
use tower::ServiceExt;

async fn ask(state: &Arc<State>, request: Request<Body>) -> (StatusCode, String, Option<String>) {
    let answer = router(state.clone()).oneshot(request).await.unwrap();
    let policy = answer.headers().get("content-security-policy").map(|v| v.to_str().unwrap().to_owned());
    let status = answer.status();
    let body = to_bytes(answer.into_body(), 1 << 20).await.unwrap();
    (status, String::from_utf8_lossy(&body).into_owned(), policy)
}

fn call(method: &str, path: &str, headers: &[(&str, &str)], body: &str) -> Request<Body> {
    let mut request = Request::builder().method(method).uri(path);
    for (name, value) in headers {
        request = request.header(*name, *value);
    }
    request.body(Body::from(body.to_owned())).unwrap()
}

const HOST: (&str, &str) = ("host", "127.0.0.1:7460");

#[tokio::test]
async fn only_its_own_pages_may_change_anything() {
    let state = Arc::new(State::new(Store::in_memory().unwrap()));
    let (status, _, policy) = ask(&state, call("GET", "/api/recordings", &[HOST], "")).await;
    assert_eq!(status, StatusCode::OK);
    assert!(policy.unwrap().contains("default-src 'self'"));
    assert_eq!(
        ask(&state, call("GET", "/api/recordings", &[("host", "evil.test")], "")).await.0,
        StatusCode::FORBIDDEN
    );
    let elsewhere = [HOST, ("origin", "http://evil.test")];
    assert_eq!(ask(&state, call("POST", "/api/import", &elsewhere, "{}")).await.0, StatusCode::FORBIDDEN);
    let (status, text, _) =
        ask(&state, call("POST", "/api/import?name=x.har", &[HOST, ("origin", "http://127.0.0.1:7460")], "{")).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(text.contains("x.har is cut off"), "{text}");
    assert!(ask(&state, call("GET", "/api/recordings/99", &[HOST], "")).await.1.contains("There is no recording 99."));
}

#[tokio::test]
async fn a_token_is_asked_for_where_there_is_one() {
    let mut state = State::new(Store::in_memory().unwrap());
    state.token = Some("sixteen-letters-x".into());
    let state = Arc::new(state);
    assert_eq!(ask(&state, call("GET", "/api/recordings", &[HOST], "")).await.0, StatusCode::UNAUTHORIZED);
    let bearer = [HOST, ("authorization", "Bearer sixteen-letters-x")];
    assert_eq!(ask(&state, call("GET", "/api/recordings", &bearer, "")).await.0, StatusCode::OK);
}

#[tokio::test]
async fn what_cannot_be_recorded_is_said_before_a_browser_starts() {
    let state = Arc::new(State::new(Store::in_memory().unwrap()));
    let json = [HOST, ("content-type", "application/json")];
    let job = |url: &str, conditions: &str, loads: u32| {
        format!(r#"{{"url":"{url}","page":null,"conditions":"{conditions}","loads":{loads}}}"#)
    };
    for (body, why) in [
        (job("file:///etc/passwd", "home-laptop", 1), "only http and https"),
        (job("http://a.test/", "no-such", 1), "no conditions named"),
        (job("http://a.test/", "home-laptop", 0), "1 to 20 loads"),
    ] {
        let (status, text, _) = ask(&state, call("POST", "/api/jobs", &json, &body)).await;
        assert_eq!(status, StatusCode::BAD_REQUEST);
        assert!(text.contains(why), "{text}");
    }
}
