//! What the server and the way to it take.

use super::{CannotTry, Known, Tried, cannot, places};
use crate::book::{Book, host_of};
use phainon_core::Http;
use phainon_core::server_work::{ServerPart, server_times};
use phainon_core::{Millis, ResourceKey};
use std::time::Duration;

/// Has the server take so long for a file; as long as for its stored files where nothing is told.
pub fn faster(book: &mut Book, file: &ResourceKey, to: Option<Millis>) -> Tried {
    let places = places(book, file)?;
    let told = match to {
        Some(_) => Vec::new(),
        None => vec![said(stored_wait(book, &book.answers[places[0]].url).min(book.answers[places[0]].wait))],
    };
    for place in places {
        let stored = stored_wait(book, &book.answers[place].url);
        let to = to.map_or(stored, |ms| Duration::from_secs_f64(ms.0.max(0.0) / 1000.0));
        let answer = &mut book.answers[place];
        answer.wait = answer.wait.min(to);
        answer.pauses.clear();
    }
    Ok(told)
}

/// Has the document come from a page cache: as soon as the server hands out files that it has.
pub fn page_cache(book: &mut Book, file: &ResourceKey) -> Tried {
    faster(book, file, None)
}

fn said(wait: Duration) -> String {
    format!(
        "It is answered as soon as this server answers for files that it has: after {} ms and the way.",
        wait.as_millis()
    )
}

/// What the host of an address takes for what it only hands out: the median of its files that are no documents
/// and no data; 20 ms where it has none.
pub(super) fn stored_wait(book: &Book, url: &str) -> Duration {
    use phainon_core::ResourceKind as Kind;
    let host = host_of(url);
    let mut waits: Vec<Duration> = book
        .answers
        .iter()
        .filter(|a| matches!(a.kind, Kind::Style | Kind::Script | Kind::Image | Kind::Font) && host_of(&a.url) == host)
        .map(|a| a.wait)
        .collect();
    waits.sort();
    waits.get(waits.len() / 2).copied().unwrap_or(Duration::from_millis(20))
}

/// Has a part of the server's work take a share of its time, as far as spans or `Server-Timing` tell it.
pub fn takes(book: &mut Book, known: &Known<'_>, part: &ServerPart, share: f64) -> Tried {
    let times = server_times(known.prepared, part);
    let mut saved = 0.0;
    for answer in &mut book.answers {
        let Some(request) = answer.request.and_then(|id| known.prepared.load.request(id)) else { continue };
        let own = times[request.id.0 as usize].0;
        let less = own * (1.0 - share.clamp(0.0, 1.0));
        if less > 0.0 {
            saved += less;
            answer.wait = answer.wait.saturating_sub(Duration::from_secs_f64(less / 1000.0));
        }
    }
    if saved > 0.0 {
        return Ok(vec![format!("By the server's own word it takes {} less.", Millis(saved).text())]);
    }
    match part {
        ServerPart::Owner { owner } => cannot(format!("No response tells what {} took on the server.", owner.name)),
        ServerPart::Query { .. } => cannot("The server of this load told of no such query.".to_owned()),
    }
}

/// Has a host lie at another distance.
pub fn nearer(book: &mut Book, known: &Known<'_>, host: &str, round_trip: Millis) -> Tried {
    asked(book, host)?;
    let link = known.prepared.load.conditions.as_ref().map_or(0.0, phainon_core::Conditions::total_round_trip_ms);
    if round_trip.0 >= link {
        return cannot(format!(
            "{host} is no farther than that: the link's own round trip is {}.",
            Millis(link).text()
        ));
    }
    book.round_trips.insert(host.to_owned(), Duration::from_secs_f64(round_trip.0.max(0.0) / 1000.0));
    Ok(Vec::new())
}

/// Has a host speak HTTP/2.
pub fn http2(book: &mut Book, host: &str) -> Tried {
    asked(book, host)?;
    if !book.answers.iter().any(|a| host_of(&a.url).as_deref() == Some(host) && a.url.starts_with("https:")) {
        return cannot(format!("{host} was asked in the clear, and browsers speak HTTP/2 over TLS alone."));
    }
    if book.http_of(host) == Http::Second {
        return cannot(format!("{host} speaks HTTP/2 already."));
    }
    book.speaks.insert(host.to_owned(), Http::Second);
    Ok(Vec::new())
}

fn asked(book: &Book, host: &str) -> Result<(), CannotTry> {
    if book.hosts().contains(host) { Ok(()) } else { cannot(format!("This load asked {host} for nothing.")) }
}
