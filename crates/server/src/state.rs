//! What all requests share.

use crate::error::Problem;
use crate::jobs::Jobs;
use crate::keep;
use axum::http::StatusCode;
use phainon_core::Load;
use phainon_formats::open_together;
use phainon_standin::StandIn;
use phainon_store::Store;
use std::sync::{Arc, Mutex};

/// How many loads are held in memory.
const HELD_LOADS: usize = 4;

/// A load by its recording and number.
type HeldLoad = ((i64, u32), Arc<Load>);

/// What all requests share.
pub struct State {
    /// One store behind a lock of the standard library, not the runtime's: it is only taken on
    /// threads that may block, and never held across an await.
    store: Mutex<Store>,
    /// Loads read last, newest first, by recording and number.
    loads: Mutex<Vec<HeldLoad>>,
    /// Recordings under way.
    pub jobs: Jobs,
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
}

impl State {
    /// Around a store.
    pub fn new(store: Store) -> Self {
        Self {
            store: Mutex::new(store),
            loads: Mutex::default(),
            jobs: Jobs::default(),
            stand_in: None,
            browser: None,
            public_only: false,
            token: None,
            hosts: Vec::new(),
        }
    }

    /// Does something with the store on a thread that may block.
    pub async fn with_store<T: Send + 'static>(
        self: &Arc<Self>,
        act: impl FnOnce(&mut Store) -> Result<T, Problem> + Send + 'static,
    ) -> Result<T, Problem> {
        let state = self.clone();
        apart(move || state.on_store(act)).await
    }

    /// The same, on a thread that is one already.
    pub fn on_store<T>(&self, act: impl FnOnce(&mut Store) -> Result<T, Problem>) -> Result<T, Problem> {
        let mut store = self.store.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        act(&mut store)
    }

    /// A load, read; the last few are kept, since reading one anew for every question takes long.
    pub async fn load(self: &Arc<Self>, id: i64, number: u32) -> Result<Arc<Load>, Problem> {
        let held = || self.loads.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if let Some((_, load)) = held().iter().find(|(key, _)| *key == (id, number)) {
            return Ok(load.clone());
        }
        let packed = self.with_store(move |store| Ok(store.packed_load(id, number)?)).await?;
        let load = apart(move || Ok(Store::unpacked_load(packed)?)).await?;
        let load = Arc::new(load);
        let mut held = held();
        held.retain(|(key, _)| *key != (id, number));
        held.insert(0, ((id, number), load.clone()));
        held.truncate(HELD_LOADS);
        Ok(load)
    }

    /// Reads files that somebody has and keeps them; gives the recordings' ids.
    pub async fn import(self: &Arc<Self>, files: Vec<(Vec<u8>, String)>) -> Result<Vec<i64>, Problem> {
        let state = self.clone();
        // Reading may take long; the store is locked only to keep the result.
        apart(move || {
            let ready = open_together(files)?
                .into_iter()
                .flat_map(phainon_formats::Opened::by_page)
                .map(|opened| keep::Ready::of(opened, None))
                .collect::<Result<Vec<_>, _>>()?;
            state.on_store(|store| ready.iter().map(|r| Ok(r.keep(store)?)).collect())
        })
        .await
    }
}

/// Does something long on a thread that may block.
pub async fn apart<T: Send + 'static>(act: impl FnOnce() -> Result<T, Problem> + Send + 'static) -> Result<T, Problem> {
    tokio::task::spawn_blocking(act).await.unwrap_or_else(|e| {
        Err(Problem::new(StatusCode::INTERNAL_SERVER_ERROR, format!("The server failed at this: {e}")))
    })
}
