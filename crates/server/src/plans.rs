//! The part of the API that plans: a site's pages, its fixes, what they bring one after the other, and the
//! searches for the least effort and for the best.

use crate::error::Problem;
use crate::plan_pages::{Chosen, PlanPageRow, chosen, rows};
use crate::state::{State, apart};
use axum::extract::{Path, Query, State as Shared};
use axum::http::StatusCode;
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::routing::{get, patch, post, put};
use axum::{Json, Router};
use futures::{Stream, StreamExt};
use phainon_core::forecast::{Brings, Figures};
use phainon_core::metrics::Metric;
use phainon_core::plan::breaks::{Break, breaks};
use phainon_core::plan::{Aims, Candidate, PlanStep, Question, Search, Way, WhyLeft, line, points, shaped, why_not};
use phainon_core::words::{SaidEdit, break_sentence, finding_title, left_sentence};
use phainon_core::{Analysis, Edit, Millis, Owner, ResourceKey, Risk};
use phainon_store::{AboutFix, FixState, NewFix, NotedOwner, Part, Plan, PlanPageChoice};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::sync::Arc;
use tokio::sync::mpsc;
use tokio_stream::wrappers::UnboundedReceiverStream;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// Fixes of one line.
const MOST_FIXES: usize = 400;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/sites/{site}/plan", get(plan))
        .route("/sites/{site}/plan/fixes", post(add_fix))
        .route("/sites/{site}/plan/fixes/{id}", patch(set_fix).delete(remove_fix))
        .route("/sites/{site}/plan/order", put(order_plan))
        .route("/sites/{site}/plan/pages", get(pages).put(set_page))
        .route("/sites/{site}/plan/candidates", get(candidates))
        .route("/sites/{site}/plan/line", post(plan_line))
        .route("/sites/{site}/plan/alone", post(alone))
        .route("/sites/{site}/plan/search", get(search))
        .route("/sites/{site}/plan/breaks", post(may_break))
        .route("/sites/{site}/plan/proofs", get(crate::proofs::proofs))
        .route("/sites/{site}/owner-notes", get(owner_notes).put(note_owner))
}

async fn plan(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Plan>> {
    app.with_store(move |store| Ok(Json(store.plan(&site)?))).await
}

async fn add_fix(Shared(app): Shared<App>, Path(site): Path<String>, Json(fix): Json<NewFix>) -> Answer<Json<Made>> {
    if fix.finding_title.len() > 2_000 || fix.edit.target().len() > 20_000 {
        return Err(Problem::bad("The fix is longer than a plan keeps."));
    }
    app.with_store(move |store| Ok(Json(Made { id: store.add_fix(&site, &fix)? }))).await
}

/// The id of what was made.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Made {
    #[ts(type = "number")]
    pub id: i64,
}

/// What is to change of a fix; what is not given stays.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct FixChange {
    /// What has become of it.
    #[serde(default)]
    #[ts(optional)]
    pub state: Option<FixState>,
    /// Why it is set aside.
    #[serde(default)]
    #[ts(optional = nullable)]
    pub reason: Option<String>,
    /// What the user says of it.
    #[serde(default)]
    #[ts(optional)]
    pub about: Option<AboutFix>,
}

async fn set_fix(
    Shared(app): Shared<App>,
    Path((site, id)): Path<(String, i64)>,
    Json(change): Json<FixChange>,
) -> Answer<StatusCode> {
    let reason = change.reason.map(|r| r.trim().chars().take(1_000).collect::<String>()).filter(|r| !r.is_empty());
    if change.state == Some(FixState::SetAside) && reason.is_none() {
        return Err(Problem::bad("A fix that is set aside needs a reason, so that nobody wonders later."));
    }
    if let Some(about) = &change.about {
        if about.effort.is_some_and(|e| !(0.1..=1_000.0).contains(&e)) {
            return Err(Problem::bad("Effort is between a tenth of a point and a thousand points."));
        }
        if about.who.len() > 500 || about.note.len() > 20_000 {
            return Err(Problem::bad("That is longer than a plan keeps."));
        }
        if about.done_at.as_deref().is_some_and(|at| chrono::DateTime::parse_from_rfc3339(at).is_err()) {
            return Err(Problem::bad("When the fix was made is no date."));
        }
    }
    app.with_store(move |store| {
        if let Some(state) = change.state {
            store.set_fix_state(&site, id, state, reason.as_deref())?;
        }
        if let Some(about) = &change.about {
            store.set_about_fix(&site, id, about)?;
        }
        Ok(())
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn remove_fix(Shared(app): Shared<App>, Path((site, id)): Path<(String, i64)>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.remove_fix(&site, id)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The order of a plan.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PlanOrder {
    /// The fixes' ids in the user's own order; `null` goes back to milliseconds on the path.
    #[ts(type = "number[] | null")]
    pub ids: Option<Vec<i64>>,
}

async fn order_plan(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(order): Json<PlanOrder>,
) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.order_plan(&site, order.ids.as_deref())?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn pages(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Vec<PlanPageRow>>> {
    app.with_store(move |store| Ok(Json(rows(store, &site)?))).await
}

async fn set_page(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(choice): Json<PlanPageChoice>,
) -> Answer<StatusCode> {
    if choice.share.is_some_and(|s| !(0.0..=1e9).contains(&s)) {
        return Err(Problem::bad("A share of visits is a number from 0 on."));
    }
    app.with_store(move |store| Ok(store.set_plan_page(&site, &choice)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn owner_notes(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Vec<NotedOwner>>> {
    app.with_store(move |store| Ok(Json(store.owner_notes(&site)?))).await
}

async fn note_owner(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(noted): Json<NotedOwner>,
) -> Answer<StatusCode> {
    if noted.note.note.len() > 20_000 || noted.note.decides.len() > 500 {
        return Err(Problem::bad("That is longer than a note on an owner is kept."));
    }
    let state = app.clone();
    let changed = apart(move || {
        state.store.note_owner(&site, &noted)?;
        state.take_purposes(&site)
    })
    .await?;
    // What owners are for is part of what is found.
    if changed {
        crate::rereading::catch_up(&app).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// A fix that findings of the chosen pages call for.
#[derive(Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct CandidateFix {
    /// What it does.
    pub fix: SaidEdit,
    /// Whose the thing is.
    pub owner: Owner,
    /// The most that a finding of it has on the path.
    pub on_path_ms: Millis,
    /// The pages that call for it, by their places among those that count.
    pub pages: Vec<usize>,
    /// The finding that has most on the path.
    pub finding_key: String,
    /// The same in words.
    pub finding_title: String,
    /// Where it was found.
    #[ts(type = "number")]
    pub recording: i64,
    /// In which load.
    pub load: u32,
    /// Points of effort, by its kind and its owner.
    pub effort: f64,
    /// What can go wrong, likewise.
    pub risk: Risk,
    /// Why these are not what its kind usually takes.
    pub because: Vec<String>,
}

/// What findings of the chosen pages call for, merged where several call for the same.
async fn found(app: &App, site: &str, pages: &[Chosen]) -> Answer<Vec<CandidateFix>> {
    let places: Vec<(usize, i64, u32)> =
        pages.iter().enumerate().map(|(place, page)| (place, page.row.recording, page.row.load)).collect();
    let site = site.to_owned();
    app.with_store(move |store| {
        let notes = store.owner_notes(&site)?;
        let mut found: BTreeMap<String, CandidateFix> = BTreeMap::new();
        for (place, recording, load) in places {
            let Some(kept) = store.part(recording, load, Part::Overview)? else { continue };
            let analysis: Analysis = kept.value()?;
            for finding in &analysis.findings {
                let candidate = found.entry(finding.edit.key()).or_insert_with(|| {
                    let note = notes.iter().find(|n| n.owner == finding.owner).map(|n| &n.note);
                    let usual = shaped(&finding.edit, &finding.owner, note);
                    CandidateFix {
                        fix: SaidEdit::of(&finding.edit),
                        owner: finding.owner.clone(),
                        on_path_ms: Millis(-1.0),
                        pages: Vec::new(),
                        finding_key: String::new(),
                        finding_title: String::new(),
                        recording,
                        load,
                        effort: points(usual.effort),
                        risk: usual.risk,
                        because: usual.because,
                    }
                });
                if !candidate.pages.contains(&place) {
                    candidate.pages.push(place);
                }
                if finding.on_path_ms > candidate.on_path_ms {
                    candidate.on_path_ms = finding.on_path_ms;
                    candidate.finding_key.clone_from(&finding.key);
                    candidate.finding_title = finding_title(finding);
                    (candidate.recording, candidate.load) = (recording, load);
                }
            }
        }
        let mut all: Vec<CandidateFix> = found.into_values().collect();
        all.sort_by(|a, b| b.on_path_ms.order(&a.on_path_ms).then_with(|| b.pages.len().cmp(&a.pages.len())));
        Ok(all)
    })
    .await
}

async fn candidates(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Vec<CandidateFix>>> {
    let pages = chosen(&app, &site).await?;
    Ok(Json(found(&app, &site, &pages).await?))
}

/// Edits, and which steps through them are wanted.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct LineRequest {
    /// In order.
    pub edits: Vec<Edit>,
    /// The first and the last step that are wanted, 0 being without any fix; all where it is not given.
    #[serde(default)]
    #[ts(optional)]
    pub steps: Option<(usize, usize)>,
}

/// A plan fix by fix.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PlanLine {
    /// The pages that count.
    pub pages: Vec<PlanPageRow>,
    /// The steps that were asked for. The first of all is without any fix.
    pub steps: Vec<PlanStep>,
    /// Target and limit of each metric.
    pub targets: Vec<(Metric, f64, f64)>,
}

fn few(edits: &[Edit]) -> Answer<()> {
    if edits.len() > MOST_FIXES {
        return Err(Problem::bad(format!("A plan's line has at most {MOST_FIXES} fixes.")));
    }
    Ok(())
}

async fn plan_line(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(asked): Json<LineRequest>,
) -> Answer<Json<PlanLine>> {
    few(&asked.edits)?;
    let (first, last) = asked.steps.unwrap_or((0, asked.edits.len()));
    if first > last {
        return Err(Problem::bad("The last step that is wanted comes before the first."));
    }
    let pages = chosen(&app, &site).await?;
    apart(move || {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let edits: Vec<&Edit> = asked.edits.iter().collect();
        let (rows, pages): (Vec<_>, Vec<_>) = pages.into_iter().map(Chosen::split).unzip();
        let targets = Figures::METRICS.into_iter().map(|metric| {
            let target = app.settings.target(metric);
            (metric, target.target, target.limit)
        });
        Ok(Json(PlanLine { pages: rows, steps: line(&pages, &edits, first..=last, &body), targets: targets.collect() }))
    })
    .await
}

/// Fixes of which each is asked for by itself.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct AloneRequest {
    pub edits: Vec<Edit>,
}

/// What a fix brings, all by itself.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Alone {
    /// The fix's key.
    pub key: String,
    /// Means over the pages by their shares.
    pub brings: Vec<Brings>,
    /// Why it is not known, where it is known on no page.
    pub unknown: Option<String>,
}

async fn alone(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(asked): Json<AloneRequest>,
) -> Answer<Json<Vec<Alone>>> {
    few(&asked.edits)?;
    let pages = chosen(&app, &site).await?;
    apart(move || {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let pages: Vec<_> = pages.into_iter().map(|p| p.split().1).collect();
        let of = |edit: &Edit| {
            let step = line(&pages, &[edit], 1..=1, &body).pop();
            let known = step.as_ref().is_some_and(|s| !s.on.is_empty());
            let unknown = (!known).then(|| why_not(&pages, edit, &body));
            Alone { key: edit.key(), brings: step.filter(|_| known).map(|s| s.brings).unwrap_or_default(), unknown }
        };
        Ok(Json(asked.edits.iter().map(of).collect()))
    })
    .await
}

/// What a search is asked.
#[derive(Deserialize)]
struct Asked {
    ask: String,
    effort: Option<f64>,
    /// Metrics that count, with commas between; the five of Pace where it is not given.
    metrics: Option<String>,
}

impl Asked {
    fn question(&self) -> Answer<Question> {
        match (self.ask.as_str(), self.effort) {
            ("least_effort", _) => Ok(Question::LeastEffort),
            ("best", Some(effort)) if effort > 0.0 && effort.is_finite() => Ok(Question::Best { effort }),
            ("best", _) => Err(Problem::bad("Say how much effort there is, in points.")),
            _ => Err(Problem::bad("A search asks for `least_effort` or for the `best`.")),
        }
    }

    fn metrics(&self) -> Answer<Vec<Metric>> {
        let Some(words) = &self.metrics else { return Ok(Aims::USUAL.to_vec()) };
        let of = |word: &str| serde_json::from_value::<Metric>(word.into());
        let metrics: Result<Vec<Metric>, _> = words.split(',').filter(|w| !w.is_empty()).map(of).collect();
        let metrics = metrics.map_err(|_| Problem::bad("`metrics` names one that there is not."))?;
        if metrics.is_empty() { Err(Problem::bad("At least one metric must count.")) } else { Ok(metrics) }
    }
}

/// How far a search has come, or what it found.
#[derive(Serialize, TS)]
#[serde(rename_all = "snake_case", tag = "state")]
#[ts(export_to = "types.ts")]
pub enum SearchState {
    /// It waits for a recording to be over.
    Waiting,
    /// So many sets were run.
    Searching {
        #[ts(type = "number")]
        #[allow(missing_docs)]
        sets: u64,
    },
    /// It is over.
    Done {
        #[allow(missing_docs)]
        found: Proposal,
    },
    /// It could not be made.
    Failed {
        #[allow(missing_docs)]
        why: String,
    },
}

/// An order of fixes that a search proposes.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Proposal {
    /// The fixes, each after those above it.
    pub fixes: Vec<CandidateFix>,
    /// Points of all of them together.
    pub effort: f64,
    /// Whether every page is within its targets then.
    pub reached: bool,
    /// Page by page the metrics that are not.
    pub beyond: Vec<Vec<Metric>>,
    /// What each step brings; the first is without any fix.
    pub steps: Vec<PlanStep>,
    /// The pages that count.
    pub pages: Vec<PlanPageRow>,
    /// How it was found.
    pub way: Way,
    /// Sets that were run.
    #[ts(type = "number")]
    pub sets: u64,
    /// Of how many candidates.
    pub candidates: usize,
    /// Whether it was ended before it was through.
    pub stopped: bool,
    /// Fixes that are not in it.
    pub left_out: Vec<LeftFix>,
}

/// A fix that a search left out.
#[derive(Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct LeftFix {
    /// Which.
    pub fix: CandidateFix,
    /// Why.
    pub left: WhyLeft,
    /// The same in one sentence.
    pub why: String,
}

async fn search(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Query(asked): Query<Asked>,
) -> Answer<Sse<impl Stream<Item = Result<Event, Infallible>>>> {
    let (question, metrics) = (asked.question()?, asked.metrics()?);
    let (sender, receiver) = mpsc::unbounded_channel();
    tokio::spawn(async move {
        let told = sender.clone();
        let _ = told.send(SearchState::Waiting);
        let _quiet = app.quiet().await;
        if let Err(problem) = searched(&app, &site, question, &metrics, sender).await {
            let _ = told.send(SearchState::Failed { why: problem.to_string() });
        }
    });
    let states =
        UnboundedReceiverStream::new(receiver).map(|state| Ok(Event::default().json_data(&state).unwrap_or_default()));
    Ok(Sse::new(states).keep_alive(KeepAlive::default()))
}

/// Fixes that a search may choose among: what findings call for, as the plan knows them, without those that are
/// done or set aside.
async fn choosable(app: &App, site: &str, pages: &[Chosen]) -> Answer<Vec<CandidateFix>> {
    let found = found(app, site, pages).await?;
    let of_site = site.to_owned();
    let plan = app.with_store(move |store| Ok(store.plan(&of_site)?)).await?;
    let mut all: Vec<CandidateFix> = Vec::new();
    for mut candidate in found {
        let planned = plan.fixes.iter().find(|f| f.fix.key == candidate.fix.key);
        if planned.is_some_and(|f| matches!(f.state, FixState::Done | FixState::SetAside)) {
            continue;
        }
        if let Some(planned) = planned {
            (candidate.effort, candidate.risk) = (planned.effort, planned.risk);
            candidate.fix = planned.fix.clone();
        }
        all.push(candidate);
    }
    // What the user planned without a finding of today.
    for fix in plan.fixes.iter().filter(|f| matches!(f.state, FixState::Open | FixState::Doing)) {
        if all.iter().any(|c| c.fix.key == fix.fix.key) {
            continue;
        }
        all.push(CandidateFix {
            fix: fix.fix.clone(),
            owner: fix.owner.clone(),
            on_path_ms: fix.on_path_ms,
            pages: Vec::new(),
            finding_key: fix.finding_key.clone(),
            finding_title: fix.finding_title.clone(),
            recording: fix.recording.unwrap_or_default(),
            load: fix.load.unwrap_or(1),
            effort: fix.effort,
            risk: fix.risk,
            because: fix.because.clone(),
        });
    }
    Ok(all)
}

async fn searched(
    app: &App,
    site: &str,
    question: Question,
    metrics: &[Metric],
    sender: mpsc::UnboundedSender<SearchState>,
) -> Answer<()> {
    let pages = chosen(app, site).await?;
    if pages.is_empty() {
        return Err(Problem::bad("No page of this site counts: record one, or choose some."));
    }
    let choosable = choosable(app, site, &pages).await?;
    let aims = Aims::of(metrics, &app.settings);
    let app = app.clone();
    apart(move || {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let (rows, pages): (Vec<_>, Vec<_>) = pages.into_iter().map(Chosen::split).unzip();
        let candidates: Vec<Candidate> =
            choosable.iter().map(|c| Candidate { edit: c.fix.edit.clone(), effort: c.effort }).collect();
        let watch = |sets: u64| {
            if sets.is_multiple_of(25) {
                let _ = sender.send(SearchState::Searching { sets });
            }
            !sender.is_closed()
        };
        let search = Search { pages: &pages, candidates: &candidates, aims: &aims, bodies: &body, watch: &watch };
        let answer = search.answer(question);
        let edits: Vec<&Edit> = answer.order.iter().map(|place| &candidates[*place].edit).collect();
        let found = Proposal {
            steps: line(&pages, &edits, 0..=edits.len(), &body),
            fixes: answer.order.iter().map(|place| choosable[*place].clone()).collect(),
            beyond: answer.after.iter().map(|figures| aims.beyond(figures)).collect(),
            effort: answer.effort,
            reached: answer.reached,
            pages: rows,
            way: answer.way,
            sets: answer.sets,
            candidates: candidates.len(),
            stopped: answer.stopped,
            left_out: answer
                .left_out
                .into_iter()
                .map(|(place, left)| LeftFix { fix: choosable[place].clone(), why: left_sentence(&left), left })
                .collect(),
        };
        let _ = sender.send(SearchState::Done { found });
        Ok(())
    })
    .await
}

/// A fix of which it is asked what it may break.
#[derive(Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct BreaksRequest {
    pub edit: Edit,
}

/// What a fix may break, over the pages that count, and how to find out.
async fn may_break(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(asked): Json<BreaksRequest>,
) -> Answer<Json<Vec<String>>> {
    let pages = chosen(&app, &site).await?;
    apart(move || {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        let mut said: Vec<Break> = Vec::new();
        let mut seen: Vec<&str> = Vec::new();
        for page in pages.iter().filter(|p| p.outlook.knows(&asked.edit, &body)) {
            // The same page under other conditions says the same.
            if seen.contains(&page.row.page.as_str()) {
                continue;
            }
            seen.push(&page.row.page);
            let others = |file: &ResourceKey| {
                let has = |p: &&Chosen| {
                    let load = &p.outlook.model().prepared().load;
                    p.row.page != page.row.page && load.requests.iter().any(|r| ResourceKey::of(&r.url) == *file)
                };
                let mut names: Vec<String> = pages.iter().filter(has).map(|p| p.row.page.clone()).collect();
                names.dedup();
                names
            };
            for found in breaks(&asked.edit, page.outlook.model().prepared(), &body, &others) {
                // Of the same kind and file the first page's will do.
                if !said.iter().any(|known| known.is_like(&found)) {
                    said.push(found);
                }
            }
        }
        Ok(Json(said.iter().take(20).map(break_sentence).collect()))
    })
    .await
}
