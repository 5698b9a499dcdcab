//! One piece of a path.

use crate::graph::{Cause, LegFact};
use crate::{EditKind, Millis, Owner, Request, RequestId, ResourceKind};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// One piece of a path.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Leg {
    /// Where it starts.
    pub from_ms: Millis,
    /// Where it ends: the next leg's start, or the paint.
    pub to_ms: Millis,
    /// Why it took its time.
    pub cause: Cause,
    /// The request, script or sheet that it is about.
    pub url: Option<Arc<str>>,
    /// The request, where it is one of the load's.
    pub request: Option<RequestId>,
    /// Whose it is.
    pub owner: Owner,
    /// What happened.
    pub fact: LegFact,
    /// The kinds of edit that would shorten it.
    pub fixes: Vec<EditKind>,
}

impl Leg {
    /// How long it took.
    #[must_use]
    pub fn length(&self) -> Millis {
        self.to_ms - self.from_ms
    }
}

/// The kinds of edit that would shorten a leg.
pub(super) fn fixes_for(cause: Cause, request: Option<&Request>) -> Vec<EditKind> {
    let kind = request.map(|r| r.kind);
    match (cause, kind) {
        (Cause::Redirect, _) => vec![EditKind::DropRedirect],
        (Cause::Connect, _) => vec![EditKind::Preconnect],
        (Cause::Wait, Some(ResourceKind::Document)) => vec![EditKind::FasterResponse],
        (Cause::Download, Some(ResourceKind::Image)) => vec![EditKind::Resize, EditKind::Shrink],
        (Cause::Download, Some(ResourceKind::Script | ResourceKind::Style | ResourceKind::Document)) => {
            vec![EditKind::Compress, EditKind::Shrink]
        }
        (Cause::Shared, Some(ResourceKind::Script)) => vec![EditKind::DelayScript, EditKind::Shrink],
        (Cause::Shared, _) => vec![EditKind::Shrink, EditKind::Lazy],
        (Cause::Script | Cause::Held | Cause::Queue | Cause::Wait, Some(ResourceKind::Script)) => {
            vec![EditKind::DeferScript]
        }
        (Cause::Queue | Cause::StyleFound, _) => vec![EditKind::Preload],
        (Cause::Timer | Cause::ScriptWait, _) => vec![EditKind::PutInHtml],
        (Cause::Busy, _) => vec![EditKind::SplitTask, EditKind::DelayScript],
        (Cause::Lazy, _) => vec![EditKind::PutInHtml, EditKind::Preload],
        (Cause::Wait | Cause::Render, Some(ResourceKind::Style)) => vec![EditKind::ReduceStyle],
        _ => Vec::new(),
    }
}
