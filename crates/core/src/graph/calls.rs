//! A later run of a script (HTML, section 8.1.7): what called it. A timer and who set it, a callback and
//! who asked for it; else an event (`events.rs`), an answer (`answers.rs`), or what nobody tells (`untold.rs`).

use super::busy::is_synchronous;
use super::{About, Cause, Does, Edge, Fill, Graph, LegFact, Moment, SLACK};
use crate::{InitiatorKind, Millis, Request, RequestId, ResourceKind, Work, WorkName};
use std::sync::Arc;

/// A module is asked for so soon after the script that imports it asked for that, or before.
const IMPORT_ASKED: Millis = Millis(5.0);
/// Between a run and the promises that it kept lies nothing else.
const AT_ONCE: Millis = Millis(0.2);
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
        let called = || self.answer(index, &url).or_else(|| self.stream_says(index, &url));
        if let Some(edge) = called().or_else(|| self.message_of_nobody(&around, &url)) {
            return vec![edge];
        }
        self.since_first_run(index, &url, event)
    }

    /// A script is called back by what was over at a moment, as soon as the thread is free.
    pub(super) fn calls_back(&self, url: &Arc<str>, from: Moment, at: Millis) -> Edge {
        let fact = LegFact::CalledBack { script: self.code(url) };
        Edge::new(from, at, Cause::ScriptWait, About::Script(url.clone()), fact).filled(Fill::Thread)
    }

    /// Promises' callbacks that run at the end of another script's run, or as soon as a run of the same task is over: it
    /// kept them (HTML, section 8.1.4.4, "clean up after running script").
    fn right_after(&self, around: &[usize], url: &Arc<str>) -> Option<Edge> {
        let place = around.iter().rposition(|&i| self.work(i).name == WorkName::Microtasks)?;
        let (promises, outer) = (around[place], around.get(place + 1).copied());
        let began = self.work(promises).start;
        let edge = |run, at| self.calls_back(url, Moment::Inside(run, Does::Schedules), at);
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
        let edge = |from, at| self.calls_back(url, from, at);
        // The tag that puts a script in asked for its load event: it is told once that has run, in the same task.
        if let Some(edges) = self.load_of_script(around, url) {
            return Some(edges);
        }
        let told = self.in_promises(around[0]) || around.iter().any(|i| self.work(*i).name == WorkName::Event);
        let imported = if told { self.imported_since(url, asked.at, to) } else { Vec::new() };
        if !imported.is_empty() {
            return Some(imported.into_iter().map(|(came, module)| edge(Moment::Done(module), came)).collect());
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

    /// A module that a script imports as it runs (HTML, section 8.1.6.7.3), or a script that it puts in and whose load
    /// event it is told, with those that this imports in turn: all of them must have come, each with when it had.
    fn imported_since(&self, url: &Arc<str>, asked: Millis, by: Millis) -> Vec<(Millis, RequestId)> {
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
        all.filter(|(end, _)| *end <= by + SLACK).collect()
    }

    /// Whether promises' callbacks were at work at a moment.
    fn are_promises(&self, at: Millis) -> bool {
        let started = self.load.work.partition_point(|w| w.start <= at);
        let recent = self.load.work[..started].iter().rev().take_while(|w| w.depth > 0 || w.end() >= at);
        recent.into_iter().any(|w| w.name == WorkName::Microtasks && w.end() >= at)
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

    pub(super) fn in_promises(&self, index: usize) -> bool {
        std::iter::successors(Some(index), |i| self.parents[*i]).any(|i| self.work(i).name == WorkName::Microtasks)
    }
}
