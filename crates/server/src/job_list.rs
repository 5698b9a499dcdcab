//! The list of recordings under way: what each is at, news of it, and ending it.

use crate::error::Problem;
use axum::http::StatusCode;
use futures::{FutureExt, Stream};
use phainon_core::{Conditions, Source, Visit};
use phainon_recorder::{Progress, Stage};
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::{OwnedSemaphorePermit, Semaphore, watch};
use ts_rs::TS;

/// How many finished jobs are remembered.
const REMEMBERED: usize = 100;
/// News go out at most four times a second.
const PACE: Duration = Duration::from_millis(250);

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
    /// What was asked for together has one number.
    #[ts(type = "number")]
    pub batch: u64,
    /// A recording, a replay, or a trial.
    pub source: Source,
    /// The recording whose load is loaded again, where it is a replay or a trial.
    #[ts(type = "number | null")]
    pub trial_of: Option<i64>,
    pub state: JobState,
    pub url: String,
    pub page: String,
    pub conditions: Conditions,
    /// Which load, from 1; 0 before the first.
    pub load: usize,
    pub of: usize,
    /// First or return visit.
    pub visit: Visit,
    /// What the load is at.
    #[ts(
        type = "'waiting' | 'starting' | 'logging_in' | 'connecting' | 'loading' | 'settling' | 'acting' | 'reading' | 'detail' | 'keeping' | null"
    )]
    pub stage: Option<&'static str>,
    pub requests: usize,
    /// Rises with each new picture of the screen, which is at `/api/jobs/ID/frame`; 0 where there is none.
    #[ts(type = "number")]
    pub frame: u64,
    /// Loads kept so far, return visits included.
    pub kept: u32,
    /// The recording that comes of it, from its first load on.
    #[ts(type = "number | null")]
    pub recording: Option<i64>,
    /// Why it failed.
    pub error: Option<String>,
}

impl Job {
    /// Whether nothing more comes of it.
    pub fn is_over(&self) -> bool {
        matches!(self.state, JobState::Done | JobState::Failed | JobState::Cancelled)
    }
}

struct Entry {
    job: Job,
    frame: Vec<u8>,
    cancel: watch::Sender<bool>,
}

/// All jobs.
pub struct Jobs {
    entries: Mutex<BTreeMap<u64, Entry>>,
    next: AtomicU64,
    /// One recording at a time.
    turn: Arc<Semaphore>,
    /// Rises with every change of any job.
    changed: watch::Sender<u64>,
    /// The program is ending: what it ends goes on at the next start.
    ending: AtomicBool,
}

impl Default for Jobs {
    fn default() -> Self {
        Self {
            entries: Mutex::default(),
            next: AtomicU64::new(1),
            turn: Arc::new(Semaphore::new(1)),
            changed: watch::channel(0).0,
            ending: AtomicBool::new(false),
        }
    }
}

impl Jobs {
    fn entries(&self) -> MutexGuard<'_, BTreeMap<u64, Entry>> {
        self.entries.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A new number for a job or a batch.
    pub fn number(&self) -> u64 {
        self.next.fetch_add(1, Ordering::Relaxed)
    }

    /// How many are not over.
    pub fn open(&self) -> usize {
        self.entries().values().filter(|e| !e.job.is_over()).count()
    }

    /// Whether the program is ending.
    pub fn is_ending(&self) -> bool {
        self.ending.load(Ordering::Relaxed)
    }

    /// Puts a job on the list; gives what tells it that it is to end. The oldest finished ones are forgotten.
    pub fn add(&self, job: Job) -> watch::Receiver<bool> {
        let (cancel, cancelled) = watch::channel(false);
        let mut entries = self.entries();
        let over: Vec<u64> = entries.iter().filter(|(_, e)| e.job.is_over()).map(|(id, _)| *id).collect();
        for old in over.iter().rev().skip(REMEMBERED) {
            entries.remove(old);
        }
        entries.insert(job.id, Entry { job, frame: Vec::new(), cancel });
        cancelled
    }

    /// Writes down what the recorder tells of a job.
    pub fn tell(&self, id: u64, progress: Progress) {
        if let Some(entry) = self.entries().get_mut(&id) {
            let job = &mut entry.job;
            if job.load != progress.load || job.visit != progress.visit {
                job.frame = 0;
            }
            job.visit = progress.visit;
            job.load = progress.load;
            job.of = progress.of;
            job.stage = match progress.stage {
                Stage::Waiting => Some("waiting"),
                Stage::Starting => Some("starting"),
                Stage::LoggingIn => Some("logging_in"),
                Stage::Connecting => Some("connecting"),
                Stage::Loading => Some("loading"),
                Stage::Settling => Some("settling"),
                Stage::Acting => Some("acting"),
                Stage::Reading => Some("reading"),
                Stage::Detail => Some("detail"),
                Stage::Done => job.stage,
            };
            if progress.stage != Stage::Done {
                job.requests = progress.requests;
            }
            if let Some(frame) = progress.frame {
                job.frame += 1;
                entry.frame = frame;
            }
        }
        self.changed.send_modify(|n| *n += 1);
    }

    /// Changes a job, and tells those who follow it.
    pub fn change(&self, id: u64, act: impl FnOnce(&mut Job)) {
        if let Some(entry) = self.entries().get_mut(&id) {
            act(&mut entry.job);
        }
        self.changed.send_modify(|n| *n += 1);
    }

    /// A job as it is now.
    pub fn job(&self, id: u64) -> Option<Job> {
        self.entries().get(&id).map(|e| e.job.clone())
    }

    /// Jobs that are not over, oldest first.
    pub fn under_way(&self) -> Vec<Job> {
        self.entries().values().map(|e| e.job.clone()).filter(|j| !j.is_over()).collect()
    }

    /// The jobs of a batch, in order.
    pub fn batch(&self, batch: u64) -> Result<Vec<Job>, Problem> {
        let jobs: Vec<Job> = self.entries().values().map(|e| e.job.clone()).filter(|j| j.batch == batch).collect();
        if jobs.is_empty() { Err(unknown(batch)) } else { Ok(jobs) }
    }

    /// The newest picture of a job's screen.
    pub fn frame(&self, id: u64) -> Result<Vec<u8>, Problem> {
        let entries = self.entries();
        let entry = entries.get(&id).filter(|e| !e.frame.is_empty());
        entry.map(|e| e.frame.clone()).ok_or_else(|| unknown(id))
    }

    /// A batch's states from now on, at most four a second, until all of it is over.
    pub fn follow(self: &Arc<Self>, batch: u64) -> Result<impl Stream<Item = Vec<Job>> + use<>, Problem> {
        self.batch(batch)?;
        let news = self.changed.subscribe();
        Ok(futures::stream::unfold(
            (self.clone(), news, true, false),
            move |(list, mut news, first, over)| async move {
                if over {
                    return None;
                }
                if !first {
                    tokio::time::sleep(PACE).await;
                    news.changed().await.ok()?;
                }
                news.borrow_and_update();
                let jobs = list.batch(batch).ok()?;
                let over = jobs.iter().all(Job::is_over);
                Some((jobs, (list, news, false, over)))
            },
        ))
    }

    /// A place in the line of those that record, taken when this is called: who comes first is served first,
    /// whichever of them asks for its turn first.
    pub fn line_up(&self) -> impl Future<Output = Option<OwnedSemaphorePermit>> + Send + use<> {
        let mut turn = Box::pin(self.turn.clone().acquire_owned());
        // A semaphore lines up who has asked once.
        let mut at_once = turn.as_mut().now_or_never();
        async move {
            match at_once.take() {
                Some(permit) => permit.ok(),
                None => turn.await.ok(),
            }
        }
    }

    /// Waits until some jobs are over.
    pub async fn until_over(&self, jobs: &[u64]) {
        let mut news = self.changed.subscribe();
        while jobs.iter().filter_map(|id| self.job(*id)).any(|job| !job.is_over()) {
            if news.changed().await.is_err() {
                return;
            }
        }
    }

    /// Ends every job; for the end of the program. What waits in line goes on at the next start.
    pub fn cancel_all(&self) {
        self.ending.store(true, Ordering::Relaxed);
        for entry in self.entries().values() {
            entry.cancel.send_replace(true);
        }
    }

    /// Ends a job and its browser; the loads that it made stay.
    pub fn cancel(&self, id: u64) -> Result<(), Problem> {
        let entries = self.entries();
        let entry = entries.get(&id).ok_or_else(|| unknown(id))?;
        entry.cancel.send_replace(true);
        Ok(())
    }
}

fn unknown(id: u64) -> Problem {
    Problem::new(
        StatusCode::NOT_FOUND,
        format!("There is no recording {id} under way; the server may have been restarted."),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn who_lined_up_first_has_the_first_turn() {
        let jobs = Jobs::default();
        let (first, second, third) = (jobs.line_up(), jobs.line_up(), jobs.line_up());
        // The last asks before the others do.
        let mut third = Box::pin(third);
        assert!(third.as_mut().now_or_never().is_none());
        let mut second = Box::pin(second);
        assert!(second.as_mut().now_or_never().is_none());
        drop(first.await);
        assert!(third.as_mut().now_or_never().is_none());
        drop(second.now_or_never().expect("its turn"));
        assert!(third.now_or_never().is_some());
        // Who leaves the line holds nobody up.
        let (gone, next) = (jobs.line_up(), jobs.line_up());
        drop(gone);
        assert!(next.now_or_never().is_some());
    }
}
