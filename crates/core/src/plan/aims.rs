//! What a plan is to reach: metrics within their targets.

use crate::forecast::Figures;
use crate::metrics::{Metric, utility};
use crate::{Settings, Target};

/// The utility of a value that is just within its target.
const WITHIN: f64 = 80.0;

/// The metrics that count, with their targets. They weigh as in Pace, weight as Speed Index does.
#[derive(Debug, Clone)]
pub struct Aims(Vec<(Metric, Target, f64)>);

/// How pages stand to the aims.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Standing {
    /// How far beyond their targets the metrics are, in points of utility; 0 where all are within.
    pub over: f64,
    /// The mean utility, 0 to 100: more is better, beyond the targets too.
    pub pace: f64,
}

/// Differences below this are none.
const NEXT_TO_NOTHING: f64 = 1e-6;

impl Standing {
    /// Whether it is better than another: nearer to the targets, or as near and quicker.
    #[must_use]
    pub fn is_better_than(&self, other: &Self) -> bool {
        match self.over - other.over {
            less if less < -NEXT_TO_NOTHING => true,
            more if more > NEXT_TO_NOTHING => false,
            _ => self.pace > other.pace + NEXT_TO_NOTHING,
        }
    }
}

impl Aims {
    /// The metrics to bring within their targets; of those given, the ones that can be forecast.
    #[must_use]
    pub fn of(metrics: &[Metric], settings: &Settings) -> Self {
        let weights = [
            (Metric::Lcp, 30.0),
            (Metric::Tbt, 25.0),
            (Metric::Cls, 20.0),
            (Metric::Fcp, 15.0),
            (Metric::SpeedIndex, 10.0),
            (Metric::Weight, 10.0),
        ];
        let wanted = weights.into_iter().filter(|(metric, _)| metrics.contains(metric));
        Self(wanted.map(|(metric, weight)| (metric, settings.target(metric), weight)).collect())
    }

    /// The five that Pace is made of.
    pub const USUAL: [Metric; 5] = [Metric::Lcp, Metric::Fcp, Metric::Tbt, Metric::Cls, Metric::SpeedIndex];

    /// Which metrics count.
    pub fn metrics(&self) -> impl Iterator<Item = Metric> {
        self.0.iter().map(|a| a.0)
    }

    /// How one page stands; metrics that are not known do not count.
    #[must_use]
    pub fn standing(&self, figures: &Figures) -> Standing {
        let mut standing = Standing::default();
        let mut weights = 0.0;
        for (metric, target, weight) in &self.0 {
            let Some(value) = figures.value(*metric) else { continue };
            let utility = utility(value, *target);
            weights += weight;
            standing.over += weight * (WITHIN - utility).max(0.0);
            standing.pace += weight * utility;
        }
        if weights > 0.0 {
            standing.over /= weights;
            standing.pace /= weights;
        }
        standing
    }

    /// The metrics of a page that are beyond their targets.
    #[must_use]
    pub fn beyond(&self, figures: &Figures) -> Vec<Metric> {
        let beyond = self.0.iter().filter(|(metric, t, _)| figures.value(*metric).is_some_and(|v| v > t.target));
        beyond.map(|a| a.0).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Millis;

    #[test]
    fn within_all_targets_nothing_is_over() {
        let aims = Aims::of(&[Metric::Lcp, Metric::Fcp, Metric::Ttfb], &Settings::default());
        assert_eq!(aims.metrics().collect::<Vec<_>>(), [Metric::Lcp, Metric::Fcp], "TTFB is not forecast");
        let of = |lcp, fcp| Figures { lcp_ms: Some(Millis(lcp)), fcp_ms: Some(Millis(fcp)), ..Figures::default() };
        let (within, near, past) = (of(2500.0, 1800.0), of(3250.0, 1800.0), of(3250.0, 900.0));
        assert_eq!(aims.standing(&within), Standing { over: 0.0, pace: 80.0 });
        // LCP halfway between target and limit: 60, 20 below. (30·20 + 15·0) / 45
        assert!((aims.standing(&near).over - 600.0 / 45.0).abs() < 1e-9);
        assert_eq!(aims.beyond(&near), [Metric::Lcp]);
        assert!(aims.standing(&within).is_better_than(&aims.standing(&near)));
        assert!(
            aims.standing(&past).is_better_than(&aims.standing(&near)),
            "as far over, and quicker to the first paint"
        );
        assert!(!aims.standing(&near).is_better_than(&aims.standing(&near)));
        assert_eq!(aims.standing(&Figures::default()), Standing::default(), "what is not known does not count");
    }
}
