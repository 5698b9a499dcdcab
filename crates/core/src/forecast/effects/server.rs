//! What the server and the way to it take.

use super::super::change::Change;
use super::super::world::{Bond, Kind, Phase, START};
use super::{Effect, requests, unforeseen};
use crate::server_work::{ServerPart, server_times};
use crate::{Millis, Request, RequestId, ResourceKey, ResourceKind};
use std::collections::BTreeMap;

/// What a server takes to hand out a file where the load has none of it, in ms.
const STORED: f64 = 20.0;

/// Answers after so long; as for its stored files where nothing is told.
pub(super) fn faster(change: &mut Change<'_>, file: &ResourceKey, to: Option<Millis>) -> Effect {
    for id in requests(change, file)? {
        let way = change.world.round_trip;
        let own = own_wait(change, id);
        let to = to.map_or_else(|| stored(change, id), |to| to.0).min(own);
        let wait = way.min(change.world.transfers[id.0 as usize].wait) + to;
        change.wait_in_turn(id, wait);
    }
    Ok(())
}

/// The server's own part of a wait.
fn own_wait(change: &Change<'_>, id: RequestId) -> f64 {
    (change.world.transfers[id.0 as usize].wait - change.world.round_trip).max(0.0)
}

/// What a request's host takes for what it only hands out: the median.
fn stored(change: &Change<'_>, id: RequestId) -> f64 {
    let load = &change.ground.prepared.load;
    let host = load.request(id).and_then(Request::host);
    let kinds = [ResourceKind::Style, ResourceKind::Script, ResourceKind::Image, ResourceKind::Font];
    let stored = load.requests.iter().filter(|r| kinds.contains(&r.kind) && r.host() == host && r.first_byte.is_some());
    let mut waits: Vec<f64> = stored.map(|r| own_wait(change, r.id)).collect();
    waits.sort_by(f64::total_cmp);
    waits.get(waits.len() / 2).copied().unwrap_or(STORED)
}

/// A part of the server's work takes a share of its time, as far as spans or responses tell it.
pub(super) fn takes(change: &mut Change<'_>, part: &ServerPart, share: f64) -> Effect {
    let prepared = change.ground.prepared.clone();
    let mut saved = 0.0;
    for (request, own) in prepared.load.requests.iter().zip(server_times(&prepared, part)) {
        let own = own.0;
        let less = (own * (1.0 - share.clamp(0.0, 1.0))).min(own_wait(change, request.id));
        change.world.transfers[request.id.0 as usize].wait -= less;
        saved += less;
    }
    match part {
        _ if saved > 0.0 => Ok(()),
        ServerPart::Owner { owner } => unforeseen(format!("No response tells what {} took on the server.", owner.name)),
        ServerPart::Query { .. } => unforeseen("The server of this load told of no such query."),
    }
}

/// Each way there and back to a host is shorter.
pub(super) fn nearer(change: &mut Change<'_>, host: &str, round_trip: Millis) -> Effect {
    let less = change.world.round_trip - round_trip.0.max(0.0);
    if less <= 0.0 {
        return unforeseen(format!("{host} is no farther than that in these conditions."));
    }
    let mut pools: BTreeMap<u32, f64> = BTreeMap::new();
    for id in of_host(change, host)? {
        let transfer = &mut change.world.transfers[id.0 as usize];
        transfer.wait = (transfer.wait - less).max(0.0);
        let connects = change.world.moment(Phase::Connected.of(id)).lag;
        // TCP takes one round trip, TLS one more.
        let trips =
            if change.ground.prepared.load.request(id).is_some_and(|r| r.tls_start.is_some()) { 2.0 } else { 1.0 };
        if connects > 0.0 {
            change.world.set_lag(Phase::Connected.of(id), (connects - less * trips).max(0.0));
        }
        if let Some(seat) = &mut change.world.seats[id.0 as usize] {
            seat.opens = seat.opens.map(|opens| (opens - less * trips).max(0.0));
            // Of those that come over a connection that was open the handshake is not told.
            let most = pools.entry(seat.pool).or_default();
            *most = most.max(less * trips);
        }
    }
    for (pool, less) in pools {
        let pool = &mut change.world.pools[pool as usize];
        pool.opens = (pool.opens - less).max(0.0);
    }
    Ok(())
}

fn of_host(change: &Change<'_>, host: &str) -> Result<Vec<RequestId>, super::Unforeseen> {
    let load = &change.ground.prepared.load;
    let found: Vec<RequestId> =
        load.requests.iter().filter(|r| r.host().as_deref() == Some(host)).map(|r| r.id).collect();
    if found.is_empty() { unforeseen(format!("The load asked {host} for nothing.")) } else { Ok(found) }
}

/// The first connection to a host is opened with the document's first bytes.
pub(super) fn preconnect(change: &mut Change<'_>, host: &str) -> Effect {
    let load = change.ground.prepared.load.clone();
    let document = load.document().map(|d| d.id);
    let first =
        of_host(change, host)?.into_iter().filter(|id| load.request(*id).is_some_and(|r| r.connect_end.is_some()));
    let first = first.min_by(|a, b| {
        let at = |id: &RequestId| change.world.moment(Phase::Connecting.of(*id)).at;
        at(a).total_cmp(&at(b))
    });
    let (Some(first), Some(document)) = (first, document) else {
        return unforeseen(format!("The load opened no connection to {host}."));
    };
    let connecting = Phase::Connecting.of(first);
    let asked = change.world.moment(Phase::Answered.of(document)).at;
    if change.world.moment(connecting).at <= asked {
        return unforeseen(format!("The connection to {host} is opened with the document already."));
    }
    if let Some(seat) = change.world.seats[first.0 as usize] {
        let opens = change.world.add(Kind::Opens(seat.pool), asked);
        change.world.need(opens, Phase::Answered.of(document), Bond::Gate);
        return Ok(());
    }
    for need in &mut change.world.needs {
        need.void |= need.moment == connecting;
    }
    change.world.need(connecting, Phase::Answered.of(document), Bond::Gate);
    change.world.set_lag(connecting, 0.0);
    // It is sent when it is asked for as well.
    change.world.need(Phase::Sent.of(first), Phase::Asked.of(first), Bond::Origin);
    Ok(())
}

/// A third party's file comes over the document's connection.
pub(super) fn self_host(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let load = change.ground.prepared.load.clone();
    let Some(document) = load.document().map(|d| d.id) else {
        return unforeseen("Which request brought the document is not told.");
    };
    for id in requests(change, file)? {
        let connection = change.world.transfers[document.0 as usize].connection;
        if change.join_pool(id, document) {
            // It waits for one of the page's own.
        } else if load.document().is_some_and(super::super::moments::multiplexed) {
            change.world.transfers[id.0 as usize].connection = connection;
            // It waits for no connection, neither its own nor one that another file of its host opens.
            change.leave_pool(id);
            let (asked, sent) = (Phase::Asked.of(id), Phase::Sent.of(id));
            for i in change.needs_of(sent) {
                change.world.needs[i].void |= change.world.needs[i].on != asked;
            }
            change.world.need(sent, asked, Bond::Origin);
            change.world.set_lag(sent, 0.0);
        }
        let way = change.world.round_trip;
        let own = own_wait(change, id).min(stored(change, document));
        change.world.transfers[id.0 as usize].wait = way + own;
        for phase in [Phase::Connecting, Phase::Connected] {
            change.world.set_lag(phase.of(id), 0.0);
        }
    }
    Ok(())
}

/// The page names the target of a redirect.
pub(super) fn drop_redirect(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let load = change.ground.prepared.load.clone();
    let mut dropped = 0;
    for id in requests(change, file)? {
        let Some(request) = load.request(id) else { continue };
        let (first, last) = (load.first_hop(request).id, load.last_hop(request).id);
        if first == last {
            continue;
        }
        dropped += 1;
        // The last hop is asked for when the first one was.
        let (from, to) = (Phase::Asked.of(first), Phase::Asked.of(last));
        for need in &mut change.world.needs {
            if need.moment == to {
                need.void = true;
            }
        }
        let of_first: Vec<_> = change.world.needs.iter().filter(|n| n.moment == from && !n.void).copied().collect();
        for need in of_first {
            change.world.need(to, need.on, need.bond);
        }
        if change.world.needs.iter().all(|n| n.moment != to || n.void) {
            change.world.need(to, START, Bond::Gate);
        }
        let lag = change.world.moment(from).lag;
        change.world.set_lag(to, lag);
        let hops: Vec<RequestId> =
            load.requests.iter().filter(|r| r.id != last && load.last_hop(r).id == last).map(|r| r.id).collect();
        for hop in hops {
            change.world.transfers[hop.0 as usize].bytes = 0.0;
            for phase in Phase::ALL {
                change.world.moment_mut(phase.of(hop)).gone = true;
            }
        }
    }
    if dropped == 0 { unforeseen(format!("{file} is not behind a redirect.")) } else { Ok(()) }
}

/// A host's files share one connection and wait for none of each other.
pub(super) fn http2(change: &mut Change<'_>, host: &str) -> Effect {
    let load = change.ground.prepared.load.clone();
    let found = of_host(change, host)?;
    let old = |id: &RequestId| load.request(*id).is_some_and(|r| !super::super::moments::multiplexed(r));
    let found: Vec<RequestId> = found.into_iter().filter(old).collect();
    let Some(first) = found.iter().copied().find(|id| load.request(*id).is_some_and(|r| r.connect_end.is_some()))
    else {
        return unforeseen(format!("{host} is served over HTTP/2 already."));
    };
    let connection = change.world.transfers[first.0 as usize].connection;
    change.leave_pool(first);
    for id in found.into_iter().filter(|id| *id != first) {
        change.never_held(id);
        change.leave_pool(id);
        change.world.transfers[id.0 as usize].connection = connection;
        let sent = Phase::Sent.of(id);
        for need in &mut change.world.needs {
            need.void |= need.moment == sent && need.on != Phase::Connected.of(id) && need.on != Phase::Asked.of(id);
        }
        for phase in [Phase::Connecting, Phase::Connected] {
            change.world.set_lag(phase.of(id), 0.0);
        }
        change.world.need(sent, Phase::Connected.of(first), Bond::Gate);
    }
    Ok(())
}
