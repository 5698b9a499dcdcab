//! The causal model run forwards: what a load would measure with edits applied.
//!
//! [`Model::of`] reads the moments of a load off its [causal graph](crate::graph): what each needs, and how much
//! later than the last of its needs it came. That difference is what the model does not know; it is kept, so
//! that a load without edits comes back as it was observed. [`Model::forecast`] changes a copy as the edits say
//! (`effects/`, one file a kind) and runs it forwards: the main thread does one task at a time, and bodies share
//! the line as on the recorder's own link.

mod change;
mod effects;
mod moments;
mod outcome;
mod run;
mod world;

pub use effects::Unforeseen;
pub use outcome::Figures;

use crate::graph::Graph;
use crate::{Bodies, Edit, Millis, Prepared, RequestId};
use change::{Change, Ground};
use moments::Builder;
use run::{Calibration, Times, run};
use serde::{Deserialize, Serialize};
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
    /// When its first byte is there.
    pub first_byte_ms: Option<Millis>,
    /// When its last byte is there.
    pub end_ms: Option<Millis>,
}

/// What a load would be with edits applied.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Forecast {
    /// As it was.
    pub before: Figures,
    /// As it would be.
    pub after: Figures,
    /// Requests that would move by a millisecond or more.
    pub moved: Vec<MovedRequest>,
    /// Edits whose effect is not known, by their keys, each with the reason; they were left out.
    pub left_out: Vec<(String, String)>,
}

/// A load's causal model, ready to be run.
pub struct Model<'a> {
    ground: Ground<'a>,
    calibration: Calibration,
    base: Times,
}

impl<'a> Model<'a> {
    /// Of a load.
    #[must_use]
    pub fn of(prepared: &'a Prepared) -> Self {
        let graph = Graph::of(prepared);
        let mut moments = Builder::build(&graph, prepared);
        let calibration = Calibration::of(&moments.world);
        let mut base = run(&moments.world, &calibration);
        if !base.unresolved.is_empty() {
            // Moments of one time may wait for each other; each then waits for earlier ones alone.
            let waits: std::collections::HashSet<u32> = base.unresolved.iter().copied().collect();
            let order = |place: u32| (moments.world.moments[place as usize].at, place);
            let circular: Vec<bool> = moments
                .world
                .needs
                .iter()
                .map(|n| waits.contains(&n.moment) && waits.contains(&n.on) && order(n.on) >= order(n.moment))
                .collect();
            for (need, circular) in moments.world.needs.iter_mut().zip(circular) {
                need.void |= circular;
            }
            base = run(&moments.world, &calibration);
        }
        Self { ground: Ground::of(prepared, moments), calibration, base }
    }

    /// Whether anything is known that a forecast could be made from.
    #[must_use]
    pub fn figures(&self) -> Figures {
        self.outcome(&self.ground.moments.world, &self.base, 0.0)
    }

    /// What the load would be with edits. Those whose effect is not known are left out, and said to be.
    #[must_use]
    pub fn forecast(&self, edits: &[Edit], bodies: &dyn Bodies) -> Forecast {
        let mut change = Change::of(&self.ground);
        let mut left_out = Vec::new();
        for edit in edits {
            if let Err(Unforeseen(why)) = effects::apply(edit, &mut change, bodies) {
                left_out.push((edit.key(), why));
            }
        }
        let times = run(&change.world, &self.calibration);
        let after = self.outcome(&change.world, &times, change.shifted);
        Forecast { before: self.figures(), after, moved: self.moved(&times), left_out }
    }

    fn outcome(&self, world: &world::World, times: &Times, shifted: f64) -> Figures {
        outcome::figures(&self.ground.prepared.load, &self.ground.moments, world, times, shifted)
    }

    fn moved(&self, times: &Times) -> Vec<MovedRequest> {
        let load = &self.ground.prepared.load;
        let at = |id, phase: Phase| times.at[phase.of(id) as usize];
        let moved = load.requests.iter().filter(|r| {
            [Phase::Asked, Phase::Done].into_iter().any(|phase| {
                let (before, now) = (self.base.at[phase.of(r.id) as usize], at(r.id, phase));
                !((before - now).abs() < 1.0)
            })
        });
        let known = |id, phase, seen: bool| Some(at(id, phase)).filter(|at| at.is_finite() && seen).map(Millis);
        moved
            .map(|r| MovedRequest {
                request: r.id,
                start_ms: known(r.id, Phase::Asked, true),
                first_byte_ms: known(r.id, Phase::Answered, r.first_byte.is_some()),
                end_ms: known(r.id, Phase::Done, r.end.is_some()),
            })
            .collect()
    }

    /// How far the run without edits is from what was observed, at the moment where it is farthest, in ms: what
    /// the moments are told apart by, and nothing if the model is whole.
    #[must_use]
    pub fn astray(&self) -> f64 {
        let moments = self.ground.moments.world.moments.iter().zip(&self.base.at);
        let astray = moments.filter(|(m, _)| !matches!(m.kind, Kind::Begins(_)) && !m.gone).map(|(m, at)| (m.at - at).abs());
        if std::env::var("DBG").is_ok() { for (i,(m, at)) in self.ground.moments.world.moments.iter().zip(&self.base.at).enumerate() { if (m.at-at).abs()>=0.5 { eprintln!("{i} {m:?} {at}"); for n in self.ground.moments.world.needs.iter().filter(|n| n.moment as usize==i) { eprintln!("   {n:?} obs {} now {} {:?}", self.ground.moments.world.moments[n.on as usize].at, self.base.at[n.on as usize], self.ground.moments.world.moments[n.on as usize].kind);} } } for (i,t) in self.ground.moments.world.tasks.iter().enumerate() { if (self.base.starts[i]-t.start).abs()>0.3 { eprintln!("task {i} {t:?} now {} lag {}", self.base.starts[i], self.ground.moments.world.moments[t.begins as usize].lag);} } }
        astray.fold(0.0, f64::max)
    }
}
