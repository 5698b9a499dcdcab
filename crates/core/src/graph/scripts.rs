//! A script's first run (HTML, section 4.12.1): its bytes, and what the document makes it wait for: a
//! blocking script, the scripts and sheets above it; a deferred one, the parser's end and the deferred
//! ones before it; a module, all that it imports.

use super::stops::{above, may_be_above, place};
use super::{About, Cause, Edge, Fill, Graph, HandedOver, LegFact, Moment, SLACK};
use crate::{InitiatorKind, Millis, RenderBlocking, Request, RequestId, ResourceKind, WorkName};
use std::collections::HashSet;
use std::sync::Arc;

/// What is put in, or run, in one go is so near each other.
const IN_ONE_GO: Millis = Millis(5.0);
/// The thread rested where nothing had it for so long.
const RESTED: Millis = Millis(5.0);

impl Graph<'_> {
    /// What the first run of a script waited for.
    pub(super) fn first_run(&self, index: usize) -> Vec<Edge> {
        let work = self.work(index);
        let Some(url) = self.url_of(index) else { return self.document_by(work.start) };
        let began = work.start;
        let code = self.code(&url);
        let script = self.prepared.all_for(&url).rfind(|r| r.start <= began + SLACK);
        if let Some(frame) = script.filter(|s| s.kind == ResourceKind::Document && !self.is_document(s.id)) {
            let end = frame.end.map_or(began, |end| end.min(began));
            let about = About::Request(frame.id);
            return vec![
                Edge::new(Moment::Done(frame.id), end, Cause::Parse, about, LegFact::Read).filled(Fill::Thread),
            ];
        }
        // Of code in the document the browser tells the line, but not of modules.
        if script.is_some_and(|s| self.is_document(s.id)) && work.line.is_none() {
            return self.module_in_document(&url, index);
        }
        let script = script.filter(|s| s.kind != ResourceKind::Document);
        let held = || LegFact::HeldInOrder { script: code.clone() };
        let about = || About::Script(url.clone());
        let mut edges = Vec::new();
        let tag = match script {
            Some(script) => place(self.prepared, script),
            None => work.line.map(|line| (line, None)),
        };
        if let Some(script) = script {
            edges.extend(self.imports_came(&url, &self.imported_by(script), index));
            if let Some(end) = script.end {
                let fact = LegFact::HandedOver { file: code.clone(), why: HandedOver::ToRun };
                edges
                    .push(Edge::new(Moment::Done(script.id), end, Cause::Handover, about(), fact).filled(Fill::Thread));
            }
            edges.extend(self.put_in_by(script, index));
        } else {
            edges.extend(self.document_by(began));
        }
        let stops = script.is_none_or(|s| s.render_blocking.held_up());
        let by_parser =
            script.is_some_and(|s| matches!(s.initiator.kind, InitiatorKind::Parser | InitiatorKind::Preload));
        if stops {
            let own = Moment::Inside(index, super::Does::Provides);
            let stop = match script {
                Some(script) => self.parser.last_above(tag, began, Some(script.id)),
                None => self.parser.last_above_code(tag, began, own),
            };
            if let Some(stop) = stop {
                let edge = Edge::new(stop.moment, stop.released, Cause::Held, about(), held());
                edges.push(edge.filled(Fill::Thread));
            }
            for (at, sheet) in self.sheets_above(tag, began) {
                let edge = Edge::new(Moment::Released(sheet), at, Cause::Held, about(), held());
                edges.push(edge.filled(Fill::Thread));
            }
        } else if let Some(script) = script.filter(|_| by_parser) {
            // However early its bytes were fetched, its tag is one that the parser has to reach.
            let stop = tag.and_then(|_| self.parser.last_above(tag, began, Some(script.id)));
            edges.extend(stop.filter(|stop| stop.place.is_some()).map(|stop| self.parser_reaches(stop, script)));
            edges.extend(self.deferred(script, began));
            if work.line.is_none() {
                edges.extend(self.import_fetched_ahead(&url, began, &edges));
            }
        } else if let Some(script) = script {
            edges.extend(self.put_in_before(script, began, &edges));
        }
        edges
    }

    /// A module in the document runs once that is parsed and all is there that it imports (HTML, section 4.12.1.1).
    fn module_in_document(&self, url: &Arc<str>, run: usize) -> Vec<Edge> {
        let began = self.work(run).start;
        let mut edges = self.document_by(began);
        edges.extend(self.once_parsed(url, began));
        edges.extend(self.imports_came(url, url, run));
        edges.extend(self.import_fetched_ahead(url, began, &edges));
        edges
    }

    /// What a module imports may have been fetched ahead, and is then told as the parser's: a script that had not run,
    /// and for which the thread rested.
    fn import_fetched_ahead(&self, url: &Arc<str>, began: Millis, known: &[Edge]) -> Option<Edge> {
        let known = known.iter().map(|e| e.at).fold(Millis::ZERO, Millis::max);
        let ahead = |r: &&Request| {
            r.kind == ResourceKind::Script
                && r.main_frame
                && r.url != *url
                && matches!(r.initiator.kind, InitiatorKind::Parser | InitiatorKind::Preload)
                && r.render_blocking == RenderBlocking::NonBlocking
                && self.prepared.first_use(r).is_none_or(|(_, run)| began - run.start <= IN_ONE_GO)
        };
        let came = self.load.requests.iter().filter(ahead).filter_map(|r| Some((r.end?, r.id)));
        let (end, id) = came.filter(|(end, _)| *end <= began).max_by(|a, b| a.0.order(&b.0))?;
        self.rests_between(known, end).then(|| self.import_came(url, end, id, HandedOver::Imports))
    }

    /// Scripts that a script puts in may have to keep their order (HTML, section 4.12.1.1, the list of scripts that will
    /// execute in order as soon as possible): one that was there, while the thread rested, and ran when the one before
    /// it had.
    fn put_in_before(&self, script: &Request, began: Millis, known: &[Edge]) -> Option<Edge> {
        let known = known.iter().map(|e| e.at).fold(Millis::ZERO, Millis::max);
        let by = |r: &Request| r.initiator.stack.first().or(r.initiator.url.as_ref()).cloned();
        let before = self.load.requests.iter().filter(|r| {
            r.kind == ResourceKind::Script
                && r.initiator.kind == InitiatorKind::Script
                && r.id < script.id
                && script.start - r.start <= IN_ONE_GO
                && by(r) == by(script)
        });
        let ran = before.filter_map(|r| self.prepared.first_use(r).map(|(_, run)| (run.start, run.end(), r.id)));
        let (start, end, id) = ran.filter(|(_, end, _)| *end <= began + SLACK).max_by(|a, b| a.1.order(&b.1))?;
        let held = began - end <= IN_ONE_GO && self.rests_between(known, start);
        let fact = LegFact::HeldInOrder { script: self.code(&script.url) };
        let about = About::Script(script.url.clone());
        held.then(|| Edge::new(Moment::Released(id), end, Cause::Held, about, fact).filled(Fill::Thread))
    }

    /// Whether the thread rested between two moments.
    fn rests_between(&self, from: Millis, to: Millis) -> bool {
        let mut free = from;
        let after = self.load.work.partition_point(|w| w.start < from);
        for task in self.load.work[after..].iter().take_while(|w| w.start < to).filter(|w| w.depth == 0) {
            if task.start - free >= RESTED {
                return true;
            }
            free = free.max(task.end());
        }
        to - free >= RESTED
    }

    /// A script that had been fetched ahead runs once another has put its tag in: the browser tells of that as of a
    /// callback.
    fn put_in_by(&self, script: &Request, run: usize) -> Option<Edge> {
        let began = self.work(run).start;
        let first = self.load.scheduled.partition_point(|s| s.ran < began - SLACK);
        let asked =
            self.load.scheduled[first..].iter().take_while(|s| s.ran <= began).filter(|s| s.at < s.ran).last()?;
        let by = self.run_at(asked.at).filter(|by| self.url_of(*by).is_none_or(|url| url != script.url))?;
        let fact = LegFact::HandedOver { file: self.code(&script.url), why: HandedOver::ToRun };
        let about = About::Script(script.url.clone());
        let from = Moment::Inside(by, super::Does::Provides);
        Some(Edge::new(from, asked.at, Cause::Handover, about, fact).filled(Fill::Thread))
    }

    /// A deferred script runs once the parser is through, after the deferred ones above it, and while no sheet holds
    /// scripts up (HTML, section 13.2.7, the scripts that will execute when the document has finished parsing).
    fn deferred(&self, script: &Request, began: Millis) -> Vec<Edge> {
        let Some(parsed) = self.load.dom_interactive.filter(|at| *at <= began + SLACK) else { return Vec::new() };
        if script.render_blocking == RenderBlocking::PotentiallyBlocking {
            return Vec::new();
        }
        let code = self.code(&script.url);
        let about = || About::Script(script.url.clone());
        let mut edges = self.once_parsed(&script.url, began);
        let own = place(self.prepared, script);
        let before = self.load.requests.iter().filter(|r| {
            r.kind == ResourceKind::Script
                && r.id != script.id
                && r.main_frame
                && matches!(r.initiator.kind, InitiatorKind::Parser | InitiatorKind::Preload)
                && r.render_blocking == RenderBlocking::NonBlocking
                && place(self.prepared, r).zip(own).is_none_or(|(other, own)| above(other, own))
        });
        // A module that does next to nothing leaves no run of its own: it is done with once it has come.
        let done = |r: &Request| match self.prepared.first_use(r) {
            Some((_, work)) => (work.start >= parsed - SLACK).then_some((work.end(), Moment::Released(r.id))),
            None => Some((r.end?, Moment::Done(r.id))),
        };
        for (end, moment) in before.filter_map(done).filter(|(end, _)| *end <= began + SLACK) {
            let fact = LegFact::HeldInOrder { script: code.clone() };
            edges.push(Edge::new(moment, end, Cause::Held, about(), fact).filled(Fill::Thread));
        }
        edges
    }

    /// The parser's end, where it was through, and the sheets that hold scripts up.
    fn once_parsed(&self, url: &Arc<str>, began: Millis) -> Vec<Edge> {
        let (code, about) = (self.code(url), || About::Script(url.clone()));
        let parsed = self.load.dom_interactive.filter(|at| *at <= began + SLACK);
        let to_end = parsed.map(|at| {
            let fact = LegFact::ParsedToEnd { script: code.clone() };
            Edge::new(Moment::ParserEnd, at, Cause::Parse, about(), fact).filled(Fill::Thread)
        });
        let sheets = self.sheets_above(None, began).into_iter().map(|(at, sheet)| {
            let fact = LegFact::HeldInOrder { script: code.clone() };
            Edge::new(Moment::Released(sheet), at, Cause::Held, about(), fact).filled(Fill::Thread)
        });
        to_end.into_iter().chain(sheets).collect()
    }

    /// The sheets above a place that were in force by a moment: scripts wait for all of them.
    fn sheets_above(&self, tag: Option<super::stops::Place>, by: Millis) -> Vec<(Millis, RequestId)> {
        let sheets = self.load.requests.iter().filter(|r| {
            r.kind == ResourceKind::Style
                && r.main_frame
                && r.render_blocking.held_up()
                && place(self.prepared, r).zip(tag).is_none_or(|(sheet, tag)| may_be_above(sheet, tag))
        });
        let in_force = sheets.filter_map(|r| Some((self.prepared.released(r)?, r.id)));
        in_force.filter(|(at, _)| *at <= by + SLACK).collect()
    }

    /// What a module waits for is all that it imports, and all that is imported along with it: of what one module
    /// imports none runs until all are there (HTML, section 8.1.4.2, fetch the descendants of and link a module script).
    fn imports_came(&self, url: &Arc<str>, root: &Arc<str>, run: usize) -> Vec<Edge> {
        let began = self.work(run).start;
        let task = self.prepared.task_at(began).unwrap_or(run);
        let before = (task..run).rev().find(|place| self.work(*place).name == WorkName::Evaluate);
        let its = before.and_then(|place| self.prepared.all_for(self.work(place).url.as_ref()?).next_back());
        // The first of them to run has waited for all; those that follow it need no more than what is their own.
        let follows = its.is_some_and(|module| module.is_import() && self.imported_by(module) == *root);
        let own = self.imports(url, began);
        let own_ids: HashSet<RequestId> = own.iter().map(|(id, _)| *id).collect();
        let its = if follows { own } else { self.imports(root, began) };
        let its = its.into_iter().filter(|(_, by)| by != url);
        let ended = its.filter_map(|(id, _)| Some((self.load.request(id)?.end?, id)));
        let why = |id| if own_ids.contains(&id) { HandedOver::Imports } else { HandedOver::ImportedAlong };
        ended.map(|(end, id)| self.import_came(url, end, id, why(id))).collect()
    }

    /// The module that imports a module, or who imports that, and had yet to run: itself, where nobody does.
    fn imported_by(&self, script: &Request) -> Arc<str> {
        let mut root = script;
        let mut seen = HashSet::from([script.id]);
        // Modules may import each other.
        loop {
            let by = root.initiator.url.as_ref().filter(|_| root.is_import());
            let Some(by) = by else { return root.url.clone() };
            match self.prepared.all_for(by).rfind(|r| r.start <= root.start) {
                Some(importer) if importer.kind == ResourceKind::Document => return by.clone(),
                Some(importer) if seen.insert(importer.id) => root = importer,
                _ => return root.url.clone(),
            }
        }
    }

    /// A module waited for a file that it imports, or that is imported along with it.
    fn import_came(&self, url: &Arc<str>, end: Millis, id: RequestId, why: HandedOver) -> Edge {
        let fact = LegFact::HandedOver { file: self.code(url), why };
        Edge::new(Moment::Done(id), end, Cause::Handover, About::Script(url.clone()), fact).filled(Fill::Thread)
    }

    /// What a module imports, and what that imports in turn: scripts that had come before a moment.
    pub(super) fn imports(&self, url: &Arc<str>, by: Millis) -> Vec<(RequestId, Arc<str>)> {
        let mut found = Vec::new();
        let mut importers = vec![url];
        // Modules may import each other.
        let mut seen = HashSet::from([url]);
        while let Some(importer) = importers.pop() {
            let its = self.prepared.imports_of(importer).filter(|r| r.start < by && r.url != *url);
            for request in its.filter(|r| r.end.is_some_and(|end| end <= by)) {
                found.push((request.id, request.url.clone()));
                if seen.insert(&request.url) {
                    importers.push(&request.url);
                }
            }
        }
        found
    }

    /// The deferred scripts that were done with by a moment: when they had run, or had come where no run of
    /// theirs was recorded, as of modules that do next to nothing.
    pub(super) fn deferred_by(&self, by: Millis) -> Vec<(Millis, Moment)> {
        let Some(parsed) = self.load.dom_interactive else { return Vec::new() };
        let done = |r: &Request| {
            let deferred = r.kind == ResourceKind::Script
                && r.main_frame
                && r.render_blocking == RenderBlocking::NonBlocking
                && matches!(r.initiator.kind, InitiatorKind::Parser | InitiatorKind::Preload);
            let ran = deferred.then(|| self.prepared.first_use(r))?;
            let over = match ran.filter(|(_, work)| work.name == WorkName::Evaluate) {
                Some((_, work)) if work.start >= parsed - SLACK => (work.end(), Moment::Released(r.id)),
                Some(_) => return None,
                None => (r.end?, Moment::Done(r.id)),
            };
            (over.0 <= by).then_some(over)
        };
        self.load.requests.iter().filter_map(done).collect()
    }
}
