//! How much room the data takes, and making some.

use crate::error::Problem;
use crate::state::State;
use axum::extract::State as Shared;
use axum::routing::{get, post};
use axum::{Json, Router};
use phainon_store::{Room, Thinning};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// All routes under `/api/storage`.
pub fn router() -> Router<Arc<State>> {
    Router::new().route("/storage", get(room)).route("/storage/thin", post(thin)).route("/storage/purge", post(purge))
}

/// What to do with recordings of more than some days.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Thin {
    /// Recorded more than so many days ago; 0 is all.
    pub days: u32,
    /// Whether they go whole, or their traces and bodies alone.
    pub what: WhatGoes,
}

/// What of a recording goes.
#[derive(Deserialize, Clone, Copy, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum WhatGoes {
    /// All of it.
    Whole,
    /// Traces and bodies; the figures stay.
    TracesAndBodies,
}

/// How much room was made.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Thinned {
    /// Of how many recordings.
    #[ts(type = "number")]
    pub recordings: usize,
    /// The data file became smaller by this.
    #[ts(type = "number")]
    pub freed_bytes: u64,
}

async fn room(Shared(app): Shared<Arc<State>>) -> Result<Json<Room>, Problem> {
    Ok(Json(app.with_store(|store| Ok(store.room()?)).await?))
}

async fn thin(Shared(app): Shared<Arc<State>>, Json(asked): Json<Thin>) -> Result<Json<Thinned>, Problem> {
    if asked.days > 36_500 {
        return Err(Problem::bad("“days” is more than a hundred years."));
    }
    let how = match asked.what {
        WhatGoes::Whole => Thinning::Delete,
        WhatGoes::TracesAndBodies => Thinning::DropRaw,
    };
    made(&app, move |app| Ok(app.store.thin(asked.days, how)?)).await
}

/// Removes deleted recordings for good, those of just now as well.
async fn purge(Shared(app): Shared<Arc<State>>) -> Result<Json<Thinned>, Problem> {
    made(&app, |app| Ok(app.store.purge(&crate::keep::now_exactly())?)).await
}

async fn made(
    app: &Arc<State>,
    act: impl FnOnce(&State) -> Result<usize, Problem> + Send + 'static,
) -> Result<Json<Thinned>, Problem> {
    // Gigabytes are moved within the file: not beside a measurement.
    let _quiet = app.quiet().await;
    let state = app.clone();
    let thinned = crate::state::apart(move || {
        let before = state.store.room()?.file_bytes;
        let recordings = act(&state)?;
        state.forget_all();
        let after = state.store.room()?.file_bytes;
        Ok(Thinned { recordings, freed_bytes: before.saturating_sub(after) })
    });
    Ok(Json(thinned.await?))
}
