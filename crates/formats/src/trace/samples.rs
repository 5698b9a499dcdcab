//! The profiler's samples: `Profile` begins one, `ProfileChunk`s bring call paths and samples.

use super::event::{Event, Thread};
use crate::figures::possible;
use phainon_core::Millis;
use phainon_core::profile::{CodePlace, Profile, ProfileNode};
use serde::Deserialize;
use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::Arc;

#[derive(Deserialize, Default)]
#[serde(default)]
struct ChunkArgs<'a> {
    #[serde(borrow)]
    data: Chunk<'a>,
}

#[derive(Deserialize, Default)]
#[serde(default, rename_all = "camelCase")]
struct Chunk<'a> {
    #[serde(borrow)]
    cpu_profile: Paths<'a>,
    time_deltas: Vec<f64>,
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct Paths<'a> {
    #[serde(borrow)]
    nodes: Vec<Node<'a>>,
    samples: Vec<u64>,
}

#[derive(Deserialize)]
struct Node<'a> {
    id: u64,
    parent: Option<u64>,
    #[serde(borrow, rename = "callFrame")]
    frame: Frame<'a>,
}

#[derive(Deserialize, Default)]
#[serde(default, rename_all = "camelCase")]
struct Frame<'a> {
    #[serde(borrow)]
    function_name: Cow<'a, str>,
    #[serde(borrow)]
    url: Cow<'a, str>,
    line_number: Option<f64>,
}

/// One profile as its chunks come.
#[derive(Default)]
struct Growing {
    profile: Profile,
    nodes: HashMap<u64, u32>,
    places: HashMap<CodePlace, u32>,
    names: HashMap<String, Arc<str>>,
    clock: f64,
    /// Chunks that could not be read.
    unread: usize,
    thread: Option<Thread>,
}

/// Collects the samples of all threads; which one is the page's is known in the end.
#[derive(Default)]
pub(super) struct Samples {
    growing: HashMap<(i64, u64), Growing>,
}

/// No more samples than this of one profile: an hour at ten thousand a second.
const MOST: usize = 36_000_000;

impl Samples {
    /// Takes a `Profile` event: where and when one begins.
    pub fn begin(&mut self, event: &Event<'_>) {
        let start = sonic_rs::get(event.raw_args(), ["data", "startTime"]).ok();
        let growing = self.growing.entry((event.thread().0, event.id)).or_default();
        growing.clock = start.and_then(|v| sonic_rs::JsonValueTrait::as_f64(&v)).and_then(possible).unwrap_or(event.ts);
        growing.thread = Some(event.thread());
    }

    /// Takes a `ProfileChunk`.
    pub fn chunk(&mut self, event: &Event<'_>, navigation_us: f64) {
        let growing = self.growing.entry((event.thread().0, event.id)).or_default();
        match sonic_rs::from_str::<ChunkArgs<'_>>(event.raw_args()) {
            Ok(args) => growing.add(&args.data, navigation_us),
            Err(_) => growing.unread += 1,
        }
    }

    /// The samples of one thread, and how many chunks of them could not be read.
    pub fn finish(self, main: Thread) -> (Option<Profile>, usize) {
        let mut unread = 0;
        let mut best: Option<Growing> = None;
        for growing in self.growing.into_values() {
            unread += growing.unread;
            if growing.thread.is_some_and(|t| t != main) {
                continue;
            }
            if best.as_ref().is_none_or(|b| b.profile.at.len() < growing.profile.at.len()) {
                best = Some(growing);
            }
        }
        let profile = best.map(|g| g.profile.in_order()).filter(|p| !p.at.is_empty());
        (profile, unread)
    }
}

impl Growing {
    fn intern(&mut self, text: &str) -> Arc<str> {
        if let Some(known) = self.names.get(text) {
            return known.clone();
        }
        let new: Arc<str> = text.into();
        self.names.insert(text.to_owned(), new.clone());
        new
    }

    fn add(&mut self, chunk: &Chunk<'_>, navigation_us: f64) {
        for node in &chunk.cpu_profile.nodes {
            if self.nodes.contains_key(&node.id) {
                continue;
            }
            let url = (!node.frame.url.is_empty()).then(|| self.intern(&node.frame.url));
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            // Here lines count from 0, and in stacks from 1.
            let line = node.frame.line_number.filter(|l| (0.0..4e9).contains(l)).map(|l| l as u32 + 1);
            let place = CodePlace { function: self.intern(&node.frame.function_name), url, line };
            let fresh = u32::try_from(self.profile.places.len()).unwrap_or(u32::MAX);
            let index = *self.places.entry(place.clone()).or_insert(fresh);
            if index == fresh {
                self.profile.places.push(place);
            }
            let here = u32::try_from(self.profile.nodes.len()).unwrap_or(u32::MAX);
            // A caller that has not been named yet would be a mistake of the file; the path begins here then.
            let parent = node.parent.and_then(|p| self.nodes.get(&p).copied());
            self.profile.nodes.push(ProfileNode { place: index, parent });
            self.nodes.insert(node.id, here);
        }
        for (sample, delta) in chunk.cpu_profile.samples.iter().zip(&chunk.time_deltas) {
            self.clock += possible(*delta).unwrap_or(0.0);
            let Some(node) = self.nodes.get(sample) else { continue };
            if self.clock < navigation_us || self.profile.at.len() >= MOST {
                continue;
            }
            self.profile.at.push(Millis((self.clock - navigation_us) / 1000.0));
            self.profile.node.push(*node);
        }
    }
}
