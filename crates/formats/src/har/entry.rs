//! An entry of a HAR, and what it becomes: a request.

use super::dates::epoch_ms;
use crate::figures::figure;
use crate::{BodyMap, body_hash, initiator, redact, without_credentials};
use base64::Engine;
use phainon_core::{BodyRef, Bytes, CacheSource, Header, Millis, Request, RequestId, ResourceKind, sent_mark};
use serde::Deserialize;
use serde_json::Value;

/// What an entry takes in memory besides its texts: as a request, and in what is computed from it.
pub(super) const ENTRY: usize = 4_000;

/// An entry, its request's times counted from its own beginning.
pub(super) struct Entry {
    /// `None` where it has no address.
    pub request: Option<Request>,
    /// Written here: its times count from navigation start already.
    pub is_own: bool,
    /// Milliseconds since 1970.
    pub at: Option<f64>,
    pub page: Option<Box<str>>,
}

/// What the HAR says of one of its pages.
pub(super) struct Page {
    pub id: Option<String>,
    pub title: Option<String>,
    pub started: Option<f64>,
    pub dom_content_loaded: Option<Millis>,
    pub load_event: Option<Millis>,
}

impl Entry {
    pub fn of(entry: &Value, bodies: &mut BodyMap) -> Self {
        let own = entry.get("_phainon").and_then(|own| Request::deserialize(own).ok());
        Self {
            is_own: own.is_some(),
            request: read_entry(entry, own, bodies),
            at: entry.get("startedDateTime").and_then(Value::as_str).and_then(epoch_ms),
            page: entry.get("pageref").and_then(Value::as_str).map(Into::into),
        }
    }

    /// What it takes in memory.
    pub fn held(&self) -> usize {
        let of = |headers: &[Header]| headers.iter().map(|h| 64 + h.name.len() + h.value.len()).sum::<usize>();
        let texts = self.request.as_ref().map_or(0, |r| {
            let stack: usize = r.initiator.stack.iter().map(|url| 32 + url.len()).sum();
            2 * r.url.len() + of(&r.request_headers) + of(&r.response_headers) + stack
        });
        ENTRY + texts + self.page.as_ref().map_or(0, |page| page.len())
    }
}

impl Page {
    pub fn of(page: &Value) -> Self {
        let timing = |key: &str| {
            page.get("pageTimings").and_then(|t| t.get(key)).and_then(figure).filter(|v| *v >= 0.0).map(Millis)
        };
        let text = |key: &str| page.get(key).and_then(Value::as_str);
        Self {
            id: text("id").map(str::to_owned),
            title: text("title").filter(|t| !t.is_empty()).map(str::to_owned),
            started: text("startedDateTime").and_then(epoch_ms),
            dom_content_loaded: timing("onContentLoad"),
            load_event: timing("onLoad"),
        }
    }
}

/// Moves a request whose times count from its own beginning to where it began.
pub(super) fn begin_at(request: &mut Request, start: Millis) {
    request.start += start;
    let later = [
        &mut request.connect_start,
        &mut request.connect_end,
        &mut request.tls_start,
        &mut request.sent,
        &mut request.first_byte,
        &mut request.end,
    ];
    for at in later.into_iter().flatten() {
        *at += start;
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

/// One entry's request, its times counted from its beginning; `None` where it has no URL. `own` is what our
/// own writer said of it.
fn read_entry(entry: &Value, own: Option<Request>, bodies: &mut BodyMap) -> Option<Request> {
    let asked = entry.get("request")?;
    let url = without_credentials(asked.get("url")?.as_str()?.trim());
    let url = &*url;
    if url.is_empty() || url.len() > 2_000_000 {
        return None;
    }
    let answer = entry.get("response");
    let content = answer.and_then(|r| r.get("content"));
    let mime = content.and_then(|c| c.get("mimeType")).and_then(Value::as_str).unwrap_or("");

    // Written here: everything that HAR has no field for is in our own one.
    if let Some(mut request) = own {
        request.url = url.into();
        request.request_headers = headers(Some(asked));
        request.response_headers = headers(answer);
        if let Some(from) = entry.pointer("/_phainon/redirected_from").and_then(Value::as_u64) {
            request.redirected_from = u32::try_from(from).ok().map(RequestId);
        }
        take_body(&mut request, content, bodies);
        return Some(request);
    }

    let mut request = Request::new(0, url, kind(entry, mime, url));
    if let Some(method) = asked.get("method").and_then(Value::as_str) {
        request.method = method.to_owned();
    }
    request.sent_mark =
        asked.pointer("/postData/text").and_then(Value::as_str).and_then(|text| sent_mark(text.as_bytes()));
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
