//! The parser stops at a script that has not come (HTML, section 13.2.6.4.8) and at a sheet in the body, it reads on past
//! another sheet that has not (HTML, section 4.6.7.7), and the load event comes once all has loaded (HTML, section
//! 13.2.7): what one task did as observed is then done in two, and what stands above where the parser stops or below
//! the sheet that it reads past, or waits for the parsed document alone, is done meanwhile.

use super::change::Change;
use super::moments::Moments;
use super::run::Times;
use super::world::{Bond, Kind, Need, Phase, Place, Run, World};
use super::{Model, settled};
use crate::graph::Graph;
use crate::work::parents;
use crate::{Prepared, RenderBlocking, ResourceKind, WorkName};
use std::collections::HashMap;

/// A file that comes so many ms after all else that its task needs is one that the parser stops at or reads past.
const HELD: f64 = 5.0;
/// So many stops of one load are looked for, one after the other.
const MOST_STOPS: usize = 8;

/// What the parser does at a file that is not there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Parser {
    Stops,
    /// The file is taken up once it has come, and what does not need it does not wait.
    ReadsOn,
}

/// A run that the parser would stop for, or read past, were its file not there, or that tells of the load event, in a
/// task that does other things before it.
#[derive(Debug, Clone, Copy)]
pub(super) struct MayStop {
    run: u32,
    parser: Parser,
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
        let pieces = &prepared.load.work;
        let wholes = parents(pieces);
        let is_read = |piece: usize| {
            let mut wholes = std::iter::successors(wholes[piece], |whole| wholes[*whole]);
            wholes.any(|whole| pieces[whole].name == WorkName::ParseHtml)
        };
        // A script below a sheet waits for that (HTML, section 4.2.4.4), and what stands below it for the script.
        let reads_script = |sheet: u32| {
            let task = |run: &&Run| run.task == moments.runs[sheet as usize].task;
            let mut below = moments.runs[sheet as usize + 1..].iter().take_while(task);
            below.any(|r| pieces[r.piece].name == WorkName::Evaluate && is_read(r.piece))
        };
        let may = runs.filter(|(run, _)| run.offset > 0.0).filter_map(|(own, run)| {
            let work = &pieces[own.piece];
            let begins = moments.world.tasks[own.task as usize].begins;
            let may = Self { run, parser: Parser::Stops, file: None, begins, was_late: 0.0 };
            if graph.is_told_of_load(own.piece) {
                return Some(may);
            }
            let url = work.url.as_ref()?;
            let file = || prepared.all_for(url).rfind(|r| r.start <= work.start);
            let (file, parser) = match work.name {
                WorkName::Evaluate => (file().filter(|r| r.render_blocking.held_up())?, Parser::Stops),
                WorkName::ParseSheet if is_read(own.piece) => {
                    let file = file().filter(|r| r.kind == ResourceKind::Style)?;
                    match file.render_blocking {
                        // What stands below it waits for the task as a whole.
                        RenderBlocking::InBodyParserBlocking if graph.largest_stands_above(file) => {
                            (file, Parser::Stops)
                        }
                        RenderBlocking::InBodyParserBlocking => return None,
                        _ if !reads_script(run) => (file, Parser::ReadsOn),
                        _ => return None,
                    }
                }
                _ => return None,
            };
            Some(Self { parser, file: Some(Phase::Done.of(file.id)), ..may })
        });
        let mut may: Vec<Self> = may.collect();
        let late = late(moments, &moments.world, at, &may);
        for (stop, late) in may.iter_mut().zip(late) {
            stop.was_late = late.max(0.0);
        }
        may
    }
}

/// By how much each run's file, or all that it needs, comes after all that its task needs before it, in ms. What the
/// parser reads past waits for nothing else that it does.
fn late(moments: &Moments, world: &World, at: &[f64], may: &[MayStop]) -> Vec<f64> {
    let mut by_task: HashMap<Place, Vec<usize>> = HashMap::new();
    for (i, stop) in may.iter().enumerate() {
        by_task.entry(stop.begins).or_default().push(i);
    }
    let offset = |run: u32| moments.runs[run as usize].offset;
    let read_past = |run: Option<u32>| may.iter().any(|stop| stop.parser == Parser::ReadsOn && run == Some(stop.run));
    let mut others = vec![0.0f64; may.len()];
    let mut own: Vec<f64> = may.iter().map(|stop| stop.file.map_or(0.0, |file| at[file as usize])).collect();
    for need in world.needs.iter().filter(|n| !n.void && !world.moment(n.on).gone) {
        for &i in by_task.get(&need.moment).into_iter().flatten() {
            if may[i].parser == Parser::ReadsOn && read_past(need.run) {
                continue;
            }
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
    /// The first run that the parser stops for now, and did not stop for as observed; or those of its task that it
    /// reads past now.
    fn new_stop(&self, may_stop: &[MayStop], times: &Times) -> Option<(Parser, Vec<u32>)> {
        let there =
            |stop: &&MayStop| !self.is_cut(stop.run) && stop.file.is_none_or(|file| !self.world.moment(file).gone);
        let may: Vec<MayStop> = may_stop.iter().filter(there).copied().collect();
        if may.is_empty() {
            return None;
        }
        let now = late(&self.ground.moments, &self.world, &times.at, &may);
        let late = |(stop, now): &(&MayStop, f64)| now.is_finite() && *now > stop.was_late + HELD;
        let mut new = may.iter().zip(now).filter(late).map(|(stop, _)| stop);
        let first = new.next()?;
        let past = |stop: &&MayStop| {
            first.parser == Parser::ReadsOn && (stop.begins, stop.parser) == (first.begins, first.parser)
        };
        Some((first.parser, std::iter::once(first).chain(new.filter(past)).map(|stop| stop.run).collect()))
    }

    /// Has the parser read on past a sheet, which is taken up once it is there and its tag was read.
    fn read_past(&mut self, run: u32) {
        let own = self.ground.moments.runs[run as usize];
        let task = self.ground.moments.world.tasks[own.task as usize];
        let read = self.world.add(Kind::Inside { task: own.task, offset: own.offset }, task.start + own.offset);
        self.world.need(read, task.begins, Bond::Origin);
        let begins = self.move_with_needs(run, task.begins, task.order + 1e-3);
        self.world.need(begins, read, Bond::Gate);
    }

    /// Has a run of a task a task of its own, which needs what the run needed there.
    fn move_with_needs(&mut self, run: u32, from: Place, order: f64) -> Place {
        let its = |n: &Need| n.moment == from && n.run == Some(run) && !n.void;
        let needs: Vec<Need> = self.world.needs.iter().filter(|n| its(n)).copied().collect();
        let begins = self.move_run(run, order, 0.0);
        for need in self.world.needs.iter_mut().filter(|n| n.moment == from && n.run == Some(run)) {
            need.void = true;
        }
        for need in needs {
            self.world.need(begins, need.on, need.bond);
        }
        begins
    }

    /// Has the parser stop for a run: it and those below it in its task are done one after the other once that is over
    /// and each has what it needs, and nothing follows for a sheet that it reads past.
    fn stop_at(&mut self, run: u32, may_stop: &[MayStop]) {
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
            let begins = self.move_with_needs(run, task.begins, task.order + f64::from(after) * 1e-3);
            self.world.need(begins, before, Bond::Gate);
            let reads_on = may_stop.iter().any(|stop| (stop.run, stop.parser) == (run, Parser::ReadsOn));
            if let Some(end) = self.end_of(begins).filter(|_| !reads_on) {
                before = end;
            }
        }
    }
}

impl Model {
    /// Runs what a change made of the load.
    pub(super) fn run_changed(&self, mut change: Change<'_>) -> (World, Times) {
        let mut times = settled(&mut change.world, &self.calibration);
        if change.make_room_sooner(&times) {
            times = settled(&mut change.world, &self.calibration);
        }
        for _ in 0..MOST_STOPS {
            let Some((parser, runs)) = change.new_stop(&self.may_stop, &times) else { break };
            for run in runs {
                match parser {
                    Parser::Stops => change.stop_at(run, &self.may_stop),
                    Parser::ReadsOn => change.read_past(run),
                }
            }
            times = settled(&mut change.world, &self.calibration);
        }
        if self.first_frame.as_ref().is_some_and(|first| change.draw_what_is_read(first, &times)) {
            times = settled(&mut change.world, &self.calibration);
        }
        (change.world, times)
    }
}
