//! Recordings under way.
//!
//! One at a time: two browsers at once would measure each other. What was asked for together is a
//! batch of jobs, one for each page and conditions, shown and cancelled together or one by one. A job
//! owns its browser through the future that it runs; cancelling drops the future, and with it the
//! browser, and keeps the loads that were made by then. What waits in line is in the store too, and
//! goes on after a restart.

use crate::error::Problem;
use crate::job_list::{Job, JobState};
use crate::keep::{self, Figures};
use crate::reading::{LoadReading, read_load, summary_of};
use crate::state::State;
use crate::trial::{Course, request_of};
use crate::{rereading, spans};
use axum::http::StatusCode;
use phainon_core::{Conditions, Source, Visit};
use phainon_formats::Machine;
use phainon_recorder::{
    Access, Keep, Part, Progress, RecordRequest, RecordedLoad, Step, browser, check_address, private_names, record,
};
use phainon_replay::{Book, Replay, Told};
use phainon_store::{Ended, NewRecording, PackedBodies};
use serde::{Deserialize, Serialize};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::watch;

/// More than this may not wait in line.
const MOST_WAITING: usize = 60;

/// One recording that was asked for, as it waits in line. What opens a page that is not public is
/// never in it: such a request does not survive a restart.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(default)]
#[allow(missing_docs)]
pub struct Wanted {
    pub url: String,
    pub page: String,
    pub conditions: Option<Conditions>,
    pub loads: usize,
    pub return_visits: bool,
    pub steps: String,
    pub no_bodies: bool,
    pub private: String,
    pub longest_s: u32,
    pub blocked: Vec<String>,
    /// Whether the page's server is asked for no spans.
    pub no_spans: bool,
    #[serde(skip)]
    pub access: Access,
}

impl Default for Wanted {
    fn default() -> Self {
        Self {
            url: String::new(),
            page: String::new(),
            conditions: None,
            loads: 3,
            return_visits: false,
            steps: String::new(),
            no_bodies: false,
            private: String::new(),
            longest_s: 45,
            blocked: Vec::new(),
            no_spans: false,
            access: Access::default(),
        }
    }
}

impl Wanted {
    /// Whether it may be written down: it holds nothing that is never stored.
    fn may_be_stored(&self) -> bool {
        self.access == Access::default() && self.private.is_empty()
    }

    /// The request for the recorder, or what is wrong with it.
    fn request(&self, state: &State) -> Result<RecordRequest, Problem> {
        let url = check_address(&self.url).map_err(|e| Problem::bad(e.to_string()))?;
        let conditions = self.conditions.clone().ok_or_else(|| Problem::bad("No conditions were chosen."))?;
        if let Some(trouble) = conditions.trouble() {
            return Err(Problem::bad(trouble));
        }
        if !(1..=20).contains(&self.loads) {
            return Err(Problem::bad("A recording has 1 to 20 loads."));
        }
        let mut request = RecordRequest::new(url.as_str(), conditions, self.loads);
        request.limits.longest = Duration::from_secs(u64::from(self.longest_s.clamp(5, 600)));
        request.steps = Step::parse_all(&self.steps).map_err(|e| Problem::bad(e.to_string()))?;
        if request.steps.len() > 50 {
            return Err(Problem::bad("A scripted user takes at most 50 steps."));
        }
        request.return_visits = self.return_visits;
        request.detail = true;
        request.instruments.bodies = !self.no_bodies;
        request.private = private_names(&self.private);
        request.access = self.access.clone();
        request.blocked.clone_from(&self.blocked);
        request.server_spans = !self.no_spans;
        request.trusted_key = state.stand_in.as_ref().map(|s| s.key_hash().to_owned());
        request.browser.clone_from(&state.browser);
        request.public_only = state.public_only;
        request.hosts = state.stand_in.as_ref().map(phainon_standin::StandIn::hosts).unwrap_or_default();
        request.about().map_err(|e| Problem::bad(e.to_string()))?;
        Ok(request)
    }
}

fn room_in_line(state: &State, more: usize) -> Result<(), Problem> {
    if state.jobs.open() + more <= MOST_WAITING {
        return Ok(());
    }
    Err(Problem::new(
        StatusCode::TOO_MANY_REQUESTS,
        format!("At most {MOST_WAITING} recordings can wait in line; let some finish first."),
    ))
}

/// Starts recordings that were asked for together, or puts them in line: all of them, or none
/// where one of them cannot be.
pub fn start(state: &Arc<State>, wanted: Vec<Wanted>) -> Result<Vec<Job>, Problem> {
    let requests = wanted.iter().map(|w| w.request(state)).collect::<Result<Vec<_>, _>>()?;
    room_in_line(state, wanted.len())?;
    let batch = state.jobs.number();
    let mut started = Vec::new();
    for (wanted, request) in wanted.into_iter().zip(requests) {
        let kept = if wanted.may_be_stored() {
            let text = serde_json::to_string(&wanted).map_err(|e| Problem::bad(e.to_string()))?;
            Some(state.store.enqueue(&text)?)
        } else {
            None
        };
        started.push(run(state, batch, wanted, request, kept, None));
    }
    Ok(started)
}

/// Goes on with what waited in line when the program last ended.
pub fn resume(state: &Arc<State>) -> Result<usize, Problem> {
    let waiting = state.store.waiting()?;
    let batch = state.jobs.number();
    let mut resumed = 0;
    for (kept, text) in waiting {
        let wanted: Option<Wanted> = serde_json::from_str(&text).ok();
        match wanted.and_then(|w| Some((w.request(state).ok()?, w))) {
            Some((request, wanted)) => {
                run(state, batch, wanted, request, Some(kept), None);
                resumed += 1;
            }
            None => state.store.dequeue(kept)?,
        }
    }
    Ok(resumed)
}

/// Takes a recording out of the line, before anybody is told that it is over: what the user has seen
/// end must not begin again. What the program's own end cuts off stays in line.
async fn leave_line(app: &Arc<State>, queued: Option<i64>) {
    if let Some(queued) = queued
        && !app.jobs.is_ending()
        && let Err(error) = app.with_store(move |store| Ok(store.dequeue(queued)?)).await
    {
        tracing::warn!("a finished recording could not be taken out of line: {error}");
    }
}

/// A recorded load to be loaded again from its responses.
pub struct Again {
    /// What is served.
    pub book: Book,
    /// The recording that it is of.
    pub of: i64,
    /// Whether it has edits.
    pub source: Source,
    /// What kind of page it is.
    pub page: String,
    /// How it is loaded.
    pub course: Course,
    /// A recording of earlier loads of it, to which these are added; without one they make a new recording.
    pub onto: Option<i64>,
    /// How requests were answered, load by load.
    pub told: Arc<Mutex<Vec<Told>>>,
}

/// Whether a recorded load can be loaded again here and now, in so many jobs.
pub fn may_load_again(state: &State, jobs: usize) -> Result<(), Problem> {
    let unusable = |why: String| Problem::new(StatusCode::SERVICE_UNAVAILABLE, why);
    let program = browser::find(state.browser.as_deref()).map_err(|e| unusable(e.to_string()))?;
    if browser::is_elsewhere(&program) {
        return Err(unusable(
            "A browser elsewhere has a network of its own; a trial needs one on this machine.".to_owned(),
        ));
    }
    room_in_line(state, jobs)
}

/// Loads a recorded load again, or puts that in line.
pub fn load_again(state: &Arc<State>, batch: u64, again: Again) -> Job {
    let request = RecordRequest::new(&again.book.page, again.course.conditions.clone(), again.course.loads);
    let wanted = Wanted { url: again.book.page.to_string(), page: again.page.clone(), ..Wanted::default() };
    run(state, batch, wanted, request, None, Some(again))
}

fn run(
    state: &Arc<State>,
    batch: u64,
    wanted: Wanted,
    request: RecordRequest,
    queued: Option<i64>,
    again: Option<Again>,
) -> Job {
    let id = state.jobs.number();
    let about = request.about().ok();
    let url = about.as_ref().map_or_else(|| wanted.url.clone(), |a| a.url.clone());
    let page = match wanted.page.trim() {
        "" => keep::site_and_page(&url).1,
        page => page.chars().take(60).collect(),
    };
    let job = Job {
        id,
        batch,
        source: again.as_ref().map_or(Source::Recording, |a| a.source),
        trial_of: again.as_ref().map(|a| a.of),
        state: JobState::Queued,
        url,
        page,
        conditions: about.map_or_else(|| request.conditions.clone(), |a| a.conditions),
        load: 0,
        of: request.loads,
        visit: Visit::First,
        stage: Some("waiting"),
        requests: 0,
        frame: 0,
        kept: 0,
        recording: again.as_ref().and_then(|a| a.onto),
        error: None,
    };
    let cancelled = state.jobs.add(job.clone());
    let (app, turn) = (state.clone(), state.jobs.line_up());
    tokio::spawn(async move {
        let run = Run {
            app: app.clone(),
            id,
            queued,
            request,
            again,
            replay: None,
            recorded_at: String::new(),
            machine: None,
            kept: Vec::new(),
            reasons: Vec::new(),
            trouble: None,
        };
        let running = tokio::spawn(run.whole(turn, cancelled));
        // A job that panics is over, and says so.
        if let Err(error) = running.await {
            tracing::error!("a recording failed inside: {error}");
            leave_line(&app, queued).await;
            app.jobs.change(id, |job| {
                job.state = JobState::Failed;
                job.error = Some("Recording failed inside the program; its log says where.".into());
            });
            if let Some(recording) = app.jobs.job(id).and_then(|j| j.recording) {
                let _ = app.store.end_recording(recording, Ended::BrokenOff);
            }
        }
    });
    job
}

/// A job at work.
struct Run {
    app: Arc<State>,
    id: u64,
    /// Its place in the stored line.
    queued: Option<i64>,
    request: RecordRequest,
    /// What is to be loaded again, where it is not the network.
    again: Option<Again>,
    /// What serves it.
    replay: Option<Replay>,
    recorded_at: String,
    machine: Option<Machine>,
    /// What summing up needs of the loads kept so far.
    kept: Vec<Figures>,
    /// Why loads failed.
    reasons: Vec<String>,
    /// What went wrong with keeping.
    trouble: Option<String>,
}

impl Keep for Run {
    async fn keep(&mut self, part: Part) {
        match part {
            Part::Machine(found) => self.machine = Some(found),
            Part::Load(load) => {
                if let (Some(replay), Some(again)) = (&self.replay, &self.again) {
                    again.told.lock().unwrap_or_else(PoisonError::into_inner).push(replay.next_load());
                }
                self.reasons.extend(load.raw.failed.clone());
                if let Err(why) = self.keep_load(*load).await {
                    self.trouble.get_or_insert(why);
                }
            }
            Part::Detail(detail) => {
                if let Some(recording) = self.app.jobs.job(self.id).and_then(|j| j.recording) {
                    let kept = self.app.with_store(move |store| Ok(store.set_detail(recording, &detail)?)).await;
                    if let Err(why) = kept {
                        self.trouble.get_or_insert(why.to_string());
                    }
                }
            }
        }
    }
}

impl Run {
    async fn whole<T>(mut self, turn: impl Future<Output = T> + Send, mut cancelled: watch::Receiver<bool>) {
        let app = self.app.clone();
        let (id, queued) = (self.id, self.queued);
        let ended = tokio::select! {
            // Waiting is cancelled as recording is.
            () = async { let _ = cancelled.wait_for(|c| *c).await; } => Ok(Ended::Cancelled),
            ended = async {
                let _turn = turn.await;
                let _alone = app.measure().await;
                app.jobs.change(id, |j| (j.state, j.stage) = (JobState::Running, Some("starting")));
                self.record().await.map(|()| Ended::Done)
            } => ended,
        };
        let job = app.jobs.job(id);
        // What was kept before this job stays as it ended then.
        let added = self.again.as_ref().is_some_and(|a| a.onto.is_some());
        if let Some(recording) = job.as_ref().and_then(|j| j.recording).filter(|_| !added) {
            let how = match &ended {
                Ok(Ended::Cancelled) if app.jobs.is_ending() => Ended::BrokenOff,
                Ok(ended) => *ended,
                Err(_) => Ended::BrokenOff,
            };
            let _ = app.with_store(move |store| Ok(store.end_recording(recording, how)?)).await;
        }
        // Spans may have come between reading a load and keeping it.
        if let Err(problem) = rereading::catch_up(&app).await {
            tracing::warn!("what has become stale could not be found: {problem}");
        }
        leave_line(&app, queued).await;
        app.jobs.change(id, |job| {
            job.stage = None;
            match ended {
                Ok(Ended::Cancelled) => job.state = JobState::Cancelled,
                Ok(_) => job.state = JobState::Done,
                Err(why) => {
                    job.state = JobState::Failed;
                    job.error = Some(why);
                }
            }
        });
    }

    async fn record(&mut self) -> Result<(), String> {
        if let Some(again) = &self.again {
            let replay = Replay::start(again.book.clone()).await;
            let replay = replay.map_err(|e| format!("The replay could not be served: {e}."))?;
            self.request = request_of(&replay, &again.course);
            self.replay = Some(replay);
            if let Some(onto) = again.onto {
                let figures = self.app.with_store(move |store| Ok(keep::figures_of(store, onto)?)).await;
                self.kept = figures.map_err(|e| e.to_string())?;
            }
        }
        let request = self.request.clone();
        let (sender, mut receiver) = tokio::sync::mpsc::unbounded_channel::<Progress>();
        let (app, id) = (self.app.clone(), self.id);
        let telling = tokio::spawn(async move {
            while let Some(progress) = receiver.recv().await {
                app.jobs.tell(id, progress);
            }
        });
        self.recorded_at = keep::now();
        let made = record(&request, sender, self).await;
        let _ = telling.await;
        made.map_err(|e| e.to_string())?;
        if let Some(why) = self.trouble.take() {
            return Err(why);
        }
        match self.app.jobs.job(self.id).and_then(|j| j.recording) {
            Some(_) => Ok(()),
            None => Err(self.reasons.first().cloned().unwrap_or_else(|| "No load could be made.".into())),
        }
    }

    /// Reads and keeps one load; the recording is there from its first load with data on.
    async fn keep_load(&mut self, load: RecordedLoad) -> Result<(), String> {
        let job = self.app.jobs.job(self.id).ok_or("The recording is gone.")?;
        // Loads that failed before there was a page are told, but make no recording of their own.
        if job.recording.is_none() && !load.raw.has_data() {
            return Ok(());
        }
        self.app.jobs.change(self.id, |j| j.stage = Some("keeping"));
        let mut load = load;
        // What an exporter holds back for a moment is waited for; what comes later still has the load read anew.
        let trace = load.raw.page.as_ref().and_then(|page| page.trace.clone());
        if let Some(trace) = &trace {
            load.raw.spans = spans::of_trace(&self.app, trace).await.map_err(|e| e.to_string())?;
        }
        let read_with = load.raw.spans.len();
        let number = self.kept.iter().map(|(number, ..)| *number).max().unwrap_or(0) + 1;
        let (site, _) = keep::site_and_page(&job.url);
        let (app, request, machine, recorded_at) =
            (self.app.clone(), self.request.clone(), self.machine.clone(), self.recorded_at.clone());
        let mut figures = self.kept.clone();
        let (source, trial_of) = self.again.as_ref().map_or((Source::Recording, None), |a| (a.source, Some(a.of)));
        let work = tokio::task::spawn_blocking(move || -> Result<_, String> {
            let RecordedLoad { raw, bodies } = load;
            let body = |hash: &str| bodies.get(hash).cloned();
            let settings = app.settings_of(&site).map_err(|e| e.to_string())?;
            let reading = read_load(&raw, &body, &settings, &[], true).map_err(|e| e.to_string())?;
            let failed = raw.failed.clone();
            let (visit, browser) = (raw.visit, raw.page.as_ref().and_then(|p| p.browser.clone()));
            let load = LoadReading { raw, reading, failed };
            let packed = keep::packed(&load).map_err(|e| e.to_string())?;
            let packed = if trace.is_some() { packed.adopting(read_with) } else { packed };
            let bodies = PackedBodies::of(bodies);
            let metrics = load.analysis().map(|a| a.metrics.clone()).unwrap_or_default();
            figures.push((number, visit, load.failed.is_some() || load.reading.is_none(), metrics));
            let summary = summary_of(&figures, &settings);
            let id = match job.recording {
                Some(id) => id,
                None => app
                    .store
                    .begin_recording(&NewRecording {
                        site: &site,
                        page: &job.page,
                        url: &job.url,
                        source,
                        conditions: Some(&job.conditions),
                        browser: browser.as_deref(),
                        machine: machine.as_ref(),
                        recorded_at: &recorded_at,
                        imported_from: None,
                        wanted_loads: u32::try_from(request.loads).ok(),
                        blocked: &request.blocked,
                        ended: Ended::Recording,
                        trial_of,
                    })
                    .map_err(|e| e.to_string())?,
            };
            let kept = app.store.add_load(id, number, &packed, &bodies, browser.as_deref(), summary.as_ref());
            kept.map_err(|e| e.to_string())?;
            Ok((id, figures))
        });
        let (recording, figures) = work.await.map_err(|e| format!("The load could not be kept: {e}"))??;
        self.kept = figures;
        self.app.jobs.change(self.id, |j| {
            j.recording = Some(recording);
            j.kept = number;
        });
        Ok(())
    }
}
