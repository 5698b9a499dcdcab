//! What all requests share.

use crate::error::Problem;
use crate::jobs::Jobs;
use crate::keep;
use axum::http::StatusCode;
use phainon_formats::open;
use phainon_standin::StandIn;
use phainon_store::Store;
use std::sync::{Arc, Mutex};

/// What all requests share.
pub struct State {
    /// One store behind a lock of the standard library, not the runtime's: it is only taken on
    /// threads that may block, and never held across an await.
    store: Mutex<Store>,
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
        tokio::task::spawn_blocking(move || state.on_store(act)).await.unwrap_or_else(|e| {
            Err(Problem::new(StatusCode::INTERNAL_SERVER_ERROR, format!("The server failed at this: {e}")))
        })
    }

    /// The same, on a thread that is one already.
    pub fn on_store<T>(&self, act: impl FnOnce(&mut Store) -> Result<T, Problem>) -> Result<T, Problem> {
        let mut store = self.store.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        act(&mut store)
    }

    /// Reads a file that somebody has and keeps it; gives the recording's id.
    pub async fn import(self: &Arc<Self>, bytes: Vec<u8>, name: String) -> Result<i64, Problem> {
        let state = self.clone();
        tokio::task::spawn_blocking(move || {
            // Reading may take long; the store is locked only to keep the result.
            let opened = open(&bytes, &name)?;
            drop(bytes);
            let ready = keep::Ready::of(opened, Some(name), None)?;
            state.on_store(|store| Ok(ready.keep(store)?))
        })
        .await
        .unwrap_or_else(|e| {
            Err(Problem::new(StatusCode::INTERNAL_SERVER_ERROR, format!("The file could not be read: {e}")))
        })
    }
}
