//! The part of the API that holds recordings against each other.

use crate::error::Problem;
use crate::job_list::Job;
use crate::jobs::{self, Wanted};
use crate::rereading;
use crate::state::{State, apart};
use axum::extract::{Query, State as Shared};
use axum::routing::{get, post};
use axum::{Json, Router};
use phainon_core::compare::{
    Circumstances, Compared, Differences, Group, Unlikeness, Verdict, compare, differences, loads_wanted, unlikenesses,
};
use phainon_core::metrics::Metrics;
use phainon_core::profile::{Functions, functions};
use phainon_core::words::unlikeness_sentence;
use phainon_core::{Analysis, Millis, Prepared, RequestRow, Visit};
use phainon_store::{Part, RecordingHead};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// Recordings of one group.
const MOST_RECORDINGS: usize = 20;
/// Loads of one group: of two as large the rank test still counts every way of dividing them.
const MOST_LOADS: usize = 30;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new().route("/compare", get(comparison)).route("/compare/more", post(more))
}

#[derive(Deserialize)]
struct Sides {
    a: String,
    b: String,
}

fn ids(text: &str) -> Answer<Vec<i64>> {
    let ids: Result<Vec<i64>, _> = text.split(',').filter(|t| !t.is_empty()).map(str::parse).collect();
    match ids {
        Ok(ids) if !ids.is_empty() && ids.len() <= MOST_RECORDINGS => Ok(ids),
        _ => Err(Problem::bad(format!("Each side names one to {MOST_RECORDINGS} recordings, with commas between."))),
    }
}

/// Two recordings, or groups of them, held against each other.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Comparison {
    /// The recordings of A.
    pub a: Vec<RecordingHead>,
    /// The recordings of B.
    pub b: Vec<RecordingHead>,
    /// In what they differ beside the page, in sentences, the gravest first.
    pub unlike: Vec<String>,
    /// Whether that forbids a verdict.
    pub no_verdict: bool,
    /// Metric by metric, first visits alone.
    pub metrics: Vec<Compared>,
    /// Loads that each would need for every verdict that more loads can make stand.
    pub loads_wanted: Option<u32>,
    /// Loads of each so far.
    pub loads: (usize, usize),
    /// Why no more of both can be recorded; `None` where they can.
    pub no_more: Option<String>,
    /// The recording and load that stand for A.
    #[ts(type = "[number, number] | null")]
    pub standing_a: Option<(i64, u32)>,
    /// The recording and load that stand for B.
    #[ts(type = "[number, number] | null")]
    pub standing_b: Option<(i64, u32)>,
    /// What came, went, grew and is later.
    pub differences: Differences,
}

/// One side, read.
struct Side {
    heads: Vec<RecordingHead>,
    loads: Vec<(Analysis, Vec<RequestRow>)>,
    standing: usize,
    prepared: Option<Arc<Prepared>>,
}

async fn heads(app: &App, ids: Vec<i64>) -> Answer<Vec<RecordingHead>> {
    app.with_store(move |store| ids.into_iter().map(|id| Ok(store.recording(id)?)).collect()).await
}

/// The recording and load that stand for a group: those of its first recording.
fn standing(heads: &[RecordingHead]) -> Option<(i64, u32)> {
    heads.iter().find_map(|h| Some((h.id, h.summary.as_ref()?.representative)))
}

async fn side(app: &App, ids: Vec<i64>) -> Answer<Side> {
    for id in &ids {
        rereading::fresh_recording(app, *id).await?;
    }
    let heads = heads(app, ids).await?;
    let place = standing(&heads);
    let prepared = match place {
        Some((id, number)) => Some(rereading::prepared(app, id, number).await?),
        None => None,
    };
    let wanted: Vec<(i64, u32)> = heads
        .iter()
        .flat_map(|h| {
            let counts = h.loads.iter().filter(|l| l.visit == Visit::First && l.failed.is_none() && l.has_data);
            counts.map(|l| (h.id, l.number))
        })
        .take(MOST_LOADS)
        .collect();
    let at = wanted.iter().position(|load| Some(*load) == place).unwrap_or(0);
    let loads = app.with_store(move |store| {
        let mut loads = Vec::new();
        for (id, number) in wanted {
            let (overview, rows) = (store.part(id, number, Part::Overview)?, store.part(id, number, Part::Requests)?);
            if let (Some(overview), Some(rows)) = (overview, rows) {
                loads.push((overview.value::<Analysis>()?, rows.value::<Vec<RequestRow>>()?));
            }
        }
        Ok(loads)
    });
    Ok(Side { loads: loads.await?, heads, standing: at, prepared })
}

impl Side {
    fn metrics(&self) -> Vec<&Metrics> {
        self.loads.iter().map(|(analysis, _)| &analysis.metrics).collect()
    }

    fn group(&self) -> Group<'_> {
        let profile = self.prepared.as_ref().and_then(|p| Some((p, p.load.profile.as_ref()?)));
        let functions = profile.map_or_else(Functions::default, |(p, profile)| {
            functions(profile, &p.load.work, &p.owners, Millis(0.0), Millis(f64::MAX))
        });
        let loads = self.loads.iter().map(|(analysis, rows)| (analysis, &rows[..])).collect();
        Group { loads, standing: self.standing, functions }
    }
}

fn circumstances(head: &RecordingHead) -> Circumstances<'_> {
    let machine = head.machine.as_ref();
    Circumstances {
        page: &head.page,
        site: &head.site,
        conditions: head.conditions.as_ref(),
        browser: head.browser.as_deref(),
        cores: machine.map(|m| m.cores),
        calibration_ms: machine.and_then(|m| m.calibration_ms),
        load_average: machine.and_then(|m| m.load_average),
        blocked: &head.blocked,
    }
}

/// Why no more loads of both sides can be made, if so.
fn no_more(a: &RecordingHead, b: &RecordingHead) -> Option<String> {
    if a.conditions.is_none() || b.conditions.is_none() {
        return Some("An imported load cannot be made again here.".into());
    }
    (a.url == b.url && a.blocked == b.blocked)
        .then(|| "Both ask for the same address: what the page was before it changed cannot be recorded again.".into())
}

async fn comparison(Shared(app): Shared<App>, Query(sides): Query<Sides>) -> Answer<Json<Comparison>> {
    let (of_a, of_b) = (ids(&sides.a)?, ids(&sides.b)?);
    let (a, b) = (side(&app, of_a).await?, side(&app, of_b).await?);
    apart(move || {
        let unlike: Vec<Unlikeness> = unlikenesses(&circumstances(&a.heads[0]), &circumstances(&b.heads[0]));
        let no_verdict = unlike.iter().any(Unlikeness::forbids_verdict);
        let mut metrics = compare(&a.metrics(), &b.metrics());
        if no_verdict {
            for metric in &mut metrics {
                (metric.verdict, metric.loads_needed) = (Verdict::CannotTell, None);
            }
        }
        Ok(Json(Comparison {
            unlike: unlike.iter().map(unlikeness_sentence).collect(),
            no_verdict,
            loads_wanted: loads_wanted(&metrics),
            metrics,
            loads: (a.loads.len(), b.loads.len()),
            no_more: no_more(&a.heads[0], &b.heads[0]),
            standing_a: standing(&a.heads),
            standing_b: standing(&b.heads),
            differences: differences(&a.group(), &b.group()),
            a: a.heads,
            b: b.heads,
        }))
    })
    .await
}

/// More loads of both sides.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct MoreLoads {
    #[ts(type = "number")]
    pub a: i64,
    #[ts(type = "number")]
    pub b: i64,
    /// Of each.
    pub loads: usize,
}

/// Records more of both, turn by turn, so that what drifts on the machine hits both.
async fn more(Shared(app): Shared<App>, Json(asked): Json<MoreLoads>) -> Answer<Json<Vec<Job>>> {
    if !(1..=20).contains(&asked.loads) {
        return Err(Problem::bad("One to twenty loads more of each can be recorded."));
    }
    let heads = heads(&app, vec![asked.a, asked.b]).await?;
    if let Some(why) = no_more(&heads[0], &heads[1]) {
        return Err(Problem::bad(why));
    }
    let halves = [asked.loads.div_ceil(2), asked.loads / 2];
    let wanted = halves.into_iter().filter(|loads| *loads > 0).flat_map(|loads| {
        heads.iter().map(move |head| Wanted {
            url: head.url.clone(),
            page: head.page.clone(),
            conditions: head.conditions.clone(),
            loads,
            blocked: head.blocked.clone(),
            ..Wanted::default()
        })
    });
    let wanted: Vec<Wanted> = wanted.collect();
    let (state, runtime) = (app.clone(), tokio::runtime::Handle::current());
    apart(move || {
        let _in = runtime.enter();
        Ok(Json(jobs::start(&state, wanted)?))
    })
    .await
}
