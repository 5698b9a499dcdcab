//! What the store acknowledged is there when it is opened again, whole or not at all.

#![allow(clippy::unwrap_used)]

mod kept;

use kept::{add, detail, head, packed, raw};
use phainon_core::plan::{Need, OwnerNote};
use phainon_core::{Analysis, Edit, Millis, Owner, ResourceKey, Settings, Visit};
use phainon_store::{
    AboutFix, Ended, FixState, NewFix, NotedOwner, PackedBodies, Page, Part, PlanPageChoice, Store, StoreError,
};

fn fix(target: &str, on_path: f64) -> NewFix {
    NewFix {
        edit: Edit::DeferScript { file: ResourceKey::of(&format!("http://www.skerryline.test/{target}")) },
        owner: Owner::named("tidemark"),
        on_path_ms: Millis(on_path),
        finding_key: format!("render-blocking-script {target}"),
        finding_title: "x".into(),
        recording: None,
        load: None,
        state: None,
        reason: None,
        about: None,
    }
}

fn all() -> Page {
    Page { limit: 100, ..Page::default() }
}

#[test]
fn a_recording_and_its_parts_outlive_the_process() {
    let directory = tempfile::tempdir().unwrap();
    let id = add(&Store::open(directory.path()).unwrap(), "Home", "2026-11-24T09:00:00Z", &["<h1>Skerry Line</h1>"]);
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.recordings(&all()).unwrap().rows.len(), 1);
    let analysis: Analysis = store.part(id, 1, Part::Overview).unwrap().unwrap().value().unwrap();
    assert_eq!(analysis.metrics.requests, 1);
    let raw = store.stored_load(id, 1).unwrap().raw().unwrap();
    assert_eq!((raw.requests.unwrap().len(), raw.frames[0].1.as_slice()), (1, b"a picture".as_slice()));
    assert_eq!(store.load(id, 1).unwrap().requests.len(), 1);
    assert_eq!(store.bodies(id).unwrap().values().next().unwrap(), b"<h1>Skerry Line</h1>");

    store.delete_recording(id).unwrap();
    assert!(matches!(store.part(id, 1, Part::Overview), Err(StoreError::NotFound("recording", _))));
    assert_eq!(store.sweep().unwrap(), 0, "a deleted recording stays for a day");
    store.restore_recording(id).unwrap();
    assert_eq!(store.recording(id).unwrap().page, "Home");
    assert!(matches!(store.load(id, 2), Err(StoreError::NotFound("load", _))));
}

#[test]
fn loads_come_one_by_one_and_a_broken_off_recording_keeps_those_it_has() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let mut new = head("Home", "2026-11-24T09:00:00Z");
    (new.wanted_loads, new.ended) = (Some(20), Ended::Recording);
    let id = store.begin_recording(&new).unwrap();
    let (first, summary) = packed(&raw(&["one"]));
    let none = PackedBodies::default();
    store.add_load(id, 1, &first, &none, Some("Chromium 1"), summary.as_ref()).unwrap();
    let mut again = raw(&["two"]);
    again.visit = Visit::Return;
    store.add_load(id, 2, &packed(&again).0, &none, Some("Chromium 2"), summary.as_ref()).unwrap();
    assert!(store.add_load(id, 2, &packed(&again).0, &none, None, None).is_err(), "a load is kept once");
    store.set_detail(id, &detail()).unwrap();
    drop(store);

    // The program was killed here.
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.break_off_unfinished().unwrap(), 1);
    let head = store.recording(id).unwrap();
    assert_eq!(
        (head.ended, head.wanted_loads, head.browser.as_deref()),
        (Ended::BrokenOff, Some(20), Some("Chromium 1"))
    );
    assert_eq!(head.loads.iter().map(|l| l.visit).collect::<Vec<_>>(), [Visit::First, Visit::Return]);
    assert_eq!(head.summary.unwrap().representative, 1);
    assert_eq!(store.detail(id).unwrap().unwrap().notes.len(), 1);
}

#[test]
fn a_plan_keeps_order_state_and_reason() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let small = store.add_fix("skerryline.test", &fix("a.js", 100.0)).unwrap();
    let large = store.add_fix("skerryline.test", &fix("b.js", 900.0)).unwrap();
    let ids = |store: &Store| store.plan("skerryline.test").unwrap().fixes.iter().map(|f| f.id).collect::<Vec<_>>();
    assert_eq!(ids(&store), [large, small], "by milliseconds on the path");
    assert_eq!(store.add_fix("skerryline.test", &fix("a.js", 950.0)).unwrap(), small, "the same fix is there once");
    assert_eq!(ids(&store), [small, large]);
    store.order_plan("skerryline.test", Some(&[large, small])).unwrap();
    store.set_fix_state("skerryline.test", large, FixState::SetAside, Some("needed")).unwrap();

    let store = Store::open(directory.path()).unwrap();
    let plan = store.plan("skerryline.test").unwrap();
    assert!(plan.own_order);
    assert_eq!(ids(&store), [small, large], "what is set aside comes last");
    assert_eq!(
        (plan.fixes[1].reason.as_deref(), plan.fixes[1].fix.title.as_str()),
        (Some("needed"), "Defer b.js, and whatever depends on it, in order")
    );
    store.set_fix_state("skerryline.test", large, FixState::Open, Some("needed")).unwrap();
    assert_eq!(store.plan("skerryline.test").unwrap().fixes[0].reason, None);
    assert!(matches!(store.remove_fix("elsewhere.test", large), Err(StoreError::NotFound(..))));
    assert!(store.plan("elsewhere.test").unwrap().fixes.is_empty());
}

#[test]
fn what_is_known_of_fixes_owners_and_pages_is_kept_and_shapes_the_plan() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let site = "skerryline.test";
    let owner = Owner::named("parleydock.test");
    let remove = NewFix { edit: Edit::RemoveOwner { owner: owner.clone() }, owner: owner.clone(), ..fix("a.js", 5.0) };
    let id = store.add_fix(site, &remove).unwrap();
    assert_eq!(store.plan(site).unwrap().fixes[0].effort, 1.0, "as its kind usually takes");
    let note = OwnerNote { need: Need::Needed, holds_data: true, decides: "Runa".into(), ..OwnerNote::default() };
    store.note_owner(site, &NotedOwner { owner: owner.clone(), note: note.clone() }).unwrap();
    let about = AboutFix { who: "Tolly".into(), done_at: None, ..AboutFix::default() };
    store.set_about_fix(site, id, &about).unwrap();
    store.set_fix_state(site, id, FixState::Done, None).unwrap();
    let page = PlanPageChoice {
        page: "Home".into(),
        conditions: "Home laptop".into(),
        share: Some(30.0),
        left_out: true,
        recording: None,
    };
    store.set_plan_page(site, &page).unwrap();

    let store = Store::open(directory.path()).unwrap();
    let found = store.plan(site).unwrap().fixes.remove(0);
    assert_eq!((found.effort, found.about.who.as_str(), found.because.len()), (8.0, "Tolly", 3));
    let done = found.about.done_at.clone().unwrap();
    store.set_fix_state(site, id, FixState::Done, None).unwrap();
    assert_eq!(store.plan(site).unwrap().fixes[0].about.done_at, Some(done), "done is done once");
    store.set_fix_state(site, id, FixState::Open, None).unwrap();
    assert_eq!(store.plan(site).unwrap().fixes[0].about.done_at, None);
    store.set_about_fix(site, id, &AboutFix { effort: Some(2.5), ..about }).unwrap();
    assert_eq!(store.plan(site).unwrap().fixes[0].effort, 2.5, "the user's word stands before the rule");
    assert_eq!(store.plan_pages(site).unwrap(), [page]);
    assert_eq!(store.owner_notes(site).unwrap()[0].note, note);
    store.note_owner(site, &NotedOwner { owner, note: OwnerNote::default() }).unwrap();
    assert!(store.owner_notes(site).unwrap().is_empty(), "a note that says nothing is none");
    assert!(matches!(store.set_about_fix(site, id + 1, &AboutFix::default()), Err(StoreError::NotFound(..))));
}

#[test]
fn a_list_is_handed_out_in_pages_and_by_words() {
    let store = Store::temporary().unwrap();
    for n in 0..25 {
        let page = if n % 5 == 0 { "Booking 100%" } else { "Home" };
        add(&store, page, &format!("2026-11-{:02}T09:00:00Z", n + 1), &["x"]);
    }
    let page = |filter: &str, limit, offset| {
        let page = Page { filter: filter.into(), limit, offset, site: None };
        store.recordings(&page).unwrap()
    };
    let first = page("", 10, 0);
    assert_eq!((first.rows.len(), first.matching, first.all), (10, 25, 25));
    assert_eq!(
        (&*first.rows[0].recorded_at, &*page("", 10, 20).rows[4].recorded_at),
        ("2026-11-25T09:00:00Z", "2026-11-01T09:00:00Z")
    );
    assert_eq!(page("booking SKERRYLINE", 10, 0).matching, 5, "all words, in any place");
    assert_eq!(
        (page("0% home", 10, 0).matching, page("_", 10, 0).matching),
        (0, 0),
        "signs of the search's own are signs"
    );
    assert_eq!(
        store.recordings(&Page { site: Some("other.test".into()), limit: 5, ..Page::default() }).unwrap().matching,
        0
    );
}

#[test]
fn weight_over_pages_is_asked_of_tables() {
    let store = Store::temporary().unwrap();
    let home = add(&store, "Home", "2026-11-24T09:00:00Z", &["12345", "1234567890"]);
    let other = add(&store, "Other", "2026-11-24T09:00:00Z", &["12345"]);
    let weight = store.site_weight(&[(home, 1), (other, 1)]).unwrap();
    let bytes: Vec<u64> = weight.pages.iter().map(|b| b.0).collect();
    assert_eq!(bytes, [215, 105]);
    assert_eq!(
        (weight.files[0].file.as_str(), weight.files[0].pages, weight.files[0].together.0),
        ("www.skerryline.test/0", 2, 210)
    );
    assert_eq!(weight.on_every_page.0, 105);
    assert!(matches!(store.site_weight(&[(99, 1)]), Err(StoreError::NotFound(..))));
    assert_eq!(store.stale(&Settings::default().hash()).unwrap(), []);
}

#[test]
fn what_waits_in_line_and_saved_conditions_outlive_the_process() {
    let directory = tempfile::tempdir().unwrap();
    let store = Store::open(directory.path()).unwrap();
    let [first, second] = ["one", "two"].map(|text| store.enqueue(text).unwrap());
    store.save_conditions(&phainon_core::preset("home-laptop").unwrap()).unwrap();
    drop(store);
    let store = Store::open(directory.path()).unwrap();
    assert_eq!(store.waiting().unwrap(), [(first, "one".to_owned()), (second, "two".to_owned())]);
    store.dequeue(first).unwrap();
    assert_eq!(store.waiting().unwrap().len(), 1);
    assert_eq!(store.own_conditions().unwrap()[0].name, "Home laptop");
    store.remove_conditions("Home laptop").unwrap();
    assert!(matches!(store.remove_conditions("Home laptop"), Err(StoreError::NotFound(..))));
}
