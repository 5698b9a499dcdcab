//! What went over the line while a response was waited for and received: the server's own part is what is
//! left of a wait without the way there and back and without the line's being taken by others; and a body
//! that comes beside others shares the line with them.

use crate::{BodyPart, Conditions, Load, Millis, Request, RequestId};
use phainon_link::{CHUNK, Direction, FIRST_WINDOW, transfer};
use std::collections::BTreeMap;
use std::time::Duration;

/// A pause of the server in the middle of a body.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pause {
    /// After so many bytes as they went over the wire.
    pub after: u64,
    /// When the bytes after it came.
    pub until: Millis,
    /// For so long.
    pub pause: Duration,
}

/// A gap in a body counts as the server's from this much over a round trip: growing windows make gaps of
/// up to one.
const GAP: f64 = 40.0;
/// Parts of a body that come so soon after its headers came together with them.
const TOGETHER: f64 = 3.0;

/// The line rests between bytes that follow each other for so long at most, in ms, beside the time of a record.
const REST: f64 = 80.0;
/// The most bytes of a record of TLS (RFC 8446, section 5.1): headers that are in one with the beginning of their body
/// come when all of it has.
const RECORD: f64 = 16_384.0;

/// The line under a load, as it was used.
pub struct Line {
    /// Round trip, where it is the conditions'.
    round_trip: Option<f64>,
    /// Bytes a millisecond; 0 is unlimited.
    rate: f64,
    /// When bytes came, in order: moment, how many, of which connection and request.
    came: Vec<(f64, u64, Option<u64>, u32)>,
    /// When the first and the last bytes of each body came.
    bodies: Vec<(f64, f64)>,
}

impl Line {
    /// The line of a load.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn of(load: &Load) -> Self {
        let conditions: Option<&Conditions> = load.conditions.as_ref();
        let rate = conditions.map_or(0.0, Conditions::down_bytes_per_ms);
        let mut came: Vec<_> = load
            .requests
            .iter()
            .flat_map(|r| r.parts.iter().map(move |p| (p, r)))
            .flat_map(|(p, r)| pieces(p, rate).map(|(at, bytes)| (at, bytes, r.connection, r.id.0)))
            .collect();
        came.sort_by(|a, b| a.0.total_cmp(&b.0));
        let bodies = load.requests.iter().filter_map(|r| Some((r.parts.first()?.at.0, r.parts.last()?.at.0))).collect();
        Self { round_trip: conditions.map(Conditions::total_round_trip_ms), rate, came, bodies }
    }

    /// The round trip to a request's server: of the link, or else as its connection's opening tells.
    fn round_trip(&self, load: &Load, request: &Request) -> f64 {
        let opening = |r: &Request| {
            let end = r.tls_start.or(r.connect_end)?;
            Some((end.0 - r.connect_start?.0).max(0.0))
        };
        let host = request.host();
        let own = || {
            let of_host = load.requests.iter().filter(|r| r.host() == host).filter_map(opening);
            of_host.min_by(f64::total_cmp)
        };
        match self.round_trip {
            // A link that is not shaped has the network's own way in it.
            Some(trip) if trip > 0.0 => trip,
            _ => own().unwrap_or(0.0),
        }
    }

    /// For how long the line was busy with other bytes that came in a stretch, as far as a response has to
    /// wait for them: all that go before it in its own connection, and a turn of each other connection.
    #[allow(clippy::cast_precision_loss)]
    fn taken(&self, request: &Request, from: f64, to: f64) -> f64 {
        if self.rate <= 0.0 {
            return 0.0;
        }
        let from = from.max(self.busy_since(to));
        let first = self.came.partition_point(|c| c.0 < from);
        let (mut own, mut others) = (0u64, 0u64);
        let mut connections = std::collections::BTreeSet::new();
        for (_, bytes, connection, id) in self.came[first..].iter().take_while(|c| c.0 <= to) {
            if *id == request.id.0 {
                continue;
            }
            if connection.is_some() && *connection == request.connection {
                own += bytes;
            } else {
                others += bytes;
                connections.insert(*connection);
            }
        }
        let turns = (2 * CHUNK * connections.len()) as f64;
        (own as f64 + (others as f64).min(turns)) / self.rate
    }

    /// Since when the line has carried bytes without a rest, up to a moment: an answer that comes then may have been
    /// held up by them, and by none before.
    #[allow(clippy::cast_precision_loss)]
    fn busy_since(&self, to: f64) -> f64 {
        let rest = REST + RECORD / self.rate;
        let mut since = to;
        let by_then = self.came.partition_point(|c| c.0 <= to);
        for (at, bytes, _, _) in self.came[..by_then].iter().rev() {
            if *at + rest < since && !self.is_under_way(*at, since) {
                break;
            }
            since = since.min(at - *bytes as f64 / self.rate);
        }
        since
    }

    /// Whether a body was on its way from one moment to the next of which bytes are told: that the server made a pause
    /// in it is known only from longer gaps.
    fn is_under_way(&self, from: f64, to: f64) -> bool {
        let longest = self.round_trip.unwrap_or(0.0) + GAP + RECORD / self.rate;
        to - from <= longest && self.bodies.iter().any(|(first, last)| *first <= from && to <= *last)
    }

    /// The server's own time for a request; nothing where its phases were not observed.
    #[must_use]
    pub fn wait(&self, load: &Load, request: &Request) -> Duration {
        let answered = request.final_headers.or(request.first_byte);
        let (Some(sent), Some(answered)) = (request.sent, answered) else { return Duration::ZERO };
        let beyond = answered.0 - sent.0 - self.round_trip(load, request);
        if beyond <= 0.0 {
            return Duration::ZERO;
        }
        let taken = self.taken(request, answered.0 - beyond, answered.0);
        duration(beyond - taken - self.behind(load, request, answered))
    }

    /// Bytes of the body that came with the headers: a server that writes both into one record of TLS has
    /// the headers wait until the record is whole.
    fn with_headers(request: &Request, answered: Millis) -> usize {
        let soon = request.parts.iter().take_while(|p| p.at.0 <= answered.0 + TOGETHER);
        usize::try_from(soon.map(|p| p.bytes.0).sum::<u64>()).unwrap_or(0)
    }

    /// Whether headers and the beginning of the body came as one.
    #[must_use]
    pub fn came_together(request: &Request) -> bool {
        let whole: u64 = request.parts.iter().map(|p| p.bytes.0).sum();
        let Some(answered) = request.final_headers.or(request.first_byte) else { return true };
        let with = Self::with_headers(request, answered) as u64;
        whole == 0 || with >= whole.min(FIRST_WINDOW as u64)
    }

    /// How long the headers were on their way for what came with them.
    #[allow(clippy::cast_precision_loss)]
    fn behind(&self, load: &Load, request: &Request, answered: Millis) -> f64 {
        let with = Self::with_headers(request, answered);
        if with <= CHUNK || self.rate <= 0.0 {
            return 0.0;
        }
        let earlier = load.requests.iter().filter(|r| r.connection.is_some() && r.connection == request.connection);
        let used =
            earlier.filter(|r| r.id < request.id && r.sent.is_some_and(|s| request.sent.is_some_and(|own| s < own)));
        // Over a connection that was used before, the window has grown.
        if used.count() > 0 {
            return (with - CHUNK) as f64 / self.rate;
        }
        let line = Direction { rate: self.rate * 1000.0, round_trip: duration(self.round_trip(load, request)) };
        (transfer(line, with).saturating_sub(transfer(line, CHUNK))).as_secs_f64() * 1000.0
    }

    /// Pauses of the server in a body: gaps between its parts that neither the line's turns nor a growing
    /// window explain.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn pauses(&self, load: &Load, request: &Request) -> Vec<Pause> {
        let trip = self.round_trip(load, request);
        let mut pauses = Vec::new();
        let mut before = 0u64;
        let mut last: Option<Millis> = None;
        for part in &request.parts {
            if let Some(last) = last {
                let gap = part.at.0 - last.0;
                let own = if self.rate > 0.0 { part.bytes.0 as f64 / self.rate } else { 0.0 };
                let first = self.came.partition_point(|c| c.0 <= last.0);
                let others: u64 = self.came[first..]
                    .iter()
                    .take_while(|c| c.0 < part.at.0)
                    .filter(|c| c.3 != request.id.0)
                    .map(|c| c.1)
                    .sum();
                let busy = if self.rate > 0.0 { others as f64 / self.rate } else { 0.0 };
                let idle = gap - own - busy;
                if idle > trip + GAP {
                    pauses.push(Pause { after: before, until: part.at, pause: duration(idle) });
                }
            }
            before += part.bytes.0;
            last = Some(part.at);
        }
        pauses
    }

    /// For how long the line carried the bytes of each other request between two moments, longest first;
    /// nothing where the line's rate is not known.
    #[must_use]
    pub fn others(&self, request: &Request, from: Millis, to: Millis) -> Vec<(RequestId, Millis)> {
        self.carried(from, to, |_, id| id != request.id.0)
    }

    /// The same of those alone that share its connection: they go before its answer.
    #[must_use]
    pub fn ahead(&self, request: &Request, from: Millis, to: Millis) -> Vec<(RequestId, Millis)> {
        if self.rate <= 0.0 {
            return Vec::new();
        }
        self.carried(from.max(Millis(self.busy_since(to.0))), to, |connection, id| {
            id != request.id.0 && connection.is_some() && connection == request.connection
        })
    }

    #[allow(clippy::cast_precision_loss)]
    fn carried(&self, from: Millis, to: Millis, counts: impl Fn(Option<u64>, u32) -> bool) -> Vec<(RequestId, Millis)> {
        if self.rate <= 0.0 {
            return Vec::new();
        }
        let first = self.came.partition_point(|c| c.0 <= from.0);
        let mut bytes: BTreeMap<u32, u64> = BTreeMap::new();
        let within = self.came[first..].iter().take_while(|c| c.0 <= to.0);
        for (_, more, _, id) in within.filter(|c| counts(c.2, c.3)) {
            *bytes.entry(*id).or_default() += more;
        }
        let time = |(id, bytes): (u32, u64)| (RequestId(id), Millis(bytes as f64 / self.rate));
        let mut times: Vec<(RequestId, Millis)> = bytes.into_iter().map(time).collect();
        times.sort_by(|a, b| b.1.order(&a.1));
        times
    }
}

/// A part in the pieces in which the line carried it, each with when it had come: a browser may tell of some hundred kB
/// at once.
#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn pieces(part: &BodyPart, rate: f64) -> impl Iterator<Item = (f64, u64)> {
    let (at, bytes) = (part.at.0, part.bytes.0);
    // What a line without a rate carries came at once.
    let (record, takes) = if rate > 0.0 { (RECORD as u64, 1.0 / rate) } else { (bytes.max(1), 0.0) };
    (0..bytes.div_ceil(record)).map(move |piece| {
        let after = piece * record;
        (at - after as f64 * takes, (bytes - after).min(record))
    })
}

fn duration(ms: f64) -> Duration {
    Duration::try_from_secs_f64(ms.max(0.0) / 1000.0).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{BodyPart, Bytes, ResourceKind, preset};

    /// On the move: 120 ms there and back, 500 bytes a millisecond.
    fn load(requests: Vec<Request>) -> Load {
        let mut load = Load::empty("http://a.test/");
        load.conditions = preset("phone-on-the-move");
        load.requests = requests;
        load
    }

    fn request(id: u32, sent: f64, first: f64, connection: u64, parts: &[(f64, u64)]) -> Request {
        let mut request = Request::new(id, &format!("http://a.test/{id}"), ResourceKind::Script);
        (request.sent, request.first_byte) = (Some(Millis(sent)), Some(Millis(first)));
        request.connection = Some(connection);
        request.parts = parts.iter().map(|(at, bytes)| BodyPart { at: Millis(*at), bytes: Bytes(*bytes) }).collect();
        request
    }

    #[test]
    fn what_the_way_took_is_not_the_servers() {
        let load = load(vec![request(0, 10.0, 430.0, 1, &[])]);
        assert_eq!(Line::of(&load).wait(&load, &load.requests[0]).as_millis(), 300);
        let load = self::load(vec![request(0, 10.0, 100.0, 1, &[])]);
        assert_eq!(Line::of(&load).wait(&load, &load.requests[0]), Duration::ZERO);
    }

    #[test]
    fn bytes_before_it_in_its_own_connection_are_not_the_servers_either() {
        // 100 kB of another response in the same connection took 200 of the 300 ms.
        let own =
            load(vec![request(0, 10.0, 430.0, 1, &[]), request(1, 0.0, 100.0, 1, &[(300.0, 50_000), (420.0, 50_000)])]);
        assert_eq!(Line::of(&own).wait(&own, &own.requests[0]).as_millis(), 100);
        // In another connection they take turns with it: two segments of it go before the first byte.
        let other =
            load(vec![request(0, 10.0, 430.0, 1, &[]), request(1, 0.0, 100.0, 2, &[(300.0, 50_000), (420.0, 50_000)])]);
        assert_eq!(Line::of(&other).wait(&other, &other.requests[0]).as_millis(), 294);
    }

    #[test]
    fn an_answer_that_comes_when_the_line_has_rested_waited_for_its_server_alone() {
        let early = [(300.0, 50_000), (400.0, 50_000)];
        let late = load(vec![request(0, 10.0, 1_130.0, 1, &[]), request(1, 0.0, 100.0, 1, &early)]);
        let line = Line::of(&late);
        assert_eq!(line.wait(&late, &late.requests[0]).as_millis(), 1_000);
        assert_eq!(line.ahead(&late.requests[0], Millis(10.0), Millis(1_130.0)), []);
        // Right behind them it may have been ready all the while.
        let behind = load(vec![request(0, 10.0, 430.0, 1, &[]), request(1, 0.0, 100.0, 1, &early)]);
        let ahead = Line::of(&behind).ahead(&behind.requests[0], Millis(10.0), Millis(430.0));
        assert_eq!(ahead, [(RequestId(1), Millis(200.0))]);
    }

    #[test]
    fn the_line_does_not_rest_while_a_body_is_on_its_way() {
        // No bytes are told of for 150 ms, which is longer than a rest and no longer than what a window may take to grow.
        let ahead = |parts: &[(f64, u64)]| {
            let load = load(vec![request(0, 10.0, 730.0, 1, &[]), request(1, 0.0, 100.0, 1, parts)]);
            let ahead = Line::of(&load).ahead(&load.requests[0], Millis(10.0), Millis(730.0));
            ahead.iter().map(|(_, took)| took.0).sum::<f64>()
        };
        assert_eq!(ahead(&[(400.0, 50_000), (580.0, 15_000), (700.0, 40_000)]), 210.0);
        // After a longer gap the server had made a pause.
        assert_eq!(ahead(&[(300.0, 50_000), (580.0, 15_000), (700.0, 40_000)]), 110.0);
    }

    #[test]
    fn headers_that_waited_for_the_record_they_came_in_are_not_the_servers() {
        // 16 kB at once are more than a new connection may send in one round: its second takes 120 ms more.
        let fresh = load(vec![request(0, 10.0, 430.0, 1, &[(430.0, 16_384), (450.0, 10_000)])]);
        let wait = Line::of(&fresh).wait(&fresh, &fresh.requests[0]).as_millis();
        assert!((165..=185).contains(&wait), "{wait}");
        assert!(Line::came_together(&fresh.requests[0]));
        // Headers that came by themselves did not wait for the body.
        let apart = load(vec![request(0, 10.0, 430.0, 1, &[(438.0, 16_384), (450.0, 10_000)])]);
        assert_eq!(Line::of(&apart).wait(&apart, &apart.requests[0]).as_millis(), 300);
        assert!(!Line::came_together(&apart.requests[0]));
    }

    #[test]
    fn a_body_that_came_in_the_servers_rhythm_keeps_it() {
        let trickled = load(vec![request(0, 0.0, 200.0, 1, &[(200.0, 1_000), (700.0, 500), (710.0, 500)])]);
        let pauses = Line::of(&trickled).pauses(&trickled, &trickled.requests[0]);
        assert_eq!(pauses.iter().map(|p| (p.after, p.pause.as_millis())).collect::<Vec<_>>(), [(1_000, 499)]);
        // The same gap while another response had the line is none of the server's.
        let shared = load(vec![
            request(0, 0.0, 200.0, 1, &[(200.0, 1_000), (700.0, 500)]),
            request(1, 0.0, 200.0, 2, &[(450.0, 120_000), (690.0, 120_000)]),
        ]);
        assert!(Line::of(&shared).pauses(&shared, &shared.requests[0]).is_empty());
    }
}
