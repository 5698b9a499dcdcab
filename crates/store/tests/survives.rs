//! What happens to a data file over time: other versions of the program, other processes, other
//! files in its place, and what is swept away.

#![allow(clippy::unwrap_used)]

use phainon_core::metrics::Coverage;
use phainon_core::{ Prepared,
    ANALYSIS_VERSION, BodyRef, Bytes, Load, Millis, NoBodies, Request, ResourceKind, ScreenFrame, Source, analyse,
};
use phainon_formats::{BodyMap, Detail, RawLoad, body_hash};
use phainon_store::{NewLoad, NewRecording, PackedBodies, PackedLoad, Store, StoreError};
use rusqlite::Connection;
use std::path::Path;

/// Keeps a recording of one load with these bodies and gives its id.
fn add(store: &mut Store, page: &str, recorded_at: &str, texts: &[&str]) -> i64 {
    let bodies: BodyMap = texts.iter().map(|t| (body_hash(t.as_bytes()), t.as_bytes().to_vec())).collect();
    let mut load = Load::empty("http://www.skerryline.test/");
    for (id, text) in (0u32..).zip(texts) {
        let mut request = Request::new(id, &format!("http://www.skerryline.test/{id}"), ResourceKind::Document);
        request.end = Some(Millis(100.0));
        request.body = Some(BodyRef { hash: body_hash(text.as_bytes()), size: Bytes(text.len() as u64) });
        load.requests.push(request);
    }
    let frame = ScreenFrame { at_ms: Millis(40.0), file: "0000.jpg".into(), ..ScreenFrame::default() };
    let raw = RawLoad { frames: vec![(frame, b"a picture".to_vec())], ..RawLoad::default() };
    let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
    let detail = Detail {
        coverage: vec![Coverage {
            url: "http://www.skerryline.test/a.js".into(),
            used: vec![(0, 40)],
            ..Coverage::default()
        }],
        inline_only: Some(b"another picture".to_vec()),
        notes: vec!["One sheet could not be seen.".into()],
    };
    let packed =
        PackedLoad::of(&NewLoad { raw: &raw, load: Some(&load), analysis: Some(&analysis), tracks: Some(b"columns") });
    store
        .add_recording(&NewRecording {
            site: "skerryline.test",
            page,
            url: "http://www.skerryline.test/",
            source: Source::Recording,
            conditions: None,
            browser: None,
            machine: None,
            recorded_at,
            imported_from: None,
            summary: None,
            loads: &[packed.unwrap()],
            bodies: &PackedBodies::of(&bodies),
            detail: Some(&detail),
        })
        .unwrap()
}

fn raw(directory: &Path) -> Connection {
    Connection::open(directory.join("phainon.sqlite")).unwrap()
}

fn count(db: &Connection, table: &str) -> i64 {
    db.query_row(&format!("select count(*) from {table}"), [], |r| r.get(0)).unwrap()
}

#[test]
fn every_part_of_a_recording_comes_back_as_it_was_given() {
    let directory = tempfile::tempdir().unwrap();
    let id = add(&mut Store::open(directory.path()).unwrap(), "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.frame(id, 1, "0000.jpg").unwrap(), b"a picture");
    assert!(matches!(store.frame(id, 1, "../0000.jpg"), Err(StoreError::NotFound("frame", _))));
    let detail = store.detail(id).unwrap().unwrap();
    assert_eq!(detail.coverage[0].used, [(0, 40)]);
    assert_eq!(detail.inline_only.as_deref(), Some(b"another picture".as_slice()));
    assert_eq!(detail.notes, ["One sheet could not be seen."]);
    let tracks = store.packed_tracks(id, 1).unwrap().unwrap();
    assert_eq!(Store::unpacked_tracks(tracks).unwrap(), b"columns");
    let load = Store::unpacked_load(store.packed_load(id, 1).unwrap()).unwrap();
    assert_eq!(&*load.requests[0].url, "http://www.skerryline.test/0");
    assert!(matches!(store.packed_load(id, 2), Err(StoreError::NotFound(..))));
    assert!(matches!(store.packed_tracks(id + 1, 1), Err(StoreError::NotFound("recording", _))));
    assert_eq!(store.body("no such hash").unwrap(), None);
}

#[test]
fn a_file_of_the_first_version_is_brought_up_to_date_with_what_it_holds() {
    let directory = tempfile::tempdir().unwrap();
    let id = add(&mut Store::open(directory.path()).unwrap(), "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    raw(directory.path())
        .execute_batch(
            "alter table loads drop column tracks; alter table recordings drop column detail;
             alter table recordings drop column inline_only; pragma user_version = 1;",
        )
        .unwrap();
    let mut store = Store::open(directory.path()).unwrap();
    assert_eq!(store.recording(id).unwrap().page, "Home");
    assert_eq!(store.packed_tracks(id, 1).unwrap(), None, "what that version did not keep is not there");
    assert_eq!(store.detail(id).unwrap(), None);
    let again = add(&mut store, "Home", "2026-11-25T09:00:00Z", &["<h1>Home</h1>"]);
    assert!(store.packed_tracks(again, 1).unwrap().is_some());
}

#[test]
fn a_file_of_a_later_version_is_left_alone() {
    let directory = tempfile::tempdir().unwrap();
    add(&mut Store::open(directory.path()).unwrap(), "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    raw(directory.path()).execute_batch("pragma user_version = 99; create table from_the_future (x);").unwrap();
    let why = Store::open(directory.path()).err().unwrap().to_string();
    assert!(why.contains("could not be brought up to date"), "{why}");
    assert_eq!(count(&raw(directory.path()), "recordings"), 1);
    assert_eq!(count(&raw(directory.path()), "from_the_future"), 0);
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
    let (mut one, mut other) = (Store::open(directory.path()).unwrap(), Store::open(directory.path()).unwrap());
    let first = add(&mut one, "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    let second = add(&mut other, "Booking", "2026-11-25T09:00:00Z", &["<h1>Book</h1>"]);
    let pages = |store: &Store| store.recordings().unwrap().into_iter().map(|r| r.page).collect::<Vec<_>>();
    assert_eq!(pages(&one), ["Booking", "Home"], "newest first");
    assert_eq!(pages(&other), pages(&one));
    one.delete_recording(second).unwrap();
    assert!(matches!(other.delete_recording(second), Err(StoreError::NotFound(..))), "it is deleted once");
    other.restore_recording(second).unwrap();
    assert!(matches!(one.restore_recording(second), Err(StoreError::NotFound(..))), "and restored once");
    assert_ne!(first, second);
}

#[test]
fn an_analysis_of_an_older_version_is_made_again_and_kept() {
    let directory = tempfile::tempdir().unwrap();
    let mut store = Store::open(directory.path()).unwrap();
    let id = add(&mut store, "Home", "2026-11-24T09:00:00Z", &["<h1>Home</h1>"]);
    let fresh = store.analysis(id, 1).unwrap();
    let db = raw(directory.path());
    db.execute("update loads set analysis = x'00', analysis_version = ?1", [ANALYSIS_VERSION - 1]).unwrap();
    assert_eq!(store.analysis(id, 1).unwrap(), fresh);
    let version: u32 = db.query_row("select analysis_version from loads", [], |r| r.get(0)).unwrap();
    assert_eq!(version, ANALYSIS_VERSION);

    // What cannot be read is said; the raw parts, from which it can be made again, stay.
    db.execute("update loads set analysis = x'00'", []).unwrap();
    assert!(matches!(store.analysis(id, 1), Err(StoreError::Damaged(_))));
    assert!(store.load(id, 1).is_ok());
}

#[test]
fn only_what_was_deleted_a_day_ago_is_swept_with_bodies_that_nothing_names() {
    let directory = tempfile::tempdir().unwrap();
    let mut store = Store::open(directory.path()).unwrap();
    let old = add(&mut store, "Old", "2026-11-20T09:00:00Z", &["shared by both", "the old one's own"]);
    let kept = add(&mut store, "Kept", "2026-11-24T09:00:00Z", &["shared by both"]);
    let db = raw(directory.path());
    assert_eq!(count(&db, "bodies"), 2, "the same body is kept once");
    store.delete_recording(old).unwrap();
    assert_eq!(store.sweep().unwrap(), 0, "it can still be restored");
    db.execute("update recordings set deleted_at = '2026-01-01T00:00:00.000Z' where id = ?1", [old]).unwrap();
    assert_eq!(store.sweep().unwrap(), 1);
    assert!(matches!(store.restore_recording(old), Err(StoreError::NotFound(..))));
    assert_eq!(store.bodies(kept).unwrap().into_values().collect::<Vec<_>>(), [b"shared by both".to_vec()]);
    for (table, left) in [("recordings", 1), ("loads", 1), ("frames", 1), ("bodies", 1), ("recording_bodies", 1)] {
        assert_eq!(count(&db, table), left, "{table}");
    }
}
