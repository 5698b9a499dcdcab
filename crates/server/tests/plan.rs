//! Plans and comparisons over the API, on recordings of the demo.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, JSON, answer, ask, call, demo, import, json};
use phainon_server::state::State;
use phainon_store::Store;
use serde_json::{Value, json as value};
use std::sync::Arc;

const PLAN: &str = "/api/sites/skerryline.test/plan";

async fn with(names: &[&str]) -> Arc<State> {
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    for name in names {
        import(&state, &[("demo.zip", demo(name))]).await;
    }
    state
}

async fn send(state: &Arc<State>, method: &str, path: &str, body: Value) -> (StatusCode, Value) {
    let (status, _, bytes) = answer(state, call(method, path, &[HOST, JSON], body.to_string())).await;
    (status, serde_json::from_slice(&bytes).unwrap_or(Value::Null))
}

fn lcp(step: &Value) -> (f64, f64) {
    let brings = step["brings"].as_array().unwrap().iter().find(|b| b["metric"] == "lcp").unwrap();
    (brings["before"].as_f64().unwrap(), brings["after"].as_f64().unwrap())
}

#[tokio::test]
async fn a_plan_counts_pages_by_their_visits_and_each_fix_after_those_above_it() {
    let state = with(&["home-phone-on-the-move", "home-home-laptop"]).await;
    let pages = json(&state, &format!("{PLAN}/pages")).await;
    assert_eq!(pages.as_array().unwrap().len(), 2);
    let candidates = json(&state, &format!("{PLAN}/candidates")).await;
    let find = |kind: &str| {
        let all = candidates.as_array().unwrap().iter();
        all.filter(|c| c["fix"]["kind"] == kind).max_by_key(|c| c["pages"].as_array().unwrap().len()).unwrap().clone()
    };
    let hero = find("put_in_html");
    assert_eq!(hero["pages"], value!([0, 1]), "found on both, listed once");
    let line = |edits: Value| send(&state, "POST", "/api/sites/skerryline.test/plan/line", value!({ "edits": edits }));
    let (status, alone) = line(value!([hero["fix"]["edit"]])).await;
    assert_eq!((status, alone["steps"].as_array().unwrap().len()), (StatusCode::OK, 2));
    let (before, after) = lcp(&alone["steps"][1]);
    assert!(after < before - 100.0, "{before} to {after}");
    // The laptop alone weighs all: the mean is its own.
    for (page, share) in pages.as_array().unwrap().iter().zip([1.0, 0.0]) {
        let choice = value!({ "page": page["page"], "conditions": page["conditions"], "share": share, "left_out": false, "recording": null });
        assert_eq!(send(&state, "PUT", &format!("{PLAN}/pages"), choice).await.0, StatusCode::NO_CONTENT);
    }
    let (_, one) = line(value!([hero["fix"]["edit"]])).await;
    assert_eq!(one["pages"].as_array().unwrap().len(), 1);
    assert_eq!(lcp(&one["steps"][0]).1, pages[0]["recorded"]["lcp_ms"].as_f64().unwrap());
    // The same fix twice brings nothing the second time.
    let (_, twice) = line(value!([hero["fix"]["edit"], hero["fix"]["edit"]])).await;
    let (was, is) = lcp(&twice["steps"][2]);
    assert_eq!(was, is);
    // A part of the line is the same as in the whole.
    let part = |steps: Value| {
        let asked = value!({ "edits": [hero["fix"]["edit"], hero["fix"]["edit"]], "steps": steps });
        send(&state, "POST", "/api/sites/skerryline.test/plan/line", asked)
    };
    assert_eq!(part(value!([1, 1])).await.1["steps"], value!([twice["steps"][1]]));
    assert_eq!(part(value!([2, 1])).await.0, StatusCode::BAD_REQUEST);
    let vendor = candidates.as_array().unwrap().iter().find(|c| {
        c["fix"]["key"].as_str().unwrap().starts_with("defer_script")
            && c["fix"]["key"].as_str().unwrap().ends_with("vendor.js")
    });
    let asked = value!({ "edit": vendor.unwrap()["fix"]["edit"] });
    let (_, breaks) = send(&state, "POST", &format!("{PLAN}/breaks"), asked).await;
    assert!(breaks[0].as_str().unwrap_or("").contains("vendor.js"), "{breaks}");
    let bad = value!({ "page": "Home", "conditions": "", "share": -1.0, "left_out": false, "recording": null });
    assert_eq!(send(&state, "PUT", &format!("{PLAN}/pages"), bad).await.0, StatusCode::BAD_REQUEST);
}

/// What a search ends with.
async fn searched(state: &Arc<State>, question: &str) -> Value {
    let (status, text, _) = ask(state, call("GET", &format!("{PLAN}/search?{question}"), &[HOST], "")).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let last = text.lines().rfind(|l| l.starts_with("data:")).unwrap();
    let told: Value = serde_json::from_str(last.trim_start_matches("data:")).unwrap();
    assert_eq!(told["state"], "done", "{told}");
    told["found"].clone()
}

#[tokio::test]
async fn a_search_keeps_its_promise_and_leaves_out_what_is_set_aside() {
    let state = with(&["home-phone-on-the-move"]).await;
    let least = searched(&state, "ask=least_effort").await;
    let fixes = least["fixes"].as_array().unwrap();
    assert!(!fixes.is_empty() && least["sets"].as_u64().unwrap() > 10, "{}", least["sets"]);
    assert_eq!(least["steps"].as_array().unwrap().len(), fixes.len() + 1);
    let beyond = least["beyond"][0].as_array().unwrap();
    assert_eq!(least["reached"].as_bool().unwrap(), beyond.is_empty());
    let effort: f64 = fixes.iter().map(|f| f["effort"].as_f64().unwrap()).sum();
    assert_eq!(least["effort"].as_f64().unwrap(), effort);
    // Every candidate is either in it or left out with a reason.
    let left = least["left_out"].as_array().unwrap();
    assert_eq!(fixes.len() + left.len(), least["candidates"].as_u64().unwrap() as usize);
    let best = searched(&state, "ask=best&effort=2").await;
    assert!(best["effort"].as_f64().unwrap() <= 2.0);
    assert!(best["left_out"].as_array().unwrap().iter().any(|l| l["left"]["why"] == "too_much"));
    // The first fix is set aside: another answer.
    let first = &fixes[0];
    let new = value!({
        "edit": first["fix"]["edit"], "owner": first["owner"], "on_path_ms": 0.0, "finding_key": "x", "finding_title": "x",
        "recording": null, "load": null, "state": "set_aside", "reason": "not now",
    });
    assert_eq!(send(&state, "POST", &format!("{PLAN}/fixes"), new).await.0, StatusCode::OK);
    let again = searched(&state, "ask=least_effort").await;
    assert!(again["fixes"].as_array().unwrap().iter().all(|f| f["fix"]["key"] != first["fix"]["key"]));
    for bad in ["ask=what", "ask=best", "ask=best&effort=-1", "ask=least_effort&metrics=none"] {
        let (status, _, _) = ask(&state, call("GET", &format!("{PLAN}/search?{bad}"), &[HOST], "")).await;
        assert_eq!(status, StatusCode::BAD_REQUEST, "{bad}");
    }
}

#[tokio::test]
async fn what_was_made_between_two_recordings_is_held_against_its_forecast() {
    let state = with(&["home-village-line", "home-village-line-repaired", "home-home-laptop"]).await;
    let plan: Value =
        serde_json::from_slice(&std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/plan.json")).unwrap())
            .unwrap();
    for fix in plan["fixes"].as_array().unwrap() {
        assert_eq!(send(&state, "POST", &format!("{PLAN}/fixes"), fix.clone()).await.0, StatusCode::OK);
    }
    let proofs = json(&state, &format!("{PLAN}/proofs")).await;
    let of = |conditions: &str| proofs.as_array().unwrap().iter().find(|p| p["conditions"] == conditions).unwrap();
    let home = of("Village line");
    assert_eq!(home["fixes"].as_array().unwrap().len(), 3);
    assert_eq!((home["before"].as_array().unwrap().len(), home["after"].as_array().unwrap().len()), (1, 1));
    let metric =
        |list: &Value, name: &str| list.as_array().unwrap().iter().find(|m| m["metric"] == name).unwrap().clone();
    for name in ["lcp", "tbt", "weight"] {
        assert_eq!(metric(&home["measured"], name)["verdict"], "better", "{name}");
        let forecast = metric(&home["forecast"], name);
        assert!(forecast["after"].as_f64() < forecast["before"].as_f64(), "{name}: {forecast}");
    }
    // The other conditions were not recorded since.
    assert_eq!(of("Home laptop")["measured"], value!([]));

    let compared = json(&state, "/api/compare?a=1&b=2").await;
    assert_eq!((compared["no_verdict"].clone(), compared["loads"].clone()), (value!(false), value!([5, 5])));
    let files = compared["differences"]["files"].as_array().unwrap();
    let of = |name: &str| files.iter().find(|f| f["name"].as_str().unwrap().contains(name)).unwrap();
    assert_eq!(of("chat.js")["changes"], value!(["gone"]));
    assert_eq!(of("advert-small.jpg")["changes"], value!(["added"]));
    assert!(!compared["differences"]["went"].as_array().unwrap().is_empty());
    let unlike = json(&state, "/api/compare?a=1&b=3").await;
    assert_eq!(unlike["no_verdict"], true);
    assert!(unlike["metrics"].as_array().unwrap().iter().all(|m| m["verdict"] == "cannot_tell"));
    let (status, why) = send(&state, "POST", "/api/compare/more", value!({ "a": 1, "b": 1, "loads": 2 })).await;
    assert_eq!(status, StatusCode::BAD_REQUEST, "{why}");
    for bad in ["a=1", "a=&b=1", "a=x&b=1", "a=1&b=99"] {
        let (status, _, _) = ask(&state, call("GET", &format!("/api/compare?{bad}"), &[HOST], "")).await;
        assert!(status.is_client_error(), "{bad}: {status}");
    }
}
