//! Whose script ran, where the browser's trace does not say.
//!
//! Promise callbacks and modules run in pieces of work without an address. Two witnesses tell whose
//! they are: the stack noted when such a piece changed the page, and the profiler's samples in it. Of a module
//! that did too little for either, its compilation tells, where one module alone had been compiled and had not run.

use crate::profile::Profile;
use crate::{InitiatorKind, Load, ResourceKind, Work, WorkName};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// So many witnesses of each sort are heard in one run; a hostile file may nest long ones a thousand deep.
const MOST_HEARD: usize = 500;

/// Gives each nameless run of promises or of a module the script that most of its witnesses name.
pub fn name_runs(load: &mut Load) {
    let changes = &load.changes;
    let profile = load.profile.as_ref();
    let callers = profile.map(outermost).unwrap_or_default();
    let mut seen: HashMap<&Arc<str>, usize> = HashMap::new();
    for piece in &mut load.work {
        if !matches!(piece.name, WorkName::Microtasks | WorkName::Evaluate) || piece.url.is_some() {
            continue;
        }
        let (start, end) = (piece.start, piece.end());
        seen.clear();
        let from = changes.partition_point(|c| c.at < start);
        for change in changes[from..].iter().take(MOST_HEARD).take_while(|c| c.at <= end) {
            if let Some(url) = &change.by.url {
                *seen.entry(url).or_default() += 1;
            }
        }
        if let Some(profile) = profile {
            let from = profile.at.partition_point(|at| *at < start);
            let after = profile.at[from..].iter().zip(&profile.node[from..]).take(MOST_HEARD);
            let inside = after.take_while(|(at, _)| **at <= end);
            for url in inside.filter_map(|(_, node)| callers.get(*node as usize)?.as_ref()) {
                *seen.entry(url).or_default() += 1;
            }
        }
        piece.url = seen.iter().max_by(|a, b| a.1.cmp(b.1).then_with(|| b.0.cmp(a.0))).map(|(url, _)| (*url).clone());
    }
    name_modules(load);
}

/// Names the runs of modules that are still without a name: by the only script to have been compiled before and never
/// run; of several, by the only one whose tag the parser read.
fn name_modules(load: &mut Load) {
    let is_run = |w: &Work| w.name == WorkName::Evaluate;
    if !load.work.iter().any(|w| is_run(w) && w.url.is_none()) {
        return;
    }
    let ran: HashSet<Arc<str>> = load.work.iter().filter(|w| is_run(w)).filter_map(|w| w.url.clone()).collect();
    let scripts = load.requests.iter().filter(|r| r.kind == ResourceKind::Script && !ran.contains(&r.url));
    let by_parser: HashMap<Arc<str>, bool> =
        scripts.map(|r| (r.url.clone(), r.initiator.kind == InitiatorKind::Parser)).collect();
    let mut compiled: Vec<Arc<str>> = Vec::new();
    for piece in &mut load.work {
        if let (WorkName::Compile, Some(url)) = (piece.name, &piece.url)
            && by_parser.contains_key(url)
            && !compiled.contains(url)
        {
            compiled.push(url.clone());
        }
        if is_run(piece) && piece.url.is_none() {
            let only = |parser: bool| {
                let mut found = compiled.iter().filter(|url| !parser || by_parser[*url]);
                found.next().filter(|_| found.next().is_none()).cloned()
            };
            piece.url = only(false).or_else(|| only(true));
            compiled.retain(|url| Some(url) != piece.url.as_ref());
        }
    }
}

/// The address of the outermost script on each call path. A caller's path comes before its callees'.
fn outermost(profile: &Profile) -> Vec<Option<Arc<str>>> {
    let mut found: Vec<Option<Arc<str>>> = Vec::with_capacity(profile.nodes.len());
    for node in &profile.nodes {
        let above = node.parent.and_then(|p| found.get(p as usize)?.clone());
        let own = || profile.places.get(node.place as usize)?.url.clone().filter(|u| !u.is_empty());
        found.push(above.or_else(own));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::{CodePlace, ProfileNode};
    use crate::{Millis, PageChange, WorkKind};

    const APP: &str = "http://www.skerryline.test/app.js";
    const LIBRARY: &str = "http://www.skerryline.test/vendor/library.js";

    fn place(url: Option<&str>) -> CodePlace {
        CodePlace { function: "f".into(), url: url.map(Into::into), line: None }
    }

    fn piece(name: WorkName, start: f64, end: f64, depth: u16) -> Work {
        Work { start: Millis(start), duration: Millis(end - start), depth, ..Work::new(WorkKind::ScriptRun, name) }
    }

    #[test]
    fn promises_belong_to_the_outermost_script_in_their_samples() {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.work = vec![
            piece(WorkName::Task, 0.0, 100.0, 0),
            piece(WorkName::Microtasks, 10.0, 40.0, 1),
            piece(WorkName::Evaluate, 50.0, 60.0, 1),
            piece(WorkName::Microtasks, 70.0, 80.0, 1),
            piece(WorkName::Timer, 85.0, 90.0, 1),
        ];
        // (root) → app → library: three samples in the first run, none in the others.
        load.profile = Some(Profile {
            places: vec![place(None), place(Some(APP)), place(Some(LIBRARY))],
            nodes: vec![
                ProfileNode { place: 0, parent: None },
                ProfileNode { place: 1, parent: Some(0) },
                ProfileNode { place: 2, parent: Some(1) },
            ],
            at: vec![Millis(12.0), Millis(13.0), Millis(14.0), Millis(45.0), Millis(87.0)],
            node: vec![2, 2, 1, 2, 2],
        });
        // The module changed the page; nothing is known of the last run.
        load.changes = vec![PageChange { at: Millis(55.0), by: place(Some(LIBRARY)) }];
        name_runs(&mut load);
        let named: Vec<Option<&str>> = load.work.iter().map(|w| w.url.as_deref()).collect();
        assert_eq!(named, [None, Some(APP), Some(LIBRARY), None, None], "a timer's script stands in its call");
    }
}
