//! What different views say of the same load adds up to the same, for loads at random.

#![allow(clippy::unwrap_used)]

use phainon_core::metrics::{Placement, by_domain, by_kind, site_weight};
use phainon_core::profile::{CodePlace, Profile, ProfileNode, functions, stacks};
use phainon_core::{
    Bytes, CacheSource, Conditions, Header, Load, Millis, NoBodies, Outcome, Owners, PageFacts, PageImage, Prepared,
    Rect, Request, ResourceKind, ScreenFrame, Work, WorkKind, WorkName, analyse, lanes, preset, return_visit, tracks,
};
use proptest::prelude::*;

const HOSTS: [&str; 4] = ["www.skerryline.test", "static.skerryline.test", "chat.parleydock.test", "a.example.co.uk"];
const KINDS: [ResourceKind; 5] =
    [ResourceKind::Script, ResourceKind::Style, ResourceKind::Image, ResourceKind::Font, ResourceKind::Data];
const CACHES: [Option<CacheSource>; 4] =
    [None, Some(CacheSource::Disk), Some(CacheSource::Memory), Some(CacheSource::Revalidated)];
const CONTROLS: [&str; 5] = ["", "no-store", "no-cache", "max-age=600", "public, max-age=31536000, immutable"];

fn phone() -> Conditions {
    preset("phone-on-the-move").unwrap()
}

prop_compose! {
    fn request()(
        host in 0..HOSTS.len(), kind in 0..KINDS.len(), name in 0u32..12, plugin in 0u32..5,
        start in 0.0f64..5_000.0, wait in 0.0f64..600.0, receive in 0.0f64..900.0,
        size in prop::option::of(0u64..400_000), cache in 0..CACHES.len(), control in 0..CONTROLS.len(),
    ) -> Request {
        let url = format!("http://{}/plugins/plugin-{plugin}/file-{name}", HOSTS[host]);
        let mut request = Request::new(0, &url, KINDS[kind]);
        request.start = Millis(start);
        request.sent = Some(Millis(start));
        request.first_byte = Some(Millis(start + wait));
        request.end = Some(Millis(start + wait + receive));
        request.transferred = size.map(Bytes);
        request.unpacked = size.map(|s| Bytes(s * 3));
        request.cache = CACHES[cache];
        if control > 0 {
            request.response_headers.push(Header { name: "Cache-Control".into(), value: CONTROLS[control].into() });
        }
        request
    }
}

prop_compose! {
    /// Tasks one after the other, each with parts that nest.
    fn work()(tasks in prop::collection::vec((0.0f64..80.0, 0.2f64..200.0, 0usize..5, 0u32..4), 0..25)) -> Vec<Work> {
        let mut found = Vec::new();
        let mut at = 0.0;
        for (gap, length, parts, script) in tasks {
            at += gap;
            let piece = |name, kind, start: f64, duration: f64, depth, url: Option<u32>| Work {
                start: Millis(start),
                duration: Millis(duration),
                depth,
                url: url.map(|n| format!("http://www.skerryline.test/plugins/plugin-{n}/code.js").as_str().into()),
                ..Work::new(kind, name)
            };
            found.push(piece(WorkName::Task, WorkKind::Other, at, length, 0, None));
            for part in 0..parts {
                let (from, each) = (at + length * part as f64 / parts as f64, length / parts as f64);
                found.push(piece(WorkName::Call, WorkKind::ScriptRun, from, each * 0.9, 1, Some(script)));
                found.push(piece(WorkName::Layout, WorkKind::Layout, from + each * 0.2, each * 0.3, 2, None));
            }
            at += length;
        }
        found
    }
}

prop_compose! {
    fn load()(
        requests in prop::collection::vec(request(), 1..40),
        work in work(),
        frames in prop::collection::vec((0.0f64..4_000.0, 0.0f64..1.0), 0..12),
        folds in prop::collection::vec((0.0f64..3_000.0, any::<bool>()), 0..10),
    ) -> Load {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.conditions = Some(phone());
        let mut document = Request::new(0, "http://www.skerryline.test/", ResourceKind::Document);
        document.first_byte = Some(Millis(80.0));
        document.end = Some(Millis(100.0));
        document.transferred = Some(Bytes(9_000));
        load.requests = std::iter::once(document).chain(requests).collect();
        for (id, request) in (0u32..).zip(&mut load.requests) {
            request.id = phainon_core::RequestId(id);
        }
        let images = load.requests.iter().filter(|r| r.kind == ResourceKind::Image).zip(folds);
        let images = images.map(|(r, (y, hidden))| PageImage {
            url: r.url.to_string(),
            rect: Rect { x: 0.0, y, width: 100.0, height: 100.0 },
            hidden,
            ..PageImage::default()
        });
        load.page = Some(PageFacts { images: images.collect(), ..PageFacts::default() });
        let mut frames = frames;
        frames.sort_by(|a, b| a.0.total_cmp(&b.0));
        load.frames = frames
            .into_iter()
            .map(|(at, complete)| ScreenFrame { at_ms: Millis(at), complete: Some(complete), ..ScreenFrame::default() })
            .collect();
        let ends = load.requests.iter().filter_map(|r| r.end).chain(work.iter().map(Work::end));
        load.end = ends.fold(Millis(100.0), Millis::max);
        load.work = work;
        load
    }
}

fn sum(values: impl Iterator<Item = Bytes>) -> u64 {
    values.map(|b| b.0).sum()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn weight_is_the_same_by_kind_domain_owner_and_file(load in load()) {
        let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
        let whole = analysis.metrics.transferred_bytes.unwrap().0;
        prop_assert_eq!(sum(by_kind(&load).into_iter().map(|s| s.transferred_bytes)), whole);
        prop_assert_eq!(sum(by_domain(&load).into_iter().map(|s| s.transferred_bytes)), whole);
        prop_assert_eq!(sum(analysis.owners.iter().map(|o| o.transferred_bytes)), whole);
        prop_assert_eq!(sum(analysis.requests.iter().filter_map(|r| r.transferred_bytes)), whole);
        let prepared = Prepared::plain(load.clone());
        let site = site_weight(&[&prepared, &prepared]);
        prop_assert_eq!(&site.pages, &[Bytes(whole), Bytes(whole)]);
        prop_assert_eq!(sum(site.files.iter().map(|f| f.together)), 2 * whole);
        prop_assert_eq!(site.on_every_page.0, whole, "the same page twice shares everything");
    }

    #[test]
    fn main_thread_totals_are_the_tasks_by_kind_script_and_in_the_drawing(load in load()) {
        let tasks: f64 = load.work.iter().filter(|w| w.depth == 0).map(|w| w.duration.0).sum();
        let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
        if let Some(main) = &analysis.main_thread {
            let kinds: f64 = main.by_kind_ms.values().map(|m| m.0).sum();
            prop_assert!((kinds - tasks).abs() <= tasks * 0.001, "{kinds} of {tasks}");
            let scripts: f64 = main.by_script.iter().map(|s| s.total_ms.0).sum();
            prop_assert!((scripts - tasks).abs() <= tasks * 0.001 + 0.05 * main.by_script.len() as f64 + 0.5);
            for task in &main.long_tasks {
                prop_assert!(task.duration_ms > Millis(50.0) && task.blocking_ms <= task.duration_ms);
                let shares: f64 = task.shares.iter().map(|s| s.1.0).sum();
                prop_assert!(shares <= task.duration_ms.0 + 1e-6);
            }
        } else {
            prop_assert!(load.work.is_empty());
        }
        let drawn = tracks(&Prepared::plain(load.clone()));
        prop_assert_eq!(drawn.tasks.start.len(), load.work.len());
        let on_top: f64 = drawn.tasks.duration.iter().zip(&drawn.tasks.depth).filter(|(_, d)| **d == 0).map(|(d, _)| f64::from(*d)).sum();
        prop_assert!((on_top - tasks).abs() < 0.01);
    }

    #[test]
    fn lanes_hold_every_byte_and_every_moment_of_work(load in load()) {
        let lanes = lanes(&load);
        if let Some(received) = &lanes.received_bps {
            let bits: f64 = received.iter().map(|b| f64::from(*b) * lanes.slice_ms / 1000.0).sum();
            let whole = 8.0 * sum(load.requests.iter().filter_map(|r| r.transferred)) as f64;
            prop_assert!((bits - whole).abs() <= whole * 0.001 + 10.0, "{bits} of {whole}");
        }
        if let Some(busy) = &lanes.busy {
            prop_assert!(busy.iter().all(|b| (0.0..=1.0).contains(b)));
            let tasks: f64 = load.work.iter().filter(|w| w.depth == 0).map(|w| w.duration.0).sum();
            let shown: f64 = busy.iter().map(|b| f64::from(*b) * lanes.slice_ms).sum();
            prop_assert!((shown - tasks).abs() <= lanes.slice_ms + tasks * 0.001, "{shown} of {tasks}");
        }
    }

    #[test]
    fn a_return_visit_accounts_for_every_request_of_both(first in load(), again in load()) {
        let visit = return_visit(&first, &again);
        let of = |side: fn(&phainon_core::ReturnRow) -> bool| visit.rows.iter().filter(|r| side(r)).count();
        prop_assert_eq!(of(|r| r.first.is_some()), first.requests.len());
        prop_assert_eq!(of(|r| r.again.is_some()), again.requests.len());
        prop_assert_eq!(visit.first_bytes.0, sum(first.requests.iter().filter_map(|r| r.transferred)));
        prop_assert_eq!(visit.again_bytes.0, sum(again.requests.iter().filter_map(|r| r.transferred)));
        for row in &visit.rows {
            prop_assert!(!phainon_core::words::return_reason(&row.reason).is_empty());
            match row.outcome {
                Outcome::OnlyThen => prop_assert!(row.again.is_none()),
                Outcome::OnlyNow => prop_assert!(row.first.is_none()),
                Outcome::FromCache | Outcome::Revalidated => {
                    let request = again.request(row.again.unwrap()).unwrap();
                    prop_assert!(request.cache.is_some(), "{row:?}");
                }
                Outcome::Again => prop_assert!(row.first.is_some() && row.again.is_some()),
            }
        }
    }

    #[test]
    fn pictures_are_placed_by_their_boxes_and_speed_index_lies_within_the_frames(load in load()) {
        let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
        let fold = f64::from(phone().height);
        let page = load.page.as_ref().unwrap();
        for row in &analysis.requests {
            let boxes: Vec<&PageImage> = page.images.iter().filter(|i| i.url == *row.url).collect();
            let seen = boxes.iter().any(|i| !i.hidden && i.rect.y < fold);
            match row.placement {
                None => prop_assert!(boxes.is_empty()),
                Some(Placement::InView) => prop_assert!(seen),
                Some(Placement::BelowFold) => prop_assert!(!seen && boxes.iter().any(|i| !i.hidden)),
                Some(Placement::Hidden) => prop_assert!(boxes.iter().all(|i| i.hidden)),
            }
        }
        match (analysis.metrics.speed_index_ms, load.frames.first(), load.frames.last()) {
            (Some(index), Some(first), Some(last)) => {
                prop_assert!(index >= first.at_ms - Millis(1e-6) && index <= last.at_ms + Millis(1e-6));
            }
            (index, ..) => prop_assert!(index.is_none()),
        }
    }

    /// Whoever is called back by whom: each millisecond of the thread is somebody's once.
    #[test]
    fn the_threads_time_is_shared_out_once(load in load(), samples in prop::collection::vec((0.0f64..4_000.0, 0usize..20), 0..200)) {
        let scripts: Vec<_> = (0..4).map(|n| format!("http://www.skerryline.test/plugins/plugin-{n}/code.js")).collect();
        let place = |url: &String| CodePlace { function: "f".into(), url: Some(url.as_str().into()), line: Some(1) };
        // Each script alone, and each called by each.
        let alone = (0..4).map(|place| ProfileNode { place, parent: None });
        let called = (0..4).flat_map(|by| (0..4).map(move |place| ProfileNode { place, parent: Some(by) }));
        let mut profile = Profile { places: scripts.iter().map(place).collect(), nodes: alone.chain(called).collect(), ..Profile::default() };
        (profile.at, profile.node) = samples.into_iter().map(|(at, node)| (Millis(at), u32::try_from(node).unwrap())).unzip();
        // Each was evaluated after the one before it.
        let first = scripts.iter().zip(0u8..).flat_map(|(url, n)| {
            let piece = |name, depth, url| Work { start: Millis(f64::from(n)), duration: Millis(1.0), depth, url, ..Work::new(WorkKind::ScriptRun, name) };
            [piece(WorkName::Task, 0, None), piece(WorkName::Evaluate, 1, Some(url.as_str().into()))]
        });
        let later = load.work.iter().map(|w| Work { start: w.start + Millis(10.0), ..w.clone() });
        let load = Load { work: first.chain(later).collect(), ..load.clone() };
        let with = Load { profile: Some(profile.in_order()), ..load.clone() };
        let thread = |load: &Load| analyse(&Prepared::plain(load.clone()), &NoBodies).main_thread;
        let (Some(plain), Some(told)) = (thread(&load), thread(&with)) else { return Ok(()) };
        prop_assert_eq!(plain.total_ms, told.total_ms);
        prop_assert_eq!(&plain.by_kind_ms, &told.by_kind_ms);
        let sum = |thread: &phainon_core::MainThread| thread.by_script.iter().map(|s| s.total_ms.0).sum::<f64>();
        // Scripts of less than 0.05 ms are not told of.
        prop_assert!((sum(&plain) - sum(&told)).abs() < 0.5, "{} and {}", sum(&plain), sum(&told));
        prop_assert!(told.by_script.iter().all(|s| s.by_kind_ms.values().all(|ms| ms.0 > -1e-6)), "{:?}", told.by_script);
        for task in &told.long_tasks {
            let shared: f64 = task.shares.iter().map(|(_, ms)| ms.0).sum();
            prop_assert!(shared <= task.duration_ms.0 + 1e-6, "{shared} of {:?}", task);
        }
    }

    /// Whatever stretch is asked for, its functions take no more than it and no more than the tasks in it.
    #[test]
    fn a_stretch_never_holds_more_than_itself(work in work(), samples in prop::collection::vec((0.0f64..2_000.0, 0u32..4), 0..80), from in 0.0f64..1_500.0, length in 0.0f64..700.0) {
        let place = |name: &str| CodePlace { function: name.into(), url: Some("http://a.test/a.js".into()), line: None };
        let mut profile = Profile {
            places: vec![CodePlace { url: None, ..place("(root)") }, place("a"), place("b"), CodePlace { url: None, ..place("(idle)") }],
            nodes: [(0, None), (1, Some(0)), (2, Some(1)), (3, Some(0))].map(|(place, parent)| ProfileNode { place, parent }).to_vec(),
            ..Profile::default()
        };
        (profile.at, profile.node) = samples.into_iter().map(|(at, node)| (Millis(at), node)).unzip();
        let profile = profile.in_order();
        let owners = Owners::of(&Load::empty("http://a.test/"), &[]);
        let found = functions(&profile, &work, &owners, Millis(from), Millis(from + length));
        let inside: f64 = work.iter().filter(|w| w.depth == 0).map(|w| (w.end().0.min(from + length) - w.start.0.max(from)).max(0.0)).sum();
        let most = if work.is_empty() { length } else { inside };
        prop_assert!(found.sampled_ms.0 <= most + 1e-6, "{:?} of {most}", found.sampled_ms);
        for node in &found.tree {
            prop_assert!(node.self_ms <= node.total_ms && node.total_ms <= found.sampled_ms + Millis(1e-6));
            if let Some(parent) = node.parent {
                prop_assert!(node.total_ms <= found.tree[parent as usize].total_ms + Millis(1e-6));
            }
        }
        for bar in stacks(&profile, &work) {
            prop_assert!(bar.end > bar.start);
        }
    }
}
