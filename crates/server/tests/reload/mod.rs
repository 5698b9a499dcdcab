//! Recording small pages of one's own, and loading them again.

#![allow(clippy::unwrap_used, dead_code)]

use phainon_core::{Conditions, Edit, Load, Visit, preset};
use phainon_formats::{BodyMap, Detail, Manifest, ManifestLoad, RawLoad, archive};
use phainon_local::LocalHosts;
use phainon_recorder::{RecordRequest, Step, record_whole};
use phainon_replay::{Answered, Replay};
use phainon_server::read_loads;
use phainon_server::trial::{Base, HandMade, SeenLoad, request_of, seen_of};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{Mutex, mpsc};

/// Browsers measure each other when two run at once; these tests take turns.
pub static TURN: Mutex<()> = Mutex::const_new(());

/// On a quick line, so that a load takes little more than its quiet at the end.
pub fn conditions() -> Conditions {
    preset("home-laptop").unwrap()
}

/// Recorded loads with their bodies.
pub struct Recorded {
    pub raw: Vec<RawLoad>,
    pub bodies: BodyMap,
    pub detail: Option<Detail>,
}

impl Recorded {
    pub async fn of(mut request: RecordRequest) -> Self {
        request.limits.quiet = Duration::from_millis(700);
        let (sender, _held) = mpsc::unbounded_channel();
        let recording = record_whole(&request, sender).await.unwrap();
        Self { raw: recording.loads, bodies: recording.bodies, detail: recording.detail }
    }

    /// Of a page of a site whose hosts all lead there.
    pub async fn from(site: &LocalHosts, hosts: &[&str], mut request: RecordRequest) -> Self {
        request.hosts = hosts.iter().map(|host| ((*host).to_owned(), site.address())).collect();
        request.trusted_key = Some(site.key_hash().to_owned());
        let recorded = Self::of(request).await;
        assert_eq!(recorded.raw[0].failed, None);
        recorded
    }

    pub fn seen(&self) -> Vec<SeenLoad> {
        seen_of(&read_loads(self.raw.clone(), &self.bodies, &Arc::default(), None).unwrap().loads, Visit::First)
    }

    pub fn load(&self) -> Arc<Load> {
        self.seen()[0].load.clone()
    }

    /// As a file that can be imported.
    pub fn archive(&self) -> Vec<u8> {
        let manifest = Manifest {
            format: Manifest::FORMAT.into(),
            version: 1,
            url: self.load().url.to_string(),
            page: None,
            conditions: Some(conditions()),
            browser: None,
            recorded_at: None,
            machine: None,
            blocked: Vec::new(),
            loads: vec![ManifestLoad::default(); self.raw.len()],
        };
        let loads: Vec<_> = self.raw.iter().map(|raw| (raw, None)).collect();
        archive::write(Vec::new(), &manifest, &loads, &self.bodies, self.detail.as_ref()).unwrap()
    }

    pub fn base(&self) -> Base {
        let body = |hash: &str| self.bodies.get(hash).cloned();
        Base::of(self.load(), None, &body, self.detail.as_ref(), Arc::default(), None).unwrap()
    }
}

/// A load that was made again.
pub struct Again {
    pub recorded: Recorded,
    pub answered: Answered,
    pub unknown: BTreeMap<String, u32>,
}

impl Again {
    pub fn title(&self) -> String {
        self.recorded.load().title.clone().unwrap()
    }
}

/// Loads a book again, with what a scripted user does.
pub async fn again(base: &Base, edits: &[&str], by_hand: &[HandMade], steps: &str) -> Again {
    let edits: Vec<Edit> = edits.iter().map(|e| Edit::parse(e, &base.prepared).unwrap()).collect();
    let (book, _) = base.with(&edits, by_hand).unwrap();
    let replay = Replay::start(book).await.unwrap();
    let mut request = request_of(&replay, &base.course(1, false, None));
    request.steps = Step::parse_all(steps).unwrap();
    let recorded = Recorded::of(request).await;
    let told = replay.next_load();
    Again { recorded, answered: told.answered, unknown: told.unknown }
}
