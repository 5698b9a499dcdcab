//! What was read from a page, as any bytes, beside a small trace: never a panic, and no figure that is none.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_core::{NoBodies, Prepared, analyse, document_view, tracks};
use phainon_formats::{PageRecord, RawLoad, TraceText};

const TRACE: &[u8] = br#"[{"name":"navigationStart","ph":"R","ts":1000,"pid":1,"tid":1,"args":{"frame":"F","data":{"documentLoaderURL":"http://a.test/","isOutermostMainFrame":true,"navigationId":"N"}}},
{"name":"largestContentfulPaint::Candidate","ph":"R","ts":900000,"pid":1,"tid":1,"args":{"frame":"F","data":{"navigationId":"N","candidateIndex":1,"type":"text","size":900,"nodeId":5,"isMainFrame":true}}},
{"name":"RunTask","ph":"X","ts":100000,"dur":90000,"pid":1,"tid":1,"args":{}},
{"name":"firstContentfulPaint","ph":"R","ts":800000,"pid":1,"tid":1,"args":{"frame":"F","data":{"navigationId":"N"}}}]"#;

fuzz_target!(|bytes: &[u8]| {
    let Ok(page) = serde_json::from_slice::<PageRecord>(bytes) else { return };
    let frames = page.frames.iter().map(|frame| (frame.clone(), Vec::new())).collect();
    let raw = RawLoad { page: Some(page), trace: Some(TraceText::of(TRACE)), frames, ..RawLoad::default() };
    let Ok(load) = raw.assemble() else { return };
    let _ = document_view(&load, b"<h1>x</h1>");
    let prepared = Prepared::plain(load);
    let _ = tracks(&prepared).to_bytes();
    let analysis = analyse(&prepared, &NoBodies);
    let text = serde_json::to_string(&analysis).expect("JSON");
    serde_json::from_str::<phainon_core::Analysis>(&text).expect("what is written can be read");
});
