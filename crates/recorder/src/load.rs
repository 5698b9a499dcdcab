//! One load: from an empty profile to everything observed.

use crate::browser::Browser;
use crate::job::LoadJob;
use crate::watch::Watcher;
use crate::{RecordError, Stage, tab};
use phainon_formats::{BodyMap, RawLoad};
use serde_json::json;

/// A load's raw parts, and its bodies.
pub(crate) struct LoadResult {
    pub raw: RawLoad,
    pub bodies: BodyMap,
}

impl LoadJob<'_> {
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
