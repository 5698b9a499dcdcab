//! What edits do to connections: who goes before whom for one, who needs none of its own any more, and who opens one
//! in another's place.

use super::change::{Change, OWN_HANDLING};
use super::moments::multiplexed;
use super::pool::Seat;
use super::run::{SOONER, Times};
use super::seats::{LOW, rank};
use super::world::{Bond, Kind, Need, Phase, Place};
use crate::graph::QUEUED;
use crate::{Request, RequestId, ResourceKind};

/// What was sent so long after another had come, in ms, did not wait for that: the thread may be at work in between.
const SINCE: f64 = 200.0;

/// What was asked for over one connection so shortly before, in ms, and had by the server so little later than a file
/// could be, goes before that: of what a server only hands out, chance makes no more difference than this.
const NEAR_TIE: f64 = 50.0;

fn is_picture(request: &Request) -> bool {
    request.kind == ResourceKind::Image
}

impl Change<'_> {
    /// Has a script asked for with less urgency, as one is that is deferred or `async`: over HTTP/1.1 those of its host
    /// that are urgent have the next connection before it.
    pub(super) fn less_urgent(&mut self, id: RequestId) {
        if let Some(seat) = &mut self.world.seats[id.0 as usize] {
            seat.rank = seat.rank.max(LOW);
        }
    }

    /// Has a request go before others for a connection, as what is marked as of high priority does.
    pub(super) fn more_urgent(&mut self, id: RequestId) {
        if let Some(seat) = &mut self.world.seats[id.0 as usize] {
            seat.rank = seat.rank.min(rank(Some("High")));
        }
    }

    /// Has another go in the place of a request that is not asked for any more, or not as early: while it holds back what
    /// is not urgent, the browser lets the next go for each that has come.
    pub(super) fn gives_place(&mut self, id: RequestId) {
        self.next_picture(id, true);
        self.pass_on(id);
    }

    /// Has those that were held back for the answer of a request wait for what that waited for itself.
    fn pass_on(&mut self, id: RequestId) {
        let held: Vec<usize> = self.held_for(id);
        if held.is_empty() {
            return;
        }
        let own = self.waits_for(id);
        for i in held {
            let need = self.world.needs[i];
            self.world.needs[i].void = true;
            for on in own.iter().copied().filter(|on| *on != need.moment) {
                self.world.needs.push(Need { on, ..need });
            }
        }
    }

    /// Has nothing be held back for the answer of another over HTTP/2, as where the parser reaches the body at once.
    pub(super) fn make_room(&mut self) {
        for i in self.held_for_room() {
            self.world.needs[i].void = true;
        }
    }

    /// Has what is held back for the answer of another go once the parser reaches the body, where by a run that is
    /// sooner than it was, and than that answer. Whether anything does.
    pub(super) fn make_room_sooner(&mut self, times: &Times) -> bool {
        let Some(reached) = self.head_is_over(&|place| times.at[place as usize]) else { return false };
        let at = times.at[reached as usize];
        if at > self.world.moment(reached).at - SOONER {
            return false;
        }
        let mut held = self.held_for_room();
        held.retain(|i| times.at[self.world.needs[*i].on as usize] > at + SOONER);
        for &i in &held {
            let need = self.world.needs[i];
            self.world.needs[i].void = true;
            self.world.needs.push(Need { on: reached, ..need });
        }
        !held.is_empty()
    }

    /// What requests over HTTP/2 need of the answers of others to be sent.
    fn held_for_room(&self) -> Vec<usize> {
        let load = &self.ground.prepared.load;
        let is_held = |need: &Need| {
            let own = self.of_request(need.moment).filter(|id| need.moment == Phase::Sent.of(*id));
            let other = self.of_request(need.on).filter(|id| need.on == Phase::Done.of(*id));
            let own = own.and_then(|id| load.request(id)).filter(|r| multiplexed(r));
            !need.void && own.zip(other).is_some_and(|(own, other)| own.id != other)
        };
        self.world.needs.iter().enumerate().filter(|(_, need)| is_held(need)).map(|(i, _)| i).collect()
    }

    /// Has the first go of the pictures that are held back until rendering is let go, in the place of one that is not
    /// asked for, or once one has come that comes sooner: while it waits, the browser has so many on their way at a time.
    pub(super) fn next_picture(&mut self, id: RequestId, is_gone: bool) {
        // One that was seen to follow it does so by itself.
        let Some(next) = self.held_picture(id).filter(|_| self.held_for(id).is_empty()) else { return };
        let sent = Phase::Sent.of(next);
        // One that is there no sooner than rendering is let go lets none go.
        let soonest = self.world.moment(Phase::Sent.of(id)).at + self.world.round_trip;
        if !is_gone && soonest >= self.world.moment(sent).at {
            return;
        }
        for i in self.needs_of(sent) {
            self.world.needs[i].void |= !self.is_of_its_way(next, self.world.needs[i].on);
        }
        let after = if is_gone { self.waits_for(id) } else { vec![Phase::Done.of(id)] };
        for on in after {
            self.world.need(sent, on, Bond::Gate);
        }
        let own = self.world.moment(Phase::Sent.of(id)).lag;
        self.world.set_lag(sent, own.clamp(0.0, OWN_HANDLING));
    }

    /// The picture that was held back the longest until rendering was let go, while another one was on its way: over
    /// HTTP/1.1 of the same host.
    fn held_picture(&self, id: RequestId) -> Option<RequestId> {
        let load = &self.ground.prepared.load;
        let request = load.request(id).filter(|r| is_picture(r))?;
        let own = self.world.seats[id.0 as usize].map(|seat| seat.pool);
        if own.is_none() && !multiplexed(request) {
            return None;
        }
        let at = |phase: Phase, id: RequestId| self.world.moment(phase.of(id)).at;
        let (went, came) = (at(Phase::Sent, id), at(Phase::Done, id));
        let is_held = |r: &&Request| {
            let seat = self.world.seats[r.id.0 as usize];
            let sent = at(Phase::Sent, r.id);
            let could = seat.map_or(sent, |seat| seat.wants);
            r.id != id
                && is_picture(r)
                && seat.map(|seat| seat.pool) == own
                && (seat.is_some() || multiplexed(r))
                && could > at(Phase::Asked, r.id) + QUEUED.0
                && at(Phase::Asked, r.id) <= went + QUEUED.0
                && sent > went
                && sent <= came + SINCE
                && !self.world.moment(Phase::Asked.of(r.id)).gone
                && self.is_held_by_a_gate(r.id)
        };
        let held = load.requests.iter().filter(is_held);
        held.min_by(|a, b| at(Phase::Sent, a.id).total_cmp(&at(Phase::Sent, b.id)).then(a.id.cmp(&b.id))).map(|r| r.id)
    }

    /// Has the server an answer after so long, the way there and back with it, or after what goes before that on its
    /// connection for having been asked for before.
    pub(super) fn wait_in_turn(&mut self, id: RequestId, wait: f64) {
        let load = &self.ground.prepared.load;
        let transfers = &self.world.transfers;
        let (own, sent) = (&transfers[id.0 as usize], |id: RequestId| self.world.moment(Phase::Sent.of(id)).at);
        let before = |other: &Request| {
            let ago = sent(id) - sent(other.id);
            let shared = multiplexed(other) && transfers[other.id.0 as usize].connection == own.connection;
            shared && other.id != id && (0.0..NEAR_TIE).contains(&ago)
        };
        // By how much later than the file the server has another.
        let later = |other: RequestId| sent(other) + transfers[other.0 as usize].wait - (sent(id) + wait);
        let others = load.requests.iter().filter(|r| before(r)).map(|r| later(r.id));
        let most = others.filter(|later| *later < NEAR_TIE).fold(0.0, f64::max);
        self.world.transfers[id.0 as usize].wait = (wait + most).min(own.wait);
    }

    /// Whether a request waits for something else than its own asking and another's answer.
    fn is_held_by_a_gate(&self, id: RequestId) -> bool {
        let released = &self.ground.moments.released;
        let needs = self.needs_of(Phase::Sent.of(id));
        needs.iter().map(|i| self.world.needs[*i].on).any(|on| released.values().any(|place| *place == on))
    }

    /// What a request waits for to be sent, but for its own asking and connection.
    fn waits_for(&self, id: RequestId) -> Vec<Place> {
        let on = self.needs_of(Phase::Sent.of(id)).into_iter().map(|i| self.world.needs[i].on);
        on.filter(|on| !self.is_of_its_way(id, *on)).collect()
    }

    /// The needs of requests that are held back for the answer of a request.
    fn held_for(&self, id: RequestId) -> Vec<usize> {
        let is_sent = |place: Place| self.of_request(place).is_some_and(|id| place == Phase::Sent.of(id));
        let needs = self.needs_on(Phase::Done.of(id)).into_iter();
        needs.filter(|i| is_sent(self.world.needs[*i].moment) && self.world.needs[*i].bond == Bond::Gate).collect()
    }

    /// Has a request wait for nothing but its connection, and come after nobody for that.
    pub(super) fn leave_pool(&mut self, id: RequestId) {
        if self.world.seats[id.0 as usize].take().is_some() {
            let (sent, connected) = (Phase::Sent.of(id), Phase::Connected.of(id));
            self.world.moment_mut(sent).kind = Kind::After;
            self.world.set_lag(sent, 0.0);
            self.world.need(sent, connected, Bond::Origin);
        }
    }

    /// Has a request come over the connections of another's host, which wait for nobody's but theirs.
    pub(super) fn join_pool(&mut self, id: RequestId, of: RequestId) -> bool {
        let Some(Seat { pool, .. }) = self.world.seats[of.0 as usize] else { return false };
        let load = &self.ground.prepared.load;
        let rank = rank(load.request(id).and_then(|r| r.priority.as_deref()));
        let [asked, sent] = [Phase::Asked, Phase::Sent].map(|phase| phase.of(id));
        let wants = self.world.moment(asked).at;
        self.world.seats[id.0 as usize] =
            Some(Seat { pool, rank, wants, opens: None, after: 0.0, frees: 0.0, own: false, brings: false });
        for i in self.needs_of(sent) {
            self.world.needs[i].void |= self.world.needs[i].on != asked;
        }
        self.world.need(sent, asked, Bond::Origin);
        self.world.moment_mut(sent).kind = Kind::Sent(id.0);
        self.world.set_lag(sent, 0.0);
        true
    }

    /// Whoever comes next on the connection that a request opened opens it.
    pub(super) fn hand_connection_on(&mut self, id: RequestId) {
        let load = &self.ground.prepared.load;
        let Some(request) = load.request(id).filter(|r| r.connect_end.is_some()) else { return };
        let Some(connection) = request.connection else { return };
        let gone = |r: &crate::Request| self.world.moment(Phase::Asked.of(r.id)).gone;
        let next = load
            .requests
            .iter()
            .filter(|r| r.connection == Some(connection) && r.id != id && r.connect_end.is_none() && !gone(r))
            .min_by(|a, b| a.sent.unwrap_or(a.start).order(&b.sent.unwrap_or(b.start)));
        let Some(next) = next.map(|r| r.id) else { return };
        for phase in [Phase::Connecting, Phase::Connected] {
            let lag = self.world.moment(phase.of(id)).lag;
            self.world.set_lag(phase.of(next), lag);
        }
        for i in self.needs_on(Phase::Connected.of(id)) {
            let need = self.world.needs[i];
            if need.moment != Phase::Sent.of(id) && need.moment != Phase::Sent.of(next) {
                self.world.needs[i].void = true;
                self.world.needs.push(Need { on: Phase::Connected.of(next), ..need });
            }
        }
    }
}
