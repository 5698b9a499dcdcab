//! Watching a load: taking its events in until network and main thread are quiet.

use crate::job::LoadJob;
use crate::protocol::{CALL, Client, Event};
use crate::tab::{self, Tab};
use crate::traffic::Traffic;
use crate::{RecordError, Stage, page};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use phainon_core::{FontFace, Millis};
use serde_json::{Value, json};
use std::time::Duration;
use tokio::sync::mpsc;
use tokio::time::{Instant, timeout_at};

const CATEGORIES: [&str; 10] = [
    "devtools.timeline",
    "blink",
    "disabled-by-default-devtools.timeline",
    "disabled-by-default-devtools.timeline.stack",
    "disabled-by-default-v8.cpu_profiler",
    "loading",
    "blink.user_timing",
    "v8.execute",
    "v8",
    "rail",
];
/// So many pictures of the screen are kept; of more, the closest together go.
const MOST_FRAMES: usize = 240;
/// So many errors of one page are kept.
const MOST_ERRORS: usize = 100;
/// So many fonts of one page are kept.
const MOST_FONTS: usize = 200;

/// How long what the server answered may be told of after a navigation that it ended without a page.
const ANSWER_TOLD: Duration = Duration::from_secs(2);

pub type Events = mpsc::UnboundedReceiver<Event>;

/// How watching ended.
#[derive(Debug, Default)]
pub struct Outcome {
    pub cut_off: bool,
    pub stuck: bool,
    /// A step that could not be done.
    pub step: Option<String>,
    /// When the scripted user began, from navigation start.
    pub acted_ms: Option<Millis>,
}

pub struct Watcher<'a> {
    pub job: &'a LoadJob<'a>,
    pub client: &'a Client,
    pub tab: Tab,
    pub main_frame: String,
    pub traffic: Traffic,
    /// Wall-clock seconds and JPEG.
    pub frames: Vec<(f64, Vec<u8>)>,
    pub frames_left_out: usize,
    /// Stylesheets as the browser announced them; only where that was asked for.
    pub sheets: Vec<Value>,
    /// Fonts that the page has loaded, as the browser announced them; only where that was asked for.
    pub fonts: Vec<FontFace>,
    /// Windows that the page opened.
    pub windows: usize,
    /// What the page's scripts left to the console as errors, each once.
    pub errors: Vec<String>,
    pub trace_stream: Option<String>,
    /// Our world in the main document.
    pub world: Option<i64>,
    loaded: bool,
    last_traffic: Instant,
    crashed: bool,
}

impl<'a> Watcher<'a> {
    pub fn new(job: &'a LoadJob<'a>, client: &'a Client, tab: Tab) -> Self {
        Self {
            job,
            client,
            tab,
            main_frame: String::new(),
            traffic: Traffic::default(),
            frames: Vec::new(),
            frames_left_out: 0,
            sheets: Vec::new(),
            fonts: Vec::new(),
            windows: 0,
            errors: Vec::new(),
            trace_stream: None,
            world: None,
            loaded: false,
            last_traffic: Instant::now(),
            crashed: false,
        }
    }

    /// Navigates and watches until the load is over; gives how it ended, and when it began (RFC 3339).
    pub async fn load(&mut self, events: &mut Events) -> Result<(Outcome, String), RecordError> {
        if self.job.instruments.trace {
            let categories: Vec<&str> = CATEGORIES
                .into_iter()
                .filter(|c| self.job.instruments.samples || !(c.ends_with(".stack") || c.ends_with("cpu_profiler")))
                .collect();
            let config = json!({
                "transferMode": "ReturnAsStream",
                "traceConfig": {"includedCategories": categories, "excludedCategories": ["*"], "recordMode": "recordAsMuchAsPossible"},
            });
            self.client.call(Some(&self.tab.session), "Tracing.start", config, CALL).await?;
        }
        if self.job.instruments.frames {
            let cast = json!({"format": "jpeg", "quality": 44, "maxWidth": 440, "maxHeight": 560, "everyNthFrame": 1});
            self.client.call(Some(&self.tab.session), "Page.startScreencast", cast, CALL).await?;
        }
        self.job.stage(Stage::Connecting, 0, None);
        let started_at = chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Millis, true);
        let began = Instant::now();
        self.navigate(events).await?;
        let mut outcome = self.until_quiet(events, began).await?;
        if !outcome.cut_off && !outcome.stuck && !self.job.steps.is_empty() {
            self.job.stage(Stage::Acting, self.traffic.count(), None);
            self.act(events, &mut outcome).await?;
        }
        Ok((outcome, started_at))
    }

    /// Asks for the page and waits for its document's first bytes.
    pub async fn navigate(&mut self, events: &mut Events) -> Result<(), RecordError> {
        let (client, session, job) = (self.client.clone(), self.tab.session.clone(), self.job);
        // The answer comes once the document's first bytes do, so events are taken in meanwhile.
        let navigate = client.call(Some(&session), "Page.navigate", json!({"url": job.url}), job.limits.longest);
        let navigated = match self.while_waiting(events, navigate).await {
            Err(RecordError::NoAnswer(..)) => return Err(job.silent(self.traffic.document(""))),
            answer => answer?,
        };
        self.main_frame = navigated["frameId"].as_str().unwrap_or(&self.tab.target_id).to_owned();
        match navigated["errorText"].as_str().filter(|e| !e.is_empty()) {
            Some(error) => {
                if error == "net::ERR_ABORTED" {
                    self.until_answered(events).await?;
                }
                Err(job.unreachable(error, self.traffic.document(&self.main_frame)))
            }
            None => Ok(()),
        }
    }

    /// Waits for what the server answered for the document, where the browser would not show it: what is
    /// told of the answer may come after what is told of the navigation. Nothing may have been answered.
    async fn until_answered(&mut self, events: &mut Events) -> Result<(), RecordError> {
        let deadline = tokio::time::Instant::now() + ANSWER_TOLD;
        while self.traffic.document(&self.main_frame).is_none_or(|d| d.status.is_none()) {
            match tokio::time::timeout_at(deadline, events.recv()).await {
                Ok(event) => self.take_or_end(event.as_ref())?,
                Err(_) => break,
            }
        }
        Ok(())
    }

    /// A step may have begun to lead elsewhere: quiet is counted from now on.
    pub fn expect_navigation(&mut self) {
        self.last_traffic = Instant::now();
    }

    fn is_page(&self, event: &Event) -> bool {
        event.session.as_deref() == Some(&self.tab.session)
    }

    /// Takes one event in.
    pub fn take(&mut self, event: &Event) {
        let params = &event.params;
        match event.method.as_str() {
            m if m.starts_with("Network.") => {
                self.traffic.take(event);
                if self.traffic.is_traffic(event) {
                    self.last_traffic = Instant::now();
                }
                if m == "Network.responseReceived" || m == "Network.loadingFinished" {
                    self.job.stage(Stage::Loading, self.traffic.count(), None);
                }
            }
            "Fetch.requestPaused" => self.job.access.pass(self.client, event, self.job.url, self.job.trace.as_ref()),
            "Page.screencastFrame" => {
                let seen = json!({"sessionId": params["sessionId"]});
                self.client.tell(Some(&self.tab.session), "Page.screencastFrameAck", seen);
                self.frame(params);
            }
            "Page.frameNavigated" => {
                let frame = &params["frame"];
                if let (Some(id), Some(loader)) = (frame["id"].as_str(), frame["loaderId"].as_str()) {
                    self.traffic.navigated(id, loader);
                }
            }
            "Page.loadEventFired" if self.is_page(event) => {
                self.loaded = true;
                self.last_traffic = Instant::now();
            }
            "Runtime.executionContextCreated" if self.is_page(event) => {
                let context = &params["context"];
                let of_main = context["auxData"]["frameId"].as_str() == Some(&self.main_frame);
                if context["name"].as_str() == Some(page::WORLD) && (self.main_frame.is_empty() || of_main) {
                    self.world = context["id"].as_i64();
                }
            }
            "CSS.styleSheetAdded" => self.sheets.push(params["header"].clone()),
            "CSS.fontsUpdated" if self.fonts.len() < MOST_FONTS => self.fonts.extend(page::font(&params["font"])),
            "Target.attachedToTarget" => {
                if let Some(child) = params["sessionId"].as_str().filter(|s| *s != self.tab.session) {
                    self.attached(child, params["targetInfo"]["type"].as_str().unwrap_or(""));
                }
            }
            "Runtime.exceptionThrown" => {
                let thrown = &params["exceptionDetails"];
                let said = thrown["exception"]["description"].as_str().or(thrown["text"].as_str()).unwrap_or("");
                self.error(said);
            }
            "Runtime.consoleAPICalled" if params["type"].as_str() == Some("error") => {
                let said = params["args"].as_array().into_iter().flatten();
                let words = said.filter_map(|a| a["value"].as_str().or(a["description"].as_str()));
                self.error(&words.collect::<Vec<_>>().join(" "));
            }
            "Page.windowOpen" if self.is_page(event) => self.windows += 1,
            "Inspector.targetCrashed" | "Target.targetCrashed" => self.crashed = true,
            "Tracing.tracingComplete" => self.trace_stream = Some(params["stream"].as_str().unwrap_or("").to_owned()),
            // A page that asks the user something would wait for ever.
            "Page.javascriptDialogOpening" => {
                self.client.tell(Some(&self.tab.session), "Page.handleJavaScriptDialog", json!({"accept": true}));
            }
            _ => {}
        }
    }

    /// A frame of another site or a worker waits until we listen to it too.
    fn attached(&self, child: &str, kind: &str) {
        let tell = |method: &str, params: Value| self.client.tell(Some(child), method, params);
        tell("Network.enable", tab::follow_network(self.job));
        if let Some(blocks) = tab::blocks(self.job) {
            tell("Network.setBlockedURLs", blocks);
        }
        tell("Target.setAutoAttach", tab::attach_to_all());
        if let Some(before) = tab::runs_before(self.job).filter(|_| kind == "iframe") {
            tell("Page.enable", json!({}));
            tell("Page.addScriptToEvaluateOnNewDocument", before);
        }
        // One processor is slowed with all its threads by the page's own setting; a process of its own is not.
        if self.job.conditions.cpu_slowdown > 1.0 && kind == "iframe" {
            tell("Emulation.setCPUThrottlingRate", json!({"rate": self.job.conditions.cpu_slowdown}));
        }
        tell("Runtime.runIfWaitingForDebugger", json!({}));
    }

    /// Keeps the first line of what an error says.
    fn error(&mut self, said: &str) {
        let line: String = said.lines().next().unwrap_or("").chars().take(300).collect();
        if !line.is_empty() && self.errors.len() < MOST_ERRORS && !self.errors.contains(&line) {
            self.errors.push(line);
        }
    }

    fn frame(&mut self, params: &Value) {
        let at = params["metadata"]["timestamp"].as_f64();
        let picture = params["data"].as_str().and_then(|d| STANDARD.decode(d).ok());
        let (Some(at), Some(picture)) = (at, picture) else { return };
        // The same picture twice tells nothing new.
        if self.frames.last().is_some_and(|(_, last)| *last == picture) {
            return;
        }
        self.job.stage(Stage::Loading, self.traffic.count(), Some(picture.clone()));
        self.frames.push((at, picture));
        self.frames_left_out += thin_out(&mut self.frames, MOST_FRAMES);
    }

    /// Takes events in while a call is under way.
    pub async fn while_waiting<T>(
        &mut self,
        events: &mut Events,
        call: impl Future<Output = Result<T, RecordError>>,
    ) -> Result<T, RecordError> {
        tokio::pin!(call);
        loop {
            tokio::select! {
                answer = &mut call => return answer,
                event = events.recv() => self.take_or_end(event.as_ref())?,
            }
        }
    }

    fn take_or_end(&mut self, event: Option<&Event>) -> Result<(), RecordError> {
        let gone = || RecordError::BrowserGone(format!(", after {} requests", self.traffic.count()));
        self.take(event.ok_or_else(gone)?);
        if self.crashed { Err(RecordError::PageCrashed) } else { Ok(()) }
    }

    /// Watches until network and main thread have been quiet for long enough, or the time is up.
    pub async fn until_quiet(&mut self, events: &mut Events, began: Instant) -> Result<Outcome, RecordError> {
        let quiet = self.job.limits.quiet;
        let deadline = began + self.job.limits.longest;
        loop {
            let now = Instant::now();
            if now >= deadline {
                return Ok(Outcome { cut_off: true, stuck: self.is_stuck(events).await?, ..Outcome::default() });
            }
            // A document that broke off never announces that it has loaded.
            let broken = self.traffic.document(&self.main_frame).is_some_and(|d| d.failed.is_some());
            let settled = (self.loaded || broken) && self.traffic.busy(quiet) == 0;
            // An answer that nobody reads stops counting without an event that would say so.
            let next_look = if settled { self.last_traffic + quiet } else { now + quiet / 2 }.min(deadline);
            if settled && now >= next_look {
                self.job.stage(Stage::Settling, self.traffic.count(), None);
                let quiet_ms = self.main_thread_quiet(events, deadline).await?;
                match quiet_ms {
                    None => return Ok(Outcome { cut_off: true, stuck: true, ..Outcome::default() }),
                    Some(ms) if ms >= quiet.as_secs_f64() * 1000.0 && self.traffic.busy(quiet) == 0 => {
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
            if let Ok(event) = timeout_at(next_look, events.recv()).await {
                self.take_or_end(event.as_ref())?;
            }
        }
    }

    /// Does what the scripted user does, step by step; the first that cannot be done ends it.
    async fn act(&mut self, events: &mut Events, outcome: &mut Outcome) -> Result<(), RecordError> {
        for step in self.job.steps {
            let Some(world) = self.world else {
                outcome.step = Some(format!("The step “{step}” could not be done: there is no page to act on."));
                break;
            };
            let (client, session, touch) = (self.client.clone(), self.tab.session.clone(), self.job.conditions.mobile);
            if outcome.acted_ms.is_none() {
                let clock = page::clock(&client, &session, world);
                outcome.acted_ms = self.while_waiting(events, async { Ok(clock.await.ok()) }).await?;
            }
            let act = async { Ok(step.act(&client, &session, world, touch).await) };
            if let Err(error) = self.while_waiting(events, act).await? {
                outcome.step = Some(error.to_string());
                break;
            }
        }
        // What the last step set off may go on for a while.
        self.last_traffic = Instant::now();
        let after = self.until_quiet(events, Instant::now()).await?;
        (outcome.cut_off, outcome.stuck) = (after.cut_off, after.stuck);
        Ok(())
    }

    async fn is_stuck(&mut self, events: &mut Events) -> Result<bool, RecordError> {
        let soon = Instant::now() + Duration::from_secs(4);
        Ok(self.main_thread_quiet(events, soon).await?.is_none())
    }

    /// Milliseconds for which the main thread has been quiet; `None` when it does not answer in time.
    async fn main_thread_quiet(&mut self, events: &mut Events, deadline: Instant) -> Result<Option<f64>, RecordError> {
        let Some(world) = self.world else { return Ok(Some(f64::INFINITY)) };
        let limit = (deadline - Instant::now()).max(Duration::from_secs(2));
        let (client, session) = (self.client.clone(), self.tab.session.clone());
        match self.while_waiting(events, page::quiet_for(&client, &session, world, limit)).await {
            Ok(ms) => Ok(Some(ms)),
            Err(RecordError::NoAnswer(..)) => Ok(None),
            // The document was replaced meanwhile: its world is gone, and the load goes on.
            Err(RecordError::Refused(..)) => Ok(Some(0.0)),
            Err(e) => Err(e),
        }
    }
}

/// Drops pictures until `most` are left: of all but the first and the newest, the one whose
/// neighbours lie closest together, so that what is left tells the most about when the screen filled.
/// Gives how many went.
fn thin_out(frames: &mut Vec<(f64, Vec<u8>)>, most: usize) -> usize {
    let mut gone = 0;
    while frames.len() > most.max(2) {
        let gap = |at: usize| frames[at + 1].0 - frames[at - 1].0;
        let Some(at) = (1..frames.len() - 1).min_by(|a, b| gap(*a).total_cmp(&gap(*b))) else { break };
        frames.remove(at);
        gone += 1;
    }
    gone
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_newest_picture_is_always_kept_and_crowds_are_thinned() {
        let mut frames: Vec<(f64, Vec<u8>)> = Vec::new();
        let mut gone = 0;
        // A burst of a hundred pictures within a second, then one a second.
        for n in 0..130 {
            let at = if n < 100 { f64::from(n) / 100.0 } else { f64::from(n - 99) };
            frames.push((at, Vec::new()));
            gone += thin_out(&mut frames, 60);
        }
        assert_eq!((frames.len(), gone), (60, 70));
        assert_eq!((frames[0].0, frames[59].0), (0.0, 30.0));
        assert!((2..=30).all(|s| frames.iter().any(|f| (f.0 - f64::from(s)).abs() < 1e-9)), "those far apart stay");
        let widest = frames.windows(2).filter(|w| w[1].0 <= 1.0).map(|w| w[1].0 - w[0].0).fold(0.0, f64::max);
        assert!(widest < 0.08, "a burst keeps its shape: {widest}");
    }
}
