//! Whatever the program computes with changes; what it shows is never of the settings or version before.

#![allow(clippy::unwrap_used)]

mod caller;

use caller::{import, json};
use phainon_core::metrics::Metric;
use phainon_core::{Settings, Target};
use phainon_server::rereading::{fresh, reread};
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
    reread(again.clone()).await;
    assert_eq!(*again.rereading.borrow(), Rereading { done: 2, of: 2 });
    assert_eq!(json(&again, "/api/rereading").await, value!({"done": 2, "of": 2}));
    for id in [1, 2, 3] {
        assert_eq!(rating(&again, id).await, ("past".into(), "past".into()), "recording {id}: list and load agree");
    }
    assert!(again.store.stale(&hash).unwrap().is_empty());
}
