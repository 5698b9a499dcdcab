//! What a frame that shows something needed: rendering let go, the file's bytes, the element's place in
//! the document, its font; and where all that was there long before, what set the frame off.
//!
//! A browser draws a frame when something of the page has changed. If a frame shows what could have
//! been shown long before, the change was the element's being put there, or made visible, after the
//! frame before it: by a sheet, by a run of script, or by the parser.

use super::stops::{above, place};
use super::{About, Cause, Does, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::paint::is_one_paint;
use crate::{
    LcpCandidate, Millis, RenderBlocking, Request, RequestId, ResourceKind, Standing, TextFont, Work, WorkKind,
    WorkName,
};

/// Idle for this long with everything there, the browser was not merely about to draw.
const UNDRAWN: Millis = Millis(60.0);
/// What was there so long before a frame was begun is in it.
const SEEN: Millis = Millis(10.0);
/// A frame takes so long at least from the end of its painting to the screen.
const TO_SCREEN: Millis = Millis(4.0);
/// A frame reaches the screen some time after the main thread is done with it, and the next one may
/// have begun by then: changes up to this long before the paint are looked at in any case.
const ON_ITS_WAY: Millis = Millis(120.0);

/// An animation begins so soon after its style was computed.
const STYLED: Millis = Millis(3.0);
/// When the last of some edges' moments was.
fn latest(edges: &[Edge]) -> Millis {
    edges.iter().map(|e| e.at).fold(Millis::ZERO, Millis::max)
}

/// The drawing of a frame: its last piece of work, and when style for it began.
#[derive(Clone, Copy)]
pub(super) struct Drawn {
    pub last: usize,
    pub at: Millis,
}

impl Graph<'_> {
    /// What a paint needed.
    pub(super) fn painted(&self, file: Option<RequestId>, text: bool, paint: Millis) -> Vec<Edge> {
        let needed = self.known_needs(file, text, paint);
        let ready = latest(&needed);
        let Some(drawn) = self.drawn(paint) else { return needed };
        if self.is_late(ready, drawn) {
            return self.set_off(ready, drawn, (file, text), paint);
        }
        // With the thread busy drawing, a frame before this one had all that to show, and did not show it.
        if text && self.is_drawn_within(self.seen_from(ready, paint), paint - ON_ITS_WAY) {
            let told = self.set_off(ready, drawn, (file, text), paint);
            if told.iter().all(|edge| !matches!(edge.from, Moment::SetOff { .. })) {
                return told;
            }
        }
        // Words that are not in the markup came by a script, however soon after all else: by the one that held the
        // page up last, for one.
        let put_in = text && self.is_put_in(paint);
        let since = self.since_frame(ready, drawn, paint) - SLACK;
        let run = put_in.then(|| self.inserting_run(since, drawn)).flatten();
        if let Some(run) = run {
            return self.drawing(Moment::Inside(run, Does::ChangesPage), self.work(run).end().min(paint));
        }
        let faded = self.faded_at(paint, drawn.at).filter(|(_, faded)| text && faded.known);
        let repainted = faded.and_then(|(candidate, faded)| self.repainted(candidate, &faded, since, drawn.at));
        needed.into_iter().chain(repainted).collect()
    }

    /// Whether a frame was begun between two moments.
    fn is_drawn_within(&self, from: Millis, to: Millis) -> bool {
        let work = &self.load.work;
        let first = work.partition_point(|w| w.start < from);
        let paints = (first..work.len()).take_while(|i| work[*i].start <= to);
        paints.filter(|i| work[*i].name == WorkName::Paint).any(|i| self.begun(i) >= from)
    }

    /// From when on a frame that is begun has text whose needs were there at a moment: soon after that, and at once
    /// where the parser is known to have read past it.
    fn seen_from(&self, ready: Millis, paint: Millis) -> Millis {
        self.read_past(paint).map_or(ready + SEEN, |past| past.max(ready).min(ready + SEEN))
    }

    /// When the parser is known to have been past the text of a paint: it had reached a script or sheet below it.
    fn read_past(&self, paint: Millis) -> Option<Millis> {
        let [_, last] = self.load.largest_stands.filter(|_| self.is_largest(paint))?.places()?;
        let below = self.parser.stops.iter().filter(|stop| stop.place.is_some_and(|place| above(last, place)));
        below.map(|stop| stop.released).reduce(Millis::min)
    }

    /// Whether a paint is that of the largest element, or has its text without letters.
    fn is_largest(&self, paint: Millis) -> bool {
        let Some(largest) = self.load.largest() else { return false };
        is_one_paint(largest.at, paint) || self.hides(largest, paint)
    }

    /// Whether a paint has the text of an element that waits for its font still: the first paint counts text that is
    /// held back (Paint Timing, section 4.1), the largest does not.
    fn hides(&self, element: &LcpCandidate, paint: Millis) -> bool {
        let first = self.load.fcp.is_some_and(|fcp| is_one_paint(fcp, paint));
        let held = |(_, font): &(&TextFont, &Request)| font.start < paint && font.end.is_none_or(|end| end > paint);
        first && self.fonts_of(element.at).is_some_and(|fonts| fonts.iter().any(held))
    }

    /// Whether a paint is that of a largest element which a script put in.
    fn is_put_in(&self, paint: Millis) -> bool {
        self.is_largest(paint) && self.load.largest_stands == Some(Standing::Nowhere)
    }

    /// From when on what changed the page shows in a frame: since the frame before, and since all else was there.
    fn since_frame(&self, ready: Millis, drawn: Drawn, paint: Millis) -> Millis {
        let before = self.load.work[..drawn.last].iter().rfind(|w| w.name == WorkName::Paint && w.end() <= drawn.at);
        before.map_or(ready, Work::end).min(paint - ON_ITS_WAY).max(ready)
    }

    /// The longest run of script since a moment that changed the page, up to a frame.
    pub(super) fn changing_run(&self, since: Millis, drawn: Drawn) -> Option<usize> {
        let work = &self.load.work;
        // Where a change is pending already no other is told of; HTML that a run puts in is read within it.
        let changed = |i: &usize| {
            let next = self.load.changes.partition_point(|c| c.at < work[*i].start);
            self.load.changes.get(next).is_some_and(|c| c.at <= work[*i].end()) || self.read_within(*i).is_some()
        };
        let runs = self.runs_between(since, drawn).into_iter().filter(changed);
        runs.max_by(|a, b| work[*a].duration.order(&work[*b].duration))
    }

    /// The run of script that put in words which the markup does not have: what it put in as HTML is read within it;
    /// else the longest that changed the page.
    fn inserting_run(&self, since: Millis, drawn: Drawn) -> Option<usize> {
        let runs = self.runs_between(since, drawn).into_iter();
        let most = runs.filter_map(|run| Some((self.read_within(run)?, run))).max_by(|a, b| a.0.order(&b.0));
        most.map(|(_, run)| run).or_else(|| self.changing_run(since, drawn))
    }

    /// For how long HTML was read within a run of script, where any was.
    fn read_within(&self, run: usize) -> Option<Millis> {
        let work = &self.load.work;
        let within = work[run + 1..].iter().take_while(|w| w.start < work[run].end());
        within.filter(|w| w.name == WorkName::ParseHtml).map(|w| w.duration).reduce(|a, b| a + b)
    }

    fn drawing(&self, from: Moment, at: Millis) -> Vec<Edge> {
        vec![Edge::new(from, at, Cause::Render, About::Browser, LegFact::Drawing).filled(Fill::Thread)]
    }

    /// What it is known to have needed whatever set it off.
    pub(crate) fn known_needs(&self, file: Option<RequestId>, text: bool, paint: Millis) -> Vec<Edge> {
        let file = file.and_then(|id| self.load.request(id));
        let mut edges = Vec::new();
        // What comes once it is painted is not in it, though it is not on the screen yet.
        let told = self.load.painted_by(paint).and_then(|_| self.painting(paint));
        let painted = told.map_or(paint, |place| self.work(place).end().min(paint));
        let drawing =
            |from, at| Edge::new(from, at, Cause::Render, About::Browser, LegFact::Drawing).filled(Fill::Thread);
        if let Some(document) = self.load.document()
            && let Some(first) = document.first_byte.filter(|first| *first <= painted)
        {
            // Text that nothing else holds up waits for the part of the document that it stands in.
            let at = if text { self.read_by(document, first, paint) } else { first };
            edges.push(drawing(Moment::Document, at));
        }
        for request in self.load.requests.iter().filter(|r| r.main_frame) {
            if request.render_blocking == RenderBlocking::Blocking
                && let Some(at) = self.prepared.released(request).filter(|at| *at <= painted)
            {
                edges.push(drawing(Moment::Released(request.id), at));
            }
        }
        // What stands below a script or sheet that stops the parser in the body waits for that too. A
        // picture's bytes may have come long before, by the preload scanner.
        let element = file.map(|f| self.load.first_hop(f)).and_then(|f| place(self.prepared, f));
        let stands = self.load.largest_stands.filter(|_| self.is_largest(paint)).and_then(Standing::places);
        let is_first = self.load.fcp.is_some_and(|fcp| is_one_paint(fcp, paint));
        let words = self.load.words_stand.filter(|_| is_first && stands.is_none()).map(|(line, at)| (line, Some(at)));
        for request in self.load.requests.iter().filter(|r| r.main_frame) {
            let stops = request.render_blocking == RenderBlocking::InBodyParserBlocking;
            let stop = place(self.prepared, request);
            let is_above = match (stop, element, stands) {
                (Some(stop), Some(element), _) => Some(above(stop, element)),
                (Some(stop), None, Some([first, _])) if above(stop, first) => Some(true),
                (Some(stop), None, Some([_, last])) if above(last, stop) => Some(false),
                _ if !text => Some(false),
                // The first words are there before the parser comes to what stands below them; that may show them.
                (Some(stop), ..)
                    if words.is_some_and(|words| above(words, stop)) && !self.changed_by(request, paint) =>
                {
                    Some(false)
                }
                _ => None,
            };
            if stops
                && is_above != Some(false)
                && let Some(stop) = self.parser.at(request.id).filter(|stop| stop.released <= painted)
                && (is_above == Some(true) || self.is_fresh(self.read_after(stop.released), paint))
            {
                edges.push(drawing(stop.moment, stop.released));
            }
        }
        if let Some(file) = file {
            let end = file.end.unwrap_or(paint).min(paint);
            edges.push(drawing(Moment::Done(file.id), end));
        }
        if text {
            let fonts = self.settled_fonts(paint, painted).into_iter();
            edges.extend(fonts.map(|(at, font)| drawing(Moment::FontSettled(font), at)));
        }
        edges
    }

    /// Whether a script changed the page before a paint.
    fn changed_by(&self, script: &Request, paint: Millis) -> bool {
        let changes = self.load.changes.iter().take_while(|c| c.at <= paint);
        changes.filter_map(|c| c.by.url.as_ref()).any(|url| *url == script.url)
    }

    /// Whether no frame was begun between a moment and the frame of a paint: one would have shown text that
    /// had been there.
    fn is_fresh(&self, at: Millis, paint: Millis) -> bool {
        let Some(drawn) = self.drawn(paint) else { return true };
        let before = self.frame_before(drawn);
        before.is_none_or(|before| before <= at)
    }

    /// When the parser had read on after a stop: a frame may be drawn between the two.
    fn read_after(&self, at: Millis) -> Millis {
        let first = self.load.work.partition_point(|w| w.start < at);
        let reads = (first..self.load.work.len())
            .find(|&i| self.load.work[i].name == WorkName::ParseHtml && !self.is_by_script(i));
        reads.map_or(at, |i| self.load.work[i].end())
    }

    /// When style began for the frame before one: no task draws two.
    pub(super) fn frame_before(&self, drawn: Drawn) -> Option<Millis> {
        let work = &self.load.work;
        let task = work[..drawn.last].iter().rposition(|w| w.depth == 0)?;
        let earlier = work[..task].iter().rposition(|w| w.name == WorkName::Paint && w.end() <= drawn.at)?;
        Some(self.begun(earlier))
    }

    /// When the part of the document that text stands in had come: by the last reading of it before the
    /// paint, and by its end at the latest.
    fn read_by(&self, document: &Request, first: Millis, paint: Millis) -> Millis {
        let before = self.drawn(paint).map_or(paint, |d| d.at);
        let read = self.load.work.iter().rfind(|w| w.name == WorkName::ParseHtml && w.start < before);
        let end = document.end.filter(|end| *end <= paint);
        let came = [read.map(|w| w.start), end].into_iter().flatten().reduce(Millis::min);
        came.unwrap_or(first).max(first)
    }

    /// The last piece of painting that a paint can show: of the task in which the page says that it was painted, or
    /// else the last that could still come to the screen.
    pub(crate) fn painting(&self, paint: Millis) -> Option<usize> {
        let work = &self.load.work;
        if let Some(told) = self.load.painted_by(paint)
            && let Some(task) = work.iter().rposition(|w| w.depth == 0 && w.start <= told)
        {
            let inside = work[task + 1..].iter().take_while(|w| w.depth > 0).count();
            let its = (task..=task + inside).rev().find(|i| work[*i].name == WorkName::Paint);
            if its.is_some() {
                return its;
            }
        }
        let ended = |by: Millis| work.iter().rposition(|w| w.name == WorkName::Paint && w.end() <= by);
        ended(paint - TO_SCREEN).or_else(|| ended(paint))
    }

    /// When the main thread began to draw the frame of a paint.
    fn drawn(&self, paint: Millis) -> Option<Drawn> {
        let last = self.painting(paint)?;
        Some(Drawn { last, at: self.begun(last) })
    }

    /// When the frame that a piece of painting belongs to was begun: with the style and layout before it in
    /// the same task.
    pub(crate) fn begun(&self, mut place: usize) -> Millis {
        let work = &self.load.work;
        let mut at = work[place].start;
        while place > 0 && work[place].depth > 0 {
            place -= 1;
            let mut around = std::iter::successors(Some(place), |i| self.parents[*i]);
            match work[place].kind {
                WorkKind::Style | WorkKind::Layout | WorkKind::Paint => at = work[place].start,
                WorkKind::HtmlParse if work[place].name == WorkName::ParseFrame => {}
                WorkKind::ScriptRun if around.any(|i| work[i].is_step_of_frame()) => {}
                WorkKind::ScriptRun | WorkKind::HtmlParse => break,
                // What lies under the pointer is looked up within a frame, for one.
                _ => {}
            }
        }
        at
    }

    /// Whether a frame came later than as soon as could be after everything was there.
    fn is_late(&self, ready: Millis, drawn: Drawn) -> bool {
        let tasks = self.load.work.iter().filter(|w| w.depth == 0);
        let busy: Millis = tasks.map(|w| (w.end().min(drawn.at) - w.start.max(ready)).max(Millis::ZERO)).sum();
        drawn.at - ready - busy >= UNDRAWN
    }

    /// What set a late frame off.
    fn set_off(
        &self,
        ready: Millis,
        drawn: Drawn,
        (file, text): (Option<RequestId>, bool),
        paint: Millis,
    ) -> Vec<Edge> {
        let work = &self.load.work;
        let under_way =
            |a: &crate::Animation| drawn.at - a.from >= UNDRAWN && a.from < drawn.at && drawn.at - a.to <= UNDRAWN;
        let animated = self.load.animations.iter().rposition(under_way);
        // An animation's end sets off a frame of its own: what the frame before it showed already is not the reason.
        let ends = animated.is_some_and(|place| self.load.animations[place].to <= drawn.at + UNDRAWN);
        let shown = self.frame_before(drawn).filter(|_| ends).unwrap_or(Millis::ZERO);
        let since = self.since_frame(ready, drawn, paint).max(shown);
        let drawing = |from, at| self.drawing(from, at);
        let put_in = text && self.is_put_in(paint);
        let faded = self.faded_at(paint, drawn.at).filter(|_| text);
        let repainted = |(candidate, faded): &(usize, _)| self.repainted(*candidate, faded, since, drawn.at);
        if let Some(repainted) = faded.as_ref().filter(|_| !put_in).and_then(repainted) {
            return vec![repainted];
        }
        let run = if put_in { self.inserting_run(since, drawn) } else { self.changing_run(since, drawn) };
        if let Some(run) = run {
            return drawing(Moment::Inside(run, Does::ChangesPage), work[run].end().min(paint));
        }
        if let Some((at, sheet)) = self.sheet_between(since, drawn.at) {
            return drawing(Moment::Released(sheet), at);
        }
        let own = self.fonts_of(paint);
        // The browser tells of the fonts that came: one that did not may be its.
        let came = |r: &Request| r.end.is_some() && r.failed.is_none() && r.status.is_none_or(|status| status < 400);
        let may_be_its =
            |r: &Request| own.as_ref().is_none_or(|own| !came(r) || own.iter().any(|(_, font)| font.id == r.id));
        if text
            && let Some((end, font)) =
                self.last_done(drawn.at, |r| r.kind == ResourceKind::Font && r.main_frame && may_be_its(r))
            && end > since
        {
            return drawing(Moment::Done(font), end);
        }
        // What the parser read when it was past the text is not the reason.
        let past = self.read_past(paint).filter(|_| text);
        let read = self.parsed_between(since, drawn);
        if let Some(read) = read.filter(|read| past.is_none_or(|past| work[*read].start < past)) {
            let at = work[read].start;
            let stop = self.parser.last_above(None, at + Millis(5.0), None).filter(|s| s.released > since);
            return match stop {
                Some(stop) => drawing(stop.moment, stop.released),
                None => drawing(Moment::Began(read), at.max(ready)),
            };
        }
        let paints_nothing =
            |place: &usize| faded.as_ref().is_some_and(|(_, f)| f.animation == *place && f.ends.is_none());
        if let Some(place) = animated.filter(|place| !paints_nothing(place)) {
            return drawing(Moment::Animated(place), drawn.at);
        }
        let runs = self.runs_between(since, drawn).into_iter();
        if let Some(run) = runs.max_by(|a, b| work[*a].duration.order(&work[*b].duration)) {
            return drawing(Moment::Inside(run, Does::ChangesPage), work[run].end().min(paint));
        }
        // How long those wait whose sheet's word on it is known, all that is needed tells already.
        let waits = |r: &&Request| {
            r.kind == ResourceKind::Font
                && r.start < drawn.at
                && r.end.is_none_or(|end| end > paint)
                && may_be_its(r)
                && self.load.display_of(r.id).is_none()
        };
        if let Some(font) = self.load.requests.iter().filter(|_| text).find(waits) {
            return drawing(Moment::FontSettled(font.id), drawn.at);
        }
        drawing(Moment::SetOff { file, text }, drawn.at)
    }

    /// An animation begins with a frame that has the element and its style (CSS Animations, section 3), or with a
    /// script that asks for style once it has set it (CSS Transitions, section 3).
    pub(super) fn animated(&self, place: usize) -> Vec<Edge> {
        let Some(animation) = self.load.animations.get(place) else { return Vec::new() };
        let fact = LegFact::Animates { name: animation.name.clone() };
        if let Some(run) = self.run_at(animation.from) {
            let from = Moment::Inside(run, Does::ChangesPage);
            return vec![Edge::new(from, animation.from, Cause::Animation, About::Browser, fact)];
        }
        // The style of a frame began it, and what had changed since the frame before set that off.
        if let Some(style) = self.style_at(animation.from) {
            let drawn = Drawn { last: style, at: self.begun(style) };
            let needed = self.known_needs(None, true, drawn.at);
            let ready = latest(&needed);
            if self.is_late(ready, drawn) {
                return self.set_off(ready, drawn, (None, true), animation.from);
            }
        }
        let from = Moment::Painted { file: None, text: true };
        vec![Edge::new(from, animation.from, Cause::Animation, About::Browser, fact)]
    }

    /// A run that a frame calls once it has laid the page out, to tell of sizes (Resize Observer, section 3.4): what set
    /// that frame off.
    pub(super) fn called_in_frame(&self, run: usize) -> Option<Vec<Edge>> {
        let before = (0..run).rev().take_while(|i| self.work(*i).depth > 0);
        let lays_out = |i: &usize| matches!(self.work(*i).name, WorkName::Layout | WorkName::PrePaint);
        let layout = before.into_iter().find(|i| lays_out(i) && !self.is_by_script(*i))?;
        let drawn = Drawn { last: layout, at: self.begun(layout) };
        let ready = latest(&self.known_needs(None, true, drawn.at));
        self.is_late(ready, drawn).then(|| self.set_off(ready, drawn, (None, true), self.work(run).start))
    }

    /// The computing of style that a moment is in, or just after.
    fn style_at(&self, at: Millis) -> Option<usize> {
        let started = self.load.work.partition_point(|w| w.start <= at);
        let last = self.load.work[..started].iter().rposition(|w| w.kind == WorkKind::Style)?;
        (at - self.work(last).end() <= STYLED).then_some(last)
    }

    /// All that is known to have been needed was there, and more is not told.
    pub(super) fn not_told(&self, file: Option<RequestId>, text: bool, by: Millis) -> Vec<Edge> {
        let unknown = |edge: Edge| Edge {
            cause: Cause::Unknown,
            about: About::Browser,
            fact: LegFact::DrawnLate,
            fill: Fill::Nothing,
            ..edge
        };
        self.known_needs(file, text, by).into_iter().map(unknown).collect()
    }

    /// Runs of script between two frames; of runs within runs the outermost, which is what a timer or an
    /// answer called.
    fn runs_between(&self, since: Millis, drawn: Drawn) -> Vec<usize> {
        let work = &self.load.work;
        // From the task that was under way on: the screens ask for each of a load's shifts.
        let started = work.partition_point(|w| w.start < since);
        let first = work[..started].iter().rposition(|w| w.depth == 0).unwrap_or(0);
        (first..drawn.last)
            .filter(|i| work[*i].start < drawn.at && work[*i].end() > since && work[*i].script().is_some())
            .filter(|&i| {
                !std::iter::successors(self.parents[i], |p| self.parents[*p]).any(|p| work[p].script().is_some())
            })
            .collect()
    }

    /// A sheet that came into force between two frames without having blocked rendering.
    pub(super) fn sheet_between(&self, since: Millis, until: Millis) -> Option<(Millis, RequestId)> {
        let sheets = self.load.requests.iter().filter(|r| r.kind == ResourceKind::Style && r.main_frame);
        let in_force = sheets.filter_map(|r| Some((self.prepared.released(r)?, r.id)));
        in_force.filter(|(at, _)| *at > since && *at <= until).max_by(|a, b| a.0.order(&b.0))
    }

    /// Whether a piece of work is part of a script's run.
    pub(crate) fn is_by_script(&self, i: usize) -> bool {
        std::iter::successors(self.parents[i], |p| self.parents[*p]).any(|p| {
            matches!(
                self.work(p).name,
                WorkName::Evaluate
                    | WorkName::Call
                    | WorkName::Microtasks
                    | WorkName::Timer
                    | WorkName::Event
                    | WorkName::AnimationFrame
            )
        })
    }

    /// Where the parser last read on between two frames. What a script puts in as HTML is parsed too, inside
    /// the script's run.
    fn parsed_between(&self, since: Millis, drawn: Drawn) -> Option<usize> {
        (0..drawn.last).rfind(|&i| {
            let w = self.work(i);
            w.name == WorkName::ParseHtml && w.start < drawn.at && w.end() > since && !self.is_by_script(i)
        })
    }
}
