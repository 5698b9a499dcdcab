//! Where the parser stopped in the document, and when it went on.

use super::busy::is_in_style;
use super::edge::{Does, SLACK};
use super::{About, Cause, Edge, Fill, Graph, LegFact, Moment};
use crate::{Millis, Prepared, RenderBlocking, Request, RequestId, ResourceKind, Standing, WorkName};

/// Where something stands in the document: line and column.
pub(super) type Place = (u32, Option<u32>);

/// A stop of the parser.
#[derive(Debug, Clone, Copy)]
pub(super) struct Stop {
    pub place: Option<Place>,
    /// The script or sheet, where it is a file; inline scripts stop the parser as well.
    pub request: Option<RequestId>,
    /// The moment at which the parser went on.
    pub moment: Moment,
    /// When that was.
    pub released: Millis,
}

/// The parser's stops, in order of their release.
#[derive(Debug, Default)]
pub(super) struct Parser {
    pub stops: Vec<Stop>,
}

/// Where the tag that asked for a request stands in the main document, as far as that is told. What style found has none:
/// the line that the browser tells of it is where the parser stood meanwhile.
pub(super) fn place(prepared: &Prepared, request: &Request) -> Option<Place> {
    let by = &request.initiator;
    let here = by.url.as_deref() == prepared.load.document().map(|d| &*d.url);
    let may_be = matches!(request.kind, ResourceKind::Image | ResourceKind::Font);
    let line = by.line.filter(|_| here && !(may_be && is_in_style(&prepared.load, request.start)));
    line.map(|line| (line, by.column))
}

/// Whether the tag of a request is known to stand below another's.
pub(crate) fn stands_below(prepared: &Prepared, request: &Request, than: &Request) -> bool {
    place(prepared, request).zip(place(prepared, than)).is_some_and(|(own, other)| above(other, own))
}

/// Whether one place stands above another; places that are not told apart are not.
pub(super) fn above((line, column): Place, (below, at): Place) -> bool {
    line < below || line == below && column.zip(at).is_some_and(|(column, at)| column < at)
}

/// Whether one place may stand above another. Of code inside the document the line alone is told, and a page may be
/// one line; what has been done with by a moment then tells the rest.
pub(super) fn may_be_above((line, column): Place, (below, at): Place) -> bool {
    line < below || line == below && column.zip(at).is_none_or(|(column, at)| column < at)
}

/// Runs of inline scripts while the document was being parsed. One may have waited for the sheets above it
/// (HTML, section 4.12.1.1), and the parser with it.
fn inline_scripts(prepared: &Prepared) -> Vec<Stop> {
    let Some(document) = prepared.load.document() else { return Vec::new() };
    let parsed = prepared.load.dom_interactive.unwrap_or(Millis(f64::INFINITY));
    let runs = prepared.load.work.iter().enumerate().filter(|(_, w)| {
        w.name == WorkName::Evaluate && w.url.as_ref() == Some(&document.url) && w.end() <= parsed + SLACK
    });
    let stop = |(run, work): (usize, &crate::Work)| Stop {
        place: work.line.map(|line| (line, None)),
        request: None,
        moment: Moment::Inside(run, Does::Provides),
        released: work.end(),
    };
    runs.map(stop).collect()
}

/// When the sheets came into force that block rendering and stand above a script, or a sheet in the body: the parser is
/// held there until they all are.
fn held_above<'p>(prepared: &'p Prepared, held: &Request) -> impl Iterator<Item = (Millis, RequestId)> + use<'p> {
    let below = place(prepared, held);
    let holds = move |r: &&Request| {
        r.kind == ResourceKind::Style
            && r.render_blocking == RenderBlocking::Blocking
            && r.main_frame
            && place(prepared, r).zip(below).is_none_or(|(own, below)| may_be_above(own, below))
    };
    let sheets = prepared.load.requests.iter().filter(holds);
    sheets.filter_map(|r| Some((prepared.released(r)?, r.id)))
}

impl Graph<'_> {
    /// Whether the parser waits for what blocks rendering: for a script, and for a sheet above code inside the
    /// document, which waits for it.
    pub(crate) fn holds_parser(&self, request: &Request) -> bool {
        let here = place(self.prepared, request);
        let below = |stop: &Stop| match (here, stop.place) {
            (Some(own), Some(stop)) => may_be_above(own, stop),
            _ => true,
        };
        match request.kind {
            ResourceKind::Script => request.main_frame && request.render_blocking.held_up(),
            ResourceKind::Style => {
                let by = self.prepared.released(request).unwrap_or_default();
                self.parser.stops.iter().any(|s| s.request.is_none() && s.released >= by && below(s))
            }
            _ => false,
        }
    }

    /// Whether the largest element is known to stand above a file's tag.
    pub(crate) fn largest_stands_above(&self, request: &Request) -> bool {
        let largest = self.load.largest_stands.and_then(Standing::places);
        largest.zip(place(self.prepared, request)).is_some_and(|([_, last], tag)| above(last, tag))
    }

    /// The parser went on past a sheet in the body, or a script of which nothing ran: that was there, and the sheets above
    /// it in force.
    pub(super) fn passed(&self, id: RequestId) -> Vec<Edge> {
        let Some(held) = self.load.request(id) else { return Vec::new() };
        let own = self.prepared.released(held).map(|at| (at, id));
        let edge = |(at, id)| {
            let edge = Edge::new(Moment::Released(id), at, Cause::Parse, About::Browser, LegFact::ParsedOn);
            edge.filled(Fill::Thread)
        };
        own.into_iter().chain(held_above(self.prepared, held)).map(edge).collect()
    }
}

impl Parser {
    pub(super) fn of(prepared: &Prepared) -> Self {
        // A sheet in the head lets the parser go on; one in the body does not.
        let stops = |r: &&Request| match (r.kind, r.render_blocking) {
            (ResourceKind::Script, blocking) => r.main_frame && blocking.held_up(),
            (ResourceKind::Style, RenderBlocking::InBodyParserBlocking) => r.main_frame,
            _ => false,
        };
        let parsed = prepared.load.dom_interactive.unwrap_or(Millis(f64::INFINITY));
        let released = |r: &Request| {
            let own = prepared.released(r)?;
            // A script that failed or is empty waits for sheets as others do, though no run of it tells that.
            let tells = r.kind == ResourceKind::Script && prepared.first_use(r).is_some();
            let held = held_above(prepared, r).map(|(at, _)| at).reduce(Millis::max).filter(|_| !tells);
            let (moment, released) = match held.filter(|at| *at > own && *at <= parsed) {
                Some(at) => (Moment::Passed(r.id), at),
                None => (Moment::Released(r.id), own),
            };
            Some(Stop { place: place(prepared, r), request: Some(r.id), moment, released })
        };
        let mut stops: Vec<Stop> = prepared.load.requests.iter().filter(stops).filter_map(released).collect();
        // What leaves no run of its own, as an empty or a failed script, did not stop the parser where that was held
        // above it for longer.
        let all = stops.clone();
        let held_longer = |stop: &Stop| {
            let Some(place) = stop.place else { return false };
            all.iter().any(|s| s.released > stop.released && s.place.is_some_and(|other| above(other, place)))
        };
        let ran = |stop: &Stop| {
            let request = stop.request.and_then(|id| prepared.load.request(id));
            request.is_some_and(|r| r.kind == ResourceKind::Style || prepared.first_use(r).is_some())
        };
        stops.retain(|stop| ran(stop) || !held_longer(stop));
        stops.extend(inline_scripts(prepared));
        stops.sort_by(|a, b| a.released.order(&b.released));
        Self { stops }
    }

    /// The stop at a request's tag.
    pub(super) fn at(&self, request: RequestId) -> Option<Stop> {
        self.stops.iter().find(|stop| stop.request == Some(request)).copied()
    }

    /// The last stop to be released by a moment that stands above a place, or may do so, other than a request's.
    pub(super) fn last_above(&self, below: Option<Place>, by: Millis, but: Option<RequestId>) -> Option<Stop> {
        self.last(below, by, |stop| but.is_none() || stop.request != but)
    }

    /// The same, other than at code inside the document.
    pub(super) fn last_above_code(&self, below: Option<Place>, by: Millis, code: Moment) -> Option<Stop> {
        self.last(below, by, |stop| stop.moment != code)
    }

    fn last(&self, below: Option<Place>, by: Millis, counts: impl Fn(&Stop) -> bool) -> Option<Stop> {
        let is_above = |s: &Stop| match (s.place, below) {
            (Some(stop), Some(below)) => may_be_above(stop, below),
            _ => true,
        };
        self.stops.iter().rfind(|s| s.released <= by + SLACK && is_above(s) && counts(s)).copied()
    }
}
