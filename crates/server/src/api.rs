//! The JSON API under `/api`.

use crate::error::Problem;
use crate::jobs::Job;
use crate::state::State;
use axum::body::Body;
use axum::extract::{DefaultBodyLimit, Multipart, Path, State as Shared};
use axum::http::{StatusCode, header};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use axum::routing::{delete, get, patch, post, put};
use axum::{Json, Router};
use futures::{Stream, StreamExt};
use phainon_core::{Conditions, Distance, PRESETS, preset};
use phainon_formats::{Machine, Manifest, ManifestLoad, archive, har};
use phainon_recorder::{RecordRequest, Step, browser, check_address, private_names};
use phainon_standin::{HOME, SECURE_HOME, StandIn, Switch, all_pages};
use phainon_store::{FixState, NewFix, Plan, RecordingHead};
use serde::{Deserialize, Serialize};
use std::convert::Infallible;
use std::sync::Arc;
use ts_rs::TS;

/// An imported file may be this large.
const MOST_IMPORTED: usize = 1 << 30;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// All routes under `/api`.
pub fn router() -> Router<App> {
    Router::new()
        .route("/about", get(about))
        .route("/recordings", get(recordings))
        .route("/recordings/{id}", get(recording).delete(delete_recording))
        .route("/recordings/{id}/restore", post(restore_recording))
        .route("/recordings/{id}/archive", get(export_archive))
        .route("/recordings/{id}/loads/{number}", get(load))
        .route("/recordings/{id}/loads/{number}/har", get(export_har))
        .route("/recordings/{id}/loads/{number}/frames/{file}", get(frame))
        .route("/import", post(import).layer(DefaultBodyLimit::max(MOST_IMPORTED)))
        .route("/jobs", get(jobs).post(start_job))
        .route("/jobs/{id}", delete(cancel_job))
        .route("/jobs/{id}/events", get(follow_job))
        .route("/sites/{site}/plan", get(plan))
        .route("/sites/{site}/plan/fixes", post(add_fix))
        .route("/sites/{site}/plan/fixes/{id}", patch(set_fix).delete(remove_fix))
        .route("/sites/{site}/plan/order", put(order_plan))
        .merge(crate::depth::router())
        .fallback(|| async { Problem::new(StatusCode::NOT_FOUND, "The API has no such address.") })
}

/// What the program is and can do here.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct About {
    pub version: String,
    /// Why nothing can be recorded, where that is so.
    pub browser_problem: Option<String>,
    pub presets: Vec<Preset>,
    pub stand_in: Option<StandInAbout>,
}

/// Conditions to choose from.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Preset {
    pub id: String,
    pub conditions: Conditions,
}

/// A page of the simulated site.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct StandInPage {
    pub name: String,
    pub path: String,
    /// What a visitor does there, one step a line.
    pub steps: String,
}

/// The simulated site that runs beside the server.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct StandInAbout {
    pub home: String,
    /// The same over HTTP/2.
    pub secure_home: String,
    pub pages: Vec<StandInPage>,
    /// Id and words of each repair.
    pub switches: Vec<(String, String)>,
}

async fn about(Shared(app): Shared<App>) -> Json<About> {
    Json(About {
        version: env!("CARGO_PKG_VERSION").into(),
        browser_problem: browser::find(app.browser.as_deref()).err().map(|e| e.to_string()),
        presets: PRESETS.iter().filter_map(|p| Some(Preset { id: p.0.into(), conditions: preset(p.0)? })).collect(),
        stand_in: app.stand_in.as_ref().map(|_| StandInAbout {
            home: HOME.into(),
            secure_home: SECURE_HOME.into(),
            pages: all_pages()
                .map(|p| StandInPage { name: p.name.into(), path: p.path.into(), steps: p.steps.into() })
                .collect(),
            switches: Switch::ALL.iter().map(|(_, id, words)| ((*id).into(), (*words).into())).collect(),
        }),
    })
}

async fn recordings(Shared(app): Shared<App>) -> Answer<Json<Vec<RecordingHead>>> {
    app.with_store(|store| Ok(Json(store.recordings()?))).await
}

async fn recording(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<RecordingHead>> {
    app.with_store(move |store| Ok(Json(store.recording(id)?))).await
}

async fn delete_recording(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.delete_recording(id)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn restore_recording(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.restore_recording(id)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn load(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Response> {
    let text = app.with_store(move |store| Ok(store.analysis(id, number)?)).await?;
    Ok(([(header::CONTENT_TYPE, "application/json")], text).into_response())
}

async fn frame(Shared(app): Shared<App>, Path((id, number, file)): Path<(i64, u32, String)>) -> Answer<Response> {
    let picture = app.with_store(move |store| Ok(store.frame(id, number, &file)?)).await?;
    let headers = [(header::CONTENT_TYPE, "image/jpeg"), (header::CACHE_CONTROL, "private, max-age=86400, immutable")];
    Ok((headers, picture).into_response())
}

fn download(name: &str, mime: &str, bytes: Vec<u8>) -> Response {
    Response::builder()
        .header(header::CONTENT_TYPE, mime)
        .header(header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))
        .body(Body::from(bytes))
        .unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}

async fn export_archive(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Response> {
    let (head, loads, bodies, detail) = app
        .with_store(move |store| {
            let head = store.recording(id)?;
            let loads = head.loads.iter().map(|l| store.load(id, l.number)).collect::<Result<Vec<_>, _>>()?;
            Ok((head, loads, store.bodies(id)?, store.detail(id)?))
        })
        .await?;
    let written = tokio::task::spawn_blocking(move || {
        let manifest = Manifest {
            format: Manifest::FORMAT.into(),
            version: 1,
            url: head.url,
            page: Some(head.page),
            conditions: head.conditions,
            browser: head.browser,
            recorded_at: Some(head.recorded_at),
            machine: head.cores.map(|cores| Machine { cores, load_average: head.load_average, calibration_ms: None }),
            loads: head.loads.iter().map(|l| ManifestLoad { visit: l.visit, failed: l.failed.clone() }).collect(),
        };
        let parts: Vec<_> = loads.iter().map(|l| (&l.raw, l.load.as_ref())).collect();
        archive::write(&manifest, &parts, &bodies, detail.as_ref())
    });
    let bytes = written.await.map_err(|e| Problem::new(StatusCode::INTERNAL_SERVER_ERROR, e.to_string()))??;
    Ok(download(&format!("recording-{id}.phainon.zip"), "application/zip", bytes))
}

async fn export_har(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Response> {
    let bytes = app
        .with_store(move |store| {
            store.recording(id)?;
            let load = store
                .load(id, number)?
                .load
                .ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "This load has no data."))?;
            let body = |hash: &str| store.body(hash).ok().flatten();
            serde_json::to_vec(&har::write(&load, Some(&body))).map_err(|e| Problem::bad(e.to_string()))
        })
        .await?;
    Ok(download(&format!("recording-{id}-load-{number}.har"), "application/json", bytes))
}

/// The id of what was made.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Made {
    #[ts(type = "number")]
    pub id: i64,
}

/// The recordings that files became, in order.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Imported {
    #[ts(type = "number[]")]
    pub ids: Vec<i64>,
}

/// Takes one or more files; a HAR and a trace of the same load become one recording.
async fn import(Shared(app): Shared<App>, mut form: Multipart) -> Answer<Json<Imported>> {
    let mut files: Vec<(Vec<u8>, String)> = Vec::new();
    let unreadable = |e: axum::extract::multipart::MultipartError| Problem::new(e.status(), e.body_text());
    while let Some(field) = form.next_field().await.map_err(unreadable)? {
        if files.len() >= 20 {
            return Err(Problem::bad("At most 20 files can be imported at once."));
        }
        let name = field.file_name().unwrap_or("The file").chars().take(200).collect();
        files.push((field.bytes().await.map_err(unreadable)?.into(), name));
    }
    if files.is_empty() {
        return Err(Problem::bad("No file was sent."));
    }
    Ok(Json(Imported { ids: app.import(files).await? }))
}

/// What to record.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct JobRequest {
    pub url: String,
    pub page: Option<String>,
    /// A preset's id.
    pub conditions: String,
    #[serde(default)]
    pub distance: Distance,
    pub loads: usize,
    /// Whether each load is followed by a return visit.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub return_visits: bool,
    /// What a scripted user does on each first visit, one step a line.
    #[serde(default)]
    #[ts(optional, as = "Option<String>")]
    pub steps: String,
    /// Whether response bodies are left out.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub no_bodies: bool,
    /// Query parameters whose values are not kept, with commas between.
    #[serde(default)]
    #[ts(optional, as = "Option<String>")]
    pub private: String,
    /// Seconds after which a busy load is cut off.
    #[serde(default)]
    #[ts(optional)]
    pub longest_s: Option<u32>,
}

async fn jobs(Shared(app): Shared<App>) -> Json<Vec<Job>> {
    Json(app.jobs.under_way())
}

async fn start_job(Shared(app): Shared<App>, Json(wanted): Json<JobRequest>) -> Answer<Json<Job>> {
    let url = check_address(&wanted.url).map_err(|e| Problem::bad(e.to_string()))?;
    let mut conditions = preset(&wanted.conditions)
        .ok_or_else(|| Problem::bad(format!("There are no conditions named “{}”.", wanted.conditions)))?;
    conditions.distance = wanted.distance;
    if !(1..=20).contains(&wanted.loads) {
        return Err(Problem::bad("A recording has 1 to 20 loads."));
    }
    browser::find(app.browser.as_deref()).map_err(|e| Problem::new(StatusCode::SERVICE_UNAVAILABLE, e.to_string()))?;
    let mut request = RecordRequest::new(url.as_str(), conditions, wanted.loads);
    if let Some(longest) = wanted.longest_s {
        request.limits.longest = std::time::Duration::from_secs(u64::from(longest.clamp(5, 600)));
    }
    request.steps = Step::parse_all(&wanted.steps).map_err(|e| Problem::bad(e.to_string()))?;
    if request.steps.len() > 50 {
        return Err(Problem::bad("A scripted user takes at most 50 steps."));
    }
    request.return_visits = wanted.return_visits;
    request.detail = true;
    request.instruments.bodies = !wanted.no_bodies;
    request.private = private_names(&wanted.private);
    request.trusted_key = app.stand_in.as_ref().map(|s| s.key_hash().to_owned());
    request.browser.clone_from(&app.browser);
    request.public_only = app.public_only;
    request.hosts = app.stand_in.as_ref().map(StandIn::hosts).unwrap_or_default();
    let page = wanted.page.map(|p| p.trim().chars().take(60).collect::<String>()).filter(|p| !p.is_empty());
    Ok(Json(app.jobs.start(&app, request, page)?))
}

async fn cancel_job(Shared(app): Shared<App>, Path(id): Path<u64>) -> Answer<StatusCode> {
    app.jobs.cancel(id)?;
    Ok(StatusCode::NO_CONTENT)
}

async fn follow_job(
    Shared(app): Shared<App>,
    Path(id): Path<u64>,
) -> Answer<Sse<impl Stream<Item = Result<Event, Infallible>>>> {
    let states = app.jobs.follow(id)?.map(|job| Ok(Event::default().json_data(&job).unwrap_or_default()));
    Ok(Sse::new(states).keep_alive(KeepAlive::default()))
}

async fn plan(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Plan>> {
    app.with_store(move |store| Ok(Json(store.plan(&site)?))).await
}

async fn add_fix(Shared(app): Shared<App>, Path(site): Path<String>, Json(fix): Json<NewFix>) -> Answer<Json<Made>> {
    if fix.title.len() > 2_000 || fix.target.len() > 20_000 {
        return Err(Problem::bad("The fix is longer than a plan keeps."));
    }
    app.with_store(move |store| Ok(Json(Made { id: store.add_fix(&site, &fix)? }))).await
}

/// A fix's new state.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct FixChange {
    pub state: FixState,
    pub reason: Option<String>,
}

async fn set_fix(
    Shared(app): Shared<App>,
    Path((site, id)): Path<(String, i64)>,
    Json(change): Json<FixChange>,
) -> Answer<StatusCode> {
    let reason = change.reason.map(|r| r.trim().chars().take(1_000).collect::<String>()).filter(|r| !r.is_empty());
    if change.state == FixState::SetAside && reason.is_none() {
        return Err(Problem::bad("A fix that is set aside needs a reason, so that nobody wonders later."));
    }
    app.with_store(move |store| Ok(store.set_fix_state(&site, id, change.state, reason.as_deref())?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn remove_fix(Shared(app): Shared<App>, Path((site, id)): Path<(String, i64)>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.remove_fix(&site, id)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The order of a plan.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PlanOrder {
    /// The fixes' ids in the user's own order; `null` goes back to milliseconds on the path.
    #[ts(type = "number[] | null")]
    pub ids: Option<Vec<i64>>,
}

async fn order_plan(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(order): Json<PlanOrder>,
) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.order_plan(&site, order.ids.as_deref())?)).await?;
    Ok(StatusCode::NO_CONTENT)
}
