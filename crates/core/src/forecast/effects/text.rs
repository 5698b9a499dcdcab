//! Text that does not wait for its font (CSS Fonts, section 4.9).

use super::super::change::Change;
use super::super::world::{Bond, Kind, Phase, Place};
use super::{Effect, requests};
use crate::{Load, RequestId, ResourceKey};

/// Text is shown in another font until its own has come: nothing is drawn late for the font, or for the browser's
/// giving up on it. Where it was given up on the text is drawn anew once the font is there, as before.
pub(super) fn show(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let moments = &change.ground.moments;
    let fonts = requests(change, file)?;
    let come = fonts.iter().filter(|id| holds(&change.ground.prepared.load, **id)).map(|id| Phase::Done.of(*id));
    let settled: Vec<Place> = fonts.iter().filter_map(|id| moments.settled.get(id).copied()).collect();
    // Under a fade it is painted all the same, and does not count until its font has it painted anew.
    for fade in &mut change.world.fades {
        fade.fonts.retain(|place| !settled.contains(place));
    }
    let waits: Vec<Place> = come.chain(settled).collect();
    let paints: Vec<Place> = moments.candidates.iter().chain(&moments.first_paint).map(|p| p.moment).collect();
    let drawn: Vec<bool> = change
        .world
        .needs
        .iter()
        .map(|n| paints.contains(&n.moment) || matches!(change.world.moment(n.moment).kind, Kind::Begins(_)))
        .collect();
    for (need, drawn) in change.world.needs.iter_mut().zip(drawn) {
        need.void |= drawn && need.bond == Bond::Gate && waits.contains(&need.on);
    }
    Ok(())
}

/// Whether text waited for a font until it came, as far as is known.
fn holds(load: &Load, font: RequestId) -> bool {
    let known = load.request(font).zip(load.display_of(font));
    known.is_none_or(|(request, display)| display.settled(request.start, request.end) == request.end)
}
