//! Making a trial: rounds of loads, without edits and with them, until there is a result.
//!
//! The first round makes what was asked for. Where the user wants to be sure, rounds of a few loads of each
//! follow, turn by turn, so that what drifts on the machine hits both, until the verdicts stand or there are
//! twenty loads of each.

use crate::error::Problem;
use crate::job_list::{Job, JobState};
use crate::jobs::{self, Again};
use crate::rereading;
use crate::state::{State, apart};
use crate::trial::{Base, Outcome, SeenLoad, TrialResult, Wanted};
use phainon_core::compare::loads_wanted;
use phainon_core::{Analysis, Conditions, Source, Visit};
use phainon_replay::{Book, Told};
use phainon_store::{Part, TrialState};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};

/// Loads of each, at most.
pub const MOST_LOADS: usize = 20;
/// Loads of each that a later round adds, at most: then it is asked anew whether the verdicts stand.
pub const ROUND: usize = 3;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// What a trial of a load starts from, or why it cannot.
pub async fn base(app: &App, id: i64, number: u32, otherwise: Option<Conditions>) -> Answer<Result<Base, String>> {
    let prepared = rereading::prepared(app, id, number).await?;
    let head = app.with_store(move |store| Ok(store.recording(id)?)).await?;
    // A return visit is kept right after the visit that it returns to.
    let next = head.loads.iter().find(|l| l.number == number + 1 && l.visit == Visit::Return && l.has_data);
    let again = match next.filter(|_| prepared.load.visit == Visit::First) {
        Some(next) => Some(rereading::prepared(app, id, next.number).await?),
        None => None,
    };
    let state = app.clone();
    apart(move || {
        let detail = state.store.detail(id)?;
        let body = |hash: &str| state.store.body(hash).ok().flatten();
        let again = again.as_ref().map(|again| &*again.load);
        Ok(Base::of(prepared.load.clone(), again, &body, detail.as_ref(), state.settings.clone(), otherwise))
    })
    .await
}

/// The loads without edits that trials are held against.
#[derive(Clone, Copy)]
pub enum Plain {
    /// They were made for an earlier trial.
    Known(i64),
    /// A job makes them.
    Made(u64),
}

impl Plain {
    /// The job that makes it, where it is not there yet.
    pub fn job(self) -> Option<u64> {
        match self {
            Self::Made(job) => Some(job),
            Self::Known(_) => None,
        }
    }

    fn recording(self, app: &App) -> Option<i64> {
        match self {
            Self::Known(recording) => Some(recording),
            Self::Made(job) => app.jobs.job(job).and_then(|j| j.recording),
        }
    }
}

/// A trial that is being made.
pub struct Rounds {
    pub trial: i64,
    /// The recording that it is of.
    pub of: i64,
    /// What its page is called.
    pub page: String,
    /// Under which its jobs are asked for together.
    pub batch: u64,
    pub base: Arc<Base>,
    /// The responses with the edits applied.
    pub book: Book,
    /// How the edits were made.
    pub notes: Vec<String>,
    pub wanted: Wanted,
    /// How its requests were answered, load by load.
    pub told: Arc<Mutex<Vec<Told>>>,
}

impl Rounds {
    fn again(&self, app: &App, source: Source, loads: usize, onto: Option<i64>) -> Again {
        let edited = source == Source::Trial;
        Again {
            book: if edited { self.book.clone() } else { self.base.book.clone() },
            of: self.of,
            source,
            page: self.page.clone(),
            course: self.base.course(loads, self.wanted.return_visits, app.browser.clone()),
            onto,
            told: if edited { self.told.clone() } else { Arc::default() },
        }
    }

    /// Puts the loads without edits in line.
    pub fn begin_plain(&self, app: &App) -> Plain {
        Plain::Made(jobs::load_again(app, self.batch, self.again(app, Source::Replay, self.wanted.loads, None)).id)
    }

    /// Puts the loads with the edits in line.
    pub fn begin(&self, app: &App) -> u64 {
        jobs::load_again(app, self.batch, self.again(app, Source::Trial, self.wanted.loads, None)).id
    }

    /// Makes the trial, and writes down what came of it.
    pub async fn make(self, app: &App, plain: Plain, tried: u64) {
        let trial = self.trial;
        let made = self.rounds(app, plain, tried).await;
        // Loads that were made before it was ended belong to it too, and go when it is forgotten.
        let (replay, tried) = (plain.recording(app), app.jobs.job(tried).and_then(|j| j.recording));
        let Ok(mut kept) = app.with_store(move |store| Ok(store.trial(trial)?)).await else { return };
        (kept.replay, kept.tried) = (replay, tried);
        match made {
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
        app.trial_jobs.lock().unwrap_or_else(PoisonError::into_inner).remove(&trial);
    }

    /// The result, or why there is none; `None` where the user ended it before there was any.
    async fn rounds(&self, app: &App, plain: Plain, tried: u64) -> Result<TrialResult, Option<String>> {
        // The loads without edits may be other trials' too, and go on where this trial is ended.
        for job in [Some(tried), plain.job()].into_iter().flatten() {
            app.jobs.until_over(&[job]).await;
            match app.jobs.job(job) {
                Some(Job { state: JobState::Done, .. }) => {}
                Some(Job { state: JobState::Cancelled, .. }) => return Err(None),
                Some(job) => return Err(Some(job.error.unwrap_or_else(|| "No load could be made.".to_owned()))),
                None => return Err(Some("Its jobs are gone.".to_owned())),
            }
        }
        let tried = app.jobs.job(tried).and_then(|j| j.recording);
        let (Some(replay), Some(tried)) = (plain.recording(app), tried) else {
            return Err(Some("No load could be made.".to_owned()));
        };
        let why = |p: Problem| Some(p.to_string());
        let mut made = self.wanted.loads;
        loop {
            let result = self.result(app, replay, tried).await.map_err(why)?;
            let more = loads_wanted(&result.outcome.compared).map_or(0, |n| n as usize).min(MOST_LOADS);
            if !self.wanted.until_sure || more <= made {
                return Ok(result);
            }
            made = more.min(made + ROUND);
            // A round that is ended, or that fails, takes nothing from what was found before it.
            if !self.round(app, replay, tried, made).await {
                return self.result(app, replay, tried).await.map_err(why);
            }
        }
    }

    /// Brings both to so many loads; says whether it came to its end.
    async fn round(&self, app: &App, replay: i64, tried: i64, loads: usize) -> bool {
        for (source, recording) in [(Source::Replay, replay), (Source::Trial, tried)] {
            let Ok(head) = app.with_store(move |store| Ok(store.recording(recording)?)).await else { return false };
            let there = head.loads.iter().filter(|l| l.visit == Visit::First).count();
            if there >= loads {
                continue;
            }
            if jobs::may_load_again(app, 1).is_err() {
                return false;
            }
            let again = self.again(app, source, loads - there, Some(recording));
            let job = jobs::load_again(app, self.batch, again).id;
            app.trial_jobs.lock().unwrap_or_else(PoisonError::into_inner).entry(self.trial).or_default().push(job);
            app.jobs.until_over(&[job]).await;
            if app.jobs.job(job).is_none_or(|j| j.state != JobState::Done) {
                return false;
            }
        }
        true
    }

    async fn result(&self, app: &App, replay: i64, tried: i64) -> Answer<TrialResult> {
        let a = seen(app, replay, Visit::First).await?;
        let b = seen(app, tried, Visit::First).await?;
        let original = seen(app, self.of, Visit::First).await?;
        let (mut a_again, mut b_again) = (Vec::new(), Vec::new());
        if self.wanted.return_visits {
            a_again = seen(app, replay, Visit::Return).await?;
            b_again = seen(app, tried, Visit::Return).await?;
        }
        let told = self.told.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let mut differs = Vec::new();
        if self.base.prepared.load.conditions.is_none() {
            let name = &self.base.conditions.name;
            differs.push(format!("The load does not tell its conditions; it was replayed as {name}."));
        }
        let (base, book, edits) = (self.base.clone(), self.book.clone(), self.wanted.edits.clone());
        let notes = self.notes.clone();
        apart(move || {
            Ok(TrialResult {
                outcome: Outcome::of(&a, &b, &book, &edits, &told, differs).with_returns(&a_again, &b_again),
                replayed: Outcome::of(&original, &a, &base.book, &[], &[], Vec::new()).compared,
                told: notes,
                not_replayed: base.book.shortfalls.clone(),
            })
        })
        .await
    }
}

/// A kept recording's first or return visits, as far as comparing goes.
async fn seen(app: &App, id: i64, visit: Visit) -> Answer<Vec<SeenLoad>> {
    let head = app.with_store(move |store| Ok(store.recording(id)?)).await?;
    let mut loads = Vec::new();
    for load in head.loads.iter().filter(|l| l.has_data && l.visit == visit) {
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

/// Ends a trial that is under way: its own jobs, and those that it alone waits for.
pub fn cancel(app: &App, trial: i64) -> Answer<()> {
    let own = {
        let jobs = app.trial_jobs.lock().unwrap_or_else(PoisonError::into_inner);
        let of_others: BTreeSet<u64> =
            jobs.iter().filter(|(of, _)| **of != trial).flat_map(|(_, j)| j.clone()).collect();
        jobs.get(&trial).into_iter().flatten().copied().filter(|j| !of_others.contains(j)).collect::<Vec<u64>>()
    };
    for job in own {
        if app.jobs.job(job).is_some_and(|j| !j.is_over()) {
            app.jobs.cancel(job)?;
        }
    }
    Ok(())
}
