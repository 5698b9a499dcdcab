//! Numbers at the edge of what a number can be: what is kept of a file is finite, can be written and read
//! again, and adds up to something.

#![allow(clippy::unwrap_used)]

use phainon_core::{Load, NoBodies, Prepared, analyse, tracks};
use phainon_formats::{MemoryBudget, har, open};
use proptest::prelude::*;
use serde_json::{Value, json};

const EXTREME: [f64; 14] =
    [0.0, -0.0, 1.0, -1.0, 1e15, -1e15, 1e100, -1e100, 1.7e308, -1.7e308, 9e307, 5e-324, 1e19, 253_402_300_800_000.0];

fn extreme() -> impl Strategy<Value = f64> {
    (0..EXTREME.len()).prop_map(|place| EXTREME[place])
}

/// Kept, read again, analysed and given out: the same, with nothing that JSON cannot say.
fn keeps_its_sense(load: &Load) {
    let text = serde_json::to_string(load).unwrap();
    let again: Load = serde_json::from_str(&text).unwrap_or_else(|e| panic!("{e}: {text}"));
    assert_eq!(serde_json::to_string(&again).unwrap(), text, "what is kept reads as it was written");
    let prepared = Prepared::plain(again);
    let analysis = analyse(&prepared, &NoBodies);
    let told = serde_json::to_value(&analysis).unwrap();
    let back = serde_json::from_value::<phainon_core::Analysis>(told.clone());
    assert!(back.is_ok(), "{:?} {told}", back.err());
    assert!(!tracks(&prepared).to_bytes().is_empty());
    if !prepared.load.requests.is_empty() {
        let written = har::text(&prepared.load, None);
        har::read(written.as_bytes(), "again.har", &MemoryBudget::default()).unwrap();
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn a_har_of_extreme_numbers(numbers in prop::collection::vec(extreme(), 12), on_load in extreme(), date in 0usize..5) {
        let date = ["2026-11-24T09:00:00Z", "9999-12-31T23:59:59Z", "0001-01-01T00:00:00Z", "275760-09-13T00:00:00Z", "1970-01-01T00:00:00Z"][date];
        let entry = |n: usize| json!({"startedDateTime": if n == 0 { "2026-11-24T09:00:00Z" } else { date }, "time": numbers[n],
            "request": {"method": "GET", "url": format!("http://a.test/{n}"), "headers": []},
            "response": {"status": numbers[1], "headers": [], "bodySize": numbers[2], "headersSize": numbers[3], "_transferSize": numbers[4],
                "content": {"size": numbers[5], "mimeType": "text/html"}},
            "timings": {"blocked": numbers[6], "dns": numbers[7], "connect": numbers[8], "ssl": numbers[9], "send": numbers[10], "wait": numbers[11], "receive": numbers[0]}});
        let file = json!({"log": {"version": "1.2", "pages": [{"id": "p", "startedDateTime": date, "pageTimings": {"onLoad": on_load, "onContentLoad": on_load}}],
            "entries": [entry(0), entry(1), entry(2)]}});
        let opened = open(file.to_string().as_bytes(), "x.har").unwrap();
        keeps_its_sense(&opened.loads[0].assemble().unwrap());
    }

    #[test]
    fn a_trace_of_extreme_numbers(start in extreme(), numbers in prop::collection::vec(extreme(), 8)) {
        let event = |name: &str, ph: &str, ts: f64, dur: f64, data: Value| json!({"name": name, "ph": ph, "ts": ts, "dur": dur, "pid": 7, "tid": 7, "args": {"frame": "F", "data": data}});
        let file = json!([
            event("navigationStart", "R", start, 0.0, json!({"documentLoaderURL": "http://a.test/", "isOutermostMainFrame": true, "navigationId": "N"})),
            event("RunTask", "X", numbers[0], numbers[1], json!({})),
            event("EvaluateScript", "X", numbers[0], numbers[2], json!({"url": "http://a.test/a.js"})),
            event("firstContentfulPaint", "R", numbers[3], 0.0, json!({"navigationId": "N"})),
            event("largestContentfulPaint::Candidate", "R", numbers[4], 0.0, json!({"navigationId": "N", "size": numbers[5], "candidateIndex": 1, "nodeId": numbers[6], "type": "text"})),
            event("LayoutShift", "I", numbers[3], 0.0, json!({"score": numbers[5], "weighted_score_delta": numbers[6], "impacted_nodes": [{"node_id": 3, "old_rect": [numbers[0], numbers[1], numbers[2], numbers[3]], "new_rect": [0, 0, 1, 1]}]})),
            event("TimerInstall", "I", numbers[4], 0.0, json!({"timerId": 1, "timeout": numbers[7]})),
            event("EventTiming", "b", numbers[2], 0.0, json!({"interactionId": 5, "type": "click", "duration": numbers[7], "timeStamp": numbers[1], "processingStart": numbers[0], "processingEnd": numbers[3]})),
            event("ResourceSendRequest", "I", numbers[0], 0.0, json!({"requestId": "1", "url": "http://a.test/"})),
            event("ResourceReceiveResponse", "I", numbers[1], 0.0, json!({"requestId": "1", "statusCode": 200, "encodedDataLength": numbers[6],
                "timing": {"requestTime": numbers[2], "sendStart": numbers[3], "receiveHeadersEnd": numbers[4]}})),
            event("ResourceFinish", "I", numbers[5], 0.0, json!({"requestId": "1", "finishTime": numbers[5], "encodedDataLength": numbers[6], "decodedBodyLength": numbers[7]})),
            event("Profile", "P", numbers[0], 0.0, json!({"startTime": numbers[1]})),
            event("ProfileChunk", "P", numbers[2], 0.0, json!({"cpuProfile": {"nodes": [{"id": 1, "callFrame": {"functionName": "f"}}], "samples": [1, 1]}, "timeDeltas": [numbers[3], numbers[4]]})),
        ]);
        let opened = open(file.to_string().as_bytes(), "x.json").unwrap();
        keeps_its_sense(&opened.loads[0].assemble().unwrap());
    }
}
