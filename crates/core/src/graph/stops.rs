//! Where the parser stopped in the document, and when it went on.

use super::Moment;
use super::edge::{Does, SLACK};
use crate::{Millis, Prepared, RenderBlocking, Request, RequestId, ResourceKind, WorkName};

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

impl Parser {
    pub(super) fn of(prepared: &Prepared) -> Self {
        // A sheet in the head lets the parser go on; one in the body does not.
        let stops = |r: &&Request| match (r.kind, r.render_blocking) {
            (ResourceKind::Script, RenderBlocking::Blocking | RenderBlocking::InBodyParserBlocking)
            | (ResourceKind::Style, RenderBlocking::InBodyParserBlocking) => r.main_frame,
            _ => false,
        };
        let released = |r: &Request| {
            let released = prepared.released(r)?;
            let moment = Moment::Released(r.id);
            Some(Stop { place: place(prepared, r), request: Some(r.id), moment, released })
        };
        let mut stops: Vec<Stop> = prepared.load.requests.iter().filter(stops).filter_map(released).collect();
        stops.extend(inline_scripts(prepared));
        stops.sort_by(|a, b| a.released.order(&b.released));
        Self { stops }
    }

    /// The last stop to be released by a moment that stands above a place, or may do so.
    pub(super) fn last_above(&self, below: Option<Place>, by: Millis, but: Option<RequestId>) -> Option<Stop> {
        let counts = |s: &&Stop| {
            s.released <= by + SLACK
                && (but.is_none() || s.request != but)
                && match (s.place, below) {
                    (Some(stop), Some(below)) => above(stop, below),
                    _ => true,
                }
        };
        self.stops.iter().rfind(counts).copied()
    }
}
