//! A trial's result as it is kept, and as it is handed out with its words.

use super::Outcome;
use phainon_core::compare::{Compared, Verdict};
use phainon_replay::{Answered, Broken, Shortfall};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What came of a trial.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TrialResult {
    /// The trial's loads against the replay's.
    pub outcome: Outcome,
    /// The replay's loads against the recording's own: how good the replay is.
    pub replayed: Vec<Compared>,
    /// What its user should know of how the edits were made.
    pub told: Vec<String>,
    /// What the replay could not give as it was.
    pub not_replayed: Vec<Shortfall>,
}

/// A metric of a trial, with what is said of it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct SaidCompared {
    /// The figures.
    pub compared: Compared,
    /// What it comes to, where a broken page counts.
    pub verdict: Verdict,
}

/// What came of a trial, in words.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct SaidResult {
    /// Metric by metric, the trial against the replay without edits.
    pub metrics: Vec<SaidCompared>,
    /// The replay without edits against the recording.
    pub replayed: Vec<Compared>,
    /// The return visits, metric by metric; empty where there were none.
    pub returning: Vec<SaidCompared>,
    /// How the trial's requests were answered.
    pub answered: Answered,
    /// Addresses for which there was nothing, with how often each was asked for.
    pub unknown: Vec<(String, u32)>,
    /// What it broke.
    pub broken: Vec<String>,
    /// Whether that makes the page broken, rather than only different where that is meant.
    pub is_broken: bool,
    /// What of the conditions differs.
    pub differs: Vec<String>,
    /// How the edits were made.
    pub told: Vec<String>,
    /// What the replay could not give as it was.
    pub not_replayed: Vec<String>,
}

impl TrialResult {
    /// With words.
    #[must_use]
    pub fn said(self) -> SaidResult {
        let Self { outcome, replayed, told, not_replayed } = self;
        let said = |of: &[Compared]| {
            of.iter().map(|c| SaidCompared { compared: c.clone(), verdict: outcome.verdict(c) }).collect()
        };
        SaidResult {
            metrics: said(&outcome.compared),
            returning: said(&outcome.returning),
            replayed,
            is_broken: outcome.is_broken(),
            answered: outcome.answered,
            unknown: outcome.unknown.into_iter().collect(),
            broken: outcome.broken.iter().map(Broken::sentence).collect(),
            differs: outcome.differs,
            told,
            not_replayed: not_replayed.iter().map(Shortfall::sentence).collect(),
        }
    }
}
