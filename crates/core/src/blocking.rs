//! Render-blocking requests, and when each let go.

use crate::{Millis, Prepared, RenderBlocking, RequestId, ResourceKind};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// What blocks: a script or a stylesheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum BlockingKind {
    Script,
    Stylesheet,
}

/// A request that held rendering back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct RenderBlocker {
    /// Which request.
    pub request: RequestId,
    /// Its address.
    #[ts(type = "string")]
    pub url: Arc<str>,
    /// Script or stylesheet.
    pub kind: BlockingKind,
    /// When it let rendering go: a sheet once parsed, a script once run.
    pub released_ms: Millis,
}

/// Every request that held rendering back, in the order in which they let go. A request counts
/// when the browser marked it so, and it came from the main frame before the first paint.
#[must_use]
pub fn render_blockers(prepared: &Prepared) -> Vec<RenderBlocker> {
    let mut blockers: Vec<RenderBlocker> = prepared
        .load
        .requests
        .iter()
        .filter(|r| r.render_blocking == RenderBlocking::Blocking && r.main_frame)
        .filter_map(|request| {
            let kind = match request.kind {
                ResourceKind::Script => BlockingKind::Script,
                ResourceKind::Style => BlockingKind::Stylesheet,
                _ => return None,
            };
            Some(RenderBlocker {
                request: request.id,
                url: request.url.clone(),
                kind,
                released_ms: prepared.released(request)?,
            })
        })
        .collect();
    blockers.sort_by(|a, b| a.released_ms.order(&b.released_ms));
    blockers
}
