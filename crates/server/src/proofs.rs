//! Whether fixes that were made kept their word: recordings before and after, and the forecast beside them.

use crate::error::Problem;
use crate::keep::figures_of;
use crate::plan_pages::by_page;
use crate::rereading;
use crate::state::{State, apart};
use axum::Json;
use axum::extract::{Path, State as Shared};
use phainon_core::compare::{Compared, compare};
use phainon_core::forecast::{Brings, Model, brings};
use phainon_core::metrics::Metrics;
use phainon_core::{Edit, Visit};
use phainon_store::{FixState, PlannedFix, RecordingHead};
use serde::Serialize;
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// A recording in the history of a page.
#[derive(Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct PastRecording {
    #[ts(type = "number")]
    pub id: i64,
    /// RFC 3339.
    pub recorded_at: String,
    /// Median of its largest paints.
    pub lcp_ms: Option<f64>,
    pub loads: usize,
}

/// Fixes that were made between recordings of a page, and what came of them.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Proof {
    /// What the page is called.
    pub page: String,
    /// Its conditions' name; empty where they are not known.
    pub conditions: String,
    /// Where it was recorded last.
    pub url: String,
    /// The fixes that were made in between, by their ids.
    #[ts(type = "number[]")]
    pub fixes: Vec<i64>,
    /// The recordings before, newest first.
    pub before: Vec<PastRecording>,
    /// The recordings after and before any further fix, oldest first; empty until the page is recorded again.
    pub after: Vec<PastRecording>,
    /// What all of these fixes were forecast to bring together to the newest recording before them.
    pub forecast: Vec<Brings>,
    /// What they brought; empty until the page is recorded again.
    pub measured: Vec<Compared>,
}

/// A page's recordings in order of time with the fixes between them.
struct Gap {
    fixes: Vec<PlannedFix>,
    before: Vec<RecordingHead>,
    after: Vec<RecordingHead>,
}

fn at(text: &str) -> i64 {
    chrono::DateTime::parse_from_rfc3339(text).map_or(0, |at| at.timestamp_millis())
}

/// Where fixes lie between recordings. Fixes without a recording between them belong together.
fn gaps(heads: &[RecordingHead], fixes: &[PlannedFix]) -> Vec<Gap> {
    let mut heads: Vec<&RecordingHead> = heads.iter().collect();
    heads.sort_by_key(|h| at(&h.recorded_at));
    let mut done: Vec<(i64, &PlannedFix)> =
        fixes.iter().filter_map(|f| Some((at(f.about.done_at.as_deref()?), f))).collect();
    done.sort_by_key(|d| d.0);
    let mut gaps: Vec<(Gap, i64, i64)> = Vec::new();
    for (when, fix) in done {
        let between =
            gaps.last().is_some_and(|(_, _, last)| heads.iter().any(|h| (*last..when).contains(&at(&h.recorded_at))));
        match gaps.last_mut() {
            Some((gap, _, last)) if !between => {
                gap.fixes.push(fix.clone());
                *last = when;
            }
            _ => gaps.push((Gap { fixes: vec![fix.clone()], before: vec![], after: vec![] }, when, when)),
        }
    }
    let bounds: Vec<(i64, i64)> = gaps.iter().map(|g| (g.1, g.2)).collect();
    for (place, (gap, first, last)) in gaps.iter_mut().enumerate() {
        let since = place.checked_sub(1).map_or(i64::MIN, |before| bounds[before].1);
        let until = bounds.get(place + 1).map_or(i64::MAX, |next| next.0);
        let within = |from: i64, to: i64| {
            heads.iter().filter(move |h| (from..to).contains(&at(&h.recorded_at))).map(|h| (*h).clone())
        };
        gap.before = within(since, *first).collect();
        gap.before.reverse();
        gap.after = within(*last, until).collect();
    }
    gaps.into_iter().map(|g| g.0).collect()
}

fn past(head: &RecordingHead) -> PastRecording {
    let summary = head.summary.as_ref();
    let lcp = summary.and_then(|s| s.rows.iter().find(|r| r.metric == phainon_core::metrics::Metric::Lcp));
    PastRecording {
        id: head.id,
        recorded_at: head.recorded_at.clone(),
        lcp_ms: lcp.map(|r| r.median),
        loads: head.loads.iter().filter(|l| l.visit == Visit::First && l.failed.is_none()).count(),
    }
}

/// The figures of all first visits of recordings.
async fn first_visits(app: &App, ids: Vec<i64>) -> Answer<Vec<Metrics>> {
    for id in &ids {
        rereading::fresh_recording(app, *id).await?;
    }
    app.with_store(move |store| {
        let mut all = Vec::new();
        for id in ids {
            let figures = figures_of(store, id)?.into_iter();
            all.extend(figures.filter(|(_, visit, failed, _)| *visit == Visit::First && !failed).map(|f| f.3));
        }
        Ok(all)
    })
    .await
}

/// Those of the fixes that have an effect on a recording, and what they were forecast to bring to it together.
async fn forecast(app: &App, head: &RecordingHead, fixes: Vec<PlannedFix>) -> Answer<(Vec<PlannedFix>, Vec<Brings>)> {
    let mut loads = Vec::new();
    for load in head.loads.iter().filter(|l| l.visit == Visit::First && l.failed.is_none() && l.has_data) {
        loads.push(rereading::prepared(app, head.id, load.number).await?);
    }
    let app = app.clone();
    apart(move || {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let models: Vec<Model> = loads.iter().map(Model::of).collect();
        let known = |fix: &PlannedFix| models.iter().any(|m| m.why_not(&fix.fix.edit, &body).is_none());
        let fixes: Vec<PlannedFix> = fixes.into_iter().filter(known).collect();
        let edits: Vec<Edit> = fixes.iter().map(|f| f.fix.edit.clone()).collect();
        let made: Vec<_> = models.iter().map(|model| model.forecast(&edits, &body)).collect();
        Ok((fixes, brings(&made)))
    })
    .await
}

/// What became of every fix that is done, page by page.
pub async fn proofs(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Vec<Proof>>> {
    let (pages, plan) = app.with_store(move |store| Ok((by_page(store, &site)?, store.plan(&site)?))).await?;
    let done: Vec<PlannedFix> = plan.fixes.into_iter().filter(|f| f.state == FixState::Done).collect();
    let mut proofs = Vec::new();
    for heads in pages {
        for gap in gaps(&heads, &done) {
            let Some(last) = gap.before.first() else { continue };
            let (fixes, forecast) = forecast(&app, last, gap.fixes.clone()).await?;
            // A page that none of them is about has nothing to prove.
            let moves = forecast.iter().any(|b| (b.after - b.before).abs() > 0.5);
            if !moves {
                continue;
            }
            let a = first_visits(&app, gap.before.iter().map(|h| h.id).collect()).await?;
            let b = first_visits(&app, gap.after.iter().map(|h| h.id).collect()).await?;
            proofs.push(Proof {
                page: last.page.clone(),
                conditions: last.conditions.as_ref().map(|c| c.name.clone()).unwrap_or_default(),
                url: gap.after.last().unwrap_or(last).url.clone(),
                fixes: fixes.iter().map(|f| f.id).collect(),
                before: gap.before.iter().map(past).collect(),
                after: gap.after.iter().map(past).collect(),
                forecast,
                measured: compare(&a.iter().collect::<Vec<_>>(), &b.iter().collect::<Vec<_>>()),
            });
        }
    }
    Ok(Json(proofs))
}
