//! Trace events in any order, with odd values: what is read of them always makes sense, and is the same
//! in whichever form the trace was written.

#![allow(clippy::unwrap_used)]

use phainon_core::{Load, Millis, NoBodies, Note, Prepared, analyse};
use phainon_formats::{RawLoad, TraceText};
use proptest::prelude::*;
use serde_json::{Value, json};

const NAMES: [&str; 17] = [
    "RunTask",
    "EvaluateScript",
    "FunctionCall",
    "Layout",
    "UpdateLayoutTree",
    "ParseHTML",
    "TimerInstall",
    "TimerFire",
    "LayoutShift",
    "largestContentfulPaint::Candidate",
    "EventTiming",
    "ResourceSendRequest",
    "ResourceFinish",
    "AnimationFrame::Presentation",
    "WebSocketCreate",
    "WebSocketSendHandshakeRequest",
    "WebSocketReceive",
];

prop_compose! {
    fn event()(
        name in 0..NAMES.len(), phase in 0usize..6, at in -300.0f64..4_000.0, long in -5.0f64..700.0, thread in 7u8..9,
        id in 0u8..4, score in -1.0f64..2.0, odd in prop::option::of((0usize..6, any::<i32>())),
    ) -> Value {
        let phase = ["X", "B", "E", "I", "b", "e"][phase];
        let data = json!({"url": format!("http://a.test/{id}.js"), "score": score, "weighted_score_delta": score, "size": at.abs(), "nodeId": id,
            "navigationId": "N", "candidateIndex": id, "requestId": format!("r{id}"), "timerId": id, "identifier": id, "timeout": long,
            "interactionId": id, "duration": long, "timeStamp": at, "type": "click", "didFail": false, "finishTime": at,
            "impacted_nodes": [{"node_id": id, "old_rect": [0, 0, 9, 9], "new_rect": [0, 90, 9, 9]}]});
        let mut event = json!({"name": NAMES[name], "ph": phase, "ts": 5e6 + at * 1e3, "dur": long * 1e3, "pid": 7, "tid": thread,
            "id": format!("0x{id:x}"), "cat": "devtools.timeline", "args": {"data": data, "frame": "F"}});
        if let Some((field, value)) = odd {
            let names = ["name", "ph", "ts", "dur", "args", "id"];
            event[names[field]] = value.into();
        }
        event
    }
}

fn whole(mut events: Vec<Value>, place: usize) -> Vec<Value> {
    let data = json!({"documentLoaderURL": "http://a.test/", "isOutermostMainFrame": true, "navigationId": "N"});
    let needed = [
        json!({"name": "thread_name", "ph": "M", "pid": 7, "tid": 7, "args": {"name": "CrRendererMain"}}),
        json!({"name": "navigationStart", "ph": "R", "ts": 5e6, "pid": 7, "tid": 7, "args": {"frame": "F", "data": data}}),
        json!({"name": "firstContentfulPaint", "ph": "R", "ts": 5.4e6, "pid": 7, "tid": 7, "args": {"frame": "F", "data": {"navigationId": "N"}}}),
    ];
    let place = place % (events.len() + 1);
    events.splice(place..place, needed);
    events
}

fn read(text: &str) -> Load {
    let raw = RawLoad { name: "t.json".into(), trace: Some(TraceText::of(text.as_bytes())), ..RawLoad::default() };
    raw.assemble().unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(250))]

    #[test]
    fn whatever_happened_is_read_to_something_that_makes_sense(events in prop::collection::vec(event(), 0..50), place in any::<usize>()) {
        let events = whole(events, place);
        let load = read(&Value::from(events.clone()).to_string());
        prop_assert_eq!(load.fcp, Some(Millis(400.0)));
        let sound = |at: Millis| at.0.is_finite() && at.0 >= 0.0;
        // Pieces of work come in order, and each lies inside of what it is a part of.
        let mut open: Vec<(u16, Millis)> = Vec::new();
        for work in &load.work {
            prop_assert!(sound(work.start) && sound(work.duration), "{work:?}");
            open.retain(|(depth, _)| *depth < work.depth);
            prop_assert_eq!(usize::from(work.depth), open.len(), "a part has a whole: {:?}", work);
            prop_assert!(open.iter().all(|(_, end)| work.end() <= *end + Millis(0.01)), "{work:?} in {open:?}");
            open.push((work.depth, work.end()));
        }
        prop_assert!(load.work.is_sorted_by(|a, b| a.start <= b.start || a.depth > b.depth), "in order of time");
        prop_assert!(load.shifts.iter().all(|s| s.score.is_finite() && sound(s.at)));
        prop_assert!(load.lcp_candidates.is_sorted_by(|a, b| a.at <= b.at));
        for request in &load.requests {
            prop_assert!(sound(request.start) && request.end.is_none_or(|end| end >= request.start), "{request:?}");
        }
        let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
        for figure in [analysis.metrics.tbt_ms, analysis.metrics.tti_ms, analysis.metrics.lcp_ms, analysis.metrics.inp_ms] {
            prop_assert!(figure.is_none_or(sound), "{:?}", analysis.metrics);
        }
        prop_assert!(analysis.metrics.cls.is_none_or(|cls| cls.is_finite() && cls >= 0.0), "{:?}", analysis.metrics.cls);
        if let Some(lcp) = &analysis.lcp {
            let length: f64 = lcp.path.iter().map(|leg| leg.length().0).sum();
            prop_assert!((length - analysis.metrics.lcp_ms.unwrap().0).abs() < 1.0, "the path adds up");
        }

        // In object form, behind metadata and set out over lines, it says the same.
        let object = json!({"metadata": {"log": [1, {"traceEvents": "no"}]}, "traceEvents": events, "more": null});
        prop_assert_eq!(&read(&serde_json::to_string_pretty(&object).unwrap()), &load);
        // Cut off behind an event, it says what was told until then.
        let lines: Vec<String> = events.iter().map(Value::to_string).collect();
        let cut = read(&format!("[{},\n{{\"name\":\"Lay", lines.join(",\n")));
        prop_assert_eq!(&cut.work, &load.work);
        prop_assert!(cut.notes.contains(&Note::TraceCutOff { line: lines.len() + 1, events: lines.len() }), "{:?}", cut.notes);
    }
}
