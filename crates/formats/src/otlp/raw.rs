//! A span as it was sent, with what the semantic conventions make of its attributes.

use super::{Coding, read};
use crate::FormatError;
use opentelemetry_proto::tonic::common::v1::{AnyValue, KeyValue, any_value::Value};
use opentelemetry_proto::tonic::trace::v1::span::SpanKind as SentKind;
use opentelemetry_proto::tonic::trace::v1::status::StatusCode;
use phainon_core::SpanKind;

/// A span as it was sent; times by the server's own clock.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct RawSpan {
    /// In hexadecimal, as are the other ids.
    pub trace: String,
    pub id: String,
    pub parent: Option<String>,
    pub name: String,
    pub kind: SpanKind,
    /// Nanoseconds since 1970.
    pub start_ns: u64,
    pub end_ns: u64,
    pub service: Option<String>,
    pub told_owner: Option<(String, bool)>,
    pub file: Option<String>,
    pub function: Option<String>,
    pub query: Option<String>,
    pub rows: Option<u64>,
    pub address: Option<String>,
    pub failed: Option<String>,
    /// Of the span of an answer: the path that it is for, and the method.
    pub path: Option<String>,
    pub method: Option<String>,
    /// The status that it answered with.
    pub status: Option<u16>,
    pub attributes: Vec<(String, String)>,
}

impl RawSpan {
    /// How long it took, in ms; nothing where its clock went backwards.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn duration_ms(&self) -> f64 {
        self.end_ns.saturating_sub(self.start_ns) as f64 / 1e6
    }
}

/// Texts of attributes are cut after so many letters; queries after more.
const LONGEST: usize = 1_000;
const LONGEST_QUERY: usize = 20_000;

fn cut(text: String, longest: usize) -> String {
    if text.len() <= longest { text } else { text.chars().take(longest).chain(['…']).collect() }
}

fn text_of(value: &AnyValue) -> String {
    match &value.value {
        Some(Value::StringValue(text)) => text.clone(),
        Some(Value::BoolValue(it)) => it.to_string(),
        Some(Value::IntValue(it)) => it.to_string(),
        Some(Value::DoubleValue(it)) => it.to_string(),
        Some(Value::ArrayValue(all)) => all.values.iter().take(50).map(text_of).collect::<Vec<_>>().join(", "),
        Some(Value::KvlistValue(all)) => {
            let pair = |kv: &KeyValue| format!("{}: {}", kv.key, kv.value.as_ref().map(text_of).unwrap_or_default());
            all.values.iter().take(50).map(pair).collect::<Vec<_>>().join(", ")
        }
        Some(Value::BytesValue(bytes)) => format!("({} bytes)", bytes.len()),
        _ => String::new(),
    }
}

/// A span's attributes, of which the known ones are taken out.
struct Told(Vec<(String, String)>);

impl Told {
    /// The first of these that is there.
    fn take(&mut self, keys: &[&str]) -> Option<String> {
        keys.iter().find_map(|key| {
            let at = self.0.iter().position(|(k, v)| k == key && !v.is_empty())?;
            Some(self.0.swap_remove(at).1)
        })
    }

    fn has(&self, begin: &str) -> bool {
        self.0.iter().any(|(key, _)| key.starts_with(begin))
    }
}

/// The spans of a batch.
///
/// # Errors
/// Where it is no OTLP JSON.
pub fn raw_spans(batch: &[u8], name: &str) -> Result<Vec<RawSpan>, FormatError> {
    let mut all = Vec::new();
    for resource in read(batch, Coding::Json, name)?.resource_spans {
        let attributes = resource.resource.iter().flat_map(|r| &r.attributes);
        let service = attributes.clone().find(|a| a.key == "service.name");
        let service = service.and_then(|a| a.value.as_ref()).map(text_of).filter(|s| !s.is_empty());
        for scope in resource.scope_spans {
            let library = scope.scope.as_ref().map(|s| s.name.clone()).filter(|n| !n.is_empty());
            for span in scope.spans {
                let pair = |a: KeyValue| Some((a.key, cut(text_of(a.value.as_ref()?), LONGEST_QUERY)));
                let mut told = Told(span.attributes.into_iter().filter_map(pair).take(128).collect());
                let is_query = told.has("db.");
                let sent = SentKind::try_from(span.kind).unwrap_or(SentKind::Unspecified);
                let lower = span.name.to_ascii_lowercase();
                let by_library = library.as_deref().map(str::to_ascii_lowercase).unwrap_or_default();
                let is_template = told.has("template.")
                    || lower.contains("render")
                    || lower.contains("template")
                    || by_library.contains("template")
                    || by_library.contains("jinja");
                let kind = match sent {
                    _ if is_query => SpanKind::Query,
                    SentKind::Server => SpanKind::Answer,
                    SentKind::Client | SentKind::Producer => SpanKind::Remote,
                    _ if is_template => SpanKind::Template,
                    _ => SpanKind::Other,
                };
                let status = told.take(&["http.response.status_code", "http.status_code"]);
                let url = told.take(&["url.full", "http.url"]);
                let path = told
                    .take(&["url.path", "http.target"])
                    .or_else(|| url::Url::parse(url.as_deref()?).ok().map(|u| u.path().to_owned()));
                let theme = told.take(&["theme.name", "app.theme"]);
                let plugin = told.take(&["plugin.name", "app.plugin", "module.name", "extension.name"]);
                let query = told.take(&["db.query.text", "db.statement"]);
                let failed = span.status.filter(|s| s.code() == StatusCode::Error);
                let mut raw = RawSpan {
                    trace: hex::encode(&span.trace_id),
                    id: hex::encode(&span.span_id),
                    parent: (!span.parent_span_id.is_empty()).then(|| hex::encode(&span.parent_span_id)),
                    kind,
                    start_ns: span.start_time_unix_nano,
                    end_ns: span.end_time_unix_nano,
                    service: service.clone(),
                    told_owner: theme.map(|name| (name, true)).or_else(|| plugin.map(|name| (name, false))),
                    file: told.take(&["code.file.path", "code.filepath"]),
                    function: told.take(&["code.function.name", "code.function"]),
                    query: query.or_else(|| is_query.then(|| span.name.clone())),
                    rows: told.take(&["db.response.returned_rows"]).and_then(|n| n.parse().ok()),
                    address: url.or_else(|| told.take(&["server.address", "net.peer.name", "peer.service"])),
                    failed: failed
                        .map(|s| if s.message.is_empty() { "failed".into() } else { cut(s.message, LONGEST) }),
                    path: path.map(|p| p.split(['?', '#']).next().unwrap_or("").to_owned()),
                    method: told.take(&["http.request.method", "http.method"]),
                    status: status.and_then(|s| s.parse().ok()),
                    name: cut(span.name, LONGEST),
                    attributes: Vec::new(),
                };
                raw.attributes = told.0.into_iter().map(|(key, value)| (key, cut(value, LONGEST))).collect();
                if let Some(library) = &library {
                    raw.attributes.push(("instrumentation".into(), cut(library.clone(), LONGEST)));
                }
                raw.attributes.sort();
                all.push(raw);
            }
        }
    }
    Ok(all)
}
