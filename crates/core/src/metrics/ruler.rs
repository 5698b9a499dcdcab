//! Where a value stands to its metric's target and limit.

use crate::settings::Settings;
use crate::target::{Metric, Target};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

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
