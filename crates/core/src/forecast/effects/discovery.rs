//! Files that are asked for earlier, or later.

use super::super::change::Change;
use super::super::world::{Bond, Phase};
use super::{Effect, requests};
use crate::{PageFacts, PageImage, RequestId, ResourceKey};

/// The first hop of each request of a file.
fn first_hops(change: &Change<'_>, file: &ResourceKey) -> Result<Vec<RequestId>, super::Unforeseen> {
    let load = &change.ground.prepared.load;
    let found = requests(change, file)?;
    Ok(found.iter().take(1).filter_map(|id| load.request(*id)).map(|r| load.first_hop(r).id).collect())
}

/// Asked for with the document's first bytes.
pub(super) fn preload(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    for id in first_hops(change, file)? {
        change.ask_with_document(id);
    }
    Ok(())
}

/// Not held back, whatever else is under way.
pub(super) fn raise(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    for id in first_hops(change, file)? {
        change.never_held(id);
        change.more_urgent(id);
    }
    Ok(())
}

/// Asked for with the document's first bytes, and shown by the document itself.
pub(super) fn put_in_html(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let found = requests(change, file)?;
    preload(change, file)?;
    let candidates = change.ground.moments.candidates.clone();
    for paint in candidates.iter().filter(|p| p.file.is_some_and(|f| found.contains(&f))) {
        // It no longer needs a script to put it there; it needs its bytes.
        for need in &mut change.world.needs {
            if need.moment == paint.moment && need.bond == Bond::Origin {
                need.void = true;
            }
        }
        for id in &found {
            change.world.need(paint.moment, Phase::Done.of(*id), Bond::Gate);
        }
    }
    Ok(())
}

/// A lazy picture is asked for once layout has it this near below the screen, in CSS pixels: measured in the browser
/// that records, over the phone's line, the home line and none; which distance it is, HTML leaves to browsers
/// (section 2.5.7).
const NEAR_THE_SCREEN: f64 = 3_000.0;

/// Where a picture stands before any picture has come: those above it that do not say their size take no room yet.
fn stands_at(page: &PageFacts, image: &PageImage) -> f64 {
    let grows = |other: &&PageImage| {
        let is_above = other.rect.y + other.rect.height <= image.rect.y;
        is_above && !(other.sized || other.hidden || other.background || other.out_of_flow)
    };
    let mut spans: Vec<(f64, f64)> =
        page.images.iter().filter(grows).map(|i| (i.rect.y, i.rect.y + i.rect.height)).collect();
    spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    // Those side by side take their room once.
    let (mut taken, mut until) = (0.0, 0.0_f64);
    for (from, to) in spans {
        taken += (to - from.max(until)).max(0.0);
        until = until.max(to);
    }
    image.rect.y - taken
}

/// Asked for only near the screen: not by the end of the load, where it stands below it.
pub(super) fn lazy(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let found = requests(change, file)?;
    let load = change.ground.prepared.load.clone();
    let below = found.iter().filter_map(|id| load.request(*id)).all(|request| {
        let height = load.conditions.as_ref().map_or(0.0, |c| f64::from(c.height));
        let mut uses = change.ground.prepared.images_of(&load.first_hop(request).url).peekable();
        let is_far = |image: &PageImage| {
            let at = load.page.as_ref().map_or(image.rect.y, |page| stands_at(page, image));
            image.hidden || at > height + NEAR_THE_SCREEN
        };
        uses.peek().is_some() && uses.all(is_far)
    });
    if below {
        change.take_off(&found);
        return Ok(());
    }
    // On the first screen it waits until layout has told where it stands.
    for id in found {
        if let Some(first) = change.ground.moments.first_paint {
            let asked = Phase::Asked.of(id);
            let first = change.ground.moments.world.moment(first.moment).at;
            let own = change.world.moment(asked).at;
            if own < first {
                let lag = change.world.moment(asked).lag + first - own;
                change.world.set_lag(asked, lag);
                change.gives_place(id);
            }
        }
    }
    Ok(())
}
