//! How a request came to be asked for: by whom, and what had to be there for that (Fetch; Resource Hints).

use super::busy::is_in_style;
use super::parser::REACHED;
use super::stops::{Place, Stop};
use super::{About, AskedFor, Cause, Does, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::{Initiator, InitiatorKind, Millis, RenderBlocking, Request, RequestId, ResourceKind, WorkName};
use std::sync::Arc;

/// What style or layout needs is asked for within this time.
const ASKED: Millis = Millis(10.0);
/// A worker or a stream of events is asked for so soon after the script that opens it has ended.
const OPENED: Millis = Millis(20.0);

/// Whether a run may be what asked, where a script is named: an inner frame is asked for once that has ended.
fn may_have_asked(by: &Initiator, url: Option<&Arc<str>>) -> bool {
    by.kind != InitiatorKind::Script || by.stack.iter().any(|u| Some(u) == url)
}

impl Graph<'_> {
    /// What asking for a request needed.
    pub(super) fn asked(&self, id: RequestId) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        if let Some(from) = request.redirected_from.and_then(|id| self.load.request(id)) {
            let fact = LegFact::Redirected { from: from.url.clone() };
            // The hop's own answer has its legs; without its time, all of it is one.
            let (moment, at) = match from.final_headers.or(from.first_byte).filter(|at| *at <= request.start + SLACK) {
                Some(answered) => (Moment::Answered(from.id), answered.min(request.start)),
                None => (Moment::Asked(from.id), from.start),
            };
            return vec![Edge::new(moment, at, Cause::Redirect, About::Request(from.id), fact)];
        }
        let navigation = request.main_frame && request.initiator.kind == InitiatorKind::Navigation;
        if self.is_document(id) || navigation {
            let fact = LegFact::NavigationStarts;
            return vec![Edge::new(Moment::Start, Millis::ZERO, Cause::Navigation, About::Browser, fact)];
        }
        let file = request.url.clone();
        match request.initiator.kind {
            InitiatorKind::Parser | InitiatorKind::Unknown if self.is_lazy(request) => self.asked_by_layout(request),
            InitiatorKind::Script => self.asked_by_script(request),
            // No tag asks for data, and no style for a font while a script is at work: what the browser names then is
            // where the parser was.
            InitiatorKind::Parser | InitiatorKind::Unknown if self.is_asked_by_run(request) => {
                self.asked_by_script(request)
            }
            // No tag names a font but a preload; what a style in the document names is told as the parser's.
            InitiatorKind::Parser if request.kind == ResourceKind::Font => self.asked_by_style(request),
            InitiatorKind::Style => self.asked_by_style(request),
            // Once the document is parsed, nobody is named for what an element's own style names.
            InitiatorKind::Parser | InitiatorKind::Unknown if is_in_style(self.load, request.start) => {
                self.asked_by_style(request)
            }
            // What is asked for once the document is parsed, a script put in: as HTML, which is parsed as well.
            InitiatorKind::Parser | InitiatorKind::Unknown
                if self.is_parsed_by(request) && self.run_before(request.start).is_some() =>
            {
                self.asked_by_script(request)
            }
            InitiatorKind::Parser if request.kind == ResourceKind::Document => self.reached_in_document(request),
            InitiatorKind::Parser | InitiatorKind::Preload => self.found_in_document(request),
            InitiatorKind::Redirect | InitiatorKind::Navigation | InitiatorKind::Unknown => {
                self.back_to_document(Cause::Unknown, LegFact::AskedFor { file, why: AskedFor::NotTold })
            }
        }
    }

    /// Whether a script asked for what no markup asks for: data, a stream of events, a worker, and a font while the
    /// script is at work.
    fn is_asked_by_run(&self, request: &Request) -> bool {
        let told = request.initiator.kind == InitiatorKind::Parser;
        let at_work = match request.kind {
            ResourceKind::Data => true,
            ResourceKind::Script => !told,
            ResourceKind::Font => self.run_at(request.start).is_some() && !is_in_style(self.load, request.start),
            _ => false,
        };
        at_work && request.main_frame && self.run_behind(request.start).is_some()
    }

    /// Whether the document was parsed when something was asked for.
    fn is_parsed_by(&self, request: &Request) -> bool {
        request.main_frame && self.load.dom_interactive.is_some_and(|parsed| request.start > parsed + SLACK)
    }

    /// The last outermost run of script to have begun in the task that a moment is in, or just after.
    fn run_before(&self, at: Millis) -> Option<usize> {
        let covers = |w: &crate::Work| w.start <= at + SLACK && w.end() + SLACK >= at;
        let task = self.load.work.iter().rposition(|w| w.depth == 0 && covers(w))?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0).count();
        let runs = (task..=task + inside).rev().filter(|i| self.load.work[*i].start <= at + SLACK);
        let last = runs.into_iter().find(|i| self.load.work[*i].script().is_some())?;
        let around = std::iter::successors(Some(last), |i| self.parents[*i]);
        around.filter(|i| self.load.work[*i].script().is_some()).last()
    }

    /// The run that a request came of: in its task, or else the last to have ended shortly before. Workers and streams
    /// are asked for once the script that opened them has ended.
    fn run_behind(&self, at: Millis) -> Option<usize> {
        let before = || {
            let started = self.load.work.partition_point(|w| w.start <= at);
            let recent = self.load.work[..started].iter().enumerate().rev();
            let mut recent = recent.take_while(|(_, w)| w.depth > 0 || at - w.end() <= OPENED);
            let (last, _) = recent.find(|(_, w)| w.script().is_some() && at - w.end() <= OPENED)?;
            let around = std::iter::successors(Some(last), |i| self.parents[*i]);
            around.filter(|i| self.load.work[*i].script().is_some()).last()
        };
        self.run_before(at).or_else(before)
    }

    fn is_lazy(&self, request: &Request) -> bool {
        self.load.page.as_ref().is_some_and(|p| p.images.iter().any(|i| i.lazy && i.url == *request.url))
    }

    /// Layout told that a lazy picture is near the screen (HTML, section 2.5.7): the element had to be there.
    fn asked_by_layout(&self, request: &Request) -> Vec<Edge> {
        let lazy = || LegFact::AskedFor { file: request.url.clone(), why: AskedFor::Lazy };
        let mut edges = self.back_to_document(Cause::Lazy, lazy());
        if let Some(stop) = self.stop_since_frame(None, request.start) {
            let edge = Edge::new(stop.moment, stop.released, Cause::Lazy, About::Browser, lazy());
            edges.push(edge.filled(Fill::Thread));
        }
        // There is no layout while rendering is blocked.
        for (at, blocker) in self.blockers_by(request.start) {
            let edge = Edge::new(Moment::Released(blocker), at, Cause::Lazy, About::Browser, lazy());
            edges.push(edge.filled(Fill::Thread));
        }
        edges.extend(self.change_since_frame(request.start, Cause::Lazy, lazy()));
        edges
    }

    fn asked_by_script(&self, request: &Request) -> Vec<Edge> {
        let file = request.url.clone();
        if let Some(run) = self.asking_run(request)
            && let Some(url) = self.url_of(run)
        {
            let fact = LegFact::AskedByRun { file, script: self.code(&url) };
            return self.during(run, request.start, &fact);
        }
        let by = request.initiator.stack.first().or(request.initiator.url.as_ref()).cloned();
        let import = request.initiator.stack.is_empty();
        let there = |r: &&Request| {
            Some(&r.url) == by.as_ref() && r.id != request.id && r.end.is_some_and(|e| e <= request.start + SLACK)
        };
        if let Some(script) = self.load.requests.iter().rev().find(there) {
            let end = script.end.unwrap_or(request.start);
            let by = script.url.clone();
            // Of a worker's runs nothing is told: it asks for one thing once another has come.
            let earlier = self.prepared.answers_to(&by).iter().map(|(_, id)| *id).filter(|id| *id != request.id);
            let answer = self.last_answer(earlier, request.start).filter(|(at, _)| *at > end && !import);
            let (at, from) = answer.unwrap_or((end, Moment::Done(script.id)));
            let fact = if import { LegFact::Imported { file, by } } else { LegFact::AskedLater { file, by } };
            let edge = Edge::new(from, at, Cause::ScriptWait, About::Request(script.id), fact);
            return vec![edge.filled(Fill::Thread)];
        }
        self.back_to_document(Cause::Unknown, LegFact::AskedFor { file, why: AskedFor::UnknownRun })
    }

    /// What a sheet names is asked for when style needs it: the sheet in force, rendering let go, and an
    /// element there that it fits (CSS Images, section 2; CSS Fonts, section 4.3).
    fn asked_by_style(&self, request: &Request) -> Vec<Edge> {
        let file = request.url.clone();
        let by = request.initiator.url.as_ref();
        let there = |r: &&Request| {
            Some(&r.url) == by && r.id != request.id && r.end.is_some_and(|e| e <= request.start + Millis(1.0))
        };
        let sheet = self.load.requests.iter().rev().find(there);
        let mut edges = match sheet {
            Some(sheet) if sheet.kind == ResourceKind::Style => {
                let found = |gate| LegFact::FoundThrough { file: file.clone(), sheet: sheet.url.clone(), gate };
                let about = || About::Request(sheet.id);
                let released = self.prepared.released(sheet).filter(|at| *at <= request.start);
                let (moment, at) = match released {
                    // Its imports are asked for while it is being parsed.
                    Some(at) if request.kind != ResourceKind::Style => (Moment::Released(sheet.id), at),
                    _ => (Moment::Done(sheet.id), sheet.end.unwrap_or(request.start)),
                };
                let mut edges =
                    vec![Edge::new(moment, at, Cause::StyleFound, about(), found(None)).filled(Fill::Thread)];
                // No style is computed, and so nothing found through it, while rendering is blocked.
                let blockers = self.blockers_by(request.start).into_iter();
                for (at, blocker) in blockers.filter(|(_, id)| *id != sheet.id && request.kind != ResourceKind::Style) {
                    let gate = self.load.request(blocker).map(|r| r.url.clone());
                    let edge = Edge::new(Moment::Released(blocker), at, Cause::StyleFound, about(), found(gate));
                    edges.push(edge.filled(Fill::Thread));
                }
                edges
            }
            _ => {
                let fact = LegFact::AskedFor { file: file.clone(), why: AskedFor::InlineStyle };
                let mut edges = self.back_to_document(Cause::StyleFound, fact.clone());
                for (at, blocker) in self.blockers_by(request.start) {
                    let edge =
                        Edge::new(Moment::Released(blocker), at, Cause::StyleFound, About::Browser, fact.clone());
                    edges.push(edge.filled(Fill::Thread));
                }
                edges
            }
        };
        if request.kind != ResourceKind::Style {
            // A frame was drawn with all that, and had not needed it: an element came, or changed.
            let known = edges.iter().map(|e| e.at).fold(Millis::ZERO, Millis::max);
            if self.drawn_between(known, request.start) {
                let fact = LegFact::AskedFor { file, why: AskedFor::Element };
                if let Some(stop) = self.stop_since_frame(self.shown_below(request), request.start) {
                    let about = About::Browser;
                    let edge = Edge::new(stop.moment, stop.released, Cause::StyleFound, about, fact.clone());
                    edges.push(edge.filled(Fill::Thread));
                }
                edges.extend(self.change_since_frame(request.start, Cause::StyleFound, fact));
            }
        }
        edges
    }

    /// Whether a frame was drawn between two moments: its style needed nothing of what the later one brought.
    fn drawn_between(&self, from: Millis, to: Millis) -> bool {
        let after = self.load.work.partition_point(|w| w.start < from);
        let mut paints = self.load.work[after..].iter().take_while(|w| w.start < to);
        paints.any(|w| w.name == WorkName::Paint && w.end() <= to - ASKED)
    }

    /// When the last frame before a moment was begun: what was there then is in it. The frame whose style or
    /// layout the moment comes from is not before it.
    fn frame_by(&self, at: Millis) -> Millis {
        let paint = self.load.work.iter().rposition(|w| w.name == WorkName::Paint && w.end() <= at - ASKED);
        paint.map_or(Millis::ZERO, |place| self.begun(place))
    }

    /// The last run of script to have changed the page since the last frame.
    fn change_since_frame(&self, at: Millis, cause: Cause, fact: LegFact) -> Option<Edge> {
        let since = self.frame_by(at);
        let change = self.load.changes.iter().rfind(|c| c.at >= since && c.at <= at)?;
        let run = self.run_at(change.at)?;
        let end = self.work(run).end().min(at);
        Some(Edge::new(Moment::Inside(run, Does::ChangesPage), end, cause, About::Browser, fact).filled(Fill::Thread))
    }

    /// The last place at which the element may stand that shows a picture, where it is the largest.
    fn shown_below(&self, picture: &Request) -> Option<Place> {
        let largest = self.load.largest().filter(|l| l.url.as_deref() == Some(&*picture.url));
        largest.and(self.load.largest_stands?.places()).map(|[_, last]| last)
    }

    /// A stop of the parser above a place since whose release, and since the last frame, it went on and brought elements.
    fn stop_since_frame(&self, below: Option<Place>, at: Millis) -> Option<Stop> {
        let since = self.frame_by(at);
        let stop = self.parser.last_above(below, at, None)?;
        let after = self.load.work.partition_point(|w| w.start < since);
        let mut reads = (after..self.load.work.len()).take_while(|i| self.work(*i).start <= at).filter(|i| {
            let work = self.work(*i);
            work.name == WorkName::ParseHtml && work.start - stop.released <= REACHED && !self.is_by_script(*i)
        });
        (stop.released >= since || reads.next().is_some()).then_some(stop)
    }

    /// The requests that block rendering and had let go by a moment, and when.
    pub(crate) fn blockers_by(&self, by: Millis) -> Vec<(Millis, RequestId)> {
        let blocks = |r: &&Request| r.render_blocking == RenderBlocking::Blocking && r.main_frame;
        let let_go = self.load.requests.iter().filter(blocks).filter_map(|r| Some((self.prepared.released(r)?, r.id)));
        let_go.filter(|(at, _)| *at <= by + Millis(0.01)).collect()
    }

    /// The last request to hold the parser and rendering that let go by `by`, other than one.
    pub(super) fn last_block(&self, by: Millis, other_than: RequestId) -> Option<(Millis, RequestId)> {
        let holds = |id: RequestId| self.load.request(id).is_some_and(|r| self.holds_parser(r));
        let blockers = self.blockers_by(by).into_iter();
        blockers.filter(|(_, id)| *id != other_than && holds(*id)).max_by(|a, b| a.0.order(&b.0))
    }

    /// The outermost run of script that asked for a request.
    fn asking_run(&self, request: &Request) -> Option<usize> {
        let at = request.start;
        let at_end = at + SLACK;
        let covering = |w: &crate::Work| w.start <= at_end && w.end() + SLACK >= at;
        let by = &request.initiator;
        // The parser names the document, whoever handed it the HTML.
        let by_script = by.kind != InitiatorKind::Parser;
        let named = |url: Option<&std::sync::Arc<str>>| {
            by_script && by.stack.iter().chain(by.url.iter()).any(|u| Some(u) == url)
        };
        let runs = self.load.work.iter().enumerate().filter(|(_, w)| covering(w) && w.script().is_some());
        // Prefer the script that the stack names; among its pieces, the outermost.
        let mut candidates: Vec<(usize, bool, u16)> = runs.map(|(i, w)| (i, named(w.url.as_ref()), w.depth)).collect();
        candidates.sort_by_key(|&(i, named, depth)| (!named, depth, i));
        if let Some(found) = candidates.first().filter(|c| c.1) {
            return Some(found.0);
        }
        // A picture is fetched after the script that inserted it has ended, within the same task.
        let task = self.load.work.iter().rposition(|w| w.depth == 0 && covering(w));
        let inside = |task: usize| {
            let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0).count();
            let runs = (task + 1..=task + inside).rev();
            runs.into_iter().filter(|&i| self.load.work[i].start <= at_end && self.load.work[i].script().is_some())
        };
        let inserted = task.and_then(|task| inside(task).find(|&i| named(self.load.work[i].url.as_ref())));
        inserted
            .or_else(|| candidates.first().map(|c| c.0))
            .or_else(|| self.run_behind(at).filter(|&i| may_have_asked(by, self.load.work[i].url.as_ref())))
    }
}
