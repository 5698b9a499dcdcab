//! The connections of a load over HTTP/1.1, as they were observed: who wanted one when, and what it waited for. The
//! rules of the pool are held against that, turn by turn. Where they would have had a request go sooner than it did,
//! the browser held it back for something else.

use super::pool::{Judge, Pool, Pools, Seat, Turn};
use crate::graph::{MOST_CONNECTIONS, QUEUED, TOLD_LATE};
use crate::http::closes;
use crate::{CacheSource, Http, Prepared, Request, RequestId, ResourceKind};
use std::collections::HashMap;

/// Times that are equal but for how exactly they are told, in ms.
const EQUAL: f64 = 0.01;
/// Requests that came within so long of each other, in ms, may have come in another order than they were asked for in.
const TOGETHER: f64 = 50.0;
/// By so much one comes after another, in ms.
const AFTER: f64 = 0.002;
/// So often the pools are gone through.
const PASSES: usize = 40;

/// The pools of a load.
#[derive(Debug, Default)]
pub(super) struct Seats {
    pub pools: Vec<Pool>,
    /// By request; those of other protocols, and of pools that keep to no rule, have none.
    pub seats: Vec<Option<Seat>>,
    /// The request whose answer each was held back for, if not for want of a connection.
    pub held: Vec<Option<RequestId>>,
    /// The connection of each that has a seat.
    pub connections: Vec<Option<u32>>,
}

/// What was observed of a request with a seat.
#[derive(Debug, Clone, Copy)]
struct Observed {
    request: u32,
    pool: u32,
    rank: u8,
    /// When it could have wanted a connection.
    could: f64,
    /// When it began to open one, where it did.
    connecting: Option<f64>,
    /// Since when there might be one more in its pool, where it waited for that to open its own.
    room: Option<f64>,
    /// When it had one that was open.
    had: f64,
    sent: f64,
    /// When the connection was free again; infinite where it was not.
    free: f64,
    /// It may have been free so early: of what failed nobody knows when the browser left off.
    may_end: f64,
    /// Whose answer came over the connection before, handed on at once.
    before: Option<u32>,
    /// By then the pool had as many connections as it may have.
    full: bool,
}

/// Which requests have their connections in common. Those that send no cookies to a host that is not the page's, as
/// fonts are asked for, have their own.
fn group(request: &Request, page: &str) -> Option<(String, bool)> {
    let url = url::Url::parse(&request.url).ok()?;
    let origin = url.origin().ascii_serialization();
    let nameless = matches!(request.kind, ResourceKind::Font | ResourceKind::Data) && origin != page;
    Some((origin, nameless))
}

/// Whether a request came over a connection that carries one answer after the other.
fn has_seat(request: &Request) -> bool {
    let cached = matches!(request.cache, Some(cache) if cache != CacheSource::Revalidated);
    Http::named(request.protocol.as_deref()) != Http::Second
        && request.is_network()
        && !cached
        && request.connection.is_some()
        && request.sent.is_some()
}

/// A request's place among those that wait, by the browser's own word for its priority (Fetch, section 2.2.5, leaves
/// what that means to browsers).
pub(super) fn rank(priority: Option<&str>) -> u8 {
    match priority {
        Some("VeryHigh") => 0,
        Some("High") => 1,
        Some("Medium") | None => 2,
        Some("Low") => LOW,
        Some(_) => LOW + 1,
    }
}

/// The rank of what is not urgent.
pub(super) const LOW: u8 = 3;

impl Seats {
    /// Of a load, given when each request could have wanted a connection.
    pub(super) fn of(prepared: &Prepared, could: &[f64]) -> Self {
        let load = &*prepared.load;
        let page = load.document().and_then(|d| group(d, "")).map(|(origin, _)| origin).unwrap_or_default();
        let mut groups: HashMap<(String, bool), u32> = HashMap::new();
        let mut members: Vec<Vec<&Request>> = Vec::new();
        for request in load.requests.iter().filter(|r| has_seat(r)) {
            let Some(group) = group(request, &page) else { continue };
            let next = u32::try_from(members.len()).unwrap_or(u32::MAX);
            let pool = *groups.entry(group).or_insert(next);
            if pool == next {
                members.push(Vec::new());
            }
            members[pool as usize].push(request);
        }
        let mut all = Self {
            pools: Vec::new(),
            seats: vec![None; load.requests.len()],
            held: vec![None; load.requests.len()],
            connections: vec![None; load.requests.len()],
        };
        for (members, number) in members.into_iter().zip(0u32..) {
            let pool = pool_of(&members, prepared);
            let observed = observed(&members, number, &pool, could);
            all.pools.push(pool);
            all.go_through(&members, &observed);
        }
        all
    }

    /// Has the rules hold for a pool: until nothing is sent at another time than it was.
    fn go_through(&mut self, members: &[&Request], observed: &[Observed]) {
        for (request, own) in members.iter().zip(observed) {
            let told_late = match (request.end, request.final_headers.or(request.first_byte)) {
                (Some(end), _) => (own.free - end.0).min(0.0),
                (None, answered) => own.free - at_or(answered, own.sent).max(own.sent),
            };
            self.seats[own.request as usize] = Some(Seat {
                pool: own.pool,
                rank: own.rank,
                wants: match (own.room, own.connecting) {
                    (None, Some(connecting)) => connecting,
                    (None, None) if own.before.is_none() => own.had,
                    _ => own.could,
                },
                opens: own.room.or(own.connecting).map(|since| own.had - since),
                after: (own.sent - own.had).max(0.0),
                frees: told_late,
                own: false,
                brings: false,
            });
        }
        for _ in 0..PASSES {
            if self.pass(observed) {
                return;
            }
        }
        // It keeps to no rule that is known: what was observed stays.
        for own in observed {
            self.seats[own.request as usize] = None;
            self.held[own.request as usize] = None;
        }
    }

    /// Goes through a pool once; whether it came out as observed.
    fn pass(&mut self, observed: &[Observed]) -> bool {
        let seats = self.seats.clone();
        let mut pools = Pools::new(&self.pools, &seats);
        let mut review = Review { observed: HashMap::new(), objections: Vec::new() };
        for own in observed {
            let wants = seats[own.request as usize].map_or(own.sent, |s| s.wants);
            pools.wants(own.request, wants);
            pools.due(own.request, own.had.max(wants) + EQUAL);
            review.observed.insert(own.request, *own);
        }
        while pools.next().is_some() {
            for turn in pools.step(&mut review) {
                let Some(own) = review.observed.get(&turn.request) else { continue };
                let end = own.free - seats[turn.request as usize].map_or(0.0, |s| s.frees);
                if end.is_finite() {
                    pools.ends(turn.request, end.max(turn.at));
                }
            }
        }
        let peak = observed.first().map_or(0, |own| pools.peak(own.pool as usize));
        let connections: Vec<Option<u32>> = observed.iter().map(|own| pools.connection(own.request)).collect();
        let Review { objections, .. } = review;
        let agreed = objections.is_empty();
        for objection in objections {
            self.heed(objection, observed);
        }
        // Those that are there for nothing that is known may be more.
        if let Some(pool) = observed.first().map(|own| own.pool as usize)
            && agreed
            && peak > self.pools[pool].most
        {
            self.pools[pool].most = peak;
            return false;
        }
        if agreed {
            // Each pool has connections of its own.
            let others = self.connections.iter().flatten().max().map_or(0, |most| most + 1);
            for (own, connection) in observed.iter().zip(connections) {
                self.connections[own.request as usize] = connection.map(|own| others + own);
            }
        }
        agreed
    }

    fn heed(&mut self, objection: Objection, observed: &[Observed]) {
        match objection {
            Objection::TooEarly(request, at) => {
                let Some(own) = observed.iter().find(|o| o.request == request) else { return };
                let Some(seat) = &mut self.seats[request as usize] else { return };
                if let Some(connecting) = own.connecting {
                    (seat.own, seat.wants, seat.opens) = (true, connecting, Some(own.had - connecting));
                    return;
                }
                // It had not come yet where another had a connection after this that had rested.
                let rested = |o: &&Observed| o.before.is_none() && o.connecting.is_none() && o.had >= at;
                let last = observed.iter().filter(rested).map(|o| o.had).filter(|had| *had < own.had - AFTER);
                if let Some(last) = last.reduce(f64::max).filter(|last| own.full && *last + AFTER > seat.wants) {
                    seat.wants = last + AFTER;
                    return;
                }
                // It was held back for something else: for the answer that went before it, or for what is not known.
                seat.wants = own.sent;
                seat.after = 0.0;
                self.held[request as usize] = own.before.map(RequestId);
            }
            Objection::TooLate(request) => {
                if let Some(seat) = &mut self.seats[request as usize] {
                    seat.brings = true;
                }
            }
        }
    }
}

fn at_or(at: Option<crate::Millis>, otherwise: f64) -> f64 {
    at.map_or(otherwise, |at| at.0)
}

#[derive(Debug, Clone, Copy)]
enum Objection {
    TooEarly(u32, f64),
    TooLate(u32),
}

/// Holds the turns of the rules against those that were observed.
struct Review {
    observed: HashMap<u32, Observed>,
    objections: Vec<Objection>,
}

impl Judge for Review {
    fn may_have(&mut self, turn: Turn) -> bool {
        let early = self.observed.get(&turn.request).is_some_and(|own| turn.at < own.had - EQUAL);
        if early {
            self.objections.push(Objection::TooEarly(turn.request, turn.at));
        }
        !early
    }

    fn instead(&mut self, turn: Turn) -> Option<u32> {
        let own = self.observed.values().filter(|own| own.before.is_some() && (own.had - turn.at).abs() <= EQUAL);
        own.map(|own| own.request).min()
    }

    fn is_late(&mut self, request: u32) {
        // One that was too early in its turn was taken out of it.
        let known = self.objections.iter().any(|o| matches!(o, Objection::TooEarly(r, _) if *r == request));
        if !known {
            self.objections.push(Objection::TooLate(request));
        }
    }
}

/// What was observed of the requests of a pool.
fn observed(members: &[&Request], number: u32, pool: &Pool, could: &[f64]) -> Vec<Observed> {
    let mut all = as_told(members, number, pool, could);
    if !pool.keeps {
        rooms(&mut all, pool.most);
    }
    // A connection that had rested was taken before others were opened, though what was sent over it was sent later.
    let mut opening: Vec<f64> = all.iter().filter_map(|o| o.connecting).collect();
    opening.sort_by(f64::total_cmp);
    for own in all.iter_mut().filter(|o| o.before.is_none() && o.connecting.is_none()) {
        let since = own.could.max(own.sent - TOGETHER);
        let first = opening[opening.partition_point(|at| *at <= since + AFTER)..].first();
        own.had = first.map_or(own.had, |first| own.had.min(first - AFTER));
    }
    // Whoever had a connection at once while another waited had come before that one.
    let waits = |own: &Observed| own.before.is_some() || own.room.is_some();
    let mut came: Vec<f64> = all.iter().filter(|o| !waits(o)).map(|o| o.connecting.unwrap_or(o.sent)).collect();
    came.sort_by(f64::total_cmp);
    for own in all.iter_mut().filter(|own| waits(own)) {
        let until = (own.could + TOGETHER).min(own.room.unwrap_or(own.had) - AFTER);
        let last = came[..came.partition_point(|at| *at <= until)].last();
        own.could = last.map_or(own.could, |last| own.could.max(last + AFTER));
    }
    // Of those that came together and are as urgent, the first to have one had come first.
    let mut waiting: Vec<&mut Observed> = all.iter_mut().filter(|own| waits(own)).collect();
    let turn = |own: &Observed| own.room.unwrap_or(own.had);
    waiting.sort_by(|a, b| turn(a).total_cmp(&turn(b)));
    let mut latest: HashMap<u8, f64> = HashMap::new();
    for own in waiting {
        let before = latest.get(&own.rank).copied().filter(|before| *before - own.could <= TOGETHER);
        own.could = before.map_or(own.could, |before| own.could.max(before + AFTER)).min(own.room.unwrap_or(own.had));
        latest.insert(own.rank, own.could);
    }
    all
}

/// Where connections end with their answers: who opened one when another had ended, for want of room before.
fn rooms(all: &mut [Observed], most: usize) {
    let begun = |own: &Observed| own.connecting.unwrap_or(own.sent);
    let mut order: Vec<usize> = (0..all.len()).collect();
    order.sort_by(|a, b| begun(&all[*a]).total_cmp(&begun(&all[*b])));
    let mut followed = vec![false; all.len()];
    for place in order {
        let own = all[place];
        let Some(connecting) = own.connecting else { continue };
        let ends = |other: &Observed| {
            let end = other.free.min(connecting);
            other.may_end <= connecting && other.free > own.could && connecting - end <= QUEUED.0
        };
        let before = (0..all.len()).filter(|&o| o != place && !followed[o] && ends(&all[o]));
        let Some(before) = before.min_by(|a, b| all[*a].free.total_cmp(&all[*b].free)) else { continue };
        let others = all.iter().zip(&followed).enumerate().filter(|(o, (other, followed))| {
            *o != place && !**followed && begun(other) < connecting && other.free >= all[before].free.min(connecting)
        });
        if others.count() >= most {
            followed[before] = true;
            all[before].free = all[before].free.min(connecting);
            all[place].room = Some(all[before].free);
        }
    }
}

/// What the load tells of them.
fn as_told(members: &[&Request], number: u32, pool: &Pool, could: &[f64]) -> Vec<Observed> {
    let sent = |r: &Request| at_or(r.sent, r.start.0).max(r.start.0);
    let mut on: HashMap<u64, Vec<&Request>> = HashMap::new();
    for request in members {
        on.entry(request.connection.unwrap_or_default()).or_default().push(request);
    }
    for users in on.values_mut() {
        users.sort_by(|a, b| sent(a).total_cmp(&sent(b)).then(a.id.cmp(&b.id)));
    }
    let next_to = |request: &Request, by: isize| -> Option<&Request> {
        let users = on.get(&request.connection?)?;
        let place = users.iter().position(|u| u.id == request.id)?;
        users.get(place.checked_add_signed(by)?).copied()
    };
    let free = |r: &Request| {
        let next = next_to(r, 1).map_or(f64::INFINITY, sent);
        at_or(r.end, f64::INFINITY).min(next)
    };
    members
        .iter()
        .map(|request| {
            let own_sent = sent(request);
            let asked = could[request.id.0 as usize].min(own_sent);
            let connecting =
                request.connect_end.and(request.connect_start).map(|at| at.0.clamp(request.start.0, own_sent));
            let open = at_or(request.connect_end, own_sent).min(own_sent);
            let before = next_to(request, -1).filter(|before| {
                let free = free(before);
                connecting.is_none() && own_sent - free <= QUEUED.0 && asked < free
            });
            let had = match before {
                _ if connecting.is_some() => open,
                Some(before) => free(before),
                None => own_sent,
            };
            Observed {
                request: request.id.0,
                pool: number,
                rank: rank(request.priority.as_deref()),
                could: asked,
                connecting,
                room: None,
                had,
                sent: own_sent,
                free: free(request),
                may_end: match request.failed {
                    Some(_) => at_or(request.final_headers.or(request.first_byte), own_sent),
                    None => free(request) - TOLD_LATE.0,
                },
                full: {
                    let open = on.values().filter(|users| {
                        let first = users[0];
                        at_or(first.connect_start, sent(first)) < had
                    });
                    open.count() >= pool.most
                },
                before: before.map(|b| b.id.0),
            }
        })
        .collect()
}

/// The connections of a host.
fn pool_of(members: &[&Request], prepared: &Prepared) -> Pool {
    let mut by_connection: HashMap<u64, usize> = HashMap::new();
    for request in members {
        *by_connection.entry(request.connection.unwrap_or_default()).or_default() += 1;
    }
    let mut opens: Vec<f64> =
        members.iter().filter_map(|r| Some((r.connect_end? - r.connect_start?).0.max(0.0))).collect();
    opens.sort_by(f64::total_cmp);
    let secure = members.iter().any(|r| r.url.starts_with("https:"));
    // TCP takes one way there and back, TLS one more.
    let trips = if secure { 2.0 } else { 1.0 };
    let way = prepared.load.conditions.as_ref().map_or(0.0, crate::Conditions::total_round_trip_ms);
    Pool {
        most: MOST_CONNECTIONS as usize,
        keeps: !members.iter().all(|r| closes(r)) || by_connection.values().any(|users| *users > 1),
        opens: opens.get(opens.len() / 2).copied().unwrap_or(way * trips),
    }
}
