//! OTLP traces: spans as the exporters of OpenTelemetry send them (OTLP 1.x, in protobuf and in JSON).
//!
//! [`batches`] takes what an exporter sent apart by trace; each batch is kept as OTLP JSON, whatever it came in.
//! `join` lays the spans of a load's trace on the load's clock, each to the request that it was made for.

mod join;
mod raw;

pub(crate) use join::join;
pub use join::load_of_trace;
pub use raw::{RawSpan, raw_spans};

use crate::FormatError;
use opentelemetry_proto::tonic::collector::trace::v1::{ExportTracePartialSuccess, ExportTraceServiceResponse};
use opentelemetry_proto::tonic::trace::v1::TracesData;
use prost::Message;
use std::collections::BTreeMap;

/// What spans are written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Coding {
    Protobuf,
    Json,
}

/// Spans of one trace, as they came together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SpanBatch {
    /// The trace's id, in hexadecimal.
    pub trace: String,
    /// How many spans.
    pub spans: usize,
    /// They, as OTLP JSON.
    pub json: Vec<u8>,
}

/// So far into a file its first key stands.
const TELLING: usize = 4_096;

/// Whether a file that begins so is one of OTLP JSON: its first key tells.
#[must_use]
pub fn is_json(beginning: &[u8]) -> bool {
    let text = String::from_utf8_lossy(&beginning[..beginning.len().min(TELLING)]);
    let inside = text.trim_start_matches('\u{feff}').trim_start().strip_prefix('{').map(str::trim_start);
    inside.is_some_and(|rest| rest.starts_with("\"resourceSpans\"") || rest.starts_with("\"resource_spans\""))
}

/// What an exporter sent, by trace.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Batches {
    /// By the id of their trace.
    pub batches: Vec<SpanBatch>,
    /// Spans without a usable id of their trace or of their own.
    pub rejected: usize,
}

/// Attributes whose values are never stored: headers, as some exporters add them.
fn is_private(key: &str) -> bool {
    key.starts_with("http.request.header") || key.starts_with("http.response.header") || key.contains("cookie")
}

/// Reads OTLP traces; JSON may be one document or one a line.
pub(crate) fn read(bytes: &[u8], coding: Coding, name: &str) -> Result<TracesData, FormatError> {
    let broken = |why: String| FormatError::NoSpans { name: name.to_owned(), why };
    match coding {
        Coding::Protobuf => TracesData::decode(bytes).map_err(|e| broken(format!("no OTLP protobuf: {e}"))),
        Coding::Json => {
            let mut all = TracesData::default();
            let documents = serde_json::Deserializer::from_slice(bytes).into_iter::<TracesData>();
            let mut seen = false;
            for document in documents {
                all.resource_spans.extend(document.map_err(|e| FormatError::json(name, &e))?.resource_spans);
                seen = true;
            }
            if seen { Ok(all) } else { Err(broken("it is empty".into())) }
        }
    }
}

fn is_id(bytes: &[u8], length: usize) -> bool {
    bytes.len() == length && bytes.iter().any(|b| *b != 0)
}

/// Takes what an exporter sent apart by trace.
///
/// # Errors
/// Where it is no OTLP.
pub fn batches(bytes: &[u8], coding: Coding, name: &str) -> Result<Batches, FormatError> {
    let mut by_trace: BTreeMap<Vec<u8>, (TracesData, usize)> = BTreeMap::new();
    let mut rejected = 0;
    for mut resource in read(bytes, coding, name)?.resource_spans {
        for mut scope in std::mem::take(&mut resource.scope_spans) {
            let mut spans: BTreeMap<Vec<u8>, Vec<_>> = BTreeMap::new();
            for mut span in std::mem::take(&mut scope.spans) {
                if !is_id(&span.trace_id, 16) || !is_id(&span.span_id, 8) {
                    rejected += 1;
                    continue;
                }
                span.attributes.retain(|a| !is_private(&a.key));
                spans.entry(span.trace_id.clone()).or_default().push(span);
            }
            for (trace, spans) in spans {
                let (data, count) = by_trace.entry(trace).or_default();
                *count += spans.len();
                let mut own_scope = scope.clone();
                own_scope.spans = spans;
                // One resource follows another of the same service as a rule.
                match data.resource_spans.last_mut() {
                    Some(last) if last.resource == resource.resource => last.scope_spans.push(own_scope),
                    _ => {
                        let mut own = resource.clone();
                        own.scope_spans = vec![own_scope];
                        data.resource_spans.push(own);
                    }
                }
            }
        }
    }
    let batches = by_trace
        .into_iter()
        .map(|(trace, (data, spans))| {
            let json = serde_json::to_vec(&data).map_err(|e| FormatError::json(name, &e))?;
            Ok(SpanBatch { trace: hex::encode(trace), spans, json })
        })
        .collect::<Result<Vec<_>, FormatError>>()?;
    Ok(Batches { batches, rejected })
}

/// The protobuf that tells an exporter how many of its spans were not taken (`ExportTraceServiceResponse`).
#[must_use]
pub fn partial_success(rejected: usize) -> Vec<u8> {
    let partial = (rejected > 0).then(|| ExportTracePartialSuccess {
        rejected_spans: i64::try_from(rejected).unwrap_or(i64::MAX),
        error_message: "spans without a usable id".into(),
    });
    ExportTraceServiceResponse { partial_success: partial }.encode_to_vec()
}

/// Several batches as one document of OTLP JSON.
///
/// # Errors
/// Where one of them is no OTLP.
pub fn one_document(batches: &[Vec<u8>], name: &str) -> Result<Vec<u8>, FormatError> {
    let mut all = TracesData::default();
    for batch in batches {
        all.resource_spans.extend(read(batch, Coding::Json, name)?.resource_spans);
    }
    serde_json::to_vec(&all).map_err(|e| FormatError::json(name, &e))
}

#[cfg(test)]
mod tests {
    use super::*;
    use opentelemetry_proto::tonic::common::v1::{AnyValue, KeyValue, any_value::Value};
    use opentelemetry_proto::tonic::trace::v1::{ResourceSpans, ScopeSpans, Span};

    fn span(trace: u8, id: u8) -> Span {
        let attribute = |key: &str, value: &str| KeyValue {
            key: key.into(),
            value: Some(AnyValue { value: Some(Value::StringValue(value.into())) }),
            ..KeyValue::default()
        };
        Span {
            trace_id: vec![trace; 16],
            span_id: vec![id; 8],
            name: format!("span {id}"),
            start_time_unix_nano: 1_000,
            end_time_unix_nano: 2_000,
            attributes: vec![attribute("db.query.text", "select 1"), attribute("http.request.header.cookie", "s3cret")],
            ..Span::default()
        }
    }

    fn sent() -> TracesData {
        let scope = |spans| ScopeSpans { spans, ..ScopeSpans::default() };
        let resource = ResourceSpans {
            scope_spans: vec![scope(vec![span(1, 1), span(2, 2), span(1, 3)]), scope(vec![span(1, 4), span(0, 5)])],
            ..ResourceSpans::default()
        };
        TracesData { resource_spans: vec![resource] }
    }

    #[test]
    fn spans_are_told_apart_by_trace_in_both_codings_and_headers_are_not_kept() {
        let json = serde_json::to_vec(&sent()).expect("JSON");
        let of_json = batches(&json, Coding::Json, "x").expect("OTLP JSON");
        let of_protobuf = batches(&sent().encode_to_vec(), Coding::Protobuf, "x").expect("OTLP protobuf");
        assert_eq!(of_json, of_protobuf);
        let counts: Vec<(&str, usize)> = of_json.batches.iter().map(|b| (&b.trace[..4], b.spans)).collect();
        assert_eq!((counts.as_slice(), of_json.rejected), ([("0101", 3), ("0202", 1)].as_slice(), 1));
        let text = String::from_utf8_lossy(&of_json.batches[0].json);
        assert!(text.contains("select 1") && !text.contains("s3cret"), "{text}");
        let both: Vec<Vec<u8>> = of_json.batches.into_iter().map(|b| b.json).collect();
        let again = batches(&one_document(&both, "x").expect("one"), Coding::Json, "x").expect("OTLP");
        assert_eq!(again.batches.iter().map(|b| b.spans).sum::<usize>(), 4);
    }

    #[test]
    fn a_file_of_spans_is_told_by_its_first_key() {
        assert!(is_json(b" {\n \"resourceSpans\": [") && is_json(b"\xef\xbb\xbf{\"resourceSpans\":[]}"));
        for other in [&b"{\"log\":{\"comment\":\"resourceSpans\"}}"[..], b"[{\"resourceSpans\":1}]", b"", b"{"] {
            assert!(!is_json(other));
        }
    }

    #[test]
    fn one_document_a_line_is_read_and_what_is_no_otlp_is_refused() {
        let line = serde_json::to_string(&sent()).expect("JSON");
        let lines = format!("{line}\n{line}\n");
        assert_eq!(batches(lines.as_bytes(), Coding::Json, "x").expect("lines").batches[0].spans, 6);
        for wrong in [&b""[..], b"[]", b"{\"resourceSpans\":[{\"scopeSpans\":3}]}", b"\xff\xff"] {
            assert!(batches(wrong, Coding::Json, "x").is_err(), "{wrong:?}");
        }
        assert!(batches(&[0xff; 40], Coding::Protobuf, "x").is_err());
        assert!(batches(b"", Coding::Protobuf, "x").expect("an empty message is one").batches.is_empty());
    }
}
