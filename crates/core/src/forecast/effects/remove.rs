//! Files and owners taken off the page.

use super::super::change::Change;
use super::{Effect, requests, unforeseen};
use crate::{Owner, RequestId, ResourceKey};

pub(super) fn file(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let found = requests(change, file)?;
    if change.ground.prepared.load.document().is_some_and(|d| found.contains(&d.id)) {
        return unforeseen("Without its document the page is none.");
    }
    change.take_off(&found);
    Ok(())
}

pub(super) fn owner(change: &mut Change<'_>, owner: &Owner) -> Effect {
    let prepared = change.ground.prepared.clone();
    let document = prepared.load.document().map(|d| d.id);
    let own = |id: &RequestId| prepared.owners.request(*id) == owner && Some(*id) != document;
    let found: Vec<RequestId> = prepared.load.requests.iter().map(|r| r.id).filter(own).collect();
    if found.is_empty() {
        return unforeseen(format!("The load has nothing of {}.", owner.name));
    }
    change.take_off(&found);
    Ok(())
}
