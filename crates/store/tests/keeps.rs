//! What the store acknowledged is there when it is opened again, whole or not at all.

#![allow(clippy::unwrap_used)]

use phainon_core::{ Prepared,Effort, EditKind, Load, Millis, NoBodies, Request, ResourceKind, Risk, Source, analyse};
use phainon_formats::{BodyMap, RawLoad, body_hash};
use phainon_store::{FixState, NewFix, NewLoad, NewRecording, PackedBodies, PackedLoad, Store, StoreError};

fn fix(target: &str, on_path: f64) -> NewFix {
    NewFix {
        kind: EditKind::DeferScript,
        target: target.into(),
        title: format!("Defer {target}"),
        owner: "tidemark".into(),
        effort: Effort::Medium,
        risk: Risk::MayBreak,
        on_path_ms: Millis(on_path),
        finding_key: format!("render-blocking-script {target}"),
        finding_title: "x".into(),
        recording: None,
        load: None,
        state: None,
        reason: None,
    }
}

fn add(store: &mut Store) -> i64 {
    let mut load = Load::empty("http://www.skerryline.test/");
    load.requests.push(Request::new(0, "http://www.skerryline.test/", ResourceKind::Document));
    let raw = RawLoad { requests: Some(load.requests.clone()), trace: Some(b"[]".to_vec()), ..RawLoad::default() };
    let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
    let body = b"<h1>Skerry Line</h1>".to_vec();
    let bodies: BodyMap = [(body_hash(&body), body)].into();
    store
        .add_recording(&NewRecording {
            site: "skerryline.test",
            page: "Home",
            url: "http://www.skerryline.test/",
            source: Source::Har,
            conditions: None,
            browser: None,
            machine: None,
            recorded_at: "2026-11-24T09:00:00Z",
            imported_from: None,
            summary: None,
            loads: &[PackedLoad::of(&NewLoad {
                raw: &raw,
                load: Some(&load),
                analysis: Some(&analysis),
                tracks: Some(b"t"),
            })
            .unwrap()],
            bodies: &PackedBodies::of(&bodies),
            detail: None,
        })
        .unwrap()
}

#[test]
fn a_recording_and_its_parts_outlive_the_process() {
    let directory = tempfile::tempdir().unwrap();
    let id = add(&mut Store::open(directory.path()).unwrap());
    let mut store = Store::open(directory.path()).unwrap();
    assert_eq!(store.recordings().unwrap().len(), 1);
    assert!(store.analysis(id, 1).unwrap().contains("\"metrics\""));
    let stored = store.load(id, 1).unwrap();
    assert_eq!(stored.raw.trace.as_deref(), Some(b"[]".as_slice()));
    assert_eq!(stored.load.unwrap().requests.len(), 1);
    let bodies = store.bodies(id).unwrap();
    assert_eq!(bodies.values().next().unwrap(), b"<h1>Skerry Line</h1>");

    store.delete_recording(id).unwrap();
    assert!(matches!(store.analysis(id, 1), Err(StoreError::NotFound(..))));
    assert_eq!(store.sweep().unwrap(), 0, "a deleted recording stays for a day");
    store.restore_recording(id).unwrap();
    assert_eq!(store.recording(id).unwrap().page, "Home");
    assert!(matches!(store.load(id, 2), Err(StoreError::NotFound("load", _))));
}

#[test]
fn a_plan_keeps_order_state_and_reason() {
    let directory = tempfile::tempdir().unwrap();
    let mut store = Store::open(directory.path()).unwrap();
    let small = store.add_fix("skerryline.test", &fix("a.js", 100.0)).unwrap();
    let large = store.add_fix("skerryline.test", &fix("b.js", 900.0)).unwrap();
    let ids = |store: &Store| store.plan("skerryline.test").unwrap().fixes.iter().map(|f| f.id).collect::<Vec<_>>();
    assert_eq!(ids(&store), [large, small], "by milliseconds on the path");
    assert_eq!(store.add_fix("skerryline.test", &fix("a.js", 950.0)).unwrap(), small, "the same fix is there once");
    assert_eq!(ids(&store), [small, large]);
    store.order_plan("skerryline.test", Some(&[large, small])).unwrap();
    store.set_fix_state("skerryline.test", large, FixState::SetAside, Some("needed")).unwrap();

    let mut store = Store::open(directory.path()).unwrap();
    let plan = store.plan("skerryline.test").unwrap();
    assert!(plan.own_order);
    assert_eq!(ids(&store), [small, large], "what is set aside comes last");
    assert_eq!(plan.fixes[1].reason.as_deref(), Some("needed"));
    store.set_fix_state("skerryline.test", large, FixState::Open, Some("needed")).unwrap();
    assert_eq!(store.plan("skerryline.test").unwrap().fixes[0].reason, None);
    assert!(matches!(store.remove_fix("elsewhere.test", large), Err(StoreError::NotFound(..))));
    assert!(store.plan("elsewhere.test").unwrap().fixes.is_empty());
}
