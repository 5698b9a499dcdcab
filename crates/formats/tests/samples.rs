//! Time by function from the samples of real and generated traces.

#![allow(clippy::unwrap_used)]

use phainon_core::profile::{Profile, functions};
use phainon_core::{Load, Millis, Owners};
use phainon_formats::open;
use proptest::prelude::*;
use serde_json::{Value, json};

fn load(name: &str, bytes: &[u8]) -> Load {
    open(bytes, name).unwrap().loads[0].assemble().unwrap()
}

/// A trace recorded from a page whose loops run for as long as they are told by the page's own clock:
/// in a timer `alpha` for 200 ms and `beta` for 400 ms, and for a click `alpha` once more.
#[test]
fn self_times_of_known_loops_are_right_within_five_per_cent() {
    let load = load("loops.json.gz", include_bytes!("fixtures/loops.json.gz"));
    let profile = load.profile.as_ref().unwrap();
    let owners = Owners::of(&load, &[]);
    let within = |found: f64, ran: f64| (found - ran).abs() <= ran * 0.05;
    let time = |from: Millis, to: Millis, name: &str| {
        let all = functions(profile, &load.work, &owners, from, to);
        all.heaviest.into_iter().find(|f| &*f.place.function == name).unwrap()
    };
    let whole = |name: &str| time(Millis::ZERO, Millis(f64::MAX), name);
    // Both loops are in `spin`, which only they call: its own time is that of all three runs.
    assert!(within(whole("spin").self_ms.0, 800.0), "{:?}", whole("spin"));
    assert!(within(whole("alpha").total_ms.0, 400.0), "{:?}", whole("alpha"));
    assert!(within(whole("beta").total_ms.0, 400.0), "{:?}", whole("beta"));

    // The page's own measure is around the timer's part of it.
    let measure = load.user_timings.iter().find(|t| t.name == "work" && t.duration_ms.is_some()).unwrap();
    let to = measure.at_ms + measure.duration_ms.unwrap();
    let part = time(measure.at_ms, to, "alpha");
    assert!(within(part.total_ms.0, 200.0), "{part:?}");

    let forced: Vec<_> = load.forced.iter().filter(|f| &*f.by.function == "force").collect();
    assert!(forced.len() >= 20 && forced.iter().all(|f| f.by.line == Some(4)), "{} forced", forced.len());
    let interactions = phainon_core::interactions(&load.events);
    let click = interactions.iter().max_by(|a, b| a.duration_ms.order(&b.duration_ms)).unwrap();
    assert!(within(click.handling_ms.0, 200.0), "{click:?}");
}

/// A trace of tasks and samples at random, some out of order and some twice at the same moment.
fn trace(tasks: &[(u32, u32)], samples: &[(u8, i32)]) -> Vec<u8> {
    let base = 5_000_000.0;
    let event = |name: &str, ph: &str, at: f64, args: Value| json!({"name": name, "ph": ph, "ts": base + at, "pid": 7, "tid": 7, "args": args});
    let mut events = vec![
        event("thread_name", "M", 0.0, json!({"name": "CrRendererMain"})),
        event(
            "navigationStart",
            "R",
            0.0,
            json!({"data": {"documentLoaderURL": "http://a.test/", "navigationId": "N"}}),
        ),
    ];
    let mut at = 0.0;
    for (gap, length) in tasks {
        at += f64::from(*gap);
        let mut task = event("RunTask", "X", at, json!({}));
        task["dur"] = json!(length);
        events.push(task);
        at += f64::from(*length);
    }
    let mut begin = event("Profile", "P", 0.0, json!({"data": {"startTime": base}}));
    begin["id"] = "0x1".into();
    events.push(begin);
    let frame = |name: &str| json!({"functionName": name, "url": "http://a.test/a.js", "lineNumber": 3});
    let nodes = json!([
        {"id": 1, "callFrame": {"functionName": "(root)"}},
        {"id": 2, "parent": 1, "callFrame": {"functionName": "(idle)"}},
        {"id": 3, "parent": 1, "callFrame": frame("a")},
        {"id": 4, "parent": 3, "callFrame": frame("b")},
        {"id": 5, "parent": 4, "callFrame": frame("a")},
    ]);
    let ids: Vec<u8> = samples.iter().map(|s| s.0 % 5 + 1).collect();
    let deltas: Vec<i32> = samples.iter().map(|s| s.1).collect();
    let mut chunk = event(
        "ProfileChunk",
        "P",
        0.0,
        json!({"data": {"cpuProfile": {"nodes": nodes, "samples": ids}, "timeDeltas": deltas}}),
    );
    (chunk["id"], chunk["tid"]) = ("0x1".into(), json!(9));
    events.push(chunk);
    serde_json::to_vec(&json!({"traceEvents": events})).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]
    /// Every moment counts at most once, whatever the order of the samples: self times add up to the
    /// sampled time, that is no more than the tasks, and stretches add up to the whole.
    #[test]
    fn no_sample_is_counted_twice(
        tasks in prop::collection::vec((0u32..3_000, 1u32..5_000), 1..30),
        samples in prop::collection::vec((any::<u8>(), -300i32..1_500), 0..200),
        cut in 0.0f64..100.0,
    ) {
        let load = load("generated", &trace(&tasks, &samples));
        let empty = Profile::default();
        let profile = load.profile.as_ref().unwrap_or(&empty);
        let owners = Owners::of(&load, &[]);
        let of = |from: f64, to: f64| functions(profile, &load.work, &owners, Millis(from), Millis(to));
        let all = of(0.0, 1e9);
        let tasks_ms: f64 = load.work.iter().filter(|w| w.depth == 0).map(|w| w.duration.0).sum();
        prop_assert!(all.sampled_ms.0 <= tasks_ms + 1e-6);
        let selfs: f64 = all.heaviest.iter().map(|f| f.self_ms.0).sum();
        // Functions under 0.05 ms in all are left out of the table.
        prop_assert!((selfs - all.sampled_ms.0).abs() < 0.2, "{selfs} of {:?}", all.sampled_ms);
        for row in &all.heaviest {
            prop_assert!(row.total_ms.0 <= all.sampled_ms.0 + 1e-6 && row.self_ms <= row.total_ms);
        }
        let (before, after) = (of(0.0, cut), of(cut, 1e9));
        prop_assert!((before.sampled_ms.0 + after.sampled_ms.0 - all.sampled_ms.0).abs() < 1e-6);
        // The bars of one depth never overlap.
        let bars = phainon_core::profile::stacks(profile, &load.work);
        for (i, bar) in bars.iter().enumerate() {
            if let Some(next) = bars[i + 1..].iter().find(|b| b.depth == bar.depth) {
                prop_assert!(next.start >= bar.end - Millis(1e-6), "{bar:?} {next:?}");
            }
        }
    }
}
