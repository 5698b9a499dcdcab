//! The return visit beside the first: what the cache gave, what was asked again, and which header
//! decided it.
//!
//! Source: RFC 9111 (HTTP Caching), sections 3 (what may be stored), 4.2 (freshness) and 4.3
//! (validation).

use crate::{Bytes, CacheSource, Load, Request, RequestId};
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
    pub why: String,
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
    let mut before: HashMap<(&str, &str), Vec<&Request>> = HashMap::new();
    for request in first.requests.iter().rev().filter(|r| r.is_network()) {
        before.entry((&request.method, &request.url)).or_default().push(request);
    }
    let mut rows = Vec::new();
    for request in again.requests.iter().filter(|r| r.is_network()) {
        let was = before.get_mut(&(&*request.method, &*request.url)).and_then(Vec::pop);
        let (outcome, header, why) = judge(was, request);
        rows.push(ReturnRow {
            url: request.url.to_string(),
            first: was.map(|r| r.id),
            again: Some(request.id),
            outcome,
            header,
            why,
            first_bytes: was.and_then(|r| r.transferred),
            again_bytes: request.transferred,
        });
    }
    for request in before.into_values().flatten() {
        rows.push(ReturnRow {
            url: request.url.to_string(),
            first: Some(request.id),
            again: None,
            outcome: Outcome::OnlyThen,
            header: None,
            why: "It was not asked for on the return visit.".into(),
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

/// The directives of `Cache-Control`, in lower case.
fn directives(request: &Request) -> Vec<String> {
    let all = request.response_headers.iter().filter(|h| h.name.eq_ignore_ascii_case("cache-control"));
    all.flat_map(|h| h.value.split(',')).map(|d| d.trim().to_ascii_lowercase()).filter(|d| !d.is_empty()).collect()
}

fn sent(request: &Request, name: &str) -> Option<String> {
    request.header(name).map(|value| format!("{name}: {value}"))
}

fn judge(was: Option<&Request>, now: &Request) -> (Outcome, Option<String>, String) {
    // What the browser went by are the headers of the copy that it had kept.
    let kept = was.unwrap_or(now);
    let rules = directives(kept);
    let has = |name: &str| rules.iter().any(|d| d == name || d.starts_with(&format!("{name}=")));
    let seconds = |name: &str| {
        rules.iter().find_map(|d| d.strip_prefix(name)?.strip_prefix('=')?.trim_matches('"').parse::<u64>().ok())
    };
    let control = sent(kept, "cache-control");
    let validator = sent(kept, "etag").or_else(|| sent(kept, "last-modified"));
    match now.cache {
        Some(CacheSource::ServiceWorker) => {
            return (Outcome::FromCache, None, "A service worker of the site answered it.".into());
        }
        Some(CacheSource::Memory | CacheSource::Disk) => {
            let why = match seconds("max-age") {
                Some(age) => format!("It may be kept for {}, and that had not passed.", span(age)),
                None if sent(kept, "expires").is_some() => "Its expiry date had not come.".into(),
                None if sent(kept, "last-modified").is_some() => {
                    "No lifetime is set; the browser went by how long the file had not changed.".into()
                }
                None => "The browser had it already; no header says for how long.".into(),
            };
            let header = control.or_else(|| sent(kept, "expires")).or_else(|| sent(kept, "last-modified"));
            return (Outcome::FromCache, header, why);
        }
        Some(CacheSource::Revalidated) => {
            let why = if has("no-cache") {
                "It may be kept, but must be asked about each time.".to_owned()
            } else if let Some(age) = seconds("max-age") {
                format!("It may be kept for {}; after that it is asked about.", span(age))
            } else {
                "No lifetime is set, so it was asked about.".into()
            };
            return (Outcome::Revalidated, control.or(validator), why);
        }
        None => {}
    }
    if was.is_none() {
        return (Outcome::OnlyNow, None, "The first visit did not ask for this address.".into());
    }
    let why = if !matches!(&*now.method, "GET" | "HEAD") {
        return (Outcome::Again, None, format!("Answers to {} are not kept.", now.method));
    } else if now.failed.is_some() || kept.failed.is_some() {
        return (Outcome::Again, None, "It failed, so there was nothing to keep.".into());
    } else if has("no-store") {
        "It must not be kept.".to_owned()
    } else if kept.header("vary").is_some_and(|v| v.contains('*')) {
        return (Outcome::Again, sent(kept, "vary"), "A kept copy may not be used for another request.".into());
    } else if has("no-cache") {
        match &validator {
            Some(_) => "It must be asked about each time, and it had changed.".into(),
            None => "It must be asked about each time, and there is neither ETag nor Last-Modified to ask with.".into(),
        }
    } else if let Some(age) = seconds("max-age") {
        match &validator {
            _ if age > 0 && age < 3_600 => {
                format!("It may be kept for {} only, and that had passed or the browser had dropped it.", span(age))
            }
            _ if age > 0 => {
                format!("It may be kept for {}, and was asked for all the same: the browser had dropped it.", span(age))
            }
            Some(_) => "It may not be used without asking, and it had changed.".into(),
            None => {
                "It may not be used without asking, and there is neither ETag nor Last-Modified to ask with.".into()
            }
        }
    } else if kept.header("expires").is_some() {
        return (Outcome::Again, sent(kept, "expires"), "Its expiry date had passed.".into());
    } else if control.is_none() && validator.is_none() {
        return (
            Outcome::Again,
            None,
            "No header says that it may be kept: neither Cache-Control nor Expires, ETag or Last-Modified.".into(),
        );
    } else {
        "The headers do not tell why.".into()
    };
    (Outcome::Again, control, why)
}

fn span(seconds: u64) -> String {
    match seconds {
        0..=119 => format!("{seconds} s"),
        120..=7_199 => format!("{} min", seconds / 60),
        7_200..=172_799 => format!("{} h", seconds / 3_600),
        _ => format!("{} days", seconds / 86_400),
    }
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
        assert!(row.why.contains("365 days"), "{}", row.why);
        let row = judged(&[("cache-control", "no-cache"), ("etag", "\"1\"")], Some(CacheSource::Revalidated));
        assert_eq!((row.outcome, row.header.as_deref()), (Outcome::Revalidated, Some("cache-control: no-cache")));
        let row = judged(&[("cache-control", "no-cache")], None);
        assert!(row.why.contains("neither ETag nor Last-Modified"), "{}", row.why);
        let row = judged(&[], None);
        assert!(row.header.is_none() && row.why.starts_with("No header says"), "{}", row.why);
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
