//! The demo's recordings: archives made from the stand-in in a real browser, part of the program.

use crate::error::Problem;
use crate::import::read_and_keep;
use crate::state::State;
use rust_embed::RustEmbed;
use std::io::Cursor;
use std::sync::Arc;

#[derive(RustEmbed)]
#[folder = "../../demo"]
#[allow_missing = true]
struct Archives;

/// Imports every archive that this data directory was never given; gives how many there were. What
/// the user has deleted stays deleted.
pub async fn import(state: &Arc<State>) -> Result<usize, Problem> {
    let mut added = 0;
    for name in Archives::iter().filter(|n| n.ends_with(".phainon.zip")) {
        let known = name.to_string();
        if state.with_store(move |store| Ok(store.was_imported(&known)?)).await? {
            continue;
        }
        if let Some(file) = Archives::get(&name) {
            read_and_keep(state, vec![(Cursor::new(file.data), name.to_string())], None).await?;
            added += 1;
        }
    }
    Ok(added)
}
