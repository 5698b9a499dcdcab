//! What a trial comes to: its loads beside those of the unedited replay, what broke, how good the replay was.

use super::{Made, Read};
use phainon_core::compare::{Compared, Verdict, compare};
use phainon_core::metrics::Metric;
use phainon_replay::{Answered, Broken, Seen, broken};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// Two groups of loads, compared.
pub struct Outcome {
    /// Metric by metric: A is what the trial is held against.
    pub compared: Vec<Compared>,
    /// What of the conditions differs.
    pub differs: Vec<String>,
    /// How requests were answered in B.
    pub answered: Answered,
    /// For what there was no answer in B, with how often it was asked for.
    pub unknown: BTreeMap<String, u32>,
    /// What B broke.
    pub broken: Vec<Broken>,
}

fn seen(read: &Read) -> Vec<Seen<'_>> {
    let first = read.loads.iter().filter(|l| l.raw.visit == phainon_core::Visit::First);
    first
        .filter_map(|l| {
            Some(Seen {
                load: &l.reading.as_ref()?.load,
                last: l.raw.frames.last().map(|(_, picture)| picture.as_slice()),
                failed: l.failed.as_deref(),
            })
        })
        .collect()
}

impl Outcome {
    /// Holds a trial's loads against others: those of the replay, or the recording's own.
    #[must_use]
    pub fn of(a: &Read, b: &Read, made: &Made, differs: Vec<String>) -> Self {
        let off: &BTreeSet<String> = &made.book.taken_off;
        Self {
            compared: compare(&a.metrics(), &b.metrics()),
            differs,
            answered: made.answered,
            unknown: made.unknown.clone(),
            broken: broken(&seen(a), &seen(b), off),
        }
    }

    /// What it says of a metric; a page that is broken is not better for being faster.
    #[must_use]
    pub fn verdict(&self, compared: &Compared) -> Verdict {
        match compared.verdict {
            Verdict::Better if !self.broken.is_empty() => Verdict::CannotTell,
            verdict => verdict,
        }
    }
}

/// One metric as `trial --json` gives it.
#[derive(Debug, Serialize)]
struct PrintedMetric {
    a: f64,
    b: f64,
    difference: f64,
    low: Option<f64>,
    high: Option<f64>,
    verdict: Verdict,
    loads_needed: Option<u32>,
}

/// What `trial --json` gives.
#[derive(Debug, Serialize)]
pub struct Printed {
    edits: Vec<String>,
    /// What A is: `replay` or `recording`.
    against: &'static str,
    loads: usize,
    metrics: BTreeMap<&'static str, PrintedMetric>,
    differs: Vec<String>,
    answered: Answered,
    unknown: BTreeMap<String, u32>,
    broken: Vec<String>,
    not_replayed: Vec<String>,
    told: Vec<String>,
}

/// A metric's name in JSON, with its unit.
fn name(metric: Metric) -> &'static str {
    match metric {
        Metric::Lcp => "lcp_ms",
        Metric::Fcp => "fcp_ms",
        Metric::Tbt => "tbt_ms",
        Metric::Cls => "cls",
        Metric::Inp => "inp_ms",
        Metric::SpeedIndex => "speed_index_ms",
        Metric::Ttfb => "ttfb_ms",
        Metric::Tti => "tti_ms",
        Metric::Weight => "transferred_bytes",
    }
}

impl Printed {
    /// An outcome for a machine to read.
    #[must_use]
    pub fn of(outcome: &Outcome, edits: Vec<String>, against: &'static str, made: &Made, told: Vec<String>) -> Self {
        let metrics = outcome.compared.iter().map(|c| {
            let printed = PrintedMetric {
                a: c.a,
                b: c.b,
                difference: c.difference,
                low: c.low,
                high: c.high,
                verdict: outcome.verdict(c),
                loads_needed: c.loads_needed,
            };
            (name(c.metric), printed)
        });
        Self {
            edits,
            against,
            loads: made.recording.loads.len(),
            metrics: metrics.collect(),
            differs: outcome.differs.clone(),
            answered: outcome.answered,
            unknown: outcome.unknown.clone(),
            broken: outcome.broken.iter().map(Broken::sentence).collect(),
            not_replayed: super::shortfalls(&made.book),
            told,
        }
    }
}
