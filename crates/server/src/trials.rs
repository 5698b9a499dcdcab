//! Trials over the API: what can be tried, starting one, its result, its change as files.
//!
//! A trial is two jobs: the replay without edits, unless the load has one already, and the replay with them.
//! Both are kept as recordings of their own. When they are over, their loads are compared ([`trial_rounds`]).
//!
//! [`trial_rounds`]: crate::trial_rounds

use crate::error::Problem;
use crate::job_list::Job;
use crate::jobs;
use crate::state::{State, apart};
use crate::trial::{HandMade, SaidCompared, SaidResult, TrialResult, Wanted};
use crate::trial_rounds::{self, MOST_LOADS, Plain, Rounds, base};
use axum::extract::{DefaultBodyLimit, Path, State as Shared};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use phainon_core::metrics::Metric;
use phainon_core::words::SaidEdit;
use phainon_core::{Analysis, Conditions, Edit, RequestId, preset};
use phainon_replay::{Change, archive, changes, unified};
use phainon_store::{Part, StoredTrial, TrialState};
use serde::{Deserialize, Serialize};
use std::sync::{Arc, PoisonError};
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// Edits of one trial.
const MOST_EDITS: usize = 100;
/// What a trial's files of one's own may hold.
const MOST_BY_HAND: usize = 64 << 20;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/recordings/{id}/loads/{number}/trial", get(offer))
        .route("/recordings/{id}/loads/{number}/trials", post(start).layer(DefaultBodyLimit::max(MOST_BY_HAND)))
        .route("/recordings/{id}/loads/{number}/edit", post(read_edit))
        .route("/recordings/{id}/loads/{number}/requests/{request}/text", get(file_text))
        .route("/recordings/{id}/trials", get(list))
        .route("/sites/{site}/tried", get(tried))
        .route("/trials/{id}", get(one).delete(remove))
        .route("/trials/{id}/changes", get(changed))
        .route("/trials/{id}/changes.zip", get(changes_zip))
        .route("/trials/{id}/changes.diff", get(changes_diff))
}

/// What can be tried of a load.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct TrialOffer {
    /// Why the load cannot be replayed, in one sentence; then there is nothing else.
    pub problem: Option<String>,
    /// What a replay cannot give as it was.
    pub not_replayed: Vec<String>,
    /// What it was recorded under; the user chooses where that is not known.
    pub conditions: Option<Conditions>,
    /// The edits that the load's findings call for, each once.
    pub edits: Vec<OfferedEdit>,
}

/// An edit, and whether it can be tried.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OfferedEdit {
    pub fix: SaidEdit,
    /// Milliseconds of the path that its finding is about.
    pub on_path_ms: f64,
    /// Why it cannot be tried.
    pub problem: Option<String>,
}

/// What to try.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct TrialRequest {
    /// In the order in which they are applied.
    pub edits: Vec<Edit>,
    /// Files of one's own, in the place of those that were recorded; applied after the edits.
    #[serde(default)]
    #[ts(optional, as = "Option<Vec<HandMade>>")]
    pub by_hand: Vec<HandMade>,
    /// How many loads, 1 to 20.
    pub loads: usize,
    /// Whether each edit is tried alone, in a trial of its own, rather than all together in one.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub one_by_one: bool,
    /// Whether loads are added until the verdicts stand, or there are twenty.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub until_sure: bool,
    /// Whether each load is followed by a return visit.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub return_visits: bool,
    /// A preset, where the load does not tell its conditions.
    #[serde(default)]
    #[ts(optional)]
    pub preset: Option<String>,
}

impl TrialRequest {
    /// The trials that it asks for.
    fn wanted(self) -> Vec<Wanted> {
        let Self { edits, by_hand, loads, one_by_one, until_sure, return_visits, preset } = self;
        let of = |edits, by_hand| Wanted { edits, by_hand, loads, until_sure, return_visits, preset: preset.clone() };
        if !one_by_one {
            return vec![of(edits, by_hand)];
        }
        let each = edits.into_iter().map(|edit| of(vec![edit], vec![]));
        each.chain(by_hand.into_iter().map(|file| of(vec![], vec![file]))).collect()
    }
}

/// A trial as the screens show it.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Trial {
    #[ts(type = "number")]
    pub id: i64,
    #[ts(type = "number")]
    pub recording: i64,
    /// Which load of it.
    pub load: u32,
    pub state: TrialState,
    pub edits: Vec<SaidEdit>,
    /// Addresses of files of one's own.
    pub by_hand: Vec<String>,
    /// Loads of each that were asked for.
    pub loads: usize,
    pub until_sure: bool,
    pub return_visits: bool,
    /// Its jobs, while they are under way.
    pub jobs: Vec<Job>,
    pub error: Option<String>,
    pub result: Option<SaidResult>,
    /// The recording of the replay without edits.
    #[ts(type = "number | null")]
    pub replay: Option<i64>,
    /// The recording with them.
    #[ts(type = "number | null")]
    pub tried: Option<i64>,
    /// RFC 3339.
    pub made_at: String,
}

fn conditions_of(preset_id: Option<&str>) -> Answer<Option<Conditions>> {
    preset_id
        .map(|id| preset(id).ok_or_else(|| Problem::bad(format!("There are no conditions named “{id}”."))))
        .transpose()
}

async fn offer(Shared(app): Shared<App>, Path((id, number)): Path<(i64, u32)>) -> Answer<Json<TrialOffer>> {
    let any = preset("unshaped");
    let base = match base(&app, id, number, any).await? {
        Ok(base) => base,
        Err(why) => {
            return Ok(Json(TrialOffer { problem: Some(why), not_replayed: vec![], conditions: None, edits: vec![] }));
        }
    };
    let overview = app.with_store(move |store| Ok(store.part(id, number, Part::Overview)?)).await?;
    apart(move || {
        let analysis: Option<Analysis> = overview.map(phainon_store::PackedPart::value).transpose()?;
        let mut edits: Vec<OfferedEdit> = Vec::new();
        for finding in analysis.iter().flat_map(|a| &a.findings) {
            let fix = SaidEdit::of(&finding.edit);
            match edits.iter_mut().find(|e| e.fix.key == fix.key) {
                Some(known) => known.on_path_ms = known.on_path_ms.max(finding.on_path_ms.0),
                None => {
                    let problem = base.with(std::slice::from_ref(&finding.edit), &[]).err().map(|p| p.why);
                    edits.push(OfferedEdit { fix, on_path_ms: finding.on_path_ms.0, problem });
                }
            }
        }
        edits.sort_by(|a, b| b.on_path_ms.total_cmp(&a.on_path_ms));
        let conditions = base.prepared.load.conditions.clone();
        Ok(Json(TrialOffer { problem: None, not_replayed: base.shortfalls(), conditions, edits }))
    })
    .await
}

/// An edit as the command line writes it.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct EditText {
    pub text: String,
}

async fn read_edit(
    Shared(app): Shared<App>,
    Path((id, number)): Path<(i64, u32)>,
    Json(asked): Json<EditText>,
) -> Answer<Json<OfferedEdit>> {
    let base = base(&app, id, number, preset("unshaped")).await?.map_err(Problem::bad)?;
    apart(move || {
        let edit = Edit::parse(&asked.text, &base.prepared).map_err(|why| {
            let mut letters = why.chars();
            let first: String = letters.next().into_iter().flat_map(char::to_uppercase).collect();
            Problem::bad(first + letters.as_str())
        })?;
        let problem = base.with(std::slice::from_ref(&edit), &[]).err().map(|p| p.why);
        Ok(Json(OfferedEdit { fix: SaidEdit::of(&edit), on_path_ms: 0.0, problem }))
    })
    .await
}

/// A file as it can be edited by hand.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct FileText {
    /// What it says, by its own encoding and as it came; `None` where it is no text.
    pub text: Option<String>,
}

async fn file_text(
    Shared(app): Shared<App>,
    Path((id, number, request)): Path<(i64, u32, u32)>,
) -> Answer<Json<FileText>> {
    let base = base(&app, id, number, preset("unshaped")).await?.map_err(Problem::bad)?;
    let request = Some(RequestId(request));
    let answer = base.book.answers.iter().find(|a| a.request == request && a.exact);
    let answer =
        answer.ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "The body of this response was not kept."))?;
    Ok(Json(FileText { text: answer.text() }))
}

async fn start(
    Shared(app): Shared<App>,
    Path((id, number)): Path<(i64, u32)>,
    Json(asked): Json<TrialRequest>,
) -> Answer<Json<Vec<Trial>>> {
    if !(1..=MOST_LOADS).contains(&asked.loads) {
        return Err(Problem::bad(format!("A trial has 1 to {MOST_LOADS} loads.")));
    }
    if asked.edits.is_empty() && asked.by_hand.is_empty() {
        return Err(Problem::bad("A trial needs at least one edit."));
    }
    if asked.edits.len() + asked.by_hand.len() > MOST_EDITS {
        return Err(Problem::bad(format!("A trial takes at most {MOST_EDITS} edits.")));
    }
    let otherwise = conditions_of(asked.preset.as_deref())?;
    let base = Arc::new(base(&app, id, number, otherwise).await?.map_err(Problem::bad)?);
    let (loads, return_visits) = (asked.loads, asked.return_visits);
    let from = base.clone();
    // Each with its book: what cannot be tried is found before anything is written down.
    let trials = apart(move || {
        let wanted = asked.wanted();
        let made = wanted.into_iter().map(|wanted| {
            let (book, notes) = from.with(&wanted.edits, &wanted.by_hand).map_err(|p| Problem::bad(p.sentence()))?;
            let text = serde_json::to_string(&wanted).map_err(|e| Problem::bad(e.to_string()))?;
            Ok((wanted, text, book, notes))
        });
        made.collect::<Answer<Vec<_>>>()
    })
    .await?;
    jobs::may_load_again(&app, trials.len() + 1)?;
    let least = u32::try_from(loads).unwrap_or(u32::MAX);
    let known = app.with_store(move |store| Ok(store.replay_of(id, number, least, return_visits)?)).await?;
    let page = app.with_store(move |store| Ok(store.recording(id)?.page)).await?;
    let batch = app.jobs.number();
    let mut plain = known.map(Plain::Known);
    let mut begun = Vec::new();
    for (wanted, text, book, notes) in trials {
        let trial = app.with_store(move |store| Ok(store.begin_trial(id, number, &text)?)).await?;
        let (page, base, told) = (page.clone(), base.clone(), Arc::default());
        let rounds = Rounds { trial, of: id, page, batch, base, book, notes, wanted, told };
        let plain = *plain.get_or_insert_with(|| rounds.begin_plain(&app));
        let tried = rounds.begin(&app);
        let own = plain.job().into_iter().chain([tried]).collect();
        app.trial_jobs.lock().unwrap_or_else(PoisonError::into_inner).insert(trial, own);
        let state = app.clone();
        tokio::spawn(async move { rounds.make(&state, plain, tried).await });
        begun.push(said(&app, trial).await?);
    }
    Ok(Json(begun))
}

async fn said(app: &App, id: i64) -> Answer<Trial> {
    let kept = app.with_store(move |store| Ok(store.trial(id)?)).await?;
    of_stored(app, kept)
}

fn of_stored(app: &App, kept: StoredTrial) -> Answer<Trial> {
    let damaged = |e: serde_json::Error| Problem::new(StatusCode::INTERNAL_SERVER_ERROR, e.to_string());
    let wanted: Wanted = serde_json::from_str(&kept.wanted).map_err(damaged)?;
    // What an earlier version wrote may not be readable; the trial is then there without its figures.
    let result: Option<TrialResult> = kept.result.as_deref().and_then(|text| serde_json::from_str(text).ok());
    let jobs = app.trial_jobs.lock().unwrap_or_else(PoisonError::into_inner).get(&kept.id).cloned();
    Ok(Trial {
        id: kept.id,
        recording: kept.recording,
        load: kept.load,
        state: kept.state,
        edits: wanted.edits.iter().map(SaidEdit::of).collect(),
        by_hand: wanted.by_hand.iter().map(|h| h.url.clone()).collect(),
        loads: wanted.loads,
        until_sure: wanted.until_sure,
        return_visits: wanted.return_visits,
        jobs: jobs.into_iter().flatten().filter_map(|job| app.jobs.job(job)).collect(),
        error: kept.error,
        result: result.map(TrialResult::said),
        replay: kept.replay,
        tried: kept.tried,
        made_at: kept.made_at,
    })
}

async fn list(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Vec<Trial>>> {
    let kept = app.with_store(move |store| Ok(store.trials(id)?)).await?;
    kept.into_iter().map(|trial| of_stored(&app, trial)).collect::<Answer<Vec<_>>>().map(Json)
}

/// What the newest trial of a fix alone came to.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct TriedFix {
    /// The edit's key.
    pub key: String,
    #[ts(type = "number")]
    #[allow(missing_docs)]
    pub trial: i64,
    /// The recording that it is of.
    #[ts(type = "number")]
    pub recording: i64,
    /// Its largest paint against that of the replay without edits; `None` where either has none.
    pub lcp: Option<SaidCompared>,
    /// Whether it broke the page.
    pub is_broken: bool,
}

/// Trials that are looked through for what the fixes of a site came to.
const LOOKED_THROUGH: u32 = 500;

async fn tried(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Vec<TriedFix>>> {
    let kept = app.with_store(move |store| Ok(store.trials_of_site(&site, LOOKED_THROUGH)?)).await?;
    apart(move || {
        let mut found: Vec<TriedFix> = Vec::new();
        for kept in kept {
            // What an earlier version wrote may not be readable.
            let Ok(wanted) = serde_json::from_str::<Wanted>(&kept.wanted) else { continue };
            let ([edit], []) = (&wanted.edits[..], &wanted.by_hand[..]) else { continue };
            let key = edit.key();
            if found.iter().any(|f| f.key == key) {
                continue;
            }
            let result = kept.result.as_deref().and_then(|text| serde_json::from_str::<TrialResult>(text).ok());
            let Some(result) = result.map(TrialResult::said) else { continue };
            found.push(TriedFix {
                key,
                trial: kept.id,
                recording: kept.recording,
                lcp: result.metrics.into_iter().find(|m| m.compared.metric == Metric::Lcp),
                is_broken: result.is_broken,
            });
        }
        Ok(Json(found))
    })
    .await
}

async fn one(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Trial>> {
    said(&app, id).await.map(Json)
}

/// Ends a trial that is under way, or forgets one that is over.
async fn remove(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    let trial = said(&app, id).await?;
    if trial.state == TrialState::Running && !trial.jobs.is_empty() {
        trial_rounds::cancel(&app, id)?;
    } else {
        app.with_store(move |store| Ok(store.remove_trial(id)?)).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// The books of a trial, without and with its edits, and what is to be known of them.
async fn books(app: &App, id: i64) -> Answer<(phainon_replay::Book, phainon_replay::Book, Vec<String>)> {
    let kept = app.with_store(move |store| Ok(store.trial(id)?)).await?;
    let wanted: Wanted = serde_json::from_str(&kept.wanted).map_err(|e| Problem::bad(e.to_string()))?;
    let otherwise = conditions_of(wanted.preset.as_deref())?;
    let base = base(app, kept.recording, kept.load, otherwise).await?.map_err(Problem::bad)?;
    apart(move || {
        let (book, told) = base.with(&wanted.edits, &wanted.by_hand).map_err(|p| Problem::bad(p.sentence()))?;
        let mut lines: Vec<String> = wanted.edits.iter().map(phainon_core::words::edit_title).collect();
        lines.extend(told);
        Ok((base.book, book, lines))
    })
    .await
}

async fn changed(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Vec<Change>>> {
    let (before, after, _) = books(&app, id).await?;
    apart(move || Ok(Json(changes(&before, &after)))).await
}

async fn changes_zip(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Response> {
    let (before, after, told) = books(&app, id).await?;
    let zip = apart(move || archive(&before, &after, &told).map_err(|e| Problem::bad(e.to_string()))).await?;
    let name = format!("attachment; filename=\"trial-{id}.zip\"");
    Ok(([(header::CONTENT_TYPE, "application/zip".to_owned()), (header::CONTENT_DISPOSITION, name)], zip)
        .into_response())
}

async fn changes_diff(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Response> {
    let (before, after, _) = books(&app, id).await?;
    let text = apart(move || Ok(unified(&before, &after))).await?;
    Ok(([(header::CONTENT_TYPE, "text/x-diff; charset=utf-8")], text).into_response())
}
