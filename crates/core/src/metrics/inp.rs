//! Interaction to Next Paint.
//!
//! Source: the W3C Event Timing specification and its interaction count: of fewer than 50
//! interactions the longest, and from there on the one at the 98th percentile, which passes over one
//! outlier in every 50.

use crate::{Interaction, Millis};

/// INP, or `None` where nobody interacted: that is not known, and not 0.
#[must_use]
pub fn inp(interactions: &[Interaction]) -> Option<Millis> {
    let mut longest: Vec<Millis> = interactions.iter().map(|i| i.duration_ms).collect();
    longest.sort_by(|a, b| b.order(a));
    longest.get(interactions.len() / 50).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lasting(ms: f64) -> Interaction {
        Interaction {
            kind: "click".into(),
            selector: None,
            at_ms: Millis::ZERO,
            input_delay_ms: Millis::ZERO,
            handling_ms: Millis::ZERO,
            presentation_ms: Millis(ms),
            duration_ms: Millis(ms),
        }
    }

    #[test]
    fn one_outlier_in_fifty_is_passed_over() {
        assert_eq!(inp(&[]), None);
        let mut all: Vec<Interaction> = (1..=49).map(|i| lasting(f64::from(i))).collect();
        assert_eq!(inp(&all), Some(Millis(49.0)));
        all.push(lasting(900.0));
        assert_eq!(inp(&all), Some(Millis(49.0)));
        assert_eq!(inp(&all[48..]), Some(Millis(900.0)));
    }
}
