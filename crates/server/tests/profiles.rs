//! Profiles of a page's server: what they are given to, what is refused, and what becomes of them.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, ask, call, demo, import};
use phainon_server::state::State;
use phainon_store::Store;
use serde_json::{Value, json};
use std::sync::Arc;

const PHP: &[u8] = include_bytes!("../../formats/tests/profiles/php.callgrind.gz");

async fn json_of(
    state: &Arc<State>,
    method: &'static str,
    path: &str,
    body: impl Into<axum::body::Body>,
) -> (StatusCode, Value) {
    let (status, text, _) = ask(state, call(method, path, &[HOST, caller::JSON], body)).await;
    (status, serde_json::from_str(&text).unwrap_or_default())
}

async fn get(state: &Arc<State>, path: &str) -> (StatusCode, Value) {
    json_of(state, "GET", path, "").await
}

/// A store with one recording; gives its id and when its first load began.
async fn with_recording() -> (Arc<State>, i64, chrono::DateTime<chrono::FixedOffset>) {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let id = import(&state, &[("timetable.phainon.zip", demo("timetable-home-laptop"))]).await[0];
    let (_, overview) = get(&state, &format!("/api/recordings/{id}/loads/1")).await;
    let began = chrono::DateTime::parse_from_rfc3339(overview["started_at"].as_str().unwrap()).unwrap();
    (state, id, began)
}

fn path(id: i64, written: Option<String>) -> String {
    let written = written.map(|at| format!("&written={}", at.replace('+', "%2B"))).unwrap_or_default();
    format!("/api/recordings/{id}/profiles?name=php.callgrind.gz{written}")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_profile_is_of_the_load_in_which_it_was_written_and_else_of_the_page() {
    let (state, id, began) = with_recording().await;
    let during = (began + chrono::TimeDelta::milliseconds(700)).to_rfc3339();
    let (status, head) = json_of(&state, "POST", &path(id, Some(during)), PHP).await;
    assert_eq!((status, &head["of"]), (StatusCode::OK, &json!({"recording": id, "load": 1})), "{head}");
    let before = (began - chrono::TimeDelta::minutes(5)).to_rfc3339();
    let (_, other) = json_of(&state, "POST", &path(id, Some(before)), PHP).await;
    assert_eq!(other["of"], Value::Null);
    let (_, untold) = json_of(&state, "POST", &path(id, None), PHP).await;
    assert_eq!((&untold["of"], &untold["written_at"]), (&Value::Null, &Value::Null));

    let given = format!("/api/profiles/{}/of", untold["id"]);
    let (status, now) = json_of(&state, "PUT", &given, json!({"recording": id, "load": 2}).to_string()).await;
    assert_eq!((status, &now["of"]["load"]), (StatusCode::OK, &json!(2)));
    assert_eq!(
        json_of(&state, "PUT", &given, json!({"recording": id, "load": 99}).to_string()).await.0,
        StatusCode::NOT_FOUND
    );
    assert_eq!(json_of(&state, "PUT", &given, "null").await.1["of"], Value::Null);

    let (_, all) = get(&state, &format!("/api/recordings/{id}/profiles")).await;
    assert_eq!(all.as_array().unwrap().len(), 3);
    assert_eq!(
        json_of(&state, "DELETE", &format!("/api/profiles/{}", untold["id"]), "").await.0,
        StatusCode::NO_CONTENT
    );
    assert_eq!(get(&state, &format!("/api/profiles/{}", untold["id"])).await.0, StatusCode::NOT_FOUND);

    // The recording goes, the profile stays: it is the page's then, and another recording of the page shows it.
    let again = import(&state, &[("again.phainon.zip", demo("timetable-home-laptop"))]).await[0];
    assert_eq!(json_of(&state, "DELETE", &format!("/api/recordings/{id}"), "").await.0, StatusCode::NO_CONTENT);
    let (_, left) = get(&state, &format!("/api/recordings/{again}/profiles")).await;
    let of: Vec<&Value> = left.as_array().unwrap().iter().map(|head| &head["of"]).collect();
    assert_eq!(of, [&Value::Null, &Value::Null]);
    // An undo gives it back.
    json_of(&state, "POST", &format!("/api/recordings/{id}/restore"), "").await;
    let (_, back) = get(&state, &format!("/api/recordings/{again}/profiles")).await;
    assert!(back.as_array().unwrap().iter().any(|head| head["of"]["recording"] == json!(id)), "{back}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_profile_is_read_by_the_sites_rules() {
    let (state, id, _) = with_recording().await;
    let (_, head) = json_of(&state, "POST", &path(id, None), PHP).await;
    let profile = format!("/api/profiles/{}", head["id"]);
    let names = |read: &Value| -> Vec<String> {
        read["owners"].as_array().unwrap().iter().map(|o| o["owner"]["name"].as_str().unwrap().to_owned()).collect()
    };
    let (_, read) = get(&state, &profile).await;
    assert!(names(&read).contains(&"tide-table".to_owned()), "{:?}", names(&read));
    let rules = json!([{"pattern": "Curve->", "on": "function", "owner": {"name": "curves", "kind": "plugin"}}]);
    let site = head["site"].as_str().unwrap();
    let (status, _) = json_of(&state, "PUT", &format!("/api/sites/{site}/owner-rules"), rules.to_string()).await;
    assert!(status.is_success(), "{status}");
    let (_, ruled) = get(&state, &profile).await;
    assert!(names(&ruled).contains(&"curves".to_owned()), "{:?}", names(&ruled));
    assert_eq!(read["total"], ruled["total"]);

    let (_, memory) = get(&state, &format!("{profile}?measure=1")).await;
    assert_eq!((&memory["measure"], &memory["measures"][1]["unit"]), (&json!(1), &json!("bytes")));
    let levels =
        read["functions"].as_array().unwrap().iter().find(|f| f["name"] == json!("Harbour\\Tides\\levels")).unwrap();
    let (_, around) = get(&state, &format!("{profile}/functions/{}", levels["function"])).await;
    assert_eq!(around["callers"][0]["name"], json!("Harbour\\page"));
    assert_eq!(get(&state, &format!("{profile}/functions/99999")).await.0, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_no_profile_is_refused_with_a_reason_and_nothing_is_kept() {
    let (state, id, _) = with_recording().await;
    for (body, status, why) in [
        (&b""[..], StatusCode::UNPROCESSABLE_ENTITY, "is empty"),
        (b"{\"resourceSpans\":[]}", StatusCode::UNPROCESSABLE_ENTITY, "is no line of this format"),
        (b"events: Ir\nfn=(1) main\n1 a few\n", StatusCode::UNPROCESSABLE_ENTITY, "from line 3 on"),
        (&PHP[..PHP.len() / 2], StatusCode::UNPROCESSABLE_ENTITY, "cannot be unpacked"),
    ] {
        let (got, problem) = json_of(&state, "POST", &path(id, None), body).await;
        let detail = problem["detail"].as_str().unwrap_or_default();
        assert!(got == status && detail.contains(why), "{got} {detail}");
    }
    assert_eq!(json_of(&state, "POST", &path(9_999, None), PHP).await.0, StatusCode::NOT_FOUND);
    let (_, kept) = get(&state, &format!("/api/recordings/{id}/profiles")).await;
    assert_eq!(kept, json!([]));
}
