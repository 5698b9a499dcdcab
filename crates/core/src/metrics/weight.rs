//! Weight: bytes, transferred and unpacked.

use crate::{Bytes, Load, ResourceKind};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// One kind's share of a load's weight.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct WeightShare {
    pub kind: ResourceKind,
    pub requests: u32,
    pub transferred_bytes: Bytes,
    pub unpacked_bytes: Bytes,
}

/// Weight by kind of resource, heaviest first.
#[must_use]
pub fn by_kind(load: &Load) -> Vec<WeightShare> {
    let mut shares: BTreeMap<ResourceKind, WeightShare> = BTreeMap::new();
    for request in load.requests.iter().filter(|r| r.is_network()) {
        let share = shares.entry(request.kind).or_insert(WeightShare {
            kind: request.kind,
            requests: 0,
            transferred_bytes: Bytes(0),
            unpacked_bytes: Bytes(0),
        });
        share.requests += 1;
        share.transferred_bytes += request.transferred.unwrap_or_default();
        share.unpacked_bytes += request.unpacked.unwrap_or_default();
    }
    let mut shares: Vec<_> = shares.into_values().collect();
    shares.sort_by_key(|s| std::cmp::Reverse(s.transferred_bytes));
    shares
}
