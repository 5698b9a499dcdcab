//! Edges of the document's own bytes: read as they come (HTML, section 13.2.3).

use super::{About, Cause, Edge, Fill, Graph, LegFact, Moment};
use crate::{Millis, Request, RequestId};
use std::sync::Arc;

impl Graph<'_> {
    pub(super) fn is_document(&self, id: RequestId) -> bool {
        self.load.document().is_some_and(|d| d.id == id)
    }

    /// The bytes of the document that were there by a moment.
    pub(super) fn document_by(&self, by: Millis) -> Vec<Edge> {
        let Some(document) = self.load.document() else { return Vec::new() };
        let about = || About::Request(document.id);
        if let Some(end) = document.end.filter(|end| *end < by) {
            return vec![
                Edge::new(Moment::Done(document.id), end, Cause::Parse, about(), LegFact::Read).filled(Fill::Thread),
            ];
        }
        let Some(first) = document.final_headers.or(document.first_byte) else { return self.answered(document.id) };
        let fact = LegFact::Arrives { bytes: document.transferred };
        let edge = Edge::new(Moment::Answered(document.id), first, Cause::Download, about(), fact);
        vec![edge.filled(Fill::Line(document.id))]
    }

    /// When the last bytes of the document came that were there by a moment; where its parts were not
    /// observed, it came all the while.
    pub(super) fn last_part(&self, document: &Request, by: Millis) -> Option<Millis> {
        if document.parts.is_empty() {
            return Some(document.end.map_or(by, |end| end.min(by)));
        }
        document.parts.iter().rev().map(|p| p.at).find(|at| *at <= by)
    }

    /// When the last bytes of the main document came that were there by a moment.
    pub(crate) fn read_by_then(&self, by: Millis) -> Option<Millis> {
        self.last_part(self.load.document()?, by)
    }

    /// An edge back to the end of the document, as the earliest thing that is known to be needed.
    pub(super) fn back_to_document(&self, cause: Cause, fact: LegFact) -> Vec<Edge> {
        let Some(document) = self.load.document() else { return Vec::new() };
        let Some(end) = document.end.or(document.first_byte) else { return Vec::new() };
        vec![Edge::new(Moment::Document, end, cause, About::Browser, fact).filled(Fill::Thread)]
    }

    /// The last document of an inner frame that was there, or began to be, by a moment.
    pub(super) fn inner_document_by(&self, by: Millis) -> Option<(Millis, Moment, RequestId)> {
        let inner = |r: &&Request| r.kind == crate::ResourceKind::Document && !r.main_frame;
        let there = |r: &Request| match (r.end.filter(|end| *end <= by), r.first_byte.filter(|at| *at <= by)) {
            (Some(end), _) => Some((end, Moment::Done(r.id), r.id)),
            (None, first) => Some((first?, Moment::Answered(r.id), r.id)),
        };
        self.load.requests.iter().filter(inner).filter_map(there).max_by(|a, b| a.0.order(&b.0))
    }

    /// The document that named something, where that is one of another frame.
    pub(super) fn inner_document(&self, url: Option<&Arc<str>>, asked: &Request) -> Option<RequestId> {
        let document = self.load.document().map(|d| d.id);
        let frame = self.load.requests.iter().rev().find(|r| {
            Some(&r.url) == url
                && Some(r.id) != document
                && r.kind == crate::ResourceKind::Document
                && r.id != asked.id
                && r.start <= asked.start
        });
        frame.map(|r| r.id)
    }
}
