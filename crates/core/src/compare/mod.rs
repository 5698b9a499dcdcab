//! Whether one group of loads is better than another, or whether that is noise.

mod interval;
mod likeness;
mod rank;
mod recordings;

pub use interval::{Interval, difference_of_medians};
pub use likeness::{Circumstances, Unlikeness, unlikenesses};
pub use rank::mann_whitney;
pub use recordings::{
    ChangedFile, Differences, FileChange, FileSeen, FunctionPair, Group, OwnerPair, Pair, differences,
};

use crate::metrics::{Metric, Metrics};
use crate::recording::median;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;
use ts_rs::TS;

/// Two groups of fewer loads than this tell nothing, however far apart they lie: the rank test of three
/// against three cannot come below 10 %.
const FEWEST: usize = 4;
/// Loads of a recording, at most.
const MOST: usize = 20;
/// The chance of calling noise a difference.
const ERROR: f64 = 0.05;

/// What a comparison comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Verdict {
    /// B is lower.
    Better,
    /// B is higher.
    Worse,
    /// It may be noise, or is too little to matter.
    CannotTell,
}

/// One metric in two groups of loads.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Compared {
    /// Which metric.
    pub metric: Metric,
    /// Median of A; times in ms, weight in bytes, CLS plain.
    pub a: f64,
    /// Median of B.
    pub b: f64,
    /// B less A: below 0 is better.
    pub difference: f64,
    /// Lower end of its 95 % interval; `None` where a group has fewer than three loads.
    pub low: Option<f64>,
    /// Upper end.
    pub high: Option<f64>,
    /// Two-sided chance of ranks as far apart as these, if the groups did not differ (Mann and Whitney 1947).
    pub chance: Option<f64>,
    /// What it comes to.
    pub verdict: Verdict,
    /// How many loads each group would need to tell; `None` where the verdict stands, or where twenty
    /// would not be enough.
    pub loads_needed: Option<u32>,
    /// Every value of A, in the order of its loads.
    pub a_values: Vec<f64>,
    /// Every value of B.
    pub b_values: Vec<f64>,
}

/// Differences smaller than this are none, whatever their chance: what the browser tells is no finer.
#[must_use]
pub fn too_little(metric: Metric) -> f64 {
    match metric {
        Metric::Cls => 0.005,
        Metric::Weight => 1_000.0,
        // A task counts from 50 ms on: the same tasks, each a few milliseconds longer, come to half of that.
        Metric::Tbt => 25.0,
        // Paints are told by the frame.
        _ => 16.7,
    }
}

/// Compares two groups of loads, metric by metric, as far as both tell them.
#[must_use]
pub fn compare(a: &[&Metrics], b: &[&Metrics]) -> Vec<Compared> {
    let values = |group: &[&Metrics], metric| group.iter().filter_map(|m| m.value(metric)).collect::<Vec<f64>>();
    Metric::ALL.into_iter().filter_map(|metric| compared(metric, values(a, metric), values(b, metric))).collect()
}

/// How many loads each group should have for every verdict to stand that more loads can make stand; `None` where
/// they all do, or where twenty would not be enough. Weight and the times that others hold already are left out.
#[must_use]
pub fn loads_wanted(compared: &[Compared]) -> Option<u32> {
    let of_interest = [Metric::Lcp, Metric::Fcp, Metric::Tbt, Metric::Cls, Metric::SpeedIndex];
    compared.iter().filter(|c| of_interest.contains(&c.metric)).filter_map(|c| c.loads_needed).max()
}

/// One metric of two groups; `None` where one of them does not tell it.
#[must_use]
pub fn compared(metric: Metric, a_values: Vec<f64>, b_values: Vec<f64>) -> Option<Compared> {
    let (a, b) = (median(&a_values)?, median(&b_values)?);
    let difference = b - a;
    let interval = difference_of_medians(&a_values, &b_values);
    let chance = mann_whitney(&a_values, &b_values);
    let enough = a_values.len().min(b_values.len()) >= FEWEST;
    let stands = enough
        && difference.abs() >= too_little(metric)
        && interval.is_some_and(|i| i.low > 0.0 || i.high < 0.0)
        && chance.is_some_and(|p| p <= ERROR);
    let verdict = match stands {
        true if difference < 0.0 => Verdict::Better,
        true => Verdict::Worse,
        false => Verdict::CannotTell,
    };
    let loads_needed = if stands { None } else { loads_needed(metric, &a_values, &b_values, difference) };
    let (low, high) = (interval.map(|i| i.low), interval.map(|i| i.high));
    Some(Compared { metric, a, b, difference, low, high, chance, verdict, loads_needed, a_values, b_values })
}

/// How many loads each group needs for the rank test to find a difference as large as this one four times
/// of five: the two-sample formula with the test's efficiency of 3/π against the mean's.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, clippy::cast_precision_loss)]
fn loads_needed(metric: Metric, a: &[f64], b: &[f64], difference: f64) -> Option<u32> {
    if difference.abs() < too_little(metric) {
        return None;
    }
    let variance = |values: &[f64]| {
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / (values.len().max(2) - 1) as f64
    };
    let spread = f64::midpoint(variance(a), variance(b)).sqrt();
    // 1.96 for an error of 5 %, 0.84 to find it in 80 % of cases.
    let wanted = 2.0 * ((1.96 + 0.84) * spread / difference.abs()).powi(2) * PI / 3.0;
    let more = a.len().min(b.len()) + 1;
    let wanted = (wanted.ceil().max(FEWEST as f64)).max(more as f64);
    (wanted <= MOST as f64).then_some(wanted as u32)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn lcp(a: &[f64], b: &[f64]) -> Compared {
        compared(Metric::Lcp, a.to_vec(), b.to_vec()).expect("both tell it")
    }

    #[test]
    fn what_lies_apart_is_told_and_what_overlaps_is_not() {
        let apart = lcp(&[2000.0, 2040.0, 2010.0, 2060.0, 2030.0], &[1500.0, 1540.0, 1480.0, 1520.0, 1510.0]);
        assert_eq!((apart.verdict, apart.difference, apart.loads_needed), (Verdict::Better, -520.0, None));
        assert!(apart.low.expect("five loads") < -480.0 && apart.high.expect("five loads") > -560.0);
        assert_eq!(lcp(&apart.b_values, &apart.a_values).verdict, Verdict::Worse);
        let over = lcp(&[2000.0, 2400.0, 1800.0, 2200.0], &[1900.0, 2300.0, 1750.0, 2150.0]);
        assert_eq!(over.verdict, Verdict::CannotTell);
        assert_eq!(over.loads_needed, None, "75 ms in a spread of 250 ms: twenty would not tell");
    }

    #[test]
    fn three_loads_never_tell_and_one_more_may() {
        let three = lcp(&[2000.0, 2010.0, 2020.0], &[1000.0, 1010.0, 1020.0]);
        assert_eq!((three.verdict, three.loads_needed), (Verdict::CannotTell, Some(4)));
        let four = lcp(&[2000.0, 2010.0, 2020.0, 2005.0], &[1000.0, 1010.0, 1020.0, 1005.0]);
        assert_eq!(four.verdict, Verdict::Better);
    }

    #[test]
    fn more_loads_are_wanted_while_a_verdict_can_still_come() {
        let three = lcp(&[2000.0, 2010.0, 2020.0], &[1000.0, 1010.0, 1020.0]);
        let told = lcp(&[2000.0, 2010.0, 2020.0, 2005.0], &[1000.0, 1010.0, 1020.0, 1005.0]);
        let noise = lcp(&[2000.0, 2400.0, 1800.0, 2200.0], &[1900.0, 2300.0, 1750.0, 2150.0]);
        let weight = compared(Metric::Weight, vec![9e5, 8e5, 7e5], vec![5e5, 4e5, 3e5]).expect("both tell it");
        assert_eq!(loads_wanted(&[told.clone(), three, noise.clone()]), Some(4));
        assert_eq!(loads_wanted(&[told, noise, weight]), None);
    }

    #[test]
    fn what_is_less_than_a_frame_is_no_difference() {
        let little = lcp(&[2000.0, 2001.0, 2002.0, 2003.0], &[1990.0, 1991.0, 1992.0, 1993.0]);
        assert_eq!((little.verdict, little.loads_needed), (Verdict::CannotTell, None));
        assert!(compared(Metric::Cls, vec![], vec![0.1]).is_none());
    }

    proptest! {
        #[test]
        fn turned_round_it_says_the_opposite(a in prop::collection::vec(100.0..5000.0f64, 1..9), b in prop::collection::vec(100.0..5000.0f64, 1..9)) {
            let (one, other) = (lcp(&a, &b), lcp(&b, &a));
            prop_assert!((one.difference + other.difference).abs() < 1e-9);
            let opposite = match one.verdict { Verdict::Better => Verdict::Worse, Verdict::Worse => Verdict::Better, same => same };
            prop_assert_eq!(opposite, other.verdict);
            if a != b {
                prop_assert_eq!(one.low, other.high.map(|high| -high));
            }
        }

        #[test]
        fn a_group_is_never_better_than_itself(a in prop::collection::vec(100.0..5000.0f64, 1..12)) {
            prop_assert_eq!(lcp(&a, &a).verdict, Verdict::CannotTell);
        }
    }
}
