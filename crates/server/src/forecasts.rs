//! The part of the API that forecasts what edits bring.

use crate::error::Problem;
use crate::rereading;
use crate::state::{State, apart};
use axum::extract::{Path, State as Shared};
use axum::routing::{get, post};
use axum::{Json, Router};
use phainon_core::forecast::{Brings, Figures, Forecast, Model, MovedRequest, MovedTask, Step, brings};
use phainon_core::{Analysis, Bodies, Edit, Prepared};
use phainon_store::Part;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// So many edits at once.
const MOST_EDITS: usize = 40;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/recordings/{id}/loads/{number}/forecast", post(forecast))
        .route("/recordings/{id}/loads/{number}/forecasts", get(of_findings))
}

/// Edits whose effect is asked for.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ForecastRequest {
    /// In the order in which they are applied.
    pub edits: Vec<Edit>,
}

/// An edit that a forecast leaves out.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct LeftOut {
    /// Which, by its key.
    pub edit: String,
    /// Why, in one sentence.
    pub why: String,
}

/// What edits would bring.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Foreseen {
    /// Over the loads of the recording.
    pub brings: Vec<Brings>,
    /// Of how many loads that is.
    pub loads: usize,
    /// What this load would measure.
    pub after: Figures,
    /// Requests of this load that would move.
    pub moved: Vec<MovedRequest>,
    /// The longer tasks of its main thread, moved or not.
    pub tasks: Vec<MovedTask>,
    /// The new way of this load to its largest paint.
    pub path: Vec<Step>,
    /// Edits whose effect is not known.
    pub left_out: Vec<LeftOut>,
}

/// What the fix of a finding would bring, alone.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct FindingForecast {
    /// The finding's key.
    pub finding: String,
    /// Over the loads of the recording; empty where it is not known.
    pub brings: Vec<Brings>,
    /// Why it is not known, in one sentence.
    pub unknown: Option<String>,
}

/// The loads of a recording that a load stands among: of its kind of visit, the load itself first.
async fn beside(app: &App, id: i64, number: u32) -> Answer<Vec<Arc<Prepared>>> {
    let own = rereading::prepared(app, id, number).await?;
    let head = app.with_store(move |store| Ok(store.recording(id)?)).await?;
    let visit = own.load.visit;
    let mut loads = vec![own];
    for load in head.loads.iter().filter(|l| l.number != number && l.visit == visit && l.failed.is_none()) {
        // A load that cannot be read is missing among the others, not in the way of them.
        if let Ok(other) = rereading::prepared(app, id, load.number).await {
            loads.push(other);
        }
    }
    Ok(loads)
}

async fn forecast(
    Shared(app): Shared<App>,
    Path((id, number)): Path<(i64, u32)>,
    Json(asked): Json<ForecastRequest>,
) -> Answer<Json<Foreseen>> {
    if asked.edits.len() > MOST_EDITS {
        return Err(Problem::bad(format!("A forecast takes at most {MOST_EDITS} edits.")));
    }
    let loads = beside(&app, id, number).await?;
    apart(move || {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let made: Vec<Forecast> = loads.iter().map(|load| Model::of(load).forecast(&asked.edits, &body)).collect();
        let all = brings(&made);
        let loads = made.len();
        let Some(Forecast { after, moved, tasks, path, left_out, .. }) = made.into_iter().next() else {
            return Err(Problem::bad("The load has no data."));
        };
        let left_out = left_out.into_iter().map(|(edit, why)| LeftOut { edit, why }).collect();
        Ok(Json(Foreseen { brings: all, loads, after, moved, tasks, path, left_out }))
    })
    .await
}

async fn of_findings(
    Shared(app): Shared<App>,
    Path((id, number)): Path<(i64, u32)>,
) -> Answer<Json<Vec<FindingForecast>>> {
    let loads = beside(&app, id, number).await?;
    let kept = app.with_store(move |store| Ok(store.part(id, number, Part::Overview)?)).await?;
    apart(move || {
        let Some(kept) = kept else { return Ok(Json(Vec::new())) };
        let analysis: Analysis = serde_json::from_slice(&kept.bytes()?)
            .map_err(|e| Problem::new(axum::http::StatusCode::INTERNAL_SERVER_ERROR, e.to_string()))?;
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let models: Vec<Model> = loads.iter().map(Model::of).collect();
        let findings = analysis.findings.iter();
        Ok(Json(findings.map(|finding| of_finding(&finding.key, &finding.edit, &models, &body)).collect()))
    })
    .await
}

/// What an edit brings alone, over the loads in which its effect is known.
pub fn of_finding(key: &str, edit: &Edit, models: &[Model], bodies: &dyn Bodies) -> FindingForecast {
    let finding = key.to_owned();
    let made: Vec<Forecast> = models.iter().map(|m| m.forecast(std::slice::from_ref(edit), bodies)).collect();
    if let Some((_, why)) = made.first().and_then(|m| m.left_out.first()) {
        return FindingForecast { finding, brings: Vec::new(), unknown: Some(why.clone()) };
    }
    let known: Vec<Forecast> = made.into_iter().filter(|m| m.left_out.is_empty()).collect();
    FindingForecast { finding, brings: brings(&known), unknown: None }
}
