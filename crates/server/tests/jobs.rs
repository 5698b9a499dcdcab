//! Recordings under way: one at a time, told step by step, ended at once when that is asked for.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::body::Body;
use axum::http::StatusCode;
use caller::{HOST, JSON, ask, call, json};
use futures::StreamExt;
use phainon_server::{serve::router, state::State};
use phainon_standin::StandIn;
use phainon_store::Store;
use serde_json::{Value, json as value};
use std::sync::Arc;
use std::time::Duration;
use tower::ServiceExt;

async fn state() -> Arc<State> {
    let mut state = State::new(Store::in_memory().unwrap());
    state.stand_in = Some(StandIn::start().await.unwrap());
    Arc::new(state)
}

async fn start(state: &Arc<State>, url: &str) -> (StatusCode, Value) {
    let body =
        value!({"url": url, "page": "Notice", "conditions": "unshaped", "loads": 1, "longest_s": 20}).to_string();
    let (status, text, _) = ask(state, call("POST", "/api/jobs", &[HOST, JSON], body)).await;
    (status, serde_json::from_str(&text).unwrap())
}

/// A job's states from now on, until one of them is what is looked for; all of them.
async fn follow(state: &Arc<State>, id: u64, until: impl Fn(&Value) -> bool) -> Vec<Value> {
    let request = call("GET", &format!("/api/jobs/{id}/events"), &[HOST], Body::empty());
    let answer = router(state.clone()).oneshot(request).await.unwrap();
    assert_eq!(answer.headers()["content-type"], "text/event-stream");
    let mut pieces = answer.into_body().into_data_stream();
    let (mut text, mut states) = (String::new(), Vec::new());
    let watch = async {
        while let Some(piece) = pieces.next().await {
            text.push_str(&String::from_utf8_lossy(&piece.unwrap()));
            while let Some(end) = text.find("\n\n") {
                let event: String = text.drain(..end + 2).collect();
                let Some(data) = event.lines().find_map(|l| l.strip_prefix("data:")) else { continue };
                states.push(serde_json::from_str::<Value>(data).unwrap());
                if states.last().is_some_and(&until) {
                    return;
                }
            }
        }
    };
    tokio::time::timeout(Duration::from_secs(90), watch).await.expect("the job goes on telling");
    states
}

fn is(state: &'static str) -> impl Fn(&Value) -> bool {
    move |job| job["state"] == state
}

const NOTICE: &str = "http://www.skerryline.test/notices/winter-refit/";

#[tokio::test(flavor = "multi_thread")]
async fn one_records_while_the_others_wait_and_what_it_records_is_kept() {
    let state = state().await;
    let (status, first) = start(&state, NOTICE).await;
    assert_eq!((status, &first["state"]), (StatusCode::OK, &value!("queued")));
    let (_, second) = start(&state, "http://127.0.0.1:1/").await;
    let (_, third) = start(&state, NOTICE).await;
    let [first, second, third] = [first, second, third].map(|job| job["id"].as_u64().unwrap());
    follow(&state, first, is("running")).await;
    let under_way = json(&state, "/api/jobs").await;
    let states: Vec<&str> = under_way.as_array().unwrap().iter().map(|j| j["state"].as_str().unwrap()).collect();
    assert_eq!(states, ["running", "queued", "queued"]);

    // One that waits can be taken out of the line.
    let (status, ..) = ask(&state, call("DELETE", &format!("/api/jobs/{third}"), &[HOST], "")).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    assert_eq!(follow(&state, third, is("cancelled")).await.len(), 1);

    let told = follow(&state, first, is("done")).await;
    assert!(told.iter().any(|j| j["stage"] == "loading" && j["requests"].as_u64() > Some(0)), "{told:#?}");
    assert!(told.iter().any(|j| j["frame"].as_str().is_some_and(|f| f.starts_with("data:image/jpeg;base64,"))));
    let last = told.last().unwrap();
    assert_eq!((&last["frame"], &last["error"]), (&Value::Null, &Value::Null));
    let head = json(&state, &format!("/api/recordings/{}", last["recording"])).await;
    assert_eq!(
        (&head["page"], &head["source"], &head["imported_from"]),
        (&value!("Notice"), &value!("recording"), &Value::Null)
    );
    assert!(json(&state, &format!("/api/recordings/{}/loads/1", last["recording"])).await["lcp"].is_object());

    // The one behind it has its turn, and says why nothing came of it; nothing is kept of that.
    let told = follow(&state, second, is("failed")).await;
    let why = told.last().unwrap()["error"].as_str().unwrap().to_owned();
    assert!(why.starts_with("127.0.0.1 could not be reached"), "{why}");
    assert_eq!(json(&state, "/api/recordings").await.as_array().unwrap().len(), 1);
    assert_eq!(json(&state, "/api/jobs").await, value!([]));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_running_one_ends_when_it_is_cancelled_and_the_line_has_an_end() {
    let state = state().await;
    let (_, job) = start(&state, NOTICE).await;
    let id = job["id"].as_u64().unwrap();
    follow(&state, id, |job| job["stage"] == "loading").await;
    assert_eq!(ask(&state, call("DELETE", &format!("/api/jobs/{id}"), &[HOST], "")).await.0, StatusCode::NO_CONTENT);
    let told = follow(&state, id, is("cancelled")).await;
    assert_eq!(told.last().unwrap()["stage"], Value::Null);
    assert_eq!(json(&state, "/api/recordings").await, value!([]));

    let mut waiting = Vec::new();
    let refused = loop {
        let (status, answer) = start(&state, NOTICE).await;
        if status != StatusCode::OK {
            break (status, answer["detail"].as_str().unwrap().to_owned());
        }
        waiting.push(answer["id"].as_u64().unwrap());
    };
    assert_eq!((refused.0, waiting.len()), (StatusCode::TOO_MANY_REQUESTS, 20));
    assert!(refused.1.contains("20 recordings are waiting already"), "{}", refused.1);
    state.jobs.cancel_all();
    assert_eq!(json(&state, "/api/jobs").await, value!([]));
}
