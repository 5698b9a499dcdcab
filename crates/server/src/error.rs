//! Errors as `application/problem+json` (RFC 9457): a sentence that helps.

use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use phainon_formats::FormatError;
use phainon_store::StoreError;
use serde_json::json;

/// What a request is answered with when it cannot be done.
#[derive(Debug)]
pub struct Problem {
    status: StatusCode,
    detail: String,
}

impl Problem {
    /// With a status and a sentence.
    pub fn new(status: StatusCode, detail: impl Into<String>) -> Self {
        Self { status, detail: detail.into() }
    }

    /// The caller's mistake.
    pub fn bad(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::BAD_REQUEST, detail)
    }
}

impl std::fmt::Display for Problem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.detail)
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let body = json!({
            "type": "about:blank",
            "title": self.status.canonical_reason().unwrap_or("Error"),
            "status": self.status.as_u16(),
            "detail": self.detail,
        });
        (self.status, [(header::CONTENT_TYPE, "application/problem+json")], body.to_string()).into_response()
    }
}

/// What the framework refuses by itself (an address, a header or a body of the wrong shape) says so in plain
/// text; here it becomes a problem like all others.
pub async fn in_problems(answer: Response) -> Response {
    let status = answer.status();
    let is_text = answer
        .headers()
        .get(header::CONTENT_TYPE)
        .is_none_or(|kind| kind.to_str().is_ok_and(|kind| kind.starts_with("text/plain")));
    if !(status.is_client_error() && is_text) {
        return answer;
    }
    let text = axum::body::to_bytes(answer.into_body(), 4_096).await.unwrap_or_default();
    let text = String::from_utf8_lossy(&text);
    let detail = match text.trim() {
        "" => format!("The server does not take this: {}.", status.canonical_reason().unwrap_or("it gives no reason")),
        text => format!("{}.", text.trim_end_matches('.')),
    };
    Problem::new(status, detail).into_response()
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        let status = match error {
            StoreError::NotFound(..) => StatusCode::NOT_FOUND,
            StoreError::NoRoom { .. } => StatusCode::INSUFFICIENT_STORAGE,
            _ => StatusCode::INTERNAL_SERVER_ERROR,
        };
        Self::new(status, error.to_string())
    }
}

impl From<FormatError> for Problem {
    fn from(error: FormatError) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, error.to_string())
    }
}
