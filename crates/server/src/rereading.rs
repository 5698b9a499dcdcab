//! Reading everything anew when this version of the program reads or computes otherwise than the one
//! that kept it. Raw parts are the truth; what was made of them is never older than the program that
//! shows it.

use crate::error::Problem;
use crate::keep;
use crate::reading::{LoadReading, read_load, summary_of};
use crate::state::{Rereading, State, apart};
use axum::http::StatusCode;
use phainon_core::Prepared;
use std::sync::Arc;
use std::sync::atomic::Ordering;

/// Reads what [`announce`] found anew, newest recordings first, one at a time and never beside a
/// recording. A restart goes on where it was: each load is renewed in one transaction.
pub async fn reread(state: Arc<State>, mut stale: Vec<(i64, u32)>) {
    loop {
        let of = stale.len();
        for (done, (id, number)) in (1..).zip(stale) {
            if let Err(problem) = renew(&state, id, number).await {
                tracing::warn!("load {number} of recording {id} could not be read anew: {problem}");
            }
            state.rereading.send_replace(Rereading { done, of });
        }
        if !state.again.swap(false, Ordering::Relaxed) {
            return;
        }
        stale = match announce(&state).await {
            Ok(stale) => stale,
            Err(problem) => {
                tracing::warn!("what has become stale could not be found: {problem}");
                return;
            }
        };
    }
}

/// Reads what has become stale while the program runs, unless that is under way.
pub async fn catch_up(state: &Arc<State>) -> Result<(), Problem> {
    let at_work = *state.rereading.borrow();
    if at_work.done < at_work.of {
        // What it finds when it comes to its end is looked for again.
        state.again.store(true, Ordering::Relaxed);
        return Ok(());
    }
    let stale = announce(state).await?;
    tokio::spawn(reread(state.clone(), stale));
    Ok(())
}

/// Finds what is stale and says so: from then on nothing older than the program is shown.
pub async fn announce(state: &Arc<State>) -> Result<Vec<(i64, u32)>, Problem> {
    let settings = state.settings.hash();
    let stale = state.with_store(move |store| Ok(store.stale(&settings)?)).await?;
    state.rereading.send_replace(Rereading { done: 0, of: stale.len() });
    Ok(stale)
}

/// Reads one load anew, if nobody has meanwhile, and sums its recording up with it. One after the
/// other: of two at once, each would sum up with what the other is about to replace.
async fn renew(state: &Arc<State>, id: i64, number: u32) -> Result<(), Problem> {
    let _quiet = state.quiet().await;
    let _alone = state.renewing.lock().await;
    let app = state.clone();
    apart(move || {
        let store = &app.store;
        if !store.stale(&app.settings.hash())?.contains(&(id, number)) {
            return Ok(());
        }
        let settings = &app.settings_of(&store.recording(id)?.site)?;
        let raw = store.stored_load(id, number)?.raw()?;
        let mut figures = keep::figures_of(store, id)?;
        figures.retain(|(of, ..)| *of != number);
        let body = |hash: &str| store.body(hash).ok().flatten();
        let failed = raw.failed.clone();
        let coverage = store.detail(id)?.map(|detail| detail.coverage).unwrap_or_default();
        let read = read_load(&raw, &body, settings, &coverage, true).map_err(|e| e.to_string());
        if let Ok(Some(reading)) = &read {
            figures.push((number, raw.visit, failed.is_some(), reading.analysis.metrics.clone()));
            figures.sort_by_key(|(number, ..)| *number);
        }
        let summary = summary_of(&figures, settings);
        let packed = match read {
            Ok(reading) => Ok(keep::packed(&LoadReading { raw, reading, failed })?),
            Err(why) => Err(why),
        };
        store.renew(id, number, packed.as_ref().map_err(String::as_str), &settings.hash(), summary.as_ref())?;
        app.forget(id, number);
        Ok(())
    })
    .await
}

/// Reads loads anew for which a server's spans came late.
pub async fn read_late(state: &Arc<State>, loads: Vec<(i64, u32)>) {
    for (id, number) in loads {
        if let Err(problem) = renew(state, id, number).await {
            tracing::warn!("late spans of load {number} of recording {id} could not be read: {problem}");
        }
    }
}

/// Makes sure that a load is not older than the program before it is shown: one that waits for its
/// turn is read at once.
pub async fn fresh(state: &Arc<State>, id: i64, number: u32) -> Result<(), Problem> {
    if state.with_store(move |store| Ok(store.is_past_reading(id, number)?)).await? {
        return Err(Problem::new(
            StatusCode::GONE,
            "An earlier version of the program computed this, and the trace and bodies that it was computed from were dropped to make room. The figures in the list of recordings are what is left of it.",
        ));
    }
    renew_all(state, |load| load == (id, number)).await
}

/// The same for what a recording's loads say together.
pub async fn fresh_recording(state: &Arc<State>, id: i64) -> Result<(), Problem> {
    renew_all(state, |(recording, _)| recording == id).await
}

/// Reads those stale loads at once that are wanted.
async fn renew_all(state: &Arc<State>, wanted: impl Fn((i64, u32)) -> bool) -> Result<(), Problem> {
    let at_work = *state.rereading.borrow();
    if at_work.done >= at_work.of {
        return Ok(());
    }
    let settings = state.settings.hash();
    let stale = state.with_store(move |store| Ok(store.stale(&settings)?)).await?;
    for (id, number) in stale.into_iter().filter(|load| wanted(*load)) {
        renew(state, id, number).await?;
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
        let settings = app.settings_of(&app.store.recording(id)?.site)?;
        Ok(Arc::new(Prepared::new(Arc::new(load), settings)))
    })
    .await?;
    state.hold(id, number, load.clone());
    Ok(load)
}
