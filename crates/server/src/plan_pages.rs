//! The pages that a site's plan counts: which recording stands for each, and what can be forecast of it.

use crate::error::Problem;
use crate::rereading;
use crate::state::{State, apart};
use phainon_core::RecordingSummary;
use phainon_core::forecast::{Figures, Model};
use phainon_core::plan::{Outlook, PlanPage};
use phainon_store::{Page, PlanPageChoice, RecordingHead, Store};
use serde::Serialize;
use std::sync::Arc;
use ts_rs::TS;

/// Recordings of a site that are looked through.
const LOOKED_THROUGH: u32 = 1_000;
/// Pages that a plan counts, at most.
const MOST_PAGES: usize = 30;

/// A page under one set of conditions, and how a plan counts it.
#[derive(Debug, Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PlanPageRow {
    /// What it is called.
    pub page: String,
    /// Its conditions' name; empty where they are not known.
    pub conditions: String,
    /// Its address.
    pub url: String,
    /// Its share of the visits, on the scale that the user gave; 1 where none was given.
    pub share: f64,
    /// Whether the plan leaves it out.
    pub left_out: bool,
    /// Whether the user chose the recording, rather than the newest standing for it.
    pub is_chosen: bool,
    /// The recording that stands for it.
    #[ts(type = "number")]
    pub recording: i64,
    /// The load of it that forecasts are of.
    pub load: u32,
    /// RFC 3339.
    pub recorded_at: String,
    /// Its medians.
    pub recorded: Figures,
    /// All recordings of it, newest first, with when each was made.
    #[ts(type = "[number, string][]")]
    pub recordings: Vec<(i64, String)>,
}

/// A page that counts.
pub struct Chosen {
    /// Which.
    pub row: PlanPageRow,
    /// Its forecasts.
    pub outlook: Arc<Outlook>,
}

impl Chosen {
    /// What is shown of it, and what is computed with.
    pub fn split(self) -> (PlanPageRow, PlanPage) {
        let page = PlanPage { share: self.row.share, recorded: self.row.recorded, outlook: self.outlook };
        (self.row, page)
    }
}

/// A recording's medians.
pub fn medians(summary: &RecordingSummary) -> Figures {
    Figures::from_values(|metric| summary.rows.iter().find(|r| r.metric == metric).map(|r| r.median))
}

/// The name of a recording's conditions; empty where they are not known.
pub fn conditions_name(head: &RecordingHead) -> String {
    head.conditions.as_ref().map(|c| c.name.clone()).unwrap_or_default()
}

/// The pages of a site by conditions, each with its recordings, newest first. Recordings that say nothing are left out.
pub fn by_page(store: &Store, site: &str) -> Result<Vec<Vec<RecordingHead>>, Problem> {
    let listed = store.recordings(&Page { site: Some(site.to_owned()), limit: LOOKED_THROUGH, ..Page::default() })?;
    let mut pages: Vec<Vec<RecordingHead>> = Vec::new();
    for head in listed.rows.into_iter().filter(|r| r.summary.is_some()) {
        let same = |page: &&mut Vec<RecordingHead>| {
            page[0].page == head.page && conditions_name(&page[0]) == conditions_name(&head)
        };
        match pages.iter_mut().find(same) {
            Some(page) => page.push(head),
            None => pages.push(vec![head]),
        }
    }
    pages.sort_by(|a, b| (&a[0].page, conditions_name(&a[0])).cmp(&(&b[0].page, conditions_name(&b[0]))));
    Ok(pages)
}

/// Every page of a site, and how its plan counts it.
pub fn rows(store: &Store, site: &str) -> Result<Vec<PlanPageRow>, Problem> {
    let choices = store.plan_pages(site)?;
    let mut rows = Vec::new();
    for heads in by_page(store, site)? {
        let (page, conditions) = (heads[0].page.clone(), conditions_name(&heads[0]));
        let choice = choices.iter().find(|c| c.page == page && c.conditions == conditions);
        let wanted = choice.and_then(|c| heads.iter().find(|h| Some(h.id) == c.recording));
        let head = wanted.unwrap_or(&heads[0]);
        let Some(summary) = &head.summary else { continue };
        rows.push(PlanPageRow {
            url: head.url.clone(),
            share: choice.and_then(|c: &PlanPageChoice| c.share).unwrap_or(1.0),
            left_out: choice.is_some_and(|c| c.left_out),
            is_chosen: wanted.is_some(),
            recording: head.id,
            load: summary.representative,
            recorded_at: head.recorded_at.clone(),
            recorded: medians(summary),
            recordings: heads.iter().map(|h| (h.id, h.recorded_at.clone())).collect(),
            page,
            conditions,
        });
    }
    Ok(rows)
}

/// The pages that count, with their forecasts.
pub async fn chosen(app: &Arc<State>, site: &str) -> Result<Vec<Chosen>, Problem> {
    let of_site = site.to_owned();
    let rows = app.with_store(move |store| rows(store, &of_site)).await?;
    let mut chosen = Vec::new();
    for row in rows.into_iter().filter(|r| !r.left_out && r.share > 0.0).take(MOST_PAGES) {
        let outlook = outlook(app, row.recording, row.load).await?;
        chosen.push(Chosen { row, outlook });
    }
    Ok(chosen)
}

/// The forecasts of a load; those asked for last are held.
async fn outlook(app: &Arc<State>, id: i64, number: u32) -> Result<Arc<Outlook>, Problem> {
    if let Some(outlook) = app.held_outlook(id, number) {
        return Ok(outlook);
    }
    let load = rereading::prepared(app, id, number).await?;
    let outlook = apart(move || Ok(Arc::new(Outlook::of(Model::of(&load))))).await?;
    app.hold_outlook(id, number, outlook.clone());
    Ok(outlook)
}
