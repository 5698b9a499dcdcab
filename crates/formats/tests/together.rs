//! Several pages in one file, and a HAR with the trace of the same load.

#![allow(clippy::unwrap_used)]

use phainon_core::{Millis, NoBodies, Prepared, RenderBlocking, Source, analyse};
use phainon_formats::{FormatError, MemoryBudget, open, open_together};
use serde_json::{Value, json};
use std::io::Cursor;

fn entry(url: &str, at: &str, page: Option<&str>) -> Value {
    let mut entry = json!({
        "startedDateTime": at,
        "request": {"method": "GET", "url": url},
        "response": {"status": 200, "content": {"size": 400, "mimeType": "text/html"}, "bodySize": 300},
        "timings": {"blocked": -1, "dns": -1, "connect": -1, "ssl": -1, "send": 0, "wait": 80, "receive": 20},
    });
    if let Some(page) = page {
        entry["pageref"] = page.into();
    }
    entry
}

fn har(entries: &[Value], pages: &[(&str, &str)]) -> Vec<u8> {
    let pages: Vec<Value> =
        pages.iter().map(|(id, title)| json!({"id": id, "title": title, "pageTimings": {"onLoad": -1}})).collect();
    json!({"log": {"version": "1.2", "pages": pages, "entries": entries}}).to_string().into_bytes()
}

#[test]
fn each_page_of_a_har_is_a_load_and_strays_go_to_the_first() {
    let file = har(
        &[
            entry("http://a.test/", "2026-11-24T09:00:00.100Z", Some("p1")),
            entry("http://a.test/b/", "2026-11-24T09:00:20Z", Some("p2")),
            entry("http://a.test/b/", "2026-11-24T09:00:40Z", Some("p3")),
            entry("http://a.test/stray.js", "2026-11-24T09:00:01Z", None),
            entry("http://a.test/lost.js", "2026-11-24T09:00:02Z", Some("p9")),
        ],
        &[("p1", "A"), ("p2", "B"), ("p3", "B again"), ("p4", "empty")],
    );
    let mut opened = open(&file, "pages.har").unwrap();
    let sizes: Vec<usize> = opened.loads.iter().map(|l| l.requests.as_ref().unwrap().len()).collect();
    assert_eq!(sizes, [3, 1, 1]);
    let second = opened.loads[1].assemble().unwrap();
    assert_eq!((second.title.as_deref(), second.requests[0].start), (Some("B"), Millis(0.0)));
    assert!(second.notes.contains(&phainon_core::Note::PageOf { number: 2, of: 3 }), "{:?}", second.notes);
    // Two loads of the same page are one recording of it.
    let recordings: Vec<usize> = opened.take_pages().iter().map(Vec::len).collect();
    assert_eq!(recordings, [1, 2]);
}

fn trace(url: &str) -> Vec<u8> {
    let at = |name: &str, ph: &str, ms: f64, dur: f64, args: Value| json!({"name": name, "ph": ph, "ts": 5e6 + ms * 1e3, "dur": dur * 1e3, "pid": 7, "tid": 7, "args": args});
    json!([
        at("thread_name", "M", 0.0, 0.0, json!({"name": "CrRendererMain"})),
        at("navigationStart", "R", 0.0, 0.0, json!({"frame": "F", "data": {"documentLoaderURL": url, "isOutermostMainFrame": true, "navigationId": "N"}})),
        at("ResourceSendRequest", "I", 4.0, 0.0, json!({"data": {"requestId": "1", "url": url, "frame": "F"}})),
        at("ResourceSendRequest", "I", 130.0, 0.0, json!({"data": {"requestId": "2", "url": format!("{url}a.css"), "frame": "F", "renderBlocking": "blocking"}})),
        at("RunTask", "X", 300.0, 90.0, json!({})),
        at("firstContentfulPaint", "R", 400.0, 0.0, json!({"frame": "F", "data": {"navigationId": "N"}})),
    ])
    .to_string()
    .into_bytes()
}

#[test]
fn a_har_and_a_trace_of_one_load_become_one() {
    let file = har(
        &[
            entry("http://a.test/other/", "2026-11-24T08:59:00Z", Some("p0")),
            entry("http://a.test/", "2026-11-24T09:00:00.000Z", Some("p1")),
            entry("http://a.test/a.css", "2026-11-24T09:00:00.126Z", Some("p1")),
        ],
        &[("p0", "Before"), ("p1", "Home")],
    );
    let files = |trace: Vec<u8>| {
        vec![(Cursor::new(trace), "t.json".to_owned()), (Cursor::new(file.clone()), "h.har".to_owned())]
    };
    let opened = open_together(files(trace("http://a.test/")), &MemoryBudget::default()).unwrap();
    assert_eq!(opened.len(), 1);
    let load = opened[0].loads[0].assemble().unwrap();
    assert_eq!((load.source, load.requests.len()), (Source::HarAndTrace, 2));
    // The trace's clock is 4 ms behind the HAR's.
    assert_eq!(load.requests[0].start, Millis(4.0));
    assert_eq!(load.requests[1].render_blocking, RenderBlocking::Blocking);
    let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
    assert_eq!(analysis.metrics.fcp_ms, Some(Millis(400.0)));
    assert_eq!(analysis.metrics.ttfb_ms, Some(Millis(84.0)));
    let apart = open_together(files(trace("http://b.test/")), &MemoryBudget::default()).err().unwrap();
    assert!(matches!(apart, FormatError::Apart { .. }), "{apart}");
    assert!(apart.to_string().contains("http://b.test/"));
}
