//! Where the parser stopped in the document, and when it went on.

use crate::{Millis, Prepared, RenderBlocking, Request, RequestId, ResourceKind};

use super::edge::SLACK;

/// Where something stands in the document: line and column.
pub(super) type Place = (u32, Option<u32>);

/// A stop of the parser.
#[derive(Debug, Clone, Copy)]
pub(super) struct Stop {
    pub place: Option<Place>,
    pub request: RequestId,
    /// When the parser went on.
    pub released: Millis,
}

/// The parser's stops, in order of their release.
#[derive(Debug, Default)]
pub(super) struct Parser {
    pub stops: Vec<Stop>,
}

/// Where the tag that asked for a request stands in the main document, as far as that is told.
pub(super) fn place(prepared: &Prepared, request: &Request) -> Option<Place> {
    let by = &request.initiator;
    let here = by.url.as_deref() == prepared.load.document().map(|d| &*d.url);
    by.line.filter(|_| here).map(|line| (line, by.column))
}

/// Whether one place stands above another; places that are not told apart are not.
pub(super) fn above((line, column): Place, (below, at): Place) -> bool {
    line < below || line == below && column.zip(at).is_some_and(|(column, at)| column < at)
}

impl Parser {
    pub(super) fn of(prepared: &Prepared) -> Self {
        let stops = |r: &&Request| {
            let blocks = matches!(r.render_blocking, RenderBlocking::Blocking | RenderBlocking::InBodyParserBlocking);
            blocks && r.main_frame && r.kind == ResourceKind::Script
        };
        let released = |r: &Request| {
            let released = prepared.released(r)?;
            Some(Stop { place: place(prepared, r), request: r.id, released })
        };
        let mut stops: Vec<Stop> = prepared.load.requests.iter().filter(stops).filter_map(released).collect();
        stops.sort_by(|a, b| a.released.order(&b.released));
        Self { stops }
    }

    /// The last stop to be released by a moment that stands above a place, or may do so.
    pub(super) fn last_above(&self, below: Option<Place>, by: Millis, but: Option<RequestId>) -> Option<Stop> {
        let counts = |s: &&Stop| {
            s.released <= by + SLACK
                && Some(s.request) != but
                && match (s.place, below) {
                    (Some(stop), Some(below)) => above(stop, below),
                    _ => true,
                }
        };
        self.stops.iter().rfind(counts).copied()
    }
}
