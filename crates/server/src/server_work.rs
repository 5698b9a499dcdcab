//! The part of the API that tells of the server's work: of a load's answers, and of traces without a load.

use crate::error::Problem;
use crate::rereading;
use crate::state::{State, apart};
use axum::extract::{Path, State as Shared};
use axum::http::StatusCode;
use axum::routing::get;
use axum::{Json, Router};
use phainon_core::server_work::{MadeAfresh, ServerAnswer, answers, made_afresh};
use phainon_core::words::note_sentence;
use phainon_core::{Analysis, Millis, Prepared, Visit};
use phainon_formats::otlp::load_of_trace;
use phainon_store::{Part, ServerRecord};
use serde::Serialize;
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// So many traces without a load are listed.
const MOST_RECORDS: u32 = 500;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/recordings/{id}/loads/{number}/server", get(of_load))
        .route("/server-records", get(records))
        .route("/server-records/{trace}", get(record).delete(drop_record))
}

/// The server's work for a load.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ServerView {
    /// The answers worth a look, the page's first.
    pub answers: Vec<ServerAnswer>,
    /// The page over the first visits of the recording; `None` where there is but one.
    pub afresh: Option<MadeAfresh>,
    /// When each load's page was made, by their numbers.
    pub loads: Vec<(u32, Millis)>,
    /// Why the browser's own figures may be off: what the server told could not be read, or belongs elsewhere.
    pub notes: Vec<String>,
}

async fn of_load(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Json<ServerView>> {
    rereading::fresh(&app, id, number).await?;
    apart(move || {
        let store = &app.store;
        let head = store.recording(id)?;
        let missing = || Problem::new(StatusCode::NOT_FOUND, "There is no data of this load.");
        let answers: Vec<ServerAnswer> = store.part(id, number, Part::Server)?.ok_or_else(missing)?.value()?;
        let mut made = Vec::new();
        for load in head.loads.iter().filter(|l| l.visit == Visit::First && l.failed.is_none() && l.has_data) {
            let Some(part) = store.part(id, load.number, Part::Overview)? else { continue };
            let Ok(overview) = part.value::<Analysis>() else { continue };
            made.extend(overview.page_made.map(|made| (load.number, made)));
        }
        let pages: Vec<(Option<String>, Millis)> = made.iter().map(|(_, m)| (m.body.clone(), m.server_ms)).collect();
        let overview: Option<Analysis> = store.part(id, number, Part::Overview)?.map(|p| p.value()).transpose()?;
        let told = overview.iter().flat_map(|o| &o.notes).filter(|note| note.is_about_spans());
        Ok(Json(ServerView {
            answers,
            afresh: made_afresh(&pages),
            loads: made.iter().map(|(number, m)| (*number, m.server_ms)).collect(),
            notes: told.map(note_sentence).collect(),
        }))
    })
    .await
}

async fn records(Shared(app): Shared<App>) -> Answer<Json<Vec<ServerRecord>>> {
    app.with_store(|store| Ok(Json(store.server_records(MOST_RECORDS)?))).await
}

/// A trace without a load: its answers, each with its own clock from when the first span began.
async fn record(Shared(app): Shared<App>, Path(trace): Path<String>) -> Answer<Json<Vec<ServerAnswer>>> {
    let settings = app.settings.clone();
    apart(move || {
        let batches = app.store.spans_of_trace(&trace)?;
        if batches.is_empty() {
            return Err(Problem::new(StatusCode::NOT_FOUND, "There is no server record of this trace; it may belong to a load by now, or have made room for newer ones."));
        }
        let load = load_of_trace(&batches, "The trace")?;
        Ok(Json(answers(&Prepared::new(Arc::new(load), settings))))
    })
    .await
}

async fn drop_record(Shared(app): Shared<App>, Path(trace): Path<String>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.drop_server_record(&trace)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}
