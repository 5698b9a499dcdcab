//! The site's tracing: a span for the answer, for each plugin's hook, for the theme's template and for each query, sent
//! as OTLP over HTTP after the answer has gone out. Only what the caller asks to be traced is (`traceparent`, sampled).

use opentelemetry_proto::tonic::collector::trace::v1::ExportTraceServiceRequest;
use opentelemetry_proto::tonic::common::v1::{AnyValue, InstrumentationScope, KeyValue, any_value::Value};
use opentelemetry_proto::tonic::resource::v1::Resource;
use opentelemetry_proto::tonic::trace::v1::span::SpanKind;
use opentelemetry_proto::tonic::trace::v1::{ResourceSpans, ScopeSpans, Span};
use prost::Message;
use rand::Rng;
use std::cell::RefCell;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// Answers whose spans may wait to be sent; of more, the spans are lost, as an exporter's are.
const MOST_WAITING: usize = 64;

/// The caller's trace, where the caller wants it traced (W3C Trace Context).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Caller {
    trace: Vec<u8>,
    span: Vec<u8>,
}

impl Caller {
    /// From a `traceparent` header; `None` where it is none, or not to be traced.
    pub fn of(header: &str) -> Option<Self> {
        let parts: Vec<&str> = header.split('-').collect();
        let [_, trace, span, flags] = parts.as_slice() else { return None };
        let sampled = u8::from_str_radix(flags, 16).ok()? & 1 == 1;
        let bytes = |text: &str, length: usize| {
            let all: Option<Vec<u8>> =
                (0..text.len() / 2).map(|at| u8::from_str_radix(text.get(at * 2..at * 2 + 2)?, 16).ok()).collect();
            all.filter(|bytes| bytes.len() == length)
        };
        Some(Self { trace: bytes(trace, 16)?, span: bytes(span, 8)? }).filter(|_| sampled)
    }
}

fn text(key: &str, value: &str) -> KeyValue {
    let value = Some(AnyValue { value: Some(Value::StringValue(value.to_owned())) });
    KeyValue { key: key.to_owned(), value, ..KeyValue::default() }
}

fn number(key: &str, value: i64) -> KeyValue {
    KeyValue {
        key: key.to_owned(),
        value: Some(AnyValue { value: Some(Value::IntValue(value)) }),
        ..KeyValue::default()
    }
}

/// What is done for one answer, as it is done. Without a caller nothing is kept of it.
pub struct Tracer {
    caller: Option<Caller>,
    began: Instant,
    began_ns: u64,
    spans: RefCell<Vec<Span>>,
    /// Those that are under way.
    open: RefCell<Vec<usize>>,
}

impl Tracer {
    /// Of an answer that begins now.
    pub fn new(caller: Option<Caller>) -> Self {
        let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
        let began_ns = u64::try_from(since.as_nanos()).unwrap_or(0);
        Self { caller, began: Instant::now(), began_ns, spans: RefCell::default(), open: RefCell::default() }
    }

    fn now(&self) -> u64 {
        self.began_ns + u64::try_from(self.began.elapsed().as_nanos()).unwrap_or(0)
    }

    /// Does something within a span.
    pub fn within<T>(
        &self,
        name: &str,
        kind: SpanKind,
        attributes: impl FnOnce() -> Vec<KeyValue>,
        work: impl FnOnce() -> T,
    ) -> T {
        let Some(caller) = &self.caller else { return work() };
        let parent =
            self.open.borrow().last().map_or(caller.span.clone(), |open| self.spans.borrow()[*open].span_id.clone());
        let span = Span {
            trace_id: caller.trace.clone(),
            span_id: rand::rng().random_range(1..=u64::MAX).to_be_bytes().to_vec(),
            parent_span_id: parent,
            name: name.to_owned(),
            kind: kind.into(),
            attributes: attributes(),
            start_time_unix_nano: self.now(),
            ..Span::default()
        };
        let place = self.spans.borrow().len();
        self.spans.borrow_mut().push(span);
        self.open.borrow_mut().push(place);
        let made = work();
        self.open.borrow_mut().pop();
        let now = self.now();
        if let Some(span) = self.spans.borrow_mut().get_mut(place) {
            span.end_time_unix_nano = now;
        }
        made
    }

    /// A plugin's hook.
    pub fn hook<T>(&self, plugin: &str, function: &str, work: impl FnOnce() -> T) -> T {
        let about = || {
            vec![
                text("plugin.name", plugin),
                text("code.function.name", function),
                text("code.file.path", &format!("/srv/mooring/plugins/{plugin}/hooks.mo")),
            ]
        };
        self.within(&format!("hook {plugin}"), SpanKind::Internal, about, work)
    }

    /// A query; `rows` tells how many came of it.
    pub fn query<T>(
        &self,
        sql: &str,
        rows: impl FnOnce(&T) -> i64,
        ask: impl FnOnce() -> rusqlite::Result<T>,
    ) -> rusqlite::Result<T> {
        let about = || vec![text("db.system.name", "sqlite"), text("db.query.text", sql)];
        let name = sql.split(' ').next().unwrap_or("query");
        let place = self.spans.borrow().len();
        let found = self.within(name, SpanKind::Client, about, ask)?;
        if let Some(span) = self.spans.borrow_mut().get_mut(place) {
            span.attributes.push(number("db.response.returned_rows", rows(&found)));
        }
        Ok(found)
    }

    /// The whole answer.
    pub fn answer<T>(&self, method: &str, path: &str, work: impl FnOnce() -> T) -> T {
        let about = || {
            vec![text("http.request.method", method), text("url.path", path), number("http.response.status_code", 200)]
        };
        self.within(&format!("{method} {path}"), SpanKind::Server, about, work)
    }

    /// The theme's template of a page.
    pub fn template<T>(&self, theme: &str, name: &str, work: impl FnOnce() -> T) -> T {
        let about = || vec![text("theme.name", theme), text("template.name", name)];
        self.within(&format!("render {name}"), SpanKind::Internal, about, work)
    }

    /// What was done, as it is sent.
    pub fn done(self) -> Vec<Span> {
        self.spans.into_inner()
    }
}

/// Sends spans to where they are collected, one request an answer, in a thread of its own.
pub struct Exporter {
    send: SyncSender<Vec<Span>>,
}

impl Exporter {
    /// To an address such as `http://127.0.0.1:7460/v1/traces`.
    pub fn to(address: String) -> Self {
        let (send, waiting) = sync_channel(MOST_WAITING);
        std::thread::spawn(move || export(&address, &waiting));
        Self { send }
    }

    /// Has spans sent; nobody waits for it.
    pub fn send(&self, spans: Vec<Span>) {
        if !spans.is_empty() {
            let _ = self.send.try_send(spans);
        }
    }
}

fn export(address: &str, waiting: &Receiver<Vec<Span>>) {
    let agent: ureq::Agent = ureq::Agent::config_builder().timeout_global(Some(Duration::from_secs(10))).build().into();
    while let Ok(spans) = waiting.recv() {
        let body = request(spans).encode_to_vec();
        for attempt in 0..3 {
            let sent = agent.post(address).header("content-type", "application/x-protobuf").send(&body[..]);
            if sent.is_ok() {
                break;
            }
            std::thread::sleep(Duration::from_millis(200 << attempt));
        }
    }
}

fn request(spans: Vec<Span>) -> ExportTraceServiceRequest {
    let resource = Resource { attributes: vec![text("service.name", "skerry-line")], ..Resource::default() };
    let scope = InstrumentationScope { name: "mooring".into(), ..InstrumentationScope::default() };
    let scope_spans = vec![ScopeSpans { scope: Some(scope), spans, ..ScopeSpans::default() }];
    let resource_spans = vec![ResourceSpans { resource: Some(resource), scope_spans, ..ResourceSpans::default() }];
    ExportTraceServiceRequest { resource_spans }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEADER: &str = "00-0af7651916cd43dd8448eb211c80319c-00f067aa0ba902b7-01";

    #[test]
    fn only_what_the_caller_wants_traced_is() {
        assert!(Caller::of(HEADER).is_some());
        for not in ["", "00-0af7", "00-0af7651916cd43dd8448eb211c80319c-00f067aa0ba902b7-00", "00-xx-yy-01"] {
            assert_eq!(Caller::of(not), None, "{not}");
        }
        let untraced = Tracer::new(None);
        assert_eq!(untraced.answer("GET", "/", || untraced.hook("a", "b", || 7)), 7);
        assert!(untraced.done().is_empty());
    }

    #[test]
    fn spans_lie_within_each_other_as_the_work_does() {
        let tracer = Tracer::new(Caller::of(HEADER));
        tracer.answer("GET", "/", || {
            tracer.hook("tide-table", "tides", || tracer.query("select 1", |n| *n, || Ok(1))).expect("a number");
            tracer.template("tidemark", "home", || ());
        });
        let spans = tracer.done();
        let parents: Vec<Option<usize>> =
            spans.iter().map(|s| spans.iter().position(|p| p.span_id == s.parent_span_id)).collect();
        assert_eq!(parents, [None, Some(0), Some(1), Some(0)]);
        assert_eq!(spans[0].parent_span_id, [0, 0xf0, 0x67, 0xaa, 0x0b, 0xa9, 0x02, 0xb7]);
        assert!(spans.iter().all(|s| s.end_time_unix_nano >= s.start_time_unix_nano));
        assert_eq!(spans[2].attributes.len(), 3, "with the rows that came");
    }
}
