//! What the functions of a script do within runs of others: a handler that a library calls, a library that a page's
//! own script calls. The profiler tells. Without the script none of that is done, nor what it calls in its turn.

use super::moments::{Moments, address};
use crate::Prepared;
use crate::profile::stacks;
use std::collections::HashMap;
use std::sync::Arc;

/// A stretch of a task in which a function of a script was on the stack, though the run is another's.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Called {
    /// Whose run it is: an index of the load's runs.
    pub run: u32,
    /// From the task's start, in ms.
    pub from: f64,
    /// Its end.
    pub to: f64,
}

/// The stretches of each script, in order of time; none overlaps another of the same script.
pub(super) fn called(prepared: &Prepared, moments: &Moments) -> HashMap<Arc<str>, Vec<Called>> {
    let mut called: HashMap<Arc<str>, Vec<Called>> = HashMap::new();
    let Some(profile) = &prepared.load.profile else { return called };
    let start = |run: usize| prepared.load.work[moments.runs[run].piece].start;
    // Runs stand in order of time.
    let runs: Vec<_> = (0..moments.runs.len()).map(start).collect();
    for bar in stacks(profile, &prepared.load.work) {
        let Some(url) = profile.places.get(bar.place as usize).and_then(|p| p.url.as_ref()) else { continue };
        let Some(at) = runs.partition_point(|start| *start <= bar.start).checked_sub(1) else { continue };
        let own = moments.runs[at];
        let (Ok(run), Some(of)) = (u32::try_from(at), address(prepared, &own)) else { continue };
        let from = own.offset + (bar.start - runs[at]).0;
        let to = (own.offset + (bar.end - runs[at]).0).min(own.offset + own.length);
        if of == *url || to <= from {
            continue;
        }
        let stretches = called.entry(url.clone()).or_default();
        // Bars stand in order of their start.
        match stretches.last_mut().filter(|last| last.run == run && from <= last.to) {
            Some(last) => last.to = last.to.max(to),
            None => stretches.push(Called { run, from, to }),
        }
    }
    called
}
