//! Whose handlers had the thread within a library's run, and whose changed the page (`callbacks.rs`).

use super::busy::WORTH_NAMING;
use super::{About, Cause, Graph, LegFact, Piece};
use crate::{Millis, WorkName};
use std::sync::Arc;

/// Samples lie so far apart at most, and a change so far behind the last one of the function that made it.
const APART: Millis = Millis(1.0);

impl Graph<'_> {
    /// When a run changed the page last before a moment; that moment, where it is not told.
    pub(super) fn last_change(&self, run: usize, by: Millis) -> Millis {
        let changes = &self.load.changes;
        let last = changes[..changes.partition_point(|c| c.at <= by)].last();
        last.map(|c| c.at).filter(|at| *at >= self.work(run).start).unwrap_or(by)
    }

    /// Whose function was at work at a moment of a later run; where samples do not tell, whose most of it was.
    pub(super) fn at_work(&self, run: usize, own: &Arc<str>, at: Millis) -> Arc<str> {
        let work = self.work(run);
        if work.name != WorkName::Call {
            return own.clone();
        }
        let last = self.prepared.called_back(work.start, at).next_back().filter(|c| c.end >= at - APART);
        last.map_or_else(|| self.heaviest(own, work.start, at), |c| c.script)
    }

    /// Handlers of other scripts between two moments of a run, as far as they are worth naming, in order of time.
    #[must_use]
    pub fn handlers_of_others(&self, own: &About, from: Millis, to: Millis) -> Vec<Piece> {
        let own = |script: &Arc<str>| matches!(own, About::Script(own) if own == script);
        let mut pieces: Vec<Piece> = Vec::new();
        for called in self.prepared.called_back(from, to).filter(|c| !own(&c.script)) {
            let about = About::Script(called.script.clone());
            if let Some(last) = pieces.last_mut().filter(|p| p.about == about && called.start - p.to <= APART) {
                last.to = called.end;
                continue;
            }
            let fact = LegFact::BusyWith { script: self.code(&called.script) };
            pieces.push(Piece { from: called.start, to: called.end, cause: Cause::Busy, about, fact });
        }
        pieces.retain(|p| p.to - p.from >= WORTH_NAMING);
        pieces
    }

    /// Adds the time of a script's run to what each script has: its own, and that of those that it called back for.
    pub(super) fn share_out(&self, own: &Arc<str>, from: Millis, to: Millis, sums: &mut Vec<(Arc<str>, Millis)>) {
        let mut add = |url: &Arc<str>, took: Millis| match sums.iter_mut().find(|(u, _)| u == url) {
            Some((_, sum)) => *sum += took,
            None => sums.push((url.clone(), took)),
        };
        let mut rest = to - from;
        for called in self.prepared.called_back(from, to) {
            let took = called.end - called.start;
            add(&called.script, took);
            rest = rest - took;
        }
        add(own, rest);
    }

    /// The script that had most of a stretch of a script's run: its own, or one that it called back for.
    fn heaviest(&self, own: &Arc<str>, from: Millis, to: Millis) -> Arc<str> {
        let mut sums = Vec::new();
        self.share_out(own, from, to, &mut sums);
        sums.into_iter().max_by(|a, b| a.1.order(&b.1)).map_or_else(|| own.clone(), |(url, _)| url)
    }
}
