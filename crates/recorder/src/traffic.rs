//! What is under way on the network: whether the page still waits for something, what became of
//! its document, and which bodies can be asked for at the end.

use crate::protocol::Event;
use phainon_formats::NetworkLog;
use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::time::Duration;
use tokio::time::Instant;

/// A document that a frame asked for.
#[derive(Debug, Clone, Default)]
pub struct Document {
    pub url: String,
    pub status: Option<u16>,
    pub mime: Option<String>,
    /// Whether the server said that it is a file to download.
    pub attached: bool,
    /// Why it did not come whole.
    pub failed: Option<String>,
}

/// A response whose body the browser can hand out.
#[derive(Debug, Clone)]
pub struct Answered {
    pub id: String,
    pub session: Option<String>,
    /// Bytes of the body after unpacking, as far as they were counted.
    pub received: u64,
    /// Bytes over the line that were more than the headers.
    pub expected: u64,
    /// The encoding of its text, as the browser understood it.
    pub charset: String,
}

#[derive(Default)]
struct Open {
    frame: Option<String>,
    loader: String,
    session: Option<String>,
    url: String,
    /// Seconds of the browser's monotonic clock.
    asked: f64,
    received: u64,
    /// Bytes over the line: of the headers, and in all.
    headers: u64,
    encoded: u64,
    charset: String,
    fetched: bool,
    /// The answer's headers have come.
    answered: bool,
    /// A worker's script.
    worker: bool,
    /// The server's headers were seen. Of the script of a worker that pages share no page is told more.
    seen: bool,
    /// It never ends of itself: the page is not waiting for it.
    stream: bool,
    document: bool,
    last: Option<Instant>,
}

/// Follows the network events of one load.
#[derive(Default)]
pub struct Traffic {
    /// Events as they are kept.
    pub log: NetworkLog,
    all: HashMap<String, Open>,
    order: Vec<String>,
    in_flight: HashSet<String>,
    finished: Vec<String>,
    documents: Vec<(String, Document)>,
    count: usize,
}

impl Traffic {
    /// Requests still under way that a page's quiet must wait for. An answer to `fetch()` of which
    /// nothing has come for `quiet` has a body that nobody reads: it would stay open for ever.
    pub fn busy(&self, quiet: Duration) -> usize {
        let now = Instant::now();
        let waited_for = |id: &&String| {
            let Some(open) = self.all.get(*id) else { return false };
            let untold = open.worker && open.seen && !open.answered;
            let unread = open.fetched && open.answered;
            !((untold || unread) && open.last.is_some_and(|last| now - last >= quiet))
        };
        self.in_flight.iter().filter(waited_for).count()
    }

    /// How many requests there have been.
    pub fn count(&self) -> usize {
        self.count
    }

    /// A frame has another document now: what the one before it asked for is not waited for any more,
    /// and not always announced as ended.
    pub fn navigated(&mut self, frame: &str, loader: &str) {
        let all = &self.all;
        self.in_flight
            .retain(|id| all.get(id).is_none_or(|open| open.frame.as_deref() != Some(frame) || open.loader == loader));
    }

    /// Whether an event is news of something that the page may be waiting for; what comes through an
    /// open stream is not.
    pub fn is_traffic(&self, event: &Event) -> bool {
        let stream = event.params["requestId"].as_str().and_then(|id| self.all.get(id)).is_some_and(|open| open.stream);
        let pushed =
            event.method.starts_with("Network.webSocket") || event.method == "Network.eventSourceMessageReceived";
        !pushed && (!stream || event.method == "Network.loadingFinished")
    }

    /// The newest document that a frame asked for; without a frame's id, any frame.
    pub fn document(&self, frame: &str) -> Option<&Document> {
        self.documents.iter().rfind(|(of, _)| frame.is_empty() || of == frame).map(|(_, document)| document)
    }

    /// Takes one event in.
    pub fn take(&mut self, event: &Event) {
        let params = &event.params;
        self.log.add(&event.method, event.session.as_deref(), params);
        let Some(id) = params["requestId"].as_str() else { return };
        match event.method.as_str() {
            "Network.requestWillBeSent" => self.will_be_sent(id, event),
            "Network.responseReceived" => {
                let kind = params["type"].as_str().unwrap_or("");
                let Some(open) = self.all.get_mut(id) else { return };
                open.answered = true;
                // A worker's own session tells of the answer to its script, and has the body.
                open.session = event.session.clone();
                open.fetched = kind == "Fetch";
                open.last = Some(Instant::now());
                open.headers = whole(&params["response"]["encodedDataLength"]);
                open.charset = params["response"]["charset"].as_str().unwrap_or("").to_owned();
                if matches!(kind, "EventSource" | "WebSocket") {
                    open.stream = true;
                    self.in_flight.remove(id);
                }
                if let Some(document) = self.document_of(id) {
                    answer(document, &params["response"]);
                }
            }
            // What the server said, where the browser shows the page nothing of it.
            "Network.responseReceivedExtraInfo" => {
                if let Some(open) = self.all.get_mut(id) {
                    open.seen = true;
                    open.last = Some(Instant::now());
                }
                let status = params["statusCode"].as_u64().and_then(|s| u16::try_from(s).ok());
                let attached = is_attached(&params["headers"]);
                if let Some(document) = self.document_of(id) {
                    document.status = document.status.or(status);
                    document.attached |= attached;
                }
            }
            "Network.dataReceived" => {
                if let Some(open) = self.all.get_mut(id) {
                    open.received = open.received.saturating_add(params["dataLength"].as_u64().unwrap_or(0));
                    open.last = Some(Instant::now());
                }
            }
            "Network.loadingFinished" => {
                self.in_flight.remove(id);
                self.finished.push(id.to_owned());
                if let Some(open) = self.all.get_mut(id) {
                    open.encoded = whole(&params["encodedDataLength"]);
                }
            }
            "Network.loadingFailed" => {
                self.in_flight.remove(id);
                let why = params["blockedReason"].as_str().or(params["errorText"].as_str()).filter(|w| !w.is_empty());
                let why = why.unwrap_or("the browser gave no reason").to_owned();
                if let Some(document) = self.document_of(id) {
                    document.failed = Some(why);
                }
            }
            _ => {}
        }
    }

    fn will_be_sent(&mut self, id: &str, event: &Event) {
        let params = &event.params;
        let url = params["request"]["url"].as_str().unwrap_or("");
        let kind = params["type"].as_str().unwrap_or("");
        let frame = params["frameId"].as_str().map(str::to_owned);
        self.count += 1;
        if !self.all.contains_key(id) {
            self.order.push(id.to_owned());
        }
        let open = Open {
            frame: frame.clone(),
            loader: params["loaderId"].as_str().unwrap_or("").to_owned(),
            session: event.session.clone(),
            url: url.to_owned(),
            asked: params["timestamp"].as_f64().unwrap_or(0.0),
            stream: matches!(kind, "EventSource" | "WebSocket"),
            document: kind == "Document",
            worker: kind == "Script" && params["initiator"]["type"].as_str() == Some("other"),
            ..Open::default()
        };
        if is_http(url) && !open.stream {
            self.in_flight.insert(id.to_owned());
        }
        self.all.insert(id.to_owned(), open);
        if kind == "Document" {
            self.documents.push((frame.unwrap_or_default(), Document { url: url.to_owned(), ..Document::default() }));
        }
    }

    /// The document that a request is for, if it is for one.
    fn document_of(&mut self, id: &str) -> Option<&mut Document> {
        let open = self.all.get(id).filter(|open| open.document)?;
        let frame = open.frame.clone().unwrap_or_default();
        self.documents.iter_mut().rfind(|(of, _)| *of == frame).map(|(_, document)| document)
    }

    /// The responses whose bodies can be asked for, in the order in which they were asked for since
    /// navigation start (microseconds of the monotonic clock).
    pub fn answered(&self, navigation_start_us: f64) -> Vec<Answered> {
        const SLACK_US: f64 = 2_000.0;
        let finished: HashSet<&String> = self.finished.iter().collect();
        self.order
            .iter()
            .filter(|id| finished.contains(id))
            .filter_map(|id| Some((id, self.all.get(id)?)))
            .filter(|(_, open)| is_http(&open.url) && open.asked * 1e6 + SLACK_US >= navigation_start_us)
            .map(|(id, open)| Answered {
                id: id.clone(),
                session: open.session.clone(),
                received: open.received,
                expected: open.encoded.saturating_sub(open.headers),
                charset: open.charset.clone(),
            })
            .collect()
    }
}

fn whole(value: &Value) -> u64 {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    value.as_f64().filter(|v| (0.0..1e15).contains(v)).map_or(0, |v| v as u64)
}

fn is_http(url: &str) -> bool {
    url.starts_with("http://") || url.starts_with("https://")
}

fn answer(document: &mut Document, response: &Value) {
    document.status = response["status"].as_u64().and_then(|s| u16::try_from(s).ok()).filter(|s| *s > 0);
    document.mime = response["mimeType"].as_str().filter(|m| !m.is_empty()).map(str::to_owned);
    document.attached |= is_attached(&response["headers"]);
}

fn is_attached(headers: &Value) -> bool {
    headers.as_object().into_iter().flatten().any(|(name, value)| {
        name.eq_ignore_ascii_case("content-disposition")
            && value.as_str().is_some_and(|v| v.trim().starts_with("attachment"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    const QUIET: Duration = Duration::from_secs(2);

    fn event(method: &str, params: Value) -> Event {
        Event { method: format!("Network.{method}"), session: Some("s".into()), params }
    }

    fn sent(id: &str, url: &str, kind: &str, loader: &str) -> Event {
        event(
            "requestWillBeSent",
            json!({"requestId": id, "loaderId": loader, "frameId": "F", "timestamp": 10.0, "type": kind, "request": {"url": url, "headers": {}}}),
        )
    }

    fn answered(id: &str, kind: &str) -> Event {
        event("responseReceived", json!({"requestId": id, "type": kind, "response": {"status": 200, "headers": {}}}))
    }

    #[tokio::test(start_paused = true)]
    async fn what_a_page_waits_for_is_told_from_what_it_does_not() {
        let mut traffic = Traffic::default();
        for event in [
            sent("1", "http://a.test/x.js", "Script", "d"),
            sent("2", "data:image/png;base64,AAAA", "Image", "d"),
            sent("3", "http://a.test/live", "EventSource", "d"),
            sent("4", "http://a.test/ping", "Fetch", "d"),
            answered("4", "Fetch"),
            sent("5", "http://a.test/slow.json", "Fetch", "d"),
            event("loadingFinished", json!({"requestId": "2"})),
            event("loadingFinished", json!({"requestId": "never sent"})),
        ] {
            traffic.take(&event);
        }
        assert_eq!(traffic.busy(QUIET), 3, "a stream and a data URL are not waited for");
        tokio::time::advance(Duration::from_secs(3)).await;
        assert_eq!(traffic.busy(QUIET), 2, "an answer of which nothing more came has a body that nobody reads");
        traffic.take(&event("dataReceived", json!({"requestId": "4", "dataLength": 10})));
        assert_eq!(traffic.busy(QUIET), 3, "it was only slow");
        traffic.take(&event("loadingFailed", json!({"requestId": "1", "errorText": "net::ERR_ABORTED"})));
        assert_eq!(traffic.busy(QUIET), 2);
        let news = |id: &str| traffic.is_traffic(&event("dataReceived", json!({"requestId": id})));
        assert_eq!((news("3"), news("5")), (false, true), "what a stream brings does not keep a page from being quiet");
    }

    #[test]
    fn a_document_that_was_left_is_not_waited_for() {
        let mut traffic = Traffic::default();
        for event in [
            sent("d1", "http://a.test/", "Document", "d1"),
            sent("1", "http://a.test/early.png", "Image", "d1"),
            sent("d2", "http://a.test/moved", "Document", "d2"),
        ] {
            traffic.take(&event);
        }
        traffic.navigated("F", "d2");
        assert_eq!(traffic.busy(QUIET), 1);
        traffic.take(&event(
            "responseReceivedExtraInfo",
            json!({"requestId": "d2", "statusCode": 204, "headers": {"Content-Disposition": "attachment; filename=x"}}),
        ));
        let document = traffic.document("F").expect("a document");
        assert_eq!(
            (document.url.as_str(), document.status, document.attached),
            ("http://a.test/moved", Some(204), true)
        );
    }

    #[test]
    fn bodies_are_asked_for_in_order_and_since_navigation_start() {
        let mut traffic = Traffic::default();
        for id in ["1", "2", "3"] {
            traffic.take(&sent(id, "http://a.test/x", "Script", "d"));
        }
        for id in ["3", "1"] {
            traffic.take(&event("dataReceived", json!({"requestId": id, "dataLength": 7})));
            traffic.take(&event("loadingFinished", json!({"requestId": id})));
        }
        let ids = |since: f64| traffic.answered(since).into_iter().map(|a| (a.id, a.received)).collect::<Vec<_>>();
        assert_eq!(ids(10_000_000.0), [("1".to_owned(), 7), ("3".to_owned(), 7)]);
        assert!(ids(10_003_000.0).is_empty());
    }
}
