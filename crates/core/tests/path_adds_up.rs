//! The promise of the path: its legs follow one another without gap or overlap from navigation
//! start to the paint, whatever the load looks like.

#![allow(clippy::unwrap_used)]

use phainon_core::path::{Leg, path_to_first_paint, path_to_largest};
use phainon_core::{
    Initiator, InitiatorKind, LcpCandidate, Load, Millis, NoBodies, PageFacts, PageImage, PaintKind, Prepared,
    RenderBlocking, Request, RequestId, ResourceKind, TimerInstall, Work, WorkKind, WorkName, analyse, self_times,
};
use proptest::prelude::*;

fn check(legs: &[Leg], paint: Millis) {
    let mut at = Millis::ZERO;
    for leg in legs {
        assert_eq!(leg.from_ms, at, "a gap or overlap before {:?}", leg.fact);
        assert!(leg.to_ms > leg.from_ms, "an empty leg: {:?}", leg.fact);
        at = leg.to_ms;
    }
    assert!((at - paint).0.abs() < 1e-6, "the path ends at {at:?}, the paint is at {paint:?}");
    let sum: Millis = legs.iter().map(Leg::length).sum();
    assert!((sum - paint).0.abs() < 1.0, "legs add up to {sum:?}, not {paint:?}");
}

fn url(n: usize) -> String {
    format!("http://www.skerryline.test/plugins/p{}/f{n}.x", n % 3)
}

fn maybe_time() -> impl Strategy<Value = Option<f64>> {
    prop_oneof![1 => Just(None), 4 => (0.0..9000.0f64).prop_map(Some)]
}

type Times = (f64, Option<f64>, Option<f64>, Option<f64>, Option<f64>, Option<f64>);

fn request(n: usize, count: usize) -> impl Strategy<Value = Request> {
    let times = (0.0..9000.0f64, maybe_time(), maybe_time(), maybe_time(), maybe_time(), maybe_time());
    let kinds = prop::sample::select(vec![
        ResourceKind::Script,
        ResourceKind::Style,
        ResourceKind::Image,
        ResourceKind::Font,
        ResourceKind::Data,
        ResourceKind::Document,
    ]);
    let blocking = prop::sample::select(vec![
        RenderBlocking::Blocking,
        RenderBlocking::InBodyParserBlocking,
        RenderBlocking::NonBlocking,
        RenderBlocking::Unknown,
    ]);
    let from = prop::sample::select(vec![
        InitiatorKind::Parser,
        InitiatorKind::Script,
        InitiatorKind::Style,
        InitiatorKind::Preload,
        InitiatorKind::Redirect,
        InitiatorKind::Unknown,
    ]);
    (times, kinds, blocking, from, 0..count, prop::option::of(0..count), any::<bool>()).prop_map(
        move |(times, kind, blocking, from, by, redirect, sorted)| {
            let (start, connect, connected, sent, first, end): Times = times;
            let mut r =
                Request::new(u32::try_from(n).unwrap(), &url(n), if n == 0 { ResourceKind::Document } else { kind });
            r.start = Millis(if n == 0 { start / 20.0 } else { start });
            // Half of the loads have phases in order, as real ones do; the others have them anyhow.
            let put = |v: Option<f64>| v.map(|v| Millis(if sorted { r.start.0 + v / 9.0 } else { v }));
            (r.connect_start, r.connect_end, r.sent, r.first_byte, r.end) =
                (put(connect), put(connected), put(sent), put(first), put(end));
            r.render_blocking = blocking;
            r.initiator = Initiator {
                kind: from,
                url: Some(url(by).as_str().into()),
                line: None,
                column: None,
                stack: vec![url(by).as_str().into()],
            };
            r.redirected_from = redirect.filter(|f| *f < n).map(|f| RequestId(u32::try_from(f).unwrap()));
            r
        },
    )
}

fn work(count: usize) -> impl Strategy<Value = Vec<Work>> {
    let names = prop::sample::select(vec![
        WorkName::Evaluate,
        WorkName::Call,
        WorkName::Timer,
        WorkName::Event,
        WorkName::ParseHtml,
        WorkName::ParseSheet,
        WorkName::Layout,
    ]);
    prop::collection::vec((0.0..60.0f64, 1.0..400.0f64, names, 0..count, 0i64..4), 0..25).prop_map(|pieces| {
        // Tasks one after another; each holds one piece, and that a smaller one.
        let mut found = Vec::new();
        let mut at = 0.0;
        for (gap, length, name, script, timer) in pieces {
            at += gap;
            let piece = |name, start, duration, depth, url: Option<String>| Work {
                kind: WorkKind::ScriptRun,
                name,
                start: Millis(start),
                duration: Millis(duration),
                depth,
                url: url.map(|u| u.as_str().into()),
                function: None,
                event: Some("DOMContentLoaded".into()),
                timer: Some(timer),
                line: None,
            };
            found.push(piece(WorkName::Task, at, length, 0, None));
            found.push(piece(name, at + 0.1, length * 0.8, 1, Some(url(script))));
            found.push(piece(WorkName::Call, at + 0.2, length * 0.5, 2, Some(url(script))));
            at += length;
        }
        found
    })
}

fn load() -> impl Strategy<Value = Load> {
    (1usize..14).prop_flat_map(|count| {
        let requests: Vec<_> = (0..count).map(|n| request(n, count)).collect();
        let timers = prop::collection::vec((0i64..4, 0.0..5000.0f64), 0..6);
        (requests, work(count), timers, 0.0..9500.0f64, 0..count, any::<bool>(), any::<bool>(), maybe_time()).prop_map(
            move |(requests, work, timers, paint, hero, text, lazy, parsed)| {
                let mut load = Load::empty(&url(0));
                load.end = Millis(10_000.0);
                load.requests = requests;
                load.work = work;
                load.timers = timers
                    .into_iter()
                    .map(|(timer, at)| TimerInstall { timer, at: Millis(at), timeout: Millis(50.0), by: None })
                    .collect();
                load.fcp = Some(Millis(paint * 0.7));
                load.dom_interactive = parsed.map(Millis);
                load.page = Some(PageFacts {
                    images: vec![PageImage { url: url(hero), lazy, ..PageImage::default() }],
                    ..PageFacts::default()
                });
                load.lcp_candidates = vec![LcpCandidate {
                    at: Millis(paint),
                    kind: if text { PaintKind::Text } else { PaintKind::Image },
                    size: 1.0,
                    node: None,
                    url: Some(url(hero)),
                    tag: None,
                    selector: None,
                    snippet: None,
                    rect: None,
                }];
                load
            },
        )
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, ..ProptestConfig::default() })]

    #[test]
    fn of_any_load(load in load()) {
        let prepared = Prepared::plain(load.clone());
        if let Some(legs) = path_to_largest(&prepared) {
            check(&legs, load.lcp_candidates[0].at);
        }
        if let (Some(legs), Some(fcp)) = (path_to_first_paint(&prepared), load.fcp) {
            check(&legs, fcp);
        }
        // Nothing else may panic on it either, and no time is counted twice.
        let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
        if let Some(main) = &analysis.main_thread {
            let by_kind: Millis = main.by_kind_ms.values().copied().sum();
            prop_assert!((by_kind - main.total_ms).0.abs() <= main.total_ms.0 * 0.001 + 1e-6);
        }
        let parts = analysis.lcp.and_then(|l| l.parts);
        if let Some(p) = parts {
            let sum = p.ttfb_ms + p.load_delay_ms + p.load_duration_ms + p.render_delay_ms;
            prop_assert!((sum - load.lcp_candidates[0].at).0.abs() < 1e-6);
        }
    }

    #[test]
    fn self_times_add_up_to_the_tasks(work in work(3)) {
        let own: Millis = self_times(&work).into_iter().sum();
        let tasks: Millis = work.iter().filter(|w| w.depth == 0).map(|w| w.duration).sum();
        prop_assert!((own - tasks).0.abs() < 1e-6);
    }
}

/// A load whose every cause is known by construction: the hero is inserted from a timer that the
/// slider set in its first run, for which it had waited behind a sheet.
#[test]
fn the_legs_of_a_known_load_are_the_known_ones() {
    let mut load = Load::empty("http://www.skerryline.test/");
    let slider = "http://www.skerryline.test/plugins/deck-slider/slider.js";
    let base = "http://www.skerryline.test/base.css";
    let hero = "http://www.skerryline.test/hero.jpg";
    let mut add =
        |id: u32, address: &str, kind, [start, connect, connected, sent, first, end]: [f64; 6], blocking, initiator| {
            let mut r = Request::new(id, address, kind);
            r.start = Millis(start);
            if connected > connect {
                r.connect_start = Some(Millis(connect));
                r.connect_end = Some(Millis(connected));
            }
            (r.sent, r.first_byte, r.end) = (Some(Millis(sent)), Some(Millis(first)), Some(Millis(end)));
            r.render_blocking = blocking;
            r.initiator = initiator;
            load.requests.push(r);
        };
    let parser = || Initiator { kind: InitiatorKind::Parser, ..Initiator::default() };
    let by_slider = Initiator {
        kind: InitiatorKind::Script,
        stack: vec![slider.into()],
        url: Some(slider.into()),
        ..Initiator::default()
    };
    let none = RenderBlocking::NonBlocking;
    add(
        0,
        "http://www.skerryline.test/",
        ResourceKind::Document,
        [10.0, 10.0, 110.0, 110.0, 300.0, 320.0],
        none,
        Initiator { kind: InitiatorKind::Navigation, ..Initiator::default() },
    );
    add(1, base, ResourceKind::Style, [350.0, 0.0, 0.0, 360.0, 460.0, 700.0], RenderBlocking::Blocking, parser());
    add(2, slider, ResourceKind::Script, [350.0, 0.0, 0.0, 360.0, 460.0, 600.0], RenderBlocking::Blocking, parser());
    add(3, hero, ResourceKind::Image, [1050.0, 0.0, 0.0, 1060.0, 1160.0, 2000.0], none, by_slider);
    let piece = |name, start: f64, duration: f64, depth, address: Option<&str>, timer| Work {
        kind: WorkKind::ScriptRun,
        name,
        start: Millis(start),
        duration: Millis(duration),
        depth,
        url: address.map(Into::into),
        function: None,
        event: None,
        timer,
        line: None,
    };
    load.work = vec![
        piece(WorkName::Task, 700.0, 10.0, 0, None, None),
        piece(WorkName::ParseSheet, 700.0, 10.0, 1, Some(base), None),
        piece(WorkName::Task, 710.0, 90.0, 0, None, None),
        piece(WorkName::Evaluate, 710.0, 90.0, 1, Some(slider), None),
        piece(WorkName::Task, 1000.0, 60.0, 0, None, None),
        piece(WorkName::Timer, 1000.0, 60.0, 1, None, Some(7)),
        piece(WorkName::Call, 1000.0, 60.0, 2, Some(slider), None),
    ];
    load.timers = vec![TimerInstall { timer: 7, at: Millis(780.0), timeout: Millis(220.0), by: None }];
    load.lcp_candidates = vec![LcpCandidate {
        at: Millis(2040.0),
        kind: PaintKind::Image,
        size: 1.0,
        node: None,
        url: Some(hero.into()),
        tag: None,
        selector: None,
        snippet: None,
        rect: None,
    }];
    let legs = path_to_largest(&Prepared::plain(load.clone())).expect("there is a largest paint");
    check(&legs, Millis(2040.0));
    let told: Vec<(f64, String)> = legs.iter().map(|l| (l.to_ms.0, format!("{:?}", l.cause))).collect();
    let expected = [
        (10.0, "Navigation"),
        (110.0, "Connect"),
        (300.0, "Wait"),
        (320.0, "Download"),
        (350.0, "Parse"),
        (360.0, "Queue"),
        (460.0, "Wait"),
        (700.0, "Download"),
        (710.0, "Render"),
        (780.0, "Script"),
        (1000.0, "Timer"),
        (1050.0, "Script"),
        (1060.0, "Queue"),
        (1160.0, "Wait"),
        (2000.0, "Download"),
        (2040.0, "Render"),
    ];
    assert_eq!(told, expected.map(|(at, cause)| (at, cause.to_owned())));
    assert_eq!(legs[10].owner.name, "deck-slider");
}
