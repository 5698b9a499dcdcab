//! Whose time a run is: a library that calls handlers back has the thread for those who gave them to it, and the
//! profiler tells whose functions they are.
//!
//! Along a stack, from its root: a script that was evaluated later than the one that calls it gave it its function, and
//! the time is its own from there on; one that was evaluated earlier is used by the one that calls it, and the time
//! stays the caller's. What the trace tells to be called by the browser itself is its own script's anyhow.

use crate::profile::{CodePlace, Profile, Pseudo};
use crate::uses::Uses;
use crate::{Load, Millis, Work};
use std::sync::Arc;

/// A stretch of a run in which a function was at work that another script had given to it.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Callback {
    pub start: Millis,
    pub end: Millis,
    /// Whose function it is.
    pub script: Arc<str>,
    /// The function: an index of the profile's places.
    pub place: u32,
}

/// The callbacks of a load, in order of time.
pub(crate) fn callbacks(load: &Load, uses: &Uses) -> Vec<Callback> {
    let mut found: Vec<Callback> = Vec::new();
    let Some(profile) = &load.profile else { return found };
    let whose = whose(load, uses, profile);
    let runs = runs(&load.work);
    let mut next = 0;
    // Whose the time was when the last sample of a function was taken, and in which run.
    let mut last: Option<(usize, Whose)> = None;
    for (start, end, node) in profile.spans() {
        while runs.get(next).is_some_and(|(_, to, _)| *to <= start) {
            next += 1;
        }
        let Some((from, to, own)) = runs.get(next).filter(|(from, ..)| *from <= start) else { continue };
        // The collector, and the browser's own work within a run, interrupt whoever was at work.
        let now = match profile.pseudo(node) {
            Some(Pseudo::Collector | Pseudo::Browser) => last.take().filter(|l| l.0 == next).map(|l| l.1),
            _ => whose[node as usize].clone(),
        };
        let Some(now) = now else { continue };
        last = Some((next, now.clone()));
        let Whose { script, place, .. } = now;
        let (start, end) = (start.max(*from), end.min(*to));
        if script == *own || end <= start {
            continue;
        }
        match found.last_mut().filter(|c| c.place == place && c.end == start) {
            Some(callback) => callback.end = end,
            None => found.push(Callback { start, end, script, place }),
        }
    }
    found
}

/// Whose the time on a call path is.
#[derive(Debug, Clone)]
struct Whose {
    script: Arc<str>,
    /// The function from which on it is.
    place: u32,
    /// When the script was evaluated.
    came: Option<Millis>,
}

/// The script that each call path's time belongs to; `None` where no script is on it.
fn whose(load: &Load, uses: &Uses, profile: &Profile) -> Vec<Option<Whose>> {
    let came: Vec<Option<Millis>> = profile.places.iter().map(|place| came(load, uses, place)).collect();
    let mut whose: Vec<Option<Whose>> = Vec::with_capacity(profile.nodes.len());
    for node in &profile.nodes {
        // Callers stand before what they call.
        let caller = node.parent.and_then(|parent| whose.get(parent as usize).cloned().flatten());
        let url = profile.places.get(node.place as usize).and_then(|p| p.url.clone()).filter(|url| !url.is_empty());
        let came = came.get(node.place as usize).copied().flatten();
        let own = url.map(|script| Whose { script, place: node.place, came });
        whose.push(match (caller, own) {
            (Some(caller), Some(own)) => {
                Some(if own.came > caller.came && caller.came.is_some() { own } else { caller })
            }
            (caller, own) => caller.or(own),
        });
    }
    whose
}

/// When the script of a function was evaluated; `None` where that is not told.
fn came(load: &Load, uses: &Uses, place: &CodePlace) -> Option<Millis> {
    let url = place.url.as_ref()?;
    let run = if load.document().is_some_and(|d| d.url == *url) {
        uses.inline_run(&load.work, url, place.line, Millis(f64::INFINITY))
    } else {
        uses.first_run(url)
    };
    run.map(|run| load.work[run].start)
}

/// The stretches in which a run has the thread that is in no other run: from, to, and the script. In order of time.
fn runs(work: &[Work]) -> Vec<(Millis, Millis, Arc<str>)> {
    let mut runs: Vec<(Millis, Millis, Arc<str>)> = Vec::new();
    let mut index = 0;
    while index < work.len() {
        let Some(script) = work[index].script() else {
            index += 1;
            continue;
        };
        let (end, depth) = (work[index].end(), work[index].depth);
        let mut from = work[index].start;
        index += 1;
        // The browser calls a function in the midst of it: that is told, and whose it is.
        while index < work.len() && work[index].depth > depth {
            if work[index].script().is_none() {
                index += 1;
                continue;
            }
            let inner = (work[index].start, work[index].end(), work[index].depth);
            runs.push((from, inner.0, script.clone()));
            from = inner.1;
            index += 1;
            while index < work.len() && work[index].depth > inner.2 {
                index += 1;
            }
        }
        runs.push((from, end, script.clone()));
    }
    runs.retain(|(from, to, _)| from < to);
    runs
}
