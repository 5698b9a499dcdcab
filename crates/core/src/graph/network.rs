//! Edges within a request: queue, connection, the server's wait, the body (Resource Timing, section 4.1).

use super::{About, Behind, Cause, Edge, Fill, Graph, LegFact, Moment};
use crate::http::closes;
use crate::{Millis, RenderBlocking, Request, RequestId, ResourceKind};

/// A request sent so soon after rendering was let go had been held back for it.
const LET_GO: Millis = Millis(15.0);
/// Connections to one host at a time, over HTTP/1.1.
pub(crate) const MOST_CONNECTIONS: u32 = 6;
/// A shorter time in the queue is the browser's own handling.
pub(crate) const QUEUED: Millis = Millis(20.0);
/// The end of a request may be told so long after the next one was sent.
pub(crate) const TOLD_LATE: Millis = Millis(5.0);

fn blocks_rendering(request: &Request) -> bool {
    request.render_blocking == RenderBlocking::Blocking
}

impl Graph<'_> {
    /// The last byte needs the first.
    pub(super) fn done(&self, id: RequestId, by: Millis) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        if self.is_document(id) {
            return self.document_by(by.min(request.end.unwrap_or(by)));
        }
        let Some(answered) = request.final_headers.or(request.first_byte) else { return self.answered(id) };
        let fact = LegFact::Downloads { file: request.url.clone(), bytes: request.transferred };
        let edge = Edge::new(Moment::Answered(id), answered, Cause::Download, About::Request(id), fact);
        vec![edge.filled(Fill::Line(id))]
    }

    /// The first byte needs the request to be sent.
    pub(super) fn answered(&self, id: RequestId) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        let Some(sent) = request.sent else { return self.sent(id) };
        let document = self.is_document(id);
        let fact = LegFact::Answer { file: request.url.clone(), host: request.host(), document };
        vec![Edge::new(Moment::Sent(id), sent, Cause::Wait, About::Request(id), fact).filled(Fill::Ahead(id))]
    }

    /// Sending needs a connection, or its turn on one; a file that is not urgent, that rendering is let go.
    pub(super) fn sent(&self, id: RequestId) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        if let (Some(_), Some(connected)) = (request.connect_start, request.connect_end) {
            let fact = LegFact::AboutToBeSent { file: request.url.clone() };
            return vec![Edge::new(Moment::Connected(id), connected, Cause::Queue, About::Request(id), fact)];
        }
        self.queued(request, request.sent)
    }

    /// An open connection needs to have been begun.
    pub(super) fn connected(&self, id: RequestId) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        let Some(start) = request.connect_start else { return self.connecting(id) };
        let fact = LegFact::Connects { host: request.host(), tls: request.tls_start.is_some() };
        vec![Edge::new(Moment::Connecting(id), start, Cause::Connect, About::Request(id), fact)]
    }

    /// A connection is begun for a request.
    pub(super) fn connecting(&self, id: RequestId) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        self.queued(request, request.connect_start)
    }

    fn queued(&self, request: &Request, until: Option<Millis>) -> Vec<Edge> {
        let document = self.is_document(request.id);
        let file = request.url.clone();
        let behind = match request.kind {
            ResourceKind::Document => Behind::Navigation,
            _ => self.queued_behind(request),
        };
        // Over HTTP/1.1 a host has so many connections; otherwise nothing but its priority holds it back. One that
        // had rested was free before.
        let limited = |until| {
            let before = self.before_on_connection(request, until).or_else(|| self.ended_for(request, until));
            before.and_then(|before| before.end).is_some_and(|free| until - free <= QUEUED)
                && matches!(behind, Behind::Others { count, .. } if count >= MOST_CONNECTIONS)
        };
        let held = until.filter(|until| *until - request.start > QUEUED && !limited(*until));
        let held = held.and_then(|until| self.let_go(request, until));
        let cause = if document { Cause::Navigation } else { Cause::Queue };
        let fact = LegFact::Queued { file: file.clone(), document, behind };
        let mut edges =
            vec![Edge::new(Moment::Asked(request.id), request.start, cause, About::Request(request.id), fact)];
        if let Some((at, gate, moment)) = held {
            let gate_url = self.load.request(gate).map_or_else(|| file.clone(), |g| g.url.clone());
            let blocks = self.load.request(gate).is_some_and(blocks_rendering);
            let fact = match moment {
                Moment::Done(_) if !blocks => LegFact::HeldForRoom { file, gate: gate_url },
                _ => LegFact::HeldLow { file, gate: gate_url },
            };
            edges.push(Edge::new(moment, at, Cause::Queue, About::Request(gate), fact));
        }
        edges
    }

    /// What held the parser and let go, or what had come and made room, just before a request that is not urgent was
    /// sent. Until the parser has reached the body browsers have few of those on their way; how few Fetch leaves to them
    /// (section 2.2.5). The one that records has two of medium priority at a time, one of low priority while at most one
    /// other is on its way, and none to a host to which six are on their way before it is known how it talks.
    fn let_go(&self, request: &Request, sent: Millis) -> Option<(Millis, RequestId, Moment)> {
        if !matches!(request.kind, ResourceKind::Image | ResourceKind::Media | ResourceKind::Script) {
            return None;
        }
        // The browser goes through what it holds back on the main thread.
        let is_why = |at: Millis| at > request.start && sent - at - self.prepared.worked_between(at, sent) <= LET_GO;
        let released = self.last_block(sent, request.id).filter(|(at, _)| is_why(*at));
        if let Some((at, gate)) = released {
            return Some((at, gate, Moment::Released(gate)));
        }
        let is_other = |r: &Request| r.id != request.id && r.main_frame;
        let blocks = |r: &Request| is_other(r) && blocks_rendering(r);
        let is_like = |r: &Request| is_other(r) && r.is_network() && r.priority == request.priority;
        let last = |counts: &dyn Fn(&Request) -> bool| self.last_done(sent, counts).filter(|(at, _)| is_why(*at));
        let room = match request.priority.as_deref() {
            Some("Medium" | "Low" | "VeryLow") if !self.is_past_head(request) => {
                last(&is_like).or_else(|| last(&|r| is_other(r) && r.is_network()))
            }
            _ => last(&blocks),
        };
        room.map(|(at, gate)| (at, gate, Moment::Done(gate)))
    }

    /// Whether the parser had reached the body, for all that is known, when a request was asked for.
    fn is_past_head(&self, request: &Request) -> bool {
        let blocking = self.load.requests.iter().filter(|r| r.main_frame && blocks_rendering(r));
        let last = blocking.filter_map(|r| r.end).max_by(Millis::order);
        last.is_none_or(|last| last <= request.start)
    }

    /// The request whose answer had come before one was sent over the same connection.
    pub(crate) fn before_on_connection(&self, request: &Request, sent: Millis) -> Option<&Request> {
        let connection = request.connection.filter(|_| request.connect_start.is_none())?;
        let others = self.load.requests.iter().filter(|o| o.id != request.id && o.connection == Some(connection));
        let had_come = others.filter(|o| o.end.is_some_and(|end| end <= sent + TOLD_LATE));
        had_come.max_by(|a, b| a.end.unwrap_or_default().order(&b.end.unwrap_or_default()))
    }

    /// Where connections end with their answers: the request whose end made room for another's.
    fn ended_for(&self, request: &Request, connecting: Millis) -> Option<&Request> {
        let host = self.prepared.host(request.id).filter(|_| closes(request))?;
        let others = self
            .load
            .requests
            .iter()
            .filter(|o| o.id != request.id && closes(o) && self.prepared.host(o.id) == Some(host));
        let had_come = others.filter(|o| o.end.is_some_and(|end| end > request.start && end <= connecting + TOLD_LATE));
        had_come.max_by(|a, b| a.end.unwrap_or_default().order(&b.end.unwrap_or_default()))
    }

    /// Why a request was queued: who had its connection before it, and how many of its host's were in use.
    fn queued_behind(&self, request: &Request) -> Behind {
        let Some(sent) = request.sent else { return Behind::NotSent };
        let host = self.prepared.host(request.id);
        let others: Vec<&Request> = self
            .load
            .requests
            .iter()
            .filter(|o| {
                o.id != request.id
                    && o.sent.is_some_and(|s| s < sent)
                    && o.end.is_some_and(|e| e > request.start)
                    && self.prepared.host(o.id) == host
            })
            .collect();
        let before = self.before_on_connection(request, sent).filter(|b| b.end.is_some_and(|end| end > request.start));
        let count = u32::try_from(others.len()).unwrap_or(u32::MAX);
        let before = before.map(|b| b.url.clone());
        if count == 0 {
            return Behind::Priority;
        }
        Behind::Others { count, host: host.map(ToString::to_string).unwrap_or_default(), before }
    }
}
