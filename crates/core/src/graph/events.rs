//! An event that calls a script (DOM, section 2.9): what it tells of. The document parsed, all of it loaded, an element
//! that has loaded or failed, a message, the end of an animation.

use super::{About, Cause, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::{InitiatorKind, Millis, Request, ResourceKind, Work, WorkName};
use std::sync::Arc;

/// Handlers of the load event follow so soon after what the trace marks as its start.
const AT_LOAD: Millis = Millis(5.0);
/// The end of an animation is told within two frames.
const OVER_TOLD: Millis = Millis(34.0);

impl Graph<'_> {
    /// An event: what it tells of.
    pub(super) fn event(&self, index: usize, url: &Arc<str>) -> Option<Vec<Edge>> {
        let work = self.work(index);
        let edges = match work.event.as_deref()? {
            "DOMContentLoaded" => self.document_parsed(work),
            "readystatechange" => self.state_changed(index),
            "load" | "pageshow" if self.is_load_event(work) => self.all_loaded(work),
            "load" | "error" | "canplay" | "loadeddata" => self.told_of(work, url, |r| {
                matches!(
                    r.kind,
                    ResourceKind::Image
                        | ResourceKind::Style
                        | ResourceKind::Script
                        | ResourceKind::Document
                        | ResourceKind::Media
                        | ResourceKind::Data
                )
            }),
            "message" => self.message_of_others(work.start, url).into_iter().collect(),
            "animationend" | "transitionend" => self.animation_over(index).into_iter().collect(),
            _ => Vec::new(),
        };
        (!edges.is_empty()).then_some(edges)
    }

    /// The event that is being told of at a moment.
    pub(super) fn event_at(&self, at: Millis) -> Option<usize> {
        let task = self.prepared.task_at(at)?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0).count();
        (task..=task + inside).rev().find(|&i| {
            let work = self.work(i);
            work.name == WorkName::Event && work.start <= at && work.end() >= at
        })
    }

    /// The event of a script that has just run (HTML, section 4.12.1.1, "execute the script element").
    pub(super) fn load_of_script(&self, around: &[usize], url: &Arc<str>) -> Option<Vec<Edge>> {
        let event = *around.iter().find(|&&i| self.work(i).name == WorkName::Event)?;
        let task = self.work(*around.last()?).start;
        let ran = |edge: &Edge| matches!(edge.from, Moment::Released(_)) && edge.at >= task;
        self.event(event, url).filter(|edges| edges.iter().all(ran))
    }

    /// The animation or transition that was over when an event told of its end (CSS Animations, section 5): its end set
    /// off the frame that tells.
    fn animation_over(&self, event: usize) -> Option<Edge> {
        let by = self.work(event).start;
        let over = |a: &&crate::Animation| a.to <= by + SLACK && by - a.to <= OVER_TOLD;
        let mut places = (0..self.load.animations.len()).rev();
        let place = places.find(|place| over(&&self.load.animations[*place]))?;
        let fact = LegFact::Animates { name: self.load.animations[place].name.clone() };
        let frame = std::iter::successors(Some(event), |i| self.parents[*i]).last().map_or(by, |i| self.work(i).start);
        Some(Edge::new(Moment::Animated(place), frame, Cause::Animation, About::Browser, fact))
    }

    /// The document's state changes as soon as it is parsed, and once all has loaded, in the task of the load event (HTML,
    /// section 13.2.7). Requests of the old sort tell of their own states by the same name.
    fn state_changed(&self, event: usize) -> Vec<Edge> {
        let work = self.work(event);
        let just_before = |at: Option<Millis>| at.is_some_and(|at| at <= work.start && work.start - at <= AT_LOAD);
        if just_before(self.load.dom_interactive) {
            return self.document_parsed(work);
        }
        let task = std::iter::successors(Some(event), |i| self.parents[*i]).last().map_or(work, |i| self.work(i));
        let loads = self.load.load_event.is_some_and(|at| work.start <= at && at <= task.end() + SLACK);
        let is_parsed = self.load.dom_content_loaded.is_some_and(|at| at <= work.start + SLACK);
        if loads && is_parsed { self.all_loaded(work) } else { Vec::new() }
    }

    /// DOMContentLoaded needs the parser's end and every deferred script to have run (HTML, section 13.2.7).
    fn document_parsed(&self, work: &Work) -> Vec<Edge> {
        self.parsed_by(work.start)
    }

    /// The same of a moment.
    pub(crate) fn parsed_by(&self, by: Millis) -> Vec<Edge> {
        let mut edges = Vec::new();
        let delivered = |from, at| Edge::new(from, at, Cause::Busy, About::Browser, LegFact::EventDelivered);
        if let Some(parsed) = self.load.dom_interactive.filter(|at| *at <= by) {
            edges.push(delivered(Moment::ParserEnd, parsed).filled(Fill::Thread));
        }
        for (at, moment) in self.deferred_by(by + SLACK) {
            edges.push(delivered(moment, at).filled(Fill::Thread));
        }
        edges
    }

    /// Whether an event named so is the window's: those of elements that were the last to load are over when it begins.
    fn is_load_event(&self, work: &Work) -> bool {
        self.load.load_event.is_some_and(|at| at <= work.end() && work.start <= at + AT_LOAD)
    }

    /// Whether a piece of work is a handler of the window's load event, or within one.
    pub(crate) fn is_told_of_load(&self, piece: usize) -> bool {
        std::iter::successors(Some(piece), |i| self.parents[*i])
            .map(|i| self.work(i))
            .any(|w| w.name == WorkName::Event && w.event.as_deref() == Some("load") && self.is_load_event(w))
    }

    /// The load event needs everything that delays it: pictures, sheets, scripts, fonts, inner frames; not
    /// what scripts fetch (HTML, section 13.2.7).
    fn all_loaded(&self, work: &Work) -> Vec<Edge> {
        let delays = |r: &&Request| {
            !matches!(r.kind, ResourceKind::Data | ResourceKind::Other)
                && r.main_frame | (r.kind == ResourceKind::Document)
                && Some(r.id) != self.load.document().map(|d| d.id)
        };
        let over = |r: &Request| {
            let released = (r.kind == ResourceKind::Script).then(|| self.prepared.released(r)).flatten();
            Some((released.or(r.end)?, r.id, released.is_some()))
        };
        let all = self.load.requests.iter().filter(delays).filter_map(over);
        let mut edges = self.document_parsed(work);
        for (at, id, ran) in all.filter(|(at, _, _)| *at <= work.start + SLACK) {
            let from = if ran { Moment::Released(id) } else { Moment::Done(id) };
            let edge = Edge::new(from, at, Cause::Busy, About::Browser, LegFact::EventDelivered);
            edges.push(edge.filled(Fill::Thread));
        }
        edges
    }

    /// The event of an element: what it loads had come, and a script had run.
    fn told_of(&self, work: &Work, url: &Arc<str>, counts: impl Fn(&Request) -> bool) -> Vec<Edge> {
        let fact = || LegFact::TakesAnswer { script: self.code(url) };
        let edge =
            |from, at| Edge::new(from, at, Cause::Handover, About::Script(url.clone()), fact()).filled(Fill::Thread);
        let over = |r: &Request| {
            let ran = (r.kind == ResourceKind::Script).then(|| self.prepared.first_use(r)).flatten();
            let at = ran.map(|(_, run)| run.end()).or(r.end)?;
            (at <= work.start + SLACK && self.is_soon_after(at, work.start)).then_some((at, r.id, ran.is_some()))
        };
        let not_own = |r: &&Request| r.url != *url && counts(r);
        let last = self.load.requests.iter().filter(not_own).filter_map(over).max_by(|a, b| a.0.order(&b.0));
        // One that is only fetched ahead has not run.
        let fetched = || {
            let put_in = |r: &&Request| r.kind == ResourceKind::Script && r.initiator.kind == InitiatorKind::Script;
            let scripts = self.load.requests.iter().filter(not_own).filter(put_in).map(|r| r.id);
            self.last_answer(scripts, work.start)
        };
        let last = last.map(|(at, id, ran)| (at, if ran { Moment::Released(id) } else { Moment::Done(id) }));
        last.or_else(fetched).map(|(at, moment)| edge(moment, at)).into_iter().collect()
    }
}
