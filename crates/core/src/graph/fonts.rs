//! Text and its fonts (CSS Fonts 4, section 11): what the largest text waits for is that a font which it is set in
//! comes, or that the browser gives up on it.

use super::{About, Cause, Edge, Graph, LegFact, Moment};
use crate::paint::is_one_paint;
use crate::{InitiatorKind, LcpCandidate, Millis, Request, RequestId, ResourceKind, TextFont, Work, WorkKind};

impl<'a> Graph<'a> {
    /// The fonts that the text of a paint is set in, with their requests; `None` where that is not known.
    pub(super) fn fonts_of(&self, paint: Millis) -> Option<Vec<(&'a TextFont, &'a Request)>> {
        let its = |c: &&LcpCandidate| is_one_paint(c.at, paint);
        let fonts = self.load.lcp_candidates.iter().find(its)?.fonts.as_ref()?;
        let asked = |font: &'a TextFont| {
            let own = self.prepared.all_for(&font.url).rfind(|r| r.start <= paint)?;
            Some((font, self.load.request(own.id)?))
        };
        Some(fonts.iter().filter_map(asked).collect())
    }

    /// When the text of a paint no longer waited for each of its fonts: it had come, or was given up on.
    pub(super) fn settled_fonts(&self, paint: Millis, painted: Millis) -> Vec<(Millis, RequestId)> {
        let fonts = self.fonts_of(paint).unwrap_or_default().into_iter();
        let settled = fonts.filter_map(|(font, request)| Some((self.settled_font(font, request)?, request.id)));
        settled.filter(|(at, _)| *at <= painted).collect()
    }

    /// When text no longer waited for a font.
    fn settled_font(&self, font: &TextFont, request: &Request) -> Option<Millis> {
        let settled = font.display.settled(request.start, request.end)?;
        let asked_in = self.frame_asking_first(request).map(|task| self.work(task).end());
        Some(asked_in.map_or(settled, |end| settled.max(end)))
    }

    /// The fonts that text would be set in without one, of those that the page asked for (CSS Fonts 4, section 5), and
    /// when it would no longer have waited for each.
    pub(crate) fn standing_in_for(&self, font: RequestId) -> Vec<(Millis, RequestId)> {
        let Some(font) = self.load.request(font) else { return Vec::new() };
        let fonts = self.load.lcp_candidates.iter().flat_map(|c| c.fonts.iter().flatten());
        let others = fonts.filter(|f| f.url == font.url).flat_map(|f| &f.without);
        let asked = others.filter_map(|other| {
            let request = self.load.request(self.prepared.all_for(&other.url).next_back()?.id)?;
            Some((self.settled_font(other, request)?, request.id))
        });
        let mut found: Vec<(Millis, RequestId)> = asked.collect();
        found.sort_by_key(|(_, id)| *id);
        found.dedup_by_key(|(_, id)| *id);
        found
    }

    /// The frame in which the page first asked for a font, where that is how this one was asked for, by its task. Its
    /// text has no letters in this frame: a timer that gives up on it, however soon, runs in a task of its own.
    pub(crate) fn frame_asking_first(&self, font: &Request) -> Option<usize> {
        let task = self.prepared.task_at(font.start)?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0);
        let asks = |w: &Work| {
            matches!(w.kind, WorkKind::Style | WorkKind::Layout) && w.start <= font.start && w.end() >= font.start
        };
        let started = self.work(task).start;
        let by_style = |r: &Request| r.kind == ResourceKind::Font && r.initiator.kind == InitiatorKind::Style;
        let earlier = self.load.requests.iter().any(|r| by_style(r) && r.start < started);
        (!earlier && inside.into_iter().any(asks)).then_some(task)
    }

    /// A font is waited for until it comes, and from when it was asked for until it is given up on; no frame that asks
    /// for it shows its text.
    pub(super) fn font_settled(&self, font: RequestId, by: Millis) -> Vec<Edge> {
        let Some(font) = self.load.request(font) else { return Vec::new() };
        let about = About::Request(font.id);
        let file = font.url.clone();
        let asked_in = self.frame_asking_first(font).map(|task| self.work(task).end());
        if asked_in.is_some_and(|end| end >= by && font.start < end) {
            let fact = LegFact::AskedByFrame { file };
            return vec![Edge::new(Moment::Asked(font.id), font.start, Cause::Render, About::Browser, fact)];
        }
        if let Some(end) = font.end.filter(|end| *end <= by) {
            let fact = LegFact::HandedOver { file: self.code(&file), why: super::HandedOver::ToTake };
            return vec![Edge::new(Moment::Done(font.id), end, Cause::Handover, about, fact)];
        }
        let fact = LegFact::FontGivenUp { file };
        vec![Edge::new(Moment::Asked(font.id), font.start, Cause::Wait, about, fact)]
    }
}
