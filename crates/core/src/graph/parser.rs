//! The parser as a thread through the document (HTML, sections 4.12.1.1 and 13.2.6.4): it stops at each
//! script that is neither `async` nor `defer` until that has run, and at each sheet in the body until that is in
//! force, and reaches what stands below only then,
//! however early the preload scanner fetched it.

use super::stops::{Stop, place};
use super::{About, Cause, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::{Millis, Request, ResourceKind};

/// Asked for so soon after the parser went on, it was what the parser reached.
pub(super) const REACHED: Millis = Millis(30.0);
/// Asked for so soon after bytes of the document came, it was the preload scanner that found it.
const SCANNED: Millis = Millis(8.0);

impl Graph<'_> {
    /// What the parser or the preload scanner found: the scanner needs the bytes alone, the parser must
    /// have been let go by the scripts above.
    pub(super) fn found_in_document(&self, request: &Request) -> Vec<Edge> {
        if let Some(frame) = self.inner_document(request.initiator.url.as_ref(), request) {
            let fact = LegFact::ParserReaches { file: request.url.clone() };
            let frame_answered = self.load.request(frame).and_then(|f| f.first_byte).unwrap_or(request.start);
            return vec![Edge::new(
                Moment::Answered(frame),
                frame_answered.min(request.start),
                Cause::Parse,
                About::Request(frame),
                fact,
            )];
        }
        let Some(document) = self.load.document() else { return Vec::new() };
        let part = self.last_part(document, request.start);
        let stop = self.parser.last_above(place(self.prepared, request), request.start, Some(request.id));
        let scanned = part.is_some_and(|part| request.start - part <= SCANNED);
        if let Some(stop) = stop.filter(|s| !scanned && request.start - s.released <= REACHED)
            && part.is_none_or(|part| part < stop.released)
        {
            return vec![self.parser_reaches(stop, request)];
        }
        let about = About::Request(document.id);
        let at = part.unwrap_or(request.start);
        vec![Edge::new(Moment::Document, at, Cause::Parse, about, LegFact::Read).filled(Fill::Thread)]
    }

    /// What the parser alone finds, and no scanner ahead of it, as an inner frame: it has the bytes, and was let go by
    /// all that stands above.
    pub(super) fn reached_in_document(&self, request: &Request) -> Vec<Edge> {
        let mut edges = self.found_in_document(request);
        let place = place(self.prepared, request);
        if let Some(stop) = place.and_then(|place| self.parser.last_above(Some(place), request.start, Some(request.id)))
        {
            edges.push(self.parser_reaches(stop, request));
        }
        edges
    }

    pub(super) fn parser_reaches(&self, stop: Stop, request: &Request) -> Edge {
        let fact = LegFact::ParserReaches { file: request.url.clone() };
        let about = About::Browser;
        Edge::new(stop.moment, stop.released, Cause::Parse, about, fact).filled(Fill::Thread)
    }

    /// Reading on needs bytes, and the stops above to have been let go.
    pub(super) fn reads_on(&self, index: usize) -> Vec<Edge> {
        let began = self.work(index).start;
        let Some(document) = self.load.document() else { return Vec::new() };
        let about = || About::Request(document.id);
        // Where a trace does not tell whose document is read: once the page's is parsed, that of an inner frame.
        if self.load.dom_interactive.is_some_and(|parsed| began > parsed + SLACK)
            && self.inner_document_by(began).is_some()
        {
            return self.reads_frame(index);
        }
        let read = |from, at| Edge::new(from, at, Cause::Parse, about(), LegFact::Read).filled(Fill::Thread);
        let mut edges = Vec::new();
        if let Some(part) = self.last_part(document, began) {
            edges.push(read(Moment::Document, part));
        }
        if let Some(stop) = self.parser.last_above(None, began, None) {
            edges.push(read(stop.moment, stop.released));
        }
        edges
    }

    /// The document of an inner frame is read once its bytes are there, and a picture in vectors when it is whole.
    pub(super) fn reads_frame(&self, index: usize) -> Vec<Edge> {
        let began = self.work(index).start;
        let drawn = |r: &Request| r.kind == ResourceKind::Image && !crate::body::has_pixels(r);
        let picture = self.last_done(began, drawn).map(|(at, id)| (at, Moment::Done(id), id));
        let there = picture.into_iter().chain(self.inner_document_by(began)).max_by(|a, b| a.0.order(&b.0));
        let edge = |(at, moment, id)| Edge::new(moment, at, Cause::Parse, About::Request(id), LegFact::Read);
        there.map(|told| edge(told).filled(Fill::Thread)).into_iter().collect()
    }

    /// The parser's end needs the document's last byte, and every script that stops it.
    pub(super) fn parser_end(&self, by: Millis) -> Vec<Edge> {
        let Some(document) = self.load.document() else { return Vec::new() };
        let mut edges = Vec::new();
        if let Some(end) = document.end.filter(|end| *end <= by) {
            let about = About::Request(document.id);
            edges.push(
                Edge::new(Moment::Done(document.id), end, Cause::Parse, about, LegFact::Read).filled(Fill::Thread),
            );
        }
        if let Some(stop) = self.parser.last_above(None, by, None) {
            let edge = Edge::new(stop.moment, stop.released, Cause::Parse, About::Browser, LegFact::ParsedOn);
            edges.push(edge.filled(Fill::Thread));
        }
        edges
    }
}
