//! Loads of any shape, consistent or not.

#![allow(clippy::unwrap_used, dead_code)]

use phainon_core::{
    Initiator, InitiatorKind, LayoutShift, LcpCandidate, Load, Millis, PageFacts, PageImage, PaintKind, RenderBlocking,
    Request, RequestId, ResourceKind, TimerInstall, Work, WorkKind, WorkName,
};
use proptest::prelude::*;

/// The address of a file.
pub fn url(n: usize) -> String {
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
    // Few connections, so that requests follow each other on one.
    let way = (prop::option::of(1u64..4), prop::option::of(any::<bool>()));
    (times, kinds, blocking, from, 0..count, prop::option::of(0..count), any::<bool>(), way).prop_map(
        move |(times, kind, blocking, from, by, redirect, sorted, (connection, urgent))| {
            let (start, connect, connected, sent, first, end): Times = times;
            let mut r =
                Request::new(u32::try_from(n).unwrap(), &url(n), if n == 0 { ResourceKind::Document } else { kind });
            r.start = Millis(if n == 0 { start / 20.0 } else { start });
            // Half of the loads have phases in order, as real ones do; the others have them anyhow.
            let put = |v: Option<f64>| v.map(|v| Millis(if sorted { r.start.0 + v / 9.0 } else { v }));
            (r.connect_start, r.connect_end, r.sent, r.first_byte, r.end) =
                (put(connect), put(connected), put(sent), put(first), put(end));
            r.connection = connection;
            r.priority = urgent.map(|urgent| if urgent { "High" } else { "Low" }.to_owned());
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

/// Tasks one after the other.
pub fn work(count: usize) -> impl Strategy<Value = Vec<Work>> {
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

/// A load of up to fourteen requests and some work.
pub fn load() -> impl Strategy<Value = Load> {
    (1usize..14).prop_flat_map(|count| {
        let requests: Vec<_> = (0..count).map(|n| request(n, count)).collect();
        let timers = prop::collection::vec((0i64..4, 0.0..5000.0f64), 0..6);
        (requests, work(count), timers, 0.0..9500.0f64, 0..count, any::<bool>(), any::<bool>(), maybe_time()).prop_map(
            move |(requests, work, timers, paint, hero, text, lazy, parsed)| {
                let mut load = Load::empty(&url(0));
                load.end = Millis(10_000.0);
                load.requests = requests;
                let shift = |at| LayoutShift { at, score: 0.01, inner: false, had_recent_input: false, moved: vec![] };
                load.shifts = work.iter().filter(|w| w.depth == 0).map(|w| shift(w.end())).collect();
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
                    fonts: None,
                    animated: Vec::new(),
                    words: None,
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
