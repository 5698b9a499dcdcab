//! The order in which a server sends over one connection of HTTP/2: which answers went before which, and
//! holding them to it.

use phainon_core::Http;
use phainon_core::{Line, Load, Request, RequestId};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::Notify;

/// An answer that came while another waited went before it if that one got less than this share of its own
/// bytes meanwhile.
const SHARED: f64 = 0.05;

/// The answers that went before another on its connection.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Before {
    /// Before its headers.
    pub headers: Vec<RequestId>,
    /// Before its body, or the rest of it.
    pub body: Vec<RequestId>,
}

/// Who sends what when over the connections of a load.
pub struct Order<'a> {
    load: &'a Load,
    /// When each request's server had its answer, by what the line tells, in ms.
    ready: Vec<f64>,
    /// Connections on which an answer was put before one that had been ready for longer.
    sorted: BTreeSet<u64>,
}

impl<'a> Order<'a> {
    /// As a load tells it.
    #[must_use]
    pub fn of(load: &'a Load, line: &Line) -> Self {
        let ready =
            |r: &Request| r.sent.map_or(f64::INFINITY, |sent| sent.0 + line.wait(load, r).as_secs_f64() * 1000.0);
        let ready: Vec<f64> = load.requests.iter().map(ready).collect();
        let mut order = Self { load, ready, sorted: BTreeSet::new() };
        let put_before = |one: &Request, other: &Request| {
            one.sent.is_some_and(|sent| order.ready(other) < sent.0) && went_before(one, other)
        };
        let sorts = |r: &&Request| order.of_connection(r).any(|other| put_before(other, r));
        order.sorted = load.requests.iter().filter(sorts).filter_map(|r| r.connection).collect();
        order
    }

    /// The answers that went before a request's on its connection while it waited. An answer that goes before
    /// another is over before it, so no two wait for each other. Who was ready before the other was asked for goes
    /// first by itself, unless its server sorts what it sends: an edit that has the other asked for sooner need not
    /// keep to that.
    #[must_use]
    pub fn before(&self, request: &Request) -> Before {
        let (Some(sent), Some(last)) = (request.sent, request.parts.last()) else { return Before::default() };
        let sorts = request.connection.is_some_and(|own| self.sorted.contains(&own));
        let before = self.of_connection(request).filter(|other| went_before(other, request));
        let before: Vec<&Request> = before.filter(|other| sorts || self.ready(other) >= sent.0).collect();
        let answered = request.final_headers.or(request.first_byte).unwrap_or(last.at);
        let over = |r: &&&Request| r.parts.last().is_some_and(|p| p.at <= answered);
        let ids = |requests: Vec<&Request>| requests.into_iter().map(|r| r.id).collect();
        Before { headers: ids(before.iter().filter(over).copied().collect()), body: ids(before) }
    }

    fn ready(&self, request: &Request) -> f64 {
        self.ready.get(request.id.0 as usize).copied().unwrap_or(f64::INFINITY)
    }

    /// The other requests of a request's connection, where it is one of HTTP/2.
    fn of_connection(&self, request: &Request) -> impl Iterator<Item = &'a Request> {
        let shares = request.connection.is_some() && Http::named(request.protocol.as_deref()) == Http::Second;
        let (connection, id) = (request.connection, request.id);
        self.load.requests.iter().filter(move |r| shares && r.connection == connection && r.id != id)
    }
}

/// Whether an answer went before another that waited for it.
#[allow(clippy::cast_precision_loss)]
fn went_before(one: &Request, other: &Request) -> bool {
    let (Some(sent), Some(last)) = (other.sent, other.parts.last()) else { return false };
    let (Some(first), Some(end)) = (one.parts.first(), one.parts.last()) else { return false };
    let ends_first = (end.at.0, one.id) < (last.at.0, other.id);
    if !ends_first || end.at < sent {
        return false;
    }
    let own: u64 = other.parts.iter().map(|p| p.bytes.0).sum();
    let while_waiting: u64 = one.parts.iter().filter(|p| p.at >= sent).map(|p| p.bytes.0).sum();
    let meanwhile = other.parts.iter().filter(|p| first.at < p.at && p.at < end.at);
    let meanwhile: u64 = meanwhile.map(|p| p.bytes.0).sum();
    while_waiting > 0 && meanwhile as f64 <= SHARED * own as f64
}

/// Which answers have been asked for and are not sent yet.
#[derive(Default)]
pub struct Turns {
    under_way: Mutex<BTreeMap<RequestId, u32>>,
    changed: Notify,
}

/// While it lives, an answer is under way.
pub struct Turn {
    turns: Arc<Turns>,
    who: RequestId,
}

impl Turns {
    /// Marks an answer as under way.
    pub fn take(self: &Arc<Self>, who: RequestId) -> Turn {
        *self.under_way.lock().unwrap_or_else(PoisonError::into_inner).entry(who).or_default() += 1;
        Turn { turns: self.clone(), who }
    }

    /// Returns once none of these is under way.
    pub async fn wait(&self, before: &[RequestId]) {
        loop {
            let changed = self.changed.notified();
            if !self.is_any_under_way(before) {
                return;
            }
            changed.await;
        }
    }

    fn is_any_under_way(&self, before: &[RequestId]) -> bool {
        let under_way = self.under_way.lock().unwrap_or_else(PoisonError::into_inner);
        before.iter().any(|who| under_way.contains_key(who))
    }
}

impl Turn {
    /// Among whom.
    pub fn turns(&self) -> &Turns {
        &self.turns
    }
}

impl Drop for Turn {
    fn drop(&mut self) {
        let mut under_way = self.turns.under_way.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(count) = under_way.get_mut(&self.who) {
            *count -= 1;
            if *count == 0 {
                under_way.remove(&self.who);
            }
        }
        drop(under_way);
        self.turns.changed.notify_waiters();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_core::{BodyPart, Bytes, Millis, ResourceKind};

    fn request(id: u32, sent: f64, parts: &[(f64, u64)]) -> Request {
        let mut request = Request::new(id, &format!("https://a.test/{id}"), ResourceKind::Image);
        request.sent = Some(Millis(sent));
        request.connection = Some(1);
        request.protocol = Some("h2".into());
        request.first_byte = parts.first().map(|(at, _)| Millis(*at));
        request.parts = parts.iter().map(|(at, bytes)| BodyPart { at: Millis(*at), bytes: Bytes(*bytes) }).collect();
        request
    }

    const NONE: &[u32] = &[];

    fn orders(requests: Vec<Request>) -> Vec<Vec<u32>> {
        let mut load = Load::empty("https://a.test/");
        load.requests = requests;
        let order = Order::of(&load, &Line::of(&load));
        load.requests.iter().map(|r| order.before(r).body.into_iter().map(|id| id.0).collect()).collect()
    }

    #[test]
    fn an_answer_that_had_the_connection_alone_goes_before_those_that_waited() {
        let one = request(0, 10.0, &[(100.0, 20_000), (200.0, 20_000)]);
        let two = request(1, 11.0, &[(210.0, 30_000), (300.0, 30_000)]);
        assert_eq!(orders(vec![one.clone(), two.clone()]), [NONE, &[0]]);
        // Asked for only once the first was over: nothing to keep.
        let later = request(1, 205.0, &[(310.0, 30_000)]);
        assert_eq!(orders(vec![one.clone(), later]), [NONE, NONE]);
        // On a connection of its own.
        let mut apart = two.clone();
        apart.connection = Some(2);
        assert_eq!(orders(vec![one, apart]), [NONE, NONE]);
    }

    #[test]
    fn answers_that_shared_it_do_not_wait_for_each_other() {
        let one = request(0, 10.0, &[(100.0, 20_000), (200.0, 20_000)]);
        let two = request(1, 11.0, &[(150.0, 20_000), (250.0, 20_000)]);
        assert_eq!(orders(vec![one, two]), [NONE, NONE]);
    }

    #[test]
    fn one_that_broke_in_goes_before_the_rest_of_the_other() {
        let long = request(0, 10.0, &[(100.0, 20_000), (300.0, 20_000)]);
        let urgent = request(1, 90.0, &[(110.0, 40_000), (200.0, 40_000)]);
        assert_eq!(orders(vec![long.clone(), urgent.clone()]), [&[1], NONE]);
        let mut load = Load::empty("https://a.test/");
        load.requests = vec![Request { first_byte: Some(Millis(99.0)), ..long }, urgent];
        let order = Order::of(&load, &Line::of(&load));
        assert_eq!(order.before(&load.requests[0]).headers, [], "its headers had gone");
    }

    #[test]
    fn who_was_ready_before_the_other_was_asked_for_goes_first_by_itself() {
        let one = request(0, 10.0, &[(100.0, 20_000), (400.0, 20_000)]);
        let two = request(1, 150.0, &[(410.0, 30_000), (600.0, 30_000)]);
        assert_eq!(orders(vec![one.clone(), two.clone()]), [NONE, NONE]);
        // A server that has put another, asked for later, before one that was ready sorts what it sends.
        let urgent = request(2, 420.0, &[(430.0, 40_000), (500.0, 40_000)]);
        let behind = request(3, 90.0, &[(95.0, 10), (610.0, 30_000)]);
        assert_eq!(orders(vec![one, two, urgent, behind]), [NONE, &[0, 2], NONE, &[0, 1, 2]]);
    }

    #[tokio::test]
    async fn who_waits_goes_on_when_the_last_of_those_before_it_has_gone() {
        let turns = Arc::new(Turns::default());
        turns.wait(&[RequestId(1)]).await;
        let (one, again) = (turns.take(RequestId(1)), turns.take(RequestId(1)));
        let waiting = tokio::spawn({
            let turns = turns.clone();
            async move { turns.wait(&[RequestId(1)]).await }
        });
        drop(one);
        tokio::task::yield_now().await;
        assert!(!waiting.is_finished());
        drop(again);
        waiting.await.expect("it goes on");
    }
}
