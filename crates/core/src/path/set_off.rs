//! What set a paint off, when it came long after everything that it is known to have needed.
//!
//! A browser draws a frame when something of the page has changed. If a frame shows what could have
//! been shown long before, the change was the element's being put there, or made visible, after the
//! frame before it: by a run of script, or by the parser.

use crate::{Load, Millis, WorkKind, WorkName};

/// Idle for this long with everything there, the browser was not merely about to draw.
const UNDRAWN: Millis = Millis(60.0);
/// A frame reaches the screen some time after the main thread is done with it, and the next one may
/// have begun by then: changes up to this long before the paint are looked at in any case.
const ON_ITS_WAY: Millis = Millis(120.0);

/// What set a paint off.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum SetOff {
    /// A run of script: an index of [`Load::work`].
    Run(usize),
    /// The parser's reading on from this moment.
    Parser(Millis),
    /// Something that the recording does not tell.
    Unknown,
}

/// When the main thread began to draw the frame of a paint: its piece of work and the moment.
pub(super) fn drawn(load: &Load, paint: Millis) -> Option<(usize, Millis)> {
    let last = load.work.iter().rposition(|w| w.name == WorkName::Paint && w.end() <= paint)?;
    let (mut place, mut at) = (last, load.work[last].start);
    // The style and layout before it in the same task are the same frame's.
    while place > 0 && load.work[place].depth > 0 {
        place -= 1;
        match load.work[place].kind {
            WorkKind::Style | WorkKind::Layout | WorkKind::Paint => at = load.work[place].start,
            _ => break,
        }
    }
    Some((last, at))
}

/// What set a paint off; `None` where it came as soon as could be after `ready`, or where the main
/// thread is not known.
pub(super) fn set_off(load: &Load, parents: &[Option<usize>], ready: Millis, paint: Millis) -> Option<SetOff> {
    let (last, drawn) = drawn(load, paint)?;
    let busy: Millis = load
        .work
        .iter()
        .filter(|w| w.depth == 0)
        .map(|w| (w.end().min(drawn) - w.start.max(ready)).max(Millis::ZERO))
        .sum();
    if drawn - ready - busy < UNDRAWN {
        return None;
    }
    let before = load.work[..last].iter().rfind(|w| w.name == WorkName::Paint && w.end() <= drawn).map(|w| w.end());
    let since = before.unwrap_or(ready).min(paint - ON_ITS_WAY).max(ready);
    let within = |i: &usize| load.work[*i].start < drawn && load.work[*i].end() > since;
    let inside = |i: usize, of: fn(WorkName) -> bool| {
        std::iter::successors(parents[i], |p| parents[*p]).any(|p| of(load.work[p].name))
    };
    // Of runs within runs the outermost, which is what a timer or an answer called.
    let runs: Vec<usize> = (0..last)
        .filter(within)
        .filter(|&i| load.work[i].script().is_some())
        .filter(|&i| !std::iter::successors(parents[i], |p| parents[*p]).any(|p| load.work[p].script().is_some()))
        .collect();
    let changed = |i: &usize| {
        let (start, end) = (load.work[*i].start, load.work[*i].end());
        let next = load.changes.partition_point(|c| c.at < start);
        load.changes.get(next).is_some_and(|c| c.at <= end)
    };
    let longest = |runs: &mut dyn Iterator<Item = usize>| {
        runs.max_by(|a, b| load.work[*a].duration.order(&load.work[*b].duration))
    };
    if let Some(run) = longest(&mut runs.iter().copied().filter(changed)) {
        return Some(SetOff::Run(run));
    }
    // What a script puts in as HTML is parsed too, inside the script's run.
    let by_script = |name| {
        matches!(
            name,
            WorkName::Evaluate
                | WorkName::Call
                | WorkName::Microtasks
                | WorkName::Timer
                | WorkName::Event
                | WorkName::AnimationFrame
        )
    };
    let parsed = (0..last)
        .filter(within)
        .rfind(|&i| load.work[i].name == WorkName::ParseHtml && !inside(i, by_script))
        .map(|i| SetOff::Parser(load.work[i].start.max(ready)));
    parsed.or_else(|| longest(&mut runs.into_iter()).map(SetOff::Run)).or(Some(SetOff::Unknown))
}
