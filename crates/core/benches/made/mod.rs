//! Loads of any size, made by rule.

#![allow(dead_code)]

use phainon_core::profile::{CodePlace, Profile, ProfileNode};
use phainon_core::{
    Bytes, Initiator, InitiatorKind, LcpCandidate, Load, Millis, PaintKind, RenderBlocking, Request, ResourceKind,
    Work, WorkKind, WorkName,
};

/// A load of so many requests and pieces of work.
pub fn load(requests: u32, tasks: u32) -> Load {
    let mut load = Load::empty("http://www.skerryline.test/");
    load.fcp = Some(Millis(900.0));
    load.end = Millis(9000.0);
    for id in 0..requests {
        let (name, kind) = if id == 0 {
            ("http://www.skerryline.test/".to_owned(), ResourceKind::Document)
        } else {
            (format!("http://www.skerryline.test/plugins/p{}/f{id}.js", id % 20), ResourceKind::Script)
        };
        let mut r = Request::new(id, &name, kind);
        r.start = Millis(f64::from(id) * 2.0);
        r.sent = Some(r.start);
        r.first_byte = Some(r.start + Millis(50.0));
        r.end = Some(r.start + Millis(90.0));
        r.transferred = Some(Bytes(20_000));
        r.render_blocking = if id % 9 == 1 { RenderBlocking::Blocking } else { RenderBlocking::NonBlocking };
        r.initiator = Initiator { kind: InitiatorKind::Parser, ..Initiator::default() };
        load.requests.push(r);
    }
    for n in 0..tasks {
        let start = f64::from(n) * 8000.0 / f64::from(tasks);
        let url = format!("http://www.skerryline.test/plugins/p{}/f{}.js", n % 20, n % requests.max(1));
        for (depth, name) in [(0, WorkName::Task), (1, WorkName::Call)] {
            load.work.push(Work {
                kind: WorkKind::ScriptRun,
                name,
                start: Millis(start),
                duration: Millis(0.5),
                depth,
                url: (depth > 0).then(|| url.as_str().into()),
                function: None,
                event: None,
                timer: None,
                line: None,
            });
        }
    }
    load.lcp_candidates.push(LcpCandidate {
        fonts: None,
        animated: Vec::new(),
        words: None,
        at: Millis(2500.0),
        kind: PaintKind::Text,
        size: 1.0,
        node: None,
        url: None,
        tag: None,
        selector: None,
        snippet: None,
        rect: None,
    });
    load
}

/// So many modules, each of which imports three more, all run in one task once the last is there.
pub fn modules(count: u32) -> Load {
    let mut load = load(count + 1, 0);
    let urls: Vec<_> = load.requests.iter().map(|r| r.url.clone()).collect();
    // The first is the document's own.
    for id in 2..urls.len() {
        let by = urls[(id + 1) / 3].clone();
        load.requests[id].initiator = Initiator { kind: InitiatorKind::Script, url: Some(by), ..Initiator::default() };
    }
    let from = load.requests.iter().filter_map(|r| r.end).fold(Millis::ZERO, Millis::max) + Millis(1.0);
    let mut piece = |name, depth, start, duration: f64, url| {
        let mut work = Work::new(WorkKind::ScriptRun, name);
        (work.start, work.duration, work.depth, work.url) = (start, Millis(duration), depth, url);
        load.work.push(work);
    };
    piece(WorkName::Task, 0, from, f64::from(count) * 0.3, None);
    // What is imported runs first.
    for (place, url) in (0..count).zip(urls.iter().skip(1).rev()) {
        piece(WorkName::Evaluate, 1, from + Millis(f64::from(place) * 0.3), 0.25, Some(url.clone()));
    }
    load
}

/// A load over six connections of HTTP/1.1: each request has the one that is free next, for 90 ms.
pub fn in_turns(mut load: Load) -> Load {
    let mut free = [0.0f64; 6];
    for request in &mut load.requests {
        let Some((turn, at)) = free.iter_mut().zip(1u64..).min_by(|a, b| a.0.total_cmp(b.0)) else {
            continue;
        };
        let sent = turn.max(request.start.0);
        request.connection = Some(at);
        request.sent = Some(Millis(sent));
        request.first_byte = Some(Millis(sent + 50.0));
        request.end = Some(Millis(sent + 90.0));
        *turn = sent + 90.0;
    }
    load
}

/// The same with a run of the first script at its end, in which every other one of so many samples sees the second.
pub fn called_back(mut load: Load, samples: u32) -> Load {
    let url = |id: usize| load.requests[id].url.clone();
    let place = |id: usize| CodePlace { function: "f".into(), url: Some(url(id)), line: Some(1) };
    let places = vec![place(1), place(2)];
    let nodes = vec![ProfileNode { place: 0, parent: None }, ProfileNode { place: 1, parent: Some(0) }];
    let at = (0..samples).map(|n| Millis(8100.0 + f64::from(n) * 0.04)).collect();
    let run = |depth, name, url| Work {
        start: Millis(8100.0),
        duration: Millis(f64::from(samples) * 0.04),
        depth,
        url,
        ..Work::new(WorkKind::ScriptRun, name)
    };
    let work = [run(0, WorkName::Task, None), run(1, WorkName::Call, Some(url(1)))];
    load.profile = Some(Profile { places, nodes, at, node: (0..samples).map(|n| n % 2).collect() });
    load.work.extend(work);
    load
}
