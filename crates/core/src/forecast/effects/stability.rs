//! Space kept for what comes later.

use super::super::change::Change;
use super::{Effect, unforeseen};
use crate::{RequestId, ResourceKind, Scope};

/// Pictures and frames whose size is told shift nothing when they come.
pub(super) fn set_dimensions(change: &mut Change<'_>, scope: &Scope) -> Effect {
    let load = change.ground.prepared.load.clone();
    let came: Vec<RequestId> = change
        .ground
        .scope(scope)
        .into_iter()
        .filter_map(|id| load.request(id))
        .filter(|r| matches!(r.kind, ResourceKind::Image | ResourceKind::Document | ResourceKind::Media))
        .filter(|r| r.end.is_some())
        .map(|r| r.id)
        .collect();
    if came.is_empty() {
        return unforeseen("No picture or frame of it came in this load.");
    }
    let ground = change.ground;
    for shift in ground.moments.shifts.iter().filter(|shift| shift.by.is_some_and(|id| came.contains(&id))) {
        change.world.moment_mut(shift.moment).gone = true;
    }
    Ok(())
}
