//! Reading everything anew when this version of the program reads or computes otherwise than the one
//! that kept it. Raw parts are the truth; what was made of them is never older than the program that
//! shows it.

use crate::error::Problem;
use crate::keep;
use crate::reading::{LoadReading, read_load, summary_of};
use crate::state::{Rereading, State, apart};
use phainon_core::{Analysis, Prepared};
use phainon_store::Part;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Reads every stale load anew, newest recordings first, one at a time and never beside a recording.
/// A restart goes on where it was: each load is renewed in one transaction.
pub async fn reread(state: Arc<State>) {
    let settings = state.settings.hash();
    let Ok(stale) = state.with_store(move |store| Ok(store.stale(&settings)?)).await else { return };
    let of = stale.len();
    state.rereading.send_replace(Rereading { done: 0, of });
    let mut waiting: Vec<(i64, u32)> = stale;
    let mut done = 0;
    while !waiting.is_empty() {
        let (id, _) = waiting[0];
        let (now, later): (Vec<_>, Vec<_>) = waiting.into_iter().partition(|(recording, _)| *recording == id);
        waiting = later;
        for (id, number) in now {
            if let Err(problem) = renew(&state, id, number).await {
                tracing::warn!("load {number} of recording {id} could not be read anew: {problem}");
            }
            done += 1;
            state.rereading.send_replace(Rereading { done, of });
        }
        if let Err(problem) = resummarise(&state, id).await {
            tracing::warn!("recording {id} could not be summed up anew: {problem}");
        }
    }
    state.rereading.send_replace(Rereading { done: of, of });
}

/// Reads one load anew, if it is stale.
pub async fn renew(state: &Arc<State>, id: i64, number: u32) -> Result<(), Problem> {
    let _quiet = state.quiet().await;
    let hash = state.settings.hash();
    let app = state.clone();
    apart(move || {
        let store = &app.store;
        let raw = store.stored_load(id, number)?.raw()?;
        let body = |hash: &str| store.body(hash).ok().flatten();
        let failed = raw.failed.clone();
        match read_load(&raw, &body, &app.settings, true) {
            Ok(reading) => {
                let packed = keep::packed(&LoadReading { raw, reading, failed })?;
                store.renew(id, number, Ok(&packed), &hash)?;
            }
            Err(error) => store.renew(id, number, Err(&error.to_string()), &hash)?,
        }
        app.forget(id, number);
        Ok(())
    })
    .await
}

/// Sums a recording up from what is kept of its loads.
pub async fn resummarise(state: &Arc<State>, id: i64) -> Result<(), Problem> {
    let app = state.clone();
    apart(move || {
        let head = app.store.recording(id)?;
        let mut figures = Vec::new();
        for load in head.loads.iter().filter(|l| l.has_data) {
            if let Some(part) = app.store.part(id, load.number, Part::Overview)? {
                let analysis: Analysis = part.value()?;
                figures.push((load.number, load.visit, load.failed.is_some(), analysis.metrics));
            }
        }
        Ok(app.store.set_summary(id, summary_of(&figures, &app.settings).as_ref())?)
    })
    .await
}

/// Makes sure that a load is not older than the program before it is shown: one that waits for its
/// turn is read at once.
pub async fn fresh(state: &Arc<State>, id: i64, number: u32) -> Result<(), Problem> {
    let at_work = *state.rereading.borrow();
    if at_work.done >= at_work.of {
        return Ok(());
    }
    let settings = state.settings.hash();
    let stale: BTreeSet<(i64, u32)> =
        state.with_store(move |store| Ok(store.stale(&settings)?)).await?.into_iter().collect();
    if stale.contains(&(id, number)) {
        renew(state, id, number).await?;
        // The list must not say otherwise than the load that is shown.
        resummarise(state, id).await?;
    }
    Ok(())
}

/// A load, read and prepared, and not older than the program. The last few are kept, since reading
/// one anew for every question takes long.
pub async fn prepared(state: &Arc<State>, id: i64, number: u32) -> Result<Arc<Prepared>, Problem> {
    if let Some(load) = state.held_load(id, number) {
        return Ok(load);
    }
    fresh(state, id, number).await?;
    let app = state.clone();
    let load = apart(move || {
        let load = app.store.load(id, number)?;
        Ok(Arc::new(Prepared::new(Arc::new(load), app.settings.clone())))
    })
    .await?;
    state.hold(id, number, load.clone());
    Ok(load)
}
