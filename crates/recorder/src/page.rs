//! Reading the page itself, once it is quiet.

use crate::RecordError;
use crate::protocol::Client;
use phainon_core::{FontFace, Millis, Observed, PageFacts};
use phainon_formats::ElementRecord;
use serde::Deserialize;
use serde_json::{Value, json};
use std::time::Duration;

const LIMIT: Duration = Duration::from_secs(10);
/// The name of the world in which our scripts run: the page's own cannot see or change it.
pub const WORLD: &str = "phainon";
const OBSERVER: &str = include_str!("observer.js");
const FACTS: &str = include_str!("page.js");
const LISTENED: &str = include_str!("listened.js");
/// So many names of what is listened to are kept; the script stops there too.
const MOST_LISTENED: usize = 400;
const ELEMENT: &str = include_str!("element.js");

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct PageReading {
    pub facts: PageFacts,
    pub observed: Observed,
}

/// Has the observer run in every document from its start.
pub async fn watch(client: &Client, session: &str) -> Result<(), RecordError> {
    let script = json!({"source": OBSERVER, "worldName": WORLD});
    client.call(Some(session), "Page.addScriptToEvaluateOnNewDocument", script, LIMIT).await.map(|_| ())
}

/// Milliseconds since the last long task ended, as the page's clock tells; asking proves that the
/// main thread answers.
pub async fn quiet_for(client: &Client, session: &str, world: i64, limit: Duration) -> Result<f64, RecordError> {
    let expression = "performance.now() - (globalThis.__observed ? globalThis.__observed.longTaskEnd : 0)";
    let ask = json!({"expression": expression, "contextId": world, "returnByValue": true});
    let answer = client.call(Some(session), "Runtime.evaluate", ask, limit).await?;
    Ok(answer["result"]["value"].as_f64().unwrap_or(f64::INFINITY))
}

/// Facts about the document and what its observer was told.
pub async fn read(client: &Client, session: &str, world: i64) -> Result<PageReading, RecordError> {
    let ask = json!({"expression": FACTS, "contextId": world, "returnByValue": true});
    let answer = client.call(Some(session), "Runtime.evaluate", ask, LIMIT).await?;
    if let Some(thrown) = answer["exceptionDetails"]["exception"]["description"].as_str() {
        return Err(RecordError::Other(format!("The document could not be read: {thrown}")));
    }
    serde_json::from_value(answer["result"]["value"].clone())
        .map_err(|e| RecordError::Other(format!("The document could not be read: {e}")))
}

/// What a font is told by is kept up to this length.
const LONGEST_FONT: usize = 2_000;
/// Names of what is listened to are kept up to this length.
const LONGEST_NAME: usize = 200;

/// What the page's elements listen to; `None` where the browser does not tell. The browser lists a world's
/// own listeners alone, so this is asked in the page's world, where the page may answer what it likes.
pub async fn listened(client: &Client, session: &str) -> Option<Vec<String>> {
    // The list of listeners is among the helpers of the browser's command line.
    let ask = json!({"expression": LISTENED, "returnByValue": true, "includeCommandLineAPI": true, "timeout": 2_000});
    let answer = client.call(Some(session), "Runtime.evaluate", ask, LIMIT).await.ok()?;
    let names: Vec<String> = serde_json::from_value(answer["result"]["value"].clone()).ok()?;
    let short = |name: String| name.chars().take(LONGEST_NAME).collect();
    Some(names.into_iter().take(MOST_LISTENED).map(short).collect())
}

/// What the page's clock shows: milliseconds since navigation start.
pub async fn clock(client: &Client, session: &str, world: i64) -> Result<Millis, RecordError> {
    let ask = json!({"expression": "performance.now()", "contextId": world, "returnByValue": true});
    let answer = client.call(Some(session), "Runtime.evaluate", ask, LIMIT).await?;
    let now = answer["result"]["value"].as_f64();
    now.map(Millis).ok_or_else(|| RecordError::Other("The page has no clock.".into()))
}

/// An object of the browser's in one of a page's worlds.
#[derive(Debug, Clone)]
pub struct Object(String);

/// The element behind a node number of the trace, if it is still in the document. It is looked at in
/// our own world, where the page's changes to what elements are and do are not seen.
pub async fn resolve(client: &Client, session: &str, world: Option<i64>, node: i64) -> Option<Object> {
    let mut resolve = json!({"backendNodeId": node});
    if let Some(world) = world {
        resolve["executionContextId"] = world.into();
    }
    let object = client.call(Some(session), "DOM.resolveNode", resolve, LIMIT).await.ok()?;
    object["object"]["objectId"].as_str().map(|id| Object(id.to_owned()))
}

/// What is told of an element, and of which of some that were animated it stands in.
pub async fn element(
    client: &Client,
    session: &str,
    world: Option<i64>,
    node: i64,
    animated: &[(i64, Object)],
) -> Option<ElementRecord> {
    let object = resolve(client, session, world, node).await?;
    let mut arguments = vec![json!({"value": animated.iter().map(|(node, _)| node).collect::<Vec<_>>()})];
    arguments.extend(animated.iter().map(|(_, Object(id))| json!({"objectId": id})));
    let call = json!({
        "objectId": object.0, "functionDeclaration": ELEMENT, "arguments": arguments, "returnByValue": true
    });
    let answer = client.call(Some(session), "Runtime.callFunctionOn", call, LIMIT).await.ok()?;
    let value: Value = answer["result"]["value"].clone();
    let mut record: ElementRecord = serde_json::from_value(value).ok()?;
    record.node = node;
    Some(record)
}

/// Has the browser announce the fonts that the page has loaded. It reads the page's sheets for that, and fetches anew
/// those that must not be stored: nothing more is asked of any server.
pub async fn announce_fonts(client: &Client, session: &str) -> Result<(), RecordError> {
    client.call(Some(session), "Network.setBlockedURLs", json!({"urls": ["*"]}), LIMIT).await?;
    client.call(Some(session), "DOM.enable", json!({}), LIMIT).await?;
    client.call(Some(session), "CSS.enable", json!({}), LIMIT).await.map(|_| ())
}

/// A font as the browser announces it; `None` where it tells of none, or of one that came within its sheet.
pub fn font(told: &Value) -> Option<FontFace> {
    let text = |key: &str| told[key].as_str().unwrap_or_default().chars().take(LONGEST_FONT).collect::<String>();
    let url = text("src");
    (!url.is_empty() && !url.starts_with("data:")).then(|| FontFace {
        family: text("fontFamily"),
        weight: text("fontWeight"),
        style: text("fontStyle"),
        letters: text("unicodeRange"),
        display: text("fontDisplay"),
        url,
    })
}
