//! Trace-event JSON: from events to what they say of one page load.
//!
//! Events are read one after the other from a stream, with their `args` left as text; only the
//! arguments of the few kinds that matter are parsed. A trace that was cut off keeps the events before
//! the cut.

use crate::FormatError;
use crate::figures::figure;
use crate::renumber::renumber;
use event::{Event, Thread};
use memchr::memmem;
use phainon_core::profile::Profile;
use phainon_core::{
    Animation, EventTiming, Forced, Lack, LayoutShift, LcpCandidate, Millis, Missing, Moved, Note, PageChange,
    PaintKind, Rect, Request, RequestId, Scheduled, Subject, TimerInstall, UserTiming, Work,
};
use samples::Samples;
use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::io::Read;
use std::sync::Arc;
use stream::{Ended, each_event};

mod event;
mod messages;
mod network;
mod samples;
mod sockets;
mod stream;
mod text;
mod work;

pub use network::{kind_of, name_style_initiators, timing};
pub use text::{TraceText, TraceWriter};

/// What a trace says of one page load.
#[derive(Debug, Default)]
#[allow(missing_docs)]
pub struct TraceFacts {
    pub url: String,
    /// The browser's monotonic clock at navigation start, in microseconds.
    pub navigation_start_us: f64,
    pub requests: Vec<Request>,
    pub work: Vec<Work>,
    pub timers: Vec<TimerInstall>,
    /// Callbacks other than timers.
    pub scheduled: Vec<Scheduled>,
    /// CSS animations and transitions.
    pub animations: Vec<Animation>,
    pub fcp: Option<Millis>,
    pub lcp_candidates: Vec<LcpCandidate>,
    pub shifts: Vec<LayoutShift>,
    pub dom_content_loaded: Option<Millis>,
    pub load_event: Option<Millis>,
    pub dom_interactive: Option<Millis>,
    pub end: Millis,
    /// Style and layout that a script's question made the browser do at once.
    pub forced: Vec<Forced>,
    /// Changes of the page by scripts.
    pub changes: Vec<PageChange>,
    /// When frames of this page were on the screen.
    pub presentations: Vec<Millis>,
    /// When scripts began to run in workers, by address.
    pub worker_runs: Vec<(String, Millis)>,
    /// Input events as the browser timed them.
    pub events: Vec<EventTiming>,
    /// The page's own marks and measures.
    pub user_timings: Vec<UserTiming>,
    /// The profiler's samples of the main thread.
    pub profile: Option<Profile>,
    pub notes: Vec<Note>,
    pub missing: Vec<Missing>,
}

struct Navigation {
    ts: f64,
    id: String,
    frame: String,
    url: String,
    thread: Thread,
}

/// What is known of the navigation that a trace was taken for.
#[derive(Debug, Clone, Copy, Default)]
pub struct Wanted<'a> {
    /// The address of its document.
    pub url: Option<&'a str>,
    /// The browser's id of the frame that navigated.
    pub frame: Option<&'a str>,
}

/// What has to be known of a trace before its events can be read.
#[derive(Default)]
struct Survey {
    navigations: Vec<Navigation>,
    /// Ids of the navigations that painted.
    painted: HashSet<String>,
    /// Threads that are a renderer's main one.
    mains: Vec<Thread>,
    ended: Ended,
}

/// Marks of the events that a survey needs.
const SURVEYED: [&str; 3] = ["navigationStart", "firstContentfulPaint", "CrRendererMain"];

impl Survey {
    fn of(text: &TraceText, name: &str) -> Result<Self, FormatError> {
        let finders = SURVEYED.map(memmem::Finder::new);
        let wanted = |json: &[u8]| finders.iter().any(|f| f.find(json).is_some());
        let mut survey = Self::default();
        survey.ended = each_event(opened(text, name)?, name, wanted, |event| survey.take(event))?;
        Ok(survey)
    }

    fn take(&mut self, event: &Event<'_>) {
        match &*event.name {
            "navigationStart" => {
                let args = event.args();
                let data = &args["data"];
                let url = data["documentLoaderURL"].as_str().unwrap_or("");
                let main =
                    data["isOutermostMainFrame"].as_bool().or(data["isLoadingMainFrame"].as_bool()).unwrap_or(true);
                if main && (url.starts_with("http://") || url.starts_with("https://") || url.starts_with("file://")) {
                    self.navigations.push(Navigation {
                        ts: event.ts,
                        id: data["navigationId"].as_str().unwrap_or("").to_owned(),
                        frame: args["frame"].as_str().unwrap_or("").to_owned(),
                        url: url.to_owned(),
                        thread: event.thread(),
                    });
                }
            }
            "firstContentfulPaint" => {
                self.painted.extend(event.args()["data"]["navigationId"].as_str().map(str::to_owned));
            }
            "thread_name" if event.ph == b'M' && event.args()["name"].as_str() == Some("CrRendererMain") => {
                self.mains.push(event.thread());
            }
            _ => {}
        }
    }

    /// Of several navigations the last that painted, else the last: of those in the frame that is
    /// wanted and to the address that is wanted, where there are such.
    fn navigation(&mut self, wanted: Wanted<'_>) -> Option<Navigation> {
        let found = &mut self.navigations;
        if found.iter().any(|n| wanted.frame == Some(n.frame.as_str())) {
            found.retain(|n| wanted.frame == Some(n.frame.as_str()));
        }
        let place = found
            .iter()
            .rposition(|n| wanted.url == Some(n.url.as_str()) && self.painted.contains(&n.id))
            .or_else(|| found.iter().rposition(|n| self.painted.contains(&n.id)))
            .or_else(|| found.len().checked_sub(1))?;
        Some(found.swap_remove(place))
    }

    /// The renderer's main thread: the one so named in the process that navigated, else the thread
    /// that announced the navigation.
    fn main_thread(&self, navigation: Thread) -> Thread {
        self.mains.iter().copied().find(|thread| thread.0 == navigation.0).unwrap_or(navigation)
    }
}

fn opened(text: &TraceText, name: &str) -> Result<impl Read, FormatError> {
    text.reader().map_err(|e| FormatError::Unpack { name: name.to_owned(), why: e.to_string() })
}

/// Reads a trace, in two passes: which navigation and which thread it is about is known at its end only.
pub fn read(text: &TraceText, name: &str, wanted: Wanted<'_>) -> Result<TraceFacts, FormatError> {
    read_at_most(text, name, wanted, MOST_TOLD)
}

fn read_at_most(text: &TraceText, name: &str, wanted: Wanted<'_>, most: usize) -> Result<TraceFacts, FormatError> {
    let mut facts = TraceFacts::default();
    let mut survey = Survey::of(text, name)?;
    let events = survey.ended.events;
    if let Some(line) = survey.ended.cut_off {
        facts.notes.push(Note::TraceCutOff { line, events });
    }
    let Some(navigation) = survey.navigation(wanted) else {
        return Err(FormatError::Nothing {
            name: name.to_owned(),
            why: format!(
                "none of its {events} trace events is the start of a page's navigation (`navigationStart` with a URL)"
            ),
        });
    };
    let main = survey.main_thread(navigation.thread);
    facts.url.clone_from(&navigation.url);
    facts.navigation_start_us = navigation.ts;
    let at = |ts: f64| Millis(((ts - navigation.ts) / 1000.0).max(0.0));

    let mut reader = Reader {
        facts: &mut facts,
        navigation: &navigation,
        pieces: Vec::new(),
        open: Vec::new(),
        names: HashMap::new(),
        pictures: HashMap::new(),
        network: HashMap::new(),
        order: Vec::new(),
        first_input: None,
        callbacks: HashMap::new(),
        posted: HashMap::new(),
        handled: Vec::new(),
        through_ports: Vec::new(),
        animated: HashMap::new(),
        measures: HashMap::new(),
        samples: Samples::default(),
        most,
        full: None,
    };
    let mut last = navigation.ts;
    let ended = each_event(
        opened(text, name)?,
        name,
        |_| true,
        |event| {
            reader.event(event, main, &at);
            if event.thread() == main {
                last = last.max(event.ts + event.dur);
            }
        },
    )?;
    let samples = std::mem::take(&mut reader.samples);
    let animated = std::mem::take(&mut reader.animated);
    let full = reader.full;
    reader.finish(&at);
    let (profile, unread) = samples.finish(main);
    facts.profile = profile;
    facts.end = at(last);
    let still = animated.into_values().map(|animation| Animation { to: facts.end, ..animation });
    facts.animations.extend(still);
    facts.animations.sort_by(|a, b| a.from.order(&b.from));
    if ended.not_utf8 {
        facts.notes.insert(0, Note::TraceNotUtf8);
    }
    if let Some(from) = full {
        facts.notes.push(Note::TraceBeyond { held: most, from });
    }
    if unread > 0 {
        facts.notes.push(Note::SamplesUnread { chunks: unread });
    }
    if facts.profile.is_none() {
        facts.missing.push(Missing { subject: Subject::Samples, lack: Lack::NoSamples });
    }
    if facts.work.is_empty() {
        facts.missing.push(Missing { subject: Subject::MainThread, lack: Lack::NoTasks });
    }
    if facts.fcp.is_none() && facts.lcp_candidates.is_empty() {
        facts.missing.push(Missing { subject: Subject::Paints, lack: Lack::NoPaint });
    }
    Ok(facts)
}

/// A piece of work before nesting.
struct Piece {
    start: f64,
    end: f64,
    work: Work,
}

#[derive(Default)]
struct Seen {
    request: Option<Request>,
    done: Vec<Request>,
}

/// More of what a trace tells is not held, samples aside: each takes some two hundred bytes until it is
/// analysed.
const MOST_TOLD: usize = 6_000_000;

struct Reader<'r> {
    facts: &'r mut TraceFacts,
    navigation: &'r Navigation,
    pieces: Vec<Piece>,
    /// Begun by a `B` event and not ended yet.
    open: Vec<(f64, Option<Work>)>,
    /// Each distinct text once.
    names: HashMap<String, Arc<str>>,
    /// Largest-picture candidates by node: URL and box.
    pictures: HashMap<i64, (String, Option<Rect>)>,
    network: HashMap<String, Seen>,
    order: Vec<String>,
    first_input: Option<f64>,
    /// Callbacks that were asked for, by what joins that to their run.
    callbacks: HashMap<u64, f64>,
    /// Messages that were posted: when, and by whom.
    posted: HashMap<String, (f64, Option<Arc<str>>)>,
    /// Messages that were handled, and when. A worker's events may be told after those of the page.
    handled: Vec<(String, f64)>,
    /// From when to when messages that came through a port were handled.
    through_ports: Vec<(f64, f64)>,
    /// Animations under way, by id.
    animated: HashMap<u64, Animation>,
    /// Measures begun and not ended, by id and name.
    measures: HashMap<(u64, String), f64>,
    samples: Samples,
    /// So much is held at most.
    most: usize,
    /// Since when nothing more was held.
    full: Option<Millis>,
}

impl Reader<'_> {
    /// How much is held of what was told.
    fn told(&self) -> usize {
        let facts = &self.facts;
        let work = self.pieces.len() + self.open.len() + facts.forced.len() + facts.changes.len() + facts.timers.len();
        let screen = facts.shifts.len() + facts.lcp_candidates.len() + facts.presentations.len() + self.pictures.len();
        let page = facts.events.len() + facts.user_timings.len() + facts.worker_runs.len() + self.measures.len();
        let page = page + facts.scheduled.len() + self.callbacks.len() + self.posted.len();
        let page = page + self.handled.len() + self.through_ports.len();
        let page = page + facts.animations.len() + self.animated.len();
        work + screen + page + self.network.len()
    }

    fn event(&mut self, event: &Event<'_>, main: Thread, at: &dyn Fn(f64) -> Millis) {
        if self.told() >= self.most && !event.name.starts_with("Profile") {
            self.full = self.full.or(Some(at(event.ts)));
            return;
        }
        if event.thread() == main {
            match event.ph {
                b'X' if event.ts + event.dur > self.navigation.ts => {
                    if let Some(work) = self.work(event, at) {
                        self.pieces.push(Piece { start: event.ts, end: event.ts + event.dur.max(0.0), work });
                    }
                }
                b'B' => {
                    let work = self.work(event, at);
                    self.open.push((event.ts, work));
                }
                b'E' => {
                    if let Some((start, Some(work))) = self.open.pop()
                        && event.ts > self.navigation.ts
                    {
                        self.pieces.push(Piece { start, end: event.ts.max(start), work });
                    }
                }
                _ => {}
            }
        }
        match &*event.name {
            // A profile goes on through navigations, and its chunks build on each other.
            "Profile" => return self.samples.begin(event),
            "ProfileChunk" => return self.samples.chunk(event, self.navigation.ts),
            _ if event.ts < self.navigation.ts - 1_000_000.0 => return,
            _ => {}
        }
        match &*event.name {
            "firstContentfulPaint" if self.is_ours(&event.args()) => {
                self.facts.fcp = self.facts.fcp.or(Some(at(event.ts)))
            }
            "largestContentfulPaint::Candidate" => self.candidate(event, at),
            "LargestImagePaint::Candidate" => self.picture(event),
            "LayoutShift" if event.ts >= self.navigation.ts => self.shift(event, main, at),
            "AnimationFrame::Presentation" if event.thread().0 == main.0 && event.ts >= self.navigation.ts => {
                self.facts.presentations.push(at(event.ts));
            }
            "EvaluateScript" if event.thread() != main && event.ts >= self.navigation.ts => {
                // In a frame it has one; a worker's has none.
                let in_worker = event.text(&["data", "frame"]).is_none_or(|frame| frame.is_empty());
                if let Some(url) = event.text(&["data", "url"]).filter(|_| in_worker) {
                    self.facts.worker_runs.push((url.into_owned(), at(event.ts)));
                }
            }
            "domContentLoadedEventStart" if self.is_frame(event) => self.facts.dom_content_loaded = Some(at(event.ts)),
            "loadEventStart" if self.is_frame(event) => self.facts.load_event = Some(at(event.ts)),
            "domInteractive" if self.is_frame(event) => self.facts.dom_interactive = Some(at(event.ts)),
            "TimerInstall" if event.thread() == main => {
                let args = event.args();
                let data = &args["data"];
                if let Some(timer) = data["timerId"].as_i64() {
                    let timeout = Millis(figure(&data["timeout"]).unwrap_or(0.0));
                    let by = self.place_of(&data["stackTrace"][0]);
                    self.facts.timers.push(TimerInstall { timer, at: at(event.ts), timeout, by });
                }
            }
            // A flow leads from where a callback was asked for to its runs; an interval has many.
            "AsyncTask Scheduled" if event.ph == b's' && event.thread() == main => {
                self.callbacks.insert(event.id, event.ts);
            }
            "AsyncTask Scheduled" if matches!(event.ph, b'f' | b't') && event.thread() == main => {
                if let Some(asked) = self.callbacks.get(&event.id).filter(|_| event.ts >= self.navigation.ts) {
                    self.facts.scheduled.push(Scheduled { at: at(*asked), ran: at(event.ts), by: None });
                }
            }
            "Animation" if event.ph == b'b' && event.thread() == main && event.ts >= self.navigation.ts => {
                let name = event.text(&["data", "displayName"]).or_else(|| event.text(&["data", "name"]));
                let name: String = name.unwrap_or_default().chars().take(200).collect();
                let node = event.args()["data"]["nodeId"].as_i64();
                let animation = Animation { from: at(event.ts), to: at(event.ts), name, node };
                self.animated.insert(event.id, animation);
            }
            "Animation" if event.ph == b'e' && event.thread() == main => {
                if let Some(animation) = self.animated.remove(&event.id) {
                    self.facts.animations.push(Animation { to: at(event.ts), ..animation });
                }
            }
            "SchedulePostMessage" if event.ph == b'I' => {
                let args = event.args();
                let by = self.place_of(&args["data"]["stackTrace"][0]).and_then(|p| p.url);
                if let Some(id) = args["data"]["traceId"].as_str() {
                    self.posted.insert(id.to_owned(), (event.ts, by));
                }
            }
            "HandlePostMessage" if event.thread() == main && event.ts >= self.navigation.ts => {
                if let Some(id) = event.text(&["data", "traceId"]) {
                    self.handled.push((id.into_owned(), event.ts));
                }
            }
            "MessagePort::Accept" if event.thread() == main && event.ts >= self.navigation.ts => {
                self.through_ports.push((event.ts, event.ts + event.dur));
            }
            "EventTiming" if event.ph == b'b' && event.ts >= self.navigation.ts => self.input(event),
            "ScheduleStyleRecalculation" | "InvalidateLayout" if event.thread() == main => self.change(event, at),
            "ResourceSendRequest" | "ResourceReceiveResponse" | "ResourceFinish" | "ResourceChangePriority"
                if event.ts >= self.navigation.ts =>
            {
                self.resource(event, at);
            }
            "WebSocketCreate"
            | "WebSocketSendHandshakeRequest"
            | "WebSocketReceiveHandshakeResponse"
            | "WebSocketReceive"
            | "WebSocketSend"
                if event.ts >= self.navigation.ts =>
            {
                self.socket(event, at);
            }
            _ if event.user_timing && event.ts >= self.navigation.ts && event.thread() == main => {
                self.user_timing(event, at);
            }
            _ => {}
        }
    }

    /// A mark of the page's own, or the begin or end of a measure. The browser's own moments have the
    /// same category, another phase and no start time of the page's clock.
    fn user_timing(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        if self.facts.user_timings.len() >= 10_000 {
            return;
        }
        let name = || event.name.chars().take(200).collect::<String>();
        match event.ph {
            b'I' if event.raw_args().contains("\"startTime\"") => {
                self.facts.user_timings.push(UserTiming { name: name(), at_ms: at(event.ts), duration_ms: None });
            }
            b'b' => {
                self.measures.insert((event.id, event.name.to_string()), event.ts);
            }
            b'e' => {
                if let Some(start) = self.measures.remove(&(event.id, event.name.to_string())) {
                    let duration_ms = Some(Millis(((event.ts - start) / 1000.0).max(0.0)));
                    self.facts.user_timings.push(UserTiming { name: name(), at_ms: at(start), duration_ms });
                }
            }
            _ => {}
        }
    }

    /// An input event with its times, which count in milliseconds from the page's own start.
    fn input(&mut self, event: &Event<'_>) {
        let args = event.args();
        let data = &args["data"];
        let time = |key: &str| figure(&data[key]).filter(|t| (0.0..1e9).contains(t));
        let kind = data["type"].as_str().unwrap_or("").to_owned();
        // Input in an inner frame does not end the main frame's search for its largest paint.
        let ours = data["frame"].as_str().is_none_or(|f| f == self.navigation.frame);
        let first = ours && self.first_input.is_none();
        if first && matches!(&*kind, "pointerdown" | "mousedown" | "keydown" | "touchstart" | "click") {
            let told = time("timeStamp").map(|at| self.navigation.ts + at * 1000.0);
            self.first_input = Some(told.unwrap_or(event.ts).min(event.ts));
        }
        let (Some(at), Some(duration), true) = (time("timeStamp"), time("duration"), ours) else { return };
        let start = time("processingStart").unwrap_or(at).max(at);
        let end = time("processingEnd").unwrap_or(start).max(start);
        if self.facts.events.len() < 100_000 {
            self.facts.events.push(EventTiming {
                kind,
                interaction: data["interactionId"].as_u64().unwrap_or(0),
                at: Millis(at),
                processing_start: Millis(start),
                processing_end: Millis(end),
                painted: Millis((at + duration).max(end)),
                node: data["nodeId"].as_i64().filter(|n| *n > 0),
                selector: None,
            });
        }
    }

    fn is_ours(&self, args: &Value) -> bool {
        match args["data"]["navigationId"].as_str() {
            Some(id) => id == self.navigation.id,
            None => args["frame"].as_str().is_none_or(|f| f == self.navigation.frame),
        }
    }

    fn is_frame(&self, event: &Event<'_>) -> bool {
        event.ts >= self.navigation.ts && event.args()["frame"].as_str().is_none_or(|f| f == self.navigation.frame)
    }

    fn intern(&mut self, text: &str) -> Arc<str> {
        if let Some(known) = self.names.get(text) {
            return known.clone();
        }
        let new: Arc<str> = text.into();
        self.names.insert(text.to_owned(), new.clone());
        new
    }

    fn candidate(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        let args = event.args();
        let data = &args["data"];
        let main = data["isOutermostMainFrame"].as_bool().or(data["isMainFrame"].as_bool()).unwrap_or(true);
        if !main || !self.is_ours(&args) {
            return;
        }
        let tag = data["nodeName"].as_str().and_then(|n| n.split([' ', '.', '#']).next()).filter(|t| !t.is_empty());
        self.facts.lcp_candidates.push(LcpCandidate {
            fonts: None,
            animated: Vec::new(),
            words: None,
            at: at(event.ts),
            kind: if data["type"].as_str() == Some("image") { PaintKind::Image } else { PaintKind::Text },
            size: figure(&data["size"]).unwrap_or(0.0),
            node: data["nodeId"].as_i64(),
            url: data["url"].as_str().filter(|u| !u.is_empty()).map(str::to_owned),
            tag: tag.map(str::to_ascii_lowercase),
            selector: None,
            snippet: None,
            rect: None,
        });
    }

    fn picture(&mut self, event: &Event<'_>) {
        let args = event.args();
        let data = &args["data"];
        let node = data["DOMNodeId"].as_i64().or(data["nodeId"].as_i64());
        if let (Some(node), Some(url)) = (node, data["imageUrl"].as_str()) {
            let side = |key: &str| figure(&data[key]);
            let rect = match (side("frame_x"), side("frame_y"), side("frame_width"), side("frame_height")) {
                (Some(x), Some(y), Some(width), Some(height)) => Some(Rect { x, y, width, height }),
                _ => None,
            };
            self.pictures.insert(node, (url.to_owned(), rect));
        }
    }

    /// A shift of the main frame, or of a frame within it: that counts with its share of the viewport
    /// (Core Web Vitals), which the browser gives as the weighted score.
    fn shift(&mut self, event: &Event<'_>, main: Thread, at: &dyn Fn(f64) -> Millis) {
        let args = event.args();
        let data = &args["data"];
        let ours = args["frame"].as_str().is_none_or(|f| f == self.navigation.frame);
        let inner = data["is_main_frame"].as_bool() == Some(false);
        // Another tab's main frame is none of this page's.
        if !(inner || ours && event.thread().0 == main.0) {
            return;
        }
        let score = figure(&data[if inner { "weighted_score_delta" } else { "score" }]);
        let Some(score) = score.filter(|s| s.is_finite() && *s > 0.0) else { return };
        let rect = |value: &Value| {
            let side = |i: usize| value.get(i).and_then(figure).unwrap_or(0.0);
            Rect { x: side(0), y: side(1), width: side(2), height: side(3) }
        };
        let moved = data["impacted_nodes"]
            .as_array()
            .into_iter()
            .flatten()
            .take(50)
            .map(|n| Moved {
                before: rect(&n["old_rect"]),
                after: rect(&n["new_rect"]),
                node: n["node_id"].as_i64(),
                element: n["debug_name"].as_str().filter(|e| !e.is_empty()).map(|e| e.chars().take(200).collect()),
            })
            .collect();
        self.facts.shifts.push(LayoutShift {
            at: at(event.ts),
            score,
            inner,
            had_recent_input: data["had_recent_input"].as_bool().unwrap_or(false),
            moved,
        });
    }

    fn finish(&mut self, at: &dyn Fn(f64) -> Millis) {
        self.nest(at);
        for (id, ran) in std::mem::take(&mut self.handled) {
            if let Some((asked, by)) = self.posted.get(&id).filter(|(asked, _)| *asked <= ran) {
                self.facts.scheduled.push(Scheduled { at: at(*asked), ran: at(ran), by: by.clone() });
            }
        }
        for (from, to) in std::mem::take(&mut self.through_ports) {
            self.facts.scheduled.extend(messages::through_port(&self.facts.work, at(from), at(to)));
        }
        if let Some(input) = self.first_input {
            let input = at(input);
            self.facts.lcp_candidates.retain(|c| c.at <= input);
        }
        self.facts.lcp_candidates.sort_by(|a, b| a.at.order(&b.at));
        for candidate in &mut self.facts.lcp_candidates {
            if candidate.kind == PaintKind::Image
                && let Some((url, rect)) = candidate.node.and_then(|n| self.pictures.get(&n))
            {
                candidate.url.get_or_insert_with(|| url.clone());
                candidate.rect = candidate.rect.or(*rect);
            }
        }
        self.facts.shifts.sort_by(|a, b| a.at.order(&b.at));
        self.facts.presentations.sort_by(Millis::order);
        self.facts.changes.sort_by(|a, b| a.at.order(&b.at));
        self.facts.user_timings.sort_by(|a, b| a.at_ms.order(&b.at_ms));
        let mut requests = Vec::new();
        for id in &self.order {
            let Some(seen) = self.network.remove(id) else { continue };
            for mut request in seen.done.into_iter().chain(seen.request) {
                request.id = RequestId(u32::try_from(requests.len()).unwrap_or(u32::MAX));
                requests.push(request);
            }
        }
        self.facts.requests = renumber(requests);
        name_style_initiators(&mut self.facts.requests);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_message_is_joined_to_its_posting_whichever_is_told_first() {
        let navigation = r#"{"name":"navigationStart","ph":"R","ts":0,"pid":1,"tid":1,"args":{"frame":"F","data":{"documentLoaderURL":"http://a.test/","isOutermostMainFrame":true,"navigationId":"N"}}}"#;
        let posted =
            r#"{"name":"SchedulePostMessage","ph":"I","ts":4000,"pid":1,"tid":9,"args":{"data":{"traceId":"7"}}}"#;
        let handled = r#"{"name":"HandlePostMessage","ph":"X","ts":6000,"dur":500,"pid":1,"tid":1,"args":{"data":{"traceId":"7"}}}"#;
        for (first, second) in [(posted, handled), (handled, posted)] {
            let text = format!("[{navigation},{first},{second}]");
            let facts = read_at_most(&TraceText::of(text.as_bytes()), "t", Wanted::default(), 100).expect("a trace");
            let joined: Vec<_> = facts.scheduled.iter().map(|s| (s.at, s.ran)).collect();
            assert_eq!(joined, [(Millis(4.0), Millis(6.0))]);
        }
    }

    #[test]
    fn what_is_more_than_can_be_held_is_left_out_and_said() {
        let task =
            |at: u32| format!(r#",{{"name":"RunTask","ph":"X","ts":{at}000,"dur":500,"pid":1,"tid":1,"args":{{}}}}"#);
        let text = format!(
            r#"[{{"name":"navigationStart","ph":"R","ts":0,"pid":1,"tid":1,"args":{{"frame":"F","data":{{"documentLoaderURL":"http://a.test/","isOutermostMainFrame":true,"navigationId":"N"}}}}}}{}]"#,
            (1..=9).map(task).collect::<String>()
        );
        let read = |most| read_at_most(&TraceText::of(text.as_bytes()), "t", Wanted::default(), most).expect("a trace");
        let whole = read(9);
        assert_eq!((whole.work.len(), whole.notes.len()), (9, 0));
        let cut = read(4);
        assert_eq!(cut.work.len(), 4);
        assert_eq!(cut.notes, [Note::TraceBeyond { held: 4, from: Millis(5.0) }]);
        assert_eq!(cut.end, whole.end, "how long the load went on is known all the same");
    }
}
