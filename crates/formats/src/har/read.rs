//! Reads a HAR, leniently: what others write differs.

use super::dates::{epoch_ms, rfc3339};
use crate::assemble::{HarPage, RawLoad};
use crate::figures::figure;
use crate::initiator;
use crate::renumber::renumber;
use crate::{BodyMap, FormatError, body_hash, redact};
use base64::Engine;
use phainon_core::{
    BodyRef, Bytes, CacheSource, Header, Initiator, InitiatorKind, Millis, Note, Request, RequestId, ResourceKind,
};
use serde_json::Value;

/// A HAR may hold this many entries at most.
const MAX_ENTRIES: usize = 100_000;

/// Reads a HAR: one load for each of its pages, at least one.
pub fn read(text: &[u8], name: &str) -> Result<(Vec<RawLoad>, BodyMap), FormatError> {
    let text = String::from_utf8_lossy(text);
    let har: Value = serde_json::from_str(&text).map_err(|e| FormatError::json(name, &e))?;
    let shape = |place: &str, found: &Value, wanted: &str| FormatError::Shape {
        name: name.to_owned(),
        place: place.to_owned(),
        found: kind_of(found).to_owned(),
        wanted: wanted.to_owned(),
    };
    let Some(log) = har.get("log") else {
        return Err(FormatError::NotKnown {
            name: name.to_owned(),
            why: "its JSON has neither a `log` (HAR) nor `traceEvents` (trace)".into(),
        });
    };
    if !log.is_object() {
        return Err(shape("log", log, "an object"));
    }
    let entries = match log.get("entries") {
        Some(Value::Array(entries)) => entries,
        other => return Err(shape("log.entries", other.unwrap_or(&Value::Null), "a list")),
    };
    if entries.is_empty() {
        return Err(FormatError::Nothing { name: name.to_owned(), why: "log.entries is empty".into() });
    }
    if entries.len() > MAX_ENTRIES {
        return Err(FormatError::TooLarge { name: name.to_owned(), limit: format!("{MAX_ENTRIES} entries") });
    }
    let mut notes = Vec::new();
    let places = text.matches('\u{fffd}').count();
    if places > 0 {
        notes.push(Note::HarNotUtf8 { places });
    }
    let pages: Vec<&Value> = log.get("pages").and_then(Value::as_array).map(|p| p.iter().collect()).unwrap_or_default();
    let browser = log.get("browser").and_then(|b| {
        Some(
            format!("{} {}", b.get("name")?.as_str()?, b.get("version").and_then(Value::as_str).unwrap_or(""))
                .trim()
                .to_owned(),
        )
    });
    // Entries of a page that is not listed, and those of none, go to the first page.
    let id_of = |page: &Value| page.get("id").and_then(Value::as_str).map(str::to_owned);
    let place_of = |entry: &Value| {
        let reference = entry.get("pageref").and_then(Value::as_str);
        pages.iter().position(|p| id_of(p).as_deref() == reference && reference.is_some()).unwrap_or(0)
    };
    let mut by_page: Vec<Vec<&Value>> = vec![Vec::new(); pages.len().max(1)];
    for entry in entries {
        by_page[place_of(entry)].push(entry);
    }
    let mut bodies = BodyMap::new();
    let mut loads = Vec::new();
    let filled = by_page.iter().filter(|e| !e.is_empty()).count();
    for (place, entries) in by_page.iter().enumerate().filter(|(_, e)| !e.is_empty()) {
        let mut notes = notes.clone();
        if filled > 1 {
            notes.push(Note::PageOf { number: loads.len() + 1, of: filled });
        }
        if let Some((requests, mut har_page)) = read_page(pages.get(place).copied(), entries, notes, &mut bodies) {
            har_page.browser.clone_from(&browser);
            loads.push(RawLoad {
                name: name.to_owned(),
                requests: Some(renumber(requests)),
                har_page,
                ..RawLoad::default()
            });
        }
    }
    if loads.is_empty() {
        return Err(FormatError::Nothing { name: name.to_owned(), why: "no entry has a request with a URL".into() });
    }
    Ok((loads, bodies))
}

/// One page's requests; `None` where no entry has a request.
fn read_page(
    page: Option<&Value>,
    entries: &[&Value],
    mut notes: Vec<Note>,
    bodies: &mut BodyMap,
) -> Option<(Vec<Request>, HarPage)> {
    let mut requests = Vec::new();
    let mut passed_over = 0usize;
    let mut undated = 0usize;
    let dated: Vec<(Option<f64>, &Value)> =
        entries.iter().map(|e| (e.get("startedDateTime").and_then(Value::as_str).and_then(epoch_ms), *e)).collect();
    let first = dated.iter().filter_map(|(at, _)| *at).fold(f64::INFINITY, f64::min);
    let page_start = page.and_then(|p| p.get("startedDateTime")).and_then(Value::as_str).and_then(epoch_ms);
    // A page that claims to start after its first request, or hours before it, is not believed.
    let zero = match page_start {
        Some(start) if start <= first && first - start < 60_000.0 => start,
        _ if first.is_finite() => first,
        _ => 0.0,
    };
    for (at, entry) in &dated {
        let id = u32::try_from(requests.len()).unwrap_or(u32::MAX);
        let start = at.map_or(0.0, |at| at - zero);
        match read_entry(entry, id, Millis(start), bodies) {
            Some(request) => {
                undated += usize::from(at.is_none());
                requests.push(request);
            }
            None => passed_over += 1,
        }
    }
    if requests.is_empty() {
        return None;
    }
    if passed_over > 0 {
        notes.push(Note::EntriesPassedOver { count: passed_over });
    }
    if undated > 0 {
        notes.push(Note::EntriesUndated { count: undated });
    }
    link_redirects(&mut requests);
    let timing = |key: &str| {
        page.and_then(|p| p.get("pageTimings"))
            .and_then(|t| t.get(key))
            .and_then(figure)
            .filter(|v| *v >= 0.0)
            .map(Millis)
    };
    let har_page = HarPage {
        title: page.and_then(|p| p.get("title")).and_then(Value::as_str).filter(|t| !t.is_empty()).map(str::to_owned),
        started_at: (zero > 0.0).then(|| rfc3339(zero)).flatten(),
        dom_content_loaded: timing("onContentLoad"),
        load_event: timing("onLoad"),
        browser: None,
        notes,
    };
    Some((requests, har_page))
}

fn kind_of(value: &Value) -> &'static str {
    match value {
        Value::Null => "nothing",
        Value::Bool(_) => "true or false",
        Value::Number(_) => "a number",
        Value::String(_) => "a text",
        Value::Array(_) => "a list",
        Value::Object(_) => "an object",
    }
}

fn headers(of: Option<&Value>) -> Vec<Header> {
    let list = of.and_then(|v| v.get("headers")).and_then(Value::as_array);
    let mut headers: Vec<Header> = list
        .map(|list| {
            list.iter()
                .take(500)
                .filter_map(|h| {
                    Some(Header {
                        name: h.get("name")?.as_str()?.to_owned(),
                        value: h.get("value")?.as_str()?.to_owned(),
                    })
                })
                .collect()
        })
        .unwrap_or_default();
    redact(&mut headers);
    headers
}

fn size(value: Option<&Value>) -> Option<Bytes> {
    let number = figure(value?)?;
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    (0.0..1e15).contains(&number).then_some(Bytes(number as u64))
}

/// One entry; `None` where it has no URL.
fn read_entry(entry: &Value, id: u32, start: Millis, bodies: &mut BodyMap) -> Option<Request> {
    let asked = entry.get("request")?;
    let url = asked.get("url")?.as_str()?.trim();
    if url.is_empty() || url.len() > 2_000_000 {
        return None;
    }
    let answer = entry.get("response");
    let content = answer.and_then(|r| r.get("content"));
    let mime = content.and_then(|c| c.get("mimeType")).and_then(Value::as_str).unwrap_or("");

    // Written here: everything that HAR has no field for is in our own one.
    let own = entry.get("_phainon").and_then(|own| serde_json::from_value::<Request>(own.clone()).ok());
    if let Some(mut request) = own {
        request.id = RequestId(id);
        request.request_headers = headers(Some(asked));
        request.response_headers = headers(answer);
        if let Some(from) = entry.pointer("/_phainon/redirected_from").and_then(Value::as_u64) {
            request.redirected_from = u32::try_from(from).ok().map(RequestId);
        }
        take_body(&mut request, content, bodies);
        return Some(request);
    }

    let mut request = Request::new(id, url, kind(entry, mime, url));
    request.start = start;
    if let Some(method) = asked.get("method").and_then(Value::as_str) {
        request.method = method.to_owned();
    }
    request.status = answer
        .and_then(|r| r.get("status"))
        .and_then(Value::as_u64)
        .and_then(|s| u16::try_from(s).ok())
        .filter(|s| *s > 0);
    request.mime = (!mime.is_empty()).then(|| mime.to_owned());
    request.protocol = answer
        .and_then(|r| r.get("httpVersion"))
        .or_else(|| asked.get("httpVersion"))
        .and_then(Value::as_str)
        .filter(|p| !p.is_empty() && *p != "unknown")
        .map(str::to_ascii_lowercase);
    request.connection = entry.get("connection").and_then(|c| c.as_u64().or_else(|| c.as_str()?.parse().ok()));
    request.priority = entry.get("_priority").and_then(Value::as_str).map(str::to_owned);
    request.request_headers = headers(Some(asked));
    request.response_headers = headers(answer);
    request.initiator = entry.get("_initiator").map(initiator::read).unwrap_or_default();
    request.failed =
        answer.and_then(|r| r.get("_error")).and_then(Value::as_str).filter(|e| !e.is_empty()).map(str::to_owned);
    phases(&mut request, entry);

    let header_size = size(answer.and_then(|r| r.get("headersSize")));
    let body_size = size(answer.and_then(|r| r.get("bodySize")));
    request.unpacked = size(content.and_then(|c| c.get("size")));
    request.transferred = size(answer.and_then(|r| r.get("_transferSize")))
        .or_else(|| body_size.map(|b| Bytes(b.0.saturating_add(header_size.unwrap_or_default().0))))
        // Some writers know only the content and what compression saved.
        .or_else(|| {
            let saved = size(content.and_then(|c| c.get("compression"))).unwrap_or_default();
            Some(Bytes(request.unpacked?.0.saturating_sub(saved.0)))
        });
    request.cache = match entry.get("_fromCache").and_then(Value::as_str) {
        Some("memory") => Some(CacheSource::Memory),
        Some(_) => Some(CacheSource::Disk),
        None if request.status == Some(304) => Some(CacheSource::Revalidated),
        None => None,
    };
    take_body(&mut request, content, bodies);
    Some(request)
}

/// The body that a HAR carries, as text or base64.
fn take_body(request: &mut Request, content: Option<&Value>, bodies: &mut BodyMap) {
    if let Some(text) = content.and_then(|c| c.get("text")).and_then(Value::as_str) {
        let base64 = content.and_then(|c| c.get("encoding")).and_then(Value::as_str) == Some("base64");
        let body = if base64 {
            base64::engine::general_purpose::STANDARD.decode(text.trim()).ok()
        } else {
            Some(text.as_bytes().to_vec())
        };
        if let Some(body) = body.filter(|b| !b.is_empty()) {
            let hash = body_hash(&body);
            request.body = Some(BodyRef { hash: hash.clone(), size: Bytes(body.len() as u64) });
            bodies.insert(hash, body);
        }
    }
}

fn kind(entry: &Value, mime: &str, url: &str) -> ResourceKind {
    match entry.get("_resourceType").and_then(Value::as_str) {
        Some("document") => ResourceKind::Document,
        Some("stylesheet") => ResourceKind::Style,
        Some("script") => ResourceKind::Script,
        Some("image") => ResourceKind::Image,
        Some("font") => ResourceKind::Font,
        Some("xhr" | "fetch" | "websocket" | "eventsource") => ResourceKind::Data,
        Some("media") => ResourceKind::Media,
        _ => ResourceKind::guess(mime, url),
    }
}

/// HAR's `timings`: −1 or missing is "does not apply"; `ssl` lies inside `connect`.
fn phases(request: &mut Request, entry: &Value) {
    let timings = entry.get("timings");
    let part = |key: &str| timings.and_then(|t| t.get(key)).and_then(figure).filter(|v| *v >= 0.0 && *v < 1e9);
    let any = ["blocked", "dns", "connect", "send", "wait", "receive"].iter().any(|k| part(k).is_some());
    let time = entry.get("time").and_then(figure).filter(|v| *v >= 0.0 && *v < 1e9);
    if !any {
        request.end = time.map(|t| request.start + Millis(t));
        return;
    }
    let mut at = request.start.0 + part("blocked").unwrap_or(0.0);
    if part("dns").is_some() || part("connect").is_some() {
        request.connect_start = Some(Millis(at));
        at += part("dns").unwrap_or(0.0) + part("connect").unwrap_or(0.0);
        request.connect_end = Some(Millis(at));
        if let Some(tls) = part("ssl").filter(|v| *v > 0.0) {
            request.tls_start = Some(Millis((at - tls).max(request.start.0)));
        }
    }
    request.sent = Some(Millis(at));
    at += part("send").unwrap_or(0.0) + part("wait").unwrap_or(0.0);
    // Without a wait there was no answer to wait for.
    if part("wait").is_some() {
        request.first_byte = Some(Millis(at));
    }
    request.end = Some(Millis(at + part("receive").unwrap_or(0.0)));
}

/// Joins a request to the redirect that led to it: the last 3xx before it whose Location is its URL.
fn link_redirects(requests: &mut [Request]) {
    let mut pending: std::collections::HashMap<String, RequestId> = std::collections::HashMap::new();
    for request in requests.iter_mut() {
        if request.redirected_from.is_none()
            && let Some(from) = pending.remove(&*request.url)
        {
            request.redirected_from = Some(from);
            request.initiator = Initiator { kind: InitiatorKind::Redirect, ..Initiator::default() };
        }
        if matches!(request.status, Some(301 | 302 | 303 | 307 | 308))
            && let Some(location) = request.header("location")
            && let Ok(target) = url::Url::parse(&request.url).and_then(|base| base.join(location))
        {
            // The hop before a document is a document too, whatever its own media type.
            pending.insert(target.to_string(), request.id);
            if request.kind == ResourceKind::Other {
                request.kind = ResourceKind::Document;
            }
        }
    }
}
