//! The causal model run forwards: what a load would measure with edits applied.
//!
//! [`Model::of`] reads the moments of a load off its [causal graph](crate::graph): what each needs, and how much
//! later than the last of its needs it came. That difference is what the model does not know; it is kept, so
//! that a load without edits comes back as it was observed. [`Model::forecast`] changes a copy as the edits say
//! (`effects/`, one file a kind) and runs it forwards: the main thread does one task at a time, and bodies share
//! the line as on the recorder's own link.

mod brings;
mod called;
mod change;
mod connections;
mod dependants;
mod effects;
mod first_frame;
mod moments;
mod outcome;
mod pool;
mod relief;
mod run;
mod seats;
mod steps;
mod stopped;
mod world;

pub use brings::{Brings, astray, brings};
pub use effects::Unforeseen;
pub use outcome::Figures;
pub use relief::{Helps, Instead, Relief, fetches};
pub use steps::{Step, StepKind};

use crate::graph::Graph;
use crate::{Bodies, Bytes, Edit, Millis, Prepared, RequestId, Source};
use change::{Change, Ground};
use first_frame::FirstFrame;
use moments::Builder;
use petgraph::Directed;
use petgraph::algo::tarjan_scc;
use petgraph::graphmap::GraphMap;
use run::{Calibration, Times, run};
use serde::{Deserialize, Serialize};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use stopped::MayStop;
use ts_rs::TS;
use world::{Kind, Phase};

/// A request that comes at another time, or not at all.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct MovedRequest {
    /// Which.
    pub request: RequestId,
    /// When it is asked for; `None` where it is not.
    pub start_ms: Option<Millis>,
    /// When it is sent.
    pub sent_ms: Option<Millis>,
    /// When its first byte is there.
    pub first_byte_ms: Option<Millis>,
    /// When its last byte is there.
    pub end_ms: Option<Millis>,
}

/// A task of the main thread, as it was and as it would be.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct MovedTask {
    /// When it began.
    pub was_ms: Millis,
    /// How long it took.
    pub took_ms: Millis,
    /// When it would begin; `None` where it would not be.
    pub start_ms: Option<Millis>,
    /// How long it would take.
    pub duration_ms: Millis,
    /// The script that has most of it.
    #[ts(type = "string | null")]
    pub script: Option<Arc<str>>,
}

/// Tasks shorter than this, before and after, are not told one by one.
const TOLD_TASK: f64 = 2.0;
/// So many tasks are told: the longest.
const MOST_TASKS: usize = 600;

/// What a load would be with edits applied.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Forecast {
    /// What the load was told by.
    pub source: Source,
    /// As it was.
    pub before: Figures,
    /// As it would be.
    pub after: Figures,
    /// Of the weight that it would have, what goes by a rule and is not counted.
    pub rough_bytes: Bytes,
    /// Requests that would move by a millisecond or more.
    pub moved: Vec<MovedRequest>,
    /// The tasks of the main thread that are 2 ms or longer, in order of time, moved or not.
    pub tasks: Vec<MovedTask>,
    /// The new way to the largest paint; empty where none is known.
    pub path: Vec<Step>,
    /// Edits whose effect is not known, by their keys, each with the reason; they were left out.
    pub left_out: Vec<(String, String)>,
}

/// Runs a world. Moments of one time may wait for each other, and an edit may have one wait for what came of it:
/// each in such a ring then waits for earlier ones alone. What only waits for a ring keeps all its needs.
fn settled(world: &mut world::World, calibration: &Calibration) -> Times {
    let times = run(world, calibration);
    if times.unresolved.is_empty() {
        return times;
    }
    let rings = rings(world, &times.unresolved);
    let at: Vec<f64> = world.moments.iter().map(|m| m.at).collect();
    for need in &mut world.needs {
        let order = |place: u32| (at[place as usize], place);
        let ring = |place: u32| rings.get(&place);
        let circular = ring(need.moment).is_some_and(|own| ring(need.on) == Some(own));
        need.void |= circular && order(need.on) >= order(need.moment);
    }
    run(world, calibration)
}

/// The ring that each of some moments is in, by a number: those that wait for each other, however many lie between.
fn rings(world: &world::World, among: &[u32]) -> HashMap<u32, usize> {
    let among: HashSet<u32> = among.iter().copied().collect();
    let counts = |n: &&world::Need| {
        let (moment, on) = (world.moment(n.moment), world.moment(n.on));
        !n.void && !moment.gone && !on.gone && among.contains(&n.moment) && among.contains(&n.on)
    };
    let needs = world.needs.iter().filter(counts).map(|n| (n.moment, n.on));
    let waits: GraphMap<u32, (), Directed> = GraphMap::from_edges(needs);
    let strong = tarjan_scc(&waits).into_iter().enumerate();
    strong.flat_map(|(number, ring)| ring.into_iter().map(move |place| (place, number))).collect()
}

/// A load's causal model, ready to be run.
pub struct Model {
    ground: Ground,
    may_stop: Vec<MayStop>,
    first_frame: Option<FirstFrame>,
    calibration: Calibration,
    base: Times,
    figures: Figures,
}

impl Model {
    /// Of a load.
    #[must_use]
    pub fn of(prepared: &Arc<Prepared>) -> Self {
        let graph = Graph::of(prepared);
        let mut moments = Builder::build(&graph, prepared);
        let calibration = Calibration::of(&moments.world);
        let base = settled(&mut moments.world, &calibration);
        for (task, ready) in moments.world.tasks.iter_mut().zip(&base.ready) {
            task.ready = *ready;
        }
        let figures = outcome::figures(&prepared.load, &moments, &moments.world, &base);
        let may_stop = MayStop::of(&graph, prepared, &moments, &base.at);
        let first_frame = FirstFrame::of(&graph, prepared, &moments);
        Self { ground: Ground::of(prepared.clone(), moments), may_stop, first_frame, calibration, base, figures }
    }

    /// What the load measures without edits.
    #[must_use]
    pub fn figures(&self) -> Figures {
        self.figures
    }

    /// What the load was told by.
    #[must_use]
    pub fn source(&self) -> Source {
        self.ground.prepared.load.source
    }

    /// What the load would be with edits. Those whose effect is not known are left out, and said to be.
    #[must_use]
    pub fn forecast(&self, edits: &[Edit], bodies: &dyn Bodies) -> Forecast {
        let (change, left_out) = self.changed(edits, bodies);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let rough_bytes = Bytes(change.rough_bytes.round() as u64);
        let (world, times) = self.run_changed(change);
        let after = self.figures_of(&world, &times);
        let path = self.path(&world, &times);
        let tasks = self.tasks(&times);
        Forecast {
            source: self.source(),
            before: self.figures,
            after,
            rough_bytes,
            moved: self.moved(&times),
            tasks,
            path,
            left_out,
        }
    }

    /// The figures of a forecast alone, as a search wants them by the thousand.
    #[must_use]
    pub fn figures_with(&self, edits: &[Edit], bodies: &dyn Bodies) -> Figures {
        let (change, _) = self.changed(edits, bodies);
        let (world, times) = self.run_changed(change);
        self.figures_of(&world, &times)
    }

    /// Why the effect of an edit on this load is not known, where it is not.
    #[must_use]
    pub fn why_not(&self, edit: &Edit, bodies: &dyn Bodies) -> Option<Unforeseen> {
        effects::apply(edit, &mut Change::of(&self.ground), bodies).err()
    }

    /// The load that it is of.
    #[must_use]
    pub fn prepared(&self) -> &Arc<Prepared> {
        &self.ground.prepared
    }

    fn changed(&self, edits: &[Edit], bodies: &dyn Bodies) -> (Change<'_>, Vec<(String, String)>) {
        let mut change = Change::of(&self.ground);
        let mut left_out = Vec::new();
        for edit in edits {
            if let Err(Unforeseen { why, .. }) = effects::apply(edit, &mut change, bodies) {
                left_out.push((edit.key(), why));
            }
        }
        (change, left_out)
    }

    fn figures_of(&self, world: &world::World, times: &Times) -> Figures {
        outcome::figures(&self.ground.prepared.load, &self.ground.moments, world, times)
    }

    fn path(&self, world: &world::World, times: &Times) -> Vec<Step> {
        let Some(to) = outcome::largest(&self.ground.moments, world, times) else { return Vec::new() };
        steps::steps(&self.ground.prepared, &self.ground.moments, world, times, to)
    }

    fn tasks(&self, times: &Times) -> Vec<MovedTask> {
        let before = &self.ground.moments.world.tasks;
        let mut longest: HashMap<u32, (f64, &world::Run)> = HashMap::new();
        for run in &self.ground.moments.runs {
            let found = longest.entry(run.task).or_insert((-1.0, run));
            if run.length > found.0 {
                *found = (run.length, run);
            }
        }
        let told = before.iter().zip(&times.took).zip(&times.starts).zip(0u32..);
        let mut tasks: Vec<MovedTask> = told
            .filter(|(((was, now), _), _)| was.duration.max(**now) >= TOLD_TASK)
            .map(|(((was, now), start), place)| MovedTask {
                was_ms: Millis(was.start),
                took_ms: Millis(was.duration),
                start_ms: Some(*start).filter(|at| at.is_finite() && *now > 0.0).map(Millis),
                duration_ms: Millis(*now),
                script: longest.get(&place).and_then(|(_, run)| moments::address(&self.ground.prepared, run)),
            })
            .collect();
        if tasks.len() > MOST_TASKS {
            tasks.sort_by(|a, b| b.took_ms.max(b.duration_ms).order(&a.took_ms.max(a.duration_ms)));
            tasks.truncate(MOST_TASKS);
            tasks.sort_by(|a, b| a.was_ms.order(&b.was_ms));
        }
        tasks
    }

    fn moved(&self, times: &Times) -> Vec<MovedRequest> {
        let load = &self.ground.prepared.load;
        let at = |id, phase: Phase| times.at[phase.of(id) as usize];
        let moved = load.requests.iter().filter(|r| {
            [Phase::Asked, Phase::Done].into_iter().any(|phase| {
                let (before, now) = (self.base.at[phase.of(r.id) as usize], at(r.id, phase));
                before.is_finite() != now.is_finite() || (before - now).abs() >= 1.0
            })
        });
        let known = |id, phase, seen: bool| Some(at(id, phase)).filter(|at| at.is_finite() && seen).map(Millis);
        moved
            .map(|r| MovedRequest {
                request: r.id,
                start_ms: known(r.id, Phase::Asked, true),
                sent_ms: known(r.id, Phase::Sent, r.sent.is_some()),
                first_byte_ms: known(r.id, Phase::Answered, r.first_byte.is_some()),
                end_ms: known(r.id, Phase::Done, r.end.is_some()),
            })
            .collect()
    }

    /// How far the run without edits is from what was observed, in ms, at the moment where it is farthest: next to
    /// nothing, or the model is at fault.
    #[must_use]
    pub fn astray(&self) -> f64 {
        let moments = self.ground.moments.world.moments.iter().zip(&self.base.at);
        let astray =
            moments.filter(|(m, _)| !matches!(m.kind, Kind::Begins(_)) && !m.gone).map(|(m, at)| (m.at - at).abs());
        astray.fold(0.0, f64::max)
    }
}

#[cfg(test)]
mod tests {
    use super::world::{Bond, World};
    use super::*;

    #[test]
    fn what_only_waits_for_a_ring_keeps_all_that_it_needs() {
        let mut world = World::default();
        let start = world.add(Kind::After, 0.0);
        // Each waits for the other.
        let (one, two) = (world.add(Kind::After, 10.0), world.add(Kind::After, 12.0));
        // A font that both let be asked for is there before the text would be shown without it.
        let (asked, done) = (world.add(Kind::After, 15.0), world.add(Kind::After, 40.0));
        let settled_by = Kind::FontSettled { asked, done: Some(done), after: 0.0, not_before: 2000.0, frame: None };
        let shown = world.add(settled_by, 15.0);
        for (moment, on, lag) in
            [(one, start, 10.0), (one, two, 10.0), (two, one, 2.0), (done, two, 28.0), (asked, two, 3.0)]
        {
            world.need(moment, on, Bond::Gate);
            world.set_lag(moment, lag);
        }
        world.need(shown, asked, Bond::Origin);
        world.need(shown, done, Bond::Gate);
        let calibration = Calibration::of(&world);
        let times = settled(&mut world, &calibration);
        let at = [one, two, asked, done, shown].map(|place| times.at[place as usize]);
        assert_eq!(at, [10.0, 12.0, 15.0, 40.0, 40.0]);
    }
}
