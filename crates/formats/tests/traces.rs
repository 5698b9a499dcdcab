//! What is read from trace events, on traces small enough to be worked by hand.

#![allow(clippy::unwrap_used)]

use phainon_core::{
    Bytes, InitiatorKind, Load, Millis, NoBodies, PaintKind, Prepared, RenderBlocking, ResourceKind, WorkKind,
    WorkName, analyse,
};
use phainon_formats::open;
use serde_json::{Value, json};

/// An event of the page's main thread, at milliseconds after navigation start.
fn at(name: &str, ph: &str, ms: f64, dur: f64, args: Value) -> Value {
    json!({"name": name, "ph": ph, "ts": 5_000_000.0 + ms * 1000.0, "dur": dur * 1000.0, "pid": 7, "tid": 9, "args": args})
}

fn navigation(url: &str, id: &str, ms: f64) -> Value {
    let mut event = at(
        "navigationStart",
        "R",
        ms,
        0.0,
        json!({"frame": "F", "data": {"documentLoaderURL": url, "isOutermostMainFrame": true, "navigationId": id}}),
    );
    event["tid"] = json!(7);
    event
}

fn load(events: Vec<Value>) -> Load {
    let mut all = vec![
        json!({"name": "thread_name", "ph": "M", "pid": 7, "tid": 9, "args": {"name": "CrRendererMain"}}),
        navigation("", "0", -50.0),
        navigation("http://a.test/", "N", 0.0),
    ];
    all.extend(events);
    open(json!({"traceEvents": all}).to_string().as_bytes(), "t.json").unwrap().loads[0].assemble().unwrap()
}

fn paint(ms: f64) -> Value {
    at("firstContentfulPaint", "R", ms, 0.0, json!({"frame": "F", "data": {"navigationId": "N"}}))
}

fn candidate(ms: f64, node: i64, kind: &str, extra: Value) -> Value {
    let mut data = json!({"navigationId": "N", "isOutermostMainFrame": true, "nodeId": node, "nodeName": "IMG class='hero'", "size": 100, "type": kind});
    for (key, value) in extra.as_object().unwrap() {
        data[key] = value.clone();
    }
    at("largestContentfulPaint::Candidate", "R", ms, 0.0, json!({"frame": "F", "data": data}))
}

#[test]
fn the_last_candidate_before_input_is_the_largest_paint() {
    let picture = json!({"data": {"DOMNodeId": 4, "imageUrl": "http://a.test/hero.jpg", "frame_x": 0, "frame_y": 10, "frame_width": 300, "frame_height": 200}});
    let load = load(vec![
        paint(200.0),
        candidate(200.0, 3, "text", json!({})),
        at("LargestImagePaint::Candidate", "R", 600.0, 0.0, picture),
        candidate(600.0, 4, "image", json!({})),
        candidate(700.0, 5, "image", json!({"navigationId": "another"})),
        candidate(750.0, 6, "image", json!({"isOutermostMainFrame": false})),
        at("EventTiming", "b", 800.0, 0.0, json!({"data": {"type": "pointerdown"}})),
        candidate(900.0, 7, "text", json!({})),
    ]);
    let largest = load.largest().unwrap();
    assert_eq!((largest.at, largest.kind, largest.node), (Millis(600.0), PaintKind::Image, Some(4)));
    assert_eq!((largest.url.as_deref(), largest.tag.as_deref()), (Some("http://a.test/hero.jpg"), Some("img")));
    assert_eq!(largest.rect.unwrap().area(), 60_000.0);
}

#[test]
fn shifts_of_other_frames_and_of_nothing_do_not_count() {
    let shift =
        |ms: f64, frame: &str, data: Value| at("LayoutShift", "I", ms, 0.0, json!({"frame": frame, "data": data}));
    let load = load(vec![
        paint(100.0),
        shift(
            150.0,
            "F",
            json!({"score": 0.1, "is_main_frame": true, "impacted_nodes": [{"old_rect": [0, 0, 10, 10], "new_rect": [0, 5, 10, 10]}]}),
        ),
        shift(160.0, "F", json!({"score": 0.2, "had_recent_input": true})),
        shift(170.0, "G", json!({"score": 0.4})),
        shift(180.0, "F", json!({"score": 0.4, "is_main_frame": false})),
        shift(190.0, "F", json!({"score": "much"})),
        shift(200.0, "F", json!({"score": -1})),
    ]);
    assert_eq!(load.shifts.len(), 2);
    assert_eq!(load.shifts[0].moved[0].after.y, 5.0);
    assert_eq!(analyse(&Prepared::plain(load.clone()), &NoBodies).metrics.cls, Some(0.1));
}

#[test]
fn work_is_nested_blamed_and_summed_by_kind() {
    let script = |url: &str| json!({"data": {"url": url, "functionName": "cast"}});
    let load = load(vec![
        paint(10.0),
        // A task of 100 ms: 60 of a plugin's script, 20 of which are layout that it forced; 40 are left over.
        at("RunTask", "X", 20.0, 100.0, json!({})),
        at("FunctionCall", "X", 30.0, 60.0, script("http://a.test/plugins/p/a.js")),
        at("Layout", "X", 40.0, 20.0, json!({})),
        // Begun and ended by a pair of events.
        at("RunTask", "B", 200.0, 0.0, json!({})),
        at("ParseHTML", "X", 205.0, 10.0, json!({"beginData": {"url": "http://a.test/"}})),
        at("RunTask", "E", 230.0, 0.0, json!({})),
        // Before the navigation, and on another thread: not this load's.
        at("RunTask", "X", -40.0, 30.0, json!({})),
        json!({"name": "RunTask", "ph": "X", "ts": 5_030_000, "dur": 90_000, "pid": 7, "tid": 11}),
    ]);
    let told: Vec<(WorkName, u16, f64)> = load.work.iter().map(|w| (w.name, w.depth, w.duration.0.round())).collect();
    assert_eq!(
        told,
        [
            (WorkName::Task, 0, 100.0),
            (WorkName::Call, 1, 60.0),
            (WorkName::Layout, 2, 20.0),
            (WorkName::Task, 0, 30.0),
            (WorkName::ParseHtml, 1, 10.0)
        ]
    );
    let main = analyse(&Prepared::plain(load.clone()), &NoBodies).main_thread.unwrap();
    let ms = |kind: WorkKind| main.by_kind_ms.get(&kind).map(|m| m.0.round());
    assert_eq!(
        (ms(WorkKind::ScriptRun), ms(WorkKind::Layout), ms(WorkKind::HtmlParse), ms(WorkKind::Other)),
        (Some(40.0), Some(20.0), Some(10.0), Some(60.0))
    );
    let plugin = main.by_script.iter().find(|s| s.url.is_some()).unwrap();
    assert_eq!(
        (plugin.owner.name.as_str(), plugin.total_ms.0.round()),
        ("p", 60.0),
        "the layout that it forced is the script's"
    );
    let [long] = main.long_tasks.as_slice() else { panic!("one task is long") };
    assert_eq!((long.owner.name.as_str(), long.blocking_ms.0.round()), ("p", 50.0));
}

#[test]
fn a_trace_alone_gives_requests_with_their_phases() {
    let send = |id: &str, url: &str, ms: f64, extra: Value| {
        let mut data = json!({"requestId": id, "url": url, "frame": "F", "priority": "High", "requestMethod": "GET", "resourceType": "Script"});
        for (key, value) in extra.as_object().unwrap() {
            data[key] = value.clone();
        }
        at("ResourceSendRequest", "I", ms, 0.0, json!({"data": data}))
    };
    let timing = json!({"requestTime": 5.100, "dnsStart": 0, "dnsEnd": 2, "connectStart": 2, "connectEnd": 40, "sslStart": 20, "sslEnd": 40, "sendStart": 41, "receiveHeadersStart": 90, "receiveHeadersEnd": 91});
    let load = load(vec![
        send("N", "http://a.test/", 1.0, json!({"resourceType": "Document"})),
        send(
            "1",
            "http://a.test/a.js",
            100.0,
            json!({"renderBlocking": "blocking", "initiator": {"type": "parser", "url": "http://a.test/", "lineNumber": 3}}),
        ),
        at(
            "ResourceReceiveResponse",
            "I",
            195.0,
            0.0,
            json!({"data": {"requestId": "1", "statusCode": 200, "mimeType": "text/javascript", "protocol": "h2", "timing": timing,
            "headers": [{"name": "Set-Cookie", "value": "secret"}]}}),
        ),
        at("ResourceChangePriority", "X", 196.0, 1.0, json!({"data": {"requestId": "1", "priority": "VeryHigh"}})),
        at(
            "ResourceFinish",
            "I",
            240.0,
            0.0,
            json!({"data": {"requestId": "1", "finishTime": 5.230, "encodedDataLength": 900, "decodedBodyLength": 2000}}),
        ),
        at("ResourceFinish", "I", 250.0, 0.0, json!({"data": {"requestId": "unheard-of"}})),
    ]);
    assert_eq!(load.document().unwrap().initiator.kind, InitiatorKind::Navigation);
    let script = load.requests.iter().find(|r| r.kind == ResourceKind::Script).unwrap();
    let ms = |t: Option<Millis>| t.map(|t| t.0.round());
    assert_eq!(
        (ms(script.connect_start), ms(script.tls_start), ms(script.connect_end)),
        (Some(100.0), Some(120.0), Some(140.0))
    );
    assert_eq!((ms(script.sent), ms(script.first_byte), ms(script.end)), (Some(141.0), Some(190.0), Some(230.0)));
    assert_eq!((script.render_blocking, script.initiator.line), (RenderBlocking::Blocking, Some(4)));
    assert_eq!((script.priority.as_deref(), script.final_priority.as_deref()), (Some("High"), Some("VeryHigh")));
    assert!(!serde_json::to_string(&load).unwrap().contains("secret"));
}

#[test]
fn a_web_socket_is_made_connected_opened_and_says_something() {
    let stack =
        json!([{"url": "", "lineNumber": 1}, {"url": "http://a.test/app.js", "lineNumber": 4, "columnNumber": 9}]);
    let tells = |name: &str, ms: f64, more: Value| {
        let mut data = json!({"identifier": 7, "frame": "F"});
        for (key, value) in more.as_object().unwrap() {
            data[key] = value.clone();
        }
        at(name, "I", ms, 0.0, json!({"data": data}))
    };
    let load = load(vec![
        tells("WebSocketReceive", 90.0, json!({"dataLength": 1})),
        tells("WebSocketCreate", 100.0, json!({"url": "wss://a.test/live", "stackTrace": stack})),
        tells("WebSocketSendHandshakeRequest", 190.0, json!({})),
        tells("WebSocketReceiveHandshakeResponse", 250.0, json!({})),
        tells("WebSocketSend", 300.0, json!({"dataLength": 4})),
        tells("WebSocketReceive", 420.0, json!({"dataLength": 16})),
        tells("WebSocketReceive", 430.0, json!({"identifier": 8, "dataLength": 16})),
    ]);
    let [socket] = load.requests.as_slice() else { panic!("one socket: {:?}", load.requests) };
    let ms = |t: Option<Millis>| t.map(|t| t.0.round());
    assert_eq!((&*socket.url, socket.kind, socket.main_frame), ("wss://a.test/live", ResourceKind::Data, true));
    assert_eq!(
        (ms(Some(socket.start)), ms(socket.connect_end), ms(socket.sent)),
        (Some(100.0), Some(190.0), Some(190.0))
    );
    assert_eq!((ms(socket.first_byte), socket.end), (Some(250.0), None));
    assert_eq!((socket.said.len(), socket.parts.len(), socket.parts[0].bytes), (1, 1, Bytes(16)));
    let by = &socket.initiator;
    assert_eq!((by.kind, by.url.as_deref(), by.line), (InitiatorKind::Script, Some("http://a.test/app.js"), Some(4)));
}

#[test]
fn of_several_navigations_the_last_that_painted_is_read() {
    let load = load(vec![
        paint(90.0),
        navigation("http://a.test/next", "M", 500.0),
        at("firstContentfulPaint", "R", 750.0, 0.0, json!({"frame": "F", "data": {"navigationId": "M"}})),
        navigation("http://a.test/never-painted", "P", 900.0),
    ]);
    assert_eq!((&*load.url, load.fcp), ("http://a.test/next", Some(Millis(250.0))));
}

#[test]
fn timers_handlers_and_forced_layout_name_their_lines() {
    let stack = json!([{"functionName": "poll", "url": "http://a.test/poll.js", "lineNumber": 12}, {"functionName": "start", "url": "http://a.test/poll.js", "lineNumber": 3}]);
    let load = load(vec![
        paint(10.0),
        at("TimerInstall", "I", 20.0, 0.0, json!({"data": {"timerId": 4, "timeout": 50, "stackTrace": stack}})),
        at("RunTask", "X", 71.0, 20.0, json!({})),
        at("TimerFire", "X", 72.0, 15.0, json!({"data": {"timerId": 4}})),
        at(
            "FunctionCall",
            "X",
            73.0,
            12.0,
            json!({"data": {"functionName": "tick", "url": "http://a.test/poll.js", "lineNumber": 20}}),
        ),
        at("Layout", "X", 75.0, 3.0, json!({"beginData": {"frame": "F", "stackTrace": stack}})),
        at("UpdateLayoutTree", "X", 79.0, 2.0, json!({"beginData": {"stackTrace": stack}})),
        at("RunTask", "X", 100.0, 9.0, json!({})),
        at("Layout", "X", 101.0, 5.0, json!({"beginData": {"frame": "F"}})),
    ]);
    let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
    let timer = &analysis.thread.handlers[0];
    assert_eq!((&*timer.what, timer.runs, timer.timeout_ms), ("timer", 1, Some(Millis(50.0))));
    let by = timer.by.as_ref().unwrap();
    assert_eq!((&*by.function, by.line), ("poll", Some(12)), "who set it, not what it runs");
    assert_eq!(analysis.thread.forced.len(), 1, "the frame's own layout was not forced");
    let forced = &analysis.thread.forced[0];
    assert_eq!((forced.times, forced.layout_ms, forced.style_ms), (2, Millis(3.0), Millis(2.0)));
    assert_eq!(forced.by.line, Some(12));
}

#[test]
fn marks_measures_and_inputs_keep_their_times() {
    let timing = |name: &str, ph: &str, ms: f64, id: &str, args: Value| {
        let mut event = at(name, ph, ms, 0.0, args);
        event["cat"] = "blink.user_timing".into();
        event["id2"] = json!({"local": id});
        event
    };
    let input = |kind: &str, id: u64, at_ms: f64, from: f64, to: f64, long: f64| {
        at(
            "EventTiming",
            "b",
            at_ms,
            0.0,
            json!({"data": {"type": kind, "interactionId": id, "timeStamp": at_ms, "processingStart": from, "processingEnd": to, "duration": long, "nodeId": 9, "frame": "F"}}),
        )
    };
    let mut elsewhere = input("click", 8, 700.0, 701.0, 1_300.0, 900.0);
    elsewhere["args"]["data"]["frame"] = "another frame".into();
    let load = load(vec![
        paint(10.0),
        timing("ready", "I", 40.0, "0x1", json!({"data": {"startTime": 40.0}})),
        timing("domComplete", "R", 50.0, "0x1", json!({"frame": "F"})),
        timing("build", "b", 60.0, "0x2", json!({"startTime": 60.0})),
        timing("sort", "b", 70.0, "0x3", json!({"startTime": 70.0})),
        timing("build", "e", 95.0, "0x2", json!({})),
        timing("sort", "e", 90.0, "0x3", json!({})),
        timing("never ended", "b", 96.0, "0x4", json!({})),
        input("pointerdown", 7, 500.0, 520.0, 521.0, 40.0),
        input("click", 7, 580.0, 581.0, 700.0, 150.0),
        elsewhere,
    ]);
    let named: Vec<_> = load.user_timings.iter().map(|t| (&*t.name, t.at_ms.0, t.duration_ms.map(|d| d.0))).collect();
    assert_eq!(named, [("ready", 40.0, None), ("build", 60.0, Some(35.0)), ("sort", 70.0, Some(20.0))]);
    let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
    assert_eq!(analysis.metrics.inp_ms, Some(Millis(150.0)));
    let click = &analysis.interactions[0];
    assert_eq!(
        (click.input_delay_ms, click.handling_ms, click.presentation_ms),
        (Millis(1.0), Millis(119.0), Millis(30.0))
    );
}

#[test]
fn what_comes_before_a_painting_is_told_apart_from_it() {
    let load = load(vec![
        at("RunTask", "X", 300.0, 5.0, json!({})),
        at("PrePaint", "X", 301.0, 3.0, json!({})),
        at("RunTask", "X", 320.0, 20.0, json!({})),
        at("PrePaint", "X", 321.0, 3.0, json!({})),
        at("Paint", "X", 325.0, 8.0, json!({})),
        at("Commit", "X", 334.0, 2.0, json!({})),
    ]);
    let told: Vec<WorkName> = load.work.iter().map(|w| w.name).filter(|n| *n != WorkName::Task).collect();
    assert_eq!(told, [WorkName::PrePaint, WorkName::PrePaint, WorkName::Paint, WorkName::Paint]);
    // It is the browser's painting all the same.
    assert!(load.work.iter().filter(|w| w.depth > 0).all(|w| w.kind == WorkKind::Paint));
}

#[test]
fn what_is_read_of_an_inner_frame_or_a_picture_in_vectors_is_not_the_pages_parser() {
    let read = |ms: f64, frame: Value| at("ParseHTML", "X", ms, 5.0, json!({ "beginData": frame }));
    let load = load(vec![
        paint(10.0),
        read(20.0, json!({"frame": "F", "url": "http://a.test/"})),
        // An inner frame, and a picture, which has no address.
        read(30.0, json!({"frame": "G", "url": "http://a.test/inner"})),
        read(40.0, json!({"frame": "H", "url": ""})),
        // Whose document it is, is not told.
        read(50.0, json!({"url": "http://a.test/"})),
    ]);
    let names: Vec<WorkName> = load.work.iter().map(|w| w.name).collect();
    let (page, frame) = (WorkName::ParseHtml, WorkName::ParseFrame);
    assert_eq!(names, [page, frame, frame, page]);
    assert!(load.work.iter().all(|w| w.kind == WorkKind::HtmlParse));
}
