//! Trials over the API: what can be tried, starting one, its result, its change as files.
//!
//! A trial is two jobs of one batch: the replay without edits, unless the load has one already, and the
//! replay with them. Both are kept as recordings of their own. When they are over, their loads are compared.

use crate::error::Problem;
use crate::job_list::{Job, JobState};
use crate::jobs::{self, Again};
use crate::rereading;
use crate::state::{State, apart};
use crate::trial::{Base, HandMade, Outcome, SaidResult, SeenLoad, TrialResult, Wanted};
use axum::extract::{DefaultBodyLimit, Path, State as Shared};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use futures::StreamExt;
use phainon_core::words::SaidEdit;
use phainon_core::{Analysis, Conditions, Edit, RequestId, Source, preset};
use phainon_replay::{Change, archive, changes, unified};
use phainon_store::{Part, StoredTrial, TrialState};
use serde::{Deserialize, Serialize};
use std::sync::{Arc, Mutex, PoisonError};
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
    /// A preset, where the load does not tell its conditions.
    #[serde(default)]
    #[ts(optional)]
    pub preset: Option<String>,
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
    pub loads: usize,
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

/// What a trial of a load starts from, or why it cannot.
async fn base(app: &App, id: i64, number: u32, otherwise: Option<Conditions>) -> Answer<Result<Base, String>> {
    let prepared = rereading::prepared(app, id, number).await?;
    let state = app.clone();
    apart(move || {
        let detail = state.store.detail(id)?;
        let body = |hash: &str| state.store.body(hash).ok().flatten();
        Ok(Base::of(prepared.load.clone(), &body, detail.as_ref(), state.settings.clone(), otherwise))
    })
    .await
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
) -> Answer<Json<Trial>> {
    if !(1..=20).contains(&asked.loads) {
        return Err(Problem::bad("A trial has 1 to 20 loads."));
    }
    if asked.edits.is_empty() && asked.by_hand.is_empty() {
        return Err(Problem::bad("A trial needs at least one edit."));
    }
    if asked.edits.len() + asked.by_hand.len() > MOST_EDITS {
        return Err(Problem::bad(format!("A trial takes at most {MOST_EDITS} edits.")));
    }
    let otherwise = conditions_of(asked.preset.as_deref())?;
    let base = base(&app, id, number, otherwise).await?.map_err(Problem::bad)?;
    let (by_hand, edits, loads) = (asked.by_hand, asked.edits, asked.loads);
    let (base, book, wanted) = apart(move || {
        let wanted = Wanted { edits, by_hand, loads, preset: asked.preset };
        let (book, _) = base.with(&wanted.edits, &wanted.by_hand).map_err(|p| Problem::bad(p.sentence()))?;
        Ok((base, book, wanted))
    })
    .await?;
    let text = serde_json::to_string(&wanted).map_err(|e| Problem::bad(e.to_string()))?;
    let least = u32::try_from(loads).unwrap_or(u32::MAX);
    // Before anything is written down: a trial that never began is none.
    jobs::may_load_again(&app)?;
    let (trial, known) = app
        .with_store(move |store| Ok((store.begin_trial(id, number, &text)?, store.replay_of(id, number, least)?)))
        .await?;
    let batch = app.jobs.number();
    let page = app.with_store(move |store| Ok(store.recording(id)?.page)).await?;
    let again = |book, source| Again {
        book,
        of: id,
        source,
        page: page.clone(),
        conditions: base.conditions.clone(),
        loads,
        told: Arc::default(),
    };
    let plain = match known {
        Some(recording) => Plain::Known(recording),
        None => {
            let again = again(base.book.clone(), Source::Replay);
            Plain::Made(jobs::load_again(&app, batch, again).id)
        }
    };
    let again = again(book, Source::Trial);
    let told = again.told.clone();
    let tried = jobs::load_again(&app, batch, again).id;
    app.trial_batches.lock().unwrap_or_else(PoisonError::into_inner).insert(trial, batch);
    let state = app.clone();
    tokio::spawn(
        async move { finish(&state, Finish { trial, of: id, batch, plain, tried, told, base, wanted }).await },
    );
    Ok(Json(said(&app, trial).await?))
}

/// Where the replay without edits comes from.
enum Plain {
    Known(i64),
    Made(u64),
}

/// What is needed to say what came of a trial.
struct Finish {
    trial: i64,
    /// The recording that it is of.
    of: i64,
    batch: u64,
    plain: Plain,
    tried: u64,
    told: Arc<Mutex<Vec<phainon_replay::Told>>>,
    base: Base,
    wanted: Wanted,
}

async fn finish(app: &App, finish: Finish) {
    let (trial, batch) = (finish.trial, finish.batch);
    if let Ok(states) = app.jobs.follow(batch) {
        states.for_each(|_| async {}).await;
    }
    // Loads that were made before it was ended belong to it too, and go when it is forgotten.
    let recording = |job: u64| app.jobs.job(job).and_then(|j| j.recording);
    let replay = match finish.plain {
        Plain::Known(recording) => Some(recording),
        Plain::Made(job) => recording(job),
    };
    let tried = recording(finish.tried);
    let ended = ended(app, finish, replay, tried).await;
    let Ok(mut kept) = app.with_store(move |store| Ok(store.trial(trial)?)).await else { return };
    (kept.replay, kept.tried) = (replay, tried);
    match ended {
        Ok(result) => {
            kept.state = TrialState::Done;
            kept.result = serde_json::to_string(&result).ok();
        }
        Err(None) => kept.state = TrialState::Cancelled,
        Err(Some(why)) => (kept.state, kept.error) = (TrialState::Failed, Some(why)),
    }
    if let Err(error) = app.with_store(move |store| Ok(store.end_trial(&kept)?)).await {
        tracing::warn!("what came of a trial could not be kept: {error}");
    }
    app.trial_batches.lock().unwrap_or_else(PoisonError::into_inner).remove(&trial);
}

/// The result, or why there is none; `None` where the user ended it.
async fn ended(
    app: &App,
    finish: Finish,
    replay: Option<i64>,
    tried: Option<i64>,
) -> Result<TrialResult, Option<String>> {
    let Finish { of, plain, tried: last, told, base, wanted, .. } = finish;
    let made = match plain {
        Plain::Known(_) => None,
        Plain::Made(job) => Some(job),
    };
    for job in made.into_iter().chain([last]) {
        match app.jobs.job(job) {
            Some(Job { state: JobState::Done, .. }) => {}
            Some(Job { state: JobState::Cancelled, .. }) => return Err(None),
            Some(job) => return Err(Some(job.error.unwrap_or_else(|| "No load could be made.".to_owned()))),
            None => return Err(Some("Its jobs are gone.".to_owned())),
        }
    }
    let (Some(replay), Some(tried)) = (replay, tried) else { return Err(Some("No load could be made.".to_owned())) };
    let why = |p: Problem| Some(p.to_string());
    let a = seen(app, replay).await.map_err(why)?;
    let b = seen(app, tried).await.map_err(why)?;
    let original = seen(app, of).await.map_err(why)?;
    let told = std::mem::take(&mut *told.lock().unwrap_or_else(PoisonError::into_inner));
    let result = apart(move || {
        let (book, notes) = base.with(&wanted.edits, &wanted.by_hand).map_err(|p| Problem::bad(p.sentence()))?;
        let mut differs = Vec::new();
        if base.prepared.load.conditions.is_none() {
            differs
                .push(format!("The load does not tell its conditions; it was replayed as {}.", base.conditions.name));
        }
        Ok(TrialResult {
            outcome: Outcome::of(&a, &b, &book, &wanted.edits, &told, differs),
            replayed: Outcome::of(&original, &a, &base.book, &[], &[], Vec::new()).compared,
            told: notes,
            not_replayed: base.book.shortfalls.clone(),
        })
    });
    result.await.map_err(why)
}

/// A kept recording's first visits, as far as comparing goes.
async fn seen(app: &App, id: i64) -> Answer<Vec<SeenLoad>> {
    let head = app.with_store(move |store| Ok(store.recording(id)?)).await?;
    let mut loads = Vec::new();
    for load in head.loads.iter().filter(|l| l.has_data && l.visit == phainon_core::Visit::First) {
        let (number, failed) = (load.number, load.failed.clone());
        rereading::fresh(app, id, number).await?;
        let state = app.clone();
        loads.push(
            apart(move || {
                let read = state.store.load(id, number)?;
                let analysis: Option<Analysis> =
                    state.store.part(id, number, Part::Overview)?.map(phainon_store::PackedPart::value).transpose()?;
                let last = read.frames.last().and_then(|f| state.store.frame(id, number, &f.file).ok());
                let metrics = analysis.map(|a| a.metrics).unwrap_or_default();
                Ok(SeenLoad { load: Arc::new(read), metrics, last, failed })
            })
            .await?,
        );
    }
    Ok(loads)
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
    let batch = app.trial_batches.lock().unwrap_or_else(PoisonError::into_inner).get(&kept.id).copied();
    Ok(Trial {
        id: kept.id,
        recording: kept.recording,
        load: kept.load,
        state: kept.state,
        edits: wanted.edits.iter().map(SaidEdit::of).collect(),
        by_hand: wanted.by_hand.iter().map(|h| h.url.clone()).collect(),
        loads: wanted.loads,
        jobs: batch.and_then(|batch| app.jobs.batch(batch).ok()).unwrap_or_default(),
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

async fn one(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Trial>> {
    said(&app, id).await.map(Json)
}

/// Ends a trial that is under way, or forgets one that is over.
async fn remove(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    let trial = said(&app, id).await?;
    if trial.state == TrialState::Running && !trial.jobs.is_empty() {
        for job in trial.jobs.iter().filter(|j| !j.is_over()) {
            app.jobs.cancel(job.id)?;
        }
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
