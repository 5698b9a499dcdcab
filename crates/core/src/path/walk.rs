//! The walk backwards along binding edges.

use super::leg::{Leg, fixes_for};
use crate::graph::{About, Cause, Edge, Fill, Graph, LegFact, Moment, Piece};
use crate::{Interaction, Millis, Owner, PaintKind, Prepared, RequestId, interactions};
use std::collections::HashSet;

/// Legs shorter than this are joined to their neighbour, so that the itinerary stays readable.
const CRUMB: Millis = Millis(4.0);
/// A walk longer than this is not a page any more; the rest is one unknown leg.
const MOST_STEPS: usize = 400;

/// The path to the largest paint, or `None` where no largest paint was observed.
#[must_use]
pub fn path_to_largest(prepared: &Prepared) -> Option<Vec<Leg>> {
    let load = &prepared.load;
    let candidate = load.largest()?;
    let file = match (candidate.kind, candidate.url.as_deref()) {
        (PaintKind::Image, Some(url)) => load.request_for(url, candidate.at).map(|r| r.id),
        _ => None,
    };
    let text = candidate.kind == PaintKind::Text;
    Some(Walk::to(&Graph::of(prepared), Moment::Painted { file, text }, candidate.at))
}

/// The path to the first contentful paint.
#[must_use]
pub fn path_to_first_paint(prepared: &Prepared) -> Option<Vec<Leg>> {
    Some(Walk::to(&Graph::of(prepared), Moment::Painted { file: None, text: true }, prepared.load.fcp?))
}

/// The path to a frame: what set it off and what that waited for. `None` where the load has no such frame.
#[must_use]
pub fn path_to_frame(prepared: &Prepared, frame: usize) -> Option<Vec<Leg>> {
    let at = prepared.load.frames.get(frame)?.at_ms;
    Some(Walk::to(&Graph::of(prepared), Moment::Painted { file: None, text: false }, at))
}

/// The path to a mark, or to the end of a measure, of the page's own; `None` where the load has no such one, or
/// no script is known to have been at work then.
#[must_use]
pub fn path_to_mark(prepared: &Prepared, mark: usize) -> Option<Vec<Leg>> {
    let mark = prepared.load.user_timings.get(mark)?;
    let at = mark.at_ms + mark.duration_ms.unwrap_or(Millis::ZERO);
    let graph = Graph::of(prepared);
    Some(Walk::to(&graph, graph.under_way(at)?, at))
}

/// The path from an input of the user's to the next paint after it: what the answer waited for. `None` where the
/// load has no such interaction.
#[must_use]
pub fn path_to_interaction(prepared: &Prepared, interaction: usize) -> Option<Vec<Leg>> {
    let all = interactions(&prepared.load.events);
    let Interaction { at_ms: from, duration_ms, .. } = *all.get(interaction)?;
    let painted = Moment::Painted { file: None, text: false };
    Some(Walk::between(&Graph::of(prepared), from, painted, from + duration_ms))
}

/// The path to a request's last byte, or `None` where that never came.
#[must_use]
pub fn path_to_request(prepared: &Prepared, id: RequestId) -> Option<Vec<Leg>> {
    let end = prepared.load.request(id)?.end?;
    Some(Walk::to(&Graph::of(prepared), Moment::Done(id), end))
}

struct Walk<'g, 'a> {
    graph: &'g Graph<'a>,
    /// Where the walk ends: navigation start, or an input.
    begin: Millis,
    /// Where the last leg found so far begins.
    cursor: Millis,
    legs: Vec<Leg>,
}

impl<'g, 'a> Walk<'g, 'a> {
    fn to(graph: &'g Graph<'a>, moment: Moment, at: Millis) -> Vec<Leg> {
        Self::between(graph, Millis::ZERO, moment, at)
    }

    fn between(graph: &'g Graph<'a>, begin: Millis, moment: Moment, at: Millis) -> Vec<Leg> {
        let mut walk = Self { graph, begin, cursor: at.max(begin), legs: Vec::new() };
        let mut moment = moment;
        let mut seen = HashSet::new();
        for _ in 0..MOST_STEPS {
            // One frame may lead back to an earlier one, by way of an animation: a moment is told by its time as well.
            if walk.cursor <= begin || !seen.insert((moment, walk.cursor.0.to_bits())) {
                break;
            }
            let Some(edge) = binding(graph.needs(moment, walk.cursor), walk.cursor) else { break };
            walk.follow(&edge);
            moment = edge.from;
        }
        // Whatever could not be explained is said to be so.
        walk.leg(begin, Cause::Unknown, &About::Browser, LegFact::NotExplained);
        walk.legs.reverse();
        join_crumbs(walk.legs)
    }

    /// The legs of an edge: its own, and those of what else its time went into.
    fn follow(&mut self, edge: &Edge) {
        match edge.fill {
            Fill::Nothing => {}
            Fill::Thread => self.busy_since(edge.at, edge),
            Fill::ThreadSince(due) => self.busy_since(due.max(edge.at), edge),
            Fill::Handlers => {
                self.pieces(self.graph.handlers_of_others(&edge.about, edge.at, self.cursor), edge);
            }
            Fill::Line(id) => self.pieces(self.graph.on_the_line(id, edge.at, self.cursor), edge),
            Fill::Ahead(id) => self.pieces(self.graph.ahead(id, edge.at, self.cursor), edge),
        }
        self.leg(edge.at, edge.cause, &edge.about, edge.fact.clone());
    }

    /// The legs of what else went over the line.
    fn pieces(&mut self, pieces: Vec<Piece>, edge: &Edge) {
        for piece in pieces.into_iter().rev() {
            self.leg(piece.to, edge.cause, &edge.about, edge.fact.clone());
            self.leg(piece.from, piece.cause, &piece.about, piece.fact);
        }
    }

    /// The legs of tasks that had the thread since something was ready.
    fn busy_since(&mut self, ready: Millis, edge: &Edge) {
        for busy in self.graph.busy(ready, self.cursor).into_iter().rev() {
            // The rest of the run that it comes from is no other's.
            let own = matches!(edge.from, Moment::Inside(..)) && busy.from <= edge.at;
            if own || busy.from >= self.cursor {
                continue;
            }
            let fact = match edge.fact {
                LegFact::Drawing => LegFact::NextFrame,
                ref fact => fact.clone(),
            };
            self.leg(busy.to, edge.cause, &edge.about, fact);
            self.leg(busy.from, busy.cause, &busy.about, busy.fact);
        }
    }

    /// Adds a leg that ends at the cursor and begins at `from`, and moves the cursor there.
    fn leg(&mut self, from: Millis, cause: Cause, about: &About, fact: LegFact) {
        let from = from.max(self.begin).min(self.cursor);
        if from >= self.cursor {
            return;
        }
        let (load, owners) = (self.graph.load(), self.graph.owners());
        let (url, request, owner) = match about {
            About::Request(id) => (load.request(*id).map(|r| r.url.clone()), Some(*id), owners.request(*id).clone()),
            About::Script(url) => (Some(url.clone()), self.graph.request_of(url), owners.of_url(url)),
            About::Browser => (None, None, Owner::page()),
        };
        // All that a hop takes, whatever it is spent on, is the redirect's.
        let hop = request.filter(|id| load.requests.iter().any(|r| r.redirected_from == Some(*id)));
        let (cause, fact) = match (hop, &url) {
            (Some(_), Some(url)) => (Cause::Redirect, LegFact::Redirected { from: url.clone() }),
            _ => (cause, fact),
        };
        let fixes = fixes_for(cause, request.and_then(|id| load.request(id)));
        self.legs.push(Leg { from_ms: from, to_ms: self.cursor, cause, url, request, owner, fact, fixes });
        self.cursor = from;
    }
}

/// The edge from the latest moment; of equal ones the last named. Where clocks disagree and all come
/// after what needed them, the first.
fn binding(edges: Vec<Edge>, by: Millis) -> Option<Edge> {
    let in_time = |e: &&Edge| e.at <= by + Millis(0.01);
    let latest = edges.iter().filter(in_time).max_by(|a, b| a.at.order(&b.at)).cloned();
    latest.or_else(|| edges.into_iter().next())
}

/// Joins a leg too short to read to the one before it (the first to the one after), keeping the sum. What one file had to
/// do with another would be told by nothing else, however short.
fn join_crumbs(legs: Vec<Leg>) -> Vec<Leg> {
    let is_crumb = |leg: &Leg| leg.length() < CRUMB && !matches!(leg.fact, LegFact::HeldForRoom { .. });
    let mut joined: Vec<Leg> = Vec::with_capacity(legs.len());
    for mut leg in legs {
        if let Some(last) = joined.last_mut() {
            let same = last.cause == leg.cause && last.request == leg.request && last.fact == leg.fact;
            if same || is_crumb(&leg) {
                last.to_ms = leg.to_ms;
                continue;
            }
            if is_crumb(last) {
                leg.from_ms = last.from_ms;
                joined.pop();
            }
        }
        joined.push(leg);
    }
    joined
}
