//! The demo's recordings: archives made from the stand-in in a real browser, part of the program.

use crate::error::Problem;
use crate::state::State;
use rust_embed::RustEmbed;
use std::sync::Arc;

#[derive(RustEmbed)]
#[folder = "../../demo"]
#[allow_missing = true]
struct Archives;

/// Imports every archive that the data directory does not hold yet; gives how many were new.
pub async fn import(state: &Arc<State>) -> Result<usize, Problem> {
    let known: Vec<String> =
        state.with_store(|store| Ok(store.recordings()?.into_iter().filter_map(|r| r.imported_from).collect())).await?;
    let mut added = 0;
    for name in Archives::iter().filter(|n| n.ends_with(".phainon.zip") && !known.iter().any(|k| k == n.as_ref())) {
        if let Some(file) = Archives::get(&name) {
            state.import(vec![(file.data.into_owned(), name.to_string())]).await?;
            added += 1;
        }
    }
    Ok(added)
}
