//! Several loads of one page under one set of conditions.

use crate::metrics::{Metric, Metrics, Rating, target};
use crate::{Millis, Visit};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// One metric over all loads: every value, and the median.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct MetricRow {
    pub metric: Metric,
    pub median: f64,
    /// In the order of the loads; `None` where a load did not tell.
    pub values: Vec<Option<f64>>,
    pub target: f64,
    pub limit: f64,
    pub rating: Rating,
}

/// What a recording's loads say together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct RecordingSummary {
    /// Each metric that at least one load told.
    pub rows: Vec<MetricRow>,
    /// The load whose LCP is the median, by its place; the one that the other sections show first.
    pub representative: usize,
    /// How far the loads' LCP lies from its median at most, as a share of it; `None` under two loads.
    pub lcp_spread: Option<f64>,
    /// Median of the loads' Pace.
    pub pace: Option<f64>,
    /// Median of DOMContentLoaded.
    pub dom_content_loaded_ms: Option<Millis>,
    /// Median of the load event.
    pub load_ms: Option<Millis>,
    /// How many of the loads were return visits.
    pub return_visits: usize,
}

/// The middle value; of an even number, the mean of the two in the middle.
fn median(values: &[f64]) -> Option<f64> {
    let mut sorted: Vec<f64> = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    let middle = sorted.len() / 2;
    match sorted.len() {
        0 => None,
        n if n % 2 == 1 => Some(sorted[middle]),
        _ => Some(f64::midpoint(sorted[middle - 1], sorted[middle])),
    }
}

/// The load that stands for the recording: the one with the median LCP (of an even number the
/// lower of the two in the middle), else the first that has any figure.
#[must_use]
pub fn representative(metrics: &[Metrics]) -> usize {
    let mut by_lcp: Vec<(usize, Millis)> =
        metrics.iter().enumerate().filter_map(|(i, m)| Some((i, m.lcp_ms?))).collect();
    by_lcp.sort_by(|a, b| a.1.order(&b.1));
    match by_lcp.len() {
        0 => metrics.iter().position(|m| m.requests > 0).unwrap_or(0),
        n => by_lcp[(n - 1) / 2].0,
    }
}

/// Sums several loads' metrics up.
#[must_use]
pub fn summarise(metrics: &[Metrics], visits: &[Visit]) -> RecordingSummary {
    let per_load: Vec<_> = metrics.iter().map(crate::analysis::rulers).collect();
    let order = [
        Metric::Lcp,
        Metric::Fcp,
        Metric::Tbt,
        Metric::Inp,
        Metric::Cls,
        Metric::SpeedIndex,
        Metric::Ttfb,
        Metric::Tti,
        Metric::Weight,
    ];
    let rows = order
        .into_iter()
        .filter_map(|metric| {
            let values: Vec<Option<f64>> =
                per_load.iter().map(|rulers| rulers.iter().find(|r| r.metric == metric).map(|r| r.value)).collect();
            let known: Vec<f64> = values.iter().flatten().copied().collect();
            let middle = median(&known)?;
            let (target, limit) = target(metric);
            Some(MetricRow {
                metric,
                median: middle,
                values,
                target,
                limit,
                rating: crate::metrics::Ruler::new(metric, middle).rating,
            })
        })
        .collect::<Vec<_>>();
    let lcp = rows.iter().find(|r| r.metric == Metric::Lcp);
    let lcp_spread = lcp
        .filter(|r| r.values.iter().flatten().count() > 1 && r.median > 0.0)
        .map(|r| r.values.iter().flatten().map(|v| (v - r.median).abs() / r.median).fold(0.0, f64::max));
    let middle = |pick: fn(&Metrics) -> Option<f64>| median(&metrics.iter().filter_map(pick).collect::<Vec<_>>());
    RecordingSummary {
        rows,
        representative: representative(metrics),
        lcp_spread,
        pace: middle(|m| m.pace),
        dom_content_loaded_ms: middle(|m| m.dom_content_loaded_ms.map(|v| v.0)).map(Millis),
        load_ms: middle(|m| m.load_ms.map(|v| v.0)).map(Millis),
        return_visits: visits.iter().filter(|v| **v == Visit::Return).count(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with_lcp(ms: f64) -> Metrics {
        Metrics { lcp_ms: Some(Millis(ms)), ..Metrics::default() }
    }

    #[test]
    fn the_median_load_stands_for_the_recording() {
        let metrics = [with_lcp(5400.0), with_lcp(5000.0), with_lcp(5210.0)];
        let summary = summarise(&metrics, &[Visit::First; 3]);
        assert_eq!(summary.representative, 2);
        assert_eq!(summary.rows[0].rating, Rating::Past);
        // (5210 − 5000) / 5210 is the larger of the two distances.
        assert!((summary.lcp_spread.expect("three loads") - 210.0 / 5210.0).abs() < 1e-12);
    }
}
