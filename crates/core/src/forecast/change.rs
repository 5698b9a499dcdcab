//! What edits do to a world: the steps that they are made of.

use super::called::{Called, called};
use super::dependants::dependants;
use super::moments::{Moments, address, multiplexed};
use super::world::{Bond, Cut, Kind, Moment, Need, Phase, Place, Task, World};
use crate::graph::stands_below;
use crate::{
    Bodies, InitiatorKind, Prepared, RenderBlocking, Request, RequestId, ResourceKey, ResourceKind, Scope, WorkName,
};
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Less of a task than this, in ms, is no task of its own.
const HUSK: f64 = 2.0;

/// What never changes while edits are applied.
pub(super) struct Ground {
    pub prepared: Arc<Prepared>,
    pub moments: Moments,
    pub by_key: HashMap<ResourceKey, Vec<RequestId>>,
    /// The needs of a load without edits by the moment that they are on.
    needed: Vec<Vec<u32>>,
    /// Runs by the script that they are of.
    runs: HashMap<Arc<str>, Vec<u32>>,
    /// What scripts do within runs of others, looked for when it is first asked for.
    called: OnceLock<HashMap<Arc<str>, Vec<Called>>>,
    /// Requests that stop the parser or block rendering, in the order in which they let go.
    blockers: Vec<(f64, RequestId)>,
    /// What bodies pack to, by their hashes: packing one takes longer than all else of a forecast.
    packed: Mutex<HashMap<String, Option<u64>>>,
    /// Runs that fail without a script, looked for when they are first asked for: it is a search through texts.
    dependants: Mutex<HashMap<RequestId, Arc<[u32]>>>,
}

impl Ground {
    pub(super) fn of(prepared: Arc<Prepared>, moments: Moments) -> Self {
        let mut by_key: HashMap<ResourceKey, Vec<RequestId>> = HashMap::new();
        for request in &prepared.load.requests {
            by_key.entry(ResourceKey::of(&request.url)).or_default().push(request.id);
        }
        let mut needed = vec![Vec::new(); moments.world.moments.len()];
        for (need, i) in moments.world.needs.iter().zip(0u32..) {
            needed[need.on as usize].push(i);
        }
        let mut runs: HashMap<Arc<str>, Vec<u32>> = HashMap::new();
        for (run, i) in moments.runs.iter().zip(0u32..) {
            if let Some(url) = address(&prepared, run) {
                runs.entry(url).or_default().push(i);
            }
        }
        let at = |place: &Place| moments.world.moment(*place).at;
        let blocks = |id: &RequestId| prepared.load.request(*id).is_some_and(|r| r.render_blocking.held_up());
        let released = moments.released.iter().filter(|(id, _)| blocks(id));
        let mut blockers: Vec<(f64, RequestId)> = released.map(|(id, place)| (at(place), *id)).collect();
        blockers.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let called = OnceLock::new();
        let (packed, dependants) = (Mutex::default(), Mutex::default());
        Self { prepared, moments, by_key, needed, runs, called, blockers, packed, dependants }
    }

    /// What gzip makes of a body; `None` where it was not kept.
    pub(super) fn packed_size(&self, hash: &str, bodies: &dyn Bodies) -> Option<u64> {
        let known = || self.packed.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(size) = known().get(hash) {
            return *size;
        }
        let size = bodies.body(hash).and_then(|body| crate::body::gzip_size(&body));
        known().insert(hash.to_owned(), size);
        size
    }

    /// Runs that fail where a script has not run before them, in order of time.
    pub(super) fn dependants(&self, script: RequestId, bodies: &dyn Bodies) -> Arc<[u32]> {
        let known = || self.dependants.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = known().get(&script) {
            return found.clone();
        }
        let url = self.prepared.load.request(script).map(|r| r.url.clone()).unwrap_or_default();
        let found: Arc<[u32]> = dependants(&self.prepared, &self.moments, self.called(&url), script, bodies).into();
        known().insert(script, found.clone());
        found
    }

    /// The requests of a file.
    pub(super) fn file(&self, file: &ResourceKey) -> &[RequestId] {
        self.by_key.get(file).map_or(&[], Vec::as_slice)
    }

    /// The requests of a scope.
    pub(super) fn scope(&self, scope: &Scope) -> Vec<RequestId> {
        let owners = &self.prepared.owners;
        let within = |counts: &dyn Fn(&crate::Request) -> bool| {
            self.prepared.load.requests.iter().filter(|r| counts(r)).map(|r| r.id).collect()
        };
        match scope {
            Scope::File { file } => self.file(file).to_vec(),
            Scope::Kind { owner, files } => within(&|r| r.kind == *files && owners.request(r.id) == owner),
            Scope::Host { host, owner } => {
                within(&|r| r.host().as_deref() == Some(host) && owners.request(r.id) == owner)
            }
            Scope::Owner { owner } => within(&|r| owners.request(r.id) == owner),
        }
    }

    /// The first run of a script's file.
    pub(super) fn first_run(&self, request: RequestId) -> Option<u32> {
        let request = self.prepared.load.request(request)?;
        let (piece, _) = self.prepared.first_use(request)?;
        let place = self.moments.runs.iter().position(|r| r.piece == piece)?;
        u32::try_from(place).ok()
    }

    /// The request of the file that a run is the first of; `None` for code inside the document.
    pub(super) fn file_of(&self, run: u32) -> Option<RequestId> {
        let url = address(&self.prepared, self.moments.runs.get(run as usize)?)?;
        let own = self.prepared.load.document().is_some_and(|d| d.url == url);
        self.prepared.first_for(&url).filter(|_| !own).map(|r| r.id)
    }

    /// What a script does within runs of others.
    fn called(&self, script: &str) -> &[Called] {
        let all = self.called.get_or_init(|| called(&self.prepared, &self.moments));
        all.get(script).map_or(&[], Vec::as_slice)
    }

    fn needs_on(&self, place: Place) -> &[u32] {
        self.needed.get(place as usize).map_or(&[], Vec::as_slice)
    }
}

/// A world that is being changed.
pub(super) struct Change<'g> {
    pub ground: &'g Ground,
    pub world: World,
    /// Bytes of bodies that go by a rule and are not counted.
    pub rough_bytes: f64,
    /// Blocking requests that nothing waits for any more.
    freed: HashSet<RequestId>,
    /// Runs that are no longer in their tasks.
    cut: HashSet<u32>,
    /// Of those the ones that have tasks of their own, with the beginning of each.
    moved: HashMap<u32, Place>,
}

impl<'g> Change<'g> {
    pub(super) fn of(ground: &'g Ground) -> Self {
        let world = ground.moments.world.clone();
        Self { ground, world, rough_bytes: 0.0, freed: HashSet::new(), cut: HashSet::new(), moved: HashMap::new() }
    }

    /// The places of all needs on a moment.
    pub(super) fn needs_on(&self, place: Place) -> Vec<usize> {
        let base = self.ground.needs_on(place).iter().map(|i| *i as usize);
        let more = self.ground.moments.world.needs.len()..self.world.needs.len();
        let all = base.chain(more.filter(|i| self.world.needs[*i].on == place));
        all.filter(|i| !self.world.needs[*i].void && self.world.needs[*i].on == place).collect()
    }

    pub(super) fn needs_of(&self, place: Place) -> Vec<usize> {
        let needs = self.world.needs.iter().enumerate();
        needs.filter(|(_, n)| n.moment == place && !n.void).map(|(i, _)| i).collect()
    }

    /// Takes requests off, with all that would not be without them.
    pub(super) fn take_off(&mut self, requests: &[RequestId]) {
        let mut open = Vec::new();
        for id in requests {
            self.request_gone(*id, &mut open);
        }
        self.close(open);
    }

    fn close(&mut self, mut open: Vec<Place>) {
        while let Some(place) = open.pop() {
            for i in self.needs_on(place) {
                let need = self.world.needs[i];
                if need.bond == Bond::Gate {
                    continue;
                }
                match need.run {
                    Some(run) => self.cut(run, &mut open),
                    None => self.gone(need.moment, &mut open),
                }
            }
        }
    }

    fn gone(&mut self, place: Place, open: &mut Vec<Place>) {
        if self.world.moment(place).gone || place == 0 {
            return;
        }
        if let Some(id) = self.of_request(place) {
            self.request_gone(id, open);
        } else {
            self.world.moment_mut(place).gone = true;
            open.push(place);
        }
    }

    fn request_gone(&mut self, id: RequestId, open: &mut Vec<Place>) {
        if self.world.moment(Phase::Asked.of(id)).gone {
            return;
        }
        let seated = self.world.seats[id.0 as usize].is_some();
        if seated || self.ground.prepared.load.request(id).is_some_and(multiplexed) {
            self.gives_place(id);
        }
        if !seated {
            self.hand_connection_on(id);
        }
        for phase in Phase::ALL {
            self.world.moment_mut(phase.of(id)).gone = true;
            open.push(phase.of(id));
        }
        self.set_in_another(id);
        if let Some(released) = self.ground.moments.released.get(&id).copied() {
            self.let_go(id);
            if !self.world.moment(released).gone {
                self.world.moment_mut(released).gone = true;
                open.push(released);
            }
        }
        let request = self.ground.prepared.load.request(id).cloned();
        let Some(request) = request.filter(|r| matches!(r.kind, ResourceKind::Script | ResourceKind::Style)) else {
            return;
        };
        let elsewhere =
            self.ground.prepared.all_for(&request.url).any(|r| !self.world.moment(Phase::Asked.of(r.id)).gone);
        if !elsewhere {
            for run in self.ground.runs.get(&request.url).cloned().unwrap_or_default() {
                self.cut(run, open);
            }
            let ground = self.ground;
            for of_run in ground.called(&request.url).chunk_by(|a, b| a.run == b.run) {
                if !self.is_cut(of_run[0].run) {
                    let task = ground.moments.runs[of_run[0].run as usize].task;
                    let stretches: Vec<(f64, f64)> = of_run.iter().map(|c| (c.from, c.to)).collect();
                    self.cut_out(task, &stretches);
                    self.inside_gone(task, &stretches, open);
                }
            }
        }
    }

    /// What waited for a font waits for those that the text is set in without it.
    fn set_in_another(&mut self, font: RequestId) {
        let moments = &self.ground.moments;
        let (Some(settled), Some(others)) = (moments.settled.get(&font), moments.stand_ins.get(&font)) else { return };
        for i in self.needs_on(*settled) {
            let need = self.world.needs[i];
            self.world.needs.extend(others.iter().map(|other| Need { on: *other, ..need }));
        }
        for fade in self.world.fades.iter_mut().filter(|fade| fade.fonts.contains(settled)) {
            fade.fonts.extend(others);
        }
    }

    /// Whether a run is no longer in its task.
    pub(super) fn is_cut(&self, run: u32) -> bool {
        self.cut.contains(&run)
    }

    /// Takes a run out of its task.
    pub(super) fn cut(&mut self, run: u32, open: &mut Vec<Place>) {
        let place = run as usize;
        let own = self.ground.moments.runs[place];
        if !self.cut.insert(run) {
            return;
        }
        let whole = [(own.offset, own.offset + own.length)];
        self.reads_on_without(run);
        self.cut_out(own.task, &whole);
        self.inside_gone(own.task, &whole, open);
        let begins = self.world.tasks[own.task as usize].begins;
        self.needs_less(begins, run);
    }

    /// The parser, which a run of code inside the document held, goes on from where that stood.
    pub(super) fn reads_on_without(&mut self, run: u32) {
        let own = self.ground.moments.runs[run as usize];
        let begins = self.world.tasks[own.task as usize].begins;
        let held = own.offset..=own.offset + own.length + 1e-9;
        for &within in self.ground.moments.within.get(&own.task).into_iter().flatten() {
            if !matches!(self.world.moment(within).kind, Kind::Inside { offset, .. } if held.contains(&offset)) {
                continue;
            }
            for i in self.needs_on(within) {
                let need = self.world.needs[i];
                if need.bond == Bond::Gate && need.moment != begins {
                    self.world.needs[i].void = true;
                    self.world.needs.push(Need { on: begins, ..need });
                }
            }
        }
    }

    /// The moments within stretches of a task are no more. Stretches stand in order of time, none over another.
    fn inside_gone(&mut self, task: u32, stretches: &[(f64, f64)], open: &mut Vec<Place>) {
        for &within in self.ground.moments.within.get(&task).into_iter().flatten() {
            let Kind::Inside { offset, .. } = self.world.moment(within).kind else { continue };
            let next = stretches.partition_point(|(_, to)| *to + 1e-9 < offset);
            let inside = stretches.get(next).is_some_and(|(from, _)| offset >= from - 1e-9);
            // The end of the task itself goes on being there.
            let is_end = offset >= self.ground.moments.world.tasks[task as usize].duration - 1e-9;
            if inside && !is_end && !self.world.moment(within).gone {
                self.world.moment_mut(within).gone = true;
                open.push(within);
            }
        }
    }

    /// Takes stretches out of a task, as far as none took them before: so much of it. They stand in order of time, none
    /// over another.
    pub(super) fn cut_out(&mut self, index: u32, stretches: &[(f64, f64)]) -> f64 {
        let before = self.world.cuts.iter().filter(|c| c.task == index).map(|c| (c.offset, c.offset + c.length));
        let mut before: Vec<(f64, f64)> = before.collect();
        before.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut next, mut taken) = (0, 0.0);
        for &(from, to) in stretches {
            next += before[next..].partition_point(|(_, end)| *end <= from);
            let mut at = from;
            for (cut, end) in before[next..].iter().copied().take_while(|(cut, _)| *cut < to).chain([(to, to)]) {
                if at < cut {
                    self.world.cuts.push(Cut { task: index, offset: at, length: cut - at });
                    taken += cut - at;
                }
                at = at.max(end);
            }
        }
        let task = &mut self.world.tasks[index as usize];
        task.duration = (task.duration - taken).max(0.0);
        if task.duration < HUSK {
            task.gap = 0.0;
        }
        taken
    }

    /// A task no longer needs what a run of it needed. Where more is done in the task, that comes when it came
    /// for all that is known: it is rid of the run's own file alone.
    fn needs_less(&mut self, begins: Place, run: u32) {
        let own = self.ground.moments.runs[run as usize];
        let husk = self.world.tasks[own.task as usize].duration < HUSK;
        let url = address(&self.ground.prepared, &own);
        let files: Vec<Place> =
            url.iter().flat_map(|url| self.ground.prepared.all_for(url)).map(|r| Phase::Done.of(r.id)).collect();
        let mut left = false;
        for i in self.needs_of(begins) {
            let need = &mut self.world.needs[i];
            let of_run = husk || need.bond == Bond::Origin || files.contains(&need.on);
            need.void |= need.run == Some(run) && of_run;
            left |= !need.void;
        }
        if !left && let Some(before) = self.ground.moments.acted.get(own.task as usize).copied().flatten() {
            self.world.need(begins, before, Bond::Gate);
        }
    }

    /// Has nothing wait for a blocking request any more; what came next before it, in the order in which they
    /// let go, is waited for in its place. Requests that are held back wait for what holds the parser alone.
    pub(super) fn let_go(&mut self, id: RequestId) {
        let Some(place) = self.ground.moments.released.get(&id).copied() else { return };
        self.freed.insert(id);
        let own = self.ground.blockers.iter().position(|(_, b)| *b == id).unwrap_or(0);
        let released = &self.ground.moments.released;
        let holds = |b: &RequestId| self.ground.moments.holds_parser.contains(b);
        let prepared = &self.ground.prepared;
        // One that stands below had not been reached: nothing waits for it in the place of what stands above.
        let request = |id: RequestId| prepared.load.request(id);
        let is_below = |b| request(b).zip(request(id)).is_some_and(|(other, own)| stands_below(prepared, other, own));
        let mut earlier = self.ground.blockers[..own].iter().rev().map(|(_, b)| b).filter(|b| {
            !self.freed.contains(b)
                && !self.world.moment(Phase::Asked.of(**b)).gone
                && released.get(b) != Some(&place)
                && !is_below(**b)
        });
        let mut later = earlier.clone();
        let before = earlier.next().and_then(|b| released.get(b).copied());
        let before_parser = later.find(|b| holds(b)).and_then(|b| released.get(b).copied());
        for i in self.needs_on(place) {
            let need = self.world.needs[i];
            if need.bond != Bond::Gate {
                continue;
            }
            self.world.needs[i].void = true;
            let instead = if self.of_request(need.moment).is_some() { before_parser } else { before };
            if let Some(before) = instead.filter(|b| *b != need.moment) {
                self.world.needs.push(Need { on: before, ..need });
            }
        }
        if self.holds_in_head(id) && self.left_in_head().next().is_none() {
            self.make_room();
        }
    }

    /// The last moment at which what still holds the parser up in the head lets it go, by the times of moments; nothing
    /// where nothing does.
    pub(super) fn head_is_over(&self, at: &dyn Fn(Place) -> f64) -> Option<Place> {
        let released = self.left_in_head().filter_map(|id| self.ground.moments.released.get(&id).copied());
        released.max_by(|a, b| at(*a).total_cmp(&at(*b)))
    }

    fn left_in_head(&self) -> impl Iterator<Item = RequestId> {
        let is_left = |b: &RequestId| !self.freed.contains(b) && !self.world.moment(Phase::Asked.of(*b)).gone;
        let left = self.ground.blockers.iter().map(|(_, b)| *b).filter(move |b| is_left(b));
        left.filter(|b| self.holds_in_head(*b))
    }

    /// Whether a request was seen to hold the parser up in the head.
    fn holds_in_head(&self, id: RequestId) -> bool {
        let request = self.ground.prepared.load.request(id);
        request.is_some_and(|r| r.render_blocking == RenderBlocking::Blocking)
            && self.ground.moments.holds_parser.contains(&id)
    }

    /// Runs a piece of a task in one of its own, of an order among those that are ready. It needs what the
    /// caller says.
    pub(super) fn move_run(&mut self, run: u32, order: f64, lag: f64) -> Place {
        let own = self.ground.moments.runs[run as usize];
        let old = self.world.tasks[own.task as usize];
        self.cut.insert(run);
        let duration = self.cut_out(own.task, &[(own.offset, own.offset + own.length)]);
        let begins = self.world.add(Kind::After, old.start + own.offset);
        let task = u32::try_from(self.world.tasks.len()).unwrap_or(u32::MAX);
        *self.world.moment_mut(begins) =
            Moment { kind: Kind::Begins(task), at: old.start + own.offset, lag, due: f64::INFINITY, gone: false };
        let moved = Task {
            begins,
            duration,
            gap: 0.0,
            order,
            start: old.start + own.offset,
            ready: f64::INFINITY,
            split: false,
            stands_until: None,
        };
        self.world.tasks.push(moved);
        for &within in self.ground.moments.within.get(&own.task).into_iter().flatten() {
            let Kind::Inside { offset, .. } = self.world.moment(within).kind else { continue };
            if offset < own.offset - 1e-9 || offset > own.offset + own.length + 1e-9 {
                continue;
            }
            if offset >= self.ground.moments.world.tasks[own.task as usize].duration - 1e-9 {
                continue;
            }
            self.world.moment_mut(within).kind = Kind::Inside { task, offset: offset - own.offset };
            for i in self.needs_of(within) {
                self.world.needs[i].void |= self.world.needs[i].on == old.begins;
            }
            self.world.need(within, begins, Bond::Origin);
        }
        self.needs_less(old.begins, run);
        self.moved.insert(run, begins);
        begins
    }

    /// The beginning of a run that an edit has moved.
    pub(super) fn moved(&self, run: u32) -> Option<Place> {
        self.moved.get(&run).copied()
    }

    /// The end of a task of the load.
    pub(super) fn end_of_task(&mut self, task: u32) -> Place {
        let Task { begins, duration, start, .. } = self.ground.moments.world.tasks[task as usize];
        let end = self.world.add(Kind::Inside { task, offset: duration }, start + duration);
        self.world.need(end, begins, Bond::Origin);
        end
    }

    /// The end of a task that was moved.
    pub(super) fn end_of(&mut self, begins: Place) -> Option<Place> {
        let Kind::Begins(task) = self.world.moment(begins).kind else { return None };
        let Task { duration, start, .. } = self.world.tasks[task as usize];
        let end = self.world.add(Kind::Inside { task, offset: duration }, start + duration);
        self.world.need(end, begins, Bond::Origin);
        Some(end)
    }

    /// Has a request asked for with the first that the document's own tags ask for: its tag stands above theirs.
    pub(super) fn ask_with_document(&mut self, id: RequestId) {
        let Some(document) = self.ground.prepared.load.document().map(|d| d.id).filter(|d| *d != id) else { return };
        let asked = Phase::Asked.of(id);
        for i in self.needs_of(asked) {
            self.world.needs[i].void = true;
        }
        self.world.need(asked, Phase::Answered.of(document), Bond::Gate);
        let (own, first) = (self.world.moment(asked).at, self.world.moment(Phase::Answered.of(document)).at);
        let load = &self.ground.prepared.load;
        let by_tag = |r: &&Request| r.main_frame && r.id != id && r.initiator.kind == InitiatorKind::Parser;
        let asks = load.requests.iter().filter(by_tag).map(|r| self.world.moment(Phase::Asked.of(r.id)).at);
        let soonest = asks.map(|at| at - first).filter(|after| (0.0..SET_UP).contains(after)).reduce(f64::min);
        let scanned = soonest.unwrap_or(SCANNED);
        self.world.set_lag(asked, (own - first).clamp(0.0, scanned));
        self.never_held(id);
    }

    /// A request is not held back until rendering is let go. Over HTTP/1.1 it has a connection when one is free, or
    /// where that is not known one of its own: its answer is not behind another's then.
    pub(super) fn never_held(&mut self, id: RequestId) {
        if self.world.seats[id.0 as usize].is_none()
            && self.ground.prepared.load.request(id).is_some_and(|r| !multiplexed(r))
        {
            let last = self.world.transfers.iter().map(|t| t.connection).max().unwrap_or(0);
            self.world.transfers[id.0 as usize].connection = last + 1;
        }
        for phase in [Phase::Connecting, Phase::Sent] {
            let place = phase.of(id);
            for i in self.needs_of(place) {
                let kept = self.is_of_its_way(id, self.world.needs[i].on);
                self.world.needs[i].void |= !kept;
            }
            let lag = self.world.moment(place).lag.min(OWN_HANDLING);
            self.world.set_lag(place, lag);
        }
    }

    /// The request that a moment is of.
    pub(super) fn of_request(&self, place: Place) -> Option<RequestId> {
        let requests = self.ground.prepared.load.requests.len();
        place.checked_sub(1).map(|p| p / 6).filter(|id| (*id as usize) < requests).map(RequestId)
    }

    /// Whether a moment is of a request itself, or of the connection that it is sent over.
    pub(super) fn is_of_its_way(&self, id: RequestId, on: Place) -> bool {
        self.of_request(on).is_some_and(|other| other == id || on == Phase::Connected.of(other))
    }

    /// Has a body be of so many bytes.
    pub(super) fn set_bytes(&mut self, id: RequestId, bytes: f64) {
        let transfer = &mut self.world.transfers[id.0 as usize];
        transfer.bytes = transfer.bytes.min(bytes.max(1.0));
    }

    /// Has a body be so many bytes heavier.
    pub(super) fn add_bytes(&mut self, id: RequestId, bytes: f64) {
        self.world.transfers[id.0 as usize].bytes += bytes;
    }

    /// Tasks that deliver the event of the parsed document: inner frames have theirs, and may have it sooner.
    pub(super) fn parsed_events(&self) -> Vec<Place> {
        let load = &self.ground.prepared.load;
        let parsed = self.world.moment(self.ground.moments.parser_end).at;
        let delivers = |piece: usize| {
            load.work[piece..]
                .iter()
                .take_while(|w| w.depth > 0)
                .any(|w| w.name == WorkName::Event && w.event.as_deref() == Some("DOMContentLoaded"))
        };
        let tasks = self.ground.prepared.index.tasks.iter().zip(&self.ground.moments.world.tasks);
        let later = tasks.filter(|(_, task)| task.start + task.duration >= parsed);
        later.filter(|(piece, _)| delivers(**piece + 1)).map(|(_, task)| task.begins).collect()
    }
}

/// A document takes so long at most, in ms, from its first bytes to its first tags: on the phone 35 to 60 were seen.
const SET_UP: f64 = 150.0;
/// The preload scanner asks so soon after bytes have come, in ms.
const SCANNED: f64 = 15.0;
/// What the browser takes of itself before it sends, in ms.
pub(super) const OWN_HANDLING: f64 = 5.0;
