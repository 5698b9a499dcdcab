//! Steps before the measured load: a log-in in a tab of its own, in the profile of that load.

use crate::browser::Browser;
use crate::job::{Instruments, LoadJob, LoadLimits};
use crate::protocol::CALL;
use crate::tab;
use crate::watch::Watcher;
use crate::{RecordError, Stage};
use serde_json::json;
use std::time::Duration;
use tokio::time::Instant;

/// Quiet for this long is enough between steps: nothing is timed here.
const QUIET: Duration = Duration::from_millis(700);

/// Does the steps and empties the cache that they filled, so that the load after it is a first visit
/// of somebody who is logged in.
pub(crate) async fn log_in(job: &LoadJob<'_>, browser: &mut Browser) -> Result<(), RecordError> {
    if job.access.log_in.is_empty() {
        return Ok(());
    }
    job.stage(Stage::LoggingIn, 0, None);
    let limits = LoadLimits { quiet: QUIET, ..job.limits.clone() };
    let before = LoadJob {
        url: job.access.log_in_at.as_deref().unwrap_or(job.url),
        limits: &limits,
        instruments: Instruments::BARE,
        steps: &[],
        ..*job
    };
    let client = browser.client.clone();
    let tab = tab::open(&before, browser).await?;
    let (session, target) = (tab.session.clone(), tab.target_id.clone());
    let failed = |why: String| RecordError::Other(format!("Logging in failed: {why}"));
    let mut watcher = Watcher::new(&before, &client, tab);
    watcher.navigate(&mut browser.events).await.map_err(|e| failed(e.to_string()))?;
    watcher.until_quiet(&mut browser.events, Instant::now()).await?;
    for step in &job.access.log_in {
        // What was typed is a secret: only the step's kind and place are told.
        let Some(world) = watcher.world else {
            return Err(failed(format!("the step “{}” had no page to act on.", step.without_text())));
        };
        let act = async { Ok(step.act(&client, &session, world, job.conditions.mobile).await) };
        match watcher.while_waiting(&mut browser.events, act).await? {
            // A click that leads to another page ends the world in which its answer was waited for.
            Ok(()) | Err(RecordError::Refused(..)) => {}
            Err(error) => return Err(failed(error.to_string())),
        }
        watcher.expect_navigation();
        watcher.until_quiet(&mut browser.events, Instant::now()).await?;
    }
    if let Some(status) = watcher.traffic.document("").and_then(|d| d.status).filter(|s| *s >= 400) {
        return Err(failed(format!("the page after it answered {status}.")));
    }
    client.call(Some(&session), "Network.clearBrowserCache", json!({}), CALL).await?;
    let _ = client.call(None, "Target.closeTarget", json!({"targetId": target}), CALL).await;
    Ok(())
}
