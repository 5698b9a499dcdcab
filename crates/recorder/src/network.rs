//! From the protocol's network events to requests.

use crate::protocol::Event;
use phainon_core::{
    BodyRef, Bytes, CacheSource, Header, Initiator, InitiatorKind, Millis, Request, RequestId, ResourceKind,
};
use phainon_formats::{redact, trace};
use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// One request as its events tell it; times in seconds of the browser's monotonic clock.
struct Entry {
    request: Request,
    session: Option<String>,
    asked: f64,
    finished: Option<f64>,
    timing: Value,
    received: u64,
    frame: Option<String>,
    /// Which document of its frame asked.
    loader: String,
    redirected_from: Option<usize>,
    stored_body: bool,
    /// It never ends of itself: the page is not waiting for it.
    stream: bool,
}

impl Entry {
    /// Whether it was asked for before a moment, in microseconds of the monotonic clock. The trace's
    /// navigation begins with its first request; the two clocks differ by less than the slack.
    fn is_before(&self, moment_us: f64) -> bool {
        const SLACK_US: f64 = 2_000.0;
        self.asked * 1e6 + SLACK_US < moment_us
    }
}

/// Collects the network events of one load.
#[derive(Default)]
pub struct Network {
    entries: Vec<Entry>,
    /// The newest hop of each request id, by session.
    current: HashMap<String, usize>,
    in_flight: HashSet<usize>,
    /// Header events may come before the event that they belong to.
    early_headers: HashMap<String, Vec<Header>>,
    /// Wall clock less monotonic clock, in seconds.
    pub wall_offset: Option<f64>,
}

impl Network {
    /// Requests still under way that a page's quiet must wait for.
    pub fn busy(&self) -> usize {
        self.in_flight.len()
    }

    /// How many requests there have been.
    pub fn count(&self) -> usize {
        self.entries.len()
    }

    /// A frame has another document now: what the one before it asked for is not waited for any more,
    /// and not always announced as ended.
    pub fn navigated(&mut self, frame: &str, loader: &str) {
        let entries = &self.entries;
        self.in_flight.retain(|at| {
            let entry = &entries[*at];
            entry.frame.as_deref() != Some(frame) || entry.loader == loader
        });
    }

    /// Whether an event is news of something that the page may be waiting for; what comes through an
    /// open stream is not.
    pub fn is_traffic(&self, event: &Event) -> bool {
        let stream = event.params["requestId"]
            .as_str()
            .and_then(|id| self.current.get(id))
            .is_some_and(|&at| self.entries[at].stream);
        let pushed =
            event.method.starts_with("Network.webSocket") || event.method == "Network.eventSourceMessageReceived";
        !pushed && (!stream || event.method == "Network.loadingFinished")
    }

    /// The newest document that a frame asked for; without a frame's id, any frame.
    pub fn document(&self, frame: &str) -> Option<&Request> {
        let its = |e: &&Entry| frame.is_empty() || e.frame.as_deref() == Some(frame);
        self.entries.iter().filter(its).map(|e| &e.request).rfind(|r| r.kind == ResourceKind::Document)
    }

    /// Takes one event in.
    pub fn take(&mut self, event: &Event) {
        let params = &event.params;
        let Some(id) = params["requestId"].as_str() else { return };
        match event.method.as_str() {
            "Network.requestWillBeSent" => self.will_be_sent(id, event),
            "Network.requestWillBeSentExtraInfo" => {
                let headers = headers_of(&params["headers"]);
                match self.current.get(id) {
                    Some(&at) => self.entries[at].request.request_headers = headers,
                    None => {
                        self.early_headers.insert(id.to_owned(), headers);
                    }
                }
            }
            "Network.responseReceived" => {
                let Some(&at) = self.current.get(id) else { return };
                let entry = &mut self.entries[at];
                if let Some(kind) = params["type"].as_str() {
                    entry.request.kind = trace::kind_of(kind, &entry.request.url);
                    if matches!(kind, "EventSource" | "WebSocket") {
                        entry.stream = true;
                        self.in_flight.remove(&at);
                    }
                }
                response(entry, &params["response"]);
            }
            "Network.responseReceivedExtraInfo" => {
                let Some(&at) = self.current.get(id) else { return };
                let request = &mut self.entries[at].request;
                request.response_headers = headers_of(&params["headers"]);
                // What the server said, where the browser shows the page something else, or nothing.
                match params["statusCode"].as_u64() {
                    Some(304) => request.cache = Some(CacheSource::Revalidated),
                    status => request.status = request.status.or(status.and_then(|s| u16::try_from(s).ok())),
                }
            }
            "Network.dataReceived" => {
                if let Some(&at) = self.current.get(id) {
                    let length = params["dataLength"].as_u64().unwrap_or(0);
                    self.entries[at].received = self.entries[at].received.saturating_add(length);
                }
            }
            "Network.requestServedFromCache" => {
                if let Some(&at) = self.current.get(id) {
                    self.entries[at].request.cache = Some(CacheSource::Memory);
                }
            }
            "Network.resourceChangedPriority" => {
                if let Some(&at) = self.current.get(id) {
                    self.entries[at].request.final_priority = params["newPriority"].as_str().map(str::to_owned);
                }
            }
            "Network.loadingFinished" => {
                let Some(&at) = self.current.get(id) else { return };
                self.in_flight.remove(&at);
                let entry = &mut self.entries[at];
                entry.finished = params["timestamp"].as_f64();
                entry.request.transferred = whole(&params["encodedDataLength"]).map(Bytes);
                entry.request.unpacked = Some(Bytes(entry.received));
                entry.stored_body = true;
            }
            "Network.loadingFailed" => {
                let Some(&at) = self.current.get(id) else { return };
                self.in_flight.remove(&at);
                let entry = &mut self.entries[at];
                entry.finished = params["timestamp"].as_f64();
                let why = params["blockedReason"].as_str().or(params["errorText"].as_str()).filter(|w| !w.is_empty());
                entry.request.failed = Some(why.unwrap_or("the browser gave no reason").to_owned());
            }
            _ => {}
        }
    }

    fn will_be_sent(&mut self, id: &str, event: &Event) {
        let params = &event.params;
        let at = params["timestamp"].as_f64().unwrap_or(0.0);
        if self.wall_offset.is_none()
            && let Some(wall) = params["wallTime"].as_f64()
        {
            self.wall_offset = Some(wall - at);
        }
        let mut redirected_from = None;
        if let Some(&before) = self.current.get(id)
            && params["redirectResponse"].is_object()
        {
            let entry = &mut self.entries[before];
            response(entry, &params["redirectResponse"]);
            entry.finished = Some(at);
            entry.request.transferred = whole(&params["redirectResponse"]["encodedDataLength"]).map(Bytes);
            self.in_flight.remove(&before);
            redirected_from = Some(before);
        }
        let asked = &params["request"];
        let url = asked["url"].as_str().unwrap_or("");
        let place = self.entries.len();
        let mut request = Request::new(
            u32::try_from(place).unwrap_or(u32::MAX),
            url,
            trace::kind_of(params["type"].as_str().unwrap_or(""), url),
        );
        request.method = asked["method"].as_str().unwrap_or("GET").to_owned();
        request.priority = asked["initialPriority"].as_str().map(str::to_owned);
        request.request_headers = self.early_headers.remove(id).unwrap_or_else(|| headers_of(&asked["headers"]));
        let navigation = params["loaderId"].as_str() == Some(id);
        request.initiator = initiator(&params["initiator"], navigation);
        if redirected_from.is_some() {
            request.initiator = Initiator { kind: InitiatorKind::Redirect, ..Initiator::default() };
        }
        self.entries.push(Entry {
            request,
            session: event.session.clone(),
            asked: at,
            finished: None,
            timing: Value::Null,
            received: 0,
            frame: params["frameId"].as_str().map(str::to_owned),
            loader: params["loaderId"].as_str().unwrap_or("").to_owned(),
            redirected_from,
            stored_body: false,
            stream: matches!(params["type"].as_str(), Some("EventSource" | "WebSocket")),
        });
        self.current.insert(id.to_owned(), place);
        if url.starts_with("http") && !self.entries[place].stream {
            self.in_flight.insert(place);
        }
    }

    /// The request ids whose bodies can be asked for, with their session and place: of what was asked
    /// for since navigation start (microseconds of the monotonic clock).
    pub fn bodies_to_read(&self, navigation_start_us: f64) -> Vec<(usize, String, Option<String>, u64)> {
        let mut wanted: Vec<_> = self
            .current
            .iter()
            .filter(|(_, at)| {
                let entry = &self.entries[**at];
                entry.stored_body && entry.request.is_network() && !entry.is_before(navigation_start_us)
            })
            .map(|(id, at)| (*at, id.clone(), self.entries[*at].session.clone(), self.entries[*at].received))
            .collect();
        wanted.sort_unstable();
        wanted
    }

    /// Notes the body of a request.
    pub fn set_body(&mut self, at: usize, hash: String, size: u64) {
        self.entries[at].request.body = Some(BodyRef { hash, size: Bytes(size) });
        self.entries[at].request.unpacked = Some(Bytes(size));
    }

    /// The requests, their times counted from navigation start (microseconds of the monotonic clock),
    /// and what was there before it.
    pub fn finish(mut self, navigation_start_us: f64, main_frame: &str) -> (Vec<Request>, Option<Before>) {
        let all = self.entries.len();
        let first = self.entries.first().map_or(0.0, |e| e.asked);
        // Requests point to earlier ones by place.
        let kept: Vec<usize> = (0..all).filter(|&at| !self.entries[at].is_before(navigation_start_us)).collect();
        for (place, &at) in kept.iter().enumerate() {
            let from = self.entries[at].redirected_from.and_then(|from| kept.binary_search(&from).ok());
            let entry = &mut self.entries[at];
            entry.redirected_from = from;
            entry.request.id = RequestId(u32::try_from(place).unwrap_or(u32::MAX));
        }
        self.entries.retain(|entry| !entry.is_before(navigation_start_us));
        let before = (kept.len() < all).then(|| Before {
            requests: all - kept.len(),
            after: Millis(navigation_start_us / 1000.0 - first * 1000.0),
        });
        let at = |seconds: f64| Millis((seconds * 1000.0 - navigation_start_us / 1000.0).max(0.0));
        let mut requests: Vec<Request> = self
            .entries
            .into_iter()
            .map(|entry| {
                let mut request = entry.request;
                request.start = at(entry.asked);
                trace::timing(&mut request, &entry.timing, navigation_start_us);
                request.end = entry.finished.map(|t| at(t).max(request.start));
                if let (Some(first), Some(end)) = (request.first_byte, request.end) {
                    request.first_byte = Some(first.min(end));
                }
                request.main_frame = entry.frame.as_deref() == Some(main_frame);
                request.redirected_from = entry.redirected_from.map(|p| RequestId(u32::try_from(p).unwrap_or(0)));
                redact(&mut request.request_headers);
                redact(&mut request.response_headers);
                request
            })
            .collect();
        trace::name_style_initiators(&mut requests);
        (requests, before)
    }
}

/// What the browser did before the navigation that counts, where the page moved it on by itself.
#[derive(Debug, PartialEq)]
pub struct Before {
    /// How many requests.
    pub requests: usize,
    /// How long after the first of them that navigation began.
    pub after: Millis,
}

fn response(entry: &mut Entry, response: &Value) {
    let request = &mut entry.request;
    request.status = response["status"].as_u64().and_then(|s| u16::try_from(s).ok()).filter(|s| *s > 0);
    request.mime = response["mimeType"].as_str().filter(|m| !m.is_empty()).map(str::to_owned);
    request.protocol = response["protocol"].as_str().map(str::to_owned);
    request.connection = whole(&response["connectionId"]).filter(|c| *c > 0);
    if request.response_headers.is_empty() {
        request.response_headers = headers_of(&response["headers"]);
    }
    if response["fromDiskCache"].as_bool() == Some(true) {
        request.cache = request.cache.or(Some(CacheSource::Disk));
    }
    if response["fromServiceWorker"].as_bool() == Some(true) {
        request.cache = Some(CacheSource::ServiceWorker);
    }
    entry.timing = response["timing"].clone();
}

fn whole(value: &Value) -> Option<u64> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    value.as_f64().filter(|v| *v >= 0.0).map(|v| v as u64)
}

fn headers_of(value: &Value) -> Vec<Header> {
    value
        .as_object()
        .into_iter()
        .flatten()
        // Headers sent more than once come joined by line breaks.
        .flat_map(|(name, value)| {
            value
                .as_str()
                .unwrap_or("")
                .split('\n')
                .map(|v| Header { name: name.clone(), value: v.to_owned() })
                .collect::<Vec<_>>()
        })
        .collect()
}

fn initiator(value: &Value, navigation: bool) -> Initiator {
    let mut stack: Vec<Arc<str>> = Vec::new();
    let mut level = &value["stack"];
    while level.is_object() && stack.len() < 64 {
        for frame in level["callFrames"].as_array().into_iter().flatten() {
            if let Some(url) = frame["url"].as_str().filter(|u| !u.is_empty()) {
                stack.push(url.into());
            }
        }
        level = &level["parent"];
    }
    let kind = match value["type"].as_str() {
        _ if navigation => InitiatorKind::Navigation,
        Some("parser") => InitiatorKind::Parser,
        Some("script") => InitiatorKind::Script,
        Some("preload") => InitiatorKind::Preload,
        _ => InitiatorKind::Unknown,
    };
    let url = value["url"].as_str().filter(|u| !u.is_empty()).map(Into::into).or_else(|| stack.first().cloned());
    let line = value["lineNumber"].as_f64().or_else(|| value["stack"]["callFrames"][0]["lineNumber"].as_f64());
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let line = line.filter(|l| *l >= 0.0 && *l < 4e9).map(|l| (l as u32).saturating_add(1));
    Initiator { kind, url, line, stack }
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_core::ResourceKind;
    use serde_json::json;

    fn event(method: &str, params: Value) -> Event {
        Event { method: format!("Network.{method}"), session: Some("s".into()), params }
    }

    fn sent(id: &str, url: &str, at: f64, extra: Value) -> Event {
        let mut params = json!({"requestId": id, "loaderId": "doc", "timestamp": at, "wallTime": 1_700_000_000.0 + at, "type": "Document", "frameId": "F",
            "request": {"url": url, "method": "GET", "headers": {}, "initialPriority": "High"}, "initiator": {"type": "other"}});
        for (key, value) in extra.as_object().expect("an object") {
            params[key] = value.clone();
        }
        event("requestWillBeSent", params)
    }

    fn taken(events: &[Event]) -> (Network, Vec<Request>) {
        let (mut network, mut other) = (Network::default(), Network::default());
        for e in events {
            network.take(e);
            other.take(e);
        }
        // Navigation start at 10 s of the browser's clock.
        (network, other.finish(10_000_000.0, "F").0)
    }

    #[test]
    fn a_redirect_is_a_request_of_its_own() {
        let hop = json!({"status": 301, "headers": {"Location": "/new"}, "encodedDataLength": 200, "connectionId": 7, "mimeType": "",
            "timing": {"requestTime": 10.01, "dnsStart": -1, "connectStart": 1.0, "connectEnd": 21.0, "sslStart": -1, "sendStart": 22.0, "receiveHeadersStart": 50.0, "receiveHeadersEnd": 51.0}});
        let (network, requests) = taken(&[
            sent("doc", "http://a.test/old", 10.005, json!({})),
            sent("doc", "http://a.test/new", 10.07, json!({"redirectResponse": hop})),
            event(
                "responseReceived",
                json!({"requestId": "doc", "type": "Document", "response": {"status": 200, "headers": {}, "mimeType": "text/html", "connectionId": 7}}),
            ),
            event("dataReceived", json!({"requestId": "doc", "dataLength": 900})),
            event("loadingFinished", json!({"requestId": "doc", "timestamp": 10.2, "encodedDataLength": 1100})),
        ]);
        assert_eq!(network.busy(), 0);
        let [old, new] = requests.as_slice() else { panic!("two requests: {requests:#?}") };
        assert_eq!(
            (old.status, old.header("location"), old.end.map(|e| e.0.round())),
            (Some(301), Some("/new"), Some(70.0))
        );
        assert_eq!(
            (old.connect_start.map(|t| t.0.round()), old.first_byte.map(|t| t.0.round())),
            (Some(11.0), Some(60.0))
        );
        assert_eq!((new.redirected_from, new.initiator.kind), (Some(old.id), InitiatorKind::Redirect));
        assert_eq!(
            (new.transferred, new.unpacked, new.end.map(|e| e.0.round())),
            (Some(Bytes(1100)), Some(Bytes(900)), Some(200.0))
        );
        assert!(new.main_frame);
    }

    #[test]
    fn what_came_before_the_navigation_that_counts_is_left_out() {
        let mut network = Network::default();
        let hop = json!({"status": 302, "headers": {}, "mimeType": ""});
        for event in [
            sent("doc", "http://a.test/asked", 10.0, json!({})),
            sent("1", "http://a.test/early.png", 10.3, json!({"type": "Image"})),
            sent("doc2", "http://a.test/moved", 11.2, json!({"loaderId": "doc2"})),
            sent("doc2", "http://a.test/moved/", 11.3, json!({"loaderId": "doc2", "redirectResponse": hop})),
        ] {
            network.take(&event);
        }
        // The trace says that the second navigation began at 11.2 s, give or take a little.
        assert_eq!(network.busy(), 3, "of the first document nothing was said to have ended");
        network.navigated("F", "doc2");
        assert_eq!(network.busy(), 1);
        let (requests, before) = network.finish(11_201_000.0, "F");
        let urls: Vec<&str> = requests.iter().map(|r| &*r.url).collect();
        assert_eq!(urls, ["http://a.test/moved", "http://a.test/moved/"]);
        assert_eq!((requests[0].id, requests[1].redirected_from), (RequestId(0), Some(RequestId(0))));
        let before = before.expect("two requests came before");
        assert_eq!((before.requests, before.after.0.round()), (2, 1201.0));
    }

    #[test]
    fn private_headers_are_not_kept_whichever_event_brings_them() {
        let (_, requests) = taken(&[
            event(
                "requestWillBeSentExtraInfo",
                json!({"requestId": "1", "headers": {"Cookie": "id=secret", "Accept": "*/*"}}),
            ),
            sent("1", "http://a.test/x", 10.1, json!({"type": "Script"})),
            event(
                "responseReceived",
                json!({"requestId": "1", "type": "Script", "response": {"status": 200, "headers": {"x": "plain"}}}),
            ),
            event(
                "responseReceivedExtraInfo",
                json!({"requestId": "1", "statusCode": 200, "headers": {"Set-Cookie": "id=secret\nother=secret", "Server": "x"}}),
            ),
        ]);
        let text = serde_json::to_string(&requests).expect("requests are JSON");
        assert!(!text.contains("secret"), "{text}");
        assert_eq!(requests[0].response_headers.iter().filter(|h| h.name == "Set-Cookie").count(), 2);
        assert_eq!(requests[0].header("server"), Some("x"));
    }

    #[test]
    fn caches_failures_and_streams_are_told() {
        let (network, requests) = taken(&[
            sent("1", "http://a.test/cached.css", 10.1, json!({"type": "Stylesheet"})),
            event("requestServedFromCache", json!({"requestId": "1"})),
            event("loadingFinished", json!({"requestId": "1", "timestamp": 10.1, "encodedDataLength": 0})),
            sent("2", "http://a.test/gone.png", 10.2, json!({"type": "Image"})),
            event(
                "loadingFailed",
                json!({"requestId": "2", "timestamp": 10.3, "errorText": "net::ERR_CONNECTION_RESET"}),
            ),
            sent("3", "http://a.test/live", 10.2, json!({"type": "EventSource"})),
            event(
                "responseReceived",
                json!({"requestId": "3", "type": "EventSource", "response": {"status": 200, "headers": {}}}),
            ),
            sent("4", "http://a.test/same", 10.2, json!({"type": "Fetch"})),
            event("responseReceivedExtraInfo", json!({"requestId": "4", "statusCode": 304, "headers": {}})),
            sent("5", "data:image/png;base64,AAAA", 10.2, json!({"type": "Image"})),
            event("resourceChangedPriority", json!({"requestId": "2", "newPriority": "VeryLow"})),
            event("loadingFinished", json!({"requestId": "never-sent", "timestamp": 10.1})),
        ]);
        assert_eq!(network.busy(), 1, "the fetch is under way; a stream and a data URL are not waited for");
        assert_eq!(requests[0].cache, Some(CacheSource::Memory));
        assert_eq!(
            (requests[1].failed.as_deref(), requests[1].final_priority.as_deref()),
            (Some("net::ERR_CONNECTION_RESET"), Some("VeryLow"))
        );
        assert_eq!((requests[2].kind, requests[2].end), (ResourceKind::Data, None));
        let news = |id: &str| network.is_traffic(&event("dataReceived", json!({"requestId": id})));
        assert_eq!((news("3"), news("4")), (false, true), "what a stream brings does not keep a page from being quiet");
        assert_eq!(requests[3].cache, Some(CacheSource::Revalidated));
    }

    #[test]
    fn who_asked_is_read_from_stacks_and_their_parents() {
        let stack = json!({"callFrames": [{"url": "", "lineNumber": 0}], "parent": {"callFrames": [{"url": "http://a.test/plugins/p/a.js", "lineNumber": 41}]}});
        let (_, requests) = taken(&[
            sent(
                "1",
                "http://a.test/late.js",
                10.1,
                json!({"type": "Script", "initiator": {"type": "script", "stack": stack}}),
            ),
            sent(
                "2",
                "http://a.test/base.css",
                10.1,
                json!({"type": "Stylesheet", "initiator": {"type": "parser", "url": "http://a.test/", "lineNumber": 8}}),
            ),
            sent(
                "3",
                "http://a.test/font.woff2",
                10.2,
                json!({"type": "Font", "initiator": {"type": "parser", "url": "http://a.test/base.css"}}),
            ),
        ]);
        assert_eq!(requests[0].initiator.url.as_deref(), Some("http://a.test/plugins/p/a.js"));
        assert_eq!((requests[1].initiator.kind, requests[1].initiator.line), (InitiatorKind::Parser, Some(9)));
        assert_eq!(requests[2].initiator.kind, InitiatorKind::Style, "what a sheet names is the sheet's");
    }
}
