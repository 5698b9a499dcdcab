//! Pictures that a script put into the document.
//!
//! A browser fetches a picture in a step of its own after the script that inserted its element has
//! ended, with an empty stack, and so reports the document's parser as its initiator, or nothing.
//! The main thread tells better: the request left a task in which scripts ran and nothing was being
//! parsed.

use crate::work::parents;
use crate::{InitiatorKind, Load, Millis, ResourceKind, Work, WorkName};
use std::collections::HashSet;
use std::sync::Arc;

/// A moment is taken to lie in a piece of work up to this far outside it; the network's clock and
/// the trace's differ by less.
const SLACK: Millis = Millis(0.3);

/// Sets the initiator of each picture that a script inserted.
pub fn name_inserters(load: &mut Load) {
    let parents = parents(&load.work);
    // A lazy picture is asked for by layout, whatever ran before it in the frame's task.
    let lazy: HashSet<&str> =
        load.page.iter().flat_map(|p| &p.images).filter(|i| i.lazy).map(|i| i.url.as_str()).collect();
    let found: Vec<(usize, Arc<str>)> = load
        .requests
        .iter()
        .enumerate()
        .filter(|(_, r)| {
            matches!(r.kind, ResourceKind::Image | ResourceKind::Media)
                && matches!(r.initiator.kind, InitiatorKind::Parser | InitiatorKind::Unknown)
                && !lazy.contains(&*r.url)
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
        if parses(piece) {
            return None;
        }
        if let Some(url) = piece.script() {
            return Some(url.clone());
        }
        around = parents[index];
    }
    // Between script and the task's end: the last script that ran in it, with no parsing since.
    let last = (task..after)
        .filter(|&i| load.work[i].start <= at)
        .rfind(|&i| parses(&load.work[i]) || load.work[i].script().is_some())?;
    load.work[last].script().cloned()
}

/// Whether a parser is at work: the page's, or an inner frame's.
fn parses(piece: &Work) -> bool {
    matches!(piece.name, WorkName::ParseHtml | WorkName::ParseFrame)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Initiator, Request, Work, WorkKind};

    const SLIDER: &str = "http://www.skerryline.test/plugins/deck-slider/slider.js";

    /// A load with one picture, asked for at `at`, and one task of these pieces.
    fn inserted(at: f64, pieces: &[(WorkName, f64, f64, u16, Option<&str>)]) -> InitiatorKind {
        let mut load = Load::empty("http://www.skerryline.test/");
        let mut hero = Request::new(0, "http://www.skerryline.test/hero.jpg", ResourceKind::Image);
        hero.start = Millis(at);
        hero.initiator = Initiator { kind: InitiatorKind::Parser, ..Initiator::default() };
        load.requests.push(hero);
        load.work = pieces
            .iter()
            .map(|&(name, start, duration, depth, url)| Work {
                start: Millis(start),
                duration: Millis(duration),
                depth,
                url: url.map(Into::into),
                ..Work::new(WorkKind::Other, name)
            })
            .collect();
        name_inserters(&mut load);
        load.requests[0].initiator.kind
    }

    #[test]
    fn a_picture_asked_for_after_a_script_of_the_same_task_is_the_scripts() {
        let task = [
            (WorkName::Task, 100.0, 60.0, 0, None),
            (WorkName::Timer, 101.0, 50.0, 1, None),
            (WorkName::Call, 102.0, 40.0, 2, Some(SLIDER)),
            (WorkName::Microtasks, 143.0, 2.0, 2, None),
        ];
        assert_eq!(inserted(144.0, &task), InitiatorKind::Script);
        assert_eq!(inserted(120.0, &task), InitiatorKind::Script);
        assert_eq!(inserted(101.5, &task), InitiatorKind::Parser, "before the script ran");
        assert_eq!(inserted(400.0, &task), InitiatorKind::Parser, "in no task at all");
    }

    #[test]
    fn what_the_parser_reads_stays_the_parsers() {
        let scanner = [(WorkName::Task, 100.0, 60.0, 0, None), (WorkName::ParseHtml, 101.0, 50.0, 1, None)];
        assert_eq!(inserted(120.0, &scanner), InitiatorKind::Parser);
        // A blocking script runs, then the parser goes on within the same task.
        let resumed = [
            (WorkName::Task, 100.0, 60.0, 0, None),
            (WorkName::Evaluate, 101.0, 20.0, 1, Some(SLIDER)),
            (WorkName::ParseHtml, 125.0, 30.0, 1, None),
        ];
        assert_eq!(inserted(130.0, &resumed), InitiatorKind::Parser);
        // An inline script inside the parser's work inserts it.
        let inline = [
            (WorkName::Task, 100.0, 60.0, 0, None),
            (WorkName::ParseHtml, 101.0, 50.0, 1, None),
            (WorkName::Evaluate, 110.0, 20.0, 2, Some(SLIDER)),
        ];
        assert_eq!(inserted(120.0, &inline), InitiatorKind::Script);
    }
}
