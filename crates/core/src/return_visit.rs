//! The return visit beside the first: what the cache gave, what was asked again, and which header
//! decided it.
//!
//! Source: RFC 9111 (HTTP Caching), sections 3 (what may be stored), 4.2 (freshness) and 4.3
//! (validation).

use crate::cache_control::CacheControl;
use crate::{Bytes, CacheSource, Load, Request, RequestId, ResourceKey};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use ts_rs::TS;

/// How a request fared on the return visit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Outcome {
    /// Downloaded again.
    Again,
    /// Asked for; the server answered that the kept copy is good.
    Revalidated,
    /// Taken from the cache without asking.
    FromCache,
    /// Asked for on the return visit only.
    OnlyNow,
    /// Asked for on the first visit only.
    OnlyThen,
}

/// Why a request fared so; [`crate::words::return_reason`] says it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(tag = "code", rename_all = "snake_case")]
#[ts(export_to = "types.ts", rename = "ReturnReason")]
#[allow(missing_docs)]
pub enum Reason {
    ServiceWorker,
    StillFresh {
        #[ts(type = "number")]
        seconds: u64,
    },
    NotYetExpired,
    GuessedFresh,
    HadIt,
    AskEachTime,
    AskedAfter {
        #[ts(type = "number")]
        seconds: u64,
    },
    AskedWithoutLifetime,
    NewNow,
    GoneNow,
    Method {
        method: String,
    },
    Failed,
    NoStore,
    Varies,
    AskEachTimeChanged,
    AskEachTimeNothingToAskWith,
    ShortLifetime {
        #[ts(type = "number")]
        seconds: u64,
    },
    Dropped {
        #[ts(type = "number")]
        seconds: u64,
    },
    NotWithoutAskingChanged,
    NotWithoutAskingNothingToAskWith,
    Expired,
    NoHeader,
    NotTold,
}

/// One request of either visit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ReturnRow {
    /// Its address on the return visit, or on the first.
    pub url: String,
    /// In the first visit.
    pub first: Option<RequestId>,
    /// In the return visit.
    pub again: Option<RequestId>,
    /// How it fared.
    pub outcome: Outcome,
    /// The header that decided it, as it was sent: `cache-control: max-age=600`.
    pub header: Option<String>,
    /// What that header made the browser do.
    pub reason: Reason,
    /// Bytes over the line on the first visit.
    pub first_bytes: Option<Bytes>,
    /// Bytes over the line on the return visit.
    pub again_bytes: Option<Bytes>,
}

/// Both visits side by side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ReturnVisit {
    /// What was downloaded again first, heaviest first.
    pub rows: Vec<ReturnRow>,
    pub first_bytes: Bytes,
    pub again_bytes: Bytes,
    pub from_cache: u32,
    pub revalidated: u32,
    pub again: u32,
}

/// Compares a return visit with the first one before it.
#[must_use]
pub fn return_visit(first: &Load, again: &Load) -> ReturnVisit {
    // By the very address first: that is what the browser's cache goes by. What is left is matched by
    // resource, since a cache buster makes every visit's address another.
    let of = |load: &'_ Load| load.requests.iter().filter(|r| r.is_network()).cloned().collect::<Vec<Request>>();
    let (firsts, agains) = (of(first), of(again));
    let mut left: Vec<Option<&Request>> = firsts.iter().map(Some).collect();
    let mut matched: Vec<Option<&Request>> = vec![None; agains.len()];
    match_up(&mut left, &agains, &mut matched, |r| (r.method.clone(), r.url.to_string()));
    match_up(&mut left, &agains, &mut matched, |r| (r.method.clone(), ResourceKey::of(&r.url).to_string()));
    let mut rows = Vec::new();
    for (request, was) in agains.iter().zip(matched) {
        let (outcome, header, reason) = judge(was, request);
        rows.push(ReturnRow {
            url: request.url.to_string(),
            first: was.map(|r| r.id),
            again: Some(request.id),
            outcome,
            header,
            reason,
            first_bytes: was.and_then(|r| r.transferred),
            again_bytes: request.transferred,
        });
    }
    for request in left.into_iter().flatten() {
        rows.push(ReturnRow {
            url: request.url.to_string(),
            first: Some(request.id),
            again: None,
            outcome: Outcome::OnlyThen,
            header: None,
            reason: Reason::GoneNow,
            first_bytes: request.transferred,
            again_bytes: None,
        });
    }
    let bytes = |row: &ReturnRow| row.again_bytes.or(row.first_bytes).unwrap_or_default();
    rows.sort_by(|a, b| a.outcome.cmp(&b.outcome).then(bytes(b).cmp(&bytes(a))).then(a.url.cmp(&b.url)));
    let count = |outcome| u32::try_from(rows.iter().filter(|r| r.outcome == outcome).count()).unwrap_or(u32::MAX);
    ReturnVisit {
        first_bytes: rows.iter().filter_map(|r| r.first_bytes).sum(),
        again_bytes: rows.iter().filter_map(|r| r.again_bytes).sum(),
        from_cache: count(Outcome::FromCache),
        revalidated: count(Outcome::Revalidated),
        again: count(Outcome::Again) + count(Outcome::OnlyNow),
        rows,
    }
}

/// Gives each request of the return visit that has none yet the first one left of the first visit
/// with the same key.
fn match_up<'a>(
    left: &mut [Option<&'a Request>],
    agains: &[Request],
    matched: &mut [Option<&'a Request>],
    key: impl Fn(&Request) -> (String, String),
) {
    let mut by_key: HashMap<(String, String), Vec<usize>> = HashMap::new();
    for (place, request) in left.iter().enumerate().rev() {
        if let Some(request) = request {
            by_key.entry(key(request)).or_default().push(place);
        }
    }
    for (request, was) in agains.iter().zip(matched).filter(|(_, was)| was.is_none()) {
        if let Some(place) = by_key.get_mut(&key(request)).and_then(Vec::pop) {
            *was = left[place].take();
        }
    }
}

fn sent(request: &Request, name: &str) -> Option<String> {
    request.header(name).map(|value| format!("{name}: {value}"))
}

fn judge(was: Option<&Request>, now: &Request) -> (Outcome, Option<String>, Reason) {
    // What the browser went by are the headers of the copy that it had kept.
    let kept = was.unwrap_or(now);
    let rules = CacheControl::of(kept);
    let control = sent(kept, "cache-control");
    let validator = sent(kept, "etag").or_else(|| sent(kept, "last-modified"));
    match now.cache {
        Some(CacheSource::ServiceWorker) => return (Outcome::FromCache, None, Reason::ServiceWorker),
        Some(CacheSource::Memory | CacheSource::Disk) => {
            let why = match rules.max_age {
                Some(seconds) => Reason::StillFresh { seconds },
                None if sent(kept, "expires").is_some() => Reason::NotYetExpired,
                None if sent(kept, "last-modified").is_some() => Reason::GuessedFresh,
                None => Reason::HadIt,
            };
            let header = control.or_else(|| sent(kept, "expires")).or_else(|| sent(kept, "last-modified"));
            return (Outcome::FromCache, header, why);
        }
        Some(CacheSource::Revalidated) => {
            let why = match rules.max_age {
                _ if rules.no_cache => Reason::AskEachTime,
                Some(seconds) => Reason::AskedAfter { seconds },
                None => Reason::AskedWithoutLifetime,
            };
            return (Outcome::Revalidated, control.or(validator), why);
        }
        None => {}
    }
    if was.is_none() {
        return (Outcome::OnlyNow, None, Reason::NewNow);
    }
    if !matches!(&*now.method, "GET" | "HEAD") {
        return (Outcome::Again, None, Reason::Method { method: now.method.clone() });
    }
    if now.failed.is_some() || kept.failed.is_some() {
        return (Outcome::Again, None, Reason::Failed);
    }
    let why = match (rules.max_age, validator.is_some()) {
        _ if rules.no_store => Reason::NoStore,
        _ if kept.header("vary").is_some_and(|v| v.contains('*')) => {
            return (Outcome::Again, sent(kept, "vary"), Reason::Varies);
        }
        (_, true) if rules.no_cache => Reason::AskEachTimeChanged,
        (_, false) if rules.no_cache => Reason::AskEachTimeNothingToAskWith,
        (Some(seconds @ 1..3_600), _) => Reason::ShortLifetime { seconds },
        (Some(seconds @ 3_600..), _) => Reason::Dropped { seconds },
        (Some(_), true) => Reason::NotWithoutAskingChanged,
        (Some(_), false) => Reason::NotWithoutAskingNothingToAskWith,
        (None, _) if kept.header("expires").is_some() => {
            return (Outcome::Again, sent(kept, "expires"), Reason::Expired);
        }
        (None, false) if control.is_none() => return (Outcome::Again, None, Reason::NoHeader),
        (None, _) => Reason::NotTold,
    };
    (Outcome::Again, control, why)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Header, ResourceKind};

    fn request(id: u32, url: &str, headers: &[(&str, &str)], cache: Option<CacheSource>) -> Request {
        let mut request = Request::new(id, url, ResourceKind::Script);
        request.response_headers =
            headers.iter().map(|(n, v)| Header { name: (*n).into(), value: (*v).into() }).collect();
        request.cache = cache;
        request.transferred = Some(Bytes(if cache.is_some() { 0 } else { 1_000 }));
        request
    }

    fn judged(headers: &[(&str, &str)], cache: Option<CacheSource>) -> ReturnRow {
        let (mut first, mut again) = (Load::empty("http://a.test/"), Load::empty("http://a.test/"));
        first.requests.push(request(0, "http://a.test/a.js", headers, None));
        again.requests.push(request(0, "http://a.test/a.js", headers, cache));
        return_visit(&first, &again).rows.remove(0)
    }

    #[test]
    fn the_header_that_decided_is_named() {
        let row = judged(&[("cache-control", "no-store")], None);
        assert_eq!((row.outcome, row.header.as_deref()), (Outcome::Again, Some("cache-control: no-store")));
        let row = judged(&[("cache-control", "public, max-age=31536000, immutable")], Some(CacheSource::Disk));
        assert_eq!(row.outcome, Outcome::FromCache);
        assert_eq!(row.reason, Reason::StillFresh { seconds: 31_536_000 });
        assert!(crate::words::return_reason(&row.reason).contains("365 days"));
        let row = judged(&[("cache-control", "no-cache"), ("etag", "\"1\"")], Some(CacheSource::Revalidated));
        assert_eq!((row.outcome, row.header.as_deref()), (Outcome::Revalidated, Some("cache-control: no-cache")));
        let row = judged(&[("cache-control", "no-cache")], None);
        assert_eq!(row.reason, Reason::AskEachTimeNothingToAskWith);
        let row = judged(&[], None);
        assert_eq!((row.header, row.reason), (None, Reason::NoHeader));
    }

    #[test]
    fn a_request_made_twice_is_matched_twice_and_no_byte_is_lost() {
        let (mut first, mut again) = (Load::empty("http://a.test/"), Load::empty("http://a.test/"));
        for id in 0..2 {
            first.requests.push(request(id, "http://a.test/visit", &[("cache-control", "no-store")], None));
        }
        first.requests.push(request(2, "http://a.test/gone.js", &[], None));
        for id in 0..3 {
            again.requests.push(request(id, "http://a.test/visit", &[("cache-control", "no-store")], None));
        }
        let visit = return_visit(&first, &again);
        let outcomes: Vec<_> = visit.rows.iter().map(|r| r.outcome).collect();
        assert_eq!(outcomes, [Outcome::Again, Outcome::Again, Outcome::OnlyNow, Outcome::OnlyThen]);
        assert_eq!((visit.first_bytes, visit.again_bytes), (Bytes(3_000), Bytes(3_000)));
    }
}
