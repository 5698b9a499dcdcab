//! What a later run of a script calls (ECMA-262, section 16.1.7: a script's functions are there once it has been
//! evaluated): its own script and those whose functions the profiler saw within it had run before.

use super::{About, Cause, Code, Does, Edge, Fill, Graph, LegFact, Moment};
use crate::Millis;
use std::collections::HashSet;
use std::sync::Arc;

/// So many samples are looked at in one run; a hostile file may nest long ones a thousand deep.
const MOST_SEEN: usize = 500;

impl Graph<'_> {
    /// The first runs of the scripts that a later run calls, as far as they ended before what set it off: they are
    /// never what it waited for, but would be if they came later.
    pub(super) fn callees(&self, index: usize, set_off: Millis) -> Vec<Edge> {
        let began = self.work(index).start;
        let Some(own) = self.url_of(index) else { return Vec::new() };
        let mut brought: Vec<usize> = Vec::new();
        for (url, line) in self.code_in(index) {
            let run = match self.code(&url) {
                Code::Inline => self.prepared.inline_run(&url, line, began),
                Code::File(_) => self.prepared.first_run_of(&url),
            };
            brought.extend(run.filter(|run| self.work(*run).end() < set_off));
        }
        brought.sort_unstable();
        brought.dedup();
        let edge = |run: usize| {
            let url = self.url_of(run)?;
            // Without its own script there is no such run; without another's it would fail where that is called.
            let file = self.request_of(&url).filter(|_| url != own && self.code(&url) != Code::Inline);
            let from = file.map_or(Moment::Inside(run, Does::Provides), Moment::Released);
            let fact = LegFact::ScriptWaits { script: self.code(&own), event: None, ran: true };
            let edge = Edge::new(from, self.work(run).end(), Cause::ScriptWait, About::Script(own.clone()), fact);
            Some(edge.filled(Fill::Thread))
        };
        brought.into_iter().filter_map(edge).collect()
    }

    /// The code at work in a piece: each script with the line of a function of it, the piece's own before what the
    /// samples saw.
    fn code_in(&self, index: usize) -> Vec<(Arc<str>, Option<u32>)> {
        let piece = self.work(index);
        let mut code: Vec<(Arc<str>, Option<u32>)> =
            self.url_of(index).map(|url| (url, piece.line)).into_iter().collect();
        let Some(profile) = &self.load.profile else { return code };
        let from = profile.at.partition_point(|at| *at < piece.start);
        let inside = profile.at[from..].iter().zip(&profile.node[from..]).take_while(|(at, _)| **at <= piece.end());
        let mut paths = HashSet::new();
        let mut places = HashSet::new();
        for (_, node) in inside.take(MOST_SEEN) {
            let mut next = Some(*node);
            while let Some(node) = next.filter(|node| paths.insert(*node)) {
                let Some(path) = profile.nodes.get(node as usize) else { break };
                if places.insert(path.place)
                    && let Some(place) = profile.places.get(path.place as usize)
                    && let Some(url) = place.url.clone().filter(|u| !u.is_empty())
                {
                    code.push((url, place.line));
                }
                next = path.parent;
            }
        }
        code
    }
}
