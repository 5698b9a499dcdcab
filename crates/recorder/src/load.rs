//! One load: from an empty profile to everything observed.

use crate::browser::Browser;
use crate::network::Network;
use crate::page;
use crate::protocol::Client;
use crate::shaper::{Shaper, Trouble};
use crate::steps::Step;
use crate::{Progress, RecordError, Stage};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use phainon_core::{Conditions, Millis, Request, ScreenFrame, Visit};
use phainon_formats::trace::{self, Wanted};
use phainon_formats::{BodyMap, PageRecord, RawLoad, body_hash};
use serde_json::{Value, json};
use std::time::Duration;
use tokio::sync::mpsc;
use tokio::time::{Instant, timeout_at};

const CALL: Duration = Duration::from_secs(15);
const CATEGORIES: [&str; 9] = [
    "devtools.timeline",
    "disabled-by-default-devtools.timeline",
    "disabled-by-default-devtools.timeline.stack",
    "disabled-by-default-v8.cpu_profiler",
    "loading",
    "blink.user_timing",
    "v8.execute",
    "v8",
    "rail",
];
/// Everything kept of one recording's bodies at most, and of one response.
const MOST_BODIES: u64 = 200 << 20;
const MOST_OF_ONE: u64 = 40 << 20;
const MOST_FRAMES: usize = 240;

/// When a load counts as over.
#[derive(Debug, Clone)]
pub struct LoadLimits {
    /// Network and main thread quiet for this long after the load event.
    pub quiet: Duration,
    /// At most this long from the start.
    pub longest: Duration,
}

impl Default for LoadLimits {
    fn default() -> Self {
        Self { quiet: Duration::from_secs(2), longest: Duration::from_secs(45) }
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
    pub browser: Option<String>,
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

    /// Opens a tab and prepares it; gives its session, its target and the browser's product.
    pub async fn open_tab(&self, client: &Client) -> Result<(String, Tab), RecordError> {
        let version = client.call(None, "Browser.getVersion", json!({}), CALL).await?;
        let product = version["product"].as_str().unwrap_or("").replace("Headless", "").replace("Chrome/", "Chromium ");
        let target = client.call(None, "Target.createTarget", json!({"url": "about:blank"}), CALL).await?;
        let target_id = target["targetId"].as_str().unwrap_or("").to_owned();
        let attached =
            client.call(None, "Target.attachToTarget", json!({"targetId": target_id, "flatten": true}), CALL).await?;
        let session = attached["sessionId"].as_str().unwrap_or("").to_owned();
        self.prepare(client, &session, version["userAgent"].as_str().unwrap_or("")).await?;
        Ok((session, Tab { target_id, product }))
    }

    /// Makes the load in a tab of its own. An error is a load without data; a load with data may
    /// still be marked failed.
    pub async fn drive(&self, browser: &mut Browser) -> Result<LoadResult, RecordError> {
        let client = browser.client.clone();
        let (session, Tab { target_id, product }) = self.open_tab(&client).await?;
        let result = self.watch(browser, &client, &session, &target_id, product).await;
        // A tab left open would go on working beside the return visit.
        client.tell(None, "Target.closeTarget", json!({"targetId": target_id}));
        result
    }

    async fn watch(
        &self,
        browser: &mut Browser,
        client: &Client,
        session: &str,
        target_id: &str,
        product: String,
    ) -> Result<LoadResult, RecordError> {
        let mut watcher = Watcher::new(self, client, session);
        if self.instruments.trace {
            let categories: Vec<&str> = CATEGORIES
                .into_iter()
                .filter(|c| self.instruments.samples || !(c.ends_with(".stack") || c.ends_with("cpu_profiler")))
                .collect();
            let config = json!({
                "transferMode": "ReturnAsStream",
                "traceConfig": {"includedCategories": categories, "excludedCategories": ["*"], "recordMode": "recordAsMuchAsPossible"},
            });
            client.call(Some(session), "Tracing.start", config, CALL).await?;
        }
        if self.instruments.frames {
            let cast = json!({"format": "jpeg", "quality": 48, "maxWidth": 440, "maxHeight": 660, "everyNthFrame": 1});
            client.call(Some(session), "Page.startScreencast", cast, CALL).await?;
        }
        self.stage(Stage::Connecting, 0, None);
        let started_at = chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Millis, true);
        let began = Instant::now();
        // The answer comes once the document's first bytes do, so events are taken in meanwhile.
        let navigate = client.call(Some(session), "Page.navigate", json!({"url": self.url}), self.limits.longest);
        let navigated = match watcher.while_waiting(&mut browser.events, navigate).await {
            Err(RecordError::NoAnswer(..)) => return Err(self.silent(watcher.network.document(""))),
            answer => answer?,
        };
        watcher.main_frame = navigated["frameId"].as_str().unwrap_or(target_id).to_owned();
        if let Some(error) = navigated["errorText"].as_str().filter(|e| !e.is_empty()) {
            return Err(self.unreachable(error, watcher.network.document(&watcher.main_frame)));
        }
        let mut outcome = watcher.until_quiet(&mut browser.events, began).await?;
        if !outcome.cut_off && !outcome.stuck && !self.steps.is_empty() {
            self.stage(Stage::Acting, watcher.network.count(), None);
            watcher.act(&mut browser.events, &mut outcome).await?;
        }
        self.stage(Stage::Reading, watcher.network.count(), None);
        watcher.read_out(&mut browser.events, outcome, product, started_at).await
    }

    async fn prepare(&self, client: &Client, session: &str, agent: &str) -> Result<(), RecordError> {
        let on = |method: &'static str, params: Value| client.call(Some(session), method, params, CALL);
        on("Page.enable", json!({})).await?;
        on("Runtime.enable", json!({})).await?;
        on("Inspector.enable", json!({})).await?;
        on("Network.enable", json!({"maxTotalBufferSize": MOST_BODIES, "maxResourceBufferSize": MOST_OF_ONE})).await?;
        // Frames of other sites may live in processes of their own; they wait until we listen to them too.
        on("Target.setAutoAttach", json!({"autoAttach": true, "waitForDebuggerOnStart": true, "flatten": true}))
            .await?;
        let c = self.conditions;
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
        page::watch(client, session).await
    }

    /// The document was asked for, and nothing came.
    fn silent(&self, document: Option<&Request>) -> RecordError {
        let url = document.map_or(self.url, |d| &*d.url);
        RecordError::Silent(url.to_owned(), self.limits.longest.as_secs())
    }

    /// Why the document could not be had.
    fn unreachable(&self, error: &str, document: Option<&Request>) -> RecordError {
        // It was had, but the browser would not show it.
        if let (Some(document), "net::ERR_ABORTED") = (document, error)
            && let Some(status) = document.status
        {
            let attached = document.header("content-disposition").is_some_and(|v| v.trim().starts_with("attachment"));
            return RecordError::NoPage(match (status, document.mime.as_deref().or(document.header("content-type"))) {
                (204 | 205, _) => format!("the server answered {status}, which has no content"),
                (_, Some(mime)) if attached => format!("it is a file to download ({mime})"),
                (_, Some(mime)) => format!("the browser does not show what it is ({mime})"),
                _ => format!("the server answered {status}, and the browser shows nothing for it"),
            });
        }
        let host = url::Url::parse(self.url).ok().and_then(|u| u.host_str().map(str::to_owned)).unwrap_or_default();
        match self.shaper.trouble(&host) {
            Some(Trouble::Unresolved) => RecordError::Unresolved(host),
            Some(Trouble::Private) => {
                RecordError::Address(format!("{host} is a private address, and this server records public ones only."))
            }
            Some(Trouble::Unreachable(why)) => RecordError::Unreachable(host, why),
            None => {
                let code = error.trim_start_matches("net::");
                let in_words = match code {
                    "ERR_EMPTY_RESPONSE" => "it closed the connection without a response",
                    "ERR_CONNECTION_RESET" => "it broke the connection off",
                    "ERR_TOO_MANY_REDIRECTS" => "it redirects again and again",
                    "ERR_INVALID_HTTP_RESPONSE" | "ERR_SSL_PROTOCOL_ERROR" => {
                        "what it answered is not the protocol asked for"
                    }
                    _ if code.starts_with("ERR_CERT_") => "the browser does not trust its certificate",
                    _ => return RecordError::Unreachable(host, code.to_owned()),
                };
                RecordError::Unreachable(host, format!("{in_words} ({code})"))
            }
        }
    }
}

/// An open tab.
pub(crate) struct Tab {
    pub target_id: String,
    /// Product and version of the browser.
    pub product: String,
}

/// How watching ended.
#[derive(Default)]
struct Outcome {
    cut_off: bool,
    stuck: bool,
    /// A step that could not be done.
    step: Option<String>,
}

struct Watcher<'a> {
    job: &'a LoadJob<'a>,
    client: &'a Client,
    session: &'a str,
    main_frame: String,
    network: Network,
    /// Wall-clock seconds and JPEG.
    frames: Vec<(f64, Vec<u8>)>,
    frames_left_out: usize,
    loaded: bool,
    /// Our world in the main document.
    world: Option<i64>,
    last_traffic: Instant,
    trace_stream: Option<String>,
    crashed: bool,
}

impl<'a> Watcher<'a> {
    fn new(job: &'a LoadJob<'a>, client: &'a Client, session: &'a str) -> Self {
        Self {
            job,
            client,
            session,
            main_frame: String::new(),
            network: Network::default(),
            frames: Vec::new(),
            frames_left_out: 0,
            loaded: false,
            world: None,
            last_traffic: Instant::now(),
            trace_stream: None,
            crashed: false,
        }
    }

    /// Takes one event in.
    fn take(&mut self, event: &crate::protocol::Event) {
        let params = &event.params;
        match event.method.as_str() {
            m if m.starts_with("Network.") => {
                self.network.take(event);
                if self.network.is_traffic(event) {
                    self.last_traffic = Instant::now();
                }
                if m == "Network.responseReceived" || m == "Network.loadingFinished" {
                    self.job.stage(Stage::Loading, self.network.count(), None);
                }
            }
            "Page.screencastFrame" => {
                self.client.tell(
                    Some(self.session),
                    "Page.screencastFrameAck",
                    json!({"sessionId": params["sessionId"]}),
                );
                let at = params["metadata"]["timestamp"].as_f64();
                let picture = params["data"].as_str().and_then(|d| STANDARD.decode(d).ok());
                if let (Some(at), Some(picture)) = (at, picture) {
                    // The same picture twice tells nothing new.
                    if self.frames.last().is_some_and(|(_, last)| *last == picture) {
                        return;
                    }
                    if self.frames.len() >= MOST_FRAMES {
                        self.frames_left_out += 1;
                        return;
                    }
                    self.job.stage(Stage::Loading, self.network.count(), Some(picture.clone()));
                    self.frames.push((at, picture));
                }
            }
            "Page.frameNavigated" => {
                let frame = &params["frame"];
                if let (Some(id), Some(loader)) = (frame["id"].as_str(), frame["loaderId"].as_str()) {
                    self.network.navigated(id, loader);
                }
            }
            "Page.loadEventFired" if event.session.as_deref() == Some(self.session) => {
                self.loaded = true;
                self.last_traffic = Instant::now();
            }
            "Runtime.executionContextCreated" if event.session.as_deref() == Some(self.session) => {
                let context = &params["context"];
                if context["name"].as_str() == Some(page::WORLD)
                    && (self.main_frame.is_empty() || context["auxData"]["frameId"].as_str() == Some(&self.main_frame))
                {
                    self.world = context["id"].as_i64();
                }
            }
            "Target.attachedToTarget" => {
                if let Some(child) = params["sessionId"].as_str().filter(|s| *s != self.session) {
                    let child = Some(child);
                    self.client.tell(
                        child,
                        "Network.enable",
                        json!({"maxTotalBufferSize": MOST_BODIES, "maxResourceBufferSize": MOST_OF_ONE}),
                    );
                    self.client.tell(
                        child,
                        "Target.setAutoAttach",
                        json!({"autoAttach": true, "waitForDebuggerOnStart": true, "flatten": true}),
                    );
                    if self.job.conditions.cpu_slowdown > 1.0 {
                        self.client.tell(
                            child,
                            "Emulation.setCPUThrottlingRate",
                            json!({"rate": self.job.conditions.cpu_slowdown}),
                        );
                    }
                    self.client.tell(child, "Runtime.runIfWaitingForDebugger", json!({}));
                }
            }
            "Inspector.targetCrashed" => self.crashed = true,
            "Target.targetCrashed" => self.crashed = true,
            "Tracing.tracingComplete" => self.trace_stream = Some(params["stream"].as_str().unwrap_or("").to_owned()),
            // A page that asks the user something would wait for ever.
            "Page.javascriptDialogOpening" => {
                self.client.tell(Some(self.session), "Page.handleJavaScriptDialog", json!({"accept": true}))
            }
            _ => {}
        }
    }

    /// Takes events in while a call is under way.
    async fn while_waiting(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
        call: impl Future<Output = Result<Value, RecordError>>,
    ) -> Result<Value, RecordError> {
        tokio::pin!(call);
        loop {
            tokio::select! {
                answer = &mut call => return answer,
                event = events.recv() => match event {
                    Some(event) => {
                        self.take(&event);
                        if self.crashed {
                            return Err(RecordError::PageCrashed);
                        }
                    }
                    None => return Err(RecordError::BrowserGone(String::new())),
                },
            }
        }
    }

    /// Watches until network and main thread have been quiet for long enough, or the time is up.
    async fn until_quiet(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
        began: Instant,
    ) -> Result<Outcome, RecordError> {
        let quiet = self.job.limits.quiet;
        let deadline = began + self.job.limits.longest;
        loop {
            let now = Instant::now();
            if now >= deadline {
                return Ok(Outcome { cut_off: true, stuck: self.is_stuck(events).await?, step: None });
            }
            // A document that broke off never announces that it has loaded.
            let broken = self.network.document(&self.main_frame).is_some_and(|d| d.failed.is_some());
            let settled = (self.loaded || broken) && self.network.busy() == 0;
            let next_look = if settled { (self.last_traffic + quiet).min(deadline) } else { deadline };
            if settled && now >= next_look {
                self.job.stage(Stage::Settling, self.network.count(), None);
                let quiet_ms = self.main_thread_quiet(events, deadline).await?;
                match quiet_ms {
                    None => return Ok(Outcome { cut_off: true, stuck: true, step: None }),
                    Some(ms) if ms >= quiet.as_secs_f64() * 1000.0 && self.network.busy() == 0 => {
                        return Ok(Outcome::default());
                    }
                    Some(ms) => {
                        let rest = (quiet.as_secs_f64() - ms / 1000.0).clamp(0.05, 2.0);
                        self.last_traffic =
                            self.last_traffic.max(Instant::now() + Duration::from_secs_f64(rest) - quiet);
                    }
                }
                continue;
            }
            match timeout_at(next_look, events.recv()).await {
                Ok(Some(event)) => {
                    self.take(&event);
                    if self.crashed {
                        return Err(RecordError::PageCrashed);
                    }
                }
                Ok(None) => return Err(RecordError::BrowserGone(format!(", after {} requests", self.network.count()))),
                Err(_) => {}
            }
        }
    }

    /// Does what the scripted user does, step by step; the first that cannot be done ends it.
    async fn act(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
        outcome: &mut Outcome,
    ) -> Result<(), RecordError> {
        for step in self.job.steps {
            let Some(world) = self.world else { break };
            let (client, session, touch) = (self.client.clone(), self.session.to_owned(), self.job.conditions.mobile);
            let mut done = Ok(());
            let act = async {
                done = step.act(&client, &session, world, touch).await;
                Ok(Value::Null)
            };
            self.while_waiting(events, act).await?;
            if let Err(error) = done {
                outcome.step = Some(error.to_string());
                break;
            }
        }
        // What the last step set off may go on for a while.
        self.last_traffic = Instant::now();
        let began = Instant::now();
        let after = self.until_quiet(events, began).await?;
        (outcome.cut_off, outcome.stuck) = (after.cut_off, after.stuck);
        Ok(())
    }

    async fn is_stuck(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
    ) -> Result<bool, RecordError> {
        let soon = Instant::now() + Duration::from_secs(4);
        Ok(self.main_thread_quiet(events, soon).await?.is_none())
    }

    /// Milliseconds for which the main thread has been quiet; `None` when it does not answer in time.
    async fn main_thread_quiet(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
        deadline: Instant,
    ) -> Result<Option<f64>, RecordError> {
        let Some(world) = self.world else { return Ok(Some(f64::INFINITY)) };
        let limit = (deadline - Instant::now()).max(Duration::from_secs(2));
        let client = self.client.clone();
        let session = self.session.to_owned();
        let ask = async move {
            let ms = page::quiet_for(&client, &session, world, limit).await?;
            Ok(json!(ms.min(1e12)))
        };
        match self.while_waiting(events, ask).await {
            Ok(ms) => Ok(ms.as_f64()),
            Err(RecordError::NoAnswer(..)) => Ok(None),
            // The document was replaced meanwhile: its world is gone, and the load goes on.
            Err(RecordError::Refused(..)) => Ok(Some(0.0)),
            Err(e) => Err(e),
        }
    }

    async fn read_out(
        mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
        outcome: Outcome,
        product: String,
        started_at: String,
    ) -> Result<LoadResult, RecordError> {
        let (client, session) = (self.client.clone(), self.session.to_owned());
        if self.job.instruments.frames {
            client.tell(Some(&session), "Page.stopScreencast", json!({}));
        }
        let mut notes = Vec::new();
        let trace_bytes = if self.job.instruments.trace { self.read_trace(events).await? } else { None };
        let url = self.job.url.to_owned();
        let facts = match &trace_bytes {
            Some(bytes) => {
                let wanted = Wanted { frame: Some(&self.main_frame), ..Wanted::default() };
                trace::read(bytes, "the trace", wanted).ok()
            }
            None => None,
        };
        let mut record = PageRecord {
            url: facts.as_ref().map_or(url, |f| f.url.clone()),
            frame: Some(self.main_frame.clone()),
            browser: Some(product.clone()),
            started_at: Some(started_at),
            cut_off: outcome.cut_off,
            ..PageRecord::default()
        };
        if !outcome.stuck {
            if let Some(world) = self.world {
                let (c, s) = (client.clone(), session.clone());
                let mut reading = None;
                let read = async {
                    reading = Some(page::read(&c, &s, world).await);
                    Ok(Value::Null)
                };
                self.while_waiting(events, read).await?;
                match reading {
                    Some(Ok(read)) => {
                        record.facts = Some(read.facts);
                        record.observed = Some(read.observed);
                    }
                    Some(Err(e)) => notes.push(e.to_string()),
                    None => {}
                }
            }
            for node in facts.as_ref().map(nodes_to_name).unwrap_or_default() {
                let (c, s) = (client.clone(), session.clone());
                let mut found = None;
                let ask = async {
                    found = page::element(&c, &s, node).await;
                    Ok(Value::Null)
                };
                self.while_waiting(events, ask).await?;
                record.elements.extend(found);
            }
        }
        let navigation_us = facts.as_ref().map_or(0.0, |f| f.navigation_start_us);
        let mut bodies = BodyMap::new();
        if self.job.instruments.bodies {
            self.read_bodies(events, &mut bodies, &mut notes, navigation_us, outcome.stuck).await?;
        }
        record.end_ms = facts.as_ref().map(|f| f.end);
        let frames = self.place_frames(navigation_us);
        if self.frames_left_out > 0 {
            notes.push(format!(
                "{} more pictures of the screen were left out after the first {MOST_FRAMES}.",
                self.frames_left_out
            ));
        }
        record.frames = frames.iter().map(|(f, _)| f.clone()).collect();
        let (requests, before) = self.network.finish(navigation_us, &self.main_frame);
        if let Some(before) = before {
            notes.push(format!(
                "The page asked for moved the browser on to {} by itself, {} after the load had begun. Times count from that navigation; {} left out that came before it.",
                record.url,
                before.after.text(),
                counted(before.requests, "request is", "requests are")
            ));
        }
        let failed = failure(&requests, &outcome, &record, self.job.limits);
        if self.job.instruments.trace && facts.is_none() {
            return Err(RecordError::Other(
                failed.unwrap_or_else(|| "The browser's trace holds no navigation to the page.".into()),
            ));
        }
        record.notes = notes;
        let raw = RawLoad {
            name: format!("load {}", self.job.number),
            visit: self.job.visit,
            conditions: Some(self.job.conditions.clone()),
            requests: Some(requests),
            trace: trace_bytes,
            page: Some(record),
            frames,
            failed,
            ..RawLoad::default()
        };
        Ok(LoadResult { raw, bodies, browser: Some(product) })
    }

    async fn read_trace(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
    ) -> Result<Option<Vec<u8>>, RecordError> {
        let (client, session) = (self.client.clone(), self.session.to_owned());
        let end = client.call(Some(&session), "Tracing.end", json!({}), CALL);
        self.while_waiting(events, end).await?;
        let deadline = Instant::now() + Duration::from_secs(20);
        while self.trace_stream.is_none() {
            match timeout_at(deadline, events.recv()).await {
                Ok(Some(event)) => self.take(&event),
                Ok(None) => return Err(RecordError::BrowserGone(" while its trace was read".into())),
                Err(_) => return Err(RecordError::NoAnswer("Tracing.end".into(), 20)),
            }
        }
        let stream = self.trace_stream.clone().unwrap_or_default();
        let mut bytes = Vec::new();
        loop {
            let read = client.call(Some(&session), "IO.read", json!({"handle": stream, "size": 1 << 20}), CALL);
            let part = self.while_waiting(events, read).await?;
            let data = part["data"].as_str().unwrap_or("");
            if part["base64Encoded"].as_bool() == Some(true) {
                bytes.extend(STANDARD.decode(data).unwrap_or_default());
            } else {
                bytes.extend_from_slice(data.as_bytes());
            }
            if part["eof"].as_bool() != Some(false) {
                break;
            }
        }
        client.tell(Some(&session), "IO.close", json!({"handle": stream}));
        Ok(Some(bytes))
    }

    async fn read_bodies(
        &mut self,
        events: &mut mpsc::UnboundedReceiver<crate::protocol::Event>,
        bodies: &mut BodyMap,
        notes: &mut Vec<String>,
        navigation_us: f64,
        stuck: bool,
    ) -> Result<(), RecordError> {
        let (mut kept, mut left_out, mut refused) = (0u64, 0usize, 0usize);
        for (at, id, session, size) in self.network.bodies_to_read(navigation_us) {
            if size > MOST_OF_ONE || kept + size > MOST_BODIES {
                left_out += 1;
                continue;
            }
            let limit = if stuck { Duration::from_secs(2) } else { CALL };
            let client = self.client.clone();
            let session = session.unwrap_or_else(|| self.session.to_owned());
            let ask = async move {
                Ok(client
                    .call(Some(&session), "Network.getResponseBody", json!({"requestId": id}), limit)
                    .await
                    .unwrap_or(Value::Null))
            };
            let answer = self.while_waiting(events, ask).await?;
            let Some(text) = answer["body"].as_str() else {
                refused += 1;
                continue;
            };
            let body = if answer["base64Encoded"].as_bool() == Some(true) {
                STANDARD.decode(text).unwrap_or_default()
            } else {
                text.as_bytes().to_vec()
            };
            kept += body.len() as u64;
            let hash = body_hash(&body);
            self.network.set_body(at, hash.clone(), body.len() as u64);
            bodies.insert(hash, body);
        }
        if left_out > 0 {
            notes.push(format!(
                "{} not kept: over {} in one, or {} in all.",
                counted(left_out, "body was", "bodies were"),
                phainon_core::Bytes(MOST_OF_ONE).text(),
                phainon_core::Bytes(MOST_BODIES).text()
            ));
        }
        if refused > 0 {
            notes.push(format!(
                "{} no longer in the browser when the load was read out; checks that compute on bodies pass over what is missing.",
                counted(refused, "body was", "bodies were")
            ));
        }
        Ok(())
    }

    /// Frames on the load's clock: the wall clock of the screencast joined to the monotonic one.
    fn place_frames(&mut self, navigation_us: f64) -> Vec<(ScreenFrame, Vec<u8>)> {
        let Some(offset) = self.network.wall_offset else { return Vec::new() };
        let mut placed: Vec<(f64, Vec<u8>)> = std::mem::take(&mut self.frames)
            .into_iter()
            .map(|(wall, picture)| (((wall - offset) * 1000.0 - navigation_us / 1000.0), picture))
            .collect();
        // What was on the screen before the navigation is its first frame.
        let before = placed.iter().rposition(|(at, _)| *at <= 0.0).unwrap_or(0);
        placed.drain(..before);
        placed
            .into_iter()
            .enumerate()
            .map(|(n, (at, picture))| {
                (
                    ScreenFrame { at_ms: Millis(at.max(0.0)), file: format!("{n:04}.jpg"), ..ScreenFrame::default() },
                    picture,
                )
            })
            .collect()
    }
}

/// A number with its noun and verb.
fn counted(count: usize, one: &str, more: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { more })
}

/// The elements worth naming: of the last largest-paint candidates, of the gravest shifts, of inputs.
fn nodes_to_name(facts: &trace::TraceFacts) -> Vec<i64> {
    let mut nodes: Vec<i64> = facts.lcp_candidates.iter().rev().filter_map(|c| c.node).take(12).collect();
    let mut shifts: Vec<_> = facts.shifts.iter().collect();
    shifts.sort_by(|a, b| b.score.total_cmp(&a.score));
    nodes.extend(shifts.iter().take(12).flat_map(|s| s.moved.iter().filter_map(|m| m.node).take(5)));
    nodes.extend(facts.events.iter().filter(|e| e.interaction != 0).filter_map(|e| e.node).take(30));
    let mut seen = std::collections::HashSet::new();
    nodes.retain(|n| seen.insert(*n));
    nodes
}

/// Why a load that has data still counts as failed.
fn failure(
    requests: &[phainon_core::Request],
    outcome: &Outcome,
    record: &PageRecord,
    limits: &LoadLimits,
) -> Option<String> {
    let document = requests
        .iter()
        .filter(|r| r.main_frame && r.kind == phainon_core::ResourceKind::Document)
        .rfind(|r| *r.url == *record.url);
    if let Some(status) = document.and_then(|d| d.status).filter(|s| *s >= 400) {
        return Some(format!("The server answered {status} for the document."));
    }
    if let Some(why) = document.and_then(|d| d.failed.as_deref()) {
        let code = why.trim_start_matches("net::");
        return Some(format!("The document did not come whole ({code}); what was observed is kept."));
    }
    if let Some(step) = &outcome.step {
        return Some(step.clone());
    }
    if outcome.stuck {
        return Some(format!(
            "The page kept its main thread busy until the time was up ({} s) and no longer answered.",
            limits.longest.as_secs()
        ));
    }
    if outcome.cut_off {
        return Some(format!(
            "The page was still busy when the time was up ({} s); what was observed until then is kept.",
            limits.longest.as_secs()
        ));
    }
    None
}
