//! The JSON API under `/api`.

use crate::error::{Problem, in_problems};
use crate::export;
use crate::import;
use crate::job_list::Job;
use crate::jobs::{self, Wanted};
use crate::rereading;
use crate::state::{Rereading, State, apart};
use axum::extract::{DefaultBodyLimit, Path, Query, State as Shared};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use axum::routing::{delete, get, post};
use axum::{Json, Router};
use futures::{Stream, StreamExt};
use phainon_core::{Analysis, Conditions, Distance, PRESETS, preset};
use phainon_recorder::{Access, Step, browser, parse_blocked};
use phainon_standin::{HOME, SECURE_HOME, Switch, all_pages};
use phainon_store::{Page, Part, RecordingHead, Recordings};
use serde::{Deserialize, Serialize};
use std::convert::Infallible;
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// All routes under `/api`.
pub fn router() -> Router<App> {
    Router::new()
        .route("/about", get(about))
        .route("/recordings", get(recordings))
        .route("/recordings/{id}", get(recording).delete(delete_recording))
        .route("/recordings/{id}/restore", post(restore_recording))
        .route("/recordings/{id}/archive", get(export::archive))
        .route("/recordings/{id}/loads/{number}", get(overview))
        .route("/recordings/{id}/loads/{number}/requests", get(request_rows))
        .route("/recordings/{id}/loads/{number}/thread", get(thread))
        .route("/recordings/{id}/loads/{number}/har", get(export::har))
        .route("/recordings/{id}/loads/{number}/frames/{file}", get(frame))
        .route("/import", post(import::receive).layer(DefaultBodyLimit::max(import::LARGEST)))
        .route("/jobs", get(jobs).post(start_job))
        .route("/jobs/{id}", delete(cancel_job))
        .route("/jobs/{id}/frame", get(job_frame))
        .route("/batches/{id}/events", get(follow_batch))
        .route("/conditions", get(own_conditions).put(save_conditions))
        .route("/conditions/{name}", delete(remove_conditions))
        .route("/rereading", get(follow_rereading))
        .merge(crate::depth::router())
        .merge(crate::storage::router())
        .merge(crate::trials::router())
        .merge(crate::forecasts::router())
        .merge(crate::plans::router())
        .merge(crate::comparisons::router())
        .merge(crate::server_work::router())
        .merge(crate::profiles::router())
        .merge(crate::cost_of_spans::router())
        .merge(crate::owners::router())
        .fallback(|| async { Problem::new(StatusCode::NOT_FOUND, "The API has no such address.") })
        .layer(axum::middleware::map_response(in_problems))
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
    /// Whether others than this machine's user can reach the server, so that it records public addresses only.
    pub public_only: bool,
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
        presets: PRESETS.iter().map(|p| Preset { id: p.id.into(), conditions: p.conditions() }).collect(),
        public_only: app.public_only,
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

#[derive(Deserialize)]
struct Listed {
    #[serde(default)]
    q: String,
    site: Option<String>,
    limit: Option<u32>,
    #[serde(default)]
    offset: u32,
}

async fn recordings(Shared(app): Shared<App>, Query(listed): Query<Listed>) -> Answer<Json<Recordings>> {
    let Listed { q, site, limit, offset } = listed;
    let page = Page { filter: q, site, limit: limit.unwrap_or(200), offset };
    app.with_store(move |store| Ok(Json(store.recordings(&page)?))).await
}

async fn recording(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<RecordingHead>> {
    rereading::fresh_recording(&app, id).await?;
    app.with_store(move |store| Ok(Json(store.recording(id)?))).await
}

async fn delete_recording(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.delete_recording(id)?)).await?;
    app.forget(id, 0);
    Ok(StatusCode::NO_CONTENT)
}

async fn restore_recording(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.restore_recording(id)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn part(app: &App, id: i64, number: u32, part: Part) -> Answer<Vec<u8>> {
    rereading::fresh(app, id, number).await?;
    let found = app.with_store(move |store| Ok(store.part(id, number, part)?)).await?;
    let missing = || Problem::new(StatusCode::NOT_FOUND, "There is no data of this load.");
    apart(move || Ok(found.ok_or_else(missing)?.bytes()?)).await
}

fn json(bytes: Vec<u8>) -> Response {
    ([(header::CONTENT_TYPE, "application/json")], bytes).into_response()
}

/// What every section of a load shows; words are put to its facts here.
async fn overview(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Response> {
    let kept = part(&app, id, number, Part::Overview).await?;
    let text = apart(move || {
        let damaged = |e: serde_json::Error| Problem::new(StatusCode::INTERNAL_SERVER_ERROR, e.to_string());
        let analysis: Analysis = serde_json::from_slice(&kept).map_err(damaged)?;
        let settings = app.settings_of(&app.store.recording(id)?.site)?;
        let is_older = analysis.settings != settings.hash();
        let mut said = analysis.said();
        if is_older {
            said.notes.push("Its trace and bodies were dropped, so it stays as it was read: with the rules that the site had then, not with those of today.".into());
        }
        serde_json::to_vec(&said).map_err(damaged)
    });
    Ok(json(text.await?))
}

async fn request_rows(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Response> {
    Ok(json(part(&app, id, number, Part::Requests).await?))
}

async fn thread(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Response> {
    Ok(json(part(&app, id, number, Part::Thread).await?))
}

/// Which picture it is to be, by the beginning of its hash.
#[derive(Deserialize)]
struct Named {
    is: Option<String>,
}

async fn frame(
    Shared(app): Shared<App>,
    Path((id, number, file)): Path<(i64, u32, String)>,
    Query(named): Query<Named>,
    asked: HeaderMap,
) -> Answer<Response> {
    let picture = app.with_store(move |store| Ok(store.frame(id, number, &file)?)).await?;
    let hash = phainon_formats::body_hash(&picture);
    // An address that names its picture never means another. One that does not may, in another data
    // directory: it is asked about each time.
    let cache = match named.is.as_deref().filter(|is| is.len() >= 16) {
        Some(is) if hash.starts_with(is) => "private, max-age=31536000, immutable",
        Some(_) => return Err(Problem::new(StatusCode::NOT_FOUND, "The picture of this name is another one.")),
        None => "private, no-cache",
    };
    let tag = format!("\"{hash}\"");
    let headers = [(header::CACHE_CONTROL, cache.to_owned()), (header::ETAG, tag.clone())];
    if asked.get(header::IF_NONE_MATCH).is_some_and(|v| v.as_bytes() == tag.as_bytes()) {
        return Ok((StatusCode::NOT_MODIFIED, headers).into_response());
    }
    Ok((headers, [(header::CONTENT_TYPE, "image/jpeg")], picture).into_response())
}

/// A page to record.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct WantedPage {
    pub url: String,
    pub page: Option<String>,
}

/// Conditions to record under: a preset with a distance, or conditions of one's own.
#[derive(Deserialize, TS)]
#[serde(untagged)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum WantedConditions {
    Preset { preset: String, distance: Distance },
    Own(Conditions),
}

/// What opens pages that are not public. It is used for these recordings and never stored.
#[derive(Deserialize, Default, TS)]
#[serde(default)]
#[ts(export_to = "types.ts")]
pub struct WantedAccess {
    /// `Name: value` lines, sent with every request to the page's own host.
    pub headers: String,
    /// `name=value` lines.
    pub cookies: String,
    /// `user:password`.
    pub basic: String,
    /// Where the steps before the load begin; the page itself where empty.
    pub log_in_at: String,
    /// Steps before the load, one a line.
    pub log_in: String,
}

/// What to record: every page under all of the conditions.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct JobRequest {
    pub pages: Vec<WantedPage>,
    pub conditions: Vec<WantedConditions>,
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
    /// Whether the page's server is asked for no spans of its work.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub no_spans: bool,
    /// Hosts and parts of addresses to block, with commas or lines between.
    #[serde(default)]
    #[ts(optional, as = "Option<String>")]
    pub blocked: String,
    #[serde(default)]
    #[ts(optional)]
    pub access: Option<WantedAccess>,
}

fn access_of(wanted: Option<WantedAccess>) -> Result<Access, phainon_recorder::RecordError> {
    let wanted = wanted.unwrap_or_default();
    Ok(Access {
        headers: Access::parse_headers(&wanted.headers)?,
        cookies: Access::parse_cookies(&wanted.cookies)?,
        basic: Access::parse_basic(&wanted.basic)?,
        log_in_at: Some(wanted.log_in_at.trim().to_owned()).filter(|u| !u.is_empty()),
        log_in: Step::parse_all(&wanted.log_in)?,
    })
}

async fn jobs(Shared(app): Shared<App>) -> Json<Vec<Job>> {
    Json(app.jobs.under_way())
}

/// Starts a recording of each page under each of the conditions, in that order.
async fn start_job(Shared(app): Shared<App>, Json(asked): Json<JobRequest>) -> Answer<Json<Vec<Job>>> {
    let bad = |e: phainon_recorder::RecordError| Problem::bad(e.to_string());
    browser::find(app.browser.as_deref()).map_err(|e| Problem::new(StatusCode::SERVICE_UNAVAILABLE, e.to_string()))?;
    if asked.pages.is_empty() || asked.conditions.is_empty() {
        return Err(Problem::bad("A recording needs at least one page and one set of conditions."));
    }
    let conditions = asked.conditions.into_iter().map(|wanted| match wanted {
        WantedConditions::Preset { preset: id, distance } => {
            let found = preset(&id).ok_or_else(|| Problem::bad(format!("There are no conditions named “{id}”.")))?;
            Ok(Conditions { distance, ..found })
        }
        WantedConditions::Own(own) => Ok(own),
    });
    let conditions = conditions.collect::<Answer<Vec<_>>>()?;
    let access = access_of(asked.access).map_err(bad)?;
    let blocked = parse_blocked(&asked.blocked).map_err(bad)?;
    let mut wanted = Vec::new();
    for page in &asked.pages {
        for conditions in &conditions {
            wanted.push(Wanted {
                url: page.url.clone(),
                page: page.page.clone().unwrap_or_default(),
                conditions: Some(conditions.clone()),
                loads: asked.loads,
                return_visits: asked.return_visits,
                steps: asked.steps.clone(),
                no_bodies: asked.no_bodies,
                private: asked.private.clone(),
                longest_s: asked.longest_s.unwrap_or(45),
                blocked: blocked.clone(),
                no_spans: asked.no_spans,
                access: access.clone(),
            });
        }
    }
    let state = app.clone();
    let runtime = tokio::runtime::Handle::current();
    apart(move || {
        let _in = runtime.enter();
        Ok(Json(jobs::start(&state, wanted)?))
    })
    .await
}

async fn cancel_job(Shared(app): Shared<App>, Path(id): Path<u64>) -> Answer<StatusCode> {
    app.jobs.cancel(id)?;
    Ok(StatusCode::NO_CONTENT)
}

async fn job_frame(Shared(app): Shared<App>, Path(id): Path<u64>) -> Answer<Response> {
    Ok(([(header::CONTENT_TYPE, "image/jpeg")], app.jobs.frame(id)?).into_response())
}

async fn follow_batch(
    Shared(app): Shared<App>,
    Path(id): Path<u64>,
) -> Answer<Sse<impl Stream<Item = Result<Event, Infallible>>>> {
    let states = app.jobs.follow(id)?.map(|jobs| Ok(Event::default().json_data(&jobs).unwrap_or_default()));
    Ok(Sse::new(states).keep_alive(KeepAlive::default()))
}

async fn own_conditions(Shared(app): Shared<App>) -> Answer<Json<Vec<Conditions>>> {
    app.with_store(|store| Ok(Json(store.own_conditions()?))).await
}

async fn save_conditions(Shared(app): Shared<App>, Json(conditions): Json<Conditions>) -> Answer<StatusCode> {
    if let Some(trouble) = conditions.trouble() {
        return Err(Problem::bad(trouble));
    }
    if preset(&conditions.name).is_some() {
        return Err(Problem::bad("A preset has this name; choose another."));
    }
    app.with_store(move |store| Ok(store.save_conditions(&conditions)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn remove_conditions(Shared(app): Shared<App>, Path(name): Path<String>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.remove_conditions(&name)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn follow_rereading(Shared(app): Shared<App>) -> Json<Rereading> {
    Json(*app.rereading.borrow())
}
