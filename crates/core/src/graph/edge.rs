//! Moments of a load, and the edges between them.

use super::LegFact;
use crate::{Millis, RequestId};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Clocks of the network and of the main thread agree to within this.
pub(crate) const SLACK: Millis = Millis(0.5);

/// Something that happened at an observed time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Moment {
    /// Navigation start.
    Start,
    /// The page asked for a request.
    Asked(RequestId),
    /// Its connection began to be opened.
    Connecting(RequestId),
    /// Its connection was open.
    Connected(RequestId),
    /// It was sent.
    Sent(RequestId),
    /// The headers of its final answer were there.
    Answered(RequestId),
    /// Its last byte was there.
    Done(RequestId),
    /// The bytes of the document that were there by then.
    Document,
    /// A script that blocks had run; a sheet was in force.
    Released(RequestId),
    /// The parser had gone on past a sheet in the body.
    Passed(RequestId),
    /// A piece of work began.
    Began(usize),
    /// A piece of script was under way, and did this.
    Inside(usize, Does),
    /// The parser was through the document.
    ParserEnd,
    /// Text no longer waited for a font: it had come, or the browser had given up on it.
    FontSettled(RequestId),
    /// Something that the recording does not tell set off a frame of this sort.
    SetOff {
        /// The picture that it shows.
        file: Option<RequestId>,
        /// Whether it shows text.
        text: bool,
    },
    /// An animation or transition was under way: its place in the load.
    Animated(usize),
    /// Text that is faded in was painted anew: a candidate for the largest paint, by its place in the load.
    Repainted(usize),
    /// A frame was on the screen that shows a file, text or anything at all.
    Painted {
        /// The picture that it shows.
        file: Option<RequestId>,
        /// Whether it shows text.
        text: bool,
    },
}

/// What a run of script does that matters to what comes after.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Does {
    /// It sets a timer, or asks to be called back.
    Schedules,
    /// It changes the page.
    ChangesPage,
    /// It brings what others look for.
    Provides,
}

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
    /// The line carried other bytes meanwhile.
    Shared,
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
    /// An animation or transition of the page's style.
    Animation,
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

/// Whose time an edge is.
#[derive(Debug, Clone, PartialEq)]
pub enum About {
    /// A request's.
    Request(RequestId),
    /// A script's.
    Script(Arc<str>),
    /// The browser's.
    Browser,
}

/// What else than its cause an edge's time may have gone into.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Fill {
    /// Nothing.
    Nothing,
    /// Tasks that had the main thread.
    Thread,
    /// Tasks that had it once a timer was due.
    ThreadSince(Millis),
    /// Handlers of other scripts, within a run.
    Handlers,
    /// Bytes of others on the line, and pauses of the server.
    Line(RequestId),
    /// Bytes of others that went before an answer on its connection.
    Ahead(RequestId),
}

/// What a moment needed: an earlier one.
#[derive(Debug, Clone, PartialEq)]
pub struct Edge {
    /// The earlier moment.
    pub from: Moment,
    /// When that was.
    pub at: Millis,
    /// What the time between was spent on.
    pub cause: Cause,
    /// Whose time it is.
    pub about: About,
    /// What happened.
    pub fact: LegFact,
    /// What else it may have been spent on.
    pub fill: Fill,
}

impl Edge {
    /// An edge whose whole time has one cause.
    #[must_use]
    pub fn new(from: Moment, at: Millis, cause: Cause, about: About, fact: LegFact) -> Self {
        Self { from, at, cause, about, fact, fill: Fill::Nothing }
    }

    /// With what else its time may have gone into.
    #[must_use]
    pub fn filled(mut self, fill: Fill) -> Self {
        self.fill = fill;
        self
    }
}

/// A part of an edge's time that went into something else.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// From.
    pub from: Millis,
    /// To.
    pub to: Millis,
    /// What that was.
    pub cause: Cause,
    /// Whose it is.
    pub about: About,
    /// What happened.
    pub fact: LegFact,
}
