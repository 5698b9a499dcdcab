//! The samples of a script profiler: where scripts were, many times a second.
//!
//! A [`Profile`] holds the samples as columns over a tree of call paths. [`functions`] turns a span
//! of it into time by function and by call path; [`stacks`] into the bars of the call stacks on the
//! time axis. Each sample stands for the time until the next one, so no moment is counted twice.

mod functions;
mod stacks;

pub use functions::{CallNode, FunctionTime, Functions, functions};
pub use stacks::{StackBar, stacks};

use crate::Millis;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// A place in code: a function as the browser names it.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct CodePlace {
    /// The function's name; empty for a script's outermost code and for functions without one.
    #[ts(type = "string")]
    pub function: Arc<str>,
    /// The script, where it has an address.
    #[ts(type = "string | null")]
    pub url: Option<Arc<str>>,
    /// Line of the function's beginning, from 1.
    pub line: Option<u32>,
}

/// What a place stands for that is not a function of a script.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pseudo {
    /// Nothing ran.
    Idle,
    /// The browser's own code.
    Browser,
    /// The collector of unused memory.
    Collector,
    /// The start of every path.
    Root,
}

impl CodePlace {
    /// What it stands for, where that is no function.
    #[must_use]
    pub fn pseudo(&self) -> Option<Pseudo> {
        if self.url.is_some() {
            return None;
        }
        match &*self.function {
            "(idle)" => Some(Pseudo::Idle),
            "(program)" => Some(Pseudo::Browser),
            "(garbage collector)" => Some(Pseudo::Collector),
            "(root)" => Some(Pseudo::Root),
            _ => None,
        }
    }
}

/// A call path: a function, called from the path that is its parent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct ProfileNode {
    /// Its place in [`Profile::places`].
    pub place: u32,
    /// Its caller's path, always of a smaller index.
    pub parent: Option<u32>,
}

/// Samples of the main thread, in order of time.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Profile {
    /// Every distinct place once.
    pub places: Vec<CodePlace>,
    /// Every call path that was seen.
    pub nodes: Vec<ProfileNode>,
    /// When each sample was taken.
    pub at: Vec<Millis>,
    /// Where it was: an index of `nodes`.
    pub node: Vec<u32>,
}

impl Profile {
    /// The pseudo place of a node, if it is one.
    pub(crate) fn pseudo(&self, node: u32) -> Option<Pseudo> {
        self.place(node).and_then(CodePlace::pseudo)
    }

    pub(crate) fn place(&self, node: u32) -> Option<&CodePlace> {
        self.places.get(self.nodes.get(node as usize)?.place as usize)
    }

    /// Puts samples in order and drops what points nowhere, so that the rest may rely on it.
    ///
    /// A profiler's clock steps back now and then; V8 writes such samples with a negative step.
    #[must_use]
    pub fn in_order(mut self) -> Self {
        let places = self.places.len();
        let valid = self
            .nodes
            .iter()
            .enumerate()
            .all(|(i, n)| (n.place as usize) < places && n.parent.is_none_or(|p| (p as usize) < i));
        if !valid {
            return Self::default();
        }
        let count = self.at.len().min(self.node.len());
        let known = self.nodes.len();
        let mut samples: Vec<(Millis, u32)> = self
            .at
            .iter()
            .copied()
            .zip(self.node.iter().copied())
            .take(count)
            .filter(|(_, node)| (*node as usize) < known)
            .collect();
        samples.sort_by(|a, b| a.0.order(&b.0));
        (self.at, self.node) = samples.into_iter().unzip();
        self
    }

    /// The span of time that each sample stands for: until the next one; the last for as long as
    /// the one before it.
    pub(crate) fn spans(&self) -> impl Iterator<Item = (Millis, Millis, u32)> + '_ {
        let count = self.at.len();
        let last = if count > 1 { self.at[count - 1] - self.at[count - 2] } else { Millis(1.0) };
        (0..count).map(move |i| {
            let end = self.at.get(i + 1).copied().unwrap_or(self.at[i] + last);
            (self.at[i], end, self.node[i])
        })
    }
}
