//! What telling costs a server: loads of a page with spans held against loads without, recorded near each other.

use crate::error::Problem;
use crate::job_list::Job;
use crate::jobs::{self, Wanted};
use crate::keep;
use crate::state::{State, apart};
use crate::trial::SaidCompared;
use axum::extract::{Path, State as Shared};
use axum::routing::get;
use axum::{Json, Router};
use chrono::{DateTime, TimeDelta};
use phainon_core::compare::compare;
use phainon_core::metrics::Metric;
use phainon_core::metrics::Metrics;
use phainon_core::{Source, Visit};
use phainon_store::{LoadHead, RecordingHead, Store};
use serde::Serialize;
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// What lies further apart was perhaps another page, or another machine at work.
const NEAR: TimeDelta = TimeDelta::hours(6);
/// So many recordings of each kind are held against each other.
const MOST: usize = 10;
/// What was chosen to be recorded: of each kind so many, turn by turn, …
const ROUNDS: usize = 2;
/// … with so many loads each.
const LOADS: usize = 3;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new().route("/recordings/{id}/cost-of-spans", get(cost).post(measure))
}

/// Loads of a page with and without spans.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct CostOfSpans {
    /// The recordings without spans.
    #[ts(type = "number[]")]
    pub without: Vec<i64>,
    /// Those with spans.
    #[ts(type = "number[]")]
    pub with: Vec<i64>,
    /// What the difference comes to, from without to with; empty where one kind is missing.
    pub compared: Vec<SaidCompared>,
}

/// A recording whose first visits all had spans, or none of them.
struct Side {
    id: i64,
    spans: bool,
    at: Option<DateTime<chrono::FixedOffset>>,
}

fn side(store: &Store, head: &RecordingHead) -> Result<Option<Side>, Problem> {
    let traced = store.loads_with_spans(head.id)?;
    let counts = |l: &&LoadHead| l.visit == Visit::First && l.failed.is_none() && l.has_data;
    let first: Vec<u32> = head.loads.iter().filter(counts).map(|l| l.number).collect();
    let with = first.iter().filter(|number| traced.contains(number)).count();
    let at = DateTime::parse_from_rfc3339(&head.recorded_at).ok();
    let whole = !first.is_empty() && (with == 0 || with == first.len());
    Ok(whole.then_some(Side { id: head.id, spans: with > 0, at }))
}

/// The metrics of the first visits that count.
fn metrics(store: &Store, sides: &[&Side]) -> Result<Vec<Metrics>, Problem> {
    let mut all = Vec::new();
    for side in sides {
        let figures = keep::figures_of(store, side.id)?.into_iter();
        all.extend(figures.filter(|(_, visit, failed, _)| *visit == Visit::First && !failed).map(|(.., m)| m));
    }
    Ok(all)
}

async fn cost(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<CostOfSpans>> {
    app.with_store(move |store| {
        let head = store.recording(id)?;
        let mut sides = Vec::new();
        for other in store.recordings_alike(&head)? {
            let other = store.recording(other)?;
            if other.blocked == head.blocked {
                sides.extend(side(store, &other)?);
            }
        }
        // Around the newest one without spans, which are the rarer ones.
        let newest = sides.iter().find(|s| !s.spans).and_then(|s| s.at);
        let near = |s: &&Side| newest.zip(s.at).is_none_or(|(a, b)| (a - b).abs() <= NEAR);
        let of =
            |spans: bool| -> Vec<&Side> { sides.iter().filter(|s| s.spans == spans).filter(near).take(MOST).collect() };
        let (without, with) = (of(false), of(true));
        let (a, b) = match without.is_empty() || with.is_empty() {
            true => (Vec::new(), Vec::new()),
            false => (metrics(store, &without)?, metrics(store, &with)?),
        };
        let told = compare(&a.iter().collect::<Vec<_>>(), &b.iter().collect::<Vec<_>>());
        let wanted = [Metric::Ttfb, Metric::Fcp, Metric::Lcp];
        let compared = told
            .into_iter()
            .filter(|c| wanted.contains(&c.metric))
            .map(|compared| SaidCompared { verdict: compared.verdict, compared })
            .collect();
        let ids = |sides: &[&Side]| sides.iter().map(|s| s.id).collect();
        Ok(Json(CostOfSpans { without: ids(&without), with: ids(&with), compared }))
    })
    .await
}

/// Records the page without and with spans, turn by turn, so that what drifts on the machine hits both.
async fn measure(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Vec<Job>>> {
    let head = app.with_store(move |store| Ok(store.recording(id)?)).await?;
    if head.source != Source::Recording {
        return Err(Problem::bad("It was imported; only a page that was recorded here can be recorded again."));
    }
    let wanted: Vec<Wanted> = (0..2 * ROUNDS)
        .map(|turn| Wanted {
            url: head.url.clone(),
            page: head.page.clone(),
            conditions: head.conditions.clone(),
            loads: LOADS,
            blocked: head.blocked.clone(),
            no_spans: turn % 2 == 0,
            ..Wanted::default()
        })
        .collect();
    let (state, runtime) = (app.clone(), tokio::runtime::Handle::current());
    apart(move || {
        let _in = runtime.enter();
        Ok(Json(jobs::start(&state, wanted)?))
    })
    .await
}
