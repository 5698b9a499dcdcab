//! Recordings to be kept.

#![allow(clippy::unwrap_used, dead_code, missing_docs, unreachable_pub)]

use phainon_core::metrics::Coverage;
use phainon_core::{
    BodyRef, Bytes, Counted, Load, Millis, NoBodies, Note, Prepared, RecordingSummary, Request, ResourceKind, Settings,
    Source, analyse, summarise,
};
use phainon_formats::{BodyMap, Detail, FrameRecord, RawLoad, body_hash};
use phainon_store::{Derived, Ended, NewLoad, NewRecording, PackedBodies, PackedLoad, Store, WholeRecording};

pub const PAGE: &str = "http://www.skerryline.test/";

/// A HAR's load of these texts, with a picture of the screen.
pub fn raw(texts: &[&str]) -> RawLoad {
    let requests = (0u32..).zip(texts).map(|(id, text)| {
        let mut request = Request::new(id, &format!("{PAGE}{id}"), ResourceKind::Document);
        (request.end, request.transferred) = (Some(Millis(100.0)), Some(Bytes(text.len() as u64 + 100)));
        request.body = Some(BodyRef { hash: body_hash(text.as_bytes()), size: Bytes(text.len() as u64) });
        request
    });
    let frame = FrameRecord { file: "0000.jpg".into(), wall_s: None, at_ms: Some(Millis(40.0)) };
    RawLoad { requests: Some(requests.collect()), frames: vec![(frame, b"a picture".to_vec())], ..RawLoad::default() }
}

pub fn bodies(texts: &[&str]) -> BodyMap {
    texts.iter().map(|t| (body_hash(t.as_bytes()), t.as_bytes().to_vec())).collect()
}

pub fn detail() -> Detail {
    Detail {
        coverage: vec![Coverage { url: format!("{PAGE}a.js"), used: vec![(0, 40)], ..Coverage::default() }],
        inline_only: Some(b"another picture".to_vec()),
        notes: vec![Note::DetailCutOff],
    }
}

/// A load, read and packed, and what it says alone.
pub fn packed(raw: &RawLoad) -> (PackedLoad, Option<RecordingSummary>) {
    let load: Load = raw.assemble().unwrap();
    let prepared = Prepared::plain(load);
    let analysis = analyse(&prepared, &NoBodies);
    let derived = Derived { load: &prepared.load, analysis: &analysis, tracks: Some(b"columns") };
    let packed = PackedLoad::of(&NewLoad { raw, derived: Some(derived) }).unwrap();
    let counted = Counted { number: 1, visit: raw.visit, failed: false, metrics: &analysis.metrics };
    (packed, summarise(&[counted], &Settings::default()))
}

pub fn head<'a>(page: &'a str, recorded_at: &'a str) -> NewRecording<'a> {
    NewRecording {
        site: "skerryline.test",
        page,
        url: PAGE,
        source: Source::Har,
        conditions: None,
        browser: None,
        machine: None,
        recorded_at,
        imported_from: None,
        wanted_loads: None,
        blocked: &[],
        ended: Ended::Done,
        trial_of: None,
    }
}

/// Keeps a recording of one load of these texts and gives its id.
pub fn add(store: &Store, page: &str, recorded_at: &str, texts: &[&str]) -> i64 {
    let (load, summary) = packed(&raw(texts));
    let bodies = PackedBodies::of(bodies(texts));
    keep_whole(store, head(page, recorded_at), &[load], &bodies, Some(&detail()), summary.as_ref())
}

/// Keeps one recording with all of the bodies and gives its id.
pub fn keep_whole(
    store: &Store,
    head: NewRecording<'_>,
    loads: &[PackedLoad],
    bodies: &PackedBodies,
    detail: Option<&Detail>,
    summary: Option<&RecordingSummary>,
) -> i64 {
    let named = bodies.names();
    store.add_recordings(&[WholeRecording { head, loads, bodies, named: &named, detail, summary }]).unwrap()[0]
}
