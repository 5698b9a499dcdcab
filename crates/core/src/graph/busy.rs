//! What had the main thread while something that was ready waited for it.

use super::{About, Cause, Graph, LegFact, Piece};
use crate::{InitiatorKind, Load, Millis, Request, ResourceKind, Work, WorkKind};
use std::sync::Arc;

/// A task this long gets a leg of its own.
pub(super) const WORTH_NAMING: Millis = Millis(20.0);

impl Graph<'_> {
    /// The tasks worth naming between two moments, in order of time.
    #[must_use]
    pub fn busy(&self, from: Millis, to: Millis) -> Vec<Piece> {
        let first = self.prepared.index.tasks.partition_point(|&i| self.work(i).end() <= from);
        let tasks = self.prepared.index.tasks[first..].iter().take_while(|&&i| self.work(i).start < to);
        let named = tasks.flat_map(|&index| {
            let task = self.work(index);
            let (start, end) = (task.start.max(from), task.end().min(to));
            if end - start < WORTH_NAMING {
                return Vec::new();
            }
            let (cause, about, fact) = match self.heaviest_script(index, start, end) {
                Some(url) => {
                    let fact = LegFact::BusyWith { script: self.code(&url) };
                    (Cause::Busy, About::Script(url), fact)
                }
                None => (Cause::Render, About::Browser, LegFact::FrameWork),
            };
            self.stood_still(Piece { from: start, to: end, cause, about, fact })
        });
        named.collect()
    }

    /// A task in which a script stood still for an answer (XMLHttpRequest, section 3.5.6): the wait is the
    /// answer's.
    fn stood_still(&self, task: Piece) -> Vec<Piece> {
        let within = |r: &&Request| is_synchronous(r) && r.start >= task.from && r.end.is_some_and(|e| e <= task.to);
        let mut pieces = Vec::new();
        let mut from = task.from;
        for request in self.load.requests.iter().filter(within) {
            let end = request.end.unwrap_or(request.start);
            if request.start < from {
                continue;
            }
            pieces.push(Piece { from, to: request.start, ..task.clone() });
            let fact = LegFact::Answer { file: request.url.clone(), host: request.host(), document: false };
            let about = About::Request(request.id);
            pieces.push(Piece { from: request.start, to: end, cause: Cause::Wait, about, fact });
            from = end;
        }
        pieces.push(Piece { from, ..task });
        pieces
    }

    /// The script that took most of a task's time between two moments, if scripts took half of it or more.
    fn heaviest_script(&self, task: usize, from: Millis, to: Millis) -> Option<Arc<str>> {
        let work = &self.load.work;
        let mut sums: Vec<(Arc<str>, Millis)> = Vec::new();
        let mut skip_until: Option<u16> = None;
        for piece in work[task + 1..].iter().take_while(|w| w.depth > 0) {
            if let Some(depth) = skip_until {
                if piece.depth > depth {
                    continue;
                }
                skip_until = None;
            }
            let Some(url) = piece.url.clone().filter(|u| !u.is_empty() && piece.kind != WorkKind::Style) else {
                continue;
            };
            skip_until = Some(piece.depth);
            let (start, end) = (piece.start.max(from), piece.end().min(to));
            if start < end {
                self.share_out(&url, start, end, &mut sums);
            }
        }
        let (url, sum) = sums.into_iter().max_by(|a, b| a.1.order(&b.1))?;
        (sum.0 * 2.0 >= (to - from).0).then_some(url)
    }
}

/// Whether a script stands still for a request: those go before all others.
pub(crate) fn is_synchronous(request: &Request) -> bool {
    request.kind == ResourceKind::Data
        && request.initiator.kind == InitiatorKind::Script
        && request.priority.as_deref() == Some("VeryHigh")
}

/// Style and layout are looked for so far back.
const STYLE_AT_MOST: Millis = Millis(1_000.0);

/// Whether style or layout was under way: what an element's own style names is asked for by them, and told as the
/// parser's, with the line at which that happens to stand.
pub(super) fn is_in_style(load: &Load, at: Millis) -> bool {
    let covers = |w: &&Work| w.start <= at && w.end() >= at;
    let started = load.work.partition_point(|w| w.start <= at);
    let inner = load.work[..started].iter().rev().take_while(|w| at - w.start < STYLE_AT_MOST).find(covers);
    inner.is_some_and(|w| matches!(w.kind, WorkKind::Style | WorkKind::Layout))
}
