//! Pace: the one overall figure, for a trend and a headline, never for choosing fixes.

use super::{Metric, Metrics};
use crate::settings::Settings;
use crate::target::Target;

/// Utility of a value with target t and limit l: 100 at t/2 and below, 80 at t, 40 at l, 0 at
/// 2.5·l, linear between those points.
#[must_use]
pub fn utility(value: f64, Target { target: t, limit: l }: Target) -> f64 {
    let points = [(t / 2.0, 100.0), (t, 80.0), (l, 40.0), (2.5 * l, 0.0)];
    if value <= points[0].0 {
        return 100.0;
    }
    for pair in points.windows(2) {
        let ((x0, y0), (x1, y1)) = (pair[0], pair[1]);
        if value <= x1 {
            return y0 + (y1 - y0) * (value - x0) / (x1 - x0);
        }
    }
    0.0
}

/// Mean of the utilities of LCP (weight 30), TBT (25, or INP where interactions were recorded),
/// CLS (20), FCP (15) and Speed Index (10), and the metrics it is made of. A metric that was not
/// measured is left out with its weight; without LCP, CLS and FCP there is no Pace.
#[must_use]
pub fn pace(metrics: &Metrics, settings: &Settings) -> Option<(f64, Vec<Metric>)> {
    let (lcp, cls, fcp) = (metrics.lcp_ms?, metrics.cls?, metrics.fcp_ms?);
    let mut parts = vec![(Metric::Lcp, 30.0, lcp.0), (Metric::Cls, 20.0, cls), (Metric::Fcp, 15.0, fcp.0)];
    match (metrics.inp_ms, metrics.tbt_ms) {
        (Some(inp), _) => parts.push((Metric::Inp, 25.0, inp.0)),
        (None, Some(tbt)) => parts.push((Metric::Tbt, 25.0, tbt.0)),
        (None, None) => {}
    }
    if let Some(speed_index) = metrics.speed_index_ms {
        parts.push((Metric::SpeedIndex, 10.0, speed_index.0));
    }
    let weights: f64 = parts.iter().map(|p| p.1).sum();
    let sum: f64 = parts.iter().map(|&(metric, weight, value)| weight * utility(value, settings.target(metric))).sum();
    Some((sum / weights, parts.iter().map(|p| p.0).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Millis;

    #[test]
    fn utility_passes_through_its_four_points() {
        for (value, expected) in [
            (1250.0, 100.0),
            (1875.0, 90.0),
            (2500.0, 80.0),
            (3250.0, 60.0),
            (4000.0, 40.0),
            (7000.0, 20.0),
            (10_000.0, 0.0),
            (20_000.0, 0.0),
        ] {
            assert!((utility(value, Metric::Lcp.published()) - expected).abs() < 1e-9, "{value}");
        }
    }

    #[test]
    fn what_was_not_measured_is_left_out_with_its_weight() {
        let mut metrics = Metrics {
            lcp_ms: Some(Millis(4000.0)),
            cls: Some(0.05),
            fcp_ms: Some(Millis(1800.0)),
            ..Metrics::default()
        };
        // (30·40 + 20·100 + 15·80) / 65
        let (value, of) = pace(&metrics, &Settings::default()).expect("the three that matter are there");
        assert!((value - 4400.0 / 65.0).abs() < 1e-9);
        assert_eq!(of, [Metric::Lcp, Metric::Cls, Metric::Fcp]);
        metrics.lcp_ms = None;
        assert!(pace(&metrics, &Settings::default()).is_none());
    }
}
