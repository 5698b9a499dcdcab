//! Writes a HAR, strictly.

use super::dates::{epoch_ms, rfc3339};
use base64::Engine;
use phainon_core::{Bodies, Header, Load, Millis, Request};
use serde_json::{Map, Value, json};
use std::io::{self, BufWriter, Write};

/// Writes a load as HAR 1.2, entry by entry. Bodies, where given, are put in as base64 or text.
///
/// # Errors
/// Where it cannot be written.
pub fn write(load: &Load, bodies: Option<&dyn Bodies>, out: &mut impl Write) -> io::Result<()> {
    let mut out = BufWriter::new(out);
    let zero = load.started_at.as_deref().and_then(epoch_ms).unwrap_or(0.0);
    let head = json!({
        "version": "1.2",
        "creator": {"name": "Phainon", "version": env!("CARGO_PKG_VERSION")},
        "browser": {"name": load.browser.clone().unwrap_or_default(), "version": ""},
        "pages": [{
            "id": "page-1", "startedDateTime": date(zero, Millis::ZERO),
            "title": load.title.clone().unwrap_or_else(|| load.url.to_string()),
            "pageTimings": {
                "onContentLoad": load.dom_content_loaded.map_or(-1.0, |m| m.0),
                "onLoad": load.load_event.map_or(-1.0, |m| m.0),
            },
        }],
    })
    .to_string();
    // The entries are the log's last member: the brace that ends it comes after them.
    write!(out, "{{\"log\":{},\"entries\":[", &head[..head.len() - 1])?;
    for (place, request) in load.requests.iter().enumerate() {
        if place > 0 {
            out.write_all(b",")?;
        }
        serde_json::to_writer(&mut out, &entry(request, zero, bodies))?;
    }
    out.write_all(b"]}}")?;
    out.flush()
}

/// The same in memory.
#[must_use]
pub fn text(load: &Load, bodies: Option<&dyn Bodies>) -> String {
    let mut text = Vec::new();
    // Memory takes everything, and JSON is UTF-8.
    let _ = write(load, bodies, &mut text);
    String::from_utf8_lossy(&text).into_owned()
}

fn date(zero: f64, at: Millis) -> String {
    rfc3339(zero + at.0).unwrap_or_else(|| "1970-01-01T00:00:00.000Z".into())
}

fn list(headers: &[Header]) -> Vec<Value> {
    headers.iter().map(|h| json!({"name": h.name, "value": h.value})).collect()
}

fn entry(r: &Request, zero: f64, bodies: Option<&dyn Bodies>) -> Value {
    let end = r.end.unwrap_or(r.start);
    let between = |from: Option<Millis>, to: Option<Millis>| match (from, to) {
        (Some(from), Some(to)) => (to - from).0.max(0.0),
        _ => -1.0,
    };
    let mut content = Map::new();
    // −1 is how a HAR says that a size is not known.
    content.insert("size".into(), json!(r.unpacked.map_or(-1, |b| i64::try_from(b.0).unwrap_or(-1))));
    content.insert("mimeType".into(), json!(r.mime.clone().unwrap_or_default()));
    if let Some(body) = bodies.and_then(|b| b.body(&r.body.as_ref()?.hash)) {
        match String::from_utf8(body) {
            Ok(text) => content.insert("text".into(), text.into()),
            Err(raw) => {
                content.insert("encoding".into(), "base64".into());
                content.insert("text".into(), base64::engine::general_purpose::STANDARD.encode(raw.as_bytes()).into())
            }
        };
    }
    let mut own = r.clone();
    own.request_headers.clear();
    own.response_headers.clear();
    let query: Vec<Value> = url::Url::parse(&r.url)
        .map(|u| u.query_pairs().map(|(k, v)| json!({"name": k, "value": v})).collect())
        .unwrap_or_default();
    json!({
        "pageref": "page-1",
        "startedDateTime": date(zero, r.start),
        "time": (end - r.start).0,
        "request": {
            "method": r.method, "url": &*r.url, "httpVersion": r.protocol.clone().unwrap_or_default(),
            "cookies": [], "headers": list(&r.request_headers), "queryString": query, "headersSize": -1, "bodySize": -1,
        },
        "response": {
            "status": r.status.unwrap_or(0), "statusText": "", "httpVersion": r.protocol.clone().unwrap_or_default(),
            "cookies": [], "headers": list(&r.response_headers), "content": content,
            "redirectURL": r.header("location").unwrap_or(""), "headersSize": -1,
            "bodySize": r.transferred.map_or(-1, |b| i64::try_from(b.0).unwrap_or(-1)),
        },
        "cache": {},
        "timings": {
            "blocked": between(Some(r.start), r.connect_start.or(r.sent)),
            "dns": -1,
            "connect": between(r.connect_start, r.connect_end),
            "ssl": between(r.tls_start, r.connect_end),
            "send": 0,
            "wait": between(r.sent, r.first_byte).max(0.0),
            "receive": between(r.first_byte, r.end).max(0.0),
        },
        "_phainon": own,
    })
}
