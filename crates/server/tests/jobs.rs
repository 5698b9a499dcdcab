//! Recordings under way: one at a time, told step by step, ended at once when that is asked for.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::body::Body;
use axum::http::StatusCode;
use caller::{HOST, JSON, answer, ask, call, json};
use futures::StreamExt;
use phainon_server::{jobs, serve::router, state::State};
use phainon_standin::StandIn;
use phainon_store::Store;
use serde_json::{Value, json as value};
use std::sync::Arc;
use std::time::Duration;
use tower::ServiceExt;

async fn state() -> Arc<State> {
    let mut state = State::new(Store::temporary().unwrap());
    state.stand_in = Some(StandIn::start().await.unwrap());
    Arc::new(state)
}

/// Asks for one recording; gives the job, or the refusal.
async fn start(state: &Arc<State>, url: &str) -> (StatusCode, Value) {
    let unshaped = value!({"preset": "unshaped", "distance": "same_city"});
    let (status, answer) = start_all(state, &[url], &[unshaped], 1).await;
    (status, if answer.is_array() { answer[0].clone() } else { answer })
}

async fn start_all(state: &Arc<State>, urls: &[&str], conditions: &[Value], loads: u32) -> (StatusCode, Value) {
    let pages: Vec<Value> = urls.iter().map(|url| value!({"url": url, "page": "Notice"})).collect();
    let body = value!({"pages": pages, "conditions": conditions, "loads": loads, "longest_s": 20}).to_string();
    let (status, text, _) = ask(state, call("POST", "/api/jobs", &[HOST, JSON], body)).await;
    (status, serde_json::from_str(&text).unwrap())
}

async fn recordings(state: &Arc<State>) -> Vec<Value> {
    json(state, "/api/recordings").await["rows"].as_array().unwrap().clone()
}

/// The states from now on of a batch's first job, until one of them is what is looked for; all of them.
async fn follow(state: &Arc<State>, job: &Value, until: impl Fn(&Value) -> bool) -> Vec<Value> {
    let request = call("GET", &format!("/api/batches/{}/events", job["batch"]), &[HOST], Body::empty());
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
                let jobs = serde_json::from_str::<Value>(data).unwrap();
                let its = jobs.as_array().unwrap().iter().find(|j| j["id"] == job["id"]).unwrap();
                states.push(its.clone());
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

fn cancel(job: &Value) -> axum::http::Request<Body> {
    call("DELETE", &format!("/api/jobs/{}", job["id"]), &[HOST], "")
}

#[tokio::test(flavor = "multi_thread")]
async fn one_records_while_the_others_wait_and_what_it_records_is_kept() {
    let state = state().await;
    let (status, first) = start(&state, NOTICE).await;
    assert_eq!((status, &first["state"]), (StatusCode::OK, &value!("queued")));
    let (_, second) = start(&state, "http://127.0.0.1:1/").await;
    let (_, third) = start(&state, NOTICE).await;
    follow(&state, &first, is("running")).await;
    let under_way = json(&state, "/api/jobs").await;
    let states: Vec<&str> = under_way.as_array().unwrap().iter().map(|j| j["state"].as_str().unwrap()).collect();
    assert_eq!(states, ["running", "queued", "queued"]);

    // One that waits can be taken out of the line.
    assert_eq!(ask(&state, cancel(&third)).await.0, StatusCode::NO_CONTENT);
    follow(&state, &third, is("cancelled")).await;

    let told = follow(&state, &first, is("done")).await;
    assert!(told.iter().any(|j| j["requests"].as_u64() > Some(0)), "{told:#?}");
    let last = told.last().unwrap();
    assert_eq!((&last["kept"], &last["error"]), (&value!(1), &Value::Null));
    let (_, headers, picture) =
        answer(&state, call("GET", &format!("/api/jobs/{}/frame", first["id"]), &[HOST], "")).await;
    assert_eq!(headers["content-type"], "image/jpeg");
    assert!(last["frame"].as_u64() > Some(0) && picture.starts_with(&[0xff, 0xd8]));
    let head = json(&state, &format!("/api/recordings/{}", last["recording"])).await;
    assert_eq!(
        (&head["page"], &head["source"], &head["ended"], &head["wanted_loads"]),
        (&value!("Notice"), &value!("recording"), &value!("done"), &value!(1))
    );
    assert!(head["machine"]["calibration_ms"].as_f64() > Some(0.0), "{head}");
    assert!(json(&state, &format!("/api/recordings/{}/loads/1", last["recording"])).await["lcp"].is_object());

    // The one behind it has its turn, and says why nothing came of it; nothing is kept of that.
    let told = follow(&state, &second, is("failed")).await;
    let why = told.last().unwrap()["error"].as_str().unwrap().to_owned();
    assert!(why.starts_with("127.0.0.1 could not be reached"), "{why}");
    assert_eq!(recordings(&state).await.len(), 1);
    assert_eq!(json(&state, "/api/jobs").await, value!([]));
    assert_eq!(state.store.waiting().unwrap(), [], "nothing waits for the next start");
}

#[tokio::test(flavor = "multi_thread")]
async fn one_that_is_cancelled_keeps_the_loads_that_it_made() {
    let state = state().await;
    let unshaped = value!({"preset": "unshaped", "distance": "same_city"});
    let (_, jobs) = start_all(&state, &[NOTICE], &[unshaped], 20).await;
    let job = &jobs[0];
    follow(&state, job, |job| job["kept"].as_u64() >= Some(1) && job["stage"] == "loading").await;
    assert_eq!(ask(&state, cancel(job)).await.0, StatusCode::NO_CONTENT);
    let told = follow(&state, job, is("cancelled")).await;
    let last = told.last().unwrap();
    assert_eq!(last["stage"], Value::Null);
    let head = json(&state, &format!("/api/recordings/{}", last["recording"])).await;
    assert_eq!((&head["ended"], &head["wanted_loads"]), (&value!("cancelled"), &value!(20)));
    let loads = head["loads"].as_array().unwrap();
    assert!(!loads.is_empty() && loads.len() < 20 && loads.iter().all(|l| l["has_data"] == true), "{loads:?}");
    assert_eq!(head["summary"]["rows"][0]["values"].as_array().unwrap().len(), loads.len());
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_and_conditions_become_a_batch_that_has_an_end_and_outlives_the_program() {
    let directory = tempfile::tempdir().unwrap();
    let mut state = State::new(Store::open(directory.path()).unwrap());
    state.stand_in = Some(StandIn::start().await.unwrap());
    let state = Arc::new(state);
    let own = value!({"name": "Mine", "width": 400, "height": 700, "pixel_ratio": 2.0, "mobile": true, "cpu_slowdown": 2.0,
        "round_trip_ms": 10.0, "down_bits": 50_000_000, "up_bits": 9_000_000});
    let preset = value!({"preset": "home-laptop", "distance": "same_continent"});
    let (_, jobs) =
        start_all(&state, &[NOTICE, "http://www.skerryline.test/"], &[own.clone(), preset.clone()], 3).await;
    let named: Vec<String> = jobs
        .as_array()
        .unwrap()
        .iter()
        .map(|j| format!("{} {}", j["url"].as_str().unwrap(), j["conditions"]["name"].as_str().unwrap()))
        .collect();
    let home = "http://www.skerryline.test/";
    assert_eq!(
        named,
        [
            format!("{NOTICE} Mine"),
            format!("{NOTICE} Home laptop"),
            format!("{home} Mine"),
            format!("{home} Home laptop")
        ]
    );
    assert!(jobs.as_array().unwrap().iter().all(|j| j["batch"] == jobs[0]["batch"]));

    // Together or not at all: one that is impossible starts none.
    let mut broken = own.clone();
    broken["cpu_slowdown"] = value!(0.0);
    let before = state.store.waiting().unwrap().len();
    let (status, answer) = start_all(&state, &[NOTICE], &[preset.clone(), broken], 1).await;
    assert!(
        status == StatusCode::BAD_REQUEST && answer["detail"].as_str().unwrap().contains("CPU slowdown"),
        "{answer}"
    );
    assert_eq!(state.store.waiting().unwrap().len(), before);
    let many: Vec<&str> = vec![NOTICE; 60];
    let (status, answer) = start_all(&state, &many, &[preset], 1).await;
    assert!(status == StatusCode::TOO_MANY_REQUESTS, "{answer}");

    // What a page is opened with is never written down.
    let secret = value!({"pages": [{"url": NOTICE, "page": null}], "conditions": [{"preset": "unshaped", "distance": "same_city"}], "loads": 1,
        "access": {"headers": "X-Preview: s3cret-word"}});
    let (status, ..) = ask(&state, call("POST", "/api/jobs", &[HOST, JSON], secret.to_string())).await;
    assert_eq!(status, StatusCode::OK);
    assert!(state.store.waiting().unwrap().iter().all(|(_, text)| !text.contains("s3cret-word")));

    // The program ends, and starts again on the same data.
    state.jobs.cancel_all();
    follow(&state, &jobs[0], is("cancelled")).await;
    assert_eq!(state.store.waiting().unwrap().len(), 4, "what waited goes on at the next start");
    let again = Arc::new(State::new(Store::open(directory.path()).unwrap()));
    assert_eq!(jobs::resume(&again).unwrap(), 4);
    assert_eq!(json(&again, "/api/jobs").await.as_array().unwrap().len(), 4);
    for job in json(&again, "/api/jobs").await.as_array().unwrap() {
        ask(&again, cancel(job)).await;
        follow(&again, job, is("cancelled")).await;
    }
    assert_eq!(again.store.waiting().unwrap(), [], "what the user ends is not done again");
}

#[tokio::test(flavor = "multi_thread")]
async fn conditions_of_ones_own_are_saved_by_name() {
    let state = state().await;
    let mine = |cpu: f64, name: &str| {
        value!({"name": name, "width": 400, "height": 700, "pixel_ratio": 2.0, "mobile": true,
        "cpu_slowdown": cpu, "round_trip_ms": 10.0, "down_bits": 0, "up_bits": 0, "distance": "same_city"})
    };
    let save = async |own: Value| ask(&state, call("PUT", "/api/conditions", &[HOST, JSON], own.to_string())).await;
    assert_eq!(save(mine(2.0, "Mine")).await.0, StatusCode::NO_CONTENT);
    assert_eq!(save(mine(3.0, "Mine")).await.0, StatusCode::NO_CONTENT);
    assert_eq!(json(&state, "/api/conditions").await, value!([mine(3.0, "Mine")]));
    assert!(save(mine(0.1, "Broken")).await.1.contains("CPU slowdown"));
    assert!(save(mine(2.0, "Home laptop")).await.1.contains("preset"));
    let gone = call("DELETE", "/api/conditions/Mine", &[HOST], "");
    assert_eq!(ask(&state, gone).await.0, StatusCode::NO_CONTENT);
    assert_eq!(json(&state, "/api/conditions").await, value!([]));
}
