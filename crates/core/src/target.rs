//! The metrics that have a target, and their targets as they are published.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A metric that has a target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Metric {
    Lcp,
    Fcp,
    Tbt,
    Cls,
    Inp,
    SpeedIndex,
    Ttfb,
    Tti,
    Weight,
}

/// Where a metric should be, and the limit past which it is bad. Times in ms, weight in bytes, CLS plain.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Target {
    pub target: f64,
    pub limit: f64,
}

impl Metric {
    /// All of them, in the order in which they are shown.
    pub const ALL: [Self; 9] =
        [Self::Lcp, Self::Fcp, Self::Tbt, Self::Inp, Self::Cls, Self::SpeedIndex, Self::Ttfb, Self::Tti, Self::Weight];

    /// Its name in JSON, with its unit.
    #[must_use]
    pub fn json_name(self) -> &'static str {
        match self {
            Self::Lcp => "lcp_ms",
            Self::Fcp => "fcp_ms",
            Self::Tbt => "tbt_ms",
            Self::Cls => "cls",
            Self::Inp => "inp_ms",
            Self::SpeedIndex => "speed_index_ms",
            Self::Ttfb => "ttfb_ms",
            Self::Tti => "tti_ms",
            Self::Weight => "transferred_bytes",
        }
    }

    /// Target and limit as they are published (Core Web Vitals and their companions); a site may set its own.
    #[must_use]
    pub fn published(self) -> Target {
        let (target, limit) = match self {
            Self::Lcp => (2500.0, 4000.0),
            Self::Inp => (200.0, 500.0),
            Self::Cls => (0.1, 0.25),
            Self::Fcp => (1800.0, 3000.0),
            Self::Ttfb => (800.0, 1800.0),
            Self::Tbt => (200.0, 600.0),
            Self::Tti => (3800.0, 7300.0),
            Self::SpeedIndex => (3000.0, 5500.0),
            Self::Weight => (1_000_000.0, 1_500_000.0),
        };
        Target { target, limit }
    }
}
