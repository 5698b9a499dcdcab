//! A search under way: what it runs, how the pages then stand, and how many sets that were.

use super::PlanPage;
use super::aims::{Aims, Standing};
use super::bits::Bits;
use crate::{Bodies, Edit};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use ts_rs::TS;

/// A fix that could be made.
#[derive(Debug, Clone)]
pub struct Candidate {
    /// What it does.
    pub edit: Edit,
    /// What it costs, in points of effort.
    pub effort: f64,
}

/// What is asked.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "ask")]
#[ts(export_to = "types.ts")]
pub enum Question {
    /// The least effort that brings every page within its targets.
    LeastEffort,
    /// The best that can be had with so much effort.
    Best {
        /// Points.
        effort: f64,
    },
}

/// Told how many sets were run so far; says whether to go on.
pub type Watch<'a> = &'a (dyn Fn(u64) -> bool + Sync);

/// A search.
pub struct Search<'a> {
    /// What counts.
    pub pages: &'a [PlanPage],
    /// What could be made.
    pub candidates: &'a [Candidate],
    /// What is to be reached.
    pub aims: &'a Aims,
    /// The bodies that edits need.
    pub bodies: &'a (dyn Bodies + Sync),
    /// Follows it.
    pub watch: Watch<'a>,
}

/// A search under way, over those candidates that move anything.
pub(super) struct Run<'a> {
    search: &'a Search<'a>,
    /// Places of the candidates, by their bits.
    pub movers: Vec<usize>,
    sets: AtomicU64,
    stopped: AtomicBool,
}

impl<'a> Run<'a> {
    pub fn new(search: &'a Search<'a>, movers: Vec<usize>) -> Self {
        Self { search, movers, sets: AtomicU64::new(0), stopped: AtomicBool::new(false) }
    }

    /// How many sets were run so far.
    pub fn sets(&self) -> u64 {
        self.sets.load(Ordering::Relaxed)
    }

    /// How the pages stand with a set of fixes.
    pub fn standing(&self, set: Bits) -> Standing {
        let edits: Vec<&Edit> = set.places().map(|bit| &self.search.candidates[self.movers[bit]].edit).collect();
        self.counted();
        self.search.standing(&edits)
    }

    /// The same of several sets at once.
    pub fn standings(&self, sets: &[Bits]) -> Vec<Standing> {
        sets.par_iter().map(|set| self.standing(*set)).collect()
    }

    pub fn effort(&self, bit: usize) -> f64 {
        self.search.candidates[self.movers[bit]].effort
    }

    pub fn efforts(&self, set: Bits) -> f64 {
        set.places().map(|bit| self.effort(bit)).sum()
    }

    pub fn stopped(&self) -> bool {
        self.stopped.load(Ordering::Relaxed)
    }

    pub fn counted(&self) {
        let sets = self.sets.fetch_add(1, Ordering::Relaxed) + 1;
        if !(self.search.watch)(sets) {
            self.stopped.store(true, Ordering::Relaxed);
        }
    }
}

impl Search<'_> {
    /// How the pages stand with edits: means by their shares.
    pub(super) fn standing(&self, edits: &[&Edit]) -> Standing {
        let each: Vec<Standing> =
            self.pages.par_iter().map(|page| self.aims.standing(&page.with(edits, self.bodies))).collect();
        let shares: f64 = self.pages.iter().map(|p| p.share).sum();
        let mean = |of: fn(&Standing) -> f64| {
            let sum: f64 = self.pages.iter().zip(&each).map(|(page, standing)| page.share * of(standing)).sum();
            if shares > 0.0 { sum / shares } else { 0.0 }
        };
        Standing { over: mean(|s| s.over), pace: mean(|s| s.pace) }
    }
}
