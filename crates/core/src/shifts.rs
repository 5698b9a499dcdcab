//! Layout shifts as the screens show them: what moved, and what set that off.

use crate::graph::{About, Graph};
use crate::{Load, Millis, Moved, Owner, RequestId, ResourceKind};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// A layout shift.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ShiftRow {
    pub at_ms: Millis,
    pub score: f64,
    pub had_recent_input: bool,
    pub moved: Vec<Moved>,
    /// What set it off; nothing where that is not known.
    pub by: Option<ShiftBy>,
}

/// What had come or changed between two frames, so that an element stands elsewhere in the second.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ShiftBy {
    /// A picture, font or sheet that came, or a script that changed the page.
    pub kind: ResourceKind,
    /// Its address.
    pub url: Arc<str>,
    /// Its request, where it is one of the load's.
    pub request: Option<RequestId>,
    /// Whose it is.
    pub owner: Owner,
}

/// The shifts of a load.
#[must_use]
pub(crate) fn shift_rows(graph: &Graph<'_>) -> Vec<ShiftRow> {
    let load: &Load = graph.load();
    let row = |shift: &crate::LayoutShift| ShiftRow {
        at_ms: shift.at,
        score: shift.score,
        had_recent_input: shift.had_recent_input,
        moved: shift.moved.clone(),
        by: graph.shifted(shift.at).and_then(|edge| by(graph, &edge.about)),
    };
    load.shifts.iter().map(row).collect()
}

fn by(graph: &Graph<'_>, about: &About) -> Option<ShiftBy> {
    match about {
        About::Request(id) => {
            let request = graph.load().request(*id)?;
            let owner = graph.owners().request(*id).clone();
            Some(ShiftBy { kind: request.kind, url: request.url.clone(), request: Some(*id), owner })
        }
        About::Script(url) => {
            let (request, owner) = (graph.request_of(url), graph.owners().of_url(url));
            Some(ShiftBy { kind: ResourceKind::Script, url: url.clone(), request, owner })
        }
        About::Browser => None,
    }
}
