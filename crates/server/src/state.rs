//! What all requests share.

use crate::error::Problem;
use crate::job_list::Jobs;
use crate::span_queue::SpanQueue;
use axum::http::StatusCode;
use phainon_core::plan::Outlook;
use phainon_core::{Prepared, Settings};
use phainon_formats::MemoryBudget;
use phainon_standin::StandIn;
use phainon_store::Store;
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::{OwnedRwLockReadGuard, RwLock, RwLockWriteGuard, watch};
use ts_rs::TS;

/// How many loads are held in memory.
const HELD_LOADS: usize = 4;
/// How many loads' forecasts are: as many as a plan has pages.
const HELD_OUTLOOKS: usize = 32;

/// How long reading the files of one import may take: a trace of 1 GB takes a tenth of it.
const IMPORT_TIME: Duration = Duration::from_secs(600);

/// How far reading everything anew has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Rereading {
    /// Loads read anew so far.
    pub done: usize,
    /// Of how many; 0 where nothing had to be.
    pub of: usize,
}

/// A load's forecasts, likewise.
type HeldOutlook = ((i64, u32), Arc<Outlook>);

/// A load by its recording and number.
type HeldLoad = ((i64, u32), Arc<Prepared>);

/// What all requests share.
pub struct State {
    /// Shared by reference: it has its own lock for writing and a pool for reading.
    pub store: Store,
    /// What goes into every computation, of sites that have set nothing themselves.
    pub settings: Arc<Settings>,
    /// What sites have set, as far as it was asked for; `None` of those that have set nothing.
    site_settings: Mutex<HashMap<String, Option<Arc<Settings>>>>,
    /// The line of requests with spans that servers send.
    pub spans: SpanQueue,
    /// Loads read last, newest first, by recording and number.
    loads: Mutex<Vec<HeldLoad>>,
    /// Forecasts of the loads that plans are about, likewise.
    outlooks: Mutex<Vec<HeldOutlook>>,
    /// Recordings under way.
    pub jobs: Arc<Jobs>,
    /// How far reading anew has come.
    pub rereading: watch::Sender<Rereading>,
    /// Held by a recording for as long as it measures; heavy work takes its turn between them.
    measuring: Arc<RwLock<()>>,
    /// Set where more became stale while that was read anew.
    pub again: AtomicBool,
    /// Held while one load is read anew.
    pub renewing: tokio::sync::Mutex<()>,
    /// Held while files are read that somebody sent.
    pub importing: Arc<tokio::sync::Mutex<()>>,
    /// How many bytes of memory one import may take.
    pub import_memory: u64,
    /// How long reading one may take.
    pub import_time: Duration,
    /// The simulated site, where it runs.
    pub stand_in: Option<StandIn>,
    /// The browser named on the command line.
    pub browser: Option<String>,
    /// Record public addresses only: set when others than this machine's user can reach the server.
    pub public_only: bool,
    /// What a caller must present, where the server listens beyond this machine.
    pub token: Option<String>,
    /// Host names under which the server may be called.
    pub hosts: Vec<String>,
    /// The jobs of the trials under way; several trials may wait for one.
    pub trial_jobs: Mutex<BTreeMap<i64, Vec<u64>>>,
}

impl State {
    /// Around a store.
    pub fn new(store: Store) -> Self {
        Self {
            store,
            settings: Arc::default(),
            site_settings: Mutex::default(),
            spans: SpanQueue::default(),
            loads: Mutex::default(),
            outlooks: Mutex::default(),
            jobs: Arc::default(),
            rereading: watch::channel(Rereading::default()).0,
            measuring: Arc::default(),
            again: AtomicBool::default(),
            renewing: tokio::sync::Mutex::default(),
            importing: Arc::default(),
            import_memory: MemoryBudget::USUAL,
            import_time: IMPORT_TIME,
            stand_in: None,
            browser: None,
            public_only: false,
            token: None,
            hosts: Vec::new(),
            trial_jobs: Mutex::default(),
        }
    }

    /// Does something with the store on a thread that may block.
    pub async fn with_store<T: Send + 'static>(
        self: &Arc<Self>,
        act: impl FnOnce(&Store) -> Result<T, Problem> + Send + 'static,
    ) -> Result<T, Problem> {
        let state = self.clone();
        apart(move || act(&state.store)).await
    }

    /// What goes into every computation about a site.
    pub fn settings_of(&self, site: &str) -> Result<Arc<Settings>, Problem> {
        let known = || self.site_settings.lock().unwrap_or_else(PoisonError::into_inner);
        let held = known().get(site).cloned();
        let own = match held {
            Some(own) => own,
            None => {
                let own = self.store.site_settings(site)?.map(Arc::new);
                known().insert(site.to_owned(), own.clone());
                own
            }
        };
        Ok(own.unwrap_or_else(|| self.settings.clone()))
    }

    /// Sets what a site has set for itself.
    pub fn set_settings_of(&self, site: &str, settings: &Settings) -> Result<(), Problem> {
        self.store.set_site_settings(site, settings)?;
        self.site_settings.lock().unwrap_or_else(PoisonError::into_inner).remove(site);
        self.forget_all();
        Ok(())
    }

    /// Has what is noted of a site's owners go into every computation: what they are for. Gives whether that changed.
    pub fn take_purposes(&self, site: &str) -> Result<bool, Problem> {
        let notes = self.store.owner_notes(site)?.into_iter().filter(|noted| !noted.note.purposes.is_empty());
        let purposes = notes.map(|noted| (noted.owner.key(), noted.note.purposes)).collect();
        let before = self.settings_of(site)?;
        if before.purposes == purposes {
            return Ok(false);
        }
        self.set_settings_of(site, &Settings { purposes, ..(*before).clone() })?;
        Ok(true)
    }

    /// For one piece of heavy work: waits until no page is being measured.
    pub async fn quiet(&self) -> OwnedRwLockReadGuard<()> {
        self.measuring.clone().read_owned().await
    }

    /// For a recording: waits until the piece of heavy work under way is done; none begins meanwhile.
    pub async fn measure(&self) -> RwLockWriteGuard<'_, ()> {
        self.measuring.write().await
    }

    fn held(&self) -> MutexGuard<'_, Vec<HeldLoad>> {
        self.loads.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A load that is held, read and prepared.
    pub fn held_load(&self, id: i64, number: u32) -> Option<Arc<Prepared>> {
        self.held().iter().find(|(held, _)| *held == (id, number)).map(|(_, load)| load.clone())
    }

    /// Holds a load, and lets go of the one that was asked for longest ago.
    pub fn hold(&self, id: i64, number: u32, load: Arc<Prepared>) {
        let mut held = self.held();
        held.retain(|(other, _)| *other != (id, number));
        held.insert(0, ((id, number), load));
        held.truncate(HELD_LOADS);
    }

    fn outlooks(&self) -> MutexGuard<'_, Vec<HeldOutlook>> {
        self.outlooks.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The forecasts of a load, where they are held.
    pub fn held_outlook(&self, id: i64, number: u32) -> Option<Arc<Outlook>> {
        let mut held = self.outlooks();
        let place = held.iter().position(|(held, _)| *held == (id, number))?;
        let found = held.remove(place);
        let outlook = found.1.clone();
        held.insert(0, found);
        Some(outlook)
    }

    /// Holds a load's forecasts, and lets go of those that were asked for longest ago.
    pub fn hold_outlook(&self, id: i64, number: u32, outlook: Arc<Outlook>) {
        let mut held = self.outlooks();
        held.retain(|(other, _)| *other != (id, number));
        held.insert(0, ((id, number), outlook));
        held.truncate(HELD_OUTLOOKS);
    }

    /// Drops everything that is held.
    pub fn forget_all(&self) {
        self.held().clear();
        self.outlooks().clear();
    }

    /// Drops what is held of a load, or of a whole recording where the number is 0.
    pub fn forget(&self, id: i64, number: u32) {
        let others = |(recording, load): (i64, u32)| recording != id || (number > 0 && load != number);
        self.held().retain(|(held, _)| others(*held));
        self.outlooks().retain(|(held, _)| others(*held));
    }
}

/// Does something long on a thread that may block.
pub async fn apart<T: Send + 'static>(act: impl FnOnce() -> Result<T, Problem> + Send + 'static) -> Result<T, Problem> {
    tokio::task::spawn_blocking(act).await.unwrap_or_else(|e| {
        Err(Problem::new(StatusCode::INTERNAL_SERVER_ERROR, format!("The server failed at this: {e}")))
    })
}
