//! One load: from an empty profile to everything observed.

use crate::access::Access;
use crate::browser::Browser;
use crate::shaper::Shaper;
use crate::steps::Step;
use crate::watch::Watcher;
use crate::{Progress, RecordError, Stage, tab};
use phainon_core::{Conditions, Visit};
use phainon_formats::{BodyMap, RawLoad};
use serde_json::json;
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
    pub shaper: &'a Shaper,
    pub program: &'a str,
    pub progress: &'a mpsc::UnboundedSender<Progress>,
    pub steps: &'a [Step],
    pub trusted_key: Option<&'a str>,
    pub visit: Visit,
    pub number: usize,
    pub of: usize,
}

/// A load's raw parts, and its bodies.
pub(crate) struct LoadResult {
    pub raw: RawLoad,
    pub bodies: BodyMap,
}

impl LoadJob<'_> {
    pub(crate) fn stage(&self, stage: Stage, requests: usize, frame: Option<Vec<u8>>) {
        let progress = Progress { load: self.number, of: self.of, visit: self.visit, stage, requests, frame };
        let _ = self.progress.send(progress);
    }

    /// Starts a browser with an empty profile.
    pub async fn start_browser(&self) -> Result<Browser, RecordError> {
        self.stage(Stage::Starting, 0, None);
        let window = (self.conditions.width, self.conditions.height);
        Browser::start(self.program, self.shaper.port, window, self.trusted_key).await
    }

    /// Makes the load in a tab of its own. An error is a load without data; a load with data may
    /// still be marked failed.
    pub async fn drive(&self, browser: &mut Browser) -> Result<LoadResult, RecordError> {
        let client = browser.client.clone();
        let tab = tab::open(self, browser).await?;
        let target = tab.target_id.clone();
        let mut watcher = Watcher::new(self, &client, tab);
        let result = watcher.load(&mut browser.events).await;
        let result = match result {
            Ok((outcome, started_at)) => watcher.read_out(&mut browser.events, outcome, started_at).await,
            Err(error) => Err(error),
        };
        // A tab left open would go on working beside the return visit.
        client.tell(None, "Target.closeTarget", json!({"targetId": target}));
        result
    }
}
