//! The network's events in any order, with anything missing: what is read of them always makes sense.

#![allow(clippy::unwrap_used)]

use phainon_core::{InitiatorKind, Millis};
use phainon_formats::network::read;
use phainon_formats::{KeptBody, NetworkLog};
use proptest::prelude::*;
use serde_json::{Value, json};

const METHODS: [&str; 13] = [
    "requestWillBeSent",
    "requestWillBeSentExtraInfo",
    "responseReceived",
    "responseReceivedExtraInfo",
    "responseReceivedEarlyHints",
    "dataReceived",
    "requestServedFromCache",
    "resourceChangedPriority",
    "loadingFinished",
    "loadingFailed",
    "webSocketCreated",
    "webSocketWillSendHandshakeRequest",
    "webSocketClosed",
];
const TYPES: [&str; 7] = ["Document", "Script", "Stylesheet", "Image", "Fetch", "EventSource", "no such type"];

fn strange() -> impl Strategy<Value = Value> {
    prop_oneof![
        Just(Value::Null),
        Just(json!([])),
        Just(json!({})),
        any::<i64>().prop_map(Value::from),
        any::<f64>().prop_map(|v| serde_json::Number::from_f64(v).map_or(Value::Null, Value::Number)),
        "[ -~]{0,12}".prop_map(Value::from),
    ]
}

prop_compose! {
    fn event()(
        method in 0..METHODS.len(), id in 0u8..6, at in -5.0f64..60.0, kind in 0..TYPES.len(), redirect in any::<bool>(),
        status in 0u16..700, length in 0u64..1_000_000, odd in prop::option::of((0usize..8, strange())),
    ) -> (String, Value) {
        let timing = json!({"requestTime": at, "dnsStart": -1, "connectStart": 1.0, "connectEnd": 20.0, "sslStart": -1,
            "sendStart": 21.0, "receiveHeadersStart": 40.0, "receiveHeadersEnd": 41.0});
        let response = json!({"status": status, "headers": {"Content-Type": "text/html", "Set-Cookie": "a=secret"}, "mimeType": "text/html",
            "connectionId": id, "timing": timing, "encodedDataLength": length, "protocol": "h2"});
        let mut params = json!({"requestId": format!("r{id}"), "loaderId": "r0", "timestamp": at, "wallTime": 1.7e9 + at, "type": TYPES[kind],
            "frameId": "F", "request": {"url": format!("http://a.test/{id}"), "method": "GET", "headers": {"Cookie": "a=secret"}, "postData": "secret"},
            "initiator": {"type": "script"}, "response": response, "headers": {"Cookie": "a=secret"}, "dataLength": length,
            "encodedDataLength": length, "errorText": "net::ERR_FAILED", "newPriority": "Low", "url": "ws://a.test/", "statusCode": status});
        if redirect && METHODS[method] == "requestWillBeSent" {
            params["redirectResponse"] = params["response"].clone();
        }
        if let Some((field, value)) = odd {
            let names = ["requestId", "timestamp", "request", "response", "headers", "type", "initiator", "wallTime"];
            params[names[field]] = value;
        }
        (format!("Network.{}", METHODS[method]), params)
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn whatever_is_told_is_read_to_something_that_makes_sense(
        events in prop::collection::vec(event(), 0..60),
        start in prop::option::of(-1e6f64..40e6),
        bodies in prop::collection::vec((0u8..8, 0u64..9_000, any::<bool>()), 0..4),
    ) {
        let mut log = NetworkLog::default();
        for (method, params) in &events {
            log.add(method, Some("s"), params);
        }
        let text = String::from_utf8_lossy(&log.events).into_owned();
        prop_assert!(!text.contains("secret"), "cookies and what requests send are never kept");
        for (id, size, exact) in bodies {
            log.bodies.push(KeptBody { request: format!("r{id}"), hash: format!("h{size}"), size, exact });
        }
        let facts = read(&log, start, Some("F"));
        for (place, request) in facts.requests.iter().enumerate() {
            prop_assert_eq!(request.id.0 as usize, place, "ids are places");
            prop_assert!(request.start >= Millis::ZERO && request.start.0.is_finite());
            if let Some(end) = request.end {
                prop_assert!(end >= request.start, "{request:?}");
                prop_assert!(request.first_byte.is_none_or(|first| first <= end), "{request:?}");
            }
            if let Some(from) = request.redirected_from {
                prop_assert!((from.0 as usize) < place, "a redirect comes from an earlier request");
                prop_assert_eq!(request.initiator.kind, InitiatorKind::Redirect);
            }
            prop_assert!(request.parts.iter().all(|part| part.at.0.is_finite()));
        }
        let told = events.iter().filter(|(m, _)| m == "Network.requestWillBeSent" || m.ends_with("HandshakeRequest")).count();
        prop_assert!(facts.requests.len() + facts.before.as_ref().map_or(0, |b| b.requests) <= told);
        // The same log reads the same, from a copy of its bytes too.
        let again = read(&NetworkLog { events: text.into_bytes(), bodies: log.bodies.clone() }, start, Some("F"));
        prop_assert_eq!(again.requests, facts.requests);
    }
}
