//! What set a layout shift off (Layout Instability, section 2): an element stands elsewhere than in the frame before,
//! because of what had come or changed since: a run of script that changed the page, a picture whose size nobody had
//! told, a font, a sheet.

use super::frame::Drawn;
use super::{About, Cause, Does, Edge, Graph, LegFact, Moment};
use crate::{Millis, Request, ResourceKind, WorkKind};

/// A picture is told of by the network a little before its size counts in a layout, in ms.
const SIZED: Millis = Millis(150.0);

impl Graph<'_> {
    /// The edge to what set a shift off; none where nothing is known to have changed.
    #[must_use]
    pub fn shifted(&self, at: Millis) -> Option<Edge> {
        let drawn = self.laid_out(at)?;
        let since = self.frame_before(drawn).unwrap_or(Millis::ZERO);
        let edge = |from, at, about| Some(Edge::new(from, at, Cause::Render, about, LegFact::Drawing));
        if let Some(run) = self.changing_run(since, drawn) {
            let changed = self.last_change(run, drawn.at);
            let about = self.url_of(run).map_or(About::Browser, |url| About::Script(self.at_work(run, &url, changed)));
            return edge(Moment::Inside(run, Does::ChangesPage), changed, about);
        }
        if let Some((came, sheet)) = self.sheet_between(since, drawn.at) {
            return edge(Moment::Released(sheet), came, About::Request(sheet));
        }
        let came = |kind: ResourceKind, since: Millis| {
            self.last_done(drawn.at, move |r: &Request| {
                r.kind == kind && r.main_frame && r.end.is_some_and(|e| e > since)
            })
        };
        let file = came(ResourceKind::Image, (since - SIZED).min(drawn.at - SIZED))
            .or_else(|| came(ResourceKind::Font, since));
        let (came, id) = file?;
        edge(Moment::Done(id), came, About::Request(id))
    }

    /// The laying out that a moment is in or at the end of.
    fn laid_out(&self, at: Millis) -> Option<Drawn> {
        let task = self.prepared.task_at(at)?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0 && w.start <= at).count();
        let lays_out = |i: &usize| matches!(self.work(*i).kind, WorkKind::Style | WorkKind::Layout | WorkKind::Paint);
        let last = (task..=task + inside).rev().find(lays_out)?;
        Some(Drawn { last, at: self.begun(last) })
    }
}
