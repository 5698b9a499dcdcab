//! Spans that servers send: what is taken, what is refused, where it goes, and that nothing acknowledged is lost.

#![allow(clippy::unwrap_used)]

mod caller;

use axum::http::StatusCode;
use caller::{HOST, JSON, MULTIPART, ask, call, demo, form, import};
use flate2::{Compression, write::GzEncoder};
use phainon_server::spans::keep_writing;
use phainon_server::state::State;
use phainon_store::{SpanRoom, Store};
use serde_json::{Value, json};
use std::io::Write;
use std::sync::Arc;

const PROTOBUF: (&str, &str) = ("content-type", "application/x-protobuf");
const TRACE: &str = "0af7651916cd43dd8448eb211c80319c";

fn state() -> Arc<State> {
    running(State::new(Store::temporary().unwrap()))
}

fn running(state: State) -> Arc<State> {
    let state = Arc::new(state);
    tokio::spawn(keep_writing(state.clone()));
    state
}

/// A span by its ids, times in ms, and attributes.
fn span(trace: &str, id: &str, parent: &str, at: (u64, u64), kind: u8, attributes: &[(&str, &str)]) -> Value {
    let attributes: Vec<Value> =
        attributes.iter().map(|(key, value)| json!({"key": key, "value": {"stringValue": value}})).collect();
    json!({"traceId": trace, "spanId": id, "parentSpanId": parent, "name": format!("span {id}"), "kind": kind,
        "startTimeUnixNano": (at.0 * 1_000_000).to_string(), "endTimeUnixNano": (at.1 * 1_000_000).to_string(), "attributes": attributes})
}

fn sent(spans: &[Value]) -> String {
    json!({"resourceSpans": [{"resource": {"attributes": [{"key": "service.name", "value": {"stringValue": "quay"}}]},
        "scopeSpans": [{"scope": {"name": "test"}, "spans": spans}]}]})
    .to_string()
}

fn one(trace: &str) -> String {
    sent(&[span(trace, "b000000000000001", "", (1_000, 1_300), 2, &[("url.path", "/timetable/")])])
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::fast());
    encoder.write_all(bytes).unwrap();
    encoder.finish().unwrap()
}

async fn get(state: &Arc<State>, path: &str) -> (StatusCode, Value) {
    let (status, text, _) = ask(state, call("GET", path, &[HOST], "")).await;
    (status, serde_json::from_str(&text).unwrap_or_default())
}

#[tokio::test(flavor = "multi_thread")]
async fn spans_come_in_both_codings_plain_and_packed_and_are_told_as_server_records() {
    let state = state();
    let plain = ask(&state, call("POST", "/v1/traces", &[HOST, JSON], one(TRACE))).await;
    assert_eq!((plain.0, plain.1.as_str()), (StatusCode::OK, "{}"));
    let other = TRACE.replace("0af7", "1af7");
    let headers = [HOST, JSON, ("content-encoding", "gzip")];
    assert_eq!(ask(&state, call("POST", "/v1/traces", &headers, gzip(one(&other).as_bytes()))).await.0, StatusCode::OK);
    // An empty message is a message: nothing is to be kept of it.
    assert_eq!(ask(&state, call("POST", "/v1/traces", &[HOST, PROTOBUF], "")).await.0, StatusCode::OK);
    let without_id = sent(&[span("00", "b000000000000001", "", (1, 2), 1, &[])]);
    let (status, text, _) = ask(&state, call("POST", "/v1/traces", &[HOST, JSON], without_id)).await;
    assert!(status == StatusCode::OK && text.contains(r#""rejectedSpans":"1""#), "{text}");

    let (_, records) = get(&state, "/api/server-records").await;
    let traces: Vec<&str> = records.as_array().unwrap().iter().map(|r| r["trace"].as_str().unwrap()).collect();
    assert_eq!(traces, [other.as_str(), TRACE]);
    let (_, answers) = get(&state, &format!("/api/server-records/{TRACE}")).await;
    assert_eq!((&answers[0]["url"], &answers[0]["span_ms"]), (&json!("http://quay/timetable/"), &json!(300.0)));
    let gone = ask(&state, call("DELETE", &format!("/api/server-records/{TRACE}"), &[HOST], "")).await;
    assert_eq!(gone.0, StatusCode::NO_CONTENT);
    assert_eq!(get(&state, &format!("/api/server-records/{TRACE}")).await.0, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_no_otlp_or_too_large_is_refused_with_the_right_status() {
    let state = state();
    let post = async |headers: &[(&str, &str)], body: Vec<u8>| {
        let all: Vec<(&str, &str)> = [HOST].iter().chain(headers).copied().collect();
        let (status, text, _) = ask(&state, call("POST", "/v1/traces", &all, body)).await;
        assert!(status.is_success() || text.contains("\"detail\""), "{status} {text}");
        status
    };
    assert_eq!(post(&[("content-type", "text/plain")], b"{}".to_vec()).await, StatusCode::UNSUPPORTED_MEDIA_TYPE);
    assert_eq!(post(&[], b"{}".to_vec()).await, StatusCode::UNSUPPORTED_MEDIA_TYPE);
    let brotli = [JSON, ("content-encoding", "br")];
    assert_eq!(post(&brotli, b"{}".to_vec()).await, StatusCode::UNSUPPORTED_MEDIA_TYPE);
    for broken in [&b""[..], b"{", b"[]", b"{\"resourceSpans\":7}", b"\xff\xfe"] {
        assert_eq!(post(&[JSON], broken.to_vec()).await, StatusCode::BAD_REQUEST, "{broken:?}");
    }
    let deep = "[".repeat(100_000);
    let nested = format!("{{\"resourceSpans\":{deep}");
    assert_eq!(post(&[JSON], nested.into_bytes()).await, StatusCode::BAD_REQUEST);
    assert_eq!(post(&[PROTOBUF], vec![0xff; 64]).await, StatusCode::BAD_REQUEST);
    let packed = [JSON, ("content-encoding", "gzip")];
    assert_eq!(post(&packed, b"no gzip".to_vec()).await, StatusCode::BAD_REQUEST);
    assert_eq!(post(&packed, gzip(&vec![b' '; 100 << 20])).await, StatusCode::PAYLOAD_TOO_LARGE, "a gzip bomb");
    assert_eq!(post(&[JSON], vec![b' '; (16 << 20) + 1]).await, StatusCode::PAYLOAD_TOO_LARGE);
    assert_eq!(get(&state, "/api/server-records").await.1, json!([]));
}

#[tokio::test(flavor = "multi_thread")]
async fn beyond_this_machine_the_endpoint_wants_the_token_and_pages_elsewhere_are_refused() {
    let mut guarded = State::new(Store::temporary().unwrap());
    guarded.token = Some("0123456789abcdef".into());
    let state = running(guarded);
    let post = async |more: &[(&str, &str)]| {
        let all: Vec<(&str, &str)> = [HOST, JSON].iter().chain(more).copied().collect();
        ask(&state, call("POST", "/v1/traces", &all, one(TRACE))).await.0
    };
    assert_eq!(post(&[]).await, StatusCode::UNAUTHORIZED);
    assert_eq!(post(&[("authorization", "Bearer 0123456789abcdee")]).await, StatusCode::UNAUTHORIZED);
    assert_eq!(post(&[("authorization", "Bearer 0123456789abcdef")]).await, StatusCode::OK);
    let elsewhere = [("authorization", "Bearer 0123456789abcdef"), ("origin", "http://evil.test")];
    assert_eq!(post(&elsewhere).await, StatusCode::FORBIDDEN);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_acknowledged_is_there_however_many_come_at_once() {
    let state = state();
    let trace = |n: usize| format!("{:032x}", n + 1);
    let mut sending = tokio::task::JoinSet::new();
    for n in 0..200 {
        let state = state.clone();
        sending.spawn(async move { ask(&state, call("POST", "/v1/traces", &[HOST, JSON], one(&trace(n)))).await.0 });
    }
    let answers = sending.join_all().await;
    let taken = answers.iter().filter(|status| **status == StatusCode::OK).count();
    let later = answers.iter().filter(|status| **status == StatusCode::SERVICE_UNAVAILABLE).count();
    assert_eq!(taken + later, 200, "the rest is told to try again");
    let (_, records) = get(&state, "/api/server-records").await;
    assert_eq!(records.as_array().unwrap().len(), taken);
    assert!(taken > 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_of_spans_is_a_server_record_that_stays_and_others_make_room() {
    let state = state();
    let file = gzip(one(TRACE).as_bytes());
    let import = ask(&state, call("POST", "/api/import", &[HOST, MULTIPART], form(&[("spans.json.gz", file)]))).await;
    assert_eq!((import.0, import.1), (StatusCode::OK, format!(r#"{{"ids":[],"pages":[],"traces":["{TRACE}"]}}"#)));
    for n in 1..4 {
        let trace = format!("{n:032x}");
        assert_eq!(ask(&state, call("POST", "/v1/traces", &[HOST, JSON], one(&trace))).await.0, StatusCode::OK);
    }
    state.store.thin_spans(SpanRoom { bytes: 1, days: 7 }).unwrap();
    let (_, records) = get(&state, "/api/server-records").await;
    assert_eq!(records.as_array().unwrap().len(), 1, "{records}");
    assert_eq!(records[0]["imported_from"], "spans.json.gz");
    let broken = form(&[("spans.json", "{\"resourceSpans\": [3]}")]);
    let (status, text, _) = ask(&state, call("POST", "/api/import", &[HOST, MULTIPART], broken)).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && text.contains("spans.json"), "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn spans_that_come_late_join_their_load_and_rules_of_the_sites_own_say_whose_they_are() {
    let state = state();
    assert_eq!(import(&state, &[("t.phainon.zip", demo("timetable-home-laptop"))]).await, [1]);
    let of_load = "/api/recordings/1/loads/1/server";
    let (_, view) = get(&state, of_load).await;
    let page = &view["answers"][0];
    let slowest = &page["by_owner"][0];
    assert_eq!((&page["told_by"], &slowest["owner"]["name"]), (&json!("spans"), &json!("tide-table")));
    let query = &page["queries"][0];
    assert_eq!((&query["count"], &query["shape"]), (&json!(1500), &json!("one_by_one")));

    // One more span of the load's trace, below the answer's own.
    let raw = state.store.stored_load(1, 1).unwrap().raw().unwrap();
    let trace = raw.page.unwrap().trace.unwrap();
    let told = phainon_formats::otlp::raw_spans(&raw.spans[0], "x").unwrap();
    let root = told.iter().find(|s| s.kind == phainon_core::SpanKind::Answer).unwrap();
    let at = (root.start_ns / 1_000_000 + 1, root.start_ns / 1_000_000 + 2);
    let late = sent(&[span(&trace, "b0000000000000ff", &root.id, at, 1, &[("code.function.name", "late_bell")])]);
    assert_eq!(ask(&state, call("POST", "/v1/traces", &[HOST, JSON], late)).await.0, StatusCode::OK);
    let before = page["span_count"].as_u64().unwrap();
    let mut now = before;
    for _ in 0..200 {
        now = get(&state, of_load).await.1["answers"][0]["span_count"].as_u64().unwrap();
        if now > before {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(now, before + 1);

    let rules = json!([{"pattern": "late_bell", "on": "function", "owner": {"name": "bell-ringer", "kind": "plugin"}},
        {"pattern": "from levels", "on": "query", "owner": {"name": "levels", "kind": "plugin"}}]);
    let site = "/api/sites/skerryline.test";
    let tried = call("POST", &format!("{site}/owner-rules/try"), &[HOST, JSON], rules.to_string());
    let (_, tried, _) = ask(&state, tried).await;
    let tried: Value = serde_json::from_str(&tried).unwrap();
    assert_eq!(tried[1]["count"], 1, "{tried}");
    assert_eq!(tried[1]["some"][0]["now"]["name"], "tide-table");
    let set = call("PUT", &format!("{site}/owner-rules"), &[HOST, JSON], rules.to_string());
    assert_eq!(ask(&state, set).await.0, StatusCode::NO_CONTENT);
    let (_, view) = get(&state, of_load).await;
    let owners: Vec<&str> = view["answers"][0]["by_owner"]
        .as_array()
        .unwrap()
        .iter()
        .map(|o| o["owner"]["name"].as_str().unwrap())
        .collect();
    assert!(owners.contains(&"bell-ringer") && owners.contains(&"levels"), "{owners:?}");
    let (status, owners) = get(&state, &format!("{site}/owners")).await;
    assert!(
        status == StatusCode::OK && owners["rows"].as_array().unwrap().iter().any(|r| r["owner"]["name"] == "levels")
    );
    let nameless = json!([{"pattern": "x", "on": "query", "owner": {"name": " ", "kind": "plugin"}}]).to_string();
    let refused = ask(&state, call("PUT", &format!("{site}/owner-rules"), &[HOST, JSON], nameless)).await;
    assert_eq!(refused.0, StatusCode::BAD_REQUEST);
}

/// The same archive as it would be had nobody asked the server for spans.
fn without_spans(archive: &[u8]) -> Vec<u8> {
    let mut from = zip::ZipArchive::new(std::io::Cursor::new(archive)).unwrap();
    let mut to = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for place in 0..from.len() {
        let file = from.by_index_raw(place).unwrap();
        if !file.name().unwrap().ends_with("/spans.json") {
            to.raw_copy_file(file).unwrap();
        }
    }
    to.finish().unwrap().into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn loads_with_spans_are_held_against_loads_without() {
    let state = state();
    let archive = demo("timetable-home-laptop");
    let with = import(&state, &[("with.phainon.zip", &archive)]).await[0];
    let path = format!("/api/recordings/{with}/cost-of-spans");
    let (_, cost) = get(&state, &path).await;
    assert_eq!((&cost["with"], &cost["without"], &cost["compared"]), (&json!([with]), &json!([]), &json!([])));

    let without = import(&state, &[("without.phainon.zip", without_spans(&archive))]).await[0];
    let other = import(&state, &[("other.phainon.zip", demo("home-home-laptop"))]).await[0];
    let (_, cost) = get(&state, &path).await;
    assert_eq!(
        (&cost["with"], &cost["without"]),
        (&json!([with]), &json!([without])),
        "another page is not among them"
    );
    let metrics: Vec<&str> =
        cost["compared"].as_array().unwrap().iter().map(|c| c["compared"]["metric"].as_str().unwrap()).collect();
    assert_eq!(metrics, ["lcp", "fcp", "ttfb"]);
    assert!(cost["compared"].as_array().unwrap().iter().all(|c| c["compared"]["difference"] == json!(0.0)), "{cost}");
    let (_, home) = get(&state, &format!("/api/recordings/{other}/cost-of-spans")).await;
    assert_eq!((&home["with"], &home["without"]), (&json!([]), &json!([other])));
}
