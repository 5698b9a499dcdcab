//! Where servers send their spans: OTLP over HTTP on `/v1/traces`, in protobuf or JSON, plain or gzip.
//!
//! What was answered with 200 is on the disk: requests that come together are written together, so that one
//! synchronisation of the disk is enough for many. More than can be taken is refused with 503 and a time to try again,
//! which exporters do by themselves.

use crate::error::Problem;
use crate::rereading;
use crate::state::{State, apart};
use axum::Router;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, State as Shared};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::post;
use flate2::read::MultiGzDecoder;
use phainon_formats::otlp::{Coding, batches};
use phainon_store::{PackedBatch, SpanRoom};
use std::io::Read;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::oneshot;

/// One request may be this large on the line …
pub const LARGEST: usize = 16 << 20;
/// … and this large unpacked: 50,000 spans with their attributes are half of it.
const LARGEST_UNPACKED: u64 = 96 << 20;
/// So many are written together.
const TOGETHER: usize = 128;
/// What is too much is looked for after so many writes.
const THINNED_AFTER: usize = 200;
/// Late spans of a load come in several requests as a rule: it is read anew once they have come.
const LATE: Duration = Duration::from_millis(700);

/// The route of this part.
pub fn router() -> Router<Arc<State>> {
    Router::new()
        .route("/v1/traces", post(receive).layer(DefaultBodyLimit::max(LARGEST)))
        .layer(axum::middleware::map_response(crate::error::in_problems))
}

/// Writes what comes, for as long as the program runs.
pub async fn keep_writing(state: Arc<State>) {
    let Some(mut written) = state.spans.to_write() else { return };
    let mut writes = 0usize;
    while let Some(first) = written.recv().await {
        let mut together = vec![first];
        while together.len() < TOGETHER
            && let Ok(next) = written.try_recv()
        {
            together.push(next);
        }
        let (all, waiting): (Vec<_>, Vec<_>) = together.into_iter().unzip();
        let all: Vec<PackedBatch> = all.into_iter().flatten().collect();
        let kept = state.with_store(move |store| Ok(store.keep_spans(&all, None)?)).await;
        let answer = kept.as_ref().map(|_| ()).map_err(ToString::to_string);
        for who in waiting {
            let _ = who.send(answer.clone());
        }
        if let Ok(late) = kept
            && !late.is_empty()
        {
            let state = state.clone();
            tokio::spawn(async move {
                tokio::time::sleep(LATE).await;
                rereading::read_late(&state, late).await;
            });
        }
        writes += 1;
        if writes % THINNED_AFTER == 1 {
            let thinned = state.with_store(|store| Ok(store.thin_spans(SpanRoom::default())?)).await;
            if let Err(why) = thinned {
                tracing::warn!("spans that nobody needs could not be dropped: {why}");
            }
        }
    }
}

fn busy() -> Response {
    let problem = Problem::new(StatusCode::SERVICE_UNAVAILABLE, "More spans come than can be taken; try again.");
    ([(header::RETRY_AFTER, "1")], problem).into_response()
}

/// What spans are written in, by the header.
fn coding_of(headers: &HeaderMap) -> Result<Coding, Problem> {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or("");
    match kind.split(';').next().unwrap_or("").trim() {
        "application/x-protobuf" => Ok(Coding::Protobuf),
        "application/json" => Ok(Coding::Json),
        other => Err(Problem::new(
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            format!("OTLP comes as application/x-protobuf or application/json, not as “{other}”."),
        )),
    }
}

fn unpacked(body: &Bytes, headers: &HeaderMap) -> Result<Vec<u8>, Problem> {
    match headers.get(header::CONTENT_ENCODING).and_then(|v| v.to_str().ok()).unwrap_or("identity") {
        "identity" | "" => Ok(body.to_vec()),
        "gzip" => {
            let mut unpacked = Vec::new();
            let mut reader = MultiGzDecoder::new(&body[..]).take(LARGEST_UNPACKED + 1);
            reader
                .read_to_end(&mut unpacked)
                .map_err(|e| Problem::bad(format!("The gzip cannot be unpacked: {e}.")))?;
            if unpacked.len() as u64 > LARGEST_UNPACKED {
                return Err(Problem::new(
                    StatusCode::PAYLOAD_TOO_LARGE,
                    format!("Unpacked it is more than {} MB.", LARGEST_UNPACKED >> 20),
                ));
            }
            Ok(unpacked)
        }
        other => Err(Problem::new(
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            format!("Spans come plain or as gzip, not as “{other}”."),
        )),
    }
}

async fn receive(Shared(app): Shared<Arc<State>>, headers: HeaderMap, body: Bytes) -> Response {
    let Ok(_place) = app.spans.waiting.try_acquire() else { return busy() };
    match take(&app, &headers, body).await {
        Ok(answer) => answer,
        Err(problem) => problem.into_response(),
    }
}

async fn take(app: &Arc<State>, headers: &HeaderMap, body: Bytes) -> Result<Response, Problem> {
    let coding = coding_of(headers)?;
    let own = headers.clone();
    let _turn = app.spans.at_once.acquire().await;
    let (packed, rejected) = apart(move || {
        let bytes = unpacked(&body, &own)?;
        let read = batches(&bytes, coding, "What was sent").map_err(|e| Problem::bad(e.to_string()))?;
        Ok((read.batches.iter().map(PackedBatch::of).collect::<Vec<_>>(), read.rejected))
    })
    .await?;
    if !packed.is_empty() {
        let (sender, answer) = oneshot::channel();
        if app.spans.write.try_send((packed, sender)).is_err() {
            return Ok(busy());
        }
        match answer.await {
            Ok(Ok(())) => {}
            Ok(Err(why)) => return Err(Problem::new(StatusCode::SERVICE_UNAVAILABLE, why)),
            Err(_) => return Ok(busy()),
        }
    }
    Ok(answer(coding, rejected))
}

/// The answer of OTLP: nothing where all was taken, else how much was not.
fn answer(coding: Coding, rejected: usize) -> Response {
    match coding {
        Coding::Json if rejected == 0 => ([(header::CONTENT_TYPE, "application/json")], "{}").into_response(),
        Coding::Json => {
            let partial = serde_json::json!({"partialSuccess": {
                "rejectedSpans": rejected.to_string(), "errorMessage": "spans without a usable id",
            }});
            ([(header::CONTENT_TYPE, "application/json")], partial.to_string()).into_response()
        }
        Coding::Protobuf => {
            ([(header::CONTENT_TYPE, "application/x-protobuf")], phainon_formats::otlp::partial_success(rejected))
                .into_response()
        }
    }
}

/// So long is waited for the first spans of a load's trace …
const FIRST: Duration = Duration::from_millis(1_500);
/// … and, once some came, until for so long no more did.
const REST: Duration = Duration::from_millis(600);
/// But no longer than this.
const LONGEST: Duration = Duration::from_secs(8);

/// Waits briefly for the spans of a trace, as its exporters send them after their answers; gives what came.
pub async fn of_trace(state: &Arc<State>, trace: &str) -> Result<Vec<Vec<u8>>, Problem> {
    let began = tokio::time::Instant::now();
    let (mut seen, mut since) = ((0, 0), began);
    loop {
        let wanted = trace.to_owned();
        let now = state.with_store(move |store| Ok(store.waiting_spans(&wanted)?)).await?;
        if now != seen {
            (seen, since) = (now, tokio::time::Instant::now());
        }
        let patience = if seen.0 == 0 { FIRST } else { REST };
        if since.elapsed() >= patience || began.elapsed() >= LONGEST {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    if seen.0 == 0 {
        return Ok(Vec::new());
    }
    let wanted = trace.to_owned();
    state.with_store(move |store| Ok(store.spans_of_trace(&wanted)?)).await
}
