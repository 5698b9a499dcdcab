//! Interactions: what the user did, and how long until the screen answered.
//!
//! Source: W3C Event Timing. An interaction is all events of one tap, click or key press (they share
//! an id); its length is that of its longest event, from the input to the next paint.

use crate::Millis;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// One input event as the browser timed it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct EventTiming {
    /// Its type: `pointerdown`, `click`, `keydown`…
    pub kind: String,
    /// What joins the events of one interaction; 0 for events that are none (moving the pointer).
    pub interaction: u64,
    /// When the user acted.
    pub at: Millis,
    /// When the first handler began.
    pub processing_start: Millis,
    /// When the last handler ended.
    pub processing_end: Millis,
    /// When the next frame after that was painted.
    pub painted: Millis,
    /// The element, by the browser's number.
    pub node: Option<i64>,
    /// The element as a CSS selector, where it was resolved.
    pub selector: Option<String>,
}

/// One interaction.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Interaction {
    /// The type of the event that took longest.
    pub kind: String,
    /// The element, where it was resolved.
    pub selector: Option<String>,
    /// When the user acted.
    pub at_ms: Millis,
    /// Until the first handler began: the main thread was busy with something else.
    pub input_delay_ms: Millis,
    /// In the handlers.
    pub handling_ms: Millis,
    /// From there to the next paint.
    pub presentation_ms: Millis,
    /// The whole: the sum of the three.
    pub duration_ms: Millis,
}

/// The interactions of a load, in order of time.
#[must_use]
pub fn interactions(events: &[EventTiming]) -> Vec<Interaction> {
    let mut groups: BTreeMap<u64, Vec<&EventTiming>> = BTreeMap::new();
    for event in events.iter().filter(|e| e.interaction != 0) {
        groups.entry(event.interaction).or_default().push(event);
    }
    let mut found: Vec<Interaction> = groups
        .into_values()
        .filter_map(|group| {
            let longest = *group.iter().max_by(|a, b| (a.painted - a.at).order(&(b.painted - b.at)))?;
            // Events of one frame share its handlers: delay until the first began, handling until the last ended.
            let same = group.iter().filter(|e| (e.painted - longest.painted).0.abs() < 8.0 && e.at >= longest.at);
            let start = same.clone().map(|e| e.processing_start).fold(longest.processing_start, Millis::min);
            let end = same.map(|e| e.processing_end).fold(longest.processing_end, Millis::max).min(longest.painted);
            let start = start.max(longest.at).min(end);
            Some(Interaction {
                kind: longest.kind.clone(),
                selector: group.iter().find_map(|e| e.selector.clone()),
                at_ms: longest.at,
                input_delay_ms: start - longest.at,
                handling_ms: end - start,
                presentation_ms: longest.painted - end,
                duration_ms: longest.painted - longest.at,
            })
        })
        .collect();
    found.sort_by(|a, b| a.at_ms.order(&b.at_ms));
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn event(kind: &str, interaction: u64, times: [f64; 4]) -> EventTiming {
        EventTiming {
            kind: kind.into(),
            interaction,
            at: Millis(times[0]),
            processing_start: Millis(times[1]),
            processing_end: Millis(times[2]),
            painted: Millis(times[3]),
            node: None,
            selector: None,
        }
    }

    #[test]
    fn events_of_one_press_are_one_interaction_whose_parts_add_up() {
        let events = [
            event("pointerdown", 7, [1000.0, 1030.0, 1031.0, 1060.0]),
            event("pointerup", 7, [1100.0, 1101.0, 1102.0, 1300.0]),
            event("click", 7, [1100.0, 1103.0, 1280.0, 1300.0]),
            event("pointermove", 0, [1200.0, 1290.0, 1290.0, 1900.0]),
        ];
        let found = interactions(&events);
        assert_eq!(found.len(), 1);
        let parts = [found[0].input_delay_ms, found[0].handling_ms, found[0].presentation_ms];
        assert_eq!(parts, [Millis(1.0), Millis(179.0), Millis(20.0)]);
        assert_eq!(found[0].duration_ms, Millis(200.0));
    }
}
