//! A frame lays out what the parser has read by then (HTML, section 8.1.7.3, update the rendering): the first one, drawn
//! before some of the reading that went before it as observed, has less to do by that, and the next frame more.

use super::change::Change;
use super::moments::Moments;
use super::run::Times;
use super::world::{Cut, Drawn, Frame};
use crate::graph::Graph;
use crate::{Millis, Prepared, RenderBlocking, Request, ResourceKind, Work, WorkName};

/// A rest that is smaller than this, in ms, is not worth a run.
const LEAST: f64 = 1.0;

/// The first frame of a load, and the reading that went before it.
#[derive(Debug, Clone)]
pub(super) struct FirstFrame {
    task: u32,
    /// How far into the task its style began and its painting ended, in ms.
    from: f64,
    to: f64,
    /// The tasks that had read the document's body, each with how long it read, in ms.
    reads: Vec<(u32, f64)>,
}

impl FirstFrame {
    /// Of a load whose first frame with content runs no script.
    pub(super) fn of(graph: &Graph<'_>, prepared: &Prepared, moments: &Moments) -> Option<Self> {
        let Drawn { task, .. } = *moments.world.drawn.first()?;
        let pieces = |task: u32| {
            let whole = prepared.index.tasks[task as usize];
            let within = move |place: &usize| prepared.load.work.get(*place).is_some_and(|w| w.depth > 0);
            (whole + 1..).take_while(within)
        };
        let work = &prepared.load.work;
        let start = moments.world.tasks[task as usize].start;
        let of_frame =
            |w: &&Work| matches!(w.name, WorkName::Style | WorkName::Layout | WorkName::PrePaint | WorkName::Paint);
        let steps = || pieces(task).map(|place| &work[place]).filter(of_frame);
        let from = steps().map(|w| w.start.0).reduce(f64::min)? - start;
        let to = steps().map(|w| w.end().0).reduce(f64::max)? - start;
        if moments.runs.iter().any(|run| run.task == task) {
            return None;
        }
        // What stands in the head is not laid out.
        let in_head = |r: &&Request| r.kind == ResourceKind::Script && r.render_blocking == RenderBlocking::Blocking;
        let head = prepared.load.requests.iter().filter(in_head).filter_map(|r| prepared.released(r));
        let body = head.filter(|at| at.0 <= start).fold(Millis::ZERO, Millis::max);
        let read = |place: usize| {
            let piece = &work[place];
            let within = work[place + 1..].iter().take_while(|w| w.depth > piece.depth);
            let outermost =
                within.filter(|w| w.depth == piece.depth + 1 && w.end() > body && w.name != WorkName::ParseHtml);
            let runs: f64 = outermost.map(|w| (w.end() - w.start.max(body)).0).sum();
            (piece.end() - piece.start.max(body)).0 - runs
        };
        let reads = (0..task).filter_map(|before| {
            let by_parser = |p: &usize| work[*p].name == WorkName::ParseHtml && !graph.is_by_script(*p);
            let took: f64 = pieces(before).filter(by_parser).map(read).filter(|took| *took > 0.0).sum();
            (took > 0.0).then_some((before, took))
        });
        let reads: Vec<(u32, f64)> = reads.collect();
        // One before the body was read drew an empty page.
        let drawn = |frame: &Frame| (reads.first().map_or(task, |(first, _)| *first)..task).contains(&frame.task);
        let is_first = !moments.world.frames.iter().any(drawn);
        (!reads.is_empty() && is_first).then_some(Self { task, from, to, reads })
    }
}

impl Change<'_> {
    /// Has the first frame lay out what is read by then alone, by the share that this is of all reading before it, and
    /// the frame after the reading the rest. Whether that changes anything.
    pub(super) fn draw_what_is_read(&mut self, first: &FirstFrame, times: &Times) -> bool {
        let start = |task: u32| times.starts[task as usize];
        let after = |(task, _): &&(u32, f64)| start(*task).is_finite() && start(*task) > start(first.task);
        let all: f64 = first.reads.iter().map(|(_, took)| took).sum();
        let later: f64 = first.reads.iter().filter(after).map(|(_, took)| took).sum();
        let rest = (first.to - first.from) * later / all;
        // That something shows which was not read yet cannot be.
        if rest < LEAST || later >= all {
            return false;
        }
        let read = first.reads.iter().filter(after).map(|(task, _)| start(*task)).fold(0.0, f64::max);
        self.cut_out(first.task, &[(first.to - rest, first.to)]);
        let frames = &mut self.world.frames;
        for frame in frames.iter_mut().filter(|frame| frame.task == first.task) {
            frame.painted -= rest;
        }
        let next = frames.iter_mut().filter(|frame| start(frame.task).is_finite() && start(frame.task) > read);
        if let Some(next) = next.min_by(|a, b| start(a.task).total_cmp(&start(b.task))) {
            next.painted += rest;
            self.world.tasks[next.task as usize].duration += rest;
            // What lies within it comes later by the rest.
            self.world.cuts.push(Cut { task: next.task, offset: -rest, length: -rest });
        }
        true
    }
}
