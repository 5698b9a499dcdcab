//! What a store of many and heavy recordings takes to ask: prints medians, and the longest of each.
//!
//! `PHAINON_BENCH_RECORDINGS` and `PHAINON_BENCH_MB` set how many heavy ones there are and how heavy
//! each is; 50 of 50 MB by default. It needs as much room in the folder of temporary files.

#[path = "../tests/kept/mod.rs"]
mod kept;

use kept::{add, head, keep_whole, packed, raw};
use phainon_core::{Analysis, Bytes};
use phainon_formats::{RawLoad, TraceText};
use phainon_store::{Derived, NewLoad, PackedBodies, PackedLoad, Page, Part, Store};
use std::time::Instant;

fn set(name: &str, usual: usize) -> usize {
    std::env::var(name).ok().and_then(|v| v.parse().ok()).unwrap_or(usual)
}

/// Bytes that do not pack.
fn noise(length: usize, seed: u64) -> Vec<u8> {
    let mut state = seed | 1;
    let mut bytes = Vec::with_capacity(length);
    while bytes.len() < length {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        bytes.extend(state.to_le_bytes());
    }
    bytes
}

fn timed(name: &str, times: usize, mut act: impl FnMut(usize)) {
    let mut each: Vec<f64> = (0..times)
        .map(|n| {
            let began = Instant::now();
            act(n);
            began.elapsed().as_secs_f64() * 1000.0
        })
        .collect();
    each.sort_by(f64::total_cmp);
    println!("{name}: median {:.2} ms, longest {:.2} ms of {times}", each[times / 2], each[times - 1]);
}

fn main() {
    let directory = tempfile::tempdir().expect("a folder");
    let store = Store::open(directory.path()).expect("a store");
    let (recordings, megabytes) = (set("PHAINON_BENCH_RECORDINGS", 50), set("PHAINON_BENCH_MB", 50));
    for n in 0..recordings {
        let light = raw(&["<p>", "a", "b"]);
        let prepared = phainon_core::Prepared::plain(light.assemble().expect("a load"));
        let analysis = phainon_core::analyse(&prepared, &phainon_core::NoBodies);
        let heavy = RawLoad { trace: Some(TraceText::of(&noise(megabytes * 1_000_000, n as u64 + 7))), ..light };
        let derived = Derived { load: &prepared.load, analysis: &analysis, tracks: Some(b"columns") };
        let load = PackedLoad::of(&NewLoad { raw: &heavy, derived: Some(derived) }).expect("packed");
        let (_, summary) = packed(&raw(&["<p>"]));
        let bodies = PackedBodies::default();
        let page = format!("page {n}");
        keep_whole(&store, head(&page, "2026-11-24T09:00:00Z"), &[load], &bodies, None, summary.as_ref());
    }
    let size = std::fs::read_dir(directory.path())
        .map_or(0, |files| files.filter_map(|f| f.ok()?.metadata().ok()).map(|m| m.len()).sum::<u64>());
    println!("{recordings} recordings of {megabytes} MB: the store's files hold {}", Bytes(size).text());
    timed("an analysis beside them", 200, |n| {
        let id = i64::try_from(n % recordings).unwrap_or_default() + 1;
        let part = store.part(id, 1, Part::Overview).expect("a part").expect("there");
        let _: Analysis = part.value().expect("an analysis");
    });
    timed("a recording's head", 200, |n| {
        store.recording(i64::try_from(n % recordings).unwrap_or_default() + 1).expect("there");
    });
    let many = 2_000usize.saturating_sub(recordings);
    let texts = ["<p>", "one", "two", "three", "four"];
    for n in 0..many {
        add(&store, &format!("page {}", n % 200), "2026-11-25T09:00:00Z", &texts);
    }
    timed("the first hundred of 2,000", 50, |_| {
        let page = store.recordings(&Page { limit: 100, ..Page::default() }).expect("a list");
        assert_eq!(page.rows.len(), 100.min(recordings + many));
    });
    timed("those that match a word", 50, |n| {
        store.recordings(&Page { filter: format!("page {n}"), limit: 100, ..Page::default() }).expect("a list");
    });
    let loads: Vec<(i64, u32)> = (1..=200).map(|id| (id, 1)).collect();
    timed("weight over 200 recordings", 20, |_| {
        assert_eq!(store.site_weight(&loads).expect("weights").pages.len(), 200);
    });
}
