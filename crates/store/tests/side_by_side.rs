//! What is asked over many recordings at once: site-wide weight, the list by site, shared bodies, and
//! asking while others write.

#![allow(clippy::unwrap_used)]

mod kept;

use kept::{PAGE, add, bodies, head, keep_whole, packed, raw};
use phainon_core::{Bytes, Conditions, Millis, Request, ResourceKind, preset};
use phainon_formats::RawLoad;
use phainon_store::{NewRecording, PackedBodies, Page, Store, StoreError};
use rusqlite::Connection;
use std::sync::atomic::{AtomicBool, Ordering};

/// A HAR's load of a document and these scripts, by name and bytes over the line.
fn page_with(scripts: &[(&str, u64)]) -> RawLoad {
    let mut document = Request::new(0, PAGE, ResourceKind::Document);
    (document.end, document.transferred) = (Some(Millis(100.0)), Some(Bytes(4_000)));
    let mut requests = vec![document];
    for (id, (name, bytes)) in (1u32..).zip(scripts) {
        let mut script = Request::new(id, &format!("{PAGE}{name}"), ResourceKind::Script);
        (script.end, script.transferred) = (Some(Millis(200.0)), Some(Bytes(*bytes)));
        requests.push(script);
    }
    RawLoad { requests: Some(requests), ..RawLoad::default() }
}

fn keep(store: &Store, new: &NewRecording<'_>, raw: &RawLoad) -> i64 {
    let (load, summary) = packed(raw);
    keep_whole(store, new.clone(), &[load], &PackedBodies::default(), None, summary.as_ref())
}

#[test]
fn the_weight_of_a_site_is_the_sum_of_its_pages_and_files_of_all_pages_stand_out() {
    let store = Store::temporary().unwrap();
    let pages = [
        page_with(&[("all.js", 9_000), ("plugins/deck/a.3f9a1c7b.js", 30_000)]),
        page_with(&[("all.js", 9_000), ("plugins/deck/a.99ff00aa.js", 31_000), ("only.js", 500)]),
        page_with(&[("all.js", 9_500)]),
    ];
    let ids: Vec<(i64, u32)> = pages
        .iter()
        .enumerate()
        .map(|(n, raw)| (keep(&store, &head(&format!("Page {n}"), "2026-11-24T09:00:00Z"), raw), 1))
        .collect();
    let weight = store.site_weight(&ids).unwrap();
    assert_eq!(weight.pages, [Bytes(4_000 + 39_000), Bytes(4_000 + 40_500), Bytes(4_000 + 9_500)]);
    let together: u64 = weight.files.iter().map(|f| f.together.0).sum();
    assert_eq!(together, weight.pages.iter().map(|p| p.0).sum::<u64>(), "every byte is in one file's account");
    let of = |name: &str| weight.files.iter().find(|f| f.file.to_string().contains(name)).unwrap();
    assert_eq!((of("all.js").pages, of("all.js").together), (3, Bytes(27_500)));
    assert_eq!((of("deck/a").pages, of("deck/a").together), (2, Bytes(61_000)), "one file, whatever its hash");
    assert_eq!(of("only.js").on, [None, Some(Bytes(500)), None]);
    assert!(weight.files.is_sorted_by(|a, b| a.together >= b.together), "heaviest first");
    assert!(weight.on_every_page >= Bytes(9_000), "{:?}", weight.on_every_page);

    assert_eq!(store.site_weight(&ids[2..]).unwrap().pages, [Bytes(13_500)]);
    assert!(matches!(store.site_weight(&[(99, 1)]), Err(StoreError::NotFound(..))));
    store.delete_recording(ids[0].0).unwrap();
    assert!(store.site_weight(&ids).is_err(), "what is deleted is in no account");
}

#[test]
fn the_list_of_a_site_holds_that_site_alone() {
    let store = Store::temporary().unwrap();
    for n in 0..3 {
        add(&store, &format!("Page {n}"), "2026-11-24T09:00:00Z", &["x"]);
    }
    let other =
        NewRecording { site: "elsewhere.test", url: "http://elsewhere.test/", ..head("Home", "2026-11-25T09:00:00Z") };
    keep(&store, &other, &page_with(&[]));
    let of = |site: &str| {
        let page = Page { site: Some(site.into()), limit: 10, ..Page::default() };
        store.recordings(&page).unwrap().rows.into_iter().map(|r| r.page).collect::<Vec<_>>()
    };
    assert_eq!(of("elsewhere.test"), ["Home"]);
    assert_eq!(of("skerryline.test"), ["Page 2", "Page 1", "Page 0"], "of one moment the newer number first");
    assert!(of("skerryline").is_empty(), "a site is its whole name");
}

#[test]
fn a_body_goes_when_the_last_recording_that_has_it_goes() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let first = add(&store, "Home", "2026-11-24T09:00:00Z", &["shared", "first's own"]);
    let second = add(&store, "Log", "2026-11-24T09:00:00Z", &["shared", "second's own"]);
    let db = Connection::open(directory.path().join("phainon.sqlite")).unwrap();
    let kept = || db.query_row("select count(*) from body_rows", [], |r| r.get::<_, i64>(0)).unwrap();
    let long_ago = |id: i64| {
        store.delete_recording(id).unwrap();
        db.execute("update recordings set deleted_at = '2026-01-01T00:00:00Z' where id = ?1", [id]).unwrap();
    };
    assert_eq!(kept(), 3, "the same bytes are kept once");
    long_ago(first);
    assert_eq!(store.sweep().unwrap(), 1);
    assert_eq!(kept(), 2);
    assert_eq!(store.bodies(second).unwrap(), bodies(&["shared", "second's own"]));
    assert!(matches!(store.restore_recording(first), Err(StoreError::NotFound(..))), "after the sweep it is gone");
    long_ago(second);
    assert_eq!(store.sweep().unwrap(), 1);
    assert_eq!(kept(), 0);
    for table in [
        "load_rows",
        "load_parts",
        "frame_rows",
        "load_metrics",
        "owner_costs",
        "load_requests",
        "load_findings",
        "recording_parts",
    ] {
        let left: i64 = db.query_row(&format!("select count(*) from {table}"), [], |r| r.get(0)).unwrap();
        assert_eq!(left, 0, "{table} is empty with them");
    }
    // The plan is the site's, not the recordings'.
    assert!(store.plan("skerryline.test").is_ok());
}

#[test]
fn conditions_and_the_line_keep_their_order_and_their_names() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let mine = |name: &str, width| Conditions { name: name.into(), width, ..preset("home-laptop").unwrap() };
    for conditions in [mine("Pier", 800), mine("Anvil", 700), mine("Pier", 820)] {
        store.save_conditions(&conditions).unwrap();
    }
    let line: Vec<i64> = ["a", "b", "c"].iter().map(|text| store.enqueue(text).unwrap()).collect();
    store.dequeue(line[1]).unwrap();
    drop(store);

    let store = Store::open(directory.path()).unwrap();
    let named =
        |store: &Store| store.own_conditions().unwrap().into_iter().map(|c| (c.name, c.width)).collect::<Vec<_>>();
    assert_eq!(named(&store), [("Anvil".to_owned(), 700), ("Pier".to_owned(), 820)], "a name is kept once");
    assert_eq!(store.waiting().unwrap(), [(line[0], "a".to_owned()), (line[2], "c".to_owned())]);
    let next = store.enqueue("d").unwrap();
    assert!(next > line[2], "a number in line is never given twice");
    store.remove_conditions("Pier").unwrap();
    assert!(matches!(store.remove_conditions("Pier"), Err(StoreError::NotFound(..))));
    assert_eq!(named(&store).len(), 1);
}

#[test]
fn readers_see_whole_recordings_while_others_are_written() {
    let store = Store::temporary().unwrap();
    let done = AtomicBool::new(false);
    std::thread::scope(|threads| {
        let readers: Vec<_> = (0..3)
            .map(|_| {
                threads.spawn(|| {
                    let (mut most, mut rounds) = (0, 0u32);
                    while !done.load(Ordering::Relaxed) || rounds == 0 {
                        let list = store.recordings(&Page { limit: 100, ..Page::default() }).unwrap();
                        for row in &list.rows {
                            // Never a head without its load, nor a load without its parts.
                            assert_eq!(row.loads.len(), 1, "{row:?}");
                            assert!(row.summary.is_some());
                            assert_eq!(store.load(row.id, 1).unwrap().requests.len(), 2);
                        }
                        assert!(list.rows.len() >= most, "what was there stays there");
                        (most, rounds) = (list.rows.len(), rounds + 1);
                    }
                    most
                })
            })
            .collect();
        for n in 0..30 {
            add(&store, &format!("Page {n}"), "2026-11-24T09:00:00Z", &["<p>", &n.to_string()]);
        }
        done.store(true, Ordering::Relaxed);
        for reader in readers {
            assert!(reader.join().unwrap() <= 30);
        }
    });
    assert_eq!(store.recordings(&Page { limit: 1, ..Page::default() }).unwrap().all, 30);
}

#[test]
fn raw_parts_come_back_to_the_byte() {
    let store = Store::temporary().unwrap();
    let id = add(&store, "Home", "2026-11-24T09:00:00Z", &["<h1>Skerry Line</h1>", "\u{0}\u{1}\u{2}"]);
    let kept = store.stored_load(id, 1).unwrap().raw().unwrap();
    let given = raw(&["<h1>Skerry Line</h1>", "\u{0}\u{1}\u{2}"]);
    assert_eq!(kept.requests, given.requests);
    assert_eq!(kept.frames.len(), 1);
    assert_eq!(kept.frames[0].1, given.frames[0].1);
    assert_eq!(store.frame(id, 1, "0000.jpg").unwrap(), b"a picture");
    assert!(matches!(store.frame(id, 1, "0001.jpg"), Err(StoreError::NotFound(..))));
    assert_eq!(store.body(&phainon_formats::body_hash(b"\x00\x01\x02")).unwrap().unwrap(), b"\x00\x01\x02");
    assert_eq!(store.body("no such hash").unwrap(), None);
}
