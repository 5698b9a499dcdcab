//! Every section of a recording's API, over a recording of the demo: they agree with each other, say
//! what is not there, and are cheap to ask for again.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, answer, ask, call, import, json};
use flate2::read::GzDecoder;
use phainon_server::demo;
use phainon_server::state::State;
use phainon_store::Store;
use serde_json::{Value, json as value};
use std::io::Read;
use std::sync::Arc;

async fn with_demo(name: &str) -> Arc<State> {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    import(&state, &[("demo.zip", caller::demo(name))]).await;
    state
}

fn rows(value: &Value) -> &Vec<Value> {
    value.as_array().unwrap()
}

fn sum(of: &Value, field: &str) -> f64 {
    rows(of).iter().map(|row| row[field].as_f64().unwrap_or(0.0)).sum()
}

fn close(a: f64, b: f64, what: &str) {
    assert!((a - b).abs() < 0.5, "{what}: {a} and {b}");
}

#[tokio::test]
async fn all_sections_of_a_load_tell_the_same_story() {
    let state = with_demo("home-phone-on-the-move").await;
    let load = json(&state, "/api/recordings/1/loads/1").await;
    let requests = json(&state, "/api/recordings/1/loads/1/requests").await;
    let metrics = &load["metrics"];
    assert_eq!(metrics["requests"].as_u64().unwrap() as usize, rows(&requests).len());
    let transferred = metrics["transferred_bytes"].as_f64().unwrap();
    for share in ["owners", "weight", "domains"] {
        close(sum(&load[share], "transferred_bytes"), transferred, share);
        close(sum(&load[share], "requests"), metrics["requests"].as_f64().unwrap(), share);
    }
    close(sum(&requests, "transferred_bytes"), transferred, "requests");

    // The path begins with the navigation, has no gap, and ends at the paint.
    let path = rows(&load["lcp"]["path"]);
    assert_eq!(path[0]["from_ms"], 0.0);
    for pair in path.windows(2) {
        assert_eq!(pair[0]["to_ms"], pair[1]["from_ms"]);
    }
    close(path.last().unwrap()["to_ms"].as_f64().unwrap(), metrics["lcp_ms"].as_f64().unwrap(), "path and LCP");
    let parts = &load["lcp"]["parts"];
    let added: f64 = ["ttfb_ms", "load_delay_ms", "load_duration_ms", "render_delay_ms"]
        .iter()
        .map(|part| parts[part].as_f64().unwrap())
        .sum();
    close(added, metrics["lcp_ms"].as_f64().unwrap(), "parts and LCP");
    for leg in path {
        assert!(!leg["title"].as_str().unwrap().is_empty() && leg["sentence"].is_string(), "{leg}");
    }

    // What the rows say of the path, the path says of the rows.
    let on_path: Vec<&Value> = rows(&requests).iter().filter(|r| r["on_path"] == true).map(|r| &r["id"]).collect();
    for leg in path.iter().filter(|leg| leg["request"].is_u64()) {
        assert!(on_path.contains(&&leg["request"]), "{leg}");
    }
    for blocker in rows(&load["render_blocking"]) {
        let row = rows(&requests).iter().find(|r| r["url"] == blocker["url"]).unwrap();
        assert_eq!(row["released_ms"], blocker["released_ms"], "{blocker}");
    }
    for finding in rows(&load["findings"]) {
        assert!(finding["title"].as_str().unwrap().len() > 5 && finding["why"].is_string(), "{finding}");
        if let Some(id) = finding["request"].as_u64() {
            assert_eq!(requests[id as usize]["url"], finding["url"], "{finding}");
        }
    }

    // Work by kind is the main thread's whole; the functions of all of it are all of its samples.
    let thread = &load["main_thread"];
    let by_kind: f64 = thread["by_kind_ms"].as_object().unwrap().values().map(|ms| ms.as_f64().unwrap()).sum();
    close(by_kind, thread["total_ms"].as_f64().unwrap(), "work by kind");
    let functions = json(&state, "/api/recordings/1/loads/1/functions").await;
    let half = json(&state, "/api/recordings/1/loads/1/functions?from=0&to=1000").await;
    let rest = json(&state, "/api/recordings/1/loads/1/functions?from=1000").await;
    let whole = |f: &Value| f["sampled_ms"].as_f64().unwrap();
    assert!(sum(&functions["heaviest"], "self_ms") <= whole(&functions) + 0.5);
    assert!(whole(&functions) > 50.0);
    assert!((whole(&half) + whole(&rest) - whole(&functions)).abs() < 1.0, "stretches add up");
    let odd = json(&state, "/api/recordings/1/loads/1/functions?from=NaN&to=inf").await;
    assert_eq!(odd, functions, "a stretch that is none is the whole load");

    // The summary stands for the loads: its median is one of their values or between two.
    let head = json(&state, "/api/recordings/1").await;
    for row in rows(&head["summary"]["rows"]) {
        let values: Vec<f64> = rows(&row["values"]).iter().filter_map(Value::as_f64).collect();
        let median = row["median"].as_f64().unwrap();
        let below = values.iter().filter(|v| **v <= median).count();
        let above = values.iter().filter(|v| **v >= median).count();
        assert!(2 * below >= values.len() && 2 * above >= values.len(), "{row}");
    }
    let lcp = rows(&head["summary"]["rows"]).iter().find(|r| r["metric"] == "lcp").unwrap();
    assert!(rows(&lcp["values"]).contains(&metrics["lcp_ms"]), "a load's LCP is one of the summary's");
}

#[tokio::test]
async fn bodies_headers_and_pictures_come_one_by_one() {
    let state = with_demo("home-home-laptop").await;
    let requests = json(&state, "/api/recordings/1/loads/1/requests").await;
    let of_kind = |kind: &str| {
        let row = rows(&requests).iter().find(|r| r["kind"] == kind && r["has_body"] == true);
        format!("/api/recordings/1/loads/1/requests/{}", row.unwrap()["id"])
    };
    let (document, script, image) = (of_kind("document"), of_kind("script"), of_kind("image"));

    let text = json(&state, &format!("{document}/body")).await;
    assert!(text["text"].as_str().unwrap().contains("<html"), "the document as text");
    assert_eq!(text["bytes"].as_u64().unwrap() as usize, text["text"].as_str().unwrap().len());
    assert_eq!(text["cut"], false);
    assert_eq!(json(&state, &format!("{image}/body")).await["text"], Value::Null, "a picture is no text");

    let headers = json(&state, &format!("{document}/headers")).await;
    let names: Vec<String> =
        rows(&headers["response"]).iter().map(|h| h["name"].as_str().unwrap().to_ascii_lowercase()).collect();
    assert!(names.contains(&"content-type".to_owned()), "{names:?}");
    assert!(!names.contains(&"set-cookie".to_owned()), "cookies are never kept");

    let (status, headers, bytes) = answer(&state, call("GET", &format!("{image}/picture"), &[HOST], "")).await;
    assert_eq!(status, StatusCode::OK);
    assert!(headers["content-type"].to_str().unwrap().starts_with("image/"));
    assert!(headers["content-security-policy"].to_str().unwrap().starts_with("sandbox"), "it runs nothing");
    assert!(bytes.len() > 1_000);

    for (path, why) in [
        (format!("{script}/picture"), "no picture"),
        ("/api/recordings/1/loads/1/requests/9999/body".into(), "no request 9999"),
        ("/api/recordings/1/loads/1/requests/9999/headers".into(), "no request 9999"),
        ("/api/recordings/1/loads/77".into(), "."),
        ("/api/recordings/1/loads/77/tracks".into(), "."),
        ("/api/recordings/1/loads/1/frames/none.jpg".into(), "."),
        ("/api/recordings/1/visits?first=1&again=77".into(), "."),
        ("/api/recordings/1/detail/used?url=http://a.test/none.js".into(), "Nothing was seen"),
        ("/api/site-weight?recordings=1,44".into(), "."),
    ] {
        let (status, text, _) = ask(&state, call("GET", &path, &[HOST], "")).await;
        let problem: Value = serde_json::from_str(&text).unwrap();
        assert_eq!(status, StatusCode::NOT_FOUND, "{path}: {text}");
        assert!(problem["detail"].as_str().unwrap().contains(why), "{path}: {text}");
    }
    for path in ["/api/recordings/one", "/api/recordings/1/loads/-1", "/api/recordings/1/visits?first=1"] {
        let (status, ..) = ask(&state, call("GET", path, &[HOST], "")).await;
        assert_eq!(status, StatusCode::BAD_REQUEST, "{path}");
    }
}

#[tokio::test]
async fn the_document_is_read_with_its_parts_in_place() {
    let state = with_demo("home-home-laptop").await;
    let view = json(&state, "/api/recordings/1/loads/1/document").await;
    let requests = json(&state, "/api/recordings/1/loads/1/requests").await;
    let document = rows(&requests).iter().find(|r| r["kind"] == "document").unwrap();
    assert_eq!(view["whole"]["raw"], document["unpacked_bytes"], "its size is the response's own");
    let text: String = rows(&view["rows"]).iter().map(|row| row["text"].as_str().unwrap()).collect();
    assert!(text.contains("<html") && text.contains("</html>"));
    // Marks stand in order, inside the text, and those of requests name requests that stand there.
    let mut named = 0;
    let mut last = 0;
    for mark in rows(&view["marks"]) {
        let at = mark["at"].as_u64().unwrap();
        assert!(last <= at && at < view["whole"]["raw"].as_u64().unwrap(), "{mark}");
        last = at;
        if mark["mark"]["what"] == "request" {
            let row = &requests[mark["mark"]["request"].as_u64().unwrap() as usize];
            assert!(text.contains(row["name"].as_str().unwrap()), "{mark} {row}");
            named += 1;
        }
    }
    assert!(named > 5, "{named} requests are marked in the document");
    assert!(view["largest"].as_str().unwrap().contains("largest element"), "{}", view["largest"]);
    assert_eq!(view["notes"], value!([]));
}

#[tokio::test]
async fn both_visits_and_used_code_belong_to_the_recording() {
    let state = with_demo("home-home-laptop").await;
    let both = json(&state, "/api/recordings/1/visits?first=1&again=2").await;
    assert_eq!(rows(&both["rows"]).len(), rows(&both["whys"]).len(), "a sentence for each row");
    let again = rows(&json(&state, "/api/recordings/1/loads/2/requests").await).len();
    let first = rows(&json(&state, "/api/recordings/1/loads/1/requests").await).len();
    let of = |side: &str| {
        let mut ids: Vec<u64> = rows(&both["rows"]).iter().filter_map(|r| r[side].as_u64()).collect();
        ids.sort_unstable();
        ids
    };
    assert_eq!(of("first"), (0..first as u64).collect::<Vec<_>>(), "each request of the first visit once");
    assert_eq!(of("again"), (0..again as u64).collect::<Vec<_>>(), "and each of the return visit");
    assert!(rows(&both["rows"]).iter().any(|r| r["outcome"] == "from_cache"));

    let detail = json(&state, "/api/recordings/1/detail").await;
    let unused = rows(&detail["unused"]);
    assert!(!unused.is_empty());
    let url = unused[0]["url"].as_str().unwrap();
    let used = json(&state, &format!("/api/recordings/1/detail/used?url={url}")).await;
    for pair in rows(&used).windows(2) {
        assert!(pair[0][1].as_u64() <= pair[1][0].as_u64(), "used ranges are in order and apart: {pair:?}");
    }
    assert_eq!(detail["inline_only"], true);
    let (status, headers, bytes) =
        answer(&state, call("GET", "/api/recordings/1/detail/inline-only.jpg", &[HOST], "")).await;
    assert_eq!((status, &headers["content-type"]), (StatusCode::OK, &"image/jpeg".parse().unwrap()));
    assert!(bytes.starts_with(&[0xff, 0xd8]), "a JPEG");

    let weight = json(&state, "/api/site-weight?recordings=1").await;
    let load = json(&state, "/api/recordings/1/loads/1").await;
    assert_eq!(rows(&weight["pages"]).len(), 1);
    assert!(load["metrics"]["transferred_bytes"].as_u64().unwrap() > 0);
}

#[tokio::test]
async fn pictures_of_the_screen_are_asked_for_again_for_nothing() {
    let state = with_demo("home-home-laptop").await;
    let load = json(&state, "/api/recordings/1/loads/1").await;
    let file = load["frames"][0]["file"].as_str().unwrap();
    let path = format!("/api/recordings/1/loads/1/frames/{file}");
    let (status, headers, picture) = answer(&state, call("GET", &path, &[HOST], "")).await;
    assert_eq!(status, StatusCode::OK);
    assert!(picture.starts_with(&[0xff, 0xd8]));
    let tag = headers["etag"].to_str().unwrap();
    let known = [HOST, ("if-none-match", tag)];
    let (status, _, bytes) = answer(&state, call("GET", &path, &known, "")).await;
    assert_eq!((status, bytes.len()), (StatusCode::NOT_MODIFIED, 0));
    let other = [HOST, ("if-none-match", "\"another\"")];
    assert_eq!(answer(&state, call("GET", &path, &other, "")).await.2, picture);
}

#[tokio::test]
async fn a_picture_that_its_address_names_is_kept_and_never_taken_for_another() {
    let state = with_demo("home-home-laptop").await;
    let load = json(&state, "/api/recordings/1/loads/1").await;
    let frames = load["frames"].as_array().unwrap();
    let address = |at: usize, hash: usize| {
        let (file, hash) = (frames[at]["file"].as_str().unwrap(), frames[hash]["hash"].as_str().unwrap());
        format!("/api/recordings/1/loads/1/frames/{file}?is={hash}")
    };
    let (status, headers, _) = answer(&state, call("GET", &address(1, 1), &[HOST], "")).await;
    assert_eq!(
        (status, &headers["cache-control"]),
        (StatusCode::OK, &"private, max-age=31536000, immutable".parse().unwrap())
    );
    assert_ne!(frames[1]["hash"], frames[3]["hash"]);
    // As in another data directory, where the same file is another picture.
    let (status, headers, _) = answer(&state, call("GET", &address(1, 3), &[HOST], "")).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    assert!(!headers.get("cache-control").is_some_and(|c| c.to_str().unwrap().contains("immutable")));
    let (_, headers, _) = answer(&state, call("GET", address(1, 1).split('?').next().unwrap(), &[HOST], "")).await;
    assert_eq!(headers["cache-control"], "private, no-cache");
}

#[tokio::test]
async fn answers_come_packed_to_who_can_unpack_them() {
    let state = with_demo("home-home-laptop").await;
    let path = "/api/recordings/1/loads/1/requests";
    let plain = json(&state, path).await;
    let (status, headers, bytes) = answer(&state, call("GET", path, &[HOST, ("accept-encoding", "gzip")], "")).await;
    assert_eq!((status, headers["content-encoding"].to_str().unwrap()), (StatusCode::OK, "gzip"));
    let mut text = String::new();
    GzDecoder::new(bytes.as_slice()).read_to_string(&mut text).unwrap();
    assert_eq!(serde_json::from_str::<Value>(&text).unwrap(), plain);
    assert!(bytes.len() * 3 < text.len(), "{} of {}", bytes.len(), text.len());
}

#[tokio::test]
async fn a_demo_recording_that_was_deleted_does_not_come_back() {
    let directory = tempfile::tempdir().unwrap();
    let start = || Arc::new(State::new(Store::open(directory.path()).unwrap()));
    let state = start();
    let all = demo::import(&state).await.unwrap();
    assert!(all >= 8, "{all} recordings in the demo");
    assert_eq!(json(&state, "/api/recordings").await["all"], value!(all));
    let (status, ..) = ask(&state, call("DELETE", "/api/recordings/2", &[HOST], "")).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    drop(state);

    let state = start();
    assert_eq!(demo::import(&state).await.unwrap(), 0, "nothing is imported twice");
    assert_eq!(json(&state, "/api/recordings").await["all"], value!(all - 1));
    assert_eq!(ask(&state, call("GET", "/api/recordings/2", &[HOST], "")).await.0, StatusCode::NOT_FOUND);
}
