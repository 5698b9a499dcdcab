//! What set a layout shift off (Layout Instability, section 2): an element stands elsewhere than in the frame before,
//! because of what had come or changed since: a run of script that changed the page, a picture or an inner frame whose size
//! nobody had told, a font, a sheet.

use super::frame::Drawn;
use super::{About, Cause, Does, Edge, Graph, LegFact, Moment};
use crate::{Millis, Request, ResourceKind, WorkKind};

/// What takes its room once it comes, where nobody had told its size.
const SIZED_BY_COMING: [ResourceKind; 3] = [ResourceKind::Image, ResourceKind::Media, ResourceKind::Document];
/// It takes it in the next frame, or in one at most so long after it came.
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
        let came = |kinds: &'static [ResourceKind], since: Millis| {
            let counts = |r: &Request| {
                kinds.contains(&r.kind)
                    && r.end.is_some_and(|end| end > since)
                    && Some(r.id) != self.load.document().map(|d| d.id)
            };
            self.last_done(drawn.at, counts)
        };
        let file = came(&SIZED_BY_COMING, since.min(drawn.at - SIZED)).or_else(|| came(&[ResourceKind::Font], since));
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
