//! Whatever is asked, the server answers: with what was asked for, or with one sentence that says why not.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, JSON, MULTIPART, answer, call, demo, form, import};
use phainon_server::state::State;
use phainon_store::Store;
use proptest::prelude::*;
use serde_json::Value;
use std::sync::{Arc, LazyLock};
use tokio::runtime::Runtime;

/// A server with one recording of the demo.
static SERVER: LazyLock<(Runtime, Arc<State>)> = LazyLock::new(|| {
    let runtime = Runtime::new().unwrap();
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    runtime.block_on(import(&state, &[("demo.zip", demo("booking-home-laptop"))]));
    (runtime, state)
});

fn number() -> impl Strategy<Value = String> {
    prop_oneof![
        3 => Just("1".to_owned()),
        2 => (0u32..9).prop_map(|n| n.to_string()),
        1 => any::<i64>().prop_map(|n| n.to_string()),
        1 => any::<f64>().prop_map(|n| n.to_string()),
        1 => "[a-z%0-9.]{0,6}".prop_map(|text| text.replace('%', "%25")),
    ]
}

fn path() -> impl Strategy<Value = String> {
    let parts = [
        "",
        "/archive",
        "/loads/N",
        "/loads/N/requests",
        "/loads/N/thread",
        "/loads/N/har",
        "/loads/N/tracks",
        "/loads/N/functions?from=N&to=N",
        "/loads/N/document",
        "/loads/N/requests/N/headers",
        "/loads/N/requests/N/body",
        "/loads/N/requests/N/picture",
        "/loads/N/frames/N",
        "/visits?first=N&again=N",
        "/detail",
        "/detail/used?url=N",
        "/detail/inline-only.jpg",
    ];
    let of_recording = (0..parts.len(), prop::collection::vec(number(), 4)).prop_map(move |(part, numbers)| {
        let mut numbers = numbers.into_iter();
        let mut path = format!("/api/recordings/{}", numbers.next().unwrap());
        for piece in parts[part].split_inclusive('N') {
            path.push_str(piece.trim_end_matches('N'));
            if piece.ends_with('N') {
                path.push_str(&numbers.next().unwrap_or_default());
            }
        }
        path
    });
    prop_oneof![
        6 => of_recording,
        1 => (number(), number()).prop_map(|(a, b)| format!("/api/recordings?q={a}&limit={b}&offset={a}")),
        1 => (number(), number()).prop_map(|(a, b)| format!("/api/site-weight?recordings={a},{b}")),
        1 => number().prop_map(|n| format!("/api/jobs/{n}/frame")),
        1 => number().prop_map(|n| format!("/api/sites/{n}/plan")),
        1 => "(/[a-z0-9]{0,8}){0,4}".prop_map(|path| format!("/api{path}")),
    ]
}

/// What came back: nothing that failed inside, and every refusal a sentence.
fn sensible(path: &str, (status, headers, body): (StatusCode, axum::http::HeaderMap, Vec<u8>)) {
    assert!(!status.is_server_error(), "{path}: {status} {}", String::from_utf8_lossy(&body));
    if status.is_client_error() {
        let kind = headers.get("content-type").map(|v| v.to_str().unwrap().to_owned()).unwrap_or_default();
        // Addresses and forms that are none are refused by the router, in words of its own.
        if kind.starts_with("application/problem+json") {
            let problem: Value = serde_json::from_slice(&body).unwrap();
            let detail = problem["detail"].as_str().unwrap();
            assert!(detail.len() > 8 && detail.ends_with('.'), "{path}: {detail}");
            assert_eq!(problem["status"], status.as_u16(), "{path}");
        } else {
            assert!(matches!(status.as_u16(), 400 | 404 | 405 | 415 | 422), "{path}: {status} as {kind}");
        }
    }
    assert!(headers.contains_key("content-security-policy"), "{path}: every answer has its policy");
    assert_eq!(headers["x-content-type-options"], "nosniff", "{path}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn every_question_has_an_answer(path in path()) {
        let (runtime, state) = &*SERVER;
        if path.parse::<axum::http::Uri>().is_ok() {
            sensible(&path, runtime.block_on(answer(state, call("GET", &path, &[HOST], ""))));
        }
    }

    #[test]
    fn every_change_is_taken_or_refused(
        method in 0usize..4,
        place in 0usize..6,
        body in prop_oneof![
            Just("{}".to_owned()), Just("[]".to_owned()), Just("{\"ids\":[1,1,-1]}".to_owned()), "[ -~]{0,40}",
            Just("{\"pages\":[],\"conditions\":[],\"loads\":1}".to_owned()),
            Just("{\"state\":\"set_aside\",\"reason\":\"\"}".to_owned()),
            Just("{\"pages\":[{\"url\":\"http://\",\"page\":null}],\"conditions\":[{\"preset\":\"x\",\"distance\":\"same_city\"}],\"loads\":1}".to_owned()),
        ],
    ) {
        let (runtime, state) = &*SERVER;
        let places = ["/api/jobs", "/api/conditions", "/api/conditions/none", "/api/sites/x.test/plan/fixes", "/api/sites/x.test/plan/order", "/api/sites/x.test/plan/fixes/7"];
        let path = places[place];
        let method = ["POST", "PUT", "PATCH", "DELETE"][method];
        sensible(path, runtime.block_on(answer(state, call(method, path, &[HOST, JSON], body))));
    }

    #[test]
    fn any_file_is_imported_or_refused(name in "[ -~]{0,20}", bytes in prop::collection::vec(any::<u8>(), 0..400), start in 0usize..5) {
        let (runtime, state) = &*SERVER;
        let start: &[u8] = [&b""[..], b"PK\x03\x04", &[0x1f, 0x8b, 8], b"{\"log\":{\"entries\":[", b"[{\"name\":\"navigationStart\""][start];
        let file = [start, &bytes].concat();
        let name = name.replace(['"', '\\'], "_");
        sensible("import", runtime.block_on(answer(state, call("POST", "/api/import", &[HOST, MULTIPART], form(&[(name.as_str(), file)])))));
    }
}
