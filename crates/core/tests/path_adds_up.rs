//! The promise of the path: its legs follow one another without gap or overlap from navigation
//! start to the paint, whatever the load looks like.

#![allow(clippy::unwrap_used)]

mod any_load;

use any_load::{load, work};
use phainon_core::path::{Leg, path_to_first_paint, path_to_largest};
use phainon_core::{
    Initiator, InitiatorKind, LcpCandidate, Load, Millis, NoBodies, PaintKind, Prepared, RenderBlocking, Request,
    ResourceKind, TimerInstall, Work, WorkKind, WorkName, analyse, self_times,
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
        fonts: None,
        animated: Vec::new(),
        words: None,
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
