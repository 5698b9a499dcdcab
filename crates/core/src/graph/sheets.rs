//! A sheet in force (HTML, section 4.6.7.7): it needs its bytes, and the parser to have reached its tag,
//! however early the preload scanner fetched it.

use super::stops::place;
use super::{About, Cause, Code, Edge, Fill, Graph, HandedOver, LegFact, Moment};
use crate::{InitiatorKind, Request, ResourceKind};

impl Graph<'_> {
    /// The request of a sheet that is parsed in a piece of work.
    fn sheet_of(&self, index: usize) -> Option<&Request> {
        let work = self.work(index);
        let url = work.url.as_ref()?;
        self.prepared.all_for(url).rfind(|r| r.kind == ResourceKind::Style && r.start <= work.start)
    }

    /// Parsing a sheet needs its bytes and the parser at its tag.
    pub(super) fn sheet_parse(&self, index: usize) -> Vec<Edge> {
        let began = self.work(index).start;
        let Some(sheet) = self.sheet_of(index) else { return self.document_by(began) };
        let mut edges = Vec::new();
        let by_parser = matches!(sheet.initiator.kind, InitiatorKind::Parser | InitiatorKind::Preload);
        if by_parser
            && let Some(stop) = self.parser.last_above(place(self.prepared, sheet), began, Some(sheet.id))
            && sheet.main_frame
        {
            edges.push(self.parser_reaches(stop, sheet));
        }
        if let Some(end) = sheet.end {
            let fact = LegFact::HandedOver { file: Code::File(sheet.url.clone()), why: HandedOver::ToTake };
            let edge = Edge::new(Moment::Done(sheet.id), end, Cause::Handover, About::Request(sheet.id), fact);
            edges.push(edge.filled(Fill::Thread));
        }
        edges
    }
}
