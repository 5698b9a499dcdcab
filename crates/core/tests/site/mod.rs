//! A page under construction, for loads whose every time is known.

#![allow(clippy::unwrap_used, dead_code)]

use phainon_core::forecast::{Forecast, Model};
use phainon_core::metrics::Metric;
use phainon_core::path::path_to_largest;
use phainon_core::profile::{CodePlace, Profile, ProfileNode};
use phainon_core::{
    Bytes, Edit, FontDisplay, Initiator, InitiatorKind, LcpCandidate, Load, Millis, NoBodies, PageChange, PaintKind,
    Prepared, RenderBlocking, Request, ResourceKey, ResourceKind, TextFont, Work, WorkKind, WorkName,
};
use std::sync::Arc;

/// The page's address.
pub const PAGE: &str = "http://www.skerryline.test/";

/// The address of one of its files.
pub fn at(path: &str) -> String {
    format!("http://www.skerryline.test/{path}")
}

/// A page under construction: its document comes between 100 and 200 ms.
pub struct Site(pub Load);

impl Site {
    pub fn new() -> Self {
        let mut site = Self(Load::empty(PAGE));
        site.0.end = Millis(9000.0);
        let document = site.asks("", ResourceKind::Document, [0.0, 0.0, 100.0, 200.0]);
        document.initiator = Initiator { kind: InitiatorKind::Navigation, ..Initiator::default() };
        site
    }

    /// A request that the parser found: asked, sent, first byte, end.
    pub fn asks(&mut self, path: &str, kind: ResourceKind, [start, sent, first, end]: [f64; 4]) -> &mut Request {
        let id = u32::try_from(self.0.requests.len()).unwrap();
        let mut request = Request::new(id, &at(path), kind);
        request.start = Millis(start);
        (request.sent, request.first_byte, request.end) = (Some(Millis(sent)), Some(Millis(first)), Some(Millis(end)));
        request.transferred = Some(Bytes(12_000));
        request.render_blocking = RenderBlocking::NonBlocking;
        request.initiator = Initiator { kind: InitiatorKind::Parser, url: Some(PAGE.into()), ..Initiator::default() };
        self.0.requests.push(request);
        self.0.requests.last_mut().unwrap()
    }

    pub fn works(&mut self, name: WorkName, depth: u16, [start, end]: [f64; 2], path: Option<&str>) -> &mut Work {
        let kind = match name {
            WorkName::Layout => WorkKind::Layout,
            WorkName::ParseSheet | WorkName::Style => WorkKind::Style,
            WorkName::Task => WorkKind::Other,
            WorkName::PrePaint | WorkName::Paint => WorkKind::Paint,
            WorkName::ParseHtml => WorkKind::HtmlParse,
            _ => WorkKind::ScriptRun,
        };
        self.0.work.push(Work {
            start: Millis(start),
            duration: Millis(end - start),
            depth,
            url: path.map(|p| at(p).as_str().into()),
            ..Work::new(kind, name)
        });
        self.0.work.last_mut().unwrap()
    }

    /// A task that is one run of a script.
    pub fn runs(&mut self, name: WorkName, span: [f64; 2], path: &str) -> &mut Work {
        self.works(WorkName::Task, 0, span, None);
        self.works(name, 1, span, Some(path))
    }

    /// The main thread draws a frame.
    pub fn draws(&mut self, [start, end]: [f64; 2]) {
        self.works(WorkName::Task, 0, [start, end], None);
        self.works(WorkName::Layout, 1, [start, (start + end) / 2.0], None);
        self.works(WorkName::Paint, 1, [(start + end) / 2.0, end], None);
    }

    /// A change of the page by a script, for which style was computed anew.
    pub fn changes(&mut self, ms: f64, path: &str) {
        let url = Some(at(path).as_str().into());
        self.0.changes.push(PageChange { at: Millis(ms), by: CodePlace { function: "f".into(), url, line: Some(1) } });
    }

    /// The profiler's samples: when, and one function of each of these scripts on the stack, outermost first.
    pub fn sees(&mut self, seen: &[(f64, &[&str])]) {
        let mut profile = Profile::default();
        for (ms, stack) in seen {
            let mut parent = None;
            for path in *stack {
                let url = Some(at(path).as_str().into());
                let own = CodePlace { function: "f".into(), url, line: Some(1) };
                let place = profile.places.iter().position(|p| *p == own).unwrap_or(profile.places.len());
                if place == profile.places.len() {
                    profile.places.push(own);
                }
                let own = ProfileNode { place: u32::try_from(place).unwrap(), parent };
                let node = profile.nodes.iter().position(|n| *n == own).unwrap_or(profile.nodes.len());
                if node == profile.nodes.len() {
                    profile.nodes.push(own);
                }
                parent = u32::try_from(node).ok();
            }
            profile.at.push(Millis(*ms));
            profile.node.push(parent.unwrap());
        }
        self.0.profile = Some(profile);
    }

    pub fn paints(&mut self, ms: f64, path: Option<&str>) {
        self.0.lcp_candidates = vec![LcpCandidate {
            fonts: None,
            animated: Vec::new(),
            words: None,
            at: Millis(ms),
            kind: if path.is_some() { PaintKind::Image } else { PaintKind::Text },
            size: 9_000.0,
            node: None,
            url: path.map(at),
            tag: None,
            selector: None,
            snippet: None,
            rect: None,
        }];
    }
}

/// Asked for by scripts, innermost first.
pub fn script(stack: &[&str]) -> Initiator {
    let stack: Vec<_> = stack.iter().map(|p| at(p).as_str().into()).collect();
    Initiator { kind: InitiatorKind::Script, url: stack.first().cloned(), line: Some(1), column: None, stack }
}

/// How long the path to the largest paint gives to a file or script, by its name.
pub fn given(site: &Site, name: &str) -> f64 {
    let path = path_to_largest(&Prepared::plain(site.0.clone())).unwrap();
    let its = path.iter().filter(|leg| leg.url.as_deref().is_some_and(|url| url.ends_with(&format!("/{name}"))));
    its.map(|leg| leg.length().0).sum()
}

/// A page of which a frame with all that the document brings was drawn at 215 ms.
pub fn drawn() -> Site {
    let mut site = Site::new();
    site.draws([205.0, 215.0]);
    site.0.fcp = Some(Millis(230.0));
    site.0.dom_interactive = Some(Millis(203.0));
    site
}

/// A run that puts words in, and the paint of those.
pub fn shows(site: &mut Site, name: WorkName, from: f64, path: &str) {
    site.runs(name, [from, from + 5.0], path);
    site.changes(from + 4.0, path);
    site.draws([from + 6.0, from + 12.0]);
    site.paints(from + 25.0, None);
}

/// A file, as edits name it.
pub fn file(name: &str) -> ResourceKey {
    ResourceKey::of(&at(name))
}

/// What a load would be with edits; without any it comes back as it was.
pub fn forecast(site: &Site, edits: &[Edit]) -> Forecast {
    let prepared = Arc::new(Prepared::plain(site.0.clone()));
    let model = Model::of(&prepared);
    assert!(model.astray() < 0.01, "{} ms astray", model.astray());
    model.forecast(edits, &NoBodies)
}

/// By how much a metric changes.
pub fn change(forecast: &Forecast, metric: Metric) -> f64 {
    assert_eq!(forecast.left_out, []);
    forecast.after.value(metric).unwrap() - forecast.before.value(metric).unwrap()
}

/// To within what drawing a frame takes.
pub fn near(value: f64, expected: f64) {
    assert!((value - expected).abs() < 12.0, "{value}, expected {expected}");
}

/// Has a request block rendering, by a tag of a line.
pub fn blocking(request: &mut Request, line: u32) {
    request.render_blocking = RenderBlocking::Blocking;
    request.initiator.line = Some(line);
    request.initiator.column = Some(1);
}

/// A file's server answers at once.
pub fn at_once(name: &str) -> [Edit; 1] {
    [Edit::FasterResponse { file: file(name), to: Some(Millis(0.0)) }]
}

/// Text in a font that is asked for when two seconds have passed, and comes some time later: with it, the text is drawn.
pub fn font_asked_for_late(display: FontDisplay) -> Site {
    let mut site = Site::new();
    let font = site.asks("words.woff2", ResourceKind::Font, [2100.0, 2101.0, 3000.0, 3010.0]);
    font.initiator.kind = InitiatorKind::Style;
    site.draws([2090.0, 2120.0]);
    site.draws([3012.0, 3020.0]);
    site.paints(3040.0, None);
    site.0.fcp = Some(Millis(2140.0));
    site.0.lcp_candidates[0].fonts = Some(vec![TextFont::of(&at("words.woff2"), display)]);
    site
}
