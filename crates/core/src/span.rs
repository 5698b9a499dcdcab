//! Spans: what a server tells of its own work for a request (OpenTelemetry, tracing data model).

use crate::{Millis, RequestId};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a span's time is spent on, by OpenTelemetry's semantic conventions as far as they say.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum SpanKind {
    /// A database query (`db.*`).
    Query,
    /// A call of another service (a client's span that is no query).
    Remote,
    /// Putting a template together.
    Template,
    /// Any other piece of code that has a span.
    Other,
    /// The answer as a whole: its own time is what no other span covers.
    Answer,
}

impl SpanKind {
    /// All kinds, in the order in which screens show them.
    pub const ALL: [Self; 5] = [Self::Query, Self::Remote, Self::Template, Self::Other, Self::Answer];
}

/// One span. Times are on the load's clock: the server's own clock is not the browser's, so the span of an answer
/// is laid into the middle of its request's wait, and all below it move along.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Span {
    /// Its parent's place in [`crate::Load::spans`]; none for the span of an answer.
    pub parent: Option<u32>,
    /// The request that it was made for.
    pub request: RequestId,
    /// As the server called it.
    pub name: String,
    /// What its time is spent on.
    pub kind: SpanKind,
    /// When it began.
    pub start: Millis,
    /// How long it took.
    pub duration: Millis,
    /// The service that made it (`service.name`).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub service: Option<String>,
    /// Whose work it is, by the server's own word, and whether that is a theme.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub told_owner: Option<(String, bool)>,
    /// The file of its code (`code.file.path`).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
    /// Its function (`code.function.name`).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub function: Option<String>,
    /// The query's text, as it was sent (`db.query.text`, earlier `db.statement`).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub query: Option<String>,
    /// How many rows it gave (`db.response.returned_rows`).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rows: Option<u64>,
    /// Where a remote call went.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// Why it failed, where it did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub failed: Option<String>,
    /// Everything else that the server told of it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub attributes: Vec<(String, String)>,
}

impl Span {
    /// A span of which nothing but its place, its kind and its time are known yet.
    #[must_use]
    pub fn new(
        request: RequestId,
        parent: Option<u32>,
        name: &str,
        kind: SpanKind,
        (start, duration): (Millis, Millis),
    ) -> Self {
        Self {
            parent,
            request,
            name: name.to_owned(),
            kind,
            start,
            duration,
            service: None,
            told_owner: None,
            file: None,
            function: None,
            query: None,
            rows: None,
            address: None,
            failed: None,
            attributes: Vec::new(),
        }
    }

    /// When it ended.
    #[must_use]
    pub fn end(&self) -> Millis {
        self.start + self.duration
    }
}
