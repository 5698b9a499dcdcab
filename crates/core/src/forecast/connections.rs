//! Connections over HTTP/1.1: each carries one answer after the other, and a host has six at most. Who is more
//! urgent has the next that is free; with an edit another may have it.

use super::change::Change;
use super::moments::multiplexed;
use super::world::{Bond, Phase, Place};
use crate::{Millis, Prepared, Request, RequestId};
use std::collections::{HashMap, HashSet};

/// A request that is sent later than this after it was asked for, in ms, waited for its turn.
const WAITED: Millis = Millis(20.0);

/// A connection at the time from which a request had it.
#[derive(Debug, Clone)]
struct Turn {
    connection: u32,
    /// How long the request that opens it takes to begin with that and to connect, in ms.
    opens: Option<(f64, f64)>,
    /// The moments of others that come before it: an answer on the same connection, its opening, and what the browser
    /// held it back for.
    after: Vec<Place>,
    /// From then to the sending, in ms.
    lag: f64,
}

/// Whether a request is urgent by the browser's own word: `async` and deferred scripts are not, and of pictures those
/// that stand far down.
fn urgent(request: &Request) -> bool {
    request.priority.as_deref().is_some_and(|word| !matches!(word, "Low" | "VeryLow"))
}

impl Change<'_> {
    /// Has a script asked for with less urgency, as one is that is deferred or `async`: over HTTP/1.1 those of its
    /// host that are urgent and wait for a connection have its turn, each that of the one before it, and it has the
    /// last of theirs.
    pub(super) fn less_urgent(&mut self, id: RequestId) {
        let prepared = self.ground.prepared.clone();
        let Some((own, sent)) = prepared.load.request(id).and_then(|r| Some((r, r.sent?))) else { return };
        if multiplexed(own) || !self.no_longer_urgent.insert(id) {
            return;
        }
        let waits = |r: &&Request| {
            urgent(r) && r.start <= sent && !self.no_longer_urgent.contains(&r.id) && !self.is_held(r.id)
        };
        let later = self.sent_after(&prepared, id, sent).into_iter();
        let queue: Vec<RequestId> = later.filter(waits).map(|r| r.id).collect();
        if queue.is_empty() {
            return;
        }
        let before: Vec<RequestId> = [id].into_iter().chain(queue).collect();
        let after: Vec<RequestId> = before[1..].iter().copied().chain([id]).collect();
        self.pass(&before, &after);
    }

    /// Has those who wait for a connection of a request's host, over HTTP/1.1, go up by one: the first has the turn of
    /// that request, each other that of the one before it. What the browser holds back for something else goes up as
    /// well: it lets the next go for each that it has let go. Returns whether anybody waited.
    pub(super) fn pass_turn_on(&mut self, id: RequestId) -> bool {
        let prepared = self.ground.prepared.clone();
        let Some((own, sent)) = prepared.load.request(id).and_then(|r| Some((r, r.sent?))) else { return false };
        if multiplexed(own) || !own.is_network() {
            return false;
        }
        let mut line = vec![id];
        let mut free = sent;
        for r in self.sent_after(&prepared, id, sent).into_iter().filter(|r| r.connect_end.is_none()) {
            let Some(at) = r.sent.filter(|at| *at > r.start + WAITED && r.start <= free) else { continue };
            line.push(r.id);
            free = at;
        }
        let waited = line.len() > 1;
        if waited {
            self.pass(&line[..line.len() - 1], &line[1..]);
        }
        waited
    }

    /// The requests of the same host over HTTP/1.1 that were sent later, in that order.
    fn sent_after<'l>(&self, prepared: &'l Prepared, id: RequestId, sent: Millis) -> Vec<&'l Request> {
        let waits = |r: &&Request| {
            r.sent.is_some_and(|at| at > sent)
                && !multiplexed(r)
                && r.is_network()
                && prepared.host(r.id) == prepared.host(id)
                && !self.world.moment(Phase::Asked.of(r.id)).gone
        };
        let mut later: Vec<&Request> = prepared.load.requests.iter().filter(waits).collect();
        later.sort_by(|a, b| a.sent.unwrap_or_default().order(&b.sent.unwrap_or_default()));
        later
    }

    /// Has the second have the turns of the first, one by one.
    fn pass(&mut self, before: &[RequestId], after: &[RequestId]) {
        let takes: HashMap<RequestId, RequestId> = before.iter().copied().zip(after.iter().copied()).collect();
        let in_line: HashSet<RequestId> = before.iter().chain(after).copied().collect();
        // What each request waits for to be sent.
        let mut waits: HashMap<RequestId, Vec<usize>> = HashMap::new();
        for (i, need) in self.world.needs.iter().enumerate().filter(|(_, n)| !n.void) {
            if let Some(id) = self.of_request(need.moment).filter(|id| need.moment == Phase::Sent.of(*id)) {
                waits.entry(id).or_default().push(i);
            }
        }
        let of = |id: &RequestId| waits.get(id).map_or(&[][..], Vec::as_slice);
        let turns: Vec<Turn> = before.iter().map(|id| self.turn(*id, of(id))).collect();
        for (mut turn, id) in turns.into_iter().zip(after) {
            for place in &mut turn.after {
                *place = self.taken(*place, &takes);
            }
            self.have(*id, of(id), &turn);
        }
        // Who came after one of them on a connection comes after the one that has it now.
        for (id, needs) in waits.iter().filter(|(id, _)| !in_line.contains(id)) {
            for &i in needs {
                let need = self.world.needs[i];
                let on = self.taken(need.on, &takes);
                if on != need.on && self.is_of_connection(*id, need.on) {
                    self.world.needs[i].on = on;
                }
            }
        }
    }

    /// Whether a request is held back for something else than a connection.
    fn is_held(&self, id: RequestId) -> bool {
        [Phase::Connecting, Phase::Sent].iter().any(|phase| {
            let needs = self.needs_of(phase.of(id));
            needs
                .iter()
                .map(|i| self.world.needs[*i].on)
                .any(|on| self.of_request(on) != Some(id) && !self.is_of_connection(id, on))
        })
    }

    /// Whether a moment is the opening of a request's connection, or the end of an answer on it.
    fn is_of_connection(&self, id: RequestId, on: Place) -> bool {
        let Some(other) = self.of_request(on).filter(|other| *other != id) else { return false };
        let same = |id: RequestId| self.ground.prepared.load.request(id).and_then(|r| r.connection);
        let now = |id: RequestId| self.world.transfers[id.0 as usize].connection;
        on == Phase::Connected.of(other)
            || on == Phase::Done.of(other) && (same(other) == same(id) || now(other) == now(id))
    }

    /// The turn of a request, given what it waits for to be sent.
    fn turn(&self, id: RequestId, waits: &[usize]) -> Turn {
        let needs = waits.iter().map(|i| self.world.needs[*i].on);
        let lag = |phase: Phase| self.world.moment(phase.of(id)).lag;
        let opened = self.ground.prepared.load.request(id).is_some_and(|r| r.connect_end.is_some());
        Turn {
            connection: self.world.transfers[id.0 as usize].connection,
            opens: opened.then(|| (lag(Phase::Connecting), lag(Phase::Connected))),
            after: needs.filter(|on| self.of_request(*on) != Some(id)).collect(),
            lag: lag(Phase::Sent),
        }
    }

    /// Has a request a turn that was another's, in the place of what it waits for to be sent.
    fn have(&mut self, id: RequestId, waits: &[usize], turn: &Turn) {
        self.world.transfers[id.0 as usize].connection = turn.connection;
        let sent = Phase::Sent.of(id);
        for &i in waits {
            self.world.needs[i].void |= self.of_request(self.world.needs[i].on) != Some(id);
        }
        for on in &turn.after {
            self.world.need(sent, *on, Bond::Gate);
        }
        let (begins, takes) = turn.opens.unwrap_or_default();
        let lags = [(Phase::Connecting, begins), (Phase::Connected, takes), (Phase::Sent, turn.lag)];
        for (phase, lag) in lags {
            self.world.set_lag(phase.of(id), lag);
        }
    }

    /// The same moment of the request that has a request's turn now.
    fn taken(&self, on: Place, takes: &HashMap<RequestId, RequestId>) -> Place {
        let taken = |phase: Phase, id: RequestId| takes.get(&id).map(|now| phase.of(*now));
        match self.of_request(on) {
            Some(id) if on == Phase::Done.of(id) => taken(Phase::Done, id).unwrap_or(on),
            Some(id) if on == Phase::Connected.of(id) => taken(Phase::Connected, id).unwrap_or(on),
            _ => on,
        }
    }
}
