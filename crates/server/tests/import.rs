//! Files that hold many pages, many files, and files of which some cannot be read.

#![allow(clippy::unwrap_used)]

mod caller;

use caller::{HOST, MULTIPART, ask, call, form};
use phainon_server::state::State;
use phainon_store::{Page, Store};
use serde_json::{Value, json};
use std::sync::Arc;

/// A HAR of so many pages, each of a document with the same body.
fn har(pages: usize) -> Vec<u8> {
    let date = "2026-11-24T09:00:00Z";
    let entry = |n: usize| {
        json!({"pageref": format!("p{n}"), "startedDateTime": date, "time": 20,
            "request": {"method": "GET", "url": format!("http://many.test/{n}"), "headers": []},
            "response": {"status": 200, "headers": [], "content": {"size": 8, "mimeType": "text/html", "text": "<p>quay!"}},
            "timings": {"wait": 15, "receive": 5}})
    };
    let page = |n: usize| json!({"id": format!("p{n}"), "title": format!("Quay {n}"), "startedDateTime": date, "pageTimings": {}});
    let all: Vec<usize> = (1..=pages).collect();
    json!({"log": {"version": "1.2", "pages": all.iter().map(|n| page(*n)).collect::<Vec<_>>(),
        "entries": all.iter().map(|n| entry(*n)).collect::<Vec<_>>()}})
    .to_string()
    .into_bytes()
}

fn state() -> Arc<State> {
    Arc::new(State::new(Store::temporary().unwrap()))
}

async fn send(state: &Arc<State>, files: &[(&str, Vec<u8>)], pages: Option<&str>) -> (u16, Value) {
    let mut body = form(files);
    if let Some(pages) = pages {
        let field = format!("--part\r\ncontent-disposition: form-data; name=\"pages\"\r\n\r\n{pages}\r\n");
        body.splice(0..0, field.into_bytes());
    }
    let (status, text, _) = ask(state, call("POST", "/api/import", &[HOST, MULTIPART], body)).await;
    (status.as_u16(), serde_json::from_str(&text).unwrap())
}

fn kept(state: &State) -> u32 {
    state.store.recordings(&Page { limit: 100, ..Page::default() }).unwrap().all
}

#[tokio::test]
async fn many_pages_are_told_and_only_those_chosen_are_kept() {
    let state = state();
    let (status, told) = send(&state, &[("many.har", har(21))], None).await;
    assert_eq!((status, &told["ids"], kept(&state)), (200, &json!([]), 0));
    assert_eq!(told["pages"].as_array().unwrap().len(), 21);
    assert_eq!(
        told["pages"][20],
        json!({"number": 21, "url": "http://many.test/21", "title": "Quay 21", "loads": 1, "requests": 1})
    );
    let (status, told) = send(&state, &[("many.har", har(21))], Some("2, 21")).await;
    assert_eq!((status, told["ids"].as_array().unwrap().len(), kept(&state)), (200, 2, 2));
    let list = state.store.recordings(&Page { limit: 100, ..Page::default() }).unwrap();
    let mut urls: Vec<&str> = list.rows.iter().map(|r| r.url.as_str()).collect();
    urls.sort_unstable();
    assert_eq!(urls, ["http://many.test/2", "http://many.test/21"]);
    // Each has its body, which lies in the store once.
    for row in &list.rows {
        assert_eq!(state.store.bodies(row.id).unwrap().len(), 1);
    }
    // Of another file beside it nothing is wanted, and nothing of it is kept.
    let (status, told) = send(&state, &[("many.har", har(21)), ("other.har", har(1))], Some("3")).await;
    assert_eq!((status, told["ids"].as_array().unwrap().len(), kept(&state)), (200, 1, 3));
    for (pages, why) in [
        ("22", "There is no page 22; there are 21."),
        ("0", "There is no page 0; there are 21."),
        ("1,x", "“pages” names pages by their numbers, with commas between."),
        ("1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20,21", "1 to 20 pages can be kept at once, not 21."),
    ] {
        let (status, told) = send(&state, &[("many.har", har(21))], Some(pages)).await;
        assert_eq!((status, told["detail"].as_str().unwrap()), (400, why));
    }
    let (status, told) = send(&state, &[("twenty.har", har(20))], None).await;
    assert_eq!((status, told["ids"].as_array().unwrap().len(), kept(&state)), (200, 20, 23));
}

#[tokio::test]
async fn of_files_together_all_are_kept_or_none() {
    let state = state();
    let broken = har(1)[..90].to_vec();
    let (status, told) = send(&state, &[("good.har", har(3)), ("broken.har", broken)], None).await;
    assert_eq!((status, kept(&state)), (422, 0));
    assert!(told["detail"].as_str().unwrap().starts_with("broken.har is cut off"), "{told}");
    let (status, told) = send(&state, &[("a.har", har(2)), ("b.har", har(1))], None).await;
    assert_eq!((status, &told["ids"], kept(&state)), (200, &json!([1, 2, 3]), 3));
}

#[tokio::test]
async fn an_import_has_a_memory_budget() {
    let mut small = State::new(Store::temporary().unwrap());
    small.import_memory = 10_000;
    let state = Arc::new(small);
    let (status, told) = send(&state, &[("big.har", har(9))], None).await;
    assert_eq!((status, kept(&state)), (422, 0));
    assert!(told["detail"].as_str().unwrap().contains("big.har would take more than 10 kB of memory"), "{told}");
}

#[tokio::test]
async fn an_import_has_a_time_limit() {
    let mut limited = State::new(Store::temporary().unwrap());
    limited.import_time = std::time::Duration::ZERO;
    let limited = Arc::new(limited);
    let (status, problem) = send(&limited, &[("late.har", har(3))], None).await;
    assert_eq!(status, 422, "{problem}");
    assert_eq!(problem["detail"], "late.har takes longer than 0 s to read; it was not read further.");
    assert_eq!(kept(&limited), 0);
}
