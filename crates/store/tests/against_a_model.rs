//! The store against a model of it in memory: after any changes in any order it says what the model says,
//! before and after it was closed and opened again.

#![allow(clippy::unwrap_used)]

mod kept;

use kept::add;
use phainon_core::{Edit, Millis, Owner, ResourceKey};
use phainon_store::{FixState, NewFix, Page, Store, StoreError};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

#[derive(Debug, Clone)]
enum Change {
    Add { page: u8, body: u8 },
    Delete { nth: u8 },
    Restore { nth: u8 },
    AddFix { file: u8, ms: u16 },
    SetFix { nth: u8, aside: bool },
    RemoveFix { nth: u8 },
    OrderFixes { turn: u8 },
    FreeOrder,
    Reopen,
}

fn change() -> impl Strategy<Value = Change> {
    prop_oneof![
        4 => (0u8..5, 0u8..4).prop_map(|(page, body)| Change::Add { page, body }),
        2 => any::<u8>().prop_map(|nth| Change::Delete { nth }),
        2 => any::<u8>().prop_map(|nth| Change::Restore { nth }),
        3 => (0u8..6, 0u16..2_000).prop_map(|(file, ms)| Change::AddFix { file, ms }),
        2 => (any::<u8>(), any::<bool>()).prop_map(|(nth, aside)| Change::SetFix { nth, aside }),
        1 => any::<u8>().prop_map(|nth| Change::RemoveFix { nth }),
        1 => any::<u8>().prop_map(|turn| Change::OrderFixes { turn }),
        1 => Just(Change::FreeOrder),
        1 => Just(Change::Reopen),
    ]
}

const SITE: &str = "skerryline.test";

#[derive(Default)]
struct Model {
    /// Every recording ever made, by id: its page, its text, whether it is there.
    recordings: BTreeMap<i64, (String, String, bool)>,
    /// Fixes by id: their file, their milliseconds, whether they are set aside.
    fixes: BTreeMap<i64, (u8, f64, bool)>,
    /// Fixes in the user's own order, where there is one.
    order: Option<Vec<i64>>,
}

fn nth<T: Copy>(of: &[T], nth: u8) -> Option<T> {
    (!of.is_empty()).then(|| of[usize::from(nth) % of.len()])
}

fn fix(file: u8, ms: f64) -> NewFix {
    NewFix {
        edit: Edit::DeferScript { file: ResourceKey::of(&format!("http://www.{SITE}/{file}.js")) },
        owner: Owner::named("tidemark"),
        on_path_ms: Millis(ms),
        finding_key: format!("render-blocking-script {file}"),
        finding_title: "x".into(),
        recording: None,
        load: None,
        state: None,
        reason: None,
        about: None,
    }
}

impl Model {
    fn act(&mut self, store: &Store, change: &Change) {
        let ids: Vec<i64> = self.recordings.keys().copied().collect();
        let fixes: Vec<i64> = self.fixes.keys().copied().collect();
        match *change {
            Change::Add { page, body } => {
                let (page, text) = (format!("Page {page}"), format!("text {body}"));
                let id = add(store, &page, "2026-11-24T09:00:00Z", &[&text]);
                assert!(self.recordings.insert(id, (page, text, true)).is_none(), "an id is given once");
            }
            Change::Delete { nth: n } => {
                let Some(id) = nth(&ids, n) else { return };
                let there = std::mem::replace(&mut self.recordings.get_mut(&id).unwrap().2, false);
                assert_eq!(store.delete_recording(id).is_ok(), there);
            }
            Change::Restore { nth: n } => {
                let Some(id) = nth(&ids, n) else { return };
                let there = std::mem::replace(&mut self.recordings.get_mut(&id).unwrap().2, true);
                assert_eq!(store.restore_recording(id).is_ok(), !there);
            }
            Change::AddFix { file, ms } => {
                let id = store.add_fix(SITE, &fix(file, f64::from(ms))).unwrap();
                let known = self.fixes.iter().find(|(_, f)| f.0 == file).map(|(id, f)| (*id, f.2));
                match known {
                    Some((before, aside)) => {
                        assert_eq!(id, before, "the same fix is there once");
                        self.fixes.insert(id, (file, f64::from(ms), aside));
                    }
                    None => {
                        assert!(self.fixes.insert(id, (file, f64::from(ms), false)).is_none());
                    }
                }
            }
            Change::SetFix { nth: n, aside } => {
                let Some(id) = nth(&fixes, n) else { return };
                let (state, why) = if aside { (FixState::SetAside, Some("so")) } else { (FixState::Open, None) };
                store.set_fix_state(SITE, id, state, why).unwrap();
                self.fixes.get_mut(&id).unwrap().2 = aside;
            }
            Change::RemoveFix { nth: n } => {
                let Some(id) = nth(&fixes, n) else { return };
                store.remove_fix(SITE, id).unwrap();
                self.fixes.remove(&id);
                assert!(matches!(store.remove_fix(SITE, id), Err(StoreError::NotFound(..))));
            }
            Change::OrderFixes { turn } => {
                let mut order = fixes;
                let by = usize::from(turn) % order.len().max(1);
                order.rotate_left(by);
                store.order_plan(SITE, Some(&order)).unwrap();
                self.order = Some(order);
            }
            Change::FreeOrder => {
                store.order_plan(SITE, None).unwrap();
                self.order = None;
            }
            Change::Reopen => {}
        }
    }

    fn holds(&self, store: &Store) {
        let there: BTreeMap<i64, &(String, String, bool)> =
            self.recordings.iter().filter(|(_, r)| r.2).map(|(id, r)| (*id, r)).collect();
        let list = store.recordings(&Page { limit: 100, ..Page::default() }).unwrap();
        assert_eq!(
            (usize::try_from(list.all).unwrap(), usize::try_from(list.matching).unwrap()),
            (there.len(), there.len())
        );
        let listed: BTreeSet<i64> = list.rows.iter().map(|r| r.id).collect();
        assert_eq!(listed, there.keys().copied().collect());
        for row in &list.rows {
            let (page, text, _) = there[&row.id];
            assert_eq!(&row.page, page);
            let bodies = store.bodies(row.id).unwrap();
            assert_eq!(bodies.values().collect::<Vec<_>>(), [text.as_bytes()], "and its body is there");
            assert_eq!(store.load(row.id, 1).unwrap().requests.len(), 1);
        }
        for (id, _) in self.recordings.iter().filter(|(_, r)| !r.2) {
            assert!(matches!(store.recording(*id), Err(StoreError::NotFound(..))));
        }
        let plan = store.plan(SITE).unwrap();
        let kept: BTreeMap<i64, f64> = plan.fixes.iter().map(|f| (f.id, f.on_path_ms.0)).collect();
        assert_eq!(kept, self.fixes.iter().map(|(id, f)| (*id, f.1)).collect());
        // What is set aside comes last; of the rest, those in the user's own order come in it.
        let aside: Vec<bool> = plan.fixes.iter().map(|f| f.state == FixState::SetAside).collect();
        assert!(aside.is_sorted(), "{aside:?}");
        let active: Vec<i64> = plan.fixes.iter().filter(|f| f.state != FixState::SetAside).map(|f| f.id).collect();
        if let Some(order) = &self.order {
            let placed: Vec<i64> = order.iter().copied().filter(|id| active.contains(id)).collect();
            let found: Vec<i64> = active.iter().copied().filter(|id| placed.contains(id)).collect();
            assert_eq!(found, placed);
        } else {
            let by_ms: Vec<f64> = active.iter().map(|id| self.fixes[id].1).collect();
            assert!(by_ms.is_sorted_by(|a, b| a >= b), "by milliseconds on the path: {by_ms:?}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn any_changes_in_any_order_are_kept(changes in prop::collection::vec(change(), 1..40)) {
        let directory = tempfile::tempdir().unwrap();
        let mut store = Store::open(directory.path()).unwrap();
        let mut model = Model::default();
        for change in &changes {
            if matches!(change, Change::Reopen) {
                drop(store);
                store = Store::open(directory.path()).unwrap();
            }
            model.act(&store, change);
        }
        model.holds(&store);
        drop(store);
        model.holds(&Store::open(directory.path()).unwrap());
    }
}
