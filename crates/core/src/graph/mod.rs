//! The causal model of a load: what each moment of it needed.
//!
//! A [`Moment`] is something that happened at an observed time: a request asked for, a piece of work
//! begun, a sheet in force. [`Graph::needs`] gives the edges into it: what it could not come before,
//! each with the moment that it leads back to and with what the time between was spent on. The edge
//! from the latest of those moments is the binding one; the path follows binding edges backwards.
//! Each kind of edge has its rule in a file of its own.

mod answers;
mod busy;
mod called_back;
mod callees;
mod calls;
mod discovery;
mod document;
mod edge;
mod events;
mod fact;
mod faded;
mod fonts;
mod frame;
mod network;
mod parser;
mod scripts;
mod shared;
mod sheets;
mod shifts;
mod stops;
mod untold;

pub(crate) use busy::is_synchronous;
pub(crate) use edge::SLACK;
pub use edge::{About, Cause, Does, Edge, Fill, Moment, Piece};
pub use fact::{AskedFor, Behind, Code, HandedOver, LegFact};
pub(crate) use network::{MOST_CONNECTIONS, QUEUED, TOLD_LATE};
pub(crate) use stops::stands_below;

use crate::{Line, Load, Millis, Owners, Prepared, Request, RequestId, Work, WorkName};
use std::sync::Arc;
use stops::Parser;

/// The causal model of a load.
pub struct Graph<'a> {
    prepared: &'a Prepared,
    load: &'a Load,
    owners: &'a Owners,
    parents: &'a [Option<usize>],
    parser: Parser,
    line: Line,
}

impl<'a> Graph<'a> {
    /// Of a load.
    #[must_use]
    pub fn of(prepared: &'a Prepared) -> Self {
        Self {
            prepared,
            load: &prepared.load,
            owners: &prepared.owners,
            parents: &prepared.index.parents,
            parser: Parser::of(prepared),
            line: Line::of(&prepared.load),
        }
    }

    /// The load that it is a model of.
    #[must_use]
    pub fn load(&self) -> &'a Load {
        self.load
    }

    /// Who owns what in it.
    #[must_use]
    pub fn owners(&self) -> &'a Owners {
        self.owners
    }

    /// The line under it.
    pub(crate) fn line(&self) -> &Line {
        &self.line
    }

    /// A script's own request.
    #[must_use]
    pub fn request_of(&self, url: &str) -> Option<RequestId> {
        self.prepared.first_for(url).map(|r| r.id)
    }

    /// What a moment needed. `by` is when it was over, for moments whose needs depend on it.
    #[must_use]
    pub fn needs(&self, moment: Moment, by: Millis) -> Vec<Edge> {
        match moment {
            Moment::Start => Vec::new(),
            Moment::Painted { file, text } => self.painted(file, text, by),
            Moment::SetOff { file, text } => self.not_told(file, text, by),
            Moment::Animated(place) => self.animated(place),
            Moment::Repainted(candidate) => self.repainted_by(candidate, by),
            Moment::FontSettled(font) => self.font_settled(font, by),
            Moment::Done(id) => self.done(id, by),
            Moment::Answered(id) => self.answered(id),
            Moment::Sent(id) => self.sent(id),
            Moment::Connected(id) => self.connected(id),
            Moment::Connecting(id) => self.connecting(id),
            Moment::Asked(id) => self.asked(id),
            Moment::Document => self.document_by(by),
            Moment::Released(id) => self.released(id),
            Moment::Passed(id) => self.passed(id),
            Moment::Inside(run, does) => self.inside(run, does, by),
            Moment::Began(work) => self.began(work),
            Moment::ParserEnd => self.parser_end(by),
        }
    }

    fn work(&self, index: usize) -> &'a Work {
        &self.load.work[index]
    }

    /// A script by its address; code inside the document has no file of its own.
    fn code(&self, url: &Arc<str>) -> Code {
        if self.load.document().is_some_and(|d| d.url == *url) { Code::Inline } else { Code::File(url.clone()) }
    }

    /// A blocking request's letting go: a script once run, a sheet once in force.
    fn released(&self, id: RequestId) -> Vec<Edge> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        let Some((index, work)) = self.prepared.first_use(request) else { return self.done(id, Millis(f64::MAX)) };
        let file = request.url.clone();
        let (cause, fact) = match work.name {
            WorkName::ParseSheet => (Cause::Render, LegFact::SheetParsed { file }),
            _ => (Cause::Script, LegFact::BlockerRuns { file }),
        };
        vec![Edge::new(Moment::Began(index), work.start, cause, About::Request(id), fact)]
    }

    /// What a piece of work could not begin before.
    fn began(&self, index: usize) -> Vec<Edge> {
        match self.work(index).name {
            WorkName::ParseSheet => self.sheet_parse(index),
            WorkName::Evaluate => self.first_run(index),
            WorkName::ParseHtml => self.reads_on(index),
            WorkName::ParseFrame => self.reads_frame(index),
            _ => self.later_run(index),
        }
    }

    /// The address of a piece of work, or of what it lies in.
    fn url_of(&self, index: usize) -> Option<Arc<str>> {
        let mut around = std::iter::successors(Some(index), |i| self.parents[*i]);
        around.find_map(|i| self.load.work[i].url.clone().filter(|u| !u.is_empty()))
    }

    /// The script at work at a moment.
    #[must_use]
    pub fn under_way(&self, at: Millis) -> Option<Moment> {
        self.run_at(at).map(|run| Moment::Inside(run, Does::Provides))
    }

    /// The outermost run of script around a moment.
    fn run_at(&self, at: Millis) -> Option<usize> {
        let task = self.prepared.task_at(at)?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0).count();
        (task..=task + inside).find(|&i| {
            let w = &self.load.work[i];
            w.start <= at && w.end() >= at && w.script().is_some()
        })
    }

    /// The last request to end by a moment among those that count.
    fn last_done(&self, by: Millis, counts: impl Fn(&Request) -> bool) -> Option<(Millis, RequestId)> {
        let ended = self.load.requests.iter().filter(|r| counts(r)).filter_map(|r| Some((r.end?, r.id)));
        ended.filter(|(end, _)| *end <= by).max_by(|a, b| a.0.order(&b.0))
    }
}
