//! What called a run of which the browser tells nothing: a message by a channel or of a worker, what the browser answers
//! itself, or what had been there since the script first ran.

use super::answers::{ANOTHERS, TAKEN};
use super::{About, Cause, Code, Does, Edge, Graph, LegFact, Moment};
use crate::{InitiatorKind, Millis, ResourceKind, Work, WorkName, ran_just_before};
use std::sync::Arc;

/// So many pieces of work are looked back through for who asked the browser; hostile files have more.
const MOST_SEEN: usize = 1_000;

impl Graph<'_> {
    /// A message whose sender is not told, of a worker or an inner frame: what had come there just before.
    pub(super) fn message_of_others(&self, by: Millis, url: &Arc<str>) -> Option<Edge> {
        let theirs = self.load.requests.iter().filter(|r| !r.main_frame);
        let workers =
            self.load.requests.iter().filter(|r| {
                r.main_frame && r.kind == ResourceKind::Script && r.initiator.kind == InitiatorKind::Unknown
            });
        let (at, moment) = self.last_answer(theirs.chain(workers).map(|r| r.id), by)?;
        Some(self.calls_back(url, moment, at))
    }

    /// A run of which nothing is told but that it had a task of its own takes a message on a channel by name, or of a
    /// worker that pages share (HTML, sections 9.5 and 10.2.6): another script posted it that had just run, or what had
    /// just come elsewhere.
    pub(super) fn message_of_nobody(&self, around: &[usize], url: &Arc<str>) -> Option<Edge> {
        let &[run, task] = around else { return None };
        let by_another = |w: &Work| w.script().is_some_and(|by| by != url);
        if let Some(by) = ran_just_before(&self.load.work, self.work(task).start, by_another) {
            return Some(self.calls_back(url, Moment::Inside(by, Does::Schedules), self.work(by).end()));
        }
        let began = self.work(run).start;
        self.message_of_others(began, url).or_else(|| {
            // A run too short to be named told it of what had come.
            let data = self.load.requests.iter().filter(|r| r.kind == ResourceKind::Data && r.main_frame);
            let (at, moment) = self.last_answer(data.map(|r| r.id), began).filter(|(at, _)| began - *at < ANOTHERS)?;
            Some(self.calls_back(url, moment, at))
        })
    }

    /// The run that asked the browser for something it has itself, as a database of the page's (Indexed Database,
    /// section 5.6): the script's last one, just before a task of its own in which the browser answers.
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
        outermost.filter(|_| alone && matches!(work.name, WorkName::Call | WorkName::Microtasks))
    }

    /// What called it is not told: a frame that told of sizes, or it had run once, or had come.
    pub(super) fn since_first_run(&self, index: usize, url: &Arc<str>, event: Option<Arc<str>>) -> Vec<Edge> {
        if let Some(edges) = self.called_in_frame(index) {
            return edges;
        }
        let began = self.work(index).start;
        let code: Code = self.code(url);
        let about = || About::Script(url.clone());
        if let Some(asked) = self.asked_of_browser(index, url) {
            return vec![self.calls_back(url, Moment::Inside(asked, Does::Schedules), self.work(asked).end())];
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
