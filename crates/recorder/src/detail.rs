//! The load for what slows a page when asked: which code it used, and its look with inline styles alone.

use crate::browser::Browser;
use crate::job::{Instruments, LoadJob, LoadLimits};
use crate::log_in::log_in;
use crate::protocol::CALL;
use crate::tab;
use crate::watch::Watcher;
use crate::{RecordError, Stage};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use phainon_core::Note;
use phainon_core::metrics::Coverage;
use phainon_formats::Detail;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::time::Duration;
use tokio::time::Instant;

/// Quiet for this long after the load event is enough here: nothing is timed.
const QUIET: Duration = Duration::from_millis(1_200);

/// Loads the page once more in a browser of its own and reads what it used.
pub(crate) async fn detail(job: &LoadJob<'_>) -> Result<Detail, RecordError> {
    job.stage(Stage::Detail, 0, None);
    let mut browser = job.start_browser().await?;
    let result = match log_in(job, &mut browser).await {
        Ok(()) => look(job, &mut browser).await,
        Err(error) => Err(error),
    };
    browser.stop().await;
    result
}

async fn look(job: &LoadJob<'_>, browser: &mut Browser) -> Result<Detail, RecordError> {
    let limits = LoadLimits { quiet: QUIET, ..job.limits.clone() };
    let job = LoadJob { limits: &limits, instruments: Instruments::BARE, steps: &[], ..*job };
    let client = browser.client.clone();
    let tab = tab::open(&job, browser).await?;
    let session = tab.session.clone();
    let on = |method: &'static str, params: Value| client.call(Some(&session), method, params, CALL);
    on("DOM.enable", json!({})).await?;
    on("CSS.enable", json!({})).await?;
    on("CSS.startRuleUsageTracking", json!({})).await?;
    on("Profiler.enable", json!({})).await?;
    on("Profiler.startPreciseCoverage", json!({"callCount": false, "detailed": true})).await?;
    let mut watcher = Watcher::new(&job, &client, tab);
    let began = Instant::now();
    watcher.navigate(&mut browser.events).await?;
    let outcome = watcher.until_quiet(&mut browser.events, began).await?;
    let mut sheets: HashMap<String, Coverage> = watcher
        .sheets
        .iter()
        .filter(|header| header["isInline"].as_bool() != Some(true))
        .filter_map(|header| {
            let url = header["sourceURL"].as_str().filter(|u| !u.is_empty())?;
            let length = whole(&header["length"]);
            Some((
                header["styleSheetId"].as_str()?.to_owned(),
                Coverage { url: url.to_owned(), used: Vec::new(), length },
            ))
        })
        .collect();
    let mut detail = Detail::default();
    if outcome.cut_off {
        detail.notes.push(Note::DetailCutOff);
    }
    match on("Profiler.takePreciseCoverage", json!({})).await {
        Ok(answer) => detail.coverage.extend(scripts(&answer)),
        Err(e) => detail.notes.push(Note::ScriptsNotSeen { why: e.to_string() }),
    }
    match on("CSS.stopRuleUsageTracking", json!({})).await {
        Ok(answer) => {
            for rule in answer["ruleUsage"].as_array().into_iter().flatten() {
                if rule["used"].as_bool() == Some(true)
                    && let Some(sheet) = rule["styleSheetId"].as_str().and_then(|id| sheets.get_mut(id))
                {
                    sheet.used.push((whole(&rule["startOffset"]), whole(&rule["endOffset"])));
                }
            }
            detail.coverage.extend(sheets.into_values().map(Coverage::in_order));
        }
        Err(e) => detail.notes.push(Note::StylesNotSeen { why: e.to_string() }),
    }
    detail.coverage.sort_by(|a, b| a.url.cmp(&b.url));
    // Only what stands in files is switched off: style elements and attributes stay.
    let off = "for (const s of document.styleSheets) if (s.href) s.disabled = true; scrollTo(0, 0)";
    let _ = on("Runtime.evaluate", json!({"expression": off})).await;
    match on("Page.captureScreenshot", json!({"format": "jpeg", "quality": 60})).await {
        Ok(answer) => detail.inline_only = answer["data"].as_str().and_then(|d| STANDARD.decode(d).ok()).map(smaller),
        Err(e) => detail.notes.push(Note::InlineOnlyNotTaken { why: e.to_string() }),
    }
    Ok(detail)
}

fn whole(value: &Value) -> u32 {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    value.as_f64().filter(|v| (0.0..4e9).contains(v)).map_or(0, |v| v as u32)
}

/// A phone's screen has many times the pixels that the picture is shown at.
fn smaller(picture: Vec<u8>) -> Vec<u8> {
    let Ok(decoded) = image::load_from_memory_with_format(&picture, image::ImageFormat::Jpeg) else { return picture };
    if decoded.width() <= 480 {
        return picture;
    }
    let small = decoded.resize(480, 4_000, image::imageops::FilterType::Triangle).into_rgb8();
    let mut bytes = Vec::new();
    match image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, 60).encode_image(&small) {
        Ok(()) => bytes,
        Err(_) => picture,
    }
}

/// Used ranges of each script. The browser gives nested ranges with a count each; the innermost
/// range around a place tells whether it ran. A script that ran several times is used where any run used it.
fn scripts(answer: &Value) -> Vec<Coverage> {
    let mut files: HashMap<String, Coverage> = HashMap::new();
    for script in answer["result"].as_array().into_iter().flatten() {
        let Some(url) = script["url"].as_str().filter(|u| u.starts_with("http")) else { continue };
        let mut ranges: Vec<(u32, u32, bool)> = Vec::new();
        for function in script["functions"].as_array().into_iter().flatten() {
            for range in function["ranges"].as_array().into_iter().flatten() {
                let ran = range["count"].as_f64().unwrap_or(0.0) > 0.0;
                ranges.push((whole(&range["startOffset"]), whole(&range["endOffset"]), ran));
            }
        }
        let length = ranges.iter().map(|r| r.1).max().unwrap_or(0);
        let file =
            files.entry(url.to_owned()).or_insert_with(|| Coverage { url: url.to_owned(), ..Coverage::default() });
        file.length = file.length.max(length);
        file.used.extend(used(&mut ranges));
    }
    files.into_values().map(Coverage::in_order).collect()
}

/// Flattens nested ranges into those whose innermost range ran.
fn used(ranges: &mut [(u32, u32, bool)]) -> Vec<(u32, u32)> {
    ranges.sort_by(|a, b| a.0.cmp(&b.0).then(b.1.cmp(&a.1)));
    let mut found = Vec::new();
    let mut open: Vec<(u32, bool)> = Vec::new();
    let mut at = 0;
    let mut step = |open: &[(u32, bool)], at: &mut u32, to: u32| {
        if open.last().is_some_and(|o| o.1) && to > *at {
            found.push((*at, to));
        }
        *at = (*at).max(to);
    };
    for &(start, end, ran) in ranges.iter() {
        while let Some(&(over, _)) = open.last().filter(|o| o.0 <= start) {
            step(&open, &mut at, over);
            open.pop();
        }
        step(&open, &mut at, start);
        open.push((end, ran));
    }
    while let Some(&(over, _)) = open.last() {
        step(&open, &mut at, over);
        open.pop();
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_innermost_range_decides() {
        // A script of 100 ran; a function at 10–60 did not, but a function in it at 20–30 did.
        let mut ranges = [(0, 100, true), (20, 30, true), (10, 60, false), (80, 90, false)];
        assert_eq!(used(&mut ranges), [(0, 10), (20, 30), (60, 80), (90, 100)]);
        let twice = json!({"result": [
            {"url": "http://a.test/a.js", "functions": [{"ranges": [{"startOffset": 0, "endOffset": 50, "count": 1}, {"startOffset": 10, "endOffset": 40, "count": 0}]}]},
            {"url": "http://a.test/a.js", "functions": [{"ranges": [{"startOffset": 0, "endOffset": 50, "count": 0}, {"startOffset": 20, "endOffset": 30, "count": 2}]}]},
        ]});
        assert_eq!(scripts(&twice)[0].used, [(0, 10), (20, 30), (40, 50)]);
    }
}
