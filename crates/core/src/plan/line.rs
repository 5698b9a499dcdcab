//! A plan fix by fix: what each brings after those above it.

use super::PlanPage;
use crate::forecast::{Brings, Figures, astray};
use crate::metrics::Metric;
use crate::{Bodies, Edit};
use rayon::prelude::*;
use serde::Serialize;
use std::ops::RangeInclusive;
use ts_rs::TS;

/// Where a plan stands after one of its fixes.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PlanStep {
    /// Metric by metric what the fix changes after those above it: means over the pages by their shares of visits.
    pub brings: Vec<Brings>,
    /// What each page would measure now, in the order of the pages.
    pub pages: Vec<Figures>,
    /// The pages on which its effect is known, by their places.
    pub on: Vec<usize>,
}

/// Runs through a plan, or through a part of it: `steps` are those that are told, of which 0 is the plan without
/// any fix and `edits.len()` its end; what lies beyond the end is not there.
#[must_use]
pub fn line(
    pages: &[PlanPage],
    edits: &[&Edit],
    steps: RangeInclusive<usize>,
    bodies: &(dyn Bodies + Sync),
) -> Vec<PlanStep> {
    let steps = *steps.start()..=(*steps.end()).min(edits.len());
    // What a fix brings is held against the step before it.
    let first = steps.start().saturating_sub(1);
    let places: Vec<(usize, usize)> =
        (first..=*steps.end()).flat_map(|step| (0..pages.len()).map(move |page| (step, page))).collect();
    let figures: Vec<Figures> =
        places.par_iter().map(|&(step, page)| pages[page].with(&edits[..step], bodies)).collect();
    let each = |step: usize| &figures[(step - first) * pages.len()..(step - first + 1) * pages.len()];
    let step = |step: usize| {
        let (before, after) = (each(step.saturating_sub(1)), each(step));
        let brings = Figures::METRICS.into_iter().filter_map(|metric| brings(metric, pages, before, after)).collect();
        let edit = step.checked_sub(1).map(|place| edits[place]);
        let on = (0..pages.len()).filter(|p| edit.is_some_and(|edit| pages[*p].outlook.knows(edit, bodies)));
        PlanStep { brings, pages: after.to_vec(), on: on.collect() }
    };
    steps.map(step).collect()
}

/// The change of a metric's mean. Its interval is what forecasts are astray, page by page in the same direction.
fn brings(metric: Metric, pages: &[PlanPage], before: &[Figures], after: &[Figures]) -> Option<Brings> {
    let mut sums = (0.0, 0.0, 0.0, 0.0);
    for (page, (before, after)) in pages.iter().zip(before.iter().zip(after)) {
        let (Some(before), Some(after)) = (before.value(metric), after.value(metric)) else { continue };
        sums.0 += page.share;
        sums.1 += page.share * before;
        sums.2 += page.share * after;
        // What does not change on a page is as certain as its recording.
        sums.3 += if (after - before).abs() > f64::EPSILON {
            page.share * astray(metric, after, page.outlook.model().source())
        } else {
            0.0
        };
    }
    let (shares, before, after, astray) = sums;
    if shares <= 0.0 {
        return None;
    }
    let (before, after, astray) = (before / shares, after / shares, astray / shares);
    Some(Brings { metric, before, after, low: after - before - astray, high: after - before + astray })
}
