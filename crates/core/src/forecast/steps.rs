//! The path of a run: back from a paint along what came last.

use super::moments::Moments;
use super::run::Times;
use super::world::{Kind, Phase, Place, START, World};
use crate::{Millis, Prepared, RequestId};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// What a step of the forecast path is spent on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum StepKind {
    /// Until a request is asked for.
    Asked,
    /// Until it is sent: the browser's queue, and its connection.
    Sent,
    /// Until its headers are there.
    Answered,
    /// Until its last byte is there.
    Received,
    /// A task of the main thread, and waiting for it.
    Task,
    /// Anything else, up to the paint.
    Other,
}

/// A step of the forecast path.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Step {
    /// From.
    pub from_ms: Millis,
    /// To.
    pub to_ms: Millis,
    /// On what.
    pub kind: StepKind,
    /// The request that it is about.
    pub request: Option<RequestId>,
    /// The script at work in the task.
    #[ts(type = "string | null")]
    pub script: Option<Arc<str>>,
}

/// Steps shorter than this, in ms, are joined to the one before them.
const CRUMB: f64 = 1.0;
/// Clocks of a moment and of what it needs agree to within this, in ms.
const LATER: f64 = 1.0;

/// The steps to a moment of a run, in order of time.
pub(super) fn steps(prepared: &Prepared, moments: &Moments, world: &World, times: &Times, to: Place) -> Vec<Step> {
    let mut steps: Vec<Step> = Vec::new();
    let mut place = to;
    let mut until = times.at[to as usize];
    for _ in 0..world.moments.len() {
        if place == START || !until.is_finite() {
            break;
        }
        let needs = world.needs.iter().filter(|n| n.moment == place && !n.void && !world.moment(n.on).gone);
        // A paint that an earlier frame than its own shows does not wait for that.
        let needs = needs.filter(|n| times.at[n.on as usize] <= until + LATER);
        let last = needs.max_by(|a, b| times.at[a.on as usize].total_cmp(&times.at[b.on as usize]));
        let on = turn_after(world, times, place).or(last.map(|n| n.on)).unwrap_or(START);
        let from = times.at[on as usize].min(until);
        let (kind, request, script) = about(prepared, moments, world, place);
        let same = steps.last().is_some_and(|s| s.kind == kind && s.request == request && s.script == script);
        match steps.last_mut() {
            Some(step) if same || until - from < CRUMB => step.from_ms = Millis(from),
            _ => steps.push(Step { from_ms: Millis(from), to_ms: Millis(until), kind, request, script }),
        }
        (place, until) = (on, from);
    }
    steps.reverse();
    steps
}

/// The answer that a request waited for, to have its connection.
fn turn_after(world: &World, times: &Times, place: Place) -> Option<Place> {
    let Kind::Sent(request) = world.moment(place).kind else { return None };
    times.behind[request as usize].map(|before| Phase::Done.of(RequestId(before)))
}

fn about(
    prepared: &Prepared,
    moments: &Moments,
    world: &World,
    place: Place,
) -> (StepKind, Option<RequestId>, Option<Arc<str>>) {
    let requests = world.transfers.len();
    let phase = place.checked_sub(1).map(|p| (p / 6, Phase::ALL[(p % 6) as usize]));
    if let Some((request, phase)) = phase.filter(|(request, _)| (*request as usize) < requests) {
        let kind = match phase {
            Phase::Asked => StepKind::Asked,
            Phase::Connecting | Phase::Connected | Phase::Sent => StepKind::Sent,
            Phase::Answered => StepKind::Answered,
            Phase::Done => StepKind::Received,
        };
        return (kind, Some(RequestId(request)), None);
    }
    match world.moment(place).kind {
        Kind::Begins(task) | Kind::Inside { task, .. } => {
            let run = moments.runs.iter().filter(|r| r.task == task).max_by(|a, b| a.length.total_cmp(&b.length));
            (StepKind::Task, None, run.and_then(|r| super::moments::address(prepared, r)))
        }
        Kind::Part { request, .. } => (StepKind::Received, Some(RequestId(request)), None),
        _ => (StepKind::Other, None, None),
    }
}
