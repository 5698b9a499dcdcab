//! Trials by way of the API, without a browser: what is offered, what is refused, what the change is.

#![allow(clippy::unwrap_used)]

mod caller;

use caller::{HOST, JSON, ask, call, demo, import, json};
use phainon_core::Visit;
use phainon_server::state::State;
use phainon_store::{Store, StoredTrial, TrialState};
use serde_json::{Value, json as value};
use std::sync::Arc;

async fn with_home() -> Arc<State> {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    import(&state, &[("home.zip", demo("home-phone-on-the-move"))]).await;
    state
}

async fn send(state: &Arc<State>, path: &str, body: &Value) -> (u16, Value) {
    let (status, text, _) = ask(state, call("POST", path, &[HOST, JSON], body.to_string())).await;
    (status.as_u16(), serde_json::from_str(&text).unwrap())
}

#[tokio::test]
async fn what_findings_call_for_is_offered_with_what_cannot_be_tried() {
    let state = with_home().await;
    let offer = json(&state, "/api/recordings/1/loads/1/trial").await;
    assert_eq!((&offer["problem"], &offer["conditions"]["name"]), (&Value::Null, &"Phone on the move".into()));
    let edits = offer["edits"].as_array().unwrap();
    let keys: Vec<&str> = edits.iter().map(|e| e["fix"]["key"].as_str().unwrap()).collect();
    let mut once = keys.clone();
    once.sort_unstable();
    once.dedup();
    assert_eq!(once.len(), keys.len(), "each once");
    let problem = |kind: &str| edits.iter().find(|e| e["fix"]["kind"] == kind).unwrap()["problem"].clone();
    assert_eq!(problem("defer_script"), Value::Null);
    assert!(problem("split_task").as_str().unwrap().contains("by hand"));
    let path: Vec<f64> = edits.iter().map(|e| e["on_path_ms"].as_f64().unwrap()).collect();
    assert!(path.is_sorted_by(|a, b| a >= b), "{path:?}");
}

#[tokio::test]
async fn an_edit_is_read_as_the_command_line_writes_it() {
    let state = with_home().await;
    let read = "/api/recordings/1/loads/1/edit";
    let (status, edit) = send(&state, read, &value!({"text": "shrink:hero-marlin-bay.jpg=0.3"})).await;
    assert_eq!((status, &edit["problem"], &edit["fix"]["kind"]), (200, &Value::Null, &"shrink".into()));
    let (status, problem) = send(&state, read, &value!({"text": "shrink:hero-marlin-bay.jpg=heavy"})).await;
    assert_eq!(status, 400, "{problem}");
    assert!(problem["detail"].as_str().unwrap().starts_with("This load asked for nothing that ends in"), "{problem}");
}

#[tokio::test]
async fn what_cannot_be_tried_is_refused_before_anything_begins() {
    let state = with_home().await;
    let start = "/api/recordings/1/loads/1/trials";
    let split = value!({"kind": "split_task", "file": "static.skerryline.test/plugins/deck-slider/slider.js"});
    let defer = value!({"kind": "defer_script", "file": "static.skerryline.test/plugins/deck-slider/slider.js"});
    for (body, why) in [
        (value!({"edits": [], "loads": 3}), "at least one edit"),
        (value!({"edits": [defer], "loads": 0}), "1 to 20 loads"),
        (value!({"edits": [defer], "loads": 21}), "1 to 20 loads"),
        (value!({"edits": vec![&defer; 101], "loads": 3}), "at most 100 edits"),
        (value!({"edits": [defer, split], "loads": 3}), "slider.js, or in smaller pieces” cannot be tried."),
        (
            value!({"edits": [], "by_hand": [{"url": "http://elsewhere.test/", "text": "x"}], "loads": 3}),
            "no answer from",
        ),
        (
            value!({"edits": [], "by_hand": [{"url": "http://www.skerryline.test/"}], "loads": 3}),
            "The file is not there.",
        ),
        (value!({"edits": [defer], "loads": 3, "preset": "sailing"}), "no conditions named “sailing”"),
    ] {
        let (status, problem) = send(&state, start, &body).await;
        assert_eq!(status, 400, "{problem}");
        assert!(problem["detail"].as_str().unwrap().contains(why), "{why}: {problem}");
    }
    assert_eq!(json(&state, "/api/recordings/1/trials").await, value!([]));
    assert_eq!(json(&state, "/api/jobs").await, value!([]));
}

#[tokio::test]
async fn a_trials_change_is_made_again_from_what_it_wanted_and_the_trial_can_be_forgotten() {
    let state = with_home().await;
    let wanted = value!({"edits": [{"kind": "defer_script", "file": "static.skerryline.test/plugins/deck-slider/slider.js"}], "loads": 4});
    let id = state.store.begin_trial(1, 1, &wanted.to_string()).unwrap();
    let changes = json(&state, &format!("/api/trials/{id}/changes")).await;
    assert_eq!((changes.as_array().unwrap().len(), &changes[0]["becomes"]), (1, &"changed".into()), "{changes}");
    assert_eq!(changes[0]["path"], "www.skerryline.test/index.html");
    let (status, diff, _) = ask(&state, call("GET", &format!("/api/trials/{id}/changes.diff"), &[HOST], "")).await;
    assert!(status.is_success() && diff.contains("slider.js\" defer=\"\""), "{diff}");
    // The program ended before it was over: it says so.
    assert_eq!(state.store.break_off_trials().unwrap(), 1);
    let trial = json(&state, &format!("/api/trials/{id}")).await;
    assert_eq!(
        (&trial["state"], &trial["error"]),
        (&"failed".into(), &"The program ended before this trial was over.".into())
    );
    let (status, _, _) = ask(&state, call("DELETE", &format!("/api/trials/{id}"), &[HOST], "")).await;
    assert!(status.is_success());
    let (status, _, _) = ask(&state, call("GET", &format!("/api/trials/{id}"), &[HOST], "")).await;
    assert_eq!(status.as_u16(), 404);
}

#[tokio::test]
async fn a_trial_that_cannot_begin_leaves_nothing_behind() {
    for (browser, why) in
        [("/no/such/browser", "there is no such file"), ("ws://far.test/x", "needs one on this machine")]
    {
        let mut state = State::new(Store::temporary().unwrap());
        state.browser = Some(browser.into());
        let state = Arc::new(state);
        import(&state, &[("home.zip", demo("home-phone-on-the-move"))]).await;
        let body = value!({"edits": [{"kind": "defer_script", "file": "static.skerryline.test/plugins/deck-slider/slider.js"}], "loads": 2});
        let (status, problem) = send(&state, "/api/recordings/1/loads/1/trials", &body).await;
        assert_eq!(status, 503, "{problem}");
        assert!(problem["detail"].as_str().unwrap().contains(why), "{problem}");
        assert_eq!(json(&state, "/api/recordings/1/trials").await, value!([]));
    }
}

#[tokio::test]
async fn a_file_is_given_as_the_text_that_it_is() {
    let state = with_home().await;
    let rows = json(&state, "/api/recordings/1/loads/1/requests").await;
    let text = async |name: &str| {
        let row = rows.as_array().unwrap().iter().find(|r| r["name"] == name).unwrap();
        json(&state, &format!("/api/recordings/1/loads/1/requests/{}/text", row["id"])).await["text"].clone()
    };
    assert!(text("www.skerryline.test").await.as_str().unwrap().starts_with("<!doctype html>"));
    assert_eq!(text("hero-marlin-bay.jpg").await, Value::Null);
}

#[tokio::test]
async fn a_replay_goes_with_the_last_trial_that_has_it_and_comes_back_with_nobody() {
    let state = with_home().await;
    import(&state, &[("a.zip", demo("home-home-laptop")), ("b.zip", demo("booking-home-laptop"))]).await;
    let store = &state.store;
    let there = |id: i64| store.recording(id).is_ok();
    let trial = |tried: Option<i64>| {
        let id = store.begin_trial(1, 1, "{}").unwrap();
        store.end_trial(&StoredTrial { replay: Some(2), tried, ..store.trial(id).unwrap() }).unwrap();
        id
    };
    let (one, other) = (trial(Some(3)), trial(None));
    store.remove_trial(one).unwrap();
    assert!(there(2) && !there(3));
    store.remove_trial(other).unwrap();
    assert!(!there(2));
    assert!(there(1), "what was tried is not touched");
}

#[tokio::test]
async fn a_replay_without_edits_is_used_again_while_it_is_there() {
    let state = with_home().await;
    import(&state, &[("other.zip", demo("home-home-laptop"))]).await;
    let store = &state.store;
    let id = store.begin_trial(1, 3, "{}").unwrap();
    assert_eq!(store.replay_of(1, 3, 1, false).unwrap(), None);
    let done = StoredTrial { state: TrialState::Done, replay: Some(2), ..store.trial(id).unwrap() };
    store.end_trial(&done).unwrap();
    let visits = |visit: Visit| store.recording(2).unwrap().loads.iter().filter(|l| l.visit == visit).count();
    let (firsts, returns) = (visits(Visit::First), visits(Visit::Return));
    let loads = u32::try_from(firsts).unwrap();
    assert_eq!(store.replay_of(1, 3, loads, false).unwrap(), Some(2));
    let with_returns = (returns >= firsts).then_some(2);
    assert_eq!(store.replay_of(1, 3, loads, true).unwrap(), with_returns, "{returns} return visits");
    assert_eq!(store.replay_of(1, 3, loads + 1, false).unwrap(), None, "it has too few");
    assert_eq!(store.replay_of(1, 2, 1, false).unwrap(), None, "that is another load");
    store.delete_recording(2).unwrap();
    assert_eq!(store.replay_of(1, 3, 1, false).unwrap(), None, "it is gone");
}
