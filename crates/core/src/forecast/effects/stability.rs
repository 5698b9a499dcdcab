//! Space kept for what comes later.

use super::super::change::Change;
use super::{Effect, unforeseen};
use crate::{ResourceKind, Scope};

/// A shift this soon after a picture came is that picture's, in ms.
const SOON: f64 = 150.0;

/// Pictures and frames whose size is told shift nothing when they come.
pub(super) fn set_dimensions(change: &mut Change<'_>, scope: &Scope) -> Effect {
    let load = change.ground.prepared.load.clone();
    let ends: Vec<f64> = change
        .ground
        .scope(scope)
        .into_iter()
        .filter_map(|id| load.request(id))
        .filter(|r| matches!(r.kind, ResourceKind::Image | ResourceKind::Document | ResourceKind::Media))
        .filter_map(|r| r.end.map(|end| end.0))
        .collect();
    if ends.is_empty() {
        return unforeseen("No picture or frame of it came in this load.");
    }
    let own = |at: f64| ends.iter().any(|end| at >= *end && at - end <= SOON);
    change.settled.extend((0..load.shifts.len()).filter(|place| own(load.shifts[*place].at.0)));
    Ok(())
}
