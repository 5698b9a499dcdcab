//! Text that is faded in (CSS Animations, section 3; Largest Contentful Paint, section 2.1): painted while it cannot
//! be seen it does not count, and a fade paints nothing anew. It counts when it is painted next after the fade began:
//! once a font comes that it is set in, or that text before it is set in which it moves with, or its own is given up
//! on, or when the fade is over and leaves it to the page's own style. Any font that comes has text laid out anew
//! whose own is still on its way; where such text floats, so is what stands beside it. Tried in the browser that
//! records.

use super::{About, Cause, Edge, Fill, Graph, LegFact, Moment};
use crate::paint::is_one_paint;
use crate::{LcpCandidate, Millis, Request, RequestId, ResourceKind, TextFont};

/// The end of an animation is told up to so much after the frame was begun that it sets off.
const TOLD_AFTER: Millis = Millis(60.0);

/// What has text painted that is faded in.
#[derive(Debug, Clone)]
pub(crate) struct Faded {
    /// The animation, by its place in the load.
    pub animation: usize,
    /// When it was over, where that does.
    pub ends: Option<Millis>,
    /// Fonts that came, which do.
    pub fonts: Vec<RequestId>,
    /// Whether it lay over the text from the first paint on, and stays as it ends: else that would have been seen before,
    /// or would be at its end.
    pub covers: bool,
    /// When the text no longer waited for each of its own, which has it painted as well, where the fade covers it.
    pub settled: Vec<(Millis, RequestId)>,
    /// Fonts of what floats beside the text: as long as one of these is on its way, any does that comes.
    pub floats: Vec<RequestId>,
    /// Whether the recording tells that it is the opacity which is animated.
    pub known: bool,
}

impl Graph<'_> {
    /// The fade that a candidate for the largest paint stands under, of those begun before a moment the last.
    pub(crate) fn faded(&self, candidate: usize, by: Millis) -> Option<Faded> {
        let candidate = self.load.lcp_candidates.get(candidate)?;
        let around = |node: Option<i64>| candidate.animated.iter().find(|around| Some(around.node) == node);
        let begun = |place: &usize| {
            let animation = &self.load.animations[*place];
            animation.from < by && around(animation.node).is_some()
        };
        let place = (0..self.load.animations.len()).rev().find(begun)?;
        let animation = &self.load.animations[place];
        let around = around(animation.node)?;
        let from_the_first = self.load.fcp.is_some_and(|first| animation.from <= first + TOLD_AFTER);
        let covers = around.stays && from_the_first;
        // The end is told a little later than the frame that it sets off is begun.
        let over = if animation.to - by <= TOLD_AFTER { animation.to.min(by) } else { animation.to };
        Some(Faded {
            animation: place,
            ends: (!around.stays).then_some(over),
            fonts: self.came(around.before.iter().chain(candidate.fonts.iter().flatten())),
            covers,
            settled: if covers { self.settled_fonts(candidate.at, by) } else { Vec::new() },
            floats: self.came(&around.floats),
            known: around.stays || animation.name == "opacity",
        })
    }

    /// The requests of fonts that came.
    fn came<'f>(&self, fonts: impl IntoIterator<Item = &'f TextFont>) -> Vec<RequestId> {
        let came = |r: &&Request| r.end.is_some() && r.failed.is_none() && r.status.is_none_or(|status| status < 400);
        let requests = fonts.into_iter().filter_map(|font| self.prepared.all_for(&font.url).find(came));
        let mut ids: Vec<RequestId> = requests.map(|r| r.id).collect();
        ids.sort_unstable();
        ids.dedup();
        ids
    }

    /// Whether the largest text stood under a fade from the first paint on that stays as it ends.
    pub(crate) fn is_largest_covered(&self) -> bool {
        let faded = self.load.largest().and_then(|largest| self.faded_at(largest.at, largest.at));
        faded.is_some_and(|(_, faded)| faded.covers)
    }

    /// The page's fonts, whatever became of them.
    pub(crate) fn fonts(&self) -> impl Iterator<Item = (Millis, RequestId)> {
        let fonts = self.load.requests.iter().filter(|r| r.kind == ResourceKind::Font && r.main_frame);
        fonts.filter_map(|r| Some((r.end?, r.id)))
    }

    /// What had a candidate's text painted that is faded in, since a moment and up to a frame.
    pub(super) fn repainted(&self, candidate: usize, faded: &Faded, since: Millis, drawn: Millis) -> Option<Edge> {
        let at = self.repaints(faded, drawn).map(|(at, _)| at).reduce(Millis::max).filter(|at| *at > since)?;
        let from = Moment::Repainted(candidate);
        Some(Edge::new(from, at, Cause::Render, About::Browser, LegFact::Drawing).filled(Fill::Thread))
    }

    /// What had the text painted, and when, since the fade began and up to a frame.
    fn repaints(&self, faded: &Faded, drawn: Millis) -> impl Iterator<Item = (Millis, Moment)> {
        let end = |font: &RequestId| self.load.request(*font)?.end;
        let over = faded.ends.map(|over| (over, Moment::Animated(faded.animation)));
        let until = faded.floats.iter().filter_map(end).reduce(Millis::max).unwrap_or(Millis::ZERO);
        let any = self.fonts().filter(move |(at, _)| *at < until).map(|(at, font)| (at, Moment::Done(font)));
        let fonts = faded.fonts.iter().filter_map(move |font| Some((end(font)?, Moment::Done(*font))));
        let settled = faded.settled.iter().map(|(at, font)| (*at, Moment::FontSettled(*font)));
        let begun = self.load.animations[faded.animation].from;
        settled.chain(fonts).chain(any).chain(over).filter(move |(at, _)| *at > begun && *at <= drawn)
    }

    /// What a text that is faded in was painted anew for by a moment.
    pub(super) fn repainted_by(&self, candidate: usize, by: Millis) -> Vec<Edge> {
        let Some(faded) = self.faded(candidate, by) else { return Vec::new() };
        let last = self.repaints(&faded, by).max_by(|a, b| a.0.order(&b.0));
        let edge = |(at, from)| Edge::new(from, at, Cause::Render, About::Browser, LegFact::Drawing);
        last.map(edge).into_iter().collect()
    }

    /// The candidate for the largest paint that was painted at a moment, and the fade that it stands under.
    pub(super) fn faded_at(&self, paint: Millis, drawn: Millis) -> Option<(usize, Faded)> {
        let its = |c: &LcpCandidate| is_one_paint(c.at, paint);
        let candidate = self.load.lcp_candidates.iter().position(its)?;
        Some((candidate, self.faded(candidate, drawn)?))
    }
}
