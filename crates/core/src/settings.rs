//! What a site sets for itself: it goes into every computation, and is never looked up further down.

use crate::owners::OwnerRule;
use crate::target::{Metric, Target};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// A site's own rules.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Settings {
    /// Who owns what, before any convention; the first match wins.
    pub owner_rules: Vec<OwnerRule>,
    /// Targets and limits that differ from the published ones.
    pub targets: BTreeMap<Metric, Target>,
    /// Ids of checks that are not run.
    pub checks_off: BTreeSet<String>,
    /// What owners are for, as was said of them, by their keys; of others their names suggest it.
    pub purposes: BTreeMap<String, Vec<String>>,
}

impl Settings {
    /// Target and limit of a metric: the site's own, else the published ones.
    #[must_use]
    pub fn target(&self, metric: Metric) -> Target {
        self.targets.get(&metric).copied().unwrap_or_else(|| metric.published())
    }

    /// A short text that is another one whenever anything in the settings is: results carry it.
    #[must_use]
    pub fn hash(&self) -> String {
        // FNV-1a (Fowler, Noll, Vo): a name for a value, not a seal on it.
        let text = serde_json::to_vec(self).unwrap_or_default();
        let sum = text
            .iter()
            .fold(0xcbf2_9ce4_8422_2325_u64, |sum, byte| (sum ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3));
        format!("{sum:016x}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Owner;
    use crate::owners::RuleOn;

    #[test]
    fn the_hash_changes_with_the_settings_and_only_with_them() {
        let plain = Settings::default();
        let mut own = plain.clone();
        assert_eq!(own.hash(), plain.hash());
        own.targets.insert(Metric::Lcp, Target { target: 2000.0, limit: 3000.0 });
        assert_ne!(own.hash(), plain.hash());
        assert_eq!((own.target(Metric::Lcp).target, own.target(Metric::Fcp).target), (2000.0, 1800.0));
        let before = own.hash();
        own.owner_rules.push(OwnerRule { pattern: "/x/".into(), on: RuleOn::Address, owner: Owner::named("x") });
        assert_ne!(own.hash(), before);
    }
}
