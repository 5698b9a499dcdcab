//! Connections over HTTP/1.1: each carries one answer after the other, and a host has six at most. Who is more
//! urgent has the next that is free; with an edit another may have it.

use super::change::Change;
use super::moments::multiplexed;
use super::world::{Bond, Phase, Place};
use crate::{Request, RequestId};
use std::collections::HashMap;

/// A request that is sent later than this after it was asked for, in ms, waited for its turn.
const WAITED: crate::Millis = crate::Millis(20.0);

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
            urgent(r)
                && !multiplexed(r)
                && r.id != id
                && prepared.host(r.id) == prepared.host(id)
                && r.is_network()
                && r.start <= sent
                && r.sent.is_some_and(|at| at > sent)
                && !self.world.moment(Phase::Asked.of(r.id)).gone
                && !self.no_longer_urgent.contains(&r.id)
                && !self.is_held(r.id)
        };
        let mut queue: Vec<&Request> = prepared.load.requests.iter().filter(waits).collect();
        queue.sort_by(|a, b| a.sent.unwrap_or_default().order(&b.sent.unwrap_or_default()));
        if queue.is_empty() {
            return;
        }
        let before: Vec<RequestId> = [id].into_iter().chain(queue.iter().map(|r| r.id)).collect();
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
        let waits = |r: &&Request| {
            !multiplexed(r)
                && r.is_network()
                && r.id != id
                && prepared.host(r.id) == prepared.host(id)
                && r.connect_end.is_none()
                && r.sent.is_some_and(|at| at > sent && at > r.start + WAITED)
                && !self.world.moment(Phase::Asked.of(r.id)).gone
        };
        let mut queue: Vec<&Request> = prepared.load.requests.iter().filter(waits).collect();
        queue.sort_by(|a, b| a.sent.unwrap_or_default().order(&b.sent.unwrap_or_default()));
        let mut line = vec![id];
        let mut free = sent;
        for r in queue {
            if r.start <= free {
                line.push(r.id);
                free = r.sent.unwrap_or(free);
            }
        }
        let waited = line.len() > 1;
        if waited {
            self.pass(&line[..line.len() - 1], &line[1..]);
        }
        waited
    }

    /// Has the second have the turns of the first, one by one.
    fn pass(&mut self, before: &[RequestId], after: &[RequestId]) {
        let prepared = self.ground.prepared.clone();
        let takes: HashMap<RequestId, RequestId> = before.iter().copied().zip(after.iter().copied()).collect();
        let turns: Vec<Turn> = before.iter().map(|id| self.turn(*id)).collect();
        for (mut turn, id) in turns.into_iter().zip(after) {
            for place in &mut turn.after {
                *place = self.taken(*place, &takes);
            }
            self.have(*id, &turn);
        }
        // Who came after one of them on a connection comes after the one that has it now.
        let in_line = |id: &RequestId| before.contains(id) || after.contains(id);
        for r in prepared.load.requests.iter().filter(|r| !in_line(&r.id)) {
            for i in self.needs_of(Phase::Sent.of(r.id)) {
                let need = self.world.needs[i];
                let on = self.taken(need.on, &takes);
                if on != need.on && self.is_of_connection(r.id, need.on) {
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

    fn turn(&self, id: RequestId) -> Turn {
        let needs = self.needs_of(Phase::Sent.of(id)).into_iter().map(|i| self.world.needs[i].on);
        let lag = |phase: Phase| self.world.moment(phase.of(id)).lag;
        let opened = self.ground.prepared.load.request(id).is_some_and(|r| r.connect_end.is_some());
        Turn {
            connection: self.world.transfers[id.0 as usize].connection,
            opens: opened.then(|| (lag(Phase::Connecting), lag(Phase::Connected))),
            after: needs.filter(|on| self.of_request(*on) != Some(id)).collect(),
            lag: lag(Phase::Sent),
        }
    }

    /// Has a request a turn that was another's.
    fn have(&mut self, id: RequestId, turn: &Turn) {
        self.world.transfers[id.0 as usize].connection = turn.connection;
        let sent = Phase::Sent.of(id);
        for i in self.needs_of(sent) {
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
