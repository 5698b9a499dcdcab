//! A later run of a script (HTML, section 8.1.7): what called it. A timer and who set it, a callback and
//! who asked for it, an event and what it tells of, an answer.

use super::busy::is_synchronous;
use super::{About, Cause, Code, Does, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::{InitiatorKind, Millis, Request, RequestId, ResourceKind, Work, WorkName, ran_just_before};
use std::sync::Arc;

/// An answer is taken, and an event delivered, at most so long after it was there.
const TAKEN: Millis = Millis(60.0);
/// What another asked for is taken so soon after it came: more is chance.
const ANOTHERS: Millis = Millis(20.0);
/// A module is asked for so soon after the script that imports it asked for that, or before.
const IMPORT_ASKED: Millis = Millis(5.0);
/// The failure of a request is told at most so long after the page knew of it.
const FAILURE_TOLD: Millis = Millis(5.0);
/// Handlers of the load event follow so soon after what the trace marks as its start.
const AT_LOAD: Millis = Millis(5.0);
/// The end of an animation is told within two frames.
const OVER_TOLD: Millis = Millis(34.0);
/// Between a run and the promises that it kept lies nothing else.
const AT_ONCE: Millis = Millis(0.2);
/// So many pieces of work are looked back through for who asked the browser; hostile files have more.
const MOST_SEEN: usize = 1_000;
/// A callback that has looked so often before is waiting for something.
const LOOKS: usize = 2;

impl Graph<'_> {
    /// A run that was under way: it had begun; and where it waited for an answer within, that was there.
    pub(super) fn inside(&self, run: usize, does: Does, by: Millis) -> Vec<Edge> {
        let Some(url) = self.url_of(run) else { return self.document_by(by) };
        // A library that calls handlers back has the thread for those who gave them to it.
        let url = match does {
            Does::Provides => url,
            Does::Schedules => self.at_work(run, &url, by),
            Does::ChangesPage => self.at_work(run, &url, self.last_change(run, by)),
        };
        let script = self.code(&url);
        let fact = match does {
            Does::Schedules => LegFact::SetsTimer { script },
            Does::ChangesPage => LegFact::ChangesPage { script },
            Does::Provides => LegFact::FirstRun { script },
        };
        let edges = self.during(run, by, &fact).into_iter();
        edges.map(|edge| Edge { about: About::Script(url.clone()), ..edge }.filled(Fill::Handlers)).collect()
    }

    /// The same, with what is to be said of it.
    pub(super) fn during(&self, run: usize, by: Millis, fact: &LegFact) -> Vec<Edge> {
        let work = self.work(run);
        let Some(url) = self.url_of(run) else { return self.document_by(by) };
        let about = || About::Script(url.clone());
        let mut edges = vec![Edge::new(Moment::Began(run), work.start, Cause::Script, about(), fact.clone())];
        // A request that the script stands still for (XMLHttpRequest, section 3.5.6) goes before all others.
        let within = |r: &&Request| is_synchronous(r) && r.start >= work.start - SLACK;
        let waited = self.load.requests.iter().filter(within).filter_map(|r| Some((r.end?, r.id)));
        if let Some((end, id)) = waited.filter(|(end, _)| *end <= by).max_by(|a, b| a.0.order(&b.0)) {
            edges.push(Edge::new(Moment::Done(id), end, Cause::Script, about(), fact.clone()));
        }
        edges
    }

    /// What a piece of script that is not its first run waited for.
    pub(super) fn later_run(&self, index: usize) -> Vec<Edge> {
        let mut edges = self.called_by(index);
        if let Some(last) = edges.iter().map(|e| e.at).max_by(Millis::order) {
            edges.extend(self.callees(index, last));
        }
        edges
    }

    /// What called it.
    fn called_by(&self, index: usize) -> Vec<Edge> {
        let began = self.work(index).start;
        let Some(url) = self.url_of(index) else { return self.document_by(began) };
        let around: Vec<usize> = std::iter::successors(Some(index), |i| self.parents[*i]).collect();
        if let Some(edge) = self.looked_for(index, &around, &url) {
            return vec![edge];
        }
        if let Some(edge) = self.right_after(&around, &url) {
            return vec![edge];
        }
        if let Some(edge) = around.iter().find_map(|&i| self.timer(i, &url)) {
            return vec![edge];
        }
        if let Some(edges) = self.scheduled(&around, &url) {
            return edges;
        }
        let event = around.iter().find(|&&i| self.work(i).name == WorkName::Event);
        if let Some(edges) = event.and_then(|&i| self.event(i, &url)) {
            return edges;
        }
        let event = event.and_then(|&i| self.work(i).event.clone());
        let called = || self.answer(index, &url).or_else(|| self.stream_says(index));
        if let Some(edge) = called().or_else(|| self.message_of_nobody(&around, &url)) {
            return vec![edge];
        }
        self.since_first_run(index, &url, event)
    }

    /// Promises' callbacks that run at the end of another script's run, or as soon as a run of the same task is over: it
    /// kept them (HTML, section 8.1.4.4, "clean up after running script").
    fn right_after(&self, around: &[usize], url: &Arc<str>) -> Option<Edge> {
        let place = around.iter().rposition(|&i| self.work(i).name == WorkName::Microtasks)?;
        let (promises, outer) = (around[place], around.get(place + 1).copied());
        let began = self.work(promises).start;
        let edge = |run, at| {
            let fact = LegFact::CalledBack { script: self.code(url) };
            let from = Moment::Inside(run, Does::Schedules);
            Edge::new(from, at, Cause::ScriptWait, About::Script(url.clone()), fact).filled(Fill::Thread)
        };
        if let Some(outer) = outer.filter(|&i| self.work(i).script().is_some_and(|by| by != url)) {
            return Some(edge(outer, began));
        }
        let before = (0..promises).rev().take_while(|i| self.work(*i).depth > 0);
        let beside = before.into_iter().find(|i| self.parents[*i] == self.parents[promises])?;
        let ended = self.work(beside).end();
        let run = (beside..promises).find(|i| self.work(*i).script().is_some())?;
        (began - ended <= AT_ONCE).then(|| edge(run, ended))
    }

    /// A timer: back to whoever set it.
    fn timer(&self, index: usize, url: &Arc<str>) -> Option<Edge> {
        let work = self.work(index);
        let timer = work.timer.filter(|_| work.name == WorkName::Timer)?;
        let set = self.load.timers.iter().rev().find(|t| t.timer == timer && t.at <= work.start)?;
        let setter = self.run_at(set.at)?;
        let fact = LegFact::TimerRuns { script: self.code(url), timeout: set.timeout };
        let from = Moment::Inside(setter, Does::Schedules);
        let due = set.at + set.timeout;
        Some(Edge::new(from, set.at, Cause::Timer, About::Script(url.clone()), fact).filled(Fill::ThreadSince(due)))
    }

    /// A callback that was asked for: a frame, an idle moment, a message to oneself.
    fn scheduled(&self, around: &[usize], url: &Arc<str>) -> Option<Vec<Edge>> {
        let outermost = around.iter().rev().find(|&&i| self.work(i).name != WorkName::Task)?;
        let (from, to) = (self.work(*outermost).start, self.work(around[0]).start);
        let first = self.load.scheduled.partition_point(|s| s.ran < from - SLACK);
        let within = self.load.scheduled[first..].iter().take_while(|s| s.ran <= to + Millis(0.01));
        // Of callbacks run in one frame, the last to begin before this run.
        let asked = within.filter(|s| s.at < s.ran).last()?;
        let fact = LegFact::CalledBack { script: self.code(url) };
        let about = About::Script(url.clone());
        let edge = |from, at| Edge::new(from, at, Cause::ScriptWait, about.clone(), fact.clone()).filled(Fill::Thread);
        // The tag that puts a script in asked for its load event: it is told once that has run, in the same task.
        if let Some(edges) = self.load_of_script(around, url) {
            return Some(edges);
        }
        let told = self.in_promises(around[0]) || around.iter().any(|i| self.work(*i).name == WorkName::Event);
        if let Some((came, module)) = self.imported_since(url, asked.at, to).filter(|_| told) {
            return Some(vec![edge(Moment::Done(module), came)]);
        }
        if let Some(asker) = self.run_at(asked.at) {
            return Some(vec![edge(Moment::Inside(asker, Does::Schedules), asked.at)]);
        }
        // By promises that an event kept: what that tells of.
        if asked.by.is_none()
            && let Some(edges) = self.event_at(asked.at).and_then(|event| self.event(event, url))
        {
            return Some(edges);
        }
        // By promises of a script that is not told: they were kept by what came just before.
        if asked.by.is_none() && self.are_promises(asked.at) {
            let by_script = self.load.requests.iter().filter(|r| r.initiator.kind == InitiatorKind::Script);
            let data = by_script.filter(|r| r.kind == ResourceKind::Data);
            let (at, moment) = self.last_answer(data.map(|r| r.id), asked.at)?;
            return Some(vec![edge(moment, at)]);
        }
        // Posted elsewhere, by a worker or a frame of another process: its file, or what came there since.
        let by = asked.by.as_ref()?;
        let own = self.prepared.all_for(by).next_back().map(|r| (r.end.unwrap_or(asked.at).min(asked.at), r.id));
        let own = own.map(|(at, id)| (at, Moment::Done(id)));
        let its = self.load.requests.iter().filter(|r| !r.main_frame && r.initiator.url.as_ref() == Some(by));
        let came = its.filter_map(|r| self.there_by(r.id, asked.at));
        let (at, moment) = own.into_iter().chain(came).max_by(|a, b| a.0.order(&b.0))?;
        Some(vec![edge(moment, at)])
    }

    /// The event that is being told of at a moment.
    fn event_at(&self, at: Millis) -> Option<usize> {
        let task = self.prepared.task_at(at)?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0).count();
        (task..=task + inside).rev().find(|&i| {
            let work = self.work(i);
            work.name == WorkName::Event && work.start <= at && work.end() >= at
        })
    }

    /// The event of a script that has just run (HTML, section 4.12.1.3, last steps).
    fn load_of_script(&self, around: &[usize], url: &Arc<str>) -> Option<Vec<Edge>> {
        let event = *around.iter().find(|&&i| self.work(i).name == WorkName::Event)?;
        let task = self.work(*around.last()?).start;
        let ran = |edge: &Edge| matches!(edge.from, Moment::Released(_)) && edge.at >= task;
        self.event(event, url).filter(|edges| edges.iter().all(ran))
    }

    /// A module that a script imports as it runs (HTML, section 8.1.6.7.3), or a script that it puts in and whose load
    /// event it is told, with those that this imports in turn: the last of them to come.
    fn imported_since(&self, url: &Arc<str>, asked: Millis, by: Millis) -> Option<(Millis, RequestId)> {
        let came = |id: RequestId| Some((self.load.request(id)?.end?, id));
        let is_import = |id: &RequestId| {
            self.load
                .request(*id)
                .is_some_and(|r| r.kind == ResourceKind::Script && (r.start - asked).0.abs() <= IMPORT_ASKED.0)
        };
        let modules = self.prepared.answers_to(url).iter().map(|(_, id)| *id).filter(is_import);
        let imports = |module: RequestId| {
            let url = self.load.request(module).map(|r| r.url.clone());
            url.map(|url| self.imports(&url, by)).unwrap_or_default().into_iter().map(|(id, _)| id)
        };
        let all = modules.flat_map(|module| std::iter::once(module).chain(imports(module))).filter_map(came);
        all.filter(|(end, _)| *end <= by + SLACK).max_by(|a, b| a.0.order(&b.0))
    }

    /// Whether promises' callbacks were at work at a moment.
    fn are_promises(&self, at: Millis) -> bool {
        let started = self.load.work.partition_point(|w| w.start <= at);
        let recent = self.load.work[..started].iter().rev().take_while(|w| w.depth > 0 || w.end() >= at);
        recent.into_iter().any(|w| w.name == WorkName::Microtasks && w.end() >= at)
    }

    /// The last of some answers to be there by a moment, not long before it. Who asked for data by a promise is told when
    /// its headers are there (Fetch, section 5.6), and again once it has all been read.
    fn last_answer(&self, answers: impl Iterator<Item = RequestId>, by: Millis) -> Option<(Millis, Moment)> {
        let there = answers.filter_map(|id| self.there_by(id, by));
        there.filter(|(at, _)| self.is_soon_after(*at, by)).max_by(|a, b| a.0.order(&b.0))
    }

    /// Whether what came is taken up soon enough: what the thread was at when it came is not counted.
    fn is_soon_after(&self, came: Millis, taken: Millis) -> bool {
        let free = self.prepared.task_at(came).map_or(came, |task| self.work(task).end());
        taken - free < TAKEN
    }

    /// What of an answer was there by a moment: all of it, or of data the headers.
    fn there_by(&self, id: RequestId, by: Millis) -> Option<(Millis, Moment)> {
        let request = self.load.request(id)?;
        let told = request.kind == ResourceKind::Data && request.failed.is_none();
        let headers = request.final_headers.or(request.first_byte).filter(|_| told);
        let done = request.end.map(|end| (end, Moment::Done(id)));
        let answered = headers.map(|at| (at, Moment::Answered(id)));
        done.into_iter().chain(answered).find(|(at, _)| *at <= by)
    }

    /// A callback that comes again and again waits for something: what ran for the first time since it
    /// looked last.
    fn looked_for(&self, index: usize, around: &[usize], url: &Arc<str>) -> Option<Edge> {
        let repeats = |w: &Work| matches!(w.name, WorkName::Timer | WorkName::AnimationFrame);
        let container = *around.iter().find(|&&i| repeats(self.work(i)))?;
        let own = self.work(index);
        let same =
            |w: &Work| w.name == own.name && w.url == own.url && w.function == own.function && w.line == own.line;
        let earlier = self.load.work[..container].iter().enumerate().rev().filter(|(i, w)| {
            same(w) && std::iter::successors(Some(*i), |i| self.parents[*i]).any(|i| repeats(self.work(i)))
        });
        let looks: Vec<Millis> = earlier.take(LOOKS).map(|(_, w)| w.start).collect();
        let last = *looks.first().filter(|_| looks.len() >= LOOKS)?;
        let after = self.load.work.partition_point(|w| w.start < last);
        let ran = self.load.work[after..container]
            .iter()
            .rposition(|w| w.name == WorkName::Evaluate && w.url.as_ref().is_some_and(|u| u != url))?;
        let (ran, provider) = (after + ran, self.work(after + ran));
        let file = provider.url.clone().unwrap_or_else(|| url.clone());
        let fact = LegFact::Looks { script: self.code(url), brought_by: self.code(&file) };
        let from = Moment::Inside(ran, Does::Provides);
        Some(Edge::new(from, provider.end(), Cause::Timer, About::Script(url.clone()), fact).filled(Fill::Thread))
    }

    /// An event: what it tells of.
    fn event(&self, index: usize, url: &Arc<str>) -> Option<Vec<Edge>> {
        let work = self.work(index);
        let edges = match work.event.as_deref()? {
            "DOMContentLoaded" | "readystatechange" => self.document_parsed(work),
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

    /// A message whose sender is not told, of a worker or an inner frame: what had come there just before.
    fn message_of_others(&self, by: Millis, url: &Arc<str>) -> Option<Edge> {
        let theirs = self.load.requests.iter().filter(|r| !r.main_frame);
        let workers =
            self.load.requests.iter().filter(|r| {
                r.main_frame && r.kind == ResourceKind::Script && r.initiator.kind == InitiatorKind::Unknown
            });
        let (at, moment) = self.last_answer(theirs.chain(workers).map(|r| r.id), by)?;
        let fact = LegFact::CalledBack { script: self.code(url) };
        Some(Edge::new(moment, at, Cause::ScriptWait, About::Script(url.clone()), fact).filled(Fill::Thread))
    }

    /// A run of which nothing is told but that it had a task of its own takes a message on a channel by name, or of a
    /// worker that pages share (HTML, sections 9.5 and 10.2.6): another script posted it that had just run, or what had
    /// just come elsewhere.
    fn message_of_nobody(&self, around: &[usize], url: &Arc<str>) -> Option<Edge> {
        let &[run, task] = around else { return None };
        let by_another = |w: &Work| w.script().is_some_and(|by| by != url);
        if let Some(by) = ran_just_before(&self.load.work, self.work(task).start, by_another) {
            let fact = LegFact::CalledBack { script: self.code(url) };
            let (from, about) = (Moment::Inside(by, Does::Schedules), About::Script(url.clone()));
            return Some(Edge::new(from, self.work(by).end(), Cause::ScriptWait, about, fact).filled(Fill::Thread));
        }
        self.message_of_others(self.work(run).start, url)
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

    /// A message of a stream of events.
    fn stream_says(&self, index: usize) -> Option<Edge> {
        let began = self.work(index).start;
        let streams = self.prepared.streams();
        let part = |r: &Request| {
            let part = r.parts.iter().rev().map(|p| p.at).find(|at| *at <= began + SLACK)?;
            self.is_soon_after(part, began).then_some((part, r.id))
        };
        let (part, id) = streams.filter_map(part).max_by(|a, b| a.0.order(&b.0))?;
        let stream = self.load.request(id)?;
        let fact = LegFact::StreamSays { file: stream.url.clone() };
        let at = stream.first_byte.unwrap_or(part).min(part);
        Some(Edge::new(Moment::Answered(id), at, Cause::Wait, About::Request(id), fact))
    }

    /// The data, picture or script that a script had asked for and that came just before.
    fn answer(&self, index: usize, url: &Arc<str>) -> Option<Edge> {
        let began = self.work(index).start;
        let script = self.prepared.first_for(url).map(|s| s.id);
        // A module goes on when those that it imports have what they await.
        let imports = if self.in_promises(index) { self.imports(url, began) } else { Vec::new() };
        let scripts = std::iter::once(url).chain(imports.iter().map(|(_, url)| url));
        let found: Vec<RequestId> = scripts
            .flat_map(|by| self.prepared.answers_to(by))
            .map(|(_, id)| *id)
            .filter(|id| Some(*id) != script)
            .collect();
        let fact = LegFact::TakesAnswer { script: self.code(url) };
        let taken = |(at, moment): (Millis, Moment)| {
            Edge::new(moment, at, Cause::Handover, About::Script(url.clone()), fact.clone()).filled(Fill::Thread)
        };
        // A failure is told to the page before it is told to who records.
        let failed = found
            .iter()
            .filter_map(|id| self.load.request(*id))
            .find(|r| r.failed.is_some() && r.end.is_some_and(|end| end > began && end - began <= FAILURE_TOLD));
        if let Some(failed) = failed {
            return Some(taken((began, Moment::Done(failed.id))));
        }
        if let Some(last) = self.last_answer(found.into_iter(), began) {
            return Some(taken(last));
        }
        if !self.in_promises(index) {
            return None;
        }
        // A picture that a script asked for is told of by a promise once it is decoded (HTML, section 4.8.4.5).
        let own = |r: &&Request| r.kind == ResourceKind::Image && r.initiator.stack.contains(url);
        let pictures = self.load.requests.iter().filter(own).map(|r| r.id);
        if let Some(last) = self.last_answer(pictures, began) {
            return Some(taken(last));
        }
        // Fonts are told of by promises; and what another script asked for, or a tag ahead of all scripts, is kept as one.
        let of = |kinds: &'static [ResourceKind]| {
            let its = self.load.requests.iter().filter(|r| kinds.contains(&r.kind));
            self.last_answer(its.map(|r| r.id), began)
        };
        let others = of(&[ResourceKind::Data, ResourceKind::Other]).filter(|(at, _)| began - *at < ANOTHERS);
        of(&[ResourceKind::Font]).into_iter().chain(others).max_by(|a, b| a.0.order(&b.0)).map(taken)
    }

    fn in_promises(&self, index: usize) -> bool {
        std::iter::successors(Some(index), |i| self.parents[*i]).any(|i| self.work(i).name == WorkName::Microtasks)
    }

    /// The run that asked the browser for something it has itself, as a database of the page's (Indexed Database,
    /// section 5.10): the script's last one, just before a task of its own in which the browser answers.
    fn asked_of_browser(&self, index: usize, url: &Arc<str>) -> Option<usize> {
        let work = self.work(index);
        let alone = self.parents[index].is_some_and(|task| self.work(task).name == WorkName::Task);
        let earlier = self.load.work[..index].iter().enumerate().rev().take(MOST_SEEN);
        let recent = earlier
            .take_while(|(_, w)| work.start - w.start < TAKEN || w.depth > 0)
            .filter(|(_, w)| w.end() <= work.start && work.start - w.end() < TAKEN && w.script() == Some(url));
        let last = recent.max_by(|a, b| a.1.end().order(&b.1.end()))?.0;
        // A call within another's run is that one's doing.
        let around = std::iter::successors(Some(last), |i| self.parents[*i]);
        let outermost = around.filter(|i| self.work(*i).script().is_some()).last();
        outermost.filter(|_| alone && work.name == WorkName::Call)
    }

    /// What called it is not told: a frame that told of sizes, or it had run once, or had come.
    fn since_first_run(&self, index: usize, url: &Arc<str>, event: Option<Arc<str>>) -> Vec<Edge> {
        if let Some(edges) = self.called_in_frame(index) {
            return edges;
        }
        let began = self.work(index).start;
        let code: Code = self.code(url);
        let about = || About::Script(url.clone());
        if let Some(asked) = self.asked_of_browser(index, url) {
            let fact = LegFact::CalledBack { script: code };
            let (from, at) = (Moment::Inside(asked, Does::Schedules), self.work(asked).end());
            return vec![Edge::new(from, at, Cause::ScriptWait, about(), fact).filled(Fill::Thread)];
        }
        let first = self.prepared.first_run_of(url).filter(|first| self.work(*first).start < began);
        if let Some(first) = first {
            let ran = self.work(first).end().min(began);
            let fact = LegFact::ScriptWaits { script: code, event, ran: true };
            let from = Moment::Inside(first, Does::Provides);
            return vec![Edge::new(from, ran, Cause::ScriptWait, about(), fact)];
        }
        let script = self.prepared.first_for(url).and_then(|s| Some((s.end?, s.id)));
        match script {
            Some((end, id)) if end <= began => {
                let fact = LegFact::ScriptWaits { script: code, event: None, ran: false };
                vec![Edge::new(Moment::Done(id), end, Cause::ScriptWait, about(), fact)]
            }
            _ => self.document_by(began),
        }
    }
}
