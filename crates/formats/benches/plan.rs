//! What a plan takes on the demo's recordings: twenty candidates searched exactly on one page and on six, and
//! the line of thirty fixes after one of them was moved.

#![allow(missing_docs)]

use criterion::{Criterion, criterion_group, criterion_main};
use phainon_core::forecast::Model;
use phainon_core::plan::{Aims, Candidate, Outlook, PlanPage, Question, Search, line, points};
use phainon_core::{Edit, Prepared, Settings, analyse};
use phainon_formats::{BodyMap, open};
use std::hint::black_box;
use std::path::Path;
use std::sync::Arc;

/// A page of the demo: what it was prepared to, and the edits that its findings call for.
struct Page {
    prepared: Arc<Prepared>,
    edits: Vec<Edit>,
}

fn pages() -> (Vec<Page>, BodyMap) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let names = [
        "home-phone-on-the-move",
        "timetable-phone-on-the-move",
        "crossing-phone-on-the-move",
        "booking-phone-on-the-move",
        "home-home-laptop",
        "timetable-home-laptop",
    ];
    let (mut pages, mut bodies) = (Vec::new(), BodyMap::default());
    for name in names {
        let file = folder.join(name).with_extension("phainon.zip");
        let opened = open(&std::fs::read(file).expect("readable"), name).expect("an archive");
        let load = opened.loads[0].assemble().expect("a load");
        bodies.extend(opened.bodies);
        let prepared = Arc::new(Prepared::plain(load));
        let body = |hash: &str| bodies.get(hash).cloned();
        let edits = analyse(&prepared, &body).findings.into_iter().map(|f| f.edit).collect();
        pages.push(Page { prepared, edits });
    }
    (pages, bodies)
}

/// Fresh, so that nothing is remembered of an earlier search.
fn outlooks(pages: &[Page]) -> Vec<PlanPage> {
    let page = |page: &Page| {
        let outlook = Arc::new(Outlook::of(Model::of(&page.prepared)));
        PlanPage { share: 1.0, recorded: outlook.model().figures(), outlook }
    };
    pages.iter().map(page).collect()
}

/// Edits that change something, each once; pages take turns.
fn candidates(pages: &[Page], bodies: &BodyMap, most: usize) -> Vec<Candidate> {
    let body = |hash: &str| bodies.get(hash).cloned();
    let outlooks = outlooks(pages);
    let mut found: Vec<Candidate> = Vec::new();
    let longest = pages.iter().map(|p| p.edits.len()).max().unwrap_or(0);
    for edit in (0..longest).flat_map(|n| pages.iter().filter_map(move |p| p.edits.get(n))) {
        let known = outlooks.iter().any(|page| page.outlook.knows(edit, &body));
        if known && found.len() < most && found.iter().all(|c| c.edit.key() != edit.key()) {
            found.push(Candidate { edit: edit.clone(), effort: points(edit.kind().usual().0) });
        }
    }
    found
}

fn benches(c: &mut Criterion) {
    let (pages, bodies) = pages();
    let body = |hash: &str| bodies.get(hash).cloned();
    let aims = Aims::of(&Aims::USUAL, &Settings::default());
    let mut group = c.benchmark_group("plan");
    group.sample_size(10);
    for count in [1, pages.len()] {
        let chosen = &pages[..count];
        let candidates = candidates(chosen, &bodies, 20);
        let name = format!("least effort, {} candidates, {count} pages", candidates.len());
        group.bench_function(&name, |b| {
            b.iter_with_setup(
                || outlooks(chosen),
                |pages| {
                    let search =
                        Search { pages: &pages, candidates: &candidates, aims: &aims, bodies: &body, watch: &|_| true };
                    black_box(search.answer(Question::LeastEffort))
                },
            );
        });
    }
    let fixes = candidates(&pages, &bodies, 30);
    let before: Vec<&Edit> = fixes.iter().map(|c| &c.edit).collect();
    let all = 0..=before.len();
    // A screen shows eight rows: those between which the fix came to stand, first.
    let moves =
        [("four places", 4, all.clone()), ("eighteen places", 18, all.clone()), ("eighteen, in view", 18, 1..=8)];
    for (name, places, steps) in moves {
        let mut order = before.clone();
        let moved = order.remove(places);
        order.insert(0, moved);
        group.bench_function(format!("a fix moved up by {name}, {} fixes, {} pages", order.len(), pages.len()), |b| {
            b.iter_with_setup(
                || {
                    let pages = outlooks(&pages);
                    black_box(line(&pages, &before, all.clone(), &body));
                    pages
                },
                |pages| black_box(line(&pages, &order, steps.clone(), &body)),
            );
        });
    }
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);
