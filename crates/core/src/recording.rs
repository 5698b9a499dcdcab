//! Several loads of one page under one set of conditions.

use crate::metrics::{Metric, Metrics, Rating, Ruler};
use crate::settings::Settings;
use crate::target::Target;
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
    /// The load that lies nearest to the medians of LCP, FCP and TBT together, by its number; the one that the other
    /// sections show first.
    pub representative: u32,
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
    /// Each metric that at least one return visit told; empty without return visits.
    #[serde(default)]
    pub return_rows: Vec<MetricRow>,
    /// The return visit of the load that stands for the recording, by its number.
    #[serde(default)]
    pub return_representative: Option<u32>,
}

/// The middle value; of an even number, the mean of the two in the middle.
pub(crate) fn median(values: &[f64]) -> Option<f64> {
    let mut sorted: Vec<f64> = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    let middle = sorted.len() / 2;
    match sorted.len() {
        0 => None,
        n if n % 2 == 1 => Some(sorted[middle]),
        _ => Some(f64::midpoint(sorted[middle - 1], sorted[middle])),
    }
}

/// The load that stands for the recording: the one that lies nearest to the medians of LCP, FCP and TBT, by the sum of
/// its distances in ms (of those as near, the one with the lower LCP), since one with the middle LCP may be the oddest
/// in its main thread's work. Only loads that tell an LCP count, and of the three only what all of these tell, so that
/// telling less brings none nearer. Without any LCP, the first that has any figure.
#[must_use]
pub fn representative(metrics: &[&Metrics]) -> usize {
    let with_lcp: Vec<(usize, &Metrics)> =
        metrics.iter().copied().enumerate().filter(|(_, m)| m.lcp_ms.is_some()).collect();
    let told = |metric| with_lcp.iter().map(|(_, m)| m.value(metric)).collect::<Option<Vec<f64>>>();
    let middles: Vec<(Metric, f64)> = [Metric::Lcp, Metric::Fcp, Metric::Tbt]
        .into_iter()
        .filter_map(|metric| Some((metric, median(&told(metric)?)?)))
        .collect();
    // In hundredths: of two loads both are as near, whatever sums round to.
    let astray = |m: &Metrics| {
        let of = middles.iter().filter_map(|(metric, middle)| Some((m.value(*metric)? - middle).abs()));
        (of.sum::<f64>() * 100.0).round()
    };
    let by = |(i, m): &(usize, &Metrics)| Some((*i, astray(m), m.lcp_ms?));
    let nearest = with_lcp.iter().filter_map(by).min_by(|a, b| a.1.total_cmp(&b.1).then(a.2.order(&b.2)));
    nearest.map_or_else(|| metrics.iter().position(|m| m.requests > 0).unwrap_or(0), |(i, ..)| i)
}

/// One load of a recording, as far as summing up goes.
#[derive(Debug, Clone, Copy)]
pub struct Counted<'a> {
    /// Its number in the recording.
    pub number: u32,
    /// First or return visit.
    pub visit: Visit,
    /// Whether it failed: then it is in no median and stands for nothing.
    pub failed: bool,
    /// Its figures.
    pub metrics: &'a Metrics,
}

/// Sums several loads' metrics up: first visits and return visits apart, since a warm load is never
/// compared with a cold one. Where there are return visits only, they are the recording. Loads that
/// failed do not count; `None` where no other has figures.
#[must_use]
pub fn summarise(loads: &[Counted<'_>], settings: &Settings) -> Option<RecordingSummary> {
    let of = |visit: Visit| loads.iter().filter(move |l| l.visit == visit && !l.failed).collect::<Vec<_>>();
    let (firsts, returns) = (of(Visit::First), of(Visit::Return));
    let counted = if firsts.is_empty() { &returns } else { &firsts };
    let metrics: Vec<&Metrics> = counted.iter().map(|l| l.metrics).collect();
    let chosen = counted.get(representative(&metrics))?.number;
    let mut summary = one_kind(&metrics, chosen, settings);
    summary.return_visits = returns.len();
    if !firsts.is_empty() && !returns.is_empty() {
        let metrics: Vec<&Metrics> = returns.iter().map(|l| l.metrics).collect();
        summary.return_rows = one_kind(&metrics, 0, settings).rows;
        summary.return_representative = returns.iter().map(|l| l.number).find(|n| *n > chosen);
    }
    Some(summary)
}

fn one_kind(metrics: &[&Metrics], representative: u32, settings: &Settings) -> RecordingSummary {
    let rows = Metric::ALL
        .into_iter()
        .filter_map(|metric| {
            let values: Vec<Option<f64>> = metrics.iter().map(|m| m.value(metric)).collect();
            let known: Vec<f64> = values.iter().flatten().copied().collect();
            let middle = median(&known)?;
            let Target { target, limit } = settings.target(metric);
            Some(MetricRow {
                metric,
                median: middle,
                values,
                target,
                limit,
                rating: Ruler::new(metric, middle, settings).rating,
            })
        })
        .collect::<Vec<_>>();
    let lcp = rows.iter().find(|r| r.metric == Metric::Lcp);
    let lcp_spread = lcp
        .filter(|r| r.values.iter().flatten().count() > 1 && r.median > 0.0)
        .map(|r| r.values.iter().flatten().map(|v| (v - r.median).abs() / r.median).fold(0.0, f64::max));
    let middle =
        |pick: fn(&Metrics) -> Option<f64>| median(&metrics.iter().filter_map(|m| pick(m)).collect::<Vec<_>>());
    RecordingSummary {
        rows,
        representative,
        lcp_spread,
        pace: middle(|m| m.pace),
        dom_content_loaded_ms: middle(|m| m.dom_content_loaded_ms.map(|v| v.0)).map(Millis),
        load_ms: middle(|m| m.load_ms.map(|v| v.0)).map(Millis),
        return_visits: 0,
        return_rows: Vec::new(),
        return_representative: None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with_lcp(ms: f64) -> Metrics {
        Metrics { lcp_ms: Some(Millis(ms)), ..Metrics::default() }
    }

    fn sum(loads: &[(f64, Visit, bool)]) -> Option<RecordingSummary> {
        let metrics: Vec<Metrics> = loads.iter().map(|l| with_lcp(l.0)).collect();
        let counted: Vec<Counted<'_>> = (1u32..)
            .zip(loads.iter().zip(&metrics))
            .map(|(number, ((_, visit, failed), metrics))| Counted { number, visit: *visit, failed: *failed, metrics })
            .collect();
        summarise(&counted, &Settings::default())
    }

    #[test]
    fn a_return_visit_is_never_mixed_with_first_ones() {
        let loads = [
            (5000.0, Visit::First, false),
            (900.0, Visit::Return, false),
            (5200.0, Visit::First, false),
            (1100.0, Visit::Return, false),
        ];
        let summary = sum(&loads).expect("four loads");
        assert_eq!((summary.rows[0].median, summary.return_rows[0].median), (5100.0, 1000.0));
        assert_eq!((summary.representative, summary.return_representative), (1, Some(2)));
        let only = sum(&loads[1..2]).expect("one");
        assert_eq!((only.rows[0].median, only.return_rows.len()), (900.0, 0));
    }

    #[test]
    fn the_median_load_stands_for_the_recording() {
        let summary = sum(&[5400.0, 5000.0, 5210.0].map(|lcp| (lcp, Visit::First, false))).expect("three loads");
        assert_eq!(summary.representative, 3);
        assert_eq!(summary.rows[0].rating, Rating::Past);
        // (5210 − 5000) / 5210 is the larger of the two distances.
        assert!(summary.return_rows.is_empty());
        assert!((summary.lcp_spread.expect("three loads") - 210.0 / 5210.0).abs() < 1e-12);
    }

    #[test]
    fn a_load_with_the_middle_lcp_and_odd_work_does_not_stand_for_the_others() {
        let load =
            |lcp: f64, tbt: f64| Metrics { lcp_ms: Some(Millis(lcp)), tbt_ms: Some(Millis(tbt)), ..Metrics::default() };
        // The third is 0 from the LCP's median and 400 from the TBT's; the first 15 and 0.
        let loads = [load(2600.0, 950.0), load(2640.0, 1000.0), load(2615.0, 550.0)];
        assert_eq!(representative(&loads.each_ref()), 0);
        // One that tells no TBT is not nearer for that: then the LCP alone decides.
        let less = Metrics { lcp_ms: Some(Millis(2640.0)), ..Metrics::default() };
        assert_eq!(representative(&[&loads[0], &less, &loads[2]]), 2);
        assert_eq!(representative(&[&loads[1], &loads[0]]), 1, "of two, both as near, the quicker");
    }

    #[test]
    fn a_load_that_failed_is_in_no_median_and_stands_for_nothing() {
        // An error page paints soon; it is no quick load of the page.
        let loads = [
            (300.0, Visit::First, true),
            (5000.0, Visit::First, false),
            (5200.0, Visit::First, false),
            (310.0, Visit::First, true),
        ];
        let summary = sum(&loads).expect("two loads count");
        assert_eq!((summary.rows[0].median, summary.rows[0].values.len(), summary.representative), (5100.0, 2, 2));
        assert!(sum(&loads[..1]).is_none(), "nothing is known of the page");
    }
}
