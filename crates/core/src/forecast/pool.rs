//! Connections over HTTP/1.1: each carries one answer after the other, and a host has so many at most. Who is more
//! urgent has the next that is free, whoever had it opened.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};

/// The connections of a host that its requests have in common.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pool {
    /// So many at a time.
    pub most: usize,
    /// They stay open after an answer.
    pub keeps: bool,
    /// What opening one takes, in ms.
    pub opens: f64,
}

/// A request's place among those of its pool.
#[derive(Debug, Clone, Copy)]
pub(super) struct Seat {
    pub pool: u32,
    /// Of those that wait, the lowest has the next connection.
    pub rank: u8,
    /// When it was observed to want a connection, in ms.
    pub wants: f64,
    /// What opening one takes, in ms, where it was observed to.
    pub opens: Option<f64>,
    /// From having a connection to being sent, in ms.
    pub after: f64,
    /// From its last byte to the connection being free, in ms: less than nothing where its end was told late.
    pub frees: f64,
    /// It takes none that another had, as observed.
    pub own: bool,
    /// One is there for it that no request had opened, as observed.
    pub brings: bool,
}

/// A request that has a connection now.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Turn {
    pub request: u32,
    /// Since when, in ms.
    pub at: f64,
}

/// What comes of one moment comes in this order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Event {
    /// The connection that a request had is free.
    Free(u32),
    /// One is open.
    Opened(u32),
    /// A request wants one.
    Wants(u32),
    /// A pool is to open one before any request wants it.
    Opens(u32),
    /// A request had one by now, as observed.
    Due(u32),
}

/// A connection.
#[derive(Debug, Clone, Copy)]
struct Socket {
    pool: u32,
    /// Who had it opened.
    by: Option<u32>,
    /// Who had it last.
    last: Option<u32>,
    /// Since when it is free, in ms.
    free: f64,
    /// Nobody but who opened it takes it.
    own: bool,
}

/// A pool while time goes by.
#[derive(Debug, Clone, Default)]
struct State {
    /// By rank, then by when they came.
    waiting: BTreeSet<(u8, u64, u32)>,
    /// Those that had an answer last come last.
    idle: Vec<u32>,
    /// Connections that are being opened for whoever waits, each by who had it opened.
    opening: Vec<Option<u32>>,
    /// All that are open or being opened.
    open: usize,
    /// The most of them at a time.
    peak: usize,
}

/// What may be said against a turn, while what was observed is gone through.
pub(super) trait Judge {
    /// Whether a request may have a connection now.
    fn may_have(&mut self, turn: Turn) -> bool;
    /// Who of those that wait has it then, in the place of one that may not.
    fn instead(&mut self, turn: Turn) -> Option<u32>;
    /// A request has none by the time at which it was observed to have one.
    fn is_late(&mut self, request: u32);
}

/// Nothing is said against any.
pub(super) struct Unjudged;

impl Judge for Unjudged {
    fn may_have(&mut self, _: Turn) -> bool {
        true
    }

    fn instead(&mut self, _: Turn) -> Option<u32> {
        None
    }

    fn is_late(&mut self, _: u32) {}
}

/// The pools of a load while time goes by.
pub(super) struct Pools<'w> {
    pools: &'w [Pool],
    seats: &'w [Option<Seat>],
    states: Vec<State>,
    sockets: Vec<Socket>,
    events: BinaryHeap<Reverse<(u64, Event, u64)>>,
    /// The connection of each request.
    has: Vec<Option<u32>>,
    /// Whose answer each request waited for, to have its connection.
    behind: Vec<Option<u32>>,
}

/// Times that differ by less than a microsecond are the same.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn moment(ms: f64) -> u64 {
    (ms.max(0.0) * 1_000.0).round() as u64
}

impl<'w> Pools<'w> {
    pub(super) fn new(pools: &'w [Pool], seats: &'w [Option<Seat>]) -> Self {
        Self {
            pools,
            seats,
            states: vec![State::default(); pools.len()],
            sockets: Vec::new(),
            events: BinaryHeap::new(),
            has: vec![None; seats.len()],
            behind: vec![None; seats.len()],
        }
    }

    /// A request wants a connection from some time on.
    pub(super) fn wants(&mut self, request: u32, at: f64) {
        self.push(Event::Wants(request), at);
    }

    /// A request's last byte is there.
    pub(super) fn ends(&mut self, request: u32, at: f64) {
        let (Some(seat), Some(_)) = (self.seats[request as usize], self.has[request as usize]) else { return };
        self.push(Event::Free(request), at + seat.frees);
    }

    /// A connection is to be opened from some time on.
    pub(super) fn opens(&mut self, pool: u32, at: f64) {
        self.push(Event::Opens(pool), at);
    }

    /// A request had a connection by some time, as observed.
    pub(super) fn due(&mut self, request: u32, at: f64) {
        self.push(Event::Due(request), at);
    }

    fn push(&mut self, event: Event, at: f64) {
        if !at.is_finite() {
            return;
        }
        self.events.push(Reverse((moment(at), event, at.max(0.0).to_bits())));
    }

    /// When something happens next.
    pub(super) fn next(&self) -> Option<f64> {
        self.events.peek().map(|Reverse((_, _, at))| f64::from_bits(*at))
    }

    /// The connection of a request, by its place among all.
    pub(super) fn connection(&self, request: u32) -> Option<u32> {
        self.has[request as usize]
    }

    /// Whose answer each request waited for, to have its connection.
    pub(super) fn into_behind(self) -> Vec<Option<u32>> {
        self.behind
    }

    /// The most connections of a pool at a time.
    pub(super) fn peak(&self, pool: usize) -> usize {
        self.states[pool].peak
    }

    /// Has happen what happens next: the requests that have a connection by it.
    pub(super) fn step(&mut self, judge: &mut dyn Judge) -> Vec<Turn> {
        let Some(Reverse((_, event, at))) = self.events.pop() else { return Vec::new() };
        let at = f64::from_bits(at);
        let mut turns = Vec::new();
        match event {
            Event::Free(request) => {
                let Some(socket) = self.has[request as usize] else { return turns };
                let pool = self.sockets[socket as usize].pool;
                self.sockets[socket as usize].free = at;
                self.sockets[socket as usize].last = Some(request);
                if self.pools[pool as usize].keeps {
                    self.states[pool as usize].idle.push(socket);
                } else {
                    self.states[pool as usize].open -= 1;
                }
                self.serve(pool, at, judge, &mut turns);
            }
            Event::Opened(socket) => self.opened(socket, at, judge, &mut turns),
            Event::Wants(request) => self.wanted(request, at, judge, &mut turns),
            Event::Opens(pool) => {
                if self.states[pool as usize].open < self.pools[pool as usize].most {
                    self.open(pool, None, at, false);
                }
            }
            Event::Due(request) => {
                if self.has[request as usize].is_none() {
                    judge.is_late(request);
                    self.given(request, at, &mut turns);
                }
            }
        }
        turns
    }

    fn wanted(&mut self, request: u32, at: f64, judge: &mut dyn Judge, turns: &mut Vec<Turn>) {
        let (Some(seat), None) = (self.seats[request as usize], self.has[request as usize]) else { return };
        let pool = seat.pool as usize;
        if seat.own {
            self.open(seat.pool, Some(request), at, true);
            return;
        }
        if seat.brings && self.states[pool].idle.is_empty() && self.states[pool].open < self.pools[pool].most {
            if judge.may_have(Turn { request, at }) {
                self.given(request, at, turns);
            }
            return;
        }
        self.states[pool].waiting.insert((seat.rank, moment(at), request));
        self.serve(seat.pool, at, judge, turns);
    }

    /// A request has a connection that rests, or one that is there all at once.
    fn given(&mut self, request: u32, at: f64, turns: &mut Vec<Turn>) {
        let Some(seat) = self.seats[request as usize] else { return };
        let state = &mut self.states[seat.pool as usize];
        state.waiting.retain(|(_, _, waits)| *waits != request);
        let rests = state.idle.pop();
        if rests.is_none() {
            state.open += 1;
            state.peak = state.peak.max(state.open);
        }
        let new = Socket { pool: seat.pool, by: Some(request), last: None, free: at, own: false };
        let socket = rests.unwrap_or_else(|| self.socket(new));
        self.has[request as usize] = Some(socket);
        turns.push(Turn { request, at });
    }

    fn socket(&mut self, socket: Socket) -> u32 {
        self.sockets.push(socket);
        u32::try_from(self.sockets.len() - 1).unwrap_or(u32::MAX)
    }

    fn open(&mut self, pool: u32, by: Option<u32>, at: f64, own: bool) {
        let takes = by.and_then(|by| self.seats[by as usize]).and_then(|seat| seat.opens);
        let takes = takes.unwrap_or(self.pools[pool as usize].opens);
        let socket = self.socket(Socket { pool, by, last: None, free: f64::INFINITY, own });
        let state = &mut self.states[pool as usize];
        state.open += 1;
        state.peak = state.peak.max(state.open);
        if !own {
            state.opening.push(by);
        }
        self.push(Event::Opened(socket), at + takes);
    }

    fn opened(&mut self, socket: u32, at: f64, judge: &mut dyn Judge, turns: &mut Vec<Turn>) {
        let Socket { pool, by, own, .. } = self.sockets[socket as usize];
        self.sockets[socket as usize].free = at;
        let state = &mut self.states[pool as usize];
        if let Some(place) = state.opening.iter().position(|opens| *opens == by).filter(|_| !own) {
            state.opening.swap_remove(place);
        }
        let waits = |by: u32| own || state.waiting.iter().any(|(_, _, waits)| *waits == by);
        let by = by.filter(|by| waits(*by) && self.has[*by as usize].is_none());
        let more_urgent = by.and_then(|by| self.more_urgent(by)).filter(|_| !own);
        let next: Vec<u32> = more_urgent.into_iter().chain(by).collect();
        if let Some(request) = next.iter().copied().find(|request| judge.may_have(Turn { request: *request, at })) {
            self.states[pool as usize].waiting.retain(|(_, _, waits)| *waits != request);
            self.has[request as usize] = Some(socket);
            turns.push(Turn { request, at });
            self.serve(pool, at, judge, turns);
            return;
        }
        // It was another one's than was thought.
        if !next.is_empty() {
            self.states[pool as usize].open -= 1;
            return;
        }
        // Those that carried an answer before go first.
        self.states[pool as usize].idle.insert(0, socket);
        self.serve(pool, at, judge, turns);
    }

    /// Who waits, has none being opened, and is more urgent than a request that has.
    fn more_urgent(&self, than: u32) -> Option<u32> {
        let Seat { pool, rank, .. } = self.seats[than as usize]?;
        let State { waiting, opening, .. } = &self.states[pool as usize];
        let waiting = waiting.iter().take_while(|(own, ..)| *own < rank).map(|(_, _, waits)| *waits);
        waiting.into_iter().find(|waits| !opening.contains(&Some(*waits)))
    }

    /// Those that wait have what is free, and where there may be more, more are opened.
    fn serve(&mut self, pool: u32, at: f64, judge: &mut dyn Judge, turns: &mut Vec<Turn>) {
        let place = pool as usize;
        while let (Some(&socket), Some(&first)) = (self.states[place].idle.last(), self.states[place].waiting.first()) {
            let Socket { free, last, .. } = self.sockets[socket as usize];
            let turn = Turn { request: first.2, at: at.max(free) };
            let mut next = Some(first);
            if !judge.may_have(turn) {
                let instead = judge.instead(turn);
                next = self.states[place].waiting.iter().copied().find(|(_, _, waits)| Some(*waits) == instead);
            }
            let (_, since, request) = next.unwrap_or(first);
            self.states[place].waiting.remove(&next.unwrap_or(first));
            if next.is_none() {
                continue;
            }
            self.states[place].idle.pop();
            // Where it is handed on at once, the request had waited for that.
            self.behind[request as usize] = last.filter(|_| moment(free) == moment(turn.at) && since < moment(free));
            self.has[request as usize] = Some(socket);
            turns.push(Turn { request, ..turn });
        }
        let Pool { most, .. } = self.pools[place];
        let lacking = self.states[place].waiting.len().saturating_sub(self.states[place].opening.len());
        let may = most.saturating_sub(self.states[place].open).min(lacking);
        if may > 0 {
            let State { waiting, opening, .. } = &self.states[place];
            let first = waiting.iter().map(|(_, _, waits)| *waits);
            let without: Vec<u32> = first.filter(|waits| !opening.contains(&Some(*waits))).take(may).collect();
            for by in without {
                self.open(pool, Some(by), at, false);
            }
        }
    }
}
