//! Recordings under way.
//!
//! One at a time: two browsers at once would measure each other. A job owns its browser through the
//! future that it runs; cancelling drops the future, and with it the browser. Jobs live in memory: a
//! restart ends them, and what a finished one recorded is in the store by then.

use crate::error::Problem;
use crate::keep;
use crate::state::State;
use axum::http::StatusCode;
use futures::Stream;
use phainon_core::{Conditions, Visit};
use phainon_recorder::{Progress, RecordRequest, Stage, record};
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use tokio::sync::{Semaphore, watch};
use tokio::task::AbortHandle;
use tokio_stream::wrappers::WatchStream;
use ts_rs::TS;

/// How many finished jobs are remembered.
const REMEMBERED: usize = 50;
/// More than this may not wait in line.
const MOST_WAITING: usize = 20;

/// Where a job is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum JobState {
    Queued,
    Running,
    Done,
    Failed,
    Cancelled,
}

/// A recording under way, as the screens show it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Job {
    #[ts(type = "number")]
    pub id: u64,
    pub state: JobState,
    pub url: String,
    pub page: Option<String>,
    pub conditions: Conditions,
    /// Which load, from 1; 0 before the first.
    pub load: usize,
    pub of: usize,
    /// First or return visit.
    pub visit: Visit,
    /// What the load is at.
    #[ts(
        type = "'starting' | 'connecting' | 'loading' | 'settling' | 'acting' | 'reading' | 'detail' | 'keeping' | null"
    )]
    pub stage: Option<&'static str>,
    pub requests: usize,
    /// The newest picture of the screen, as a data URL.
    pub frame: Option<String>,
    /// The recording that came of it.
    #[ts(type = "number | null")]
    pub recording: Option<i64>,
    /// Why it failed.
    pub error: Option<String>,
}

impl Job {
    fn is_over(&self) -> bool {
        matches!(self.state, JobState::Done | JobState::Failed | JobState::Cancelled)
    }
}

struct Entry {
    state: watch::Sender<Job>,
    abort: Option<AbortHandle>,
}

/// All jobs.
pub struct Jobs {
    entries: Mutex<BTreeMap<u64, Entry>>,
    next: AtomicU64,
    turn: Arc<Semaphore>,
}

impl Default for Jobs {
    fn default() -> Self {
        Self { entries: Mutex::default(), next: AtomicU64::new(1), turn: Arc::new(Semaphore::new(1)) }
    }
}

impl Jobs {
    fn entries(&self) -> std::sync::MutexGuard<'_, BTreeMap<u64, Entry>> {
        self.entries.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Starts a recording, or puts it in line.
    pub fn start(&self, state: &Arc<State>, request: RecordRequest, page: Option<String>) -> Result<Job, Problem> {
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let job = Job {
            id,
            state: JobState::Queued,
            url: request.url.clone(),
            page: page.clone(),
            conditions: request.conditions.clone(),
            load: 0,
            of: request.loads,
            visit: Visit::First,
            stage: None,
            requests: 0,
            frame: None,
            recording: None,
            error: None,
        };
        let mut entries = self.entries();
        if entries.values().filter(|e| !e.state.borrow().is_over()).count() >= MOST_WAITING {
            return Err(Problem::new(
                StatusCode::TOO_MANY_REQUESTS,
                format!("{MOST_WAITING} recordings are waiting already; let some finish first."),
            ));
        }
        let over: Vec<u64> = entries.iter().filter(|(_, e)| e.state.borrow().is_over()).map(|(id, _)| *id).collect();
        for old in over.iter().rev().skip(REMEMBERED) {
            entries.remove(old);
        }
        let (sender, _) = watch::channel(job.clone());
        let task = tokio::spawn(run(state.clone(), sender.clone(), request, page, self.turn.clone()));
        entries.insert(id, Entry { state: sender, abort: Some(task.abort_handle()) });
        Ok(job)
    }

    /// Jobs that are not over, oldest first.
    pub fn under_way(&self) -> Vec<Job> {
        self.entries().values().map(|e| e.state.borrow().clone()).filter(|j| !j.is_over()).collect()
    }

    /// A job's states from now on.
    pub fn follow(&self, id: u64) -> Result<impl Stream<Item = Job> + use<>, Problem> {
        let entries = self.entries();
        let entry = entries.get(&id).ok_or_else(|| unknown(id))?;
        Ok(WatchStream::new(entry.state.subscribe()))
    }

    /// Ends every job; for the end of the program.
    pub fn cancel_all(&self) {
        for job in self.under_way() {
            let _ = self.cancel(job.id);
        }
    }

    /// Ends a job and its browser.
    pub fn cancel(&self, id: u64) -> Result<(), Problem> {
        let mut entries = self.entries();
        let entry = entries.get_mut(&id).ok_or_else(|| unknown(id))?;
        if let Some(abort) = entry.abort.take() {
            abort.abort();
        }
        entry.state.send_if_modified(|job| {
            let running = !job.is_over();
            if running {
                job.state = JobState::Cancelled;
                job.stage = None;
            }
            running
        });
        Ok(())
    }
}

fn unknown(id: u64) -> Problem {
    Problem::new(
        StatusCode::NOT_FOUND,
        format!("There is no recording {id} under way; the server may have been restarted."),
    )
}

async fn run(
    state: Arc<State>,
    job: watch::Sender<Job>,
    request: RecordRequest,
    page: Option<String>,
    turn: Arc<Semaphore>,
) {
    let Ok(_turn) = turn.acquire().await else { return };
    job.send_modify(|j| j.state = JobState::Running);
    let recorded_at = chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Secs, true);
    let (sender, mut receiver) = tokio::sync::mpsc::unbounded_channel::<Progress>();
    let told = job.clone();
    let telling = tokio::spawn(async move {
        while let Some(progress) = receiver.recv().await {
            tell(&told, progress);
        }
    });
    let result = record(&request, sender).await;
    let _ = telling.await;
    let kept = match result {
        Ok(recording) => {
            job.send_modify(|j| j.stage = Some("keeping"));
            let reasons: Vec<String> = recording.loads.iter().filter_map(|l| l.raw.failed.clone()).collect();
            let nothing = recording.loads.iter().all(|l| l.raw.requests.is_none());
            if nothing {
                Err(reasons.first().cloned().unwrap_or_else(|| "No load could be made.".into()))
            } else {
                let opened = keep::opened_from(recording, page.clone(), &request.conditions, recorded_at);
                keep_recording(&state, opened, page).await
            }
        }
        Err(error) => Err(error.to_string()),
    };
    job.send_modify(|j| {
        j.stage = None;
        j.frame = None;
        match kept {
            Ok(id) => {
                j.state = JobState::Done;
                j.recording = Some(id);
            }
            Err(why) => {
                j.state = JobState::Failed;
                j.error = Some(why);
            }
        }
    });
}

async fn keep_recording(
    state: &Arc<State>,
    opened: phainon_formats::Opened,
    page: Option<String>,
) -> Result<i64, String> {
    let state = state.clone();
    let kept = tokio::task::spawn_blocking(move || {
        let ready = keep::Ready::of(opened, page).map_err(|e| e.to_string())?;
        state
            .on_store(|store| Ok(ready.keep(store).map_err(|e| e.to_string())))
            .unwrap_or_else(|_| Err("The recording could not be kept.".into()))
    });
    kept.await.unwrap_or_else(|e| Err(format!("The recording could not be kept: {e}")))
}

fn tell(job: &watch::Sender<Job>, progress: Progress) {
    job.send_modify(|j| {
        if j.load != progress.load || j.visit != progress.visit {
            j.frame = None;
        }
        j.visit = progress.visit;
        j.load = progress.load;
        j.of = progress.of;
        j.stage = match progress.stage {
            Stage::Starting => Some("starting"),
            Stage::Connecting => Some("connecting"),
            Stage::Loading => Some("loading"),
            Stage::Settling => Some("settling"),
            Stage::Acting => Some("acting"),
            Stage::Reading => Some("reading"),
            Stage::Detail => Some("detail"),
            Stage::Done => j.stage,
        };
        if progress.stage != Stage::Done {
            j.requests = progress.requests;
        }
        if let Some(frame) = progress.frame {
            j.frame = Some(format!("data:image/jpeg;base64,{}", phainon_formats::base64_text(&frame)));
        }
    });
}
