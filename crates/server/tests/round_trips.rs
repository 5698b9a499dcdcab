//! What comes in goes out again, and the lists and plans between keep what they are told.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, JSON, MULTIPART, answer, ask, call, demo, form, import, json};
use phainon_server::state::State;
use phainon_store::Store;
use serde_json::{Value, json as value};
use std::sync::Arc;

fn state() -> Arc<State> {
    Arc::new(State::new(Store::temporary().unwrap()))
}

fn har(url: &str, files: &[(&str, u64)]) -> String {
    let entry = |address: String, mime: &str, bytes: u64, ms: usize| {
        value!({
            "startedDateTime": format!("2026-11-24T09:00:00.{ms:03}Z"),
            "time": 100,
            "request": {"method": "GET", "url": address, "headers": []},
            "response": {"status": 200, "headers": [], "bodySize": bytes, "content": {"size": bytes, "mimeType": mime}},
            "timings": {"blocked": 2, "send": 1, "wait": 80, "receive": 17},
        })
    };
    let mut entries = vec![entry(url.to_owned(), "text/html", 4_000, 0)];
    entries.extend(
        files
            .iter()
            .enumerate()
            .map(|(n, (file, bytes))| entry(format!("{url}{file}"), "text/javascript", *bytes, 10 + n)),
    );
    value!({"log": {"version": "1.2", "creator": {"name": "x", "version": "1"}, "entries": entries}}).to_string()
}

#[tokio::test]
async fn an_archive_and_a_har_come_back_with_the_same_figures() {
    let state = state();
    let ids = import(&state, &[("home.zip", demo("home-home-laptop"))]).await;
    assert_eq!(ids, [1]);
    let head = json(&state, "/api/recordings/1").await;
    assert_eq!((&head["page"], head["loads"].as_array().unwrap().len()), (&value!("Home"), 6));

    let (status, headers, bytes) = answer(&state, call("GET", "/api/recordings/1/archive", &[HOST], "")).await;
    assert_eq!((status, &headers["content-type"]), (StatusCode::OK, &"application/zip".parse().unwrap()));
    assert_eq!(import(&state, &[("again.zip", bytes)]).await, [2]);
    for number in [1, 2, 6] {
        let of = async |id: i64| {
            let analysis = json(&state, &format!("/api/recordings/{id}/loads/{number}")).await;
            let path =
                analysis["lcp"]["path"].as_array().unwrap().iter().map(|l| l["title"].clone()).collect::<Vec<_>>();
            (analysis["metrics"].clone(), analysis["findings"].clone(), path)
        };
        assert_eq!(of(1).await, of(2).await, "load {number}");
    }
    assert_eq!(json(&state, "/api/recordings/1/detail").await, json(&state, "/api/recordings/2/detail").await);

    // A HAR holds the requests alone; those come back as they were.
    let (_, _, bytes) = answer(&state, call("GET", "/api/recordings/1/loads/1/har", &[HOST], "")).await;
    assert_eq!(import(&state, &[("load.har", bytes)]).await, [3]);
    let (ours, theirs) =
        (json(&state, "/api/recordings/1/loads/1").await, json(&state, "/api/recordings/3/loads/1").await);
    for figure in ["requests", "transferred_bytes", "ttfb_ms"] {
        assert_eq!(ours["metrics"][figure], theirs["metrics"][figure], "{figure}");
    }
    assert_eq!(theirs["metrics"]["lcp_ms"], Value::Null, "and nothing is made up");
}

#[tokio::test]
async fn several_files_become_several_recordings_which_stand_side_by_side() {
    let state = state();
    let home = har("http://a.test/", &[("all.js", 9_000), ("home.js", 1_000)]);
    let book = har("http://a.test/book/", &[("../all.js", 9_000)]);
    assert_eq!(import(&state, &[("home.har", home), ("book.har", book)]).await, [1, 2]);
    let list = json(&state, "/api/recordings").await;
    assert_eq!((&list["all"], &list["matching"]), (&value!(2), &value!(2)));
    assert_eq!(list["rows"][0]["imported_from"], "book.har");
    let found = json(&state, "/api/recordings?q=a.test%20/book/&limit=1").await;
    assert_eq!(
        (&found["matching"], &found["all"], &found["rows"][0]["imported_from"]),
        (&value!(1), &value!(2), &value!("book.har"))
    );
    assert_eq!(json(&state, "/api/recordings?offset=1").await["rows"][0]["imported_from"], "home.har");
    assert_eq!(
        json(&state, "/api/recordings?q=100%25").await["rows"],
        value!([]),
        "a sign of the search's own is a sign"
    );

    let (status, text, _) = ask(&state, call("DELETE", "/api/recordings/1", &[HOST], "")).await;
    assert_eq!((status, text.as_str()), (StatusCode::NO_CONTENT, ""));
    assert_eq!(json(&state, "/api/recordings").await["all"], 1);
    assert_eq!(ask(&state, call("GET", "/api/recordings/1/loads/1", &[HOST], "")).await.0, StatusCode::NOT_FOUND);
    assert_eq!(ask(&state, call("POST", "/api/recordings/1/restore", &[HOST], "")).await.0, StatusCode::NO_CONTENT);
    assert_eq!(json(&state, "/api/recordings").await["all"], 2);

    let weight = json(&state, "/api/site-weight?recordings=1,2").await;
    assert_eq!(weight["pages"].as_array().unwrap().len(), 2);
    for (chosen, why) in [("", "One to five hundred"), ("1,x", "list of numbers")] {
        let path = format!("/api/site-weight?recordings={chosen}");
        let (status, text, _) = ask(&state, call("GET", &path, &[HOST], "")).await;
        assert!(status == StatusCode::BAD_REQUEST && text.contains(why), "{chosen}: {text}");
    }
}

#[tokio::test]
async fn of_files_that_cannot_be_taken_nothing_is_kept() {
    let state = state();
    let good = har("http://a.test/", &[]);
    let send =
        async |files: &[(&str, &str)]| ask(&state, call("POST", "/api/import", &[HOST, MULTIPART], form(files))).await;
    let (status, text, _) = send(&[("good.har", &good), ("bad.har", "{\"log\":")]).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && text.contains("bad.har"), "{text}");
    assert_eq!(json(&state, "/api/recordings").await["all"], 0, "all or none");
    assert!(send(&[]).await.1.contains("No file was sent"));
    let many: Vec<(&str, &str)> = (0..21).map(|_| ("x.har", good.as_str())).collect();
    assert!(send(&many).await.1.contains("At most 20 files"));
    let (status, ..) = ask(&state, call("POST", "/api/import", &[HOST, JSON], "{}")).await;
    assert_eq!(status, StatusCode::BAD_REQUEST, "no form at all");
}

#[tokio::test]
async fn a_plan_is_kept_by_its_site_and_refuses_what_makes_no_sense() {
    let state = state();
    let path = "/api/sites/a.test/plan";
    let fix = |target: &str, ms: f64| {
        value!({"edit": {"kind": "defer_script", "file": format!("a.test/{target}")}, "owner": {"name": "site", "kind": "site"},
            "on_path_ms": ms, "finding_key": target, "finding_title": target, "recording": null, "load": null,
            "state": null, "reason": null})
        .to_string()
    };
    let change = async |method: &str, end: &str, body: String| {
        ask(&state, call(method, &format!("{path}{end}"), &[HOST, JSON], body)).await
    };
    let order = async || {
        let plan = json(&state, path).await;
        plan["fixes"]
            .as_array()
            .unwrap()
            .iter()
            .map(|f| f["fix"]["target"].as_str().unwrap().trim_start_matches("a.test/").to_owned())
            .collect::<Vec<_>>()
    };
    for (target, ms) in [("a.js", 100.0), ("b.js", 900.0), ("c.js", 500.0), ("a.js", 100.0)] {
        assert_eq!(change("POST", "/fixes", fix(target, ms)).await.0, StatusCode::OK);
    }
    assert_eq!(order().await, ["b.js", "c.js", "a.js"], "by milliseconds on the path, each once");
    assert_eq!(change("PUT", "/order", value!({"ids": [1, 3, 2]}).to_string()).await.0, StatusCode::NO_CONTENT);
    assert_eq!(order().await, ["a.js", "c.js", "b.js"]);
    assert_eq!(change("PUT", "/order", value!({"ids": null}).to_string()).await.0, StatusCode::NO_CONTENT);
    assert_eq!(order().await, ["b.js", "c.js", "a.js"]);

    let aside = |reason: Option<&str>| value!({"state": "set_aside", "reason": reason}).to_string();
    let (status, text, _) = change("PATCH", "/fixes/2", aside(Some("   "))).await;
    assert!(status == StatusCode::BAD_REQUEST && text.contains("needs a reason"), "{text}");
    assert_eq!(change("PATCH", "/fixes/2", aside(Some("needed for payment"))).await.0, StatusCode::NO_CONTENT);
    assert_eq!(order().await, ["c.js", "a.js", "b.js"], "what is set aside comes last");
    assert_eq!(change("DELETE", "/fixes/3", String::new()).await.0, StatusCode::NO_CONTENT);
    assert_eq!(change("DELETE", "/fixes/3", String::new()).await.0, StatusCode::NOT_FOUND);
    assert_eq!(
        change("PATCH", "/fixes/99", value!({"state": "done", "reason": null}).to_string()).await.0,
        StatusCode::NOT_FOUND
    );
    assert_eq!(change("POST", "/fixes", fix(&"x".repeat(30_000), 1.0)).await.0, StatusCode::BAD_REQUEST);
    assert_eq!(change("POST", "/fixes", "{\"kind\":".into()).await.0, StatusCode::BAD_REQUEST);
    assert_eq!(json(&state, "/api/sites/elsewhere.test/plan").await["fixes"], value!([]));
}

#[tokio::test]
async fn what_is_not_there_is_said_in_a_sentence() {
    let state = state();
    for (method, path) in [
        ("GET", "/api/recordings/7"),
        ("GET", "/api/recordings/7/archive"),
        ("GET", "/api/recordings/7/loads/1/har"),
        ("GET", "/api/recordings/7/loads/1/frames/0000.jpg"),
        ("DELETE", "/api/recordings/7"),
        ("POST", "/api/recordings/7/restore"),
        ("DELETE", "/api/jobs/7"),
        ("GET", "/api/jobs/7/frame"),
        ("GET", "/api/batches/7/events"),
        ("GET", "/api/no-such-thing"),
    ] {
        let (status, headers, body) = answer(&state, call(method, path, &[HOST], "")).await;
        assert_eq!(
            (status, &headers["content-type"]),
            (StatusCode::NOT_FOUND, &"application/problem+json".parse().unwrap()),
            "{path}"
        );
        let problem: Value = serde_json::from_slice(&body).unwrap();
        assert!(problem["detail"].as_str().unwrap().ends_with('.'), "{path}: {problem}");
    }
    let about = json(&state, "/api/about").await;
    assert_eq!(about["stand_in"], Value::Null, "only the demo runs the stand-in");
    assert_eq!(about["presets"].as_array().unwrap().len(), 5);
    assert_eq!(json(&state, "/api/jobs").await, value!([]));
}
