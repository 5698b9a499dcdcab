//! Targets and limits, and where a value stands to them.

use crate::settings::{Settings, Target};
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

/// Where a value stands: at or under its target, between target and limit, or over the limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Rating {
    Within,
    Near,
    Past,
}

/// A metric's target and limit, and a value on that scale. Times in ms, weight in bytes, CLS plain.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Ruler {
    pub metric: Metric,
    pub value: f64,
    pub target: f64,
    pub limit: f64,
    pub rating: Rating,
}

impl Metric {
    /// All of them, in the order in which they are shown.
    pub const ALL: [Self; 9] =
        [Self::Lcp, Self::Fcp, Self::Tbt, Self::Inp, Self::Cls, Self::SpeedIndex, Self::Ttfb, Self::Tti, Self::Weight];

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

impl Ruler {
    /// Places a value on its metric's scale.
    #[must_use]
    pub fn new(metric: Metric, value: f64, settings: &Settings) -> Self {
        let Target { target, limit } = settings.target(metric);
        let rating = if value <= target {
            Rating::Within
        } else if value <= limit {
            Rating::Near
        } else {
            Rating::Past
        };
        Self { metric, value, target, limit, rating }
    }
}
