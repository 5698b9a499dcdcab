//! What a trial comes to: its loads beside those of the unedited replay, what broke, how good the replay was.

use crate::reading::LoadReading;
use phainon_core::compare::{Compared, Verdict, compare};
use phainon_core::metrics::Metrics;
use phainon_core::{Edit, Load, Visit};
use phainon_replay::{Answered, Book, Broken, Seen, Shortfall, Told, broken};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A load as far as comparing goes.
pub struct SeenLoad {
    /// What was observed.
    pub load: Arc<Load>,
    /// Its figures.
    pub metrics: Metrics,
    /// The last picture of the screen (JPEG).
    pub last: Option<Vec<u8>>,
    /// Why it failed, if it did.
    pub failed: Option<String>,
}

/// The first or the return visits of a recording that was read, as far as comparing goes.
#[must_use]
pub fn seen_of(loads: &[LoadReading], visit: Visit) -> Vec<SeenLoad> {
    let visits = loads.iter().filter(|l| l.raw.visit == visit);
    visits
        .filter_map(|l| {
            let reading = l.reading.as_ref()?;
            Some(SeenLoad {
                load: reading.load.clone(),
                metrics: reading.analysis.metrics.clone(),
                last: l.raw.frames.last().map(|(_, picture)| picture.clone()),
                failed: l.failed.clone(),
            })
        })
        .collect()
}

/// Two groups of loads, compared.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Outcome {
    /// Metric by metric: A is what the trial is held against.
    pub compared: Vec<Compared>,
    /// What of the conditions differs.
    pub differs: Vec<String>,
    /// How requests were answered in B, over all its loads.
    pub answered: Answered,
    /// For what there was no answer in B, with how often it was asked for.
    pub unknown: BTreeMap<String, u32>,
    /// What B broke.
    pub broken: Vec<Broken>,
    /// Whether something was taken off the page: that it looks different is then meant.
    #[serde(default)]
    pub removes: bool,
    /// Whether scripts wait for the first input: that what they listen to is not set before it is then meant.
    #[serde(default)]
    pub delays: bool,
    /// The return visits, metric by metric; empty where there were none.
    #[serde(default)]
    pub returning: Vec<Compared>,
}

impl Outcome {
    /// Holds a trial's loads against others: those of the replay, or the recording's own.
    #[must_use]
    pub fn of(
        a: &[SeenLoad],
        b: &[SeenLoad],
        book: &Book,
        edits: &[Edit],
        told: &[Told],
        differs: Vec<String>,
    ) -> Self {
        let mut unknown: BTreeMap<String, u32> = BTreeMap::new();
        for (url, times) in told.iter().flat_map(|t| &t.unknown) {
            *unknown.entry(url.clone()).or_default() += times;
        }
        Self {
            compared: compare(&counted(a), &counted(b)),
            differs,
            answered: told.iter().fold(Answered::default(), |sum, t| sum.and(t.answered)),
            unknown,
            broken: broken(&as_seen(a), &as_seen(b), &book.taken_off),
            removes: edits.iter().any(|e| matches!(e, Edit::Remove { .. } | Edit::RemoveOwner { .. })),
            delays: edits.iter().any(|e| matches!(e, Edit::DelayScript { .. })),
            returning: Vec::new(),
        }
    }

    /// With the return visits of both.
    #[must_use]
    pub fn with_returns(mut self, a: &[SeenLoad], b: &[SeenLoad]) -> Self {
        self.returning = compare(&counted(a), &counted(b));
        self
    }

    /// Whether the page is broken, rather than only different where that is meant.
    #[must_use]
    pub fn is_broken(&self) -> bool {
        self.broken.iter().any(|b| match b {
            Broken::Screen { .. } => !self.removes,
            Broken::Handlers { .. } => !self.removes && !self.delays,
            Broken::Failed { .. } | Broken::Error { .. } | Broken::Request { .. } => true,
        })
    }

    /// What it says of a metric; a page that is broken is not better for being faster.
    #[must_use]
    pub fn verdict(&self, compared: &Compared) -> Verdict {
        match compared.verdict {
            Verdict::Better if self.is_broken() => Verdict::CannotTell,
            verdict => verdict,
        }
    }
}

/// Figures of the loads that count.
fn counted(loads: &[SeenLoad]) -> Vec<&Metrics> {
    loads.iter().filter(|l| l.failed.is_none()).map(|l| &l.metrics).collect()
}

fn as_seen(loads: &[SeenLoad]) -> Vec<Seen<'_>> {
    loads.iter().map(|l| Seen { load: &l.load, last: l.last.as_deref(), failed: l.failed.as_deref() }).collect()
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
    /// The same of the return visits, where there were any.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    return_visits: BTreeMap<&'static str, PrintedMetric>,
    differs: Vec<String>,
    answered: Answered,
    unknown: BTreeMap<String, u32>,
    broken: Vec<String>,
    not_replayed: Vec<String>,
    told: Vec<String>,
}

impl Printed {
    /// An outcome for a machine to read.
    #[must_use]
    pub fn of(
        outcome: &Outcome,
        edits: Vec<String>,
        against: &'static str,
        loads: usize,
        book: &Book,
        told: Vec<String>,
    ) -> Self {
        let printed = |c: &Compared| {
            let printed = PrintedMetric {
                a: c.a,
                b: c.b,
                difference: c.difference,
                low: c.low,
                high: c.high,
                verdict: outcome.verdict(c),
                loads_needed: c.loads_needed,
            };
            (c.metric.json_name(), printed)
        };
        Self {
            edits,
            against,
            loads,
            metrics: outcome.compared.iter().map(printed).collect(),
            return_visits: outcome.returning.iter().map(printed).collect(),
            differs: outcome.differs.clone(),
            answered: outcome.answered,
            unknown: outcome.unknown.clone(),
            broken: outcome.broken.iter().map(Broken::sentence).collect(),
            not_replayed: book.shortfalls.iter().map(Shortfall::sentence).collect(),
            told,
        }
    }
}
