//! Plans over loads that are small enough to know what is best.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::forecast::Model;
use phainon_core::metrics::Metric;
use phainon_core::plan::{Aims, Answer, Candidate, Outlook, PlanPage, Question, Search, Way, WhyLeft, line};
use phainon_core::{Edit, NoBodies, Prepared, RenderBlocking, ResourceKey, ResourceKind, Settings, Target};
use site::{Site, at};
use std::sync::Arc;

fn page(site: &Site, share: f64) -> PlanPage {
    let model = Model::of(&Arc::new(Prepared::plain(site.0.clone())));
    PlanPage { share, recorded: model.figures(), outlook: Arc::new(Outlook::of(model)) }
}

/// Scripts that stop the parser, one behind the other, ending 100 ms apart from 500 ms on; then text.
fn scripts(count: u32) -> Site {
    let mut site = Site::new();
    let end = |i: u32| 500.0 + 100.0 * f64::from(i);
    for i in 0..count {
        let request = site.asks(&format!("s{i}.js"), ResourceKind::Script, [150.0, 150.0, 300.0, end(i)]);
        request.render_blocking = RenderBlocking::Blocking;
        request.initiator.line = Some(i + 3);
        request.initiator.column = Some(1);
    }
    for i in 0..count {
        site.runs(phainon_core::WorkName::Evaluate, [end(i) + 2.0, end(i) + 4.0], &format!("s{i}.js"));
    }
    let last = end(count - 1);
    site.0.dom_interactive = Some(phainon_core::Millis(last + 10.0));
    site.draws([last + 20.0, last + 30.0]);
    site.paints(last + 50.0, None);
    site.0.fcp = Some(phainon_core::Millis(last + 50.0));
    site
}

fn take_off(i: u32) -> Candidate {
    Candidate { edit: Edit::Remove { file: ResourceKey::of(&at(&format!("s{i}.js"))) }, effort: 1.0 }
}

/// Text is to be there 1,500 ms after the start.
fn aims() -> Aims {
    let mut settings = Settings::default();
    settings.targets.insert(Metric::Lcp, Target { target: 1500.0, limit: 3000.0 });
    Aims::of(&[Metric::Lcp], &settings)
}

fn answer(pages: &[PlanPage], candidates: &[Candidate], question: Question) -> Answer {
    let aims = aims();
    Search { pages, candidates, aims: &aims, bodies: &NoBodies, watch: &|_| true }.answer(question)
}

fn sorted(answer: &Answer) -> Vec<usize> {
    let mut order = answer.order.clone();
    order.sort_unstable();
    order
}

#[test]
fn what_helps_only_together_is_found_together_whichever_way_is_taken() {
    // 50 ms after the last script there is text: scripts that end after 1,450 ms must go, and no others.
    for (count, way) in [(12, Way::EverySet), (20, Way::Bounded), (34, Way::Greedy)] {
        let pages = [page(&scripts(count), 1.0)];
        let mut candidates: Vec<Candidate> = (0..count).map(take_off).collect();
        candidates
            .push(Candidate { edit: Edit::Minify { scope: phainon_core::Scope::file(&at("s1.js")) }, effort: 1.0 });
        let least = answer(&pages, &candidates, Question::LeastEffort);
        assert_eq!((least.way, least.stopped, least.reached), (way, false, true), "{count}");
        assert_eq!(sorted(&least), (10..count as usize).collect::<Vec<_>>(), "{count}");
        assert!(matches!(least.left_out.last(), Some((place, WhyLeft::NotKnown { .. })) if *place == count as usize));
        assert_eq!(least.left_out.len(), candidates.len() - least.order.len());
        // Each takes up where the one before it left off.
        assert_eq!(least.order[0], count as usize - 1, "only the last is worth anything at first");
        let best = answer(&pages, &candidates, Question::Best { effort: 2.0 });
        assert_eq!((best.order.clone(), best.reached), (vec![count as usize - 1, count as usize - 2], count == 12));
    }
}

#[test]
fn asked_from_many_threads_at_once_each_edit_keeps_its_own_number() {
    let edits: Vec<Edit> = (0..13).map(|i| take_off(i).edit).collect();
    for _ in 0..20 {
        let page = page(&scripts(13), 1.0);
        let alone: Vec<f64> = std::thread::scope(|scope| {
            let asked: Vec<_> = (0..8)
                .map(|turn| {
                    let (page, edits) = (&page, &edits);
                    scope.spawn(move || {
                        let all: Vec<&Edit> = edits.iter().skip(turn % 2).collect();
                        page.with(&all, &NoBodies).lcp_ms.unwrap().0
                    })
                })
                .collect();
            asked.into_iter().map(|thread| thread.join().unwrap()).collect()
        });
        assert!(alone.iter().enumerate().all(|(turn, lcp)| *lcp == alone[turn % 2]), "{alone:?}");
    }
}

#[test]
fn of_two_ways_the_cheaper_is_taken_and_effort_is_kept_to() {
    let pages = [page(&scripts(13), 1.0)];
    let mut candidates = [take_off(12), take_off(11), take_off(10), take_off(9)];
    candidates[0].effort = 8.0;
    let least = answer(&pages, &candidates, Question::LeastEffort);
    assert_eq!((sorted(&least), least.effort), (vec![0, 1, 2], 10.0), "without the dear one nothing comes of it");
    let best = answer(&pages, &candidates, Question::Best { effort: 3.0 });
    assert_eq!((best.order.len(), best.reached), (0, false), "the others bring nothing without it");
    assert!(best.left_out.contains(&(0, WhyLeft::TooMuch)), "{:?}", best.left_out);
}

#[test]
fn what_cannot_be_reached_is_come_as_near_to_as_can_be() {
    let pages = [page(&scripts(20), 1.0)];
    let least = answer(&pages, &[take_off(19), take_off(18), take_off(2)], Question::LeastEffort);
    assert_eq!((least.order, least.reached), (vec![0, 1], false));
    assert!(least.left_out.contains(&(2, WhyLeft::MovesNothing)));
    let none = answer(&pages, &[], Question::LeastEffort);
    assert!(none.order.is_empty() && !none.reached);
    let there = answer(&[page(&scripts(3), 1.0)], &[take_off(2)], Question::LeastEffort);
    assert_eq!((there.order.len(), there.reached), (0, true), "where all is well nothing has to be done");
}

#[test]
fn a_search_that_is_ended_says_so() {
    let (pages, aims) = ([page(&scripts(14), 1.0)], aims());
    let candidates: Vec<Candidate> = (0..14).map(take_off).collect();
    let search =
        Search { pages: &pages, candidates: &candidates, aims: &aims, bodies: &NoBodies, watch: &|sets| sets < 40 };
    let ended = search.answer(Question::LeastEffort);
    assert!(ended.stopped && ended.sets < 400, "{} sets", ended.sets);
}

#[test]
fn a_plan_line_says_what_each_fix_brings_after_those_above_it() {
    // The second page counts three times as much, and does not have the script.
    let pages = [page(&scripts(13), 1.0), page(&scripts(3), 3.0)];
    let edits = [take_off(11).edit, take_off(12).edit];
    let steps = line(&pages, &[&edits[0], &edits[1]], 0..=2, &NoBodies);
    let lcp = |step: usize| steps[step].brings.iter().find(|b| b.metric == Metric::Lcp).copied().unwrap();
    assert_eq!(steps.len(), 3);
    assert_eq!(lcp(0).after, (1750.0 + 3.0 * 750.0) / 4.0);
    assert_eq!(
        (lcp(1).after - lcp(1).before, lcp(1).low, lcp(1).high),
        (0.0, 0.0, 0.0),
        "the last script holds all up"
    );
    assert!((lcp(2).after - lcp(2).before + 200.0 / 4.0).abs() < 1.0, "{:?}", lcp(2));
    assert!(lcp(2).low < -50.0 && lcp(2).high > -50.0, "{:?}", lcp(2));
    assert_eq!((steps[0].on.len(), steps[1].on.clone(), steps[2].pages[1]), (0, vec![0], steps[0].pages[1]));
    // A part of the line says the same as the whole; beyond its end there is nothing.
    let part = |from: usize, to: usize| line(&pages, &[&edits[0], &edits[1]], from..=to, &NoBodies);
    assert_eq!((part(2, 2), part(0, 1), part(2, 9)), (steps[2..].to_vec(), steps[..2].to_vec(), steps[2..].to_vec()));
    assert_eq!(part(3, 9), []);
    // In another order the first brings it.
    let turned = line(&pages, &[&edits[1], &edits[0]], 0..=2, &NoBodies);
    assert_eq!(turned[2].pages, steps[2].pages, "both together are the same");
}
