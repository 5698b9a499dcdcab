//! Whatever the program computes with changes; what it shows is never of the settings or version before.

#![allow(clippy::unwrap_used)]

mod caller;

use caller::{HOST, JSON, ask, call, demo, import, json};
use phainon_core::metrics::Metric;
use phainon_core::{Settings, Target};
use phainon_server::rereading::{announce, fresh, reread};
use phainon_server::state::{Rereading, State};
use phainon_store::Store;
use serde_json::json as value;
use std::path::Path;
use std::sync::Arc;

fn with_limit(directory: &Path, limit: f64) -> Arc<State> {
    let mut settings = Settings::default();
    settings.targets.insert(Metric::Weight, Target { target: limit / 2.0, limit });
    let mut state = State::new(Store::open(directory).unwrap());
    state.settings = Arc::new(settings);
    Arc::new(state)
}

fn har(url: &str) -> String {
    value!({"log": {"version": "1.2", "creator": {"name": "x", "version": "1"}, "entries": [{
        "startedDateTime": "2026-11-24T09:00:00.000Z", "time": 100,
        "request": {"method": "GET", "url": url, "headers": []},
        "response": {"status": 200, "headers": [], "bodySize": 9_000, "content": {"size": 9_000, "mimeType": "text/html"}},
        "timings": {"blocked": 2, "send": 1, "wait": 80, "receive": 17},
    }]}})
    .to_string()
}

async fn rating(state: &Arc<State>, id: i64) -> (String, String) {
    let head = json(state, &format!("/api/recordings/{id}")).await;
    let of = |rows: &serde_json::Value| {
        let row = rows.as_array().unwrap().iter().find(|r| r["metric"] == "weight").unwrap();
        row["rating"].as_str().unwrap().to_owned()
    };
    let load = json(state, &format!("/api/recordings/{id}/loads/1")).await;
    (of(&head["summary"]["rows"]), of(&load["rulers"]))
}

/// Whether two answers tell the same; kept figures have three decimals.
fn alike(a: &serde_json::Value, b: &serde_json::Value) -> bool {
    use serde_json::Value::{Array, Number, Object};
    match (a, b) {
        (Number(a), Number(b)) => (a.as_f64().unwrap() - b.as_f64().unwrap()).abs() <= 0.001,
        (Array(a), Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| alike(a, b)),
        (Object(a), Object(b)) => {
            a.len() == b.len() && a.iter().all(|(key, a)| b.get(key).is_some_and(|b| alike(a, b)))
        }
        _ => a == b,
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_read_anew_is_what_was_read_at_first() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    for name in ["home-phone-on-the-move", "timetable-home-laptop", "home-village-line-repaired"] {
        let id = import(&state, &[(name, demo(name))]).await[0];
        let all = async || {
            let mut told = Vec::new();
            for part in ["", "/requests", "/thread", "/server"] {
                told.push(json(&state, &format!("/api/recordings/{id}/loads/1{part}")).await);
            }
            told.push(json(&state, &format!("/api/recordings/{id}")).await);
            told
        };
        let before = all().await;
        assert!(before[0]["conditions"].is_object() && before[0]["metrics"]["lcp_ms"].is_number(), "{}", before[0]);
        let file = rusqlite::Connection::open(state.store.directory().join("phainon.sqlite")).unwrap();
        file.execute("update load_rows set analysis_version = 0", []).unwrap();
        drop(file);
        reread(state.clone(), announce(&state).await.unwrap()).await;
        assert_eq!(state.store.stale(&state.settings.hash()).unwrap(), [], "{name}");
        state.forget_all();
        for (before, after) in before.into_iter().zip(all().await) {
            assert!(alike(&before, &after), "{name}: {before}\n\n{after}");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_owners_are_said_to_be_for_is_part_of_what_is_found() {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let id = import(&state, &[("home.phainon.zip", demo("home-home-laptop"))]).await[0];
    let purposes = async || {
        let load = json(&state, &format!("/api/recordings/{id}/loads/1")).await;
        let found = load["findings"].as_array().unwrap().clone();
        let found = found.iter().filter(|f| f["check"] == "owners-of-one-purpose");
        found.map(|f| f["title"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let forms = |titles: &[String]| titles.iter().any(|title| title.ends_with("are both for forms"));
    assert!(forms(&purposes().await), "by their names");
    let say = async |purposes: &str| {
        let note = format!(r#"{{"owner":{{"name":"easy-forms","kind":"plugin"}},"note":{{"purposes":[{purposes}]}}}}"#);
        let call = call("PUT", "/api/sites/skerryline.test/owner-notes", &[HOST, JSON], note);
        assert!(ask(&state, call).await.0.is_success());
    };
    say(r#""guest book""#).await;
    assert!(!forms(&purposes().await), "what was said counts");
    say("").await;
    assert!(forms(&purposes().await), "and is taken back");
}

#[tokio::test(flavor = "multi_thread")]
async fn everything_is_read_anew_and_a_restart_goes_on_where_it_was() {
    let directory = tempfile::tempdir().unwrap();
    {
        let before = with_limit(directory.path(), 1e9);
        for page in ["a", "b", "c"] {
            import(&before, &[("x.har", har(&format!("http://a.test/{page}")))]).await;
        }
        assert_eq!(rating(&before, 1).await, ("within".into(), "within".into()));
    }
    let hash = {
        // One was asked for, and read at once; then the program ended.
        let after = with_limit(directory.path(), 1_000.0);
        let hash = after.settings.hash();
        assert_eq!(after.store.stale(&hash).unwrap().len(), 3);
        after.rereading.send_replace(Rereading { done: 0, of: 3 });
        fresh(&after, 2, 1).await.unwrap();
        assert_eq!(json(&after, "/api/recordings/2/loads/1").await["settings"], value!(hash));
        hash
    };
    let again = with_limit(directory.path(), 1_000.0);
    assert_eq!(again.store.stale(&hash).unwrap().len(), 2, "what was done is not done twice");
    reread(again.clone(), announce(&again).await.unwrap()).await;
    assert_eq!(*again.rereading.borrow(), Rereading { done: 2, of: 2 });
    assert_eq!(json(&again, "/api/rereading").await, value!({"done": 2, "of": 2}));
    for id in [1, 2, 3] {
        assert_eq!(rating(&again, id).await, ("past".into(), "past".into()), "recording {id}: list and load agree");
    }
    assert!(again.store.stale(&hash).unwrap().is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn fifty_recordings_are_read_anew_while_screens_are_asked_for() {
    let directory = tempfile::tempdir().unwrap();
    {
        let before = with_limit(directory.path(), 1e9);
        for n in 0..50 {
            import(&before, &[("x.har", har(&format!("http://a.test/{n}")))]).await;
        }
    }
    let state = with_limit(directory.path(), 1_000.0);
    let hash = state.settings.hash();
    let mut progress = state.rereading.subscribe();
    let seen = tokio::spawn(async move {
        let mut all = Vec::new();
        while all.last() != Some(&Rereading { done: 50, of: 50 }) && progress.changed().await.is_ok() {
            all.push(*progress.borrow_and_update());
        }
        all
    });
    let stale = announce(&state).await.unwrap();
    let work = tokio::spawn(reread(state.clone(), stale));
    state.rereading.subscribe().wait_for(|p| p.done >= 5).await.unwrap();
    // Whatever is asked for meanwhile is of the program's own settings, in its turn or before it.
    for id in [1, 25, 50] {
        assert_eq!(rating(&state, id).await, ("past".into(), "past".into()), "recording {id}");
    }
    assert_eq!(json(&state, "/api/recordings?limit=50").await["rows"].as_array().unwrap().len(), 50);
    // A page is measured: nothing is read meanwhile. There the program ends.
    let measuring = state.measure().await;
    work.abort();
    let _ = work.await;
    let left = state.store.stale(&hash).unwrap().len();
    assert!((1..=45).contains(&left), "{left} of 50 are left");
    drop(measuring);

    let again = with_limit(directory.path(), 1_000.0);
    assert_eq!(again.store.stale(&hash).unwrap().len(), left, "what was done is not done twice");
    reread(again.clone(), announce(&again).await.unwrap()).await;
    assert_eq!(*again.rereading.borrow(), Rereading { done: left, of: left });
    for id in 1..=50 {
        assert_eq!(rating(&again, id).await, ("past".into(), "past".into()), "recording {id}");
    }
    drop(state);
    let seen = seen.await.unwrap();
    assert!(seen.windows(2).all(|pair| pair[0].done <= pair[1].done), "progress goes one way: {seen:?}");
    assert!(seen.iter().all(|p| p.of == 50));
}

#[tokio::test(flavor = "multi_thread")]
async fn loads_of_one_recording_that_are_asked_for_at_once_are_summed_up_together() {
    let directory = tempfile::tempdir().unwrap();
    let state = with_limit(directory.path(), 1e9);
    import(&state, &[("demo.zip", caller::demo("home-home-laptop"))]).await;
    let paints = async || {
        let head = json(&state, "/api/recordings/1").await;
        let of = |rows: &serde_json::Value| {
            let row = rows.as_array().unwrap().iter().find(|r| r["metric"] == "lcp").unwrap();
            row["values"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap().round()).collect::<Vec<_>>()
        };
        (of(&head["summary"]["rows"]), of(&head["summary"]["return_rows"]))
    };
    let right = paints().await;
    assert_eq!((right.0.len(), right.1.len()), (3, 3));
    // As an earlier version would have kept it, with another largest paint.
    let db = rusqlite::Connection::open(directory.path().join("phainon.sqlite")).unwrap();
    let parts: Vec<(i64, Vec<u8>)> = db
        .prepare("select id, bytes from load_parts where part = 'overview'")
        .unwrap()
        .query_map([], |r| Ok((r.get(0)?, r.get(1)?)))
        .unwrap()
        .collect::<Result<_, _>>()
        .unwrap();
    assert_eq!(parts.len(), 6);
    for (id, bytes) in parts {
        let mut kept: serde_json::Value =
            serde_json::from_slice(&zstd::stream::decode_all(&bytes[..]).unwrap()).unwrap();
        kept["metrics"]["lcp_ms"] = value!(1.0);
        let packed = zstd::stream::encode_all(&serde_json::to_vec(&kept).unwrap()[..], 3).unwrap();
        db.execute("update load_parts set bytes = ?2 where id = ?1", rusqlite::params![id, packed]).unwrap();
    }
    db.execute("update load_rows set analysis_version = 0", []).unwrap();

    let stale = announce(&state).await.unwrap();
    assert_eq!(stale.len(), 6);
    let asked = (1..=6).map(|number| {
        let state = state.clone();
        tokio::spawn(async move { fresh(&state, 1, number).await })
    });
    let asked: Vec<_> = asked.collect();
    reread(state.clone(), stale).await;
    for answer in asked {
        answer.await.unwrap().unwrap();
    }
    assert_eq!(paints().await, right, "each load's own figures are in the summary");
}
