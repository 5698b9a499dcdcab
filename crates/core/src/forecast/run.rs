//! The forward run: every moment comes when the last of its needs has come, the main thread does one task at a
//! time, and the line is shared.

use super::pool::{Pools, Turn, Unjudged};
use super::world::{Cut, Drawn, Kind, Phase, Place, START, World};
use crate::RequestId;
use phainon_link::{Body, CHUNK, Direction, shared};
use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap, HashMap};
use std::time::Duration;

/// The times of a run.
#[derive(Debug, Clone)]
pub(super) struct Times {
    /// Of each moment, in ms; infinite for those that do not happen.
    pub at: Vec<f64>,
    /// When each task began; infinite for those that did not.
    pub starts: Vec<f64>,
    /// How long each task takes: a script may stand still in it for an answer, which comes when it comes.
    pub took: Vec<f64>,
    /// When each task could have begun, had the thread been free; infinite for those that did not.
    pub ready: Vec<f64>,
    /// Moments that wait for each other.
    pub unresolved: Vec<Place>,
    /// The connection of each request.
    pub connections: Vec<u32>,
    /// Whose answer each request waited for, to have its connection.
    pub behind: Vec<Option<u32>>,
}

/// Line and thread are computed in turns until the bodies' times change by less than this, in ms.
const SETTLED: f64 = 0.5;
/// So many turns at most.
const TURNS: usize = 8;
/// What comes sooner by less than this, in ms, comes in the same frame.
pub(super) const SOONER: f64 = 1.0;
/// A frame is begun where the thread rests so long, in ms: not between two tasks that follow each other.
const RESTS: f64 = 2.0;
/// Times that are equal but for rounding.
const EQUAL: f64 = 1e-6;

/// What depends on each moment, and how many needs each has.
struct Dependents {
    first: Vec<u32>,
    of: Vec<u32>,
    needs: Vec<u32>,
}

impl Dependents {
    fn of(world: &World) -> Self {
        let counts = |n: &&super::world::Need| !n.void && !world.moment(n.moment).gone && !world.moment(n.on).gone;
        let mut first = vec![0u32; world.moments.len() + 1];
        let mut needs = vec![0u32; world.moments.len()];
        for need in world.needs.iter().filter(counts) {
            first[need.on as usize + 1] += 1;
            needs[need.moment as usize] += 1;
        }
        for i in 1..first.len() {
            first[i] += first[i - 1];
        }
        let mut next = first.clone();
        let mut of = vec![0u32; first[first.len() - 1] as usize];
        for need in world.needs.iter().filter(counts) {
            let slot = &mut next[need.on as usize];
            of[*slot as usize] = need.moment;
            *slot += 1;
        }
        Self { first, of, needs }
    }
}

/// What the line's model has of a request, in ms.
#[derive(Debug, Clone, Copy, Default)]
struct Carried {
    /// For how long its headers stand behind other answers once the server has it.
    queued: f64,
    /// From its headers to its last byte.
    body: f64,
}

/// The times of answers as the line's model has them of the load without edits.
#[derive(Debug, Clone, Default)]
pub(super) struct Calibration {
    /// Of each request.
    modelled: Vec<Carried>,
}

impl Calibration {
    /// Of the load as it was observed.
    pub(super) fn of(world: &World) -> Self {
        let observed: Vec<f64> = world.moments.iter().map(|m| m.at).collect();
        let connections: Vec<u32> = world.transfers.iter().map(|t| t.connection).collect();
        Self { modelled: modelled(world, &observed, &connections) }
    }
}

/// What the line takes for each answer, given when each was asked of its server, and over which connection.
fn modelled(world: &World, at: &[f64], connections: &[u32]) -> Vec<Carried> {
    let mut took = vec![Carried::default(); world.transfers.len()];
    if world.rate <= 0.0 {
        return took;
    }
    let half = world.round_trip / 2.0;
    let mut requests = Vec::new();
    let mut bodies = Vec::new();
    for &i in &world.answers {
        let (i, transfer) = (i as usize, &world.transfers[i as usize]);
        let sent = at[sent(i) as usize];
        if transfer.bytes < 1.0 || !sent.is_finite() {
            continue;
        }
        let ready = duration(sent + transfer.wait - half);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let bytes = transfer.bytes as usize;
        bodies.push(Body { connection: connections[i] as usize, ready, bytes });
        requests.push(i);
    }
    let line = Direction { rate: world.rate * 1000.0, round_trip: duration(world.round_trip) };
    for ((i, body), arrived) in requests.into_iter().zip(&bodies).zip(shared(line, &bodies)) {
        #[allow(clippy::cast_precision_loss)]
        let alone = ms(body.ready) + half + body.bytes.min(CHUNK) as f64 / world.rate;
        let queued = (ms(arrived.first) - alone).max(0.0);
        took[i] = Carried { queued, body: ms(arrived.last) - ms(arrived.first) };
    }
    took
}

/// A body's time: as observed, and longer or shorter by what the model says.
fn body(world: &World, i: usize, before: Carried, now: Carried) -> f64 {
    let transfer = &world.transfers[i];
    let share = if transfer.bytes_observed > 0.0 { transfer.bytes / transfer.bytes_observed } else { 1.0 };
    if world.rate <= 0.0 {
        return transfer.body * share;
    }
    let least = (transfer.bytes / world.rate).min(transfer.body * share);
    let took = if before.body > transfer.body && before.body > 0.0 {
        transfer.body * now.body / before.body
    } else {
        transfer.body + now.body - before.body
    };
    took.max(least)
}

/// From sending to the headers: the server, the way, and what stands before them on their connection; that as observed,
/// a share of it where the model says that it is less, and more by what the model has more.
fn wait(world: &World, i: usize, before: Carried, now: Carried) -> f64 {
    let transfer = &world.transfers[i];
    let queued = if now.queued < before.queued {
        transfer.queued * now.queued / before.queued
    } else {
        transfer.queued + now.queued - before.queued
    };
    transfer.wait + queued
}

/// Runs a world forwards.
pub(super) fn run(world: &World, calibration: &Calibration) -> Times {
    let dependents = Dependents::of(world);
    let lags = world.lags();
    let mut cuts: HashMap<u32, Vec<Cut>> = HashMap::new();
    for cut in &world.cuts {
        cuts.entry(cut.task).or_default().push(*cut);
    }
    let took = |of: &dyn Fn(&World, usize, Carried, Carried) -> f64, now: &[Carried]| -> Vec<f64> {
        calibration.modelled.iter().zip(now).enumerate().map(|(i, (before, now))| of(world, i, *before, *now)).collect()
    };
    let mut bodies = took(&body, &calibration.modelled);
    let mut waits = took(&wait, &calibration.modelled);
    let mut times = turn(world, &dependents, &lags, &cuts, &bodies, &waits);
    for _ in 1..TURNS {
        let now = modelled(world, &times.at, &times.connections);
        let next = [took(&body, &now), took(&wait, &now)];
        let moved = next.iter().flatten().zip(bodies.iter().chain(&waits)).map(|(a, b)| (a - b).abs());
        let moved = moved.fold(0.0, f64::max);
        [bodies, waits] = next;
        if moved < SETTLED {
            break;
        }
        times = turn(world, &dependents, &lags, &cuts, &bodies, &waits);
    }
    show_sooner(world, &mut times);
    times
}

/// What was there sooner, a frame before its own shows: of those drawn since, the first, or as many later as it let
/// pass before.
fn show_sooner(world: &World, times: &mut Times) {
    let now = world.shown_from(&|place| times.at[place as usize]);
    // What else it waited for than something that does not happen any more is known as far as it was observed. Text
    // without its font waits for nothing in its place.
    let observed = world.shown_from(&|place| world.moment(place).at);
    let loses = |drawn: &Drawn| {
        let mut needs = world.needs.iter().filter(|n| n.moment == drawn.moment && !n.void).map(|n| world.moment(n.on));
        needs.any(|on| on.gone && !matches!(on.kind, Kind::FontSettled { .. }))
    };
    let was = world.drawn.iter().zip(observed).map(|(drawn, at)| if loses(drawn) { at } else { drawn.from });
    let sooner = world.drawn.iter().zip(was.zip(now)).filter(|(_, (was, now))| *now < *was - SOONER);
    let sooner: Vec<_> = sooner.map(|(drawn, (_, now))| (drawn, now)).collect();
    if sooner.is_empty() {
        return;
    }
    let starts = world.frames.iter().map(|frame| (times.starts[frame.task as usize], frame.painted));
    let mut frames: Vec<(f64, f64)> = starts.filter(|(start, _)| start.is_finite()).collect();
    frames.sort_by(|a, b| a.0.total_cmp(&b.0));
    let tasks = times.starts.iter().zip(&times.took).filter(|(start, _)| start.is_finite());
    let mut busy: Vec<(f64, f64)> = tasks.map(|(start, took)| (*start, start + took)).collect();
    busy.sort_by(|a, b| a.0.total_cmp(&b.0));
    for (drawn, now) in sooner {
        let first = frames.partition_point(|(start, _)| *start < now);
        let earlier = frames.get(first + drawn.skips).map(|(start, painted)| start + painted);
        let its_own = (drawn.skips == 0).then(|| begun_after(&busy, now, drawn.rested) + drawn.drawing);
        let Some(painted) = earlier.into_iter().chain(its_own).reduce(f64::min) else { continue };
        let to_screen = world.moment(drawn.moment).at - world.moment(drawn.painted).at;
        let at = &mut times.at[drawn.moment as usize];
        *at = at.min(painted + to_screen);
    }
}

/// When a frame is begun that is due since a moment: once the thread has rested as long as it did before, and still
/// rests. What it is busy with meanwhile is in order of time.
fn begun_after(busy: &[(f64, f64)], since: f64, rested: f64) -> f64 {
    let (mut at, mut left) = (since, rested);
    for (start, end) in busy.iter().filter(|(_, end)| *end > since) {
        let rests = start - at;
        if rests >= left + RESTS {
            break;
        }
        left -= rests.max(0.0).min(left);
        at = at.max(*end);
    }
    at + left
}

fn turn(
    world: &World,
    dependents: &Dependents,
    lags: &[f64],
    cuts: &HashMap<u32, Vec<Cut>>,
    bodies: &[f64],
    waits: &[f64],
) -> Times {
    let mut pass = Pass {
        world,
        dependents,
        lags,
        cuts,
        bodies,
        waits,
        at: vec![f64::INFINITY; world.moments.len()],
        left: dependents.needs.clone(),
        latest: vec![f64::NEG_INFINITY; world.moments.len()],
        open: Vec::new(),
        ready: BinaryHeap::new(),
        pools: Pools::new(&world.pools, &world.seats),
    };
    pass.at[START as usize] = 0.0;
    pass.told(START);
    // What needs nothing any more stays as observed.
    for (place, (moment, lag)) in world.moments.iter().zip(lags).enumerate().skip(1) {
        if dependents.needs[place] == 0 && !moment.gone {
            pass.latest[place] = moment.at - lag;
            pass.come(place);
        }
    }
    pass.settle();
    let mut starts = vec![f64::INFINITY; world.tasks.len()];
    let mut readiness = starts.clone();
    let mut took: Vec<f64> = world.tasks.iter().map(|task| task.duration).collect();
    let begun = begun_in_order(world);
    let mut waiting: BTreeSet<(u64, u32)> = BTreeSet::new();
    let mut free = 0.0f64;
    // The task in which the thread stands still for an answer.
    let mut stands: Option<u32> = None;
    loop {
        let first = pass.ready.peek().map_or(f64::INFINITY, |Reverse((ready, _))| f64::from_bits(*ready).max(free));
        let next = match stands {
            Some(_) => f64::INFINITY,
            None if waiting.is_empty() => first,
            None => free,
        };
        if pass.pools.next().is_some_and(|at| at <= next + EQUAL) {
            pass.connect();
            if let Some(task) = stands
                && let Some(end) = pass.end_of(task)
            {
                took[task as usize] = end - starts[task as usize];
                free = end + world.tasks[task as usize].gap;
                stands = None;
            }
            continue;
        }
        if let Some(task) = stands.take() {
            free = starts[task as usize] + took[task as usize] + world.tasks[task as usize].gap;
            continue;
        }
        while let Some(Reverse((ready, task))) = pass.ready.peek().copied() {
            if f64::from_bits(ready) > free + EQUAL {
                break;
            }
            pass.ready.pop();
            let ready = f64::from_bits(ready);
            readiness[task as usize] = ready;
            waiting.insert((bits(turn_of(world, &begun, task, ready)), task));
        }
        let Some((_, task)) = waiting.pop_first() else {
            let Some(Reverse((ready, _))) = pass.ready.peek().copied() else { break };
            free = f64::from_bits(ready);
            continue;
        };
        let state = &world.tasks[task as usize];
        let begins = state.begins as usize;
        let start = pass.at[begins].max(free);
        (pass.at[begins], starts[task as usize]) = (start, start);
        pass.told(state.begins);
        pass.settle();
        match state.stands_until.map(|_| pass.end_of(task)) {
            Some(None) => stands = Some(task),
            Some(Some(end)) => took[task as usize] = end - start,
            None => {}
        }
        free = start + took[task as usize] + state.gap;
    }
    let unresolved = (0..world.moments.len()).filter(|&i| pass.left[i] > 0 && !world.moments[i].gone);
    let unresolved = unresolved.filter_map(|i| u32::try_from(i).ok()).collect();
    let mut connections: Vec<u32> = world.transfers.iter().map(|t| t.connection).collect();
    let others = connections.iter().map(|c| c + 1).max().unwrap_or(0);
    for (connection, request) in connections.iter_mut().zip(0u32..) {
        *connection = pass.pools.connection(request).map_or(*connection, |own| others + own);
    }
    let (at, behind) = (pass.at, pass.pools.into_behind());
    Times { at, starts, took, ready: readiness, unresolved, connections, behind }
}

/// When tasks began that are in the order in which they were observed.
fn begun_in_order(world: &World) -> Vec<f64> {
    #[allow(clippy::cast_precision_loss)]
    let observed = world.tasks.iter().enumerate().take_while(|(place, task)| task.order == *place as f64);
    observed.map(|(_, task)| task.start).collect()
}

/// The turn of a task among those that are ready: as observed; one that is ready sooner comes before those that began
/// later than it would have by so much.
#[allow(clippy::cast_precision_loss)]
fn turn_of(world: &World, begun: &[f64], task: u32, ready: f64) -> f64 {
    let state = &world.tasks[task as usize];
    let sooner = state.ready - ready;
    if !sooner.is_finite() || sooner <= SOONER {
        return state.order;
    }
    let place = begun.partition_point(|start| *start < state.start - sooner);
    state.order.min(place as f64 - 0.5)
}

struct Pass<'a> {
    world: &'a World,
    dependents: &'a Dependents,
    lags: &'a [f64],
    cuts: &'a HashMap<u32, Vec<Cut>>,
    bodies: &'a [f64],
    waits: &'a [f64],
    at: Vec<f64>,
    left: Vec<u32>,
    latest: Vec<f64>,
    open: Vec<Place>,
    ready: BinaryHeap<Reverse<(u64, u32)>>,
    pools: Pools<'a>,
}

impl Pass<'_> {
    /// Tells those who need a moment when it came.
    fn told(&mut self, place: Place) {
        let at = self.at[place as usize];
        let (from, to) = (self.dependents.first[place as usize], self.dependents.first[place as usize + 1]);
        for i in from..to {
            let moment = self.dependents.of[i as usize];
            self.latest[moment as usize] = self.latest[moment as usize].max(at);
            self.left[moment as usize] -= 1;
            if self.left[moment as usize] == 0 {
                self.open.push(moment);
            }
        }
    }

    /// When a task is over that stands still for an answer; nothing as long as that is not known.
    fn end_of(&self, task: u32) -> Option<f64> {
        let end = self.world.tasks[task as usize].stands_until?;
        Some(self.at[end as usize]).filter(|at| at.is_finite())
    }

    /// Has happen what happens next to connections.
    fn connect(&mut self) {
        for Turn { request, at } in self.pools.step(&mut Unjudged) {
            let after = self.world.seats[request as usize].map_or(0.0, |seat| seat.after);
            let place = sent(request as usize);
            self.at[place as usize] = at + after;
            self.told(place);
        }
        self.settle();
    }

    fn settle(&mut self) {
        while let Some(place) = self.open.pop() {
            self.come(place as usize);
        }
    }

    /// All that a moment needs has come.
    fn come(&mut self, place: usize) {
        let moment = &self.world.moments[place];
        let latest = self.latest[place];
        let at = match moment.kind {
            Kind::After => latest + self.lags[place],
            Kind::Begins(task) => {
                let ready = (latest + self.lags[place]).max(0.0);
                self.at[place] = ready;
                self.ready.push(Reverse((bits(ready), task)));
                return;
            }
            Kind::Sent(request) => {
                let asked = self.at[Phase::Asked.of(RequestId(request)) as usize];
                self.pools.wants(request, (latest + self.lags[place]).max(asked));
                return;
            }
            Kind::Opens(pool) => {
                let at = latest + self.lags[place];
                self.pools.opens(pool, at);
                at
            }
            Kind::Inside { task, offset } => latest + offset - self.cut(task, offset),
            Kind::Answered(request) => latest + self.waits[request as usize],
            Kind::Done(request) => {
                let at = latest + self.bodies[request as usize];
                self.pools.ends(request, at);
                at
            }
            Kind::Part { request, share } => latest + share * self.bodies[request as usize],
            Kind::FontSettled { asked, done, after, not_before, frame } => {
                let limit = (self.at[asked as usize] + after).max(not_before);
                let settled = done.map_or(limit, |done| self.at[done as usize].min(limit));
                let frame = frame.map(|(begins, ends)| [begins, ends].map(|place| self.at[place as usize]));
                // A frame that does not come at all keeps nobody waiting.
                let [_, ends] =
                    frame.filter(|[begins, ends]| settled > *begins && ends.is_finite()).unwrap_or_default();
                settled.max(ends)
            }
            Kind::Repainted(fade) => {
                let fade = &self.world.fades[fade as usize];
                let first = fade.first(&|place| self.at[place as usize]);
                first.unwrap_or_else(|| moment.at.max(self.at[fade.begun as usize]))
            }
        };
        self.at[place] = at;
        if let Ok(place) = u32::try_from(place) {
            self.told(place);
        }
    }

    fn cut(&self, task: u32, offset: f64) -> f64 {
        let cuts = self.cuts.get(&task).map_or(&[][..], Vec::as_slice);
        cuts.iter().filter(|c| c.offset < offset).map(|c| c.length.min(offset - c.offset)).sum()
    }
}

fn sent(request: usize) -> Place {
    Phase::Sent.of(RequestId(u32::try_from(request).unwrap_or(u32::MAX)))
}

/// Times that are not negative compare as their bits do.
fn bits(at: f64) -> u64 {
    at.max(0.0).to_bits()
}

fn ms(duration: Duration) -> f64 {
    duration.as_secs_f64() * 1000.0
}

fn duration(ms: f64) -> Duration {
    Duration::try_from_secs_f64(ms.max(0.0) / 1000.0).unwrap_or_default()
}
