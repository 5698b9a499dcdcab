//! A tab that behaves as the conditions say: viewport, touch, processor, what is blocked.

use crate::browser::Browser;
use crate::job::LoadJob;
use crate::protocol::{CALL, Client};
use crate::{RecordError, page};
use serde_json::{Value, json};

/// The browser holds at most this much of one body for us.
pub const MOST_OF_ONE: u64 = 40 << 20;

/// An open tab.
pub struct Tab {
    pub session: String,
    pub target_id: String,
    /// Product and version of the browser.
    pub product: String,
}

/// Opens a tab and prepares it.
pub async fn open(job: &LoadJob<'_>, browser: &Browser) -> Result<Tab, RecordError> {
    let client = &browser.client;
    let version = client.call(None, "Browser.getVersion", json!({}), CALL).await?;
    let product = version["product"].as_str().unwrap_or("").replace("Headless", "").replace("Chrome/", "Chromium ");
    let mut wanted = json!({"url": "about:blank"});
    if let Some(context) = &browser.context {
        wanted["browserContextId"] = context.as_str().into();
    }
    let target = client.call(None, "Target.createTarget", wanted, CALL).await?;
    let target_id = target["targetId"].as_str().unwrap_or("").to_owned();
    let attach = json!({"targetId": target_id, "flatten": true});
    let attached = client.call(None, "Target.attachToTarget", attach, CALL).await?;
    let session = attached["sessionId"].as_str().unwrap_or("").to_owned();
    prepare(job, client, &session, version["userAgent"].as_str().unwrap_or("")).await?;
    Ok(Tab { session, target_id, product })
}

/// What requests send is told up to this size; a mark of it is kept.
const MOST_SENT: u32 = 1 << 20;

/// What a session needs before its network events can be followed and its bodies asked for.
pub fn follow_network(job: &LoadJob<'_>) -> Value {
    json!({
        "maxTotalBufferSize": job.limits.bodies,
        "maxResourceBufferSize": MOST_OF_ONE,
        "maxPostDataSize": MOST_SENT,
    })
}

/// Has frames of other sites and workers, which live in targets of their own, wait until we listen.
pub fn attach_to_all() -> Value {
    json!({"autoAttach": true, "waitForDebuggerOnStart": true, "flatten": true})
}

/// What a session blocks; `None` where nothing is.
pub fn blocks(job: &LoadJob<'_>) -> Option<Value> {
    (!job.blocked.is_empty()).then(|| {
        let patterns: Vec<String> = job.blocked.iter().flat_map(|b| crate::access::block_patterns(b)).collect();
        json!({"urls": patterns})
    })
}

/// What runs before all scripts of a document; `None` where nothing does.
pub fn runs_before(job: &LoadJob<'_>) -> Option<Value> {
    job.before.map(|source| json!({"source": source}))
}

async fn prepare(job: &LoadJob<'_>, client: &Client, session: &str, agent: &str) -> Result<(), RecordError> {
    let on = |method: &'static str, params: Value| client.call(Some(session), method, params, CALL);
    on("Page.enable", json!({})).await?;
    on("Runtime.enable", json!({})).await?;
    on("Inspector.enable", json!({})).await?;
    on("Network.enable", follow_network(job)).await?;
    if let Some(blocks) = blocks(job) {
        on("Network.setBlockedURLs", blocks).await?;
    }
    job.access.prepare(client, session, job.url, job.trace.as_ref()).await?;
    on("Target.setAutoAttach", attach_to_all()).await?;
    let c = job.conditions;
    on(
        "Emulation.setDeviceMetricsOverride",
        json!({"width": c.width, "height": c.height, "deviceScaleFactor": c.pixel_ratio, "mobile": c.mobile}),
    )
    .await?;
    let mut agent = agent.replace("HeadlessChrome", "Chrome");
    if c.mobile {
        on("Emulation.setTouchEmulationEnabled", json!({"enabled": true, "maxTouchPoints": 5})).await?;
        agent = agent.replace("X11; Linux x86_64", "Linux; Android 10; K").replace(" Safari/", " Mobile Safari/");
    }
    on("Emulation.setUserAgentOverride", json!({"userAgent": agent})).await?;
    if c.cpu_slowdown > 1.0 {
        on("Emulation.setCPUThrottlingRate", json!({"rate": c.cpu_slowdown})).await?;
    }
    if let Some(before) = runs_before(job) {
        on("Page.addScriptToEvaluateOnNewDocument", before).await?;
    }
    page::watch(client, session).await
}
