//! The part of the API that reads one load in depth: main thread, bodies, document, visits, weight.

use crate::error::Problem;
use crate::rereading;
use crate::state::{State, apart};
use axum::extract::{Path, Query, State as Shared};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use phainon_core::forecast::Model;
use phainon_core::metrics::{SiteWeight, UnusedFile, unused};
use phainon_core::path::{
    path_to_first_paint, path_to_frame, path_to_interaction, path_to_largest, path_to_mark, path_to_request,
};
use phainon_core::profile::{Functions, functions};
use phainon_core::words::{SaidLeg, SaidRelief, note_sentence, return_reason, say_leg, say_relief};
use phainon_core::{
    Header, Millis, Prepared, Request, RequestId, ReturnVisit, SaidDocument, document_view, return_visit, tracks,
};
use phainon_store::Part;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// Text bodies are shown up to here.
const MOST_SHOWN: usize = 2_000_000;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/recordings/{id}/loads/{number}/tracks", get(draw))
        .route("/recordings/{id}/loads/{number}/functions", get(by_function))
        .route("/recordings/{id}/loads/{number}/path", get(path_to))
        .route("/recordings/{id}/loads/{number}/reliefs", get(reliefs))
        .route("/recordings/{id}/loads/{number}/document", get(document))
        .route("/recordings/{id}/loads/{number}/requests/{request}/headers", get(headers))
        .route("/recordings/{id}/loads/{number}/requests/{request}/body", get(body))
        .route("/recordings/{id}/loads/{number}/requests/{request}/picture", get(picture))
        .route("/recordings/{id}/visits", get(visits))
        .route("/recordings/{id}/detail", get(detail))
        .route("/recordings/{id}/detail/used", get(used))
        .route("/recordings/{id}/detail/inline-only.jpg", get(inline_only))
        .route("/site-weight", get(weight))
}

async fn draw(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Response> {
    rereading::fresh(&app, id, number).await?;
    let kept = app.with_store(move |store| Ok(store.part(id, number, Part::Tracks)?)).await?;
    let bytes = match kept {
        Some(packed) => apart(move || Ok(packed.bytes()?)).await?,
        // Without a main thread there is nothing to draw.
        None => {
            let load = rereading::prepared(&app, id, number).await?;
            apart(move || Ok(tracks(&load).to_bytes())).await?
        }
    };
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
}

#[derive(Deserialize)]
struct Span {
    from: Option<f64>,
    to: Option<f64>,
}

async fn by_function(
    Shared(app): Shared<App>,
    Path((id, number)): Path<(i64, u32)>,
    Query(span): Query<Span>,
) -> Answer<Json<Functions>> {
    let load = rereading::prepared(&app, id, number).await?;
    let from = Millis(span.from.filter(|v| v.is_finite()).unwrap_or(0.0));
    let to = Millis(span.to.filter(|v| v.is_finite()).unwrap_or(f64::MAX));
    apart(move || {
        let Some(profile) = &load.load.profile else { return Ok(Json(Functions::default())) };
        Ok(Json(functions(profile, &load.load.work, &load.owners, from, to)))
    })
    .await
}

#[derive(Deserialize)]
struct Where {
    to: String,
}

/// The path to the first paint, a frame (`frame:3`), a mark of the page's own (`mark:0`), or the last byte of a
/// request (`request:12`).
async fn path_to(
    Shared(app): Shared<App>,
    Path((id, number)): Path<(i64, u32)>,
    Query(wanted): Query<Where>,
) -> Answer<Json<Vec<SaidLeg>>> {
    let load = rereading::prepared(&app, id, number).await?;
    apart(move || {
        let (kind, number) = wanted.to.split_once(':').unwrap_or((&wanted.to, ""));
        let number = number.parse::<u32>().ok();
        let place = number.and_then(|n| usize::try_from(n).ok());
        let (path, why) = match (kind, number.map(RequestId), place) {
            ("first-paint", None, _) => (path_to_first_paint(&load), "This load's first paint is not known."),
            ("frame", _, Some(place)) => (path_to_frame(&load, place), "This load has no such frame."),
            ("mark", _, Some(place)) => {
                (path_to_mark(&load, place), "This load has no such mark, or no script is known to have set it.")
            }
            ("interaction", _, Some(place)) => {
                (path_to_interaction(&load, place), "This load has no such interaction.")
            }
            ("request", Some(id), _) if load.load.request(id).is_some() => {
                (path_to_request(&load, id), "This request's last byte never came, so no path leads to it.")
            }
            ("request", Some(_), _) => (None, "This load has no such request."),
            _ => {
                let why =
                    "Say where the path is to lead: `first-paint`, or `request:`, `frame:`, `mark:` or `interaction:` and its number.";
                return Err(Problem::new(StatusCode::BAD_REQUEST, why));
            }
        };
        let path = path.ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, why))?;
        Ok(Json(path.iter().map(say_leg).collect()))
    })
    .await
}

/// What the largest paint would gain from each file of its path, were it there at once.
async fn reliefs(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Json<Vec<SaidRelief>>> {
    let load = rereading::prepared(&app, id, number).await?;
    apart(move || {
        let path = path_to_largest(&load).unwrap_or_default();
        let reliefs = Model::of(&load).reliefs(&path);
        Ok(Json(reliefs.iter().map(|relief| say_relief(relief, &load.load)).collect()))
    })
    .await
}

/// A kept body of one request.
async fn kept_body(app: &App, id: i64, load: &Prepared, request: u32) -> Answer<(Request, Vec<u8>)> {
    let request = load
        .load
        .request(RequestId(request))
        .cloned()
        .ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, format!("This load has no request {request}.")))?;
    let missing = || Problem::new(StatusCode::NOT_FOUND, "The body of this response was not kept.");
    let hash = request.body.as_ref().map(|b| b.hash.clone()).ok_or_else(missing)?;
    let body = app
        .with_store(move |store| {
            store.recording(id)?;
            Ok(store.body(&hash)?)
        })
        .await?
        .ok_or_else(missing)?;
    Ok((request, body))
}

async fn document(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Json<SaidDocument>> {
    let load = rereading::prepared(&app, id, number).await?;
    let document = load
        .load
        .document()
        .map(|d| d.id.0)
        .ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "This load has no document."))?;
    let (_, body) = kept_body(&app, id, &load, document).await?;
    apart(move || {
        document_view(&load.load, &body)
            .map(|view| Json(view.said()))
            .ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "This load has no document."))
    })
    .await
}

/// A response's body as text.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct BodyText {
    /// The text, where it is one.
    pub text: Option<String>,
    /// Its media type, as the server said.
    pub mime: Option<String>,
    /// Unpacked size.
    #[ts(type = "number")]
    pub bytes: usize,
    /// Whether more of it was left out.
    pub cut: bool,
}

async fn body(Shared(app): Shared<App>, Path((id, number, request)): Path<(i64, u32, u32)>) -> Answer<Json<BodyText>> {
    let load = rereading::prepared(&app, id, number).await?;
    let (request, body) = kept_body(&app, id, &load, request).await?;
    let bytes = body.len();
    // What holds zeros is no text, whatever it is called.
    let is_text = !body.iter().take(4_000).any(|b| *b == 0);
    apart(move || {
        let text = is_text.then(|| {
            let text = String::from_utf8_lossy(&body[..bytes.min(MOST_SHOWN)]).into_owned();
            let data = request.mime.as_deref().is_some_and(|m| m.contains("json"));
            match data.then(|| serde_json::from_str::<serde_json::Value>(&text)) {
                Some(Ok(value)) => serde_json::to_string_pretty(&value).unwrap_or(text),
                _ => text,
            }
        });
        Ok(Json(BodyText { cut: is_text && bytes > MOST_SHOWN, text, mime: request.mime, bytes }))
    })
    .await
}

/// Headers of a request and its answer.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Headers {
    /// As they were sent.
    pub request: Vec<Header>,
    /// As they came.
    pub response: Vec<Header>,
}

async fn headers(
    Shared(app): Shared<App>,
    Path((id, number, request)): Path<(i64, u32, u32)>,
) -> Answer<Json<Headers>> {
    let load = rereading::prepared(&app, id, number).await?;
    let missing = || Problem::new(StatusCode::NOT_FOUND, format!("This load has no request {request}."));
    let request = load.load.request(RequestId(request)).ok_or_else(missing)?;
    Ok(Json(Headers { request: request.request_headers.clone(), response: request.response_headers.clone() }))
}

async fn picture(Shared(app): Shared<App>, Path((id, number, request)): Path<(i64, u32, u32)>) -> Answer<Response> {
    let load = rereading::prepared(&app, id, number).await?;
    let (request, body) = kept_body(&app, id, &load, request).await?;
    let mime = request.mime.unwrap_or_default();
    let mime = mime.split(';').next().unwrap_or("").trim().to_ascii_lowercase();
    if !mime.starts_with("image/") {
        return Err(Problem::new(StatusCode::NOT_FOUND, "This response is no picture."));
    }
    let mime = HeaderValue::from_str(&mime).map_err(|e| Problem::bad(e.to_string()))?;
    let mut answer = body.into_response();
    let headers = answer.headers_mut();
    headers.insert(header::CONTENT_TYPE, mime);
    // A recorded SVG may hold scripts; opened on its own it must not run them here.
    headers.insert(
        header::CONTENT_SECURITY_POLICY,
        HeaderValue::from_static("sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:"),
    );
    Ok(answer)
}

#[derive(Deserialize)]
struct Visits {
    first: u32,
    again: u32,
}

async fn visits(Shared(app): Shared<App>, Path(id): Path<i64>, Query(pair): Query<Visits>) -> Answer<Json<SaidVisit>> {
    let first = rereading::prepared(&app, id, pair.first).await?;
    let again = rereading::prepared(&app, id, pair.again).await?;
    apart(move || {
        let visit = return_visit(&first.load, &again.load);
        let whys = visit.rows.iter().map(|row| return_reason(&row.reason)).collect();
        Ok(Json(SaidVisit { visit, whys }))
    })
    .await
}

/// Both visits, with a sentence for each row.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct SaidVisit {
    #[serde(flatten)]
    #[ts(flatten)]
    visit: ReturnVisit,
    /// Why each row fared so, in the rows' order.
    whys: Vec<String>,
}

/// What the load for used code told.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct DetailAbout {
    /// Unused shares of scripts and stylesheets, most bytes first.
    pub unused: Vec<UnusedFile>,
    /// Whether there is a picture of the page with its inline styles alone.
    pub inline_only: bool,
    /// What could not be seen.
    pub notes: Vec<String>,
}

async fn detail(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Option<DetailAbout>>> {
    let (detail, number) = app
        .with_store(move |store| {
            let head = store.recording(id)?;
            let number = head.loads.iter().find(|l| l.has_data).map(|l| l.number);
            Ok((store.detail(id)?, number))
        })
        .await?;
    let (Some(detail), Some(number)) = (detail, number) else { return Ok(Json(None)) };
    let load = rereading::prepared(&app, id, number).await?;
    Ok(Json(Some(DetailAbout {
        unused: unused(&load, &detail.coverage),
        inline_only: detail.inline_only.is_some(),
        notes: detail.notes.iter().map(note_sentence).collect(),
    })))
}

#[derive(Deserialize)]
struct File {
    url: String,
}

/// Used ranges of one file's text, in UTF-16 units.
async fn used(
    Shared(app): Shared<App>,
    Path(id): Path<i64>,
    Query(file): Query<File>,
) -> Answer<Json<Vec<(u32, u32)>>> {
    let detail = app.with_store(move |store| Ok(store.detail(id)?)).await?;
    let found = detail.and_then(|d| d.coverage.into_iter().find(|c| c.url == file.url));
    found
        .map(|c| Json(c.used))
        .ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "Nothing was seen of this file's use."))
}

async fn inline_only(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Response> {
    let picture = app
        .with_store(move |store| Ok(store.detail(id)?))
        .await?
        .and_then(|d| d.inline_only)
        .ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "There is no picture with inline styles alone."))?;
    Ok(([(header::CONTENT_TYPE, "image/jpeg")], picture).into_response())
}

#[derive(Deserialize)]
struct Chosen {
    /// Recordings' ids, with commas between.
    recordings: String,
}

async fn weight(Shared(app): Shared<App>, Query(chosen): Query<Chosen>) -> Answer<Json<SiteWeight>> {
    let ids = chosen.recordings.split(',').filter(|t| !t.is_empty()).map(str::parse::<i64>);
    let ids = ids.collect::<Result<Vec<_>, _>>().map_err(|_| Problem::bad("`recordings` is a list of numbers."))?;
    if ids.is_empty() || ids.len() > 500 {
        return Err(Problem::bad("One to five hundred recordings can stand side by side."));
    }
    app.with_store(move |store| {
        let mut loads = Vec::with_capacity(ids.len());
        for id in ids {
            let head = store.recording(id)?;
            let chosen = head.summary.map(|s| s.representative);
            let number = chosen.or_else(|| head.loads.iter().find(|l| l.has_data).map(|l| l.number));
            let none = || Problem::new(StatusCode::NOT_FOUND, format!("Recording {id} has no data."));
            loads.push((id, number.ok_or_else(none)?));
        }
        Ok(Json(store.site_weight(&loads)?))
    })
    .await
}
