//! Room: what is told of it, and how it is made, on a full disk too.

#![allow(clippy::unwrap_used)]

mod kept;

use kept::{add, head, packed, raw};
use phainon_formats::{RawLoad, TraceText};
use phainon_store::{
    Derived, Ended, Kept, NewLoad, NewRecording, PackedBodies, PackedLoad, Part, RecordingHead, Store, StoreError,
    Thinning,
};
use rand::{RngCore, SeedableRng};
use std::path::{Path, PathBuf};
use std::process::Command;

const OLD: &str = "2026-01-05T09:00:00Z";

/// A recording whose trace does not pack.
fn add_big(store: &Store, page: &str, megabytes: usize) -> Result<i64, StoreError> {
    let mut noise = vec![0u8; megabytes << 20];
    rand_chacha::ChaCha8Rng::seed_from_u64(7).fill_bytes(&mut noise);
    let light = raw(&["<p>"]);
    let (_, summary) = packed(&light);
    let prepared = phainon_core::Prepared::plain(light.assemble().unwrap());
    let analysis = phainon_core::analyse(&prepared, &phainon_core::NoBodies);
    let derived = Derived { load: &prepared.load, analysis: &analysis, tracks: None };
    let heavy = RawLoad { trace: Some(TraceText::of(&noise)), ..light };
    let load = PackedLoad::of(&NewLoad { raw: &heavy, derived: Some(derived) }).unwrap();
    let bodies = PackedBodies::default();
    let whole = phainon_store::WholeRecording {
        head: head(page, OLD),
        loads: &[load],
        bodies: &bodies,
        named: &[],
        detail: None,
        summary: summary.as_ref(),
    };
    store.add_recordings(&[whole]).map(|ids| ids[0])
}

fn size(directory: &Path) -> u64 {
    directory.join("phainon.sqlite").metadata().unwrap().len()
}

fn listed(store: &Store) -> Vec<RecordingHead> {
    store.recordings(&phainon_store::Page { limit: 100, ..Default::default() }).unwrap().rows
}

#[test]
fn what_takes_the_room_is_told_by_kind_and_by_age() {
    let store = Store::temporary().unwrap();
    add(&store, "Home", OLD, &["<h1>old and new</h1>", "only old"]);
    add(&store, "Home", &chrono::Utc::now().to_rfc3339(), &["<h1>old and new</h1>"]);
    let big = add_big(&store, "Big", 3).unwrap();
    let room = store.room().unwrap();
    assert_eq!((room.by_kind[0].what, room.by_kind[0].count), (Kept::Traces, 1));
    assert!(room.by_kind[0].bytes >= 3 << 20);
    let bodies = room.by_kind.iter().find(|k| k.what == Kept::Bodies).unwrap();
    assert_eq!((bodies.count, bodies.bytes), (2, 28));
    assert!(room.file_bytes > 3 << 20 && room.disk_free_bytes.unwrap() > 0);
    let of = |days: u32| room.older.iter().find(|o| o.days == days).unwrap();
    assert_eq!((of(0).recordings, of(7).recordings, of(90).recordings, of(365).recordings), (3, 2, 2, 0));
    // The body that a newer recording uses too would not go.
    assert_eq!(of(90).droppable_bytes, room.by_kind[0].bytes + 8);
    assert_eq!((room.deleted_recordings, room.deleted_bytes), (0, 0));
    store.delete_recording(big).unwrap();
    let room = store.room().unwrap();
    assert_eq!((room.deleted_recordings, room.older[0].recordings), (1, 2));
    assert!(room.deleted_bytes >= 3 << 20);
}

#[test]
fn traces_and_bodies_of_old_recordings_go_and_their_figures_stay() {
    let store = Store::temporary().unwrap();
    let old = add_big(&store, "Old", 1).unwrap();
    let also = add(&store, "Old", OLD, &["shared", "alone"]);
    let new = add(&store, "New", &chrono::Utc::now().to_rfc3339(), &["shared"]);
    let before = listed(&store);
    let parts = |id| [Part::Overview, Part::Load, Part::Requests].map(|p| store.part(id, 1, p).unwrap().is_some());
    let kept = parts(also);
    assert_eq!(store.thin(30, Thinning::DropRaw).unwrap(), 2);
    assert_eq!(store.thin(30, Thinning::DropRaw).unwrap(), 0, "nothing is dropped twice");
    assert!(store.part(old, 1, Part::Trace).unwrap().is_none());
    assert_eq!((parts(also), store.bodies(also).unwrap().len(), store.bodies(new).unwrap().len()), (kept, 0, 1));
    let after = listed(&store);
    for (before, after) in before.iter().zip(&after) {
        assert_eq!((before.id, &before.summary), (after.id, &after.summary));
        assert_eq!(after.thinned_at.is_some(), after.id != new);
    }
    // What cannot be read anew any more is not tried: its figures would go.
    let stale: Vec<i64> = store.stale("other settings").unwrap().into_iter().map(|(id, _)| id).collect();
    assert_eq!(stale, [new]);
    // What is being recorded is left alone.
    let under_way = NewRecording { ended: Ended::Recording, ..head("Under way", OLD) };
    let busy = store.begin_recording(&under_way).unwrap();
    assert_eq!(store.thin(30, Thinning::Delete).unwrap(), 2);
    store.end_recording(busy, Ended::Done).unwrap();
    assert_eq!(store.thin(30, Thinning::Delete).unwrap(), 1);
    assert_eq!(listed(&store).iter().map(|r| r.id).collect::<Vec<_>>(), [new]);
}

#[test]
fn what_is_deleted_for_good_gives_the_disk_its_room_back() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let small = add(&store, "Home", OLD, &["<h1>Home</h1>"]);
    let big = add_big(&store, "Big", 12).unwrap();
    store.thin(9_999, Thinning::Delete).unwrap();
    let full = size(directory.path());
    assert!(full > 12 << 20);
    store.delete_recording(big).unwrap();
    assert_eq!(store.purge("2999-01-01T00:00:00Z").unwrap(), 1);
    assert!(size(directory.path()) < full - (12 << 20), "{} of {full} bytes are left", size(directory.path()));
    assert_eq!(store.bodies(small).unwrap().len(), 1);
    assert_eq!(store.room().unwrap().unused_bytes, 0);
}

#[test]
fn a_data_file_of_an_earlier_version_gives_room_back_too() {
    let directory = tempfile::tempdir().unwrap();
    let db = rusqlite::Connection::open(directory.path().join("phainon.sqlite")).unwrap();
    db.execute_batch(include_str!("second_version.sql")).unwrap();
    db.pragma_update(None, "user_version", 2).unwrap();
    drop(db);
    let store = Store::open(directory.path()).unwrap();
    let before = size(directory.path());
    let big = add_big(&store, "Big", 4).unwrap();
    store.delete_recording(big).unwrap();
    store.purge("2999-01-01T00:00:00Z").unwrap();
    assert!(size(directory.path()) < before + (1 << 20));
}

/// A disk of its own, as small as one likes.
struct SmallDisk(PathBuf);

impl SmallDisk {
    /// `None` where this process may not mount one.
    fn of(megabytes: usize) -> Option<Self> {
        let place = tempfile::tempdir().unwrap().keep();
        let size = format!("size={megabytes}m");
        let mount = Command::new("mount").args(["-t", "tmpfs", "-o", &size, "tmpfs"]).arg(&place).output();
        mount.is_ok_and(|done| done.status.success()).then_some(Self(place))
    }
}

impl Drop for SmallDisk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
        let _ = std::fs::remove_dir(&self.0);
    }
}

#[test]
fn a_full_disk_refuses_and_deleting_makes_room() {
    let Some(disk) = SmallDisk::of(48) else {
        eprintln!("not tried: this process may not mount a small disk");
        return;
    };
    let store = Store::open(&disk.0).unwrap();
    let mut ids = Vec::new();
    let why = loop {
        match add_big(&store, "Big", 5) {
            Ok(id) => ids.push(id),
            Err(why) => break why,
        }
    };
    assert!(ids.len() >= 3, "{ids:?}");
    assert!(why.to_string().starts_with("The disk is full: "), "{why}");
    // To the last byte.
    let mut block = 1 << 20;
    let mut filler = std::fs::File::create(disk.0.join("filler")).unwrap();
    while block > 0 {
        if std::io::Write::write_all(&mut filler, &vec![1u8; block]).is_err() {
            block /= 2;
        }
    }
    assert_eq!(store.room().unwrap().disk_free_bytes, Some(0));
    // What was acknowledged is there, and is deleted for good though nothing can be written beside it.
    assert_eq!(listed(&store).len(), ids.len());
    store.delete_recording(ids[0]).unwrap();
    assert_eq!(store.purge("2999-01-01T00:00:00Z").unwrap(), 1);
    let free = store.room().unwrap().disk_free_bytes.unwrap();
    assert!(free > 3 << 20, "{free} bytes are free");
    assert!(store.thin(30, Thinning::DropRaw).unwrap() == ids.len() - 1);
    assert!(disk.0.join("phainon.reserve").exists(), "the reserve is there for the next time");
    add_big(&store, "Again", 5).unwrap();
    drop(store);
    assert_eq!(listed(&Store::open(&disk.0).unwrap()).len(), ids.len());
}
