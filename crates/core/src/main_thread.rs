//! Main-thread time: by kind, by script, by owner, and the long tasks.

use crate::metrics::Metrics;
use crate::{Millis, Owner, Owners, Prepared, Subject, WorkKind, self_times};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use ts_rs::TS;

/// A task is long from here on (W3C Long Tasks).
pub(crate) const LONG: Millis = Millis(50.0);

/// A task of more than 50 ms.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct LongTask {
    /// When it began.
    pub start_ms: Millis,
    /// How long it took.
    pub duration_ms: Millis,
    /// The script that took most of it, where one did.
    #[ts(type = "string | null")]
    pub url: Option<Arc<str>>,
    /// Whose that script is.
    pub owner: Owner,
    /// What most of it was.
    pub kind: WorkKind,
    /// What it adds to TBT.
    pub blocking_ms: Millis,
    /// Milliseconds of the task that each owner took, heaviest first.
    pub shares: Vec<(Owner, Millis)>,
}

/// One script's main-thread time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ScriptTime {
    /// The script; `None` is the page's own style, layout, paint and parsing.
    #[ts(type = "string | null")]
    pub url: Option<Arc<str>>,
    /// Whose it is.
    pub owner: Owner,
    /// All of its time, by kind of work.
    #[ts(type = "{ [kind in WorkKind]?: number }")]
    pub by_kind_ms: BTreeMap<WorkKind, Millis>,
    /// The sum.
    pub total_ms: Millis,
}

/// The tasks as columns, to be drawn on the time axis.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct TaskColumns {
    pub start_ms: Vec<Millis>,
    pub duration_ms: Vec<Millis>,
    /// What most of each task was.
    pub kind: Vec<WorkKind>,
}

/// A load's main-thread time.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct MainThread {
    /// Self time by kind of work; adds up to the tasks' durations.
    #[ts(type = "{ [kind in WorkKind]?: number }")]
    pub by_kind_ms: BTreeMap<WorkKind, Millis>,
    /// By script, heaviest first.
    pub by_script: Vec<ScriptTime>,
    /// In order of time.
    pub long_tasks: Vec<LongTask>,
    /// Sum of all tasks.
    pub total_ms: Millis,
    /// Tasks of half a millisecond or more.
    pub tasks: TaskColumns,
}

/// Sums a load's work up; `None` where no main thread was observed.
#[must_use]
pub(crate) fn main_thread(prepared: &Prepared, metrics: &Metrics) -> Option<MainThread> {
    let (load, owners) = (&prepared.load, &prepared.owners);
    if load.why_missing(Subject::MainThread).is_some() {
        return None;
    }
    let own = self_times(&load.work);
    let blamed = Owners::blame(&load.work, &prepared.index.parents);
    let owner_of: Vec<Owner> =
        blamed.iter().map(|url| url.as_deref().map_or_else(Owner::page, |u| owners.of_url(u))).collect();
    let mut found = MainThread::default();
    let mut scripts: HashMap<Option<Arc<str>>, ScriptTime> = HashMap::new();
    for (index, piece) in load.work.iter().enumerate() {
        *found.by_kind_ms.entry(piece.kind).or_default() += own[index];
        let script = scripts.entry(blamed[index].clone()).or_insert_with(|| ScriptTime {
            url: blamed[index].clone(),
            owner: owner_of[index].clone(),
            by_kind_ms: BTreeMap::new(),
            total_ms: Millis::ZERO,
        });
        *script.by_kind_ms.entry(piece.kind).or_default() += own[index];
        script.total_ms += own[index];
    }
    found.by_script = scripts.into_values().filter(|s| s.total_ms.0 >= 0.05).collect();
    found.by_script.sort_by(|a, b| b.total_ms.order(&a.total_ms).then_with(|| a.url.cmp(&b.url)));

    let mut index = 0;
    while index < load.work.len() {
        let task = &load.work[index];
        let after = load.work[index + 1..].iter().position(|w| w.depth == 0).map_or(load.work.len(), |n| index + 1 + n);
        found.total_ms += task.duration;
        if task.duration.0 >= 0.5 {
            let kind = heaviest((index..after).map(|i| (load.work[i].kind, own[i]))).map_or(WorkKind::Other, |k| k.0);
            found.tasks.start_ms.push(task.start);
            found.tasks.duration_ms.push(task.duration);
            found.tasks.kind.push(kind);
            if task.duration > LONG {
                let script = heaviest((index..after).filter_map(|i| Some((blamed[i].clone()?, own[i]))));
                // A script is named only where it took a good part of the task.
                let url = script.filter(|(_, took)| took.0 * 3.0 >= task.duration.0).map(|(url, _)| url);
                let shares = sums((index..after).map(|i| (owner_of[i].clone(), own[i])));
                let blocking_ms = match (metrics.fcp_ms, metrics.tti_ms) {
                    (Some(fcp), Some(tti)) => crate::metrics::blocking(task.start, task.end(), fcp, tti),
                    _ => Millis::ZERO,
                };
                found.long_tasks.push(LongTask {
                    start_ms: task.start,
                    duration_ms: task.duration,
                    owner: url.as_deref().map_or_else(Owner::page, |u| owners.of_url(u)),
                    url,
                    kind,
                    blocking_ms,
                    shares: shares.into_iter().filter(|(_, ms)| ms.0 >= 0.5).collect(),
                });
            }
        }
        index = after;
    }
    Some(found)
}

fn sums<K: PartialEq + Ord>(pieces: impl Iterator<Item = (K, Millis)>) -> Vec<(K, Millis)> {
    let mut sums: BTreeMap<K, Millis> = BTreeMap::new();
    for (key, time) in pieces {
        *sums.entry(key).or_default() += time;
    }
    let mut sums: Vec<_> = sums.into_iter().collect();
    sums.sort_by(|a, b| b.1.order(&a.1));
    sums
}

fn heaviest<K: PartialEq + Ord>(pieces: impl Iterator<Item = (K, Millis)>) -> Option<(K, Millis)> {
    sums(pieces).into_iter().next()
}
