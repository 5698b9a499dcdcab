//! Requests as the renderer's trace events tell them.

use super::Reader;
use super::event::Event;
use crate::figures::figure;
use crate::initiator;
use phainon_core::{Bytes, CacheSource, Header, InitiatorKind, Millis, RenderBlocking, Request, ResourceKind};
use serde_json::Value;
use std::collections::HashSet;
use std::sync::Arc;

impl Reader<'_> {
    /// Requests as the renderer saw them; a recording has better ones from the network events.
    pub(super) fn resource(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        let args = event.args();
        let data = &args["data"];
        let Some(id) = data["requestId"].as_str() else { return };
        if !self.network.contains_key(id) {
            self.order.push(id.to_owned());
        }
        let frame = self.navigation.frame.clone();
        let navigation_id = self.navigation.id.clone();
        let seen = self.network.entry(id.to_owned()).or_default();
        match &*event.name {
            "ResourceSendRequest" => {
                if let Some(before) = seen.request.take() {
                    seen.done.push(before);
                }
                let Some(url) = data["url"].as_str() else { return };
                let mut request = Request::new(0, url, kind_of(data["resourceType"].as_str().unwrap_or(""), url));
                request.start = at(event.ts);
                request.method = data["requestMethod"].as_str().unwrap_or("GET").to_owned();
                request.priority = data["priority"].as_str().map(str::to_owned);
                request.main_frame = data["frame"].as_str().is_none_or(|f| f == frame);
                request.render_blocking = match data["renderBlocking"].as_str() {
                    Some("blocking") => RenderBlocking::Blocking,
                    Some("in_body_parser_blocking") => RenderBlocking::InBodyParserBlocking,
                    Some("potentially_blocking") => RenderBlocking::PotentiallyBlocking,
                    Some(_) => RenderBlocking::NonBlocking,
                    None => RenderBlocking::Unknown,
                };
                let from = &data["initiator"];
                request.initiator = initiator::read(from);
                if from["type"] == "css" {
                    request.initiator.kind = InitiatorKind::Style;
                } else if request.initiator.kind == InitiatorKind::Unknown && id == navigation_id {
                    request.initiator.kind = InitiatorKind::Navigation;
                }
                seen.request = Some(request);
            }
            "ResourceReceiveResponse" => {
                let Some(request) = seen.request.as_mut() else { return };
                request.status = data["statusCode"].as_u64().and_then(|s| u16::try_from(s).ok()).filter(|s| *s > 0);
                request.mime = data["mimeType"].as_str().map(str::to_owned);
                request.protocol = data["protocol"].as_str().map(str::to_owned);
                request.connection = data["connectionId"].as_u64();
                if data["fromCache"].as_bool() == Some(true) {
                    request.cache = Some(CacheSource::Disk);
                }
                if data["fromServiceWorker"].as_bool() == Some(true) {
                    request.cache = Some(CacheSource::ServiceWorker);
                }
                request.response_headers = data["headers"]
                    .as_array()
                    .into_iter()
                    .flatten()
                    .filter_map(|h| {
                        Some(Header { name: h["name"].as_str()?.to_owned(), value: h["value"].as_str()?.to_owned() })
                    })
                    .collect();
                crate::redact(&mut request.response_headers);
                timing(request, &data["timing"], self.navigation.ts);
            }
            "ResourceFinish" => {
                let Some(request) = seen.request.as_mut() else { return };
                let finished = figure(&data["finishTime"]).filter(|t| *t > 0.0).map_or(event.ts, |t| t * 1e6);
                request.end = Some(at(finished).max(request.start));
                request.transferred = data["encodedDataLength"].as_u64().map(Bytes);
                request.unpacked = data["decodedBodyLength"].as_u64().map(Bytes);
                if data["didFail"].as_bool() == Some(true) {
                    request.failed = Some("the browser reports that it failed".into());
                }
            }
            _ => {
                if let (Some(request), Some(priority)) = (seen.request.as_mut(), data["priority"].as_str()) {
                    request.final_priority = Some(priority.to_owned());
                }
            }
        }
    }
}

/// Kind by the browser's own resource type.
#[must_use]
pub fn kind_of(resource_type: &str, url: &str) -> ResourceKind {
    match resource_type {
        "Document" => ResourceKind::Document,
        "Stylesheet" => ResourceKind::Style,
        "Script" => ResourceKind::Script,
        "Image" => ResourceKind::Image,
        "Font" => ResourceKind::Font,
        "XHR" | "Fetch" | "EventSource" | "WebSocket" => ResourceKind::Data,
        "Media" | "TextTrack" => ResourceKind::Media,
        "" => ResourceKind::guess("", url),
        _ => ResourceKind::Other,
    }
}

/// Sets a request's phases from a `timing` object: milliseconds after `requestTime`, itself seconds
/// of the browser's monotonic clock; −1 where a phase does not apply.
pub fn timing(request: &mut Request, timing: &Value, navigation_start_us: f64) {
    let Some(base) = figure(&timing["requestTime"]).filter(|t| *t > 0.0) else { return };
    let base = base * 1000.0 - navigation_start_us / 1000.0;
    // The renderer hears of a navigation's request late; the network knew it earlier.
    request.start = request.start.min(Millis(base.max(0.0)));
    let part = |key: &str| figure(&timing[key]).filter(|v| *v >= 0.0).map(|v| Millis(base + v).max(request.start));
    let connect_start = part("dnsStart").or(part("connectStart"));
    let (connect_end, tls, sent) = (part("connectEnd"), part("sslStart"), part("sendStart"));
    let first = part("receiveHeadersStart")
        .filter(|_| figure(&timing["receiveHeadersStart"]) > Some(0.0))
        .or(part("receiveHeadersEnd"));
    request.connect_start = connect_start;
    request.connect_end = connect_end.filter(|_| connect_start.is_some());
    request.tls_start = tls;
    request.sent = sent;
    request.first_byte = first;
}

/// What a stylesheet names is reported as found by a parser: that of the sheet. Its kind is set right here.
pub fn name_style_initiators(requests: &mut [Request]) {
    let sheets: HashSet<Arc<str>> =
        requests.iter().filter(|r| r.kind == ResourceKind::Style).map(|r| r.url.clone()).collect();
    for request in requests {
        if request.initiator.kind == InitiatorKind::Parser
            && request.initiator.url.as_ref().is_some_and(|u| sheets.contains(u))
        {
            request.initiator.kind = InitiatorKind::Style;
        }
    }
}
