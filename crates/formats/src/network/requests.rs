//! From the network's events to requests.

use super::NetworkLog;
use super::sieve::SENT_MARK;
use crate::figures::figure;
use crate::{initiator, trace};
use phainon_core::{
    BodyPart, BodyRef, Bytes, CacheSource, Header, Initiator, InitiatorKind, Millis, Request, RequestId, ResourceKind,
};
use serde_json::Value;
use std::collections::HashMap;

/// What the browser did before the navigation that counts, where the page moved it on by itself.
#[derive(Debug, Clone, PartialEq)]
pub struct Before {
    /// How many requests.
    pub requests: usize,
    /// How long after the first of them that navigation began.
    pub after: Millis,
}

/// What a log says.
#[derive(Debug, Default)]
pub struct NetworkFacts {
    /// Requests, their times counted from navigation start.
    pub requests: Vec<Request>,
    /// What was there before it.
    pub before: Option<Before>,
    /// Wall clock less monotonic clock, in seconds.
    pub wall_offset: Option<f64>,
    /// Answers to `fetch()` whose bodies nobody read: they have no end.
    pub unread: usize,
    /// Requests beyond the limit, which are left out.
    pub beyond: usize,
}

/// More requests of one load are not read.
pub const MOST_REQUESTS: usize = 100_000;

/// One hop of a request as its events tell it; times in seconds of the browser's monotonic clock.
struct Hop {
    request: Request,
    asked: f64,
    finished: Option<f64>,
    timing: Value,
    received: u64,
    parts: Vec<(f64, u64)>,
    frame: Option<String>,
    redirected_from: Option<usize>,
    /// Whether the browser announced events of their own with the headers that really went over the line.
    has_extra: Option<bool>,
    early_hints: bool,
    fetched: bool,
    /// Which document asked; empty for a worker's script.
    loader: String,
    /// Whether it is the document of a frame.
    navigates: bool,
    /// Wall clock when the answer's headers were there.
    answered_wall_s: Option<f64>,
    /// When a web socket was open.
    opened: Option<f64>,
    /// When the page sent something over a web socket.
    said: Vec<f64>,
}

impl Hop {
    /// Whether it was asked for before a moment, in microseconds of the monotonic clock. The trace's
    /// navigation begins with its first request; the two clocks differ by less than the slack.
    fn is_before(&self, moment_us: f64) -> bool {
        const SLACK_US: f64 = 2_000.0;
        self.asked * 1e6 + SLACK_US < moment_us
    }
}

/// Headers as they went over the line; they come in the order of the hops, but not beside them.
#[derive(Default)]
struct Extra {
    sent: Vec<Vec<Header>>,
    received: Vec<(Vec<Header>, Option<u16>)>,
}

#[derive(Default)]
struct Reader {
    hops: Vec<Hop>,
    /// The hops of each request id, in order.
    of: HashMap<String, Vec<usize>>,
    extra: HashMap<String, Extra>,
    /// Web sockets whose handshake has not begun, by what is told of them as they are made.
    sockets: HashMap<String, Value>,
    /// The session in which the first request was told of, and its frame.
    first: Option<(Option<String>, Option<String>)>,
    wall_offset: Option<f64>,
    beyond: usize,
}

/// Reads a log. Times count from navigation start (microseconds of the monotonic clock; `None`
/// where no trace tells it: then from the first request); `main_frame` is the tab's main frame.
#[must_use]
pub fn read(log: &NetworkLog, navigation_start_us: Option<f64>, main_frame: Option<&str>) -> NetworkFacts {
    let mut reader = Reader::default();
    for event in log.events() {
        reader.take(&event.method, event.session.as_deref(), &event.params);
    }
    reader.match_headers();
    reader.name_bodies(log);
    reader.finish(navigation_start_us, main_frame)
}

impl Reader {
    fn last(&mut self, id: &str) -> Option<&mut Hop> {
        let at = *self.of.get(id)?.last()?;
        self.hops.get_mut(at)
    }

    fn take(&mut self, method: &str, session: Option<&str>, params: &Value) {
        let Some(id) = params["requestId"].as_str() else { return };
        match method {
            "Network.requestWillBeSent" => {
                let frame = || params["frameId"].as_str().map(str::to_owned);
                self.first.get_or_insert_with(|| (session.map(str::to_owned), frame()));
                self.will_be_sent(id, params);
            }
            "Network.webSocketCreated" => {
                self.sockets.insert(id.to_owned(), params.clone());
            }
            "Network.webSocketWillSendHandshakeRequest" => self.socket(id, session, params),
            "Network.webSocketHandshakeResponseReceived" => {
                let Some(hop) = self.last(id) else { return };
                hop.opened = figure(&params["timestamp"]);
                response(hop, &params["response"]);
            }
            "Network.webSocketFrameReceived" => {
                let Some(hop) = self.last(id) else { return };
                let size = params["dataLength"].as_u64().unwrap_or(0);
                hop.received = hop.received.saturating_add(size);
                hop.request.unpacked = Some(Bytes(hop.received));
                hop.parts.extend(figure(&params["timestamp"]).map(|at| (at, size)));
            }
            "Network.webSocketFrameSent" => {
                let Some(hop) = self.last(id) else { return };
                hop.said.extend(figure(&params["timestamp"]));
            }
            "Network.requestWillBeSentExtraInfo" => {
                self.extra.entry(id.to_owned()).or_default().sent.push(headers_of(&params["headers"]));
            }
            "Network.responseReceivedExtraInfo" => {
                let status = params["statusCode"].as_u64().and_then(|s| u16::try_from(s).ok());
                let headers = headers_of(&params["headers"]);
                self.extra.entry(id.to_owned()).or_default().received.push((headers, status));
            }
            "Network.responseReceived" => {
                let Some(hop) = self.last(id) else { return };
                if let Some(kind) = params["type"].as_str() {
                    hop.request.kind = trace::kind_of(kind, &hop.request.url);
                    hop.fetched = kind == "Fetch";
                }
                hop.has_extra = params["hasExtraInfo"].as_bool();
                response(hop, &params["response"]);
            }
            "Network.responseReceivedEarlyHints" => {
                if let Some(hop) = self.last(id) {
                    hop.early_hints = true;
                }
            }
            "Network.dataReceived" => {
                let Some(hop) = self.last(id) else { return };
                hop.received = hop.received.saturating_add(params["dataLength"].as_u64().unwrap_or(0));
                let packed = params["encodedDataLength"].as_u64().unwrap_or(0);
                if let Some(at) = figure(&params["timestamp"]) {
                    hop.parts.push((at, packed));
                }
            }
            "Network.requestServedFromCache" => {
                if let Some(hop) = self.last(id) {
                    hop.request.cache = Some(CacheSource::Memory);
                }
            }
            "Network.resourceChangedPriority" => {
                if let Some(hop) = self.last(id) {
                    hop.request.final_priority = params["newPriority"].as_str().map(str::to_owned);
                }
            }
            "Network.loadingFinished" => {
                let Some(hop) = self.last(id) else { return };
                hop.finished = figure(&params["timestamp"]);
                hop.request.transferred = whole(&params["encodedDataLength"]).map(Bytes);
                // A body that went straight into a blob passes by uncounted: its size is not known from here.
                let uncounted = hop.received == 0 && hop.fetched && !has_no_body(&hop.request);
                hop.request.unpacked = (!uncounted).then_some(Bytes(hop.received));
            }
            "Network.loadingFailed" => {
                let Some(hop) = self.last(id) else { return };
                hop.finished = figure(&params["timestamp"]);
                let why = params["blockedReason"].as_str().or(params["errorText"].as_str()).filter(|w| !w.is_empty());
                hop.request.failed = Some(why.unwrap_or("the browser gave no reason").to_owned());
            }
            _ => {}
        }
    }

    fn will_be_sent(&mut self, id: &str, params: &Value) {
        let at = figure(&params["timestamp"]).unwrap_or(0.0);
        if self.wall_offset.is_none()
            && let Some(wall) = figure(&params["wallTime"])
        {
            self.wall_offset = Some(wall - at);
        }
        let mut redirected_from = None;
        if params["redirectResponse"].is_object()
            && let Some(before) = self.of.get(id).and_then(|hops| hops.last().copied())
        {
            let hop = &mut self.hops[before];
            response(hop, &params["redirectResponse"]);
            hop.has_extra = params["redirectHasExtraInfo"].as_bool();
            hop.finished = Some(at);
            hop.request.transferred = whole(&params["redirectResponse"]["encodedDataLength"]).map(Bytes);
            redirected_from = Some(before);
        }
        let asked = &params["request"];
        let url = asked["url"].as_str().unwrap_or("");
        let kind = trace::kind_of(params["type"].as_str().unwrap_or(""), url);
        let mut request = Request::new(0, url, kind);
        request.method = asked["method"].as_str().unwrap_or("GET").to_owned();
        request.sent_mark = asked[SENT_MARK].as_u64().and_then(|m| u8::try_from(m).ok());
        request.priority = asked["initialPriority"].as_str().map(str::to_owned);
        request.request_headers = headers_of(&asked["headers"]);
        let navigation = params["loaderId"].as_str() == Some(id);
        request.initiator = initiator::read(&params["initiator"]);
        if redirected_from.is_some() {
            request.initiator = Initiator { kind: InitiatorKind::Redirect, ..Initiator::default() };
        }
        let mut hop = new_hop(request, at);
        hop.loader = params["loaderId"].as_str().unwrap_or("").to_owned();
        hop.navigates = navigation && redirected_from.is_none();
        hop.frame = params["frameId"].as_str().map(str::to_owned);
        hop.redirected_from = redirected_from;
        hop.fetched = params["type"].as_str() == Some("Fetch");
        self.add(id, hop);
    }

    /// A web socket is a request from its handshake on; it has no end of its own. Whose it is is not told: one of the
    /// session that the document was asked for in is taken to be that document's.
    fn socket(&mut self, id: &str, session: Option<&str>, params: &Value) {
        let Some(made) = self.sockets.remove(id) else { return };
        let mut request = Request::new(0, made["url"].as_str().unwrap_or(""), ResourceKind::Data);
        request.initiator = initiator::read(&made["initiator"]);
        request.request_headers = headers_of(&params["request"]["headers"]);
        let mut hop = new_hop(request, figure(&params["timestamp"]).unwrap_or(0.0));
        hop.frame = self.first.as_ref().filter(|(of, _)| of.as_deref() == session).and_then(|(_, frame)| frame.clone());
        self.add(id, hop);
    }

    fn add(&mut self, id: &str, hop: Hop) {
        if self.hops.len() >= MOST_REQUESTS {
            self.beyond += 1;
            return;
        }
        self.of.entry(id.to_owned()).or_default().push(self.hops.len());
        self.hops.push(hop);
    }

    /// Gives each hop the headers that really went over the line. The browser says for each hop
    /// whether it announces them, and announces them in the hops' order.
    fn match_headers(&mut self) {
        for (id, extra) in std::mem::take(&mut self.extra) {
            let Some(hops) = self.of.get(&id) else { continue };
            let (mut sent, mut received) = (extra.sent.into_iter(), extra.received.into_iter());
            for &at in hops {
                let hop = &mut self.hops[at];
                if hop.has_extra == Some(false) {
                    continue;
                }
                if let Some(headers) = sent.next() {
                    hop.request.request_headers = headers;
                }
                if let Some((headers, status)) = received.next() {
                    hop.request.response_headers = headers;
                    // What the server said, where the browser shows the page something else, or nothing.
                    match status {
                        Some(304) => hop.request.cache = Some(CacheSource::Revalidated),
                        status => hop.request.status = hop.request.status.or(status),
                    }
                }
            }
        }
    }

    fn name_bodies(&mut self, log: &NetworkLog) {
        for kept in &log.bodies {
            let Some(hop) = self.last(&kept.request) else { continue };
            hop.request.body = Some(BodyRef { hash: kept.hash.clone(), size: Bytes(kept.size) });
            // What came is what was counted, unless nobody counted.
            if kept.exact || hop.request.unpacked.is_none_or(|b| b.0 == 0) {
                hop.request.unpacked = Some(Bytes(kept.size));
            }
        }
    }

    fn finish(mut self, navigation_start_us: Option<f64>, main_frame: Option<&str>) -> NetworkFacts {
        let all = self.hops.len();
        let first = self.hops.first().map_or(0.0, |h| h.asked);
        let start_us = navigation_start_us.unwrap_or(first * 1e6);
        // Requests point to earlier ones by place.
        let kept: Vec<usize> = (0..all).filter(|&at| !self.hops[at].is_before(start_us)).collect();
        for (place, &at) in kept.iter().enumerate() {
            let from = self.hops[at].redirected_from.and_then(|from| kept.binary_search(&from).ok());
            let hop = &mut self.hops[at];
            hop.redirected_from = from;
            hop.request.id = RequestId(u32::try_from(place).unwrap_or(u32::MAX));
        }
        self.hops.retain(|hop| !hop.is_before(start_us));
        let before = (kept.len() < all)
            .then(|| Before { requests: all - kept.len(), after: Millis(start_us / 1000.0 - first * 1000.0) });
        let at = |seconds: f64| Millis((seconds * 1000.0 - start_us / 1000.0).max(0.0));
        let wall_offset = self.wall_offset;
        let unread =
            self.hops.iter().filter(|h| h.fetched && h.finished.is_none() && h.request.status.is_some()).count();
        let mut requests: Vec<Request> = self
            .hops
            .into_iter()
            .map(|hop| {
                let worker = is_worker_script(&hop);
                let mut request = hop.request;
                request.start = at(hop.asked);
                if worker {
                    let body = request.header("content-length").and_then(|v| v.trim().parse::<u64>().ok());
                    let plain = request.header("content-encoding").is_none().then_some(request.unpacked.map(|b| b.0));
                    let headers = request.transferred.unwrap_or_default().0;
                    request.transferred = body.or(plain.flatten()).map(|body| Bytes(headers + body));
                    let answered = hop.answered_wall_s.zip(wall_offset).map(|(wall, offset)| at(wall - offset));
                    request.first_byte = answered.map(|t| t.max(request.start));
                }
                trace::timing(&mut request, &hop.timing, start_us);
                if request.is_socket() {
                    request.sent = Some(request.start);
                    request.first_byte = hop.opened.map(|t| at(t).max(request.start));
                }
                request.said = hop.said.iter().map(|t| at(*t)).collect();
                request.end = hop.finished.map(|t| at(t).max(request.start));
                if let (Some(first), Some(end)) = (request.first_byte, request.end) {
                    request.first_byte = Some(first.min(end));
                }
                if hop.early_hints {
                    request.final_headers = final_headers(&hop.timing, start_us).map(|t| t.max(request.start));
                }
                request.parts =
                    hop.parts.iter().map(|(t, bytes)| BodyPart { at: at(*t), bytes: Bytes(*bytes) }).collect();
                request.main_frame = main_frame.is_none() || hop.frame.as_deref() == main_frame;
                // The document of an inner frame is asked for by the parser or by a script, as is told.
                if hop.navigates && (request.main_frame || request.initiator.kind == InitiatorKind::Unknown) {
                    request.initiator.kind = InitiatorKind::Navigation;
                }
                request.redirected_from = hop.redirected_from.map(|p| RequestId(u32::try_from(p).unwrap_or(0)));
                request
            })
            .collect();
        trace::name_style_initiators(&mut requests);
        NetworkFacts { requests, before, wall_offset: self.wall_offset, unread, beyond: self.beyond }
    }
}

fn new_hop(request: Request, asked: f64) -> Hop {
    Hop {
        request,
        asked,
        finished: None,
        timing: Value::Null,
        received: 0,
        parts: Vec::new(),
        frame: None,
        redirected_from: None,
        has_extra: None,
        early_hints: false,
        fetched: false,
        loader: String::new(),
        navigates: false,
        answered_wall_s: None,
        opened: None,
        said: Vec::new(),
    }
}

/// Answers that have no body by their nature (RFC 9110 §6.4.1).
fn has_no_body(request: &Request) -> bool {
    request.method == "HEAD"
        || matches!(request.status, Some(204 | 205 | 304))
        || request.header("content-length") == Some("0")
}

/// When the headers of the final answer were there, where others came before it.
fn final_headers(timing: &Value, start_us: f64) -> Option<Millis> {
    let base = figure(&timing["requestTime"]).filter(|t| *t > 0.0)?;
    let end = figure(&timing["receiveHeadersEnd"]).filter(|t| *t >= 0.0)?;
    Some(Millis(base * 1000.0 - start_us / 1000.0 + end))
}

fn response(hop: &mut Hop, response: &Value) {
    let request = &mut hop.request;
    request.status = response["status"].as_u64().and_then(|s| u16::try_from(s).ok()).filter(|s| *s > 0);
    request.mime = response["mimeType"].as_str().filter(|m| !m.is_empty()).map(str::to_owned);
    request.protocol = response["protocol"].as_str().map(str::to_owned);
    request.connection = whole(&response["connectionId"]).filter(|c| *c > 0);
    request.response_headers = headers_of(&response["headers"]);
    if response["fromDiskCache"].as_bool() == Some(true) {
        request.cache = request.cache.or(Some(CacheSource::Disk));
    }
    if response["fromServiceWorker"].as_bool() == Some(true) {
        request.cache = Some(CacheSource::ServiceWorker);
    }
    hop.timing = response["timing"].clone();
    hop.answered_wall_s = figure(&response["responseTime"]).filter(|t| *t > 0.0).map(|t| t / 1000.0);
}

/// The browser counts only the headers of a worker's script, and tells no phases of it.
fn is_worker_script(hop: &Hop) -> bool {
    hop.request.kind == ResourceKind::Script
        && hop.timing.is_null()
        && hop.request.cache.is_none()
        && hop.loader.is_empty()
}

fn whole(value: &Value) -> Option<u64> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    value.as_f64().filter(|v| *v >= 0.0 && *v < 1e15).map(|v| v as u64)
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

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    type Told = (&'static str, Value);

    fn sent(id: &str, url: &str, at: f64, extra: Value) -> Told {
        let mut params = json!({"requestId": id, "loaderId": "doc", "timestamp": at, "wallTime": 1_700_000_000.0 + at, "type": "Document", "frameId": "F",
            "request": {"url": url, "method": "GET", "headers": {}, "initialPriority": "High"}, "initiator": {"type": "other"}});
        for (key, value) in extra.as_object().expect("an object") {
            params[key] = value.clone();
        }
        ("requestWillBeSent", params)
    }

    fn log(events: &[Told]) -> NetworkLog {
        let mut log = NetworkLog::default();
        for (method, params) in events {
            log.add(&format!("Network.{method}"), Some("s"), params);
        }
        log
    }

    /// Navigation start at 10 s of the browser's clock.
    fn requests(events: &[Told]) -> Vec<Request> {
        read(&log(events), Some(10_000_000.0), Some("F")).requests
    }

    #[test]
    fn a_redirect_is_a_request_of_its_own() {
        let hop = json!({"status": 301, "headers": {"Location": "/new"}, "encodedDataLength": 200, "connectionId": 7, "mimeType": "",
            "timing": {"requestTime": 10.01, "dnsStart": -1, "connectStart": 1.0, "connectEnd": 21.0, "sslStart": -1, "sendStart": 22.0, "receiveHeadersStart": 50.0, "receiveHeadersEnd": 51.0}});
        let requests = requests(&[
            sent("doc", "http://a.test/old", 10.005, json!({})),
            sent("doc", "http://a.test/new", 10.07, json!({"redirectResponse": hop})),
            (
                "responseReceived",
                json!({"requestId": "doc", "type": "Document", "response": {"status": 200, "headers": {}, "mimeType": "text/html", "connectionId": 7}}),
            ),
            (
                "dataReceived",
                json!({"requestId": "doc", "timestamp": 10.15, "dataLength": 900, "encodedDataLength": 800}),
            ),
            ("loadingFinished", json!({"requestId": "doc", "timestamp": 10.2, "encodedDataLength": 1100})),
        ]);
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
        assert_eq!((new.parts.len(), new.parts[0].at.0.round(), new.parts[0].bytes), (1, 150.0, Bytes(800)));
        assert!(new.main_frame);
    }

    #[test]
    fn an_inner_frame_is_asked_for_by_the_parser_or_by_a_script() {
        let parser = json!({"type": "parser", "url": "http://a.test/", "lineNumber": 6, "columnNumber": 0});
        let stack = json!({"callFrames": [{"url": "http://a.test/a.js", "lineNumber": 0, "columnNumber": 0}]});
        let frame = |id: &str, initiator: Value| {
            let more = json!({"type": "Document", "loaderId": id, "frameId": id, "initiator": initiator});
            sent(id, "http://a.test/inner", 10.1, more)
        };
        let page = json!({"type": "Document", "loaderId": "1", "frameId": "main", "initiator": {"type": "other"}});
        let log = log(&[
            sent("1", "http://a.test/", 10.0, page),
            frame("2", parser),
            frame("3", json!({"type": "script", "stack": stack})),
        ]);
        let facts = read(&log, Some(10e6), Some("main"));
        let told: Vec<_> = facts.requests.iter().map(|r| (r.main_frame, r.initiator.kind, r.initiator.line)).collect();
        assert_eq!(
            told,
            [
                (true, InitiatorKind::Navigation, None),
                (false, InitiatorKind::Parser, Some(7)),
                (false, InitiatorKind::Script, Some(1)),
            ]
        );
    }

    #[test]
    fn each_hop_gets_the_headers_that_were_its_own() {
        let hop = |status: u16| json!({"status": status, "headers": {}, "mimeType": ""});
        let extra = |value: &str, status: u16| {
            ("responseReceivedExtraInfo", json!({"requestId": "1", "statusCode": status, "headers": {"Server": value}}))
        };
        let asked =
            |value: &str| ("requestWillBeSentExtraInfo", json!({"requestId": "1", "headers": {"X-Hop": value}}));
        // The headers of the first hop are told only after the second was asked for; the second hop came from the cache and has none.
        let requests = requests(&[
            sent("1", "http://a.test/1", 10.1, json!({})),
            sent("1", "http://a.test/2", 10.2, json!({"redirectResponse": hop(302), "redirectHasExtraInfo": true})),
            asked("first"),
            extra("first", 302),
            sent("1", "http://a.test/3", 10.3, json!({"redirectResponse": hop(301), "redirectHasExtraInfo": false})),
            (
                "responseReceived",
                json!({"requestId": "1", "type": "Script", "hasExtraInfo": true, "response": {"status": 200, "headers": {}}}),
            ),
            asked("third"),
            extra("third", 200),
        ]);
        let told: Vec<_> = requests
            .iter()
            .map(|r| (r.header("server"), r.request_headers.first().map(|h| h.value.as_str())))
            .collect();
        assert_eq!(told, [(Some("first"), Some("first")), (None, None), (Some("third"), Some("third"))]);
    }

    #[test]
    fn what_came_before_the_navigation_that_counts_is_left_out() {
        let hop = json!({"status": 302, "headers": {}, "mimeType": ""});
        let log = log(&[
            sent("doc", "http://a.test/asked", 10.0, json!({})),
            sent("1", "http://a.test/early.png", 10.3, json!({"type": "Image"})),
            sent("doc2", "http://a.test/moved", 11.2, json!({"loaderId": "doc2"})),
            sent("doc2", "http://a.test/moved/", 11.3, json!({"loaderId": "doc2", "redirectResponse": hop})),
        ]);
        // The trace says that the second navigation began at 11.2 s, give or take a little.
        let facts = read(&log, Some(11_201_000.0), Some("F"));
        let urls: Vec<&str> = facts.requests.iter().map(|r| &*r.url).collect();
        assert_eq!(urls, ["http://a.test/moved", "http://a.test/moved/"]);
        assert_eq!((facts.requests[0].id, facts.requests[1].redirected_from), (RequestId(0), Some(RequestId(0))));
        let before = facts.before.expect("two requests came before");
        assert_eq!((before.requests, before.after.0.round()), (2, 1201.0));
        assert_eq!(facts.wall_offset, Some(1_700_000_000.0));
    }

    #[test]
    fn early_hints_leave_the_first_byte_and_tell_the_final_headers() {
        let timing =
            json!({"requestTime": 10.0, "sendStart": 1.0, "receiveHeadersStart": 90.0, "receiveHeadersEnd": 840.0});
        let requests = requests(&[
            sent("doc", "http://a.test/", 10.0, json!({})),
            ("responseReceivedEarlyHints", json!({"requestId": "doc", "headers": {"link": "</a.css>; rel=preload"}})),
            (
                "responseReceived",
                json!({"requestId": "doc", "type": "Document", "response": {"status": 200, "headers": {}, "timing": timing}}),
            ),
        ]);
        assert_eq!((requests[0].first_byte, requests[0].final_headers), (Some(Millis(90.0)), Some(Millis(840.0))));
    }

    #[test]
    fn bodies_that_nobody_read_or_counted_are_told_apart() {
        let answer = |id: &str| {
            ("responseReceived", json!({"requestId": id, "type": "Fetch", "response": {"status": 200, "headers": {}}}))
        };
        let mut log = log(&[
            sent("unread", "http://a.test/ping", 10.1, json!({"type": "Fetch"})),
            answer("unread"),
            sent("blob", "http://a.test/picture", 10.2, json!({"type": "Fetch"})),
            answer("blob"),
            ("loadingFinished", json!({"requestId": "blob", "timestamp": 10.4, "encodedDataLength": 5200})),
        ]);
        let facts = read(&log, Some(10_000_000.0), Some("F"));
        assert_eq!((facts.unread, facts.requests[0].end), (1, None));
        assert_eq!(facts.requests[1].unpacked, None, "not 0: nobody counted");
        log.bodies.push(super::super::KeptBody { request: "blob".into(), hash: "h".into(), size: 5000, exact: true });
        let facts = read(&log, Some(10_000_000.0), Some("F"));
        assert_eq!(facts.requests[1].unpacked, Some(Bytes(5000)));
    }

    #[test]
    fn caches_failures_and_streams_are_told() {
        let requests = requests(&[
            sent("1", "http://a.test/cached.css", 10.1, json!({"type": "Stylesheet"})),
            ("requestServedFromCache", json!({"requestId": "1"})),
            ("loadingFinished", json!({"requestId": "1", "timestamp": 10.1, "encodedDataLength": 0})),
            sent("2", "http://a.test/gone.png", 10.2, json!({"type": "Image"})),
            ("loadingFailed", json!({"requestId": "2", "timestamp": 10.3, "errorText": "net::ERR_CONNECTION_RESET"})),
            sent("3", "http://a.test/live", 10.2, json!({"type": "EventSource"})),
            (
                "responseReceived",
                json!({"requestId": "3", "type": "EventSource", "response": {"status": 200, "headers": {}}}),
            ),
            sent("4", "http://a.test/same", 10.2, json!({"type": "Fetch"})),
            ("responseReceivedExtraInfo", json!({"requestId": "4", "statusCode": 304, "headers": {}})),
            ("resourceChangedPriority", json!({"requestId": "2", "newPriority": "VeryLow"})),
            ("loadingFinished", json!({"requestId": "never-sent", "timestamp": 10.1})),
            ("webSocketCreated", json!({"requestId": "5", "url": "ws://a.test/live"})),
            (
                "webSocketWillSendHandshakeRequest",
                json!({"requestId": "5", "timestamp": 10.5, "request": {"headers": {}}}),
            ),
            (
                "webSocketHandshakeResponseReceived",
                json!({"requestId": "5", "timestamp": 10.6, "response": {"status": 101, "headers": {}}}),
            ),
            ("webSocketFrameSent", json!({"requestId": "5", "timestamp": 10.7})),
            (
                "webSocketFrameReceived",
                json!({"requestId": "5", "timestamp": 10.8, "response": {"opcode": 1, "payloadData": "tide"}}),
            ),
        ]);
        assert_eq!(requests[0].cache, Some(CacheSource::Memory));
        assert_eq!(
            (requests[1].failed.as_deref(), requests[1].final_priority.as_deref()),
            (Some("net::ERR_CONNECTION_RESET"), Some("VeryLow"))
        );
        assert_eq!((requests[2].kind, requests[2].end), (ResourceKind::Data, None));
        assert_eq!(requests[3].cache, Some(CacheSource::Revalidated));
        let socket = &requests[4];
        assert_eq!((&*socket.url, socket.status, socket.main_frame), ("ws://a.test/live", Some(101), true));
        let ms = |at: Millis| at.0.round();
        assert_eq!((socket.sent.map(ms), socket.first_byte.map(ms), socket.end), (Some(500.0), Some(600.0), None));
        assert_eq!((ms(socket.said[0]), ms(socket.parts[0].at), socket.parts[0].bytes), (700.0, 800.0, Bytes(4)));
    }

    #[test]
    fn who_asked_is_read_from_stacks_and_their_parents() {
        let stack = json!({"callFrames": [{"url": "", "lineNumber": 0}], "parent": {"callFrames": [{"url": "http://a.test/plugins/p/a.js", "lineNumber": 41}]}});
        let requests = requests(&[
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
