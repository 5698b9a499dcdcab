//! A load made ready for every computation: its look-ups, its owners, and the settings that go in.
//! Made once; whatever computes takes it, and looks nothing up that is not in it.

use crate::callbacks::{Callback, callbacks};
use crate::metrics::Coverage;
use crate::owners::Owners;
use crate::server_work::ServerWork;
use crate::uses::Uses;
use crate::work::parents;
use crate::{InitiatorKind, Load, Millis, Request, RequestId, ResourceKind, Settings, Work};
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

/// A load with everything that reads of it need.
#[derive(Debug, Clone)]
pub struct Prepared {
    /// What was observed.
    pub load: Arc<Load>,
    /// Look-ups that would otherwise scan all requests or all work.
    pub index: Index,
    /// Who owns what.
    pub owners: Owners,
    /// Whose each span of the server is, and its own time.
    pub server: ServerWork,
    /// The site's own rules.
    pub settings: Arc<Settings>,
    /// What a load of its own told of the page's code: which parts of it were used; empty where nobody looked.
    pub coverage: Arc<[Coverage]>,
}

/// Places of a load by what is asked of them.
#[derive(Debug, Clone, Default)]
pub struct Index {
    by_url: HashMap<Arc<str>, Vec<RequestId>>,
    uses: Uses,
    images: HashMap<String, Vec<usize>>,
    /// The piece of work that each piece lies in.
    pub parents: Vec<Option<usize>>,
    /// Places of the tasks among the work, in order of time.
    pub tasks: Vec<usize>,
    /// For how long the main thread had been at work before each of them.
    worked: Vec<Millis>,
    /// The host of each request, by its place.
    hosts: Vec<Option<Arc<str>>>,
    /// What scripts had asked for and was there, by each script that had part in the asking.
    answers: HashMap<Arc<str>, Vec<(Millis, RequestId)>>,
    /// Scripts that each script names in an import.
    imports: HashMap<Arc<str>, Vec<RequestId>>,
    /// Streams of events.
    streams: Vec<RequestId>,
    /// What runs of one script did for another.
    pub(crate) callbacks: Vec<Callback>,
}

impl Prepared {
    /// With the published targets and no rules of a site's own.
    #[must_use]
    pub fn plain(load: Load) -> Self {
        Self::new(Arc::new(load), Arc::new(Settings::default()))
    }

    /// With a site's own settings.
    #[must_use]
    pub fn new(load: Arc<Load>, settings: Arc<Settings>) -> Self {
        let index = Index::of(&load);
        let owners = Owners::of(&load, &settings.owner_rules);
        let server = ServerWork::of(&load, &owners);
        Self { load, index, owners, server, settings, coverage: Arc::default() }
    }

    /// The same, with what is known of the page's used code.
    #[must_use]
    pub fn with_coverage(mut self, coverage: impl Into<Arc<[Coverage]>>) -> Self {
        self.coverage = coverage.into();
        self
    }

    /// The first request for an address.
    #[must_use]
    pub fn first_for(&self, url: &str) -> Option<&Request> {
        self.all_for(url).next()
    }

    /// All requests for an address, in the order in which they were asked for.
    pub fn all_for(&self, url: &str) -> impl DoubleEndedIterator<Item = &Request> {
        self.index.by_url.get(url).into_iter().flatten().filter_map(|id| self.load.request(*id))
    }

    /// When a script or sheet was run or parsed: its piece of work, first after its request began.
    #[must_use]
    pub fn first_use(&self, request: &Request) -> Option<(usize, &Work)> {
        let place = self.index.uses.first(&self.load.work, request)?;
        Some((place, &self.load.work[place]))
    }

    /// When a blocking request let go: the end of its first use, else of its download.
    #[must_use]
    pub fn released(&self, request: &Request) -> Option<Millis> {
        let end = request.end?;
        Some(self.first_use(request).map_or(end, |(_, work)| work.end().max(end)))
    }

    /// The first piece of work that evaluates a script.
    #[must_use]
    pub fn first_run_of(&self, url: &Arc<str>) -> Option<usize> {
        self.index.uses.first_run(url)
    }

    /// Every evaluation of a script, in order of time: places among the work.
    #[must_use]
    pub fn runs_of(&self, url: &Arc<str>) -> &[usize] {
        self.index.uses.runs(url)
    }

    /// The evaluation, before a moment, of the script inside a document that a line belongs to.
    pub(crate) fn inline_run(&self, url: &Arc<str>, line: Option<u32>, before: Millis) -> Option<usize> {
        self.index.uses.inline_run(&self.load.work, url, line, before)
    }

    /// A request's host.
    #[must_use]
    pub fn host(&self, id: RequestId) -> Option<&Arc<str>> {
        self.index.hosts.get(id.0 as usize)?.as_ref()
    }

    /// When data and scripts that a script had part in asking for were there.
    #[must_use]
    pub fn answers_to(&self, script: &str) -> &[(Millis, RequestId)] {
        self.index.answers.get(script).map_or(&[], Vec::as_slice)
    }

    /// The scripts that a script, or code in a document, names in an import, in the order in which they were asked for.
    pub(crate) fn imports_of(&self, script: &str) -> impl Iterator<Item = &Request> {
        let ids = self.index.imports.get(script).map_or(&[][..], Vec::as_slice);
        ids.iter().filter_map(|id| self.load.request(*id))
    }

    /// The load's streams of events, and its web sockets.
    pub fn streams(&self) -> impl Iterator<Item = &Request> {
        self.index.streams.iter().filter_map(|id| self.load.request(*id))
    }

    /// The page's elements that show a file.
    pub fn images_of(&self, url: &str) -> impl Iterator<Item = &crate::PageImage> {
        let page = self.load.page.as_ref();
        self.index.images.get(url).into_iter().flatten().filter_map(move |&at| page?.images.get(at))
    }

    /// The element that shows a picture largest; `None` where how many of its pixels are shown is not told: a background
    /// may be sized by rules that its box does not tell.
    #[must_use]
    pub fn shown_largest(&self, url: &str) -> Option<&crate::PageImage> {
        if self.images_of(url).any(|i| i.background) {
            return None;
        }
        self.images_of(url).filter(|i| !i.hidden).max_by(|a, b| a.rect.area().total_cmp(&b.rect.area()))
    }

    /// What runs did for other scripts than their own between two moments, as far as it lies between them.
    pub(crate) fn called_back(&self, from: Millis, to: Millis) -> impl DoubleEndedIterator<Item = Callback> {
        let callbacks = &self.index.callbacks;
        let first = callbacks.partition_point(|c| c.end <= from);
        let after = callbacks.partition_point(|c| c.start < to).max(first);
        callbacks[first..after].iter().map(move |c| Callback {
            start: c.start.max(from),
            end: c.end.min(to),
            ..c.clone()
        })
    }

    /// The task that lies around a moment, by its place among the work.
    #[must_use]
    pub fn task_at(&self, at: Millis) -> Option<usize> {
        let after = self.index.tasks.partition_point(|&i| self.load.work[i].start <= at);
        let task = *self.index.tasks.get(after.checked_sub(1)?)?;
        (self.load.work[task].end() >= at).then_some(task)
    }

    /// For how long the main thread was at work between two moments.
    pub(crate) fn worked_between(&self, from: Millis, to: Millis) -> Millis {
        let by = |at: Millis| {
            let last = self.index.tasks.partition_point(|&i| self.load.work[i].start <= at).checked_sub(1);
            last.map_or(Millis::ZERO, |last| {
                let task = &self.load.work[self.index.tasks[last]];
                self.index.worked[last] + task.duration.min(at - task.start)
            })
        };
        by(to) - by(from)
    }
}

impl Index {
    fn of(load: &Load) -> Self {
        let mut index = Self { parents: parents(&load.work), uses: Uses::of(&load.work), ..Self::default() };
        for request in &load.requests {
            index.by_url.entry(request.url.clone()).or_default().push(request.id);
            index.hosts.push(request.host().map(Arc::from));
            if request.is_stream() {
                index.streams.push(request.id);
            }
            if let Some(by) = request.initiator.url.as_ref().filter(|_| request.is_import()) {
                index.imports.entry(by.clone()).or_default().push(request.id);
            }
            let data = matches!(request.kind, ResourceKind::Data | ResourceKind::Other | ResourceKind::Script);
            if let (InitiatorKind::Script, true, Some(end)) = (request.initiator.kind, data, request.end) {
                let by: BTreeSet<&Arc<str>> = request.initiator.stack.iter().collect();
                for script in by {
                    index.answers.entry(script.clone()).or_default().push((end, request.id));
                }
            }
        }
        let mut worked = Millis::ZERO;
        for (place, work) in load.work.iter().enumerate() {
            if work.depth == 0 {
                index.tasks.push(place);
                index.worked.push(worked);
                worked += work.duration;
            }
        }
        index.callbacks = callbacks(load, &index.uses);
        for (place, image) in load.page.iter().flat_map(|p| &p.images).enumerate() {
            index.images.entry(image.url.clone()).or_default().push(place);
        }
        index
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{WorkKind, WorkName};

    #[test]
    fn look_ups_find_what_a_scan_would() {
        let mut load = Load::empty("http://a.test/");
        let script = "http://a.test/a.js";
        for (id, start) in [(0u32, 100.0), (1, 900.0)] {
            let mut request = Request::new(id, script, ResourceKind::Script);
            (request.start, request.end) = (Millis(start), Some(Millis(start + 50.0)));
            load.requests.push(request);
        }
        for start in [200.0, 1000.0] {
            for (depth, name) in [(0, WorkName::Task), (1, WorkName::Evaluate)] {
                let mut work = Work::new(WorkKind::ScriptRun, name);
                (work.start, work.duration, work.depth) = (Millis(start), Millis(30.0), depth);
                work.url = (depth > 0).then(|| script.into());
                load.work.push(work);
            }
        }
        let prepared = Prepared::plain(load);
        let [first, second] = [0, 1].map(|id| prepared.load.request(RequestId(id)).expect("there"));
        assert_eq!(prepared.first_for(script).map(|r| r.id), Some(first.id));
        assert_eq!(prepared.all_for(script).count(), 2);
        assert_eq!(prepared.first_use(first).map(|u| u.0), Some(1));
        assert_eq!(prepared.first_use(second).map(|u| u.0), Some(3), "the run after it came, not the first one");
        assert_eq!(prepared.released(second), Some(Millis(1030.0)));
        assert_eq!((prepared.task_at(Millis(210.0)), prepared.task_at(Millis(500.0))), (Some(0), None));
        let worked = |from, to| prepared.worked_between(Millis(from), Millis(to)).0;
        assert_eq!([worked(0.0, 200.0), worked(0.0, 5000.0), worked(210.0, 1010.0)], [0.0, 60.0, 30.0]);
        assert_eq!([worked(205.0, 215.0), worked(300.0, 900.0), worked(225.0, 300.0)], [10.0, 0.0, 5.0]);
    }
}
