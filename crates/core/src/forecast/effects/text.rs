//! Text that does not wait for its font (CSS Fonts, section 4.9).

use super::super::change::Change;
use super::super::world::{Bond, Phase};
use super::{Effect, requests};
use crate::ResourceKey;

/// Text is shown in another font until its own has come.
pub(super) fn show(change: &mut Change<'_, '_>, file: &ResourceKey) -> Effect {
    let fonts: Vec<_> = requests(change, file)?.into_iter().map(|id| Phase::Done.of(id)).collect();
    let paints: Vec<_> =
        change.ground.moments.candidates.iter().chain(&change.ground.moments.first_paint).map(|p| p.moment).collect();
    let load = change.ground.prepared.load.clone();
    for paint in paints {
        let before = change.world.needs.iter().filter(|n| n.moment == paint && !n.void).count();
        change.free_from(paint, &fonts);
        let begins: Vec<_> = change.world.tasks.iter().map(|t| t.begins).collect();
        for need in &mut change.world.needs {
            need.void |=
                fonts.contains(&need.on) && need.bond == Bond::Gate && begins.binary_search(&need.moment).is_ok();
        }
        let after = change.world.needs.iter().filter(|n| n.moment == paint && !n.void).count();
        if after < before {
            // It is drawn with the frame that drew what needed no font.
            let drawn = change.ground.moments.first_paint.map(|p| change.ground.moments.world.moment(p.moment).at);
            let lag = change.world.moment(paint).lag.min(drawn.unwrap_or(load.end.0));
            change.world.set_lag(paint, lag);
        }
    }
    Ok(())
}
