//! One piece of a path.

use super::LegFact;
use crate::{EditKind, Millis, Owner, RequestId};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Why a leg took its time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Cause {
    /// From navigation start until the browser asked for anything.
    Navigation,
    /// An earlier address answered with a redirect.
    Redirect,
    /// Waiting in the browser's queue: priority, or the limit of connections to a host.
    Queue,
    /// Opening a connection: name, TCP, TLS.
    Connect,
    /// From sending the request to its first byte: server and round trip.
    Wait,
    /// Receiving bytes.
    Download,
    /// A response had come and the browser had not yet handled it.
    Handover,
    /// The parser reading the document.
    Parse,
    /// Arrived, but held until stylesheets or scripts before it were done.
    Held,
    /// A script running.
    Script,
    /// Waiting for a timer that a script set.
    Timer,
    /// A script waiting for something that the trace does not name: an event, an idle moment.
    ScriptWait,
    /// The main thread busy with something else.
    Busy,
    /// Style, layout and paint of the frame that shows it.
    Render,
    /// A stylesheet was there; style and layout then found what it names.
    StyleFound,
    /// A lazily loaded image waiting until layout brought it near the screen.
    Lazy,
    /// What asked for it is not known.
    Unknown,
}

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
