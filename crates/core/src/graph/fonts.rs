//! Text and its fonts (CSS Fonts 4, section 11): what the largest text waits for is that a font which it is set in
//! comes, or that the browser gives up on it.

use super::{About, Cause, Edge, Graph, LegFact, Moment};
use crate::paint::is_one_paint;
use crate::{LcpCandidate, Millis, Request, RequestId, TextFont};

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
        let settled = |(font, request): (&TextFont, &Request)| {
            Some((font.display.settled(request.start, request.end)?, request.id))
        };
        let fonts = self.fonts_of(paint).unwrap_or_default().into_iter();
        fonts.filter_map(settled).filter(|(at, _)| *at <= painted).collect()
    }

    /// A font is waited for until it comes, and from when it was asked for until it is given up on.
    pub(super) fn font_settled(&self, font: RequestId, by: Millis) -> Vec<Edge> {
        let Some(font) = self.load.request(font) else { return Vec::new() };
        let about = About::Request(font.id);
        let file = font.url.clone();
        if let Some(end) = font.end.filter(|end| *end <= by) {
            let fact = LegFact::HandedOver { file: self.code(&file), why: super::HandedOver::ToTake };
            return vec![Edge::new(Moment::Done(font.id), end, Cause::Handover, about, fact)];
        }
        let fact = LegFact::FontGivenUp { file };
        vec![Edge::new(Moment::Asked(font.id), font.start, Cause::Wait, about, fact)]
    }
}
