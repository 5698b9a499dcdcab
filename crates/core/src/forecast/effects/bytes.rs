//! Smaller bodies.

use super::super::change::Change;
use super::{Effect, requests, unforeseen};
use crate::body::has_pixels;
use crate::{Bodies, Bytes, RequestId, ResourceKey, Scope};

/// Text sent packed, by the size that its body packs to.
#[allow(clippy::cast_precision_loss)]
pub(super) fn compress(change: &mut Change<'_>, scope: &Scope, bodies: &dyn Bodies) -> Effect {
    let load = change.ground.prepared.load.clone();
    let mut packed = 0;
    for id in change.ground.scope(scope) {
        let Some(request) = load.request(id) else { continue };
        if !crate::body::is_text(request) || crate::body::is_packed(request) {
            continue;
        }
        let Some(body) = request.body.as_ref() else { continue };
        let Some(size) = change.ground.packed_size(&body.hash, bodies) else { continue };
        let headers = change.world.transfers[id.0 as usize].bytes_observed - body.size.0 as f64;
        change.set_bytes(id, size as f64 + headers.max(0.0));
        packed += 1;
    }
    if packed == 0 {
        return unforeseen("Nothing of it is text that came unpacked and whose body was kept.");
    }
    Ok(())
}

/// A body of so many bytes.
#[allow(clippy::cast_precision_loss)]
pub(super) fn shrink(change: &mut Change<'_>, file: &ResourceKey, to: Option<Bytes>) -> Effect {
    let found = requests(change, file)?;
    let Some(to) = to else {
        return unforeseen("How small the file becomes is known once the edit is tried.");
    };
    for id in found {
        change.set_bytes(id, to.0 as f64);
    }
    Ok(())
}

/// Pictures of as many pixels as are shown: bytes go by pixels, which is no more than a rule.
pub(super) fn resize(change: &mut Change<'_>, scope: &Scope) -> Effect {
    let prepared = change.ground.prepared.clone();
    let load = prepared.load.clone();
    let ratio = load.conditions.as_ref().map_or(1.0, |c| c.pixel_ratio);
    let pictures: Vec<RequestId> = change.ground.scope(scope);
    let mut resized = 0;
    for id in pictures {
        let Some(request) = load.request(id).filter(|r| has_pixels(r)) else { continue };
        let Some(shown) = prepared.shown_largest(&load.first_hop(request).url) else { continue };
        let size = (f64::from(shown.natural_width), f64::from(shown.natural_height));
        let needed = shown.needed_pixels(size, ratio);
        let share = needed / (size.0 * size.1);
        if share > 0.0 && share < 1.0 {
            let bytes = change.world.transfers[id.0 as usize].bytes_observed;
            change.set_bytes(id, bytes * share);
            change.rough_bytes += bytes * share;
            resized += 1;
        }
    }
    if resized == 0 {
        return unforeseen("No picture of it has more pixels than are shown.");
    }
    Ok(())
}
