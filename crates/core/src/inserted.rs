//! Pictures that a script put into the document.
//!
//! A browser fetches a picture in a step of its own after the script that inserted its element has
//! ended, with an empty stack, and so reports the document's parser as its initiator. The main
//! thread tells better: the request left a task in which scripts ran and nothing was being parsed.

use crate::work::parents;
use crate::{InitiatorKind, Load, Millis, ResourceKind, WorkName};
use std::sync::Arc;

/// A moment is taken to lie in a piece of work up to this far outside it; the network's clock and
/// the trace's differ by less.
const SLACK: Millis = Millis(0.3);

/// Sets the initiator of each picture that a script inserted.
pub fn name_inserters(load: &mut Load) {
    let parents = parents(&load.work);
    let found: Vec<(usize, Arc<str>)> = load
        .requests
        .iter()
        .enumerate()
        .filter(|(_, r)| {
            matches!(r.kind, ResourceKind::Image | ResourceKind::Media) && r.initiator.kind == InitiatorKind::Parser
        })
        .filter_map(|(place, request)| Some((place, inserter(load, &parents, request.start)?)))
        .collect();
    for (place, script) in found {
        let initiator = &mut load.requests[place].initiator;
        initiator.kind = InitiatorKind::Script;
        initiator.url = Some(script.clone());
        initiator.line = None;
        initiator.stack = vec![script];
    }
}

/// The script that was at work in the task around a moment, unless the parser was.
fn inserter(load: &Load, parents: &[Option<usize>], at: Millis) -> Option<Arc<str>> {
    let covers = |index: usize| {
        let w = &load.work[index];
        w.start <= at + SLACK && w.end() + SLACK >= at
    };
    let task =
        (0..load.work.len()).rev().find(|&i| load.work[i].depth == 0 && load.work[i].start <= at && covers(i))?;
    let after = load.work[task + 1..].iter().position(|w| w.depth == 0).map_or(load.work.len(), |n| task + 1 + n);
    let innermost =
        (task..after).filter(|&i| covers(i) && load.work[i].start <= at).max_by_key(|&i| load.work[i].depth)?;
    // From the innermost piece outwards: whichever of script and parser comes first was at work.
    let mut around = Some(innermost);
    while let Some(index) = around {
        let piece = &load.work[index];
        match piece.name {
            WorkName::ParseHtml => return None,
            WorkName::Evaluate | WorkName::Call => {
                if let Some(url) = piece.url.clone().filter(|u| !u.is_empty()) {
                    return Some(url);
                }
            }
            _ => {}
        }
        around = parents[index];
    }
    // Between script and the task's end: the last script that ran in it, with no parsing since.
    let last = (task..after).filter(|&i| load.work[i].start <= at).rfind(|&i| {
        matches!(load.work[i].name, WorkName::ParseHtml)
            || (matches!(load.work[i].name, WorkName::Evaluate | WorkName::Call)
                && load.work[i].url.as_ref().is_some_and(|u| !u.is_empty()))
    })?;
    match load.work[last].name {
        WorkName::ParseHtml => None,
        _ => load.work[last].url.clone(),
    }
}
