//! What asked for a request, as browsers write it: in their network events, and in HARs that carry it along.

use crate::figures::figure;
use crate::without_credentials;
use phainon_core::{Initiator, InitiatorKind};
use serde_json::Value;
use std::sync::Arc;

/// Reads an initiator; frames of the calls that led there are followed through what called them later.
pub fn read(value: &Value) -> Initiator {
    let mut stack: Vec<Arc<str>> = Vec::new();
    let mut level = &value["stack"];
    while level.is_object() && stack.len() < 64 {
        for frame in level["callFrames"].as_array().into_iter().flatten() {
            if let Some(url) = frame["url"].as_str().filter(|u| !u.is_empty()) {
                stack.push((*without_credentials(url)).into());
            }
        }
        level = &level["parent"];
    }
    let kind = match value["type"].as_str() {
        Some("parser") => InitiatorKind::Parser,
        Some("script") => InitiatorKind::Script,
        Some("preload") => InitiatorKind::Preload,
        _ => InitiatorKind::Unknown,
    };
    let url = value["url"]
        .as_str()
        .filter(|u| !u.is_empty())
        .map(|u| (*without_credentials(u)).into())
        .or_else(|| stack.first().cloned());
    let place = |key: &str| {
        let counted_from_0 = figure(&value[key]).or_else(|| figure(&value["stack"]["callFrames"][0][key]));
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        counted_from_0.filter(|n| (0.0..4e9).contains(n)).map(|n| (n as u32).saturating_add(1))
    };
    Initiator { kind, url, line: place("lineNumber"), column: place("columnNumber"), stack }
}
