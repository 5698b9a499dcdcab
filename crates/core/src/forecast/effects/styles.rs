//! Style sheets that hold rendering up no longer.

use super::super::change::Change;
use super::super::world::{Bond, Phase};
use super::{Effect, requests, unforeseen};
use crate::{Bodies, RequestId, ResourceKey, ResourceKind};

/// What the first screen uses of a sheet at most: as a share of its bytes.
const FIRST_SCREEN: f64 = 0.2;

/// What the first screen uses stands in the document; the rest comes without blocking.
pub(super) fn reduce(change: &mut Change<'_>, file: &ResourceKey, bodies: &dyn Bodies) -> Effect {
    let load = change.ground.prepared.load.clone();
    let found = requests(change, file)?;
    let sheets: Vec<RequestId> =
        found.into_iter().filter(|id| load.request(*id).is_some_and(|r| r.kind == ResourceKind::Style)).collect();
    let (Some(document), false) = (load.document().map(|d| d.id), sheets.is_empty()) else {
        return unforeseen(format!("{file} is no style sheet of this load."));
    };
    for id in sheets {
        let bytes = inlined(change, id, document, bodies);
        change.add_bytes(document, bytes);
        found_in_document(change, id, document);
        change.let_go(id);
    }
    Ok(())
}

/// What of a sheet the document takes up: no more than the page was seen to use, packed as the document is.
#[allow(clippy::cast_precision_loss)]
fn inlined(change: &Change<'_>, sheet: RequestId, document: RequestId, bodies: &dyn Bodies) -> f64 {
    let prepared = &change.ground.prepared;
    let bytes = change.world.transfers[sheet.0 as usize].bytes_observed;
    let (Some(sheet), Some(document)) = (prepared.load.request(sheet), prepared.load.request(document)) else {
        return bytes * FIRST_SCREEN;
    };
    let seen = prepared.coverage.iter().find(|c| *c.url == *sheet.url);
    let share = seen.map_or(FIRST_SCREEN, |c| (1.0 - c.unused_share()).min(FIRST_SCREEN));
    let packs = crate::body::is_packed(document) && !crate::body::is_packed(sheet);
    let packed = sheet.body.as_ref().filter(|_| packs).and_then(|b| change.ground.packed_size(&b.hash, bodies));
    packed.map_or(bytes, |packed| bytes.min(packed as f64)) * share
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
