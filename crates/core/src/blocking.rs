//! Render-blocking requests, and when each let go.

use crate::{Load, Millis, RenderBlocking, Request, RequestId, ResourceKind, Work, WorkName};
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

/// When a script or sheet was run or parsed: its piece of work, first after its request began.
pub(crate) fn first_use<'a>(load: &'a Load, request: &Request) -> Option<(usize, &'a Work)> {
    let wanted = match request.kind {
        ResourceKind::Script => WorkName::Evaluate,
        ResourceKind::Style => WorkName::ParseSheet,
        _ => return None,
    };
    load.work.iter().enumerate().find(|(_, w)| {
        w.name == wanted && w.start >= request.start && w.url.as_deref().is_some_and(|u| *u == *request.url)
    })
}

/// When a blocking request let go: the end of its first use, else of its download.
pub(crate) fn released(load: &Load, request: &Request) -> Option<Millis> {
    let end = request.end?;
    Some(first_use(load, request).map_or(end, |(_, work)| work.end().max(end)))
}

/// Every request that held rendering back, in the order in which they let go. A request counts
/// when the browser marked it so, and it came from the main frame before the first paint.
#[must_use]
pub fn render_blockers(load: &Load) -> Vec<RenderBlocker> {
    let mut blockers: Vec<RenderBlocker> = load
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
                released_ms: released(load, request)?,
            })
        })
        .collect();
    blockers.sort_by(|a, b| a.released_ms.order(&b.released_ms));
    blockers
}
