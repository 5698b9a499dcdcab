//! Main-thread time: by kind, by script, by owner, and the long tasks.

use crate::metrics::Metrics;
use crate::{Millis, Owner, Owners, Prepared, Subject, Work, WorkKind, self_times};
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
    let shares = shares(prepared, &own);
    let owner_of = |url: &Option<Arc<str>>| url.as_deref().map_or_else(Owner::page, |u| owners.of_url(u));
    let mut found = MainThread::default();
    let mut scripts: HashMap<Option<Arc<str>>, ScriptTime> = HashMap::new();
    for (index, piece) in load.work.iter().enumerate() {
        *found.by_kind_ms.entry(piece.kind).or_default() += own[index];
        for (url, took) in &shares[index] {
            let script = scripts.entry(url.clone()).or_insert_with(|| ScriptTime {
                url: url.clone(),
                owner: owner_of(url),
                by_kind_ms: BTreeMap::new(),
                total_ms: Millis::ZERO,
            });
            *script.by_kind_ms.entry(piece.kind).or_default() += *took;
            script.total_ms += *took;
        }
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
                let within = || shares[index..after].iter().flatten();
                let script = heaviest(within().filter_map(|(url, took)| Some((url.clone()?, *took))));
                // A script is named only where it took a good part of the task.
                let url = script.filter(|(_, took)| took.0 * 3.0 >= task.duration.0).map(|(url, _)| url);
                let owned = sums(within().map(|(url, took)| (owner_of(url), *took)));
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
                    shares: owned.into_iter().filter(|(_, ms)| ms.0 >= 0.5).collect(),
                });
            }
        }
        index = after;
    }
    Some(found)
}

/// Whose the own time of each piece of work is: its script's, or that of the nearest one around it, but for what the
/// samples tell to be done for another. Adds up to the own times.
fn shares(prepared: &Prepared, own: &[Millis]) -> Vec<Vec<(Option<Arc<str>>, Millis)>> {
    let work = &prepared.load.work;
    let blamed = Owners::blame(work, &prepared.index.parents);
    let whole = blamed.into_iter().zip(own).map(|(url, own)| vec![(url, *own)]);
    let mut shares: Vec<Vec<(Option<Arc<str>>, Millis)>> = whole.collect();
    let mut callbacks = prepared.index.callbacks.iter().peekable();
    for (from, to, index) in innermost(work) {
        while callbacks.next_if(|c| c.end <= from).is_some() {}
        for callback in callbacks.clone().take_while(|c| c.start < to) {
            let took = (callback.end.min(to) - callback.start.max(from)).min(shares[index][0].1).max(Millis::ZERO);
            shares[index][0].1 = shares[index][0].1 - took;
            let script = Some(callback.script.clone());
            match shares[index][1..].iter_mut().find(|(url, _)| *url == script) {
                Some((_, sum)) => *sum += took,
                None => shares[index].push((script, took)),
            }
        }
    }
    shares
}

/// The stretches in which each piece of work is the innermost, in order of time: from, to, and its place.
fn innermost(work: &[Work]) -> Vec<(Millis, Millis, usize)> {
    let mut stretches = Vec::with_capacity(work.len() * 2);
    let mut open: Vec<usize> = Vec::new();
    let mut at = Millis::ZERO;
    let mut until = |open: &[usize], to: Millis| {
        if let Some(index) = open.last().filter(|_| at < to) {
            stretches.push((at, to, *index));
        }
        at = at.max(to);
    };
    for (index, piece) in work.iter().enumerate() {
        while open.len() > usize::from(piece.depth) {
            until(&open, open.last().map_or(Millis::ZERO, |i| work[*i].end()));
            open.pop();
        }
        until(&open, piece.start);
        open.push(index);
    }
    while let Some(index) = open.last().copied() {
        until(&open, work[index].end());
        open.pop();
    }
    stretches
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
