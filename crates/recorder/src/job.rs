//! What one load is made with.

use crate::access::Access;
use crate::shaper::Shaper;
use crate::steps::Step;
use crate::trace_context::TraceContext;
use crate::{Progress, Stage};
use phainon_core::{Conditions, Visit};
use std::time::Duration;
use tokio::sync::mpsc;

/// When a load counts as over.
#[derive(Debug, Clone)]
pub struct LoadLimits {
    /// Network and main thread quiet for this long after the load event.
    pub quiet: Duration,
    /// At most this long from the start.
    pub longest: Duration,
    /// The bodies that one load may keep, in bytes unpacked.
    pub bodies: u64,
}

impl Default for LoadLimits {
    fn default() -> Self {
        Self { quiet: Duration::from_secs(2), longest: Duration::from_secs(45), bodies: 200 << 20 }
    }
}

/// What is switched on while the page loads. The bench loads pages bare to learn what it costs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Instruments {
    pub trace: bool,
    pub frames: bool,
    pub bodies: bool,
    /// Samples of the main thread's scripts, and the stacks of who forced style and layout.
    pub samples: bool,
}

impl Instruments {
    /// Everything that a recording needs.
    pub const ALL: Self = Self { trace: true, frames: true, bodies: true, samples: true };
    /// Nothing but the page's own observer.
    pub const BARE: Self = Self { trace: false, frames: false, bodies: false, samples: false };
}

/// What one load is made with.
pub(crate) struct LoadJob<'a> {
    pub url: &'a str,
    pub conditions: &'a Conditions,
    pub limits: &'a LoadLimits,
    pub instruments: Instruments,
    pub access: &'a Access,
    pub blocked: &'a [String],
    /// A script that runs before all others in every document.
    pub before: Option<&'a str>,
    pub shaper: &'a Shaper,
    pub program: &'a str,
    pub progress: &'a mpsc::UnboundedSender<Progress>,
    pub steps: &'a [Step],
    pub trusted_key: Option<&'a str>,
    /// The trace that its requests are part of.
    pub trace: Option<TraceContext>,
    pub visit: Visit,
    pub number: usize,
    pub of: usize,
}

impl LoadJob<'_> {
    /// Tells where the load is.
    pub(crate) fn stage(&self, stage: Stage, requests: usize, frame: Option<Vec<u8>>) {
        let progress = Progress { load: self.number, of: self.of, visit: self.visit, stage, requests, frame };
        let _ = self.progress.send(progress);
    }
}
