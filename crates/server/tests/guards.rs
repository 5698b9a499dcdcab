//! Who may call the server, and what a caller is told.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, MULTIPART, ask, call, form};
use phainon_server::state::State;
use phainon_store::Store;
use std::sync::Arc;

#[tokio::test]
async fn a_load_is_read_in_depth_and_what_was_recorded_stays_inert() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let entry = |url: &str, mime: &str, text: &str| {
        format!(
            r#"{{"startedDateTime":"2026-11-24T09:00:00Z","request":{{"method":"GET","url":"{url}"}},"response":{{"status":200,"content":{{"size":9,"mimeType":"{mime}","text":"{text}"}}}},"timings":{{"wait":80,"receive":20}}}}"#
        )
    };
    let har = format!(
        r#"{{"log":{{"version":"1.2","entries":[{},{},{}]}}}}"#,
        entry("http://a.test/", "text/html", "<script src=a.js></script>"),
        entry("http://a.test/x.svg", "image/svg+xml", "<svg onload='alert(1)'/>"),
        entry("http://a.test/d.json", "application/json", "[1,2]"),
    );
    let event = |name: &str, ph: &str, at: f64, more: &str| {
        format!(r#"{{"name":"{name}","ph":"{ph}","ts":{},"dur":30000,"pid":7,"tid":7,"args":{more}}}"#, 5e6 + at * 1e3)
    };
    let trace = [
        event("thread_name", "M", 0.0, r#"{"name":"CrRendererMain"}"#),
        event("navigationStart", "R", 0.0, r#"{"data":{"documentLoaderURL":"http://a.test/","navigationId":"N"}}"#),
        event("RunTask", "X", 100.0, "{}"),
    ];
    let trace = format!("[{}]", trace.join(","));
    let files = form(&[("a.har", &har), ("a.json", &trace)]);
    let (status, text, _) = ask(&state, call("POST", "/api/import", &[HOST, MULTIPART], files)).await;
    assert_eq!((status, text.as_str()), (StatusCode::OK, r#"{"ids":[1],"pages":[],"traces":[]}"#));
    let get = async |path: &str| ask(&state, call("GET", &format!("/api/recordings/1/{path}"), &[HOST], "")).await;
    let (status, tracks, _) = get("loads/1/tracks").await;
    assert!(status == StatusCode::OK && tracks.contains("\"tasks\":1"));
    assert!(get("loads/1/functions?from=0&to=50").await.1.contains("\"sampled_ms\":0"));
    assert!(get("loads/1/document").await.1.contains("\"inline_script\""));
    assert!(get("loads/1/requests/2/body").await.1.contains("[\\n  1,\\n  2\\n]"), "data are set out");
    let (status, _, policy) = get("loads/1/requests/1/picture").await;
    assert!(status == StatusCode::OK && policy.unwrap().starts_with("sandbox; default-src 'none'"));
    assert_eq!(get("loads/1/requests/0/picture").await.0, StatusCode::NOT_FOUND, "a document is no picture");
    for nothing in ["loads/1/requests/9/body", "loads/7/tracks", "detail/used?url=x", "visits?first=1&again=2"] {
        let (status, text, _) = get(nothing).await;
        assert!(status == StatusCode::NOT_FOUND && text.contains("detail"), "{nothing}: {status} {text}");
    }
    assert_eq!(get("detail").await.1, "null", "an imported file tells nothing of used code");
}

#[tokio::test]
async fn only_its_own_pages_may_change_anything() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let (status, _, policy) = ask(&state, call("GET", "/api/recordings", &[HOST], "")).await;
    assert_eq!(status, StatusCode::OK);
    assert!(policy.unwrap().contains("default-src 'self'"));
    assert_eq!(
        ask(&state, call("GET", "/api/recordings", &[("host", "evil.test")], "")).await.0,
        StatusCode::FORBIDDEN
    );
    let elsewhere = [HOST, ("origin", "http://evil.test")];
    assert_eq!(ask(&state, call("POST", "/api/import", &elsewhere, "{}")).await.0, StatusCode::FORBIDDEN);
    let own = [HOST, ("origin", "http://127.0.0.1:7460"), MULTIPART];
    let (status, text, _) = ask(&state, call("POST", "/api/import", &own, form(&[("x.har", "{")]))).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(text.contains("x.har is cut off"), "{text}");
    assert!(ask(&state, call("GET", "/api/recordings/99", &[HOST], "")).await.1.contains("There is no recording 99."));
}

#[tokio::test]
async fn a_host_is_ours_as_a_whole_or_not_at_all() {
    let mut state = State::new(Store::temporary().unwrap());
    state.hosts = vec!["pier.test".into(), "fe80::7".into()];
    let state = Arc::new(state);
    let status = async |host: &str| ask(&state, call("GET", "/api/recordings", &[("host", host)], "")).await.0;
    for ours in [
        "127.0.0.1",
        "127.0.0.1:7460",
        "localhost:1",
        "[::1]",
        "[::1]:7460",
        "pier.test",
        "pier.test:80",
        "[fe80::7]:9",
    ] {
        assert_eq!(status(ours).await, StatusCode::OK, "{ours}");
    }
    for not in [
        "",
        ":7460",
        "[::1].evil.test",
        "[::1]evil.test:80",
        "[::1",
        "::1",
        "127.0.0.1.evil.test",
        "localhost.evil.test:7460",
        "evil.test:127.0.0.1",
        "127.0.0.1:80:evil.test",
        "pier.test.evil.test",
        "xpier.test",
        "127.0.0.1@evil.test",
        "pier.test:x",
    ] {
        assert_eq!(status(not).await, StatusCode::FORBIDDEN, "{not}");
    }
}

#[tokio::test]
async fn every_answer_keeps_other_sites_out() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    for (path, headers) in [
        ("/", vec![HOST]),
        ("/api/recordings", vec![HOST]),
        ("/api/recordings/1/loads/1/frames/0.jpg", vec![HOST]),
        ("/assets/none.js", vec![HOST]),
        ("/api/recordings", vec![("host", "evil.test")]),
    ] {
        let (_, told, _) = caller::answer(&state, call("GET", path, &headers, "")).await;
        for (name, value) in [
            ("cross-origin-resource-policy", "same-origin"),
            ("cross-origin-opener-policy", "same-origin"),
            ("x-content-type-options", "nosniff"),
            ("referrer-policy", "no-referrer"),
        ] {
            assert_eq!(told[name], value, "{path}: {name}");
        }
        assert!(told.contains_key("content-security-policy"), "{path}");
    }
}

#[tokio::test]
async fn a_token_is_taken_once_from_the_address_and_then_from_a_cookie() {
    let token = "sixteen-letters-x";
    let mut state = State::new(Store::temporary().unwrap());
    state.token = Some(token.into());
    let state = Arc::new(state);
    let get = async |path: &str, more: &[(&str, &str)]| {
        let headers: Vec<_> = [HOST].iter().chain(more).copied().collect();
        caller::answer(&state, call("GET", path, &headers, "")).await
    };
    let (status, told, _) = get(&format!("/recordings/3/path?sel=leg%3A2&token={token}&load=1"), &[]).await;
    assert_eq!(
        (status, told["location"].to_str().unwrap()),
        (StatusCode::SEE_OTHER, "/recordings/3/path?sel=leg%3A2&load=1")
    );
    let cookie = told["set-cookie"].to_str().unwrap();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    let kept = cookie.split(';').next().unwrap();
    assert_eq!(get("/api/recordings", &[("cookie", &format!("a=b; {kept}"))]).await.0, StatusCode::OK);
    assert_eq!(get(&format!("/?token={token}"), &[]).await.1["location"], "/");
    // A command line that has it in the address gets its answer at once.
    assert_eq!(get(&format!("/api/recordings?token={token}"), &[]).await.0, StatusCode::OK);
    for wrong in ["sixteen-letters-y", "sixteen-letters-", "", "sixteen-letters-xx"] {
        assert_eq!(get(&format!("/?token={wrong}"), &[]).await.0, StatusCode::UNAUTHORIZED, "{wrong}");
        assert_eq!(
            get("/api/recordings", &[("cookie", &format!("phainon_token={wrong}"))]).await.0,
            StatusCode::UNAUTHORIZED
        );
    }
    for (odd, sendable) in [
        ("sixteen-letters-x", true),
        ("with a space in it", false),
        ("semicolon;in-the-cookie", false),
        ("ünïcode-letters-in", false),
        ("per%20cent-signs-in", false),
    ] {
        assert_eq!(phainon_server::serve::can_be_sent(odd), sendable, "{odd}");
    }
}

#[tokio::test]
async fn a_token_is_asked_for_where_there_is_one() {
    let mut state = State::new(Store::temporary().unwrap());
    state.token = Some("sixteen-letters-x".into());
    let state = Arc::new(state);
    assert_eq!(ask(&state, call("GET", "/api/recordings", &[HOST], "")).await.0, StatusCode::UNAUTHORIZED);
    let bearer = [HOST, ("authorization", "Bearer sixteen-letters-x")];
    assert_eq!(ask(&state, call("GET", "/api/recordings", &bearer, "")).await.0, StatusCode::OK);
}

#[tokio::test]
async fn what_cannot_be_recorded_is_said_before_a_browser_starts() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let json = [HOST, ("content-type", "application/json")];
    let job = |url: &str, conditions: &str, loads: u32| {
        format!(
            r#"{{"pages":[{{"url":"{url}","page":null}}],"conditions":[{{"preset":"{conditions}","distance":"same_city"}}],"loads":{loads}}}"#
        )
    };
    for (body, why) in [
        (job("file:///etc/passwd", "home-laptop", 1), "only http and https"),
        (job("http://a.test/", "no-such", 1), "no conditions named"),
        (job("http://a.test/", "home-laptop", 0), "1 to 20 loads"),
    ] {
        let (status, text, _) = ask(&state, call("POST", "/api/jobs", &json, body)).await;
        assert_eq!(status, StatusCode::BAD_REQUEST, "{text}");
        assert!(text.contains(why), "{text}");
    }
}

#[tokio::test]
async fn every_refusal_is_a_problem_with_a_sentence() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let json = ("content-type", "application/json");
    for (method, path, headers, body) in [
        ("GET", "/api/recordings?limit=x", &[HOST][..], ""),
        ("GET", "/api/recordings/x", &[HOST], ""),
        ("GET", "/api/recordings/7", &[HOST], ""),
        ("GET", "/api/nothing", &[HOST], ""),
        ("DELETE", "/api/about", &[HOST], ""),
        ("POST", "/api/jobs", &[HOST, json], "{"),
        ("POST", "/api/jobs", &[HOST, json], "{}"),
        ("POST", "/api/jobs", &[HOST], "{}"),
        ("POST", "/api/import", &[HOST], "x"),
        ("PUT", "/api/conditions", &[HOST, json], "[]"),
    ] {
        let (status, answer, text) = caller::answer(&state, call(method, path, headers, body)).await;
        let kind = answer.get("content-type").unwrap().to_str().unwrap().to_owned();
        assert!(status.is_client_error(), "{method} {path}: {status}");
        assert_eq!(kind, "application/problem+json", "{method} {path}");
        let problem: serde_json::Value = serde_json::from_slice(&text).unwrap();
        assert_eq!(problem["status"], status.as_u16(), "{method} {path}");
        assert!(problem["detail"].as_str().unwrap().ends_with('.'), "{problem}");
    }
}
