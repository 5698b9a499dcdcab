//! The parser stops at a script that has not come (HTML, section 13.2.6.4.8), and the load event comes once all has
//! loaded (HTML, section 13.2.7): what one task did as observed is then done in two, and what stands above the script,
//! or waits for the parsed document alone, is done meanwhile.

use super::change::Change;
use super::moments::Moments;
use super::run::Times;
use super::world::{Bond, Need, Phase, Place, World};
use super::{Model, settled};
use crate::graph::Graph;
use crate::{Prepared, WorkName};
use std::collections::HashMap;

/// A script that comes so many ms after all else that its task needs is one that the parser stops at.
const HELD: f64 = 5.0;
/// So many stops of one load are looked for, one after the other.
const MOST_STOPS: usize = 8;

/// A run that the parser would stop for, were its file not there, or that tells of the load event, in a task that does
/// other things before it.
#[derive(Debug, Clone, Copy)]
pub(super) struct MayStop {
    run: u32,
    /// Its file's last byte; `None` where it waits for all that it needs.
    file: Option<Place>,
    /// The beginning of its task.
    begins: Place,
    /// By how much its file came after all that its task needed before it, in ms, where it did.
    was_late: f64,
}

impl MayStop {
    /// Those of a load, by the times of its moments.
    pub(super) fn of(graph: &Graph<'_>, prepared: &Prepared, moments: &Moments, at: &[f64]) -> Vec<Self> {
        let runs = moments.runs.iter().zip(0u32..);
        let may = runs.filter(|(run, _)| run.offset > 0.0).filter_map(|(own, run)| {
            let work = &prepared.load.work[own.piece];
            let begins = moments.world.tasks[own.task as usize].begins;
            if graph.is_told_of_load(own.piece) {
                return Some(Self { run, file: None, begins, was_late: 0.0 });
            }
            let url = work.url.as_ref().filter(|_| work.name == WorkName::Evaluate)?;
            let file = prepared.all_for(url).rfind(|r| r.start <= work.start)?;
            let stops = file.render_blocking.held_up();
            stops.then_some(Self { run, file: Some(Phase::Done.of(file.id)), begins, was_late: 0.0 })
        });
        let mut may: Vec<Self> = may.collect();
        let late = late(moments, &moments.world, at, &may);
        for (stop, late) in may.iter_mut().zip(late) {
            stop.was_late = late.max(0.0);
        }
        may
    }
}

/// By how much each run's file, or all that it needs, comes after all that its task needs before it, in ms.
fn late(moments: &Moments, world: &World, at: &[f64], may: &[MayStop]) -> Vec<f64> {
    let mut by_task: HashMap<Place, Vec<usize>> = HashMap::new();
    for (i, stop) in may.iter().enumerate() {
        by_task.entry(stop.begins).or_default().push(i);
    }
    let offset = |run: u32| moments.runs[run as usize].offset;
    let mut others = vec![0.0f64; may.len()];
    let mut own: Vec<f64> = may.iter().map(|stop| stop.file.map_or(0.0, |file| at[file as usize])).collect();
    for need in world.needs.iter().filter(|n| !n.void && !world.moment(n.on).gone) {
        for &i in by_task.get(&need.moment).into_iter().flatten() {
            if need.run.is_none_or(|run| offset(run) < offset(may[i].run)) {
                others[i] = others[i].max(at[need.on as usize]);
            } else if may[i].file.is_none() && need.run == Some(may[i].run) {
                own[i] = own[i].max(at[need.on as usize]);
            }
        }
    }
    own.into_iter().zip(others).map(|(own, others)| own - others).collect()
}

impl Change<'_> {
    /// The first run that the parser stops for now, and did not stop for as observed.
    fn new_stop(&self, may_stop: &[MayStop], times: &Times) -> Option<u32> {
        let there =
            |stop: &&MayStop| !self.is_cut(stop.run) && stop.file.is_none_or(|file| !self.world.moment(file).gone);
        let may: Vec<MayStop> = may_stop.iter().filter(there).copied().collect();
        if may.is_empty() {
            return None;
        }
        let now = late(&self.ground.moments, &self.world, &times.at, &may);
        let stops = may.iter().zip(now).filter(|(stop, now)| now.is_finite() && *now > stop.was_late + HELD);
        stops.map(|(stop, _)| stop.run).min()
    }

    /// Has the parser stop for a run: it and those below it in its task are done one after the other once that is over
    /// and each has what it needs.
    fn stop_at(&mut self, run: u32) {
        let runs = &self.ground.moments.runs;
        let own = runs[run as usize];
        let below: Vec<u32> = runs
            .iter()
            .zip(0u32..)
            .filter(|(r, _)| r.task == own.task && r.offset >= own.offset)
            .map(|(_, i)| i)
            .collect();
        let task = self.ground.moments.world.tasks[own.task as usize];
        let mut before = self.end_of_task(own.task);
        for (run, after) in below.into_iter().zip(1u32..) {
            if self.is_cut(run) {
                continue;
            }
            let its = |n: &Need| n.moment == task.begins && n.run == Some(run) && !n.void;
            let needs: Vec<Need> = self.world.needs.iter().filter(|n| its(n)).copied().collect();
            let begins = self.move_run(run, task.order + f64::from(after) * 1e-3, 0.0);
            for need in self.world.needs.iter_mut().filter(|n| n.moment == task.begins && n.run == Some(run)) {
                need.void = true;
            }
            for need in needs {
                self.world.need(begins, need.on, need.bond);
            }
            self.world.need(begins, before, Bond::Gate);
            if let Some(end) = self.end_of(begins) {
                before = end;
            }
        }
    }
}

impl Model {
    /// Runs what a change made of the load.
    pub(super) fn run_changed(&self, mut change: Change<'_>) -> (World, Times) {
        let mut times = settled(&mut change.world, &self.calibration);
        for _ in 0..MOST_STOPS {
            let Some(run) = change.new_stop(&self.may_stop, &times) else { break };
            change.stop_at(run);
            times = settled(&mut change.world, &self.calibration);
        }
        (change.world, times)
    }
}
