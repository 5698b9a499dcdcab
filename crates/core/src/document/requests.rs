//! Which requests the document's elements started, and where the parser stopped for them.

use super::Mark;
use crate::{InitiatorKind, Load, Millis, RenderBlocking, Request, ResourceKind, WorkName};

/// Whether two addresses are of the same resource: fragments do not count.
pub fn same_address(a: &str, b: &str) -> bool {
    a.split('#').next() == b.split('#').next()
}

/// Whether the document may have asked for a request: a script or a sheet did not.
pub fn from_document(request: &Request, document: &Request) -> bool {
    request.id != document.id
        && match request.initiator.kind {
            InitiatorKind::Parser | InitiatorKind::Preload | InitiatorKind::Unknown => true,
            InitiatorKind::Script | InitiatorKind::Style | InitiatorKind::Redirect | InitiatorKind::Navigation => false,
        }
}

/// The parser stops at a script from when it has read up to it until the script has run, and at a sheet in the body until
/// that is in force.
pub fn stop_for(load: &Load, file: &Request) -> Option<Mark> {
    let name = match (file.kind, file.render_blocking) {
        (ResourceKind::Style, RenderBlocking::InBodyParserBlocking) => WorkName::ParseSheet,
        (ResourceKind::Style, _) => return None,
        _ => WorkName::Evaluate,
    };
    let run = load.work.iter().find(|w| w.name == name && w.url.as_ref() == Some(&file.url))?;
    // What the parser had read before that run; a run inside a piece of parsing stopped that piece.
    let parsing = load.work.iter().filter(|w| w.name == WorkName::ParseHtml && w.start <= run.start);
    let from = parsing
        .map(|w| if w.end() >= run.end() { run.start } else { w.end() })
        .fold(None, |last: Option<Millis>, at| Some(last.map_or(at, |l| l.max(at))))?;
    let from = from.min(run.start);
    // A sheet that was there is no stop.
    let stops = file.kind != ResourceKind::Style || run.end() - from >= Millis(1.0);
    stops.then_some(Mark::Stop { request: Some(file.id), from_ms: from, for_ms: run.end() - from })
}

/// The run of an inline script that begins on a line of the document, if it took a millisecond.
pub fn inline_run(load: &Load, document: &Request, line: usize) -> Option<Mark> {
    let run = load.work.iter().find(|w| {
        w.name == WorkName::Evaluate
            && w.url.as_ref() == Some(&document.url)
            && w.line.is_some_and(|l| l as usize == line)
            && w.duration >= Millis(1.0)
    })?;
    Some(Mark::Stop { request: None, from_ms: run.start, for_ms: run.duration })
}
