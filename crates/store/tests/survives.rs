//! What happens to a data file over time: other versions of the program, other processes, other
//! files in its place, and what is swept away.

#![allow(clippy::unwrap_used)]

mod kept;

use kept::{add, packed, raw};
use phainon_core::{ANALYSIS_VERSION, Edit, Load, Note, Request, ResourceKind, Settings};
use phainon_formats::{ASSEMBLY_VERSION, body_hash};
use phainon_store::{Page, Part, Store, StoreError};
use rusqlite::{Connection, params};
use std::path::Path;

fn opened(directory: &Path) -> Connection {
    Connection::open(directory.join("phainon.sqlite")).unwrap()
}

fn count(db: &Connection, table: &str) -> i64 {
    db.query_row(&format!("select count(*) from {table}"), [], |r| r.get(0)).unwrap()
}

#[test]
fn every_part_of_a_recording_comes_back_as_it_was_given() {
    let directory = tempfile::tempdir().unwrap();
    let id = add(&Store::open(directory.path()).unwrap(), "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.frame(id, 1, "0000.jpg").unwrap(), b"a picture");
    assert!(matches!(store.frame(id, 1, "../0000.jpg"), Err(StoreError::NotFound("frame", _))));
    let detail = store.detail(id).unwrap().unwrap();
    assert_eq!(detail.coverage[0].used, [(0, 40)]);
    assert_eq!(detail.inline_only.as_deref(), Some(b"another picture".as_slice()));
    assert_eq!(detail.notes, [Note::DetailCutOff]);
    assert_eq!(store.part(id, 1, Part::Tracks).unwrap().unwrap().bytes().unwrap(), b"columns");
    assert_eq!(&*store.load(id, 1).unwrap().requests[0].url, "http://www.skerryline.test/0");
    assert!(store.part(id, 1, Part::Trace).unwrap().is_none(), "what was not given is not there");
    assert!(matches!(store.part(id, 2, Part::Load), Err(StoreError::NotFound("load", _))));
    assert!(matches!(store.part(id + 1, 1, Part::Tracks), Err(StoreError::NotFound("recording", _))));
    assert_eq!(store.body("no such hash").unwrap(), None);
}

/// A data file as the second version left it, with one recording of one load and a plan.
fn second_version(directory: &Path) {
    let db = opened(directory);
    db.execute_batch(include_str!("second_version.sql")).unwrap();
    let pack = |value: &serde_json::Value| zstd::bulk::compress(&serde_json::to_vec(value).unwrap(), 3).unwrap();
    let mut load = Load::empty("http://www.skerryline.test/");
    load.requests.push(Request::new(0, "http://www.skerryline.test/", ResourceKind::Document));
    let page = serde_json::json!({"url": "http://www.skerryline.test/", "frames": [{"at_ms": 40.0, "file": "0000.jpg", "complete": 1.0}]});
    db.execute(
        "insert into recordings (id, site, page, url, source, recorded_at, imported_from, summary, detail, inline_only)
         values (1, 'skerryline.test', 'Home', 'http://www.skerryline.test/', '\"recording\"', '2026-11-20T09:00:00Z', 'home.zip', '{}', ?1, x'ffd8')",
        [pack(&serde_json::json!({"notes": ["seen"]}))],
    )
    .unwrap();
    db.execute(
        "insert into loads (recording, number, visit, load, page, analysis, analysis_version) values (1, 1, '\"first\"', ?1, ?2, x'00', 3)",
        params![pack(&serde_json::to_value(&load).unwrap()), pack(&page)],
    )
    .unwrap();
    db.execute("insert into frames values (1, 1, '0000.jpg', 40.0, x'ffd8')", []).unwrap();
    db.execute("insert into bodies values (?1, 0, ?2)", params![body_hash(b"<h1>x</h1>"), b"<h1>x</h1>"]).unwrap();
    db.execute("insert into recording_bodies values (1, ?1)", [body_hash(b"<h1>x</h1>")]).unwrap();
    db.execute("insert into plans values ('skerryline.test', 1)", []).unwrap();
    for (kind, target, owner) in [
        ("defer_script", "http://www.skerryline.test/a.js?v=2", "site"),
        ("cache_longer", "static.skerryline.test (deck-slider)", "deck-slider"),
    ] {
        db.execute(
            "insert into fixes (site, kind, target, title, owner, effort, risk, state, reason, place, on_path_ms, finding_key, finding_title, added_at)
             values ('skerryline.test', ?1, ?2, 'x', ?3, 'small', 'low', 'set_aside', 'needed', 4, 120.0, 'x', 'found', '2026-11-20T09:00:00Z')",
            params![kind, target, owner],
        )
        .unwrap();
    }
    db.execute_batch("pragma user_version = 2").unwrap();
}

#[test]
fn a_file_of_the_second_version_is_brought_up_to_date_with_what_it_holds() {
    let directory = tempfile::tempdir().unwrap();
    second_version(directory.path());
    let store = Store::open(directory.path()).unwrap();
    let head = store.recording(1).unwrap();
    assert_eq!((head.page.as_str(), head.loads.len(), head.summary), ("Home", 1, None));
    let raw = store.stored_load(1, 1).unwrap().raw().unwrap();
    assert_eq!(raw.frames[0].0.at_ms.map(|at| at.0), Some(40.0), "frames keep their times");
    let load = raw.assemble().unwrap();
    assert_eq!((load.requests.len(), load.assembly_version), (1, ASSEMBLY_VERSION));
    assert_eq!(load.why_missing(phainon_core::Subject::BodyParts), Some(phainon_core::Lack::EarlierVersion));
    assert_eq!(store.bodies(1).unwrap().into_values().collect::<Vec<_>>(), [b"<h1>x</h1>".to_vec()]);
    assert_eq!(
        store.detail(1).unwrap().unwrap().notes,
        [Note::Said { text: "seen".into() }],
        "a sentence of that version"
    );
    assert_eq!(store.stale(&Settings::default().hash()).unwrap(), [(1, 1)], "it is to be read anew");
    assert!(store.was_imported("home.zip").unwrap());
    let plan = store.plan("skerryline.test").unwrap();
    let keys: Vec<&str> = plan.fixes.iter().map(|f| f.fix.key.as_str()).collect();
    assert_eq!(
        keys,
        ["defer_script www.skerryline.test/a.js", "cache_longer static.skerryline.test for plugin deck-slider"]
    );
    assert!(plan.own_order && plan.fixes.iter().all(|f| f.reason.as_deref() == Some("needed")));
    assert!(matches!(plan.fixes[0].fix.edit, Edit::DeferScript { .. }));
}

#[test]
fn a_load_of_another_version_is_stale_until_it_was_read_anew() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let id = add(&store, "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    let settings = Settings::default().hash();
    assert!(store.stale(&settings).unwrap().is_empty());
    assert_eq!(store.stale("other settings").unwrap(), [(id, 1)]);
    let db = opened(directory.path());
    db.execute("update load_rows set analysis_version = ?1", [ANALYSIS_VERSION - 1]).unwrap();
    assert_eq!(store.stale(&settings).unwrap(), [(id, 1)]);

    let raw_before = store.stored_load(id, 1).unwrap().raw().unwrap().requests;
    let (anew, summary) = packed(&raw(&["<h1>Home</h1>"]));
    store.renew(id, 1, Ok(&anew), &settings, summary.as_ref()).unwrap();
    assert!(store.stale(&settings).unwrap().is_empty());
    assert_eq!(store.recording(id).unwrap().summary, summary, "the list says what the load says");
    assert_eq!(store.stored_load(id, 1).unwrap().raw().unwrap().requests, raw_before, "raw parts stay as they are");
    assert_eq!(count(&db, "load_metrics where load = 1"), count(&db, "load_metrics"), "rows are replaced, not added");

    // What cannot be read any more says why, and is not tried for ever; the next version tries again.
    store.renew(id, 1, Err("it is broken"), &settings, None).unwrap();
    let head = store.recording(id).unwrap();
    assert_eq!((head.loads[0].failed.as_deref(), head.loads[0].has_data), (Some("it is broken"), false));
    assert_eq!(head.summary, None);
    assert!(store.stale(&settings).unwrap().is_empty());
    assert_eq!(store.stale("the next version's").unwrap(), [(id, 1)]);
    let still = store.stored_load(id, 1).unwrap().raw().unwrap();
    assert_eq!((still.has_data(), still.failed), (true, None), "the load itself did not fail");
    store.renew(id, 1, Ok(&anew), "the next version's", summary.as_ref()).unwrap();
    let head = store.recording(id).unwrap();
    assert_eq!((head.loads[0].failed.as_deref(), head.loads[0].has_data), (None, true));
}

#[test]
fn a_file_of_a_later_version_is_left_alone() {
    let directory = tempfile::tempdir().unwrap();
    add(&Store::open(directory.path()).unwrap(), "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    opened(directory.path()).execute_batch("pragma user_version = 99; create table from_the_future (x);").unwrap();
    let why = Store::open(directory.path()).err().unwrap().to_string();
    assert!(why.contains("could not be brought up to date"), "{why}");
    assert_eq!(count(&opened(directory.path()), "recordings"), 1);
    assert_eq!(count(&opened(directory.path()), "from_the_future"), 0);
}

#[test]
fn what_is_no_data_file_is_refused_and_not_overwritten() {
    let directory = tempfile::tempdir().unwrap();
    let letter = "Dear reader, this is a letter and no database at all. ".repeat(40);
    std::fs::write(directory.path().join("phainon.sqlite"), &letter).unwrap();
    let why = Store::open(directory.path()).err().unwrap().to_string();
    assert!(why.contains("not a database"), "{why}");
    assert_eq!(std::fs::read_to_string(directory.path().join("phainon.sqlite")).unwrap(), letter);

    let file = directory.path().join("a-file");
    std::fs::write(&file, "x").unwrap();
    let why = Store::open(&file).err().unwrap().to_string();
    assert!(why.starts_with("The data directory could not be used") && why.contains("a-file"), "{why}");
}

#[test]
fn two_programs_on_one_file_see_each_others_changes() {
    let directory = tempfile::tempdir().unwrap();
    let (one, other) = (Store::open(directory.path()).unwrap(), Store::open(directory.path()).unwrap());
    let first = add(&one, "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    let second = add(&other, "Booking", "2026-11-25T09:00:00Z", &["<h1>Book</h1>"]);
    let all = Page { limit: 10, ..Page::default() };
    let pages = |store: &Store| store.recordings(&all).unwrap().rows.into_iter().map(|r| r.page).collect::<Vec<_>>();
    assert_eq!(pages(&one), ["Booking", "Home"], "newest first");
    assert_eq!(pages(&other), pages(&one));
    one.delete_recording(second).unwrap();
    assert!(matches!(other.delete_recording(second), Err(StoreError::NotFound(..))), "it is deleted once");
    other.restore_recording(second).unwrap();
    assert!(matches!(one.restore_recording(second), Err(StoreError::NotFound(..))), "and restored once");
    assert_ne!(first, second);
}

#[test]
fn what_a_part_is_damaged_in_is_said() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let id = add(&store, "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    opened(directory.path()).execute("update load_parts set bytes = x'00' where part = 'load'", []).unwrap();
    assert!(matches!(store.load(id, 1), Err(StoreError::Damaged(_))));
    assert!(store.stored_load(id, 1).unwrap().raw().is_ok(), "the raw parts, from which it can be made again, stay");
}

#[test]
fn only_what_was_deleted_a_day_ago_is_swept_with_bodies_that_nothing_names() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let old = add(&store, "Old", "2026-11-20T09:00:00Z", &["shared by both", "the old one's own"]);
    let kept = add(&store, "Kept", "2026-11-24T09:00:00Z", &["shared by both"]);
    let db = opened(directory.path());
    assert_eq!(count(&db, "body_rows"), 2, "the same body is kept once");
    store.delete_recording(old).unwrap();
    assert_eq!(store.sweep().unwrap(), 0, "it can still be restored");
    db.execute("update recordings set deleted_at = '2026-01-01T00:00:00.000Z' where id = ?1", [old]).unwrap();
    assert_eq!(store.sweep().unwrap(), 1);
    assert!(matches!(store.restore_recording(old), Err(StoreError::NotFound(..))));
    assert_eq!(store.bodies(kept).unwrap().into_values().collect::<Vec<_>>(), [b"shared by both".to_vec()]);
    for (table, left) in [
        ("recordings", 1),
        ("load_rows", 1),
        ("frame_rows", 1),
        ("body_rows", 1),
        ("body_uses", 1),
        ("recording_parts", 2),
    ] {
        assert_eq!(count(&db, table), left, "{table}");
    }
}
