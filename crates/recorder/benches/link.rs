//! The shaped link with a stop-watch: what the model says against what really passes, over each
//! preset's line, with one connection and with twelve, and the round trip of each.
//!
//! Run with `cargo bench --profile dev --package phainon-recorder --bench link`.

#![allow(missing_docs, clippy::unwrap_used)]

#[path = "../tests/through/mod.rs"]
mod through;

use phainon_core::{PRESETS, preset};
use phainon_recorder::shaper::Link;
use through::{Measured, measure};

#[tokio::main]
async fn main() {
    println!(
        "{:<20} {:>11} {:>12} {:>12} {:>8} {:>10} {:>10}",
        "line", "connections", "model, ms", "measured, ms", "ratio", "connect", "round trip"
    );
    for row in PRESETS {
        let conditions = preset(row.id).unwrap();
        if conditions.down_bits == 0 {
            continue;
        }
        let link = Link::of(&conditions, Default::default(), false);
        // About four seconds of the line.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let whole = (link.down * 4.0).min(2_000_000.0) as usize;
        for connections in [1, 12] {
            let Measured { model_ms, took_ms, connect_ms, trip_ms } =
                measure(&link, connections, whole / connections).await;
            println!(
                "{:<20} {connections:>11} {model_ms:>12.0} {took_ms:>12.0} {:>8.3} {connect_ms:>10.1} {trip_ms:>10.1}",
                conditions.name,
                took_ms / model_ms
            );
        }
    }
}
