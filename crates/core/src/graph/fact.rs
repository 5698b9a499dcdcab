//! What happened in a leg, as codes and figures; [`crate::words`] says it.

use crate::{Bytes, Millis};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Code with or without a file of its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Code {
    /// A file, by its address.
    File(Arc<str>),
    /// A script inside the document.
    Inline,
}

/// Why bytes that had come were not used yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum HandedOver {
    /// The main thread had yet to take them.
    ToTake,
    /// The main thread had yet to run them.
    ToRun,
    /// All that the script imports had come, and it had yet to run.
    Imports,
    /// All that is imported along with the script had come, and it had yet to run.
    ImportedAlong,
}

/// What a request waited behind before it was sent.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "snake_case")]
pub enum Behind {
    /// The preparation of a navigation.
    Navigation,
    /// It was never seen to be sent.
    NotSent,
    /// Nothing else of its host: the browser preferred others.
    Priority,
    /// Others of its host that were under way.
    Others {
        /// How many.
        count: u32,
        /// Their host.
        host: String,
        /// The one that had the connection until then.
        before: Option<Arc<str>>,
    },
}

/// Why no more is known of how a file came to be asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum AskedFor {
    /// Loaded lazily: layout told that it is near the screen.
    Lazy,
    /// By a script, in a run that was not recorded.
    UnknownRun,
    /// By a style inside the document.
    InlineStyle,
    /// By a style that was known, for an element that came or changed only then.
    Element,
    /// The source does not tell.
    NotTold,
}

/// What happened in a leg.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum LegFact {
    /// The recording tells nothing about this stretch.
    NotExplained,
    /// Everything known to be needed was there, and it was drawn later.
    DrawnLate,
    /// A run of script changed what is painted.
    ChangesPage { script: Code },
    /// Text was held back for a font until the browser gave up on it.
    FontGivenUp { file: Arc<str> },
    /// The frame that asks for a font has its text without letters: one after it shows them.
    AskedByFrame { file: Arc<str> },
    /// Everything was there, up to the next frame.
    NextFrame,
    /// A script kept the main thread before the frame.
    BusyWith { script: Code },
    /// An animation or transition showed it.
    Animates { name: String },
    /// Style, layout and paint.
    FrameWork,
    /// From the last input to the frame.
    Drawing,
    /// Before anything was asked for.
    NavigationStarts,
    /// Bytes that had come and were not used yet.
    HandedOver { file: Code, why: HandedOver },
    /// A body came over the line.
    Downloads { file: Arc<str>, bytes: Option<Bytes> },
    /// The line carried another file while one was received.
    SharesLine { file: Arc<str>, with: Arc<str> },
    /// The line carried so many others that took little of it each.
    SharesLineWithOthers { file: Arc<str>, files: u32 },
    /// The server paused in the middle of a body.
    ServerPauses { file: Arc<str> },
    /// The server was waited for.
    Answer { file: Arc<str>, host: Option<String>, document: bool },
    /// Between connection and request.
    AboutToBeSent { file: Arc<str> },
    /// A connection was opened.
    Connects { host: Option<String>, tls: bool },
    /// Before it was sent.
    Queued { file: Arc<str>, document: bool, behind: Behind },
    /// A file that is not urgent was held back while rendering was blocked.
    HeldLow { file: Arc<str>, gate: Arc<str> },
    /// A file that is not urgent was held back until another had come.
    HeldForRoom { file: Arc<str>, gate: Arc<str> },
    /// The parser went through the document.
    Read,
    /// The parser went on to the document's end.
    ParsedOn,
    /// The document came.
    Arrives { bytes: Option<Bytes> },
    /// An address that only pointed elsewhere.
    Redirected { from: Arc<str> },
    /// A run of script asked for a file.
    AskedByRun { file: Arc<str>, script: Code },
    /// A script imports a file.
    Imported { file: Arc<str>, by: Arc<str> },
    /// A script asked for a file in a run that was not recorded.
    AskedLater { file: Arc<str>, by: Arc<str> },
    /// A file was asked for once the document had come.
    AskedFor { file: Arc<str>, why: AskedFor },
    /// A sheet names a file; `gate` blocked rendering meanwhile.
    FoundThrough { file: Arc<str>, sheet: Arc<str>, gate: Option<Arc<str>> },
    /// The parser came to what names a file.
    ParserReaches { file: Arc<str> },
    /// A timer ran.
    TimerRuns { script: Code, timeout: Millis },
    /// A callback that was asked for ran: for a frame, an idle moment, a message.
    CalledBack { script: Code },
    /// A callback came again and again until what it looked for was there.
    Looks { script: Code, brought_by: Code },
    /// A stream of events, or a web socket, had more to say.
    StreamSays { file: Arc<str> },
    /// A run set the timer.
    SetsTimer { script: Code },
    /// Data had come for a script.
    TakesAnswer { script: Code },
    /// The document was parsed, and its event was handled by others first.
    EventDelivered,
    /// A script waited until the document was parsed.
    ParsedToEnd { script: Code },
    /// A script waited for an event; `ran` tells whether it had run before.
    ScriptWaits { script: Code, event: Option<Arc<str>>, ran: bool },
    /// A script's first run.
    FirstRun { script: Code },
    /// A script waited for sheets and scripts before it.
    HeldInOrder { script: Code },
    /// A sheet that blocks was parsed.
    SheetParsed { file: Arc<str> },
    /// A script that blocks ran.
    BlockerRuns { file: Arc<str> },
}
