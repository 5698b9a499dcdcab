//! The demo's recordings: archives made from the stand-in in a real browser, part of the program; and a plan with
//! fixes that were made between two of them.

use crate::error::Problem;
use crate::import::read_and_keep;
use crate::state::State;
use phainon_store::{NewFix, Page, StoredTrial, TrialState};
use rust_embed::RustEmbed;
use serde::Deserialize;
use std::io::Cursor;
use std::sync::Arc;

#[derive(RustEmbed)]
#[folder = "../../demo"]
#[allow_missing = true]
struct Files;

/// The demo's plan, in `demo/plan.json`.
#[derive(Deserialize)]
struct DemoPlan {
    site: String,
    fixes: Vec<NewFix>,
    trials: Vec<DemoTrial>,
}

/// A trial that was made of a recording of the demo.
#[derive(Deserialize)]
struct DemoTrial {
    /// The archive's name.
    archive: String,
    load: u32,
    wanted: serde_json::Value,
    result: serde_json::Value,
}

const PLAN: &str = "plan.json";

/// Imports every archive that this data directory was never given, and the plan; gives how many archives there were.
/// What the user has deleted stays deleted.
pub async fn import(state: &Arc<State>) -> Result<usize, Problem> {
    let mut added = 0;
    for name in Files::iter().filter(|n| n.ends_with(".phainon.zip")) {
        let known = name.to_string();
        if state.with_store(move |store| Ok(store.was_imported(&known)?)).await? {
            continue;
        }
        if let Some(file) = Files::get(&name) {
            read_and_keep(state, vec![(Cursor::new(file.data), name.to_string())], None).await?;
            added += 1;
        }
    }
    state.with_store(plan).await?;
    Ok(added)
}

fn plan(store: &phainon_store::Store) -> Result<(), Problem> {
    let Some(file) = Files::get(PLAN).filter(|_| !store.was_imported(PLAN).unwrap_or(true)) else { return Ok(()) };
    let plan: DemoPlan = serde_json::from_slice(&file.data).map_err(|e| Problem::bad(format!("{PLAN}: {e}")))?;
    for fix in &plan.fixes {
        store.add_fix(&plan.site, fix)?;
    }
    let recordings = store.recordings(&Page { site: Some(plan.site), limit: 100, ..Page::default() })?.rows;
    for trial in plan.trials {
        let of = recordings.iter().find(|r| r.imported_from.as_deref() == Some(&trial.archive));
        let Some(of) = of else { continue };
        let id = store.begin_trial(of.id, trial.load, &trial.wanted.to_string())?;
        store.end_trial(&StoredTrial {
            id,
            recording: of.id,
            load: trial.load,
            wanted: String::new(),
            state: TrialState::Done,
            error: None,
            result: Some(trial.result.to_string()),
            replay: None,
            tried: None,
            made_at: String::new(),
        })?;
    }
    store.note_imported(PLAN)?;
    Ok(())
}
