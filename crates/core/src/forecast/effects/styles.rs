//! Style sheets that hold rendering up no longer.

use super::super::change::Change;
use super::super::world::{Bond, Phase};
use super::{Effect, requests, unforeseen};
use crate::{RequestId, ResourceKey, ResourceKind};

/// What the first screen uses of a sheet, where nobody has looked: as a share of its bytes.
const FIRST_SCREEN: f64 = 0.2;

/// What the first screen uses stands in the document; the rest comes without blocking.
pub(super) fn reduce(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let load = change.ground.prepared.load.clone();
    let found = requests(change, file)?;
    let sheets: Vec<RequestId> =
        found.into_iter().filter(|id| load.request(*id).is_some_and(|r| r.kind == ResourceKind::Style)).collect();
    let (Some(document), false) = (load.document().map(|d| d.id), sheets.is_empty()) else {
        return unforeseen(format!("{file} is no style sheet of this load."));
    };
    for id in sheets {
        let bytes = change.world.transfers[id.0 as usize].bytes_observed;
        change.add_bytes(document, bytes * FIRST_SCREEN);
        found_in_document(change, id, document);
        change.let_go(id);
    }
    Ok(())
}

/// What was found through a sheet is found in the document.
fn found_in_document(change: &mut Change<'_>, sheet: RequestId, document: RequestId) {
    let released = change.ground.moments.released.get(&sheet).copied();
    let asked: Vec<_> = change.ground.prepared.load.requests.iter().map(|r| Phase::Asked.of(r.id)).collect();
    for need in 0..change.world.needs.len() {
        let own = change.world.needs[need];
        let through = own.on == Phase::Done.of(sheet) || Some(own.on) == released;
        if through && own.bond == Bond::Origin && !own.void && asked.binary_search(&own.moment).is_ok() {
            change.world.needs[need].void = true;
            change.world.need(own.moment, Phase::Answered.of(document), Bond::Gate);
        }
    }
}
