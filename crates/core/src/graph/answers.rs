//! An answer that calls a script back (Fetch, section 5.6; XMLHttpRequest, section 3.5.6): which one it was.

use super::{About, Cause, Does, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::{Millis, Request, RequestId, ResourceKind};
use std::sync::Arc;

/// An answer is taken, and an event delivered, at most so long after it was there.
pub(super) const TAKEN: Millis = Millis(60.0);
/// What another asked for is taken so soon after it came: more is chance.
pub(super) const ANOTHERS: Millis = Millis(20.0);
/// The failure of a request is told at most so long after the page knew of it.
const FAILURE_TOLD: Millis = Millis(5.0);

impl Graph<'_> {
    /// The data, picture or script that a script had asked for and that came just before.
    pub(super) fn answer(&self, index: usize, url: &Arc<str>) -> Option<Edge> {
        let began = self.work(index).start;
        let script = self.prepared.first_for(url).map(|s| s.id);
        // A module goes on when those that it imports have what they await.
        let imports = if self.in_promises(index) { self.imports(url, began) } else { Vec::new() };
        let scripts = std::iter::once(url).chain(imports.iter().map(|(_, url)| url));
        let found: Vec<RequestId> = scripts
            .flat_map(|by| self.prepared.answers_to(by))
            .map(|(_, id)| *id)
            .filter(|id| Some(*id) != script)
            .collect();
        let fact = LegFact::TakesAnswer { script: self.code(url) };
        let taken = |(at, moment): (Millis, Moment)| {
            Edge::new(moment, at, Cause::Handover, About::Script(url.clone()), fact.clone()).filled(Fill::Thread)
        };
        // A failure is told to the page before it is told to who records.
        let failed = found
            .iter()
            .filter_map(|id| self.load.request(*id))
            .find(|r| r.failed.is_some() && r.end.is_some_and(|end| end > began && end - began <= FAILURE_TOLD));
        if let Some(failed) = failed {
            return Some(taken((began, Moment::Done(failed.id))));
        }
        if let Some(last) = self.last_answer(found.into_iter(), began) {
            return Some(taken(last));
        }
        if !self.in_promises(index) {
            return None;
        }
        // A picture that a script asked for is told of by a promise once it is decoded (HTML, section 4.8.4.5).
        let own = |r: &&Request| r.kind == ResourceKind::Image && r.initiator.stack.contains(url);
        let pictures = self.load.requests.iter().filter(own).map(|r| r.id);
        if let Some(last) = self.last_answer(pictures, began) {
            return Some(taken(last));
        }
        // Fonts are told of by promises; and what another script asked for, or a tag ahead of all scripts, is kept as one.
        let of = |kinds: &'static [ResourceKind]| {
            let its = self.load.requests.iter().filter(|r| kinds.contains(&r.kind));
            self.last_answer(its.map(|r| r.id), began)
        };
        let others = of(&[ResourceKind::Data, ResourceKind::Other]).filter(|(at, _)| began - *at < ANOTHERS);
        of(&[ResourceKind::Font]).into_iter().chain(others).max_by(|a, b| a.0.order(&b.0)).map(taken)
    }

    /// The last of some answers to be there by a moment, not long before it. Who asked for data by a promise is told when
    /// its headers are there (Fetch, section 5.6), and again once it has all been read.
    pub(super) fn last_answer(&self, answers: impl Iterator<Item = RequestId>, by: Millis) -> Option<(Millis, Moment)> {
        let there = answers.filter_map(|id| self.there_by(id, by));
        there.filter(|(at, _)| self.is_soon_after(*at, by)).max_by(|a, b| a.0.order(&b.0))
    }

    /// Whether what came is taken up soon enough: what the thread was at meanwhile is not counted.
    pub(super) fn is_soon_after(&self, came: Millis, taken: Millis) -> bool {
        taken - came - self.prepared.worked_between(came, taken) < TAKEN
    }

    /// What of an answer was there by a moment: all of it, or of data the headers.
    pub(super) fn there_by(&self, id: RequestId, by: Millis) -> Option<(Millis, Moment)> {
        let request = self.load.request(id)?;
        let told = request.kind == ResourceKind::Data && request.failed.is_none();
        let headers = request.final_headers.or(request.first_byte).filter(|_| told);
        let done = request.end.map(|end| (end, Moment::Done(id)));
        let answered = headers.map(|at| (at, Moment::Answered(id)));
        done.into_iter().chain(answered).find(|(at, _)| *at <= by)
    }

    /// A message of a stream of events or of a web socket, or that it is open. What comes over a socket once the page
    /// has said something is taken to answer that.
    pub(super) fn stream_says(&self, index: usize, url: &Arc<str>) -> Option<Edge> {
        let began = self.work(index).start;
        let by = |at: &Millis| *at <= began + SLACK;
        let last = |r: &Request| {
            let part = r.parts.iter().rev().map(|p| p.at).find(by);
            let at = part.or(r.first_byte.filter(by))?;
            self.is_soon_after(at, began).then_some((at, part.is_some(), r.id))
        };
        let (at, says, id) = self.prepared.streams().filter_map(last).max_by(|a, b| a.0.order(&b.0))?;
        let stream = self.load.request(id)?;
        if !says {
            let fact = LegFact::TakesAnswer { script: self.code(url) };
            let edge = Edge::new(Moment::Answered(id), at, Cause::Handover, About::Script(url.clone()), fact);
            return Some(edge.filled(Fill::Thread));
        }
        let fact = LegFact::StreamSays { file: stream.url.clone() };
        let opened = stream.first_byte.unwrap_or(at).min(at);
        let asked = stream.said.iter().rev().find(|said| opened <= **said && **said < at);
        let (from, since) = asked
            .and_then(|said| Some((Moment::Inside(self.run_at(*said)?, Does::Schedules), *said)))
            .unwrap_or((Moment::Answered(id), opened));
        Some(Edge::new(from, since, Cause::Wait, About::Request(id), fact))
    }
}
