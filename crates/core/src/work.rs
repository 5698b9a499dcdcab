//! Main-thread work: nested pieces of it, as the trace gives them.

use crate::Millis;
use crate::profile::CodePlace;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// What material a piece of main-thread work is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum WorkKind {
    ScriptRun,
    ScriptCompile,
    HtmlParse,
    Style,
    Layout,
    Paint,
    GarbageCollection,
    Input,
    Other,
}

impl WorkKind {
    /// All kinds, in the order in which they are shown.
    pub const ALL: [Self; 9] = [
        Self::ScriptRun,
        Self::ScriptCompile,
        Self::HtmlParse,
        Self::Style,
        Self::Layout,
        Self::Paint,
        Self::GarbageCollection,
        Self::Input,
        Self::Other,
    ];
}

/// Which event of the trace a piece of work was.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum WorkName {
    Task,
    Evaluate,
    Compile,
    Call,
    Timer,
    Event,
    Microtasks,
    AnimationFrame,
    ParseHtml,
    /// What is read of an inner frame's document, or of a picture in vectors: the page's parser has no part in it.
    ParseFrame,
    ParseSheet,
    Style,
    Layout,
    /// What comes before the painting of a frame; scripts that ask for what is in view have it done without one.
    PrePaint,
    Paint,
    Collect,
    Other,
}

/// One piece of main-thread work. Pieces nest: `depth` 0 is a task, its parts follow it in order
/// of start. [`crate::Load::work`] holds them in that order, and a part never ends after its whole.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Work {
    pub kind: WorkKind,
    pub name: WorkName,
    pub start: Millis,
    pub duration: Millis,
    pub depth: u16,
    /// The script or stylesheet at work, where the trace names it.
    pub url: Option<Arc<str>>,
    pub function: Option<Arc<str>>,
    /// The event's type, for [`WorkName::Event`].
    pub event: Option<Arc<str>>,
    /// The timer that fired, for [`WorkName::Timer`].
    pub timer: Option<i64>,
    /// Line of the function or script at work, from 1.
    #[serde(default)]
    pub line: Option<u32>,
}

impl Work {
    /// A piece of work of which nothing but its kind is known yet.
    #[must_use]
    pub fn new(kind: WorkKind, name: WorkName) -> Self {
        Self {
            kind,
            name,
            start: Millis::ZERO,
            duration: Millis::ZERO,
            depth: 0,
            url: None,
            function: None,
            event: None,
            timer: None,
            line: None,
        }
    }

    /// When it ended.
    #[must_use]
    pub fn end(&self) -> Millis {
        self.start + self.duration
    }

    /// The script whose code this is a run of: a first run, a call, a promise's callback.
    #[must_use]
    pub fn script(&self) -> Option<&Arc<str>> {
        let runs = matches!(self.name, WorkName::Evaluate | WorkName::Call | WorkName::Microtasks);
        self.url.as_ref().filter(|url| runs && !url.is_empty())
    }

    /// Whether it is a step of a frame's own (HTML, section 8.1.7.3, update the rendering): who listens is told, and the
    /// frame waits for nobody who would.
    #[must_use]
    pub fn is_step_of_frame(&self) -> bool {
        self.name == WorkName::Event && matches!(self.event.as_deref(), Some("resize" | "scroll" | "scrollend"))
    }
}

/// A timer being set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct TimerInstall {
    pub timer: i64,
    pub at: Millis,
    pub timeout: Millis,
    /// The line that set it.
    #[serde(default)]
    pub by: Option<CodePlace>,
}

/// A piece of script that was asked to be called later: for a frame, an idle moment, a message, an event.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Scheduled {
    /// When it was asked for.
    pub at: Millis,
    /// When it began.
    pub ran: Millis,
    /// The script or document that posted the message, for one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<Arc<str>>,
}

/// A CSS animation or transition that ran.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Animation {
    /// From when it was begun, its delay included.
    pub from: Millis,
    /// Until it was over, or the end of the load.
    pub to: Millis,
    /// Its name in the sheet, or the property of a transition.
    pub name: String,
    /// The element, by the browser's number.
    #[serde(default)]
    pub node: Option<i64>,
}

/// Style or layout that a script made the browser do at once, by asking for a box or a style while
/// changes were pending.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Forced {
    pub at: Millis,
    pub duration: Millis,
    /// [`WorkKind::Style`] or [`WorkKind::Layout`].
    pub kind: WorkKind,
    /// The line that asked.
    pub by: CodePlace,
}

/// A script's change of the page after which style or layout had to be computed anew.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PageChange {
    /// When.
    pub at: Millis,
    /// The outermost function of a script on the stack, or its innermost where only that is known.
    pub by: CodePlace,
}

/// A mark or measure that the page made (W3C User Timing).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct UserTiming {
    pub name: String,
    pub at_ms: Millis,
    /// For measures.
    pub duration_ms: Option<Millis>,
}

/// Each piece's own time: its duration less that of its direct parts.
///
/// Because every piece nests, the sum of all self times equals the sum of the durations at depth 0.
#[must_use]
pub fn self_times(work: &[Work]) -> Vec<Millis> {
    let mut own: Vec<Millis> = work.iter().map(|w| w.duration).collect();
    for (index, parent) in parents(work).into_iter().enumerate() {
        if let Some(parent) = parent {
            own[parent] = own[parent] - work[index].duration;
        }
    }
    own
}

/// Each piece's direct whole, by index.
pub(crate) fn parents(work: &[Work]) -> Vec<Option<usize>> {
    let mut open: Vec<usize> = Vec::new();
    work.iter()
        .enumerate()
        .map(|(index, piece)| {
            open.truncate(piece.depth as usize);
            let parent = open.last().copied();
            open.push(index);
            parent
        })
        .collect()
}
