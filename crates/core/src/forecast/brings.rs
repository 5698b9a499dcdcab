//! What edits bring, over the loads of a recording.

use super::{Figures, Forecast};
use crate::Source;
use crate::metrics::Metric;
use crate::recording::median;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Of measured changes nine in ten lie so near the forecast ones: as a share of what the metric comes to, and in
/// ms where it comes to little; farther off where the load is told by less than a recording. See `docs/forecast.md`.
#[must_use]
pub fn astray(metric: Metric, after: f64, source: Source) -> f64 {
    // As the same loads, told by each, were astray of what was measured.
    let paints = match source {
        Source::Trace | Source::Har => 0.3,
        Source::HarAndTrace => 0.25,
        Source::Recording | Source::Replay | Source::Trial => 0.2,
    };
    match metric {
        Metric::Lcp | Metric::Fcp => (after * paints).max(50.0),
        Metric::SpeedIndex => (after * 0.25).max(50.0),
        Metric::Tbt => after.max(200.0),
        // What else may shift, as where text shown at once is set again, is not told by a load.
        Metric::Cls => 0.1,
        // Bytes are counted, not run.
        _ => 0.0,
    }
}

/// What edits bring to one metric: medians over the loads.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Brings {
    /// Which.
    pub metric: Metric,
    /// As recorded: times in ms, weight in bytes.
    pub before: f64,
    /// With the edits.
    pub after: f64,
    /// The change is no lower than this.
    pub low: f64,
    /// And no higher.
    pub high: f64,
}

/// Sums the forecasts of several loads up. The interval reaches over what the loads give, and further by what
/// forecasts are astray.
#[must_use]
pub fn brings(forecasts: &[Forecast]) -> Vec<Brings> {
    Figures::METRICS.into_iter().filter_map(|metric| of(metric, forecasts)).collect()
}

fn of(metric: Metric, forecasts: &[Forecast]) -> Option<Brings> {
    let both = |f: &Forecast| f.before.value(metric).zip(f.after.value(metric));
    let known: Vec<(f64, f64)> = forecasts.iter().filter_map(both).collect();
    let before = median(&known.iter().map(|k| k.0).collect::<Vec<_>>())?;
    let changes: Vec<f64> = known.iter().map(|(before, after)| after - before).collect();
    let change = median(&changes)?;
    let low = changes.iter().copied().fold(f64::INFINITY, f64::min);
    let high = changes.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let after = before + change;
    // Of a picture made smaller the bytes go by its pixels: it may have next to none of them, or twice as many.
    #[allow(clippy::cast_precision_loss)]
    let rough = |f: &Forecast| if metric == Metric::Weight { f.rough_bytes.0 as f64 } else { 0.0 };
    let astray = forecasts.iter().map(|f| astray(metric, after, f.source) + rough(f)).fold(0.0, f64::max);
    // No metric falls below zero.
    Some(Brings { metric, before, after, low: (low - astray).max(-before), high: high + astray })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Bytes, Millis};

    fn forecast(before: f64, after: f64) -> Forecast {
        let figures = |lcp: f64| Figures {
            lcp_ms: Some(Millis(lcp)),
            transferred_bytes: Some(Bytes(1000)),
            ..Figures::default()
        };
        Forecast {
            source: Source::Recording,
            before: figures(before),
            after: figures(after),
            rough_bytes: Bytes(0),
            moved: Vec::new(),
            tasks: Vec::new(),
            path: Vec::new(),
            left_out: Vec::new(),
        }
    }

    #[test]
    fn the_interval_holds_what_the_loads_give_and_more() {
        let made = brings(&[forecast(3000.0, 2400.0), forecast(3200.0, 2700.0), forecast(3100.0, 2300.0)]);
        let lcp = made.iter().find(|b| b.metric == Metric::Lcp).expect("known");
        assert_eq!((lcp.before, lcp.after), (3100.0, 2500.0));
        assert_eq!((lcp.low, lcp.high), (-800.0 - 500.0, -500.0 + 500.0));
        assert!(made.iter().all(|b| b.metric != Metric::Tbt), "what no load tells is not there");
    }

    #[test]
    fn what_is_told_by_less_than_a_recording_is_less_certain() {
        let within = |source| {
            let made = brings(&[Forecast { source, ..forecast(3000.0, 2000.0) }]);
            let lcp = made.iter().find(|b| b.metric == Metric::Lcp).expect("known");
            (lcp.low, lcp.high)
        };
        assert_eq!(within(Source::Recording), (-1400.0, -600.0));
        assert_eq!(within(Source::HarAndTrace), (-1500.0, -500.0));
        assert_eq!(within(Source::Trace), (-1600.0, -400.0));
    }

    #[test]
    fn that_nothing_changes_is_no_surer_than_a_change() {
        let made = brings(&[forecast(3000.0, 3000.0), forecast(3200.0, 3200.0)]);
        let lcp = made.iter().find(|b| b.metric == Metric::Lcp).expect("known");
        assert_eq!((lcp.after - lcp.before, lcp.low, lcp.high), (0.0, -620.0, 620.0));
        let weight = made.iter().find(|b| b.metric == Metric::Weight).expect("known");
        assert_eq!((weight.low, weight.high), (0.0, 0.0), "bytes are counted");
        assert_eq!(brings(&[]), []);
    }

    #[test]
    fn what_pictures_weigh_that_are_made_smaller_is_told_roughly() {
        let weight = |bytes| Figures { transferred_bytes: Some(Bytes(bytes)), ..Figures::default() };
        let made = Forecast { before: weight(900), after: weight(400), rough_bytes: Bytes(100), ..forecast(1.0, 1.0) };
        let weight = brings(&[made])[0];
        assert_eq!((weight.metric, weight.low, weight.high), (Metric::Weight, -600.0, -400.0));
    }

    #[test]
    fn shifts_are_told_within_a_tenth_and_no_metric_falls_below_zero() {
        let shifted = |before: f64, after: f64| {
            let figures = |cls: f64| Figures { cls: Some(cls), ..Figures::default() };
            let made = brings(&[Forecast { before: figures(before), after: figures(after), ..forecast(1.0, 1.0) }]);
            let cls = made.iter().find(|b| b.metric == Metric::Cls).expect("known");
            (cls.low, cls.high)
        };
        assert_eq!(shifted(0.5, 0.25), (-0.35, -0.15));
        assert_eq!(shifted(0.0625, 0.0), (-0.0625, 0.1 - 0.0625));
    }
}
