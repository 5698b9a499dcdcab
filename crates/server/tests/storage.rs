//! Room on the disk, by way of the API.

#![allow(clippy::unwrap_used)]

mod caller;

use caller::{HOST, JSON, ask, call, demo, import, json};
use phainon_core::Settings;
use phainon_formats::otlp::SpanBatch;
use phainon_server::state::State;
use phainon_store::{PackedBatch, Store};
use std::sync::Arc;

async fn send(state: &Arc<State>, path: &str, body: &str) -> (u16, serde_json::Value) {
    let (status, text, _) = ask(state, call("POST", path, &[HOST, JSON], body.to_owned())).await;
    (status.as_u16(), serde_json::from_str(&text).unwrap())
}

#[tokio::test]
async fn traces_and_bodies_go_and_what_was_computed_is_shown_on() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    import(&state, &[("timetable.zip", demo("timetable-home-laptop"))]).await;
    let before = json(&state, "/api/recordings/1/loads/1").await;
    let room = json(&state, "/api/storage").await;
    let kinds = room["by_kind"].as_array().unwrap();
    let filled = kinds.iter().filter(|kind| kind["bytes"].as_u64().unwrap() > 0).count();
    assert_eq!((kinds.len(), filled), (7, 6), "all but profiles, of which there are none: {room}");
    let (status, made) = send(&state, "/api/storage/thin", r#"{"days":0,"what":"traces_and_bodies"}"#).await;
    assert_eq!((status, &made["recordings"]), (200, &1.into()));
    assert!(
        made["freed_bytes"].as_u64().unwrap() > room["older"][0]["droppable_bytes"].as_u64().unwrap() / 2,
        "{made}"
    );
    assert_eq!(json(&state, "/api/recordings/1/loads/1").await, before);
    assert!(json(&state, "/api/recordings/1").await["thinned_at"].is_string());
    // A span that its server sends late can change it no more.
    let trace = state.store.stored_load(1, 1).unwrap().raw().unwrap().page.unwrap().trace.unwrap();
    let late = SpanBatch { trace, spans: 1, json: b"{\"resourceSpans\":[]}".to_vec() };
    assert_eq!(state.store.keep_spans(&[PackedBatch::of(&late)], None).unwrap(), []);
    assert_eq!(json(&state, "/api/recordings/1/loads/1").await, before);
    // With other settings it stays as it was read, and says so.
    let directory = state.store.directory().to_owned();
    let mut later = State::new(Store::open(&directory).unwrap());
    let mut settings = Settings::default();
    settings.checks_off.insert("render_blocking".into());
    later.settings = Arc::new(settings);
    let later = Arc::new(later);
    let with_others = json(&later, "/api/recordings/1/loads/1").await;
    assert_eq!((&with_others["metrics"], &with_others["owners"]), (&before["metrics"], &before["owners"]));
    let notes = with_others["notes"].as_array().unwrap();
    assert!(notes.last().unwrap().as_str().unwrap().contains("with the rules that the site had then"), "{notes:?}");
    // A version of the program that reads otherwise cannot: the list's figures are what is left.
    let file = rusqlite::Connection::open(directory.join("phainon.sqlite")).unwrap();
    file.execute("update load_rows set analysis_version = 1", []).unwrap();
    let (status, text, _) = ask(&later, call("GET", "/api/recordings/1/loads/1", &[HOST], "")).await;
    assert_eq!(status.as_u16(), 410, "{text}");
    assert!(text.contains("were dropped to make room"), "{text}");
    assert!(json(&later, "/api/recordings").await["rows"][0]["summary"].is_object());
}

#[tokio::test]
async fn what_was_deleted_can_be_removed_for_good_at_once() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    import(&state, &[("home.zip", demo("home-home-laptop"))]).await;
    let (status, _, _) = ask(&state, call("DELETE", "/api/recordings/1", &[HOST], "")).await;
    assert!(status.is_success());
    assert_eq!(json(&state, "/api/storage").await["deleted_recordings"], 1);
    let (status, made) = send(&state, "/api/storage/purge", "").await;
    assert_eq!((status, &made["recordings"]), (200, &1.into()));
    assert!(made["freed_bytes"].as_u64().unwrap() > 1_000_000, "{made}");
    let (status, _, _) = ask(&state, call("POST", "/api/recordings/1/restore", &[HOST], "")).await;
    assert_eq!(status.as_u16(), 404);
    for body in [r#"{"days":-1,"what":"whole"}"#, r#"{"days":99999,"what":"whole"}"#, r#"{"days":1,"what":"x"}"#] {
        let (status, problem) = send(&state, "/api/storage/thin", body).await;
        assert!((400..=422).contains(&status), "{problem}");
    }
}
