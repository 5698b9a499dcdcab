//! When scripts were run and sheets parsed, by their addresses.

use crate::{Millis, Request, ResourceKind, Work, WorkName};
use std::collections::HashMap;
use std::sync::Arc;

/// Runs of scripts and parses of sheets, by address, in order of time: places among the work.
#[derive(Debug, Clone, Default)]
pub(crate) struct Uses(HashMap<(WorkName, Arc<str>), Vec<usize>>);

impl Uses {
    pub(crate) fn of(work: &[Work]) -> Self {
        let mut uses = Self::default();
        for (place, piece) in work.iter().enumerate() {
            if let (WorkName::Evaluate | WorkName::ParseSheet, Some(url)) = (piece.name, &piece.url) {
                uses.0.entry((piece.name, url.clone())).or_default().push(place);
            }
        }
        uses
    }

    /// The evaluations of a script.
    pub(crate) fn runs(&self, url: &Arc<str>) -> &[usize] {
        self.0.get(&(WorkName::Evaluate, url.clone())).map_or(&[], Vec::as_slice)
    }

    /// The first of them.
    pub(crate) fn first_run(&self, url: &Arc<str>) -> Option<usize> {
        self.runs(url).first().copied()
    }

    /// The evaluation, before a moment, of the script inside a document that a line belongs to: the last one that
    /// begins above it.
    pub(crate) fn inline_run(&self, work: &[Work], url: &Arc<str>, line: Option<u32>, before: Millis) -> Option<usize> {
        let line = line?;
        let runs = self.runs(url).iter().copied().filter(|run| work[*run].start < before);
        runs.filter_map(|run| Some((work[run].line.filter(|at| *at <= line)?, run))).max().map(|(_, run)| run)
    }

    /// The first piece of work that runs or parses what a request brought: after the request began.
    pub(crate) fn first(&self, work: &[Work], request: &Request) -> Option<usize> {
        let name = match request.kind {
            ResourceKind::Script => WorkName::Evaluate,
            ResourceKind::Style => WorkName::ParseSheet,
            _ => return None,
        };
        let uses = self.0.get(&(name, request.url.clone()))?;
        uses.get(uses.partition_point(|&i| work[i].start < request.start)).copied()
    }
}
