//! Less main-thread work, or in smaller pieces.

use super::super::change::Change;
use super::{Effect, requests, unforeseen};
use crate::{ResourceKey, WorkKind};
use std::sync::Arc;

/// A task longer than this blocks, in ms.
const LONG: f64 = 50.0;

fn addresses(change: &Change<'_>, file: &ResourceKey) -> Result<Vec<Arc<str>>, super::Unforeseen> {
    let load = &change.ground.prepared.load;
    Ok(requests(change, file)?.into_iter().filter_map(|id| load.request(id)).map(|r| r.url.clone()).collect())
}

/// A script's long tasks are done in pieces that do not block.
pub(super) fn split(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let urls = addresses(change, file)?;
    let work = &change.ground.prepared.load.work;
    let mut split = 0;
    for run in &change.ground.moments.runs {
        let own = work[run.piece].url.as_ref().is_some_and(|url| urls.contains(url));
        let task = &mut change.world.tasks[run.task as usize];
        if own && task.duration > LONG && run.length > task.duration / 2.0 {
            task.split = true;
            split += 1;
        }
    }
    if split == 0 { unforeseen("The main thread has no long task of it.") } else { Ok(()) }
}

/// A script forces no style or layout: what it forced is done once, with the next frame.
pub(super) fn stop_forced(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let urls = addresses(change, file)?;
    let load = change.ground.prepared.load.clone();
    let mut stopped = 0;
    for forced in load.forced.iter().filter(|f| matches!(f.kind, WorkKind::Style | WorkKind::Layout)) {
        if !forced.by.url.as_ref().is_some_and(|url| urls.contains(url)) {
            continue;
        }
        let tasks = &change.ground.moments.world.tasks;
        let after = tasks.partition_point(|t| t.start <= forced.at.0);
        let Some(index) = after.checked_sub(1) else { continue };
        let offset = forced.at.0 - tasks[index].start;
        let (Ok(task), true) = (u32::try_from(index), offset < tasks[index].duration) else { continue };
        change.cut_out(task, &[(offset, offset + forced.duration.0)]);
        stopped += 1;
    }
    if stopped == 0 { unforeseen("It forced no style or layout.") } else { Ok(()) }
}
