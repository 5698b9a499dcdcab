//! Trace-event JSON: from events to what they say of one page load.
//!
//! Events are read one after the other with their `args` left as text; only the arguments of the
//! few kinds that matter are parsed. A trace that was cut off keeps the events before the cut.

use crate::FormatError;
use crate::assemble::renumber;
use phainon_core::{
    Bytes, CacheSource, Header, Initiator, InitiatorKind, LayoutShift, LcpCandidate, Millis, Missing, PaintKind, Rect,
    RenderBlocking, Request, RequestId, ResourceKind, Subject, TimerInstall, Work, WorkKind, WorkName,
};
use serde::de::{DeserializeSeed, Deserializer, Error as _, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, de};
use serde_json::Value;
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::fmt;
use std::sync::Arc;

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
    pub fcp: Option<Millis>,
    pub lcp_candidates: Vec<LcpCandidate>,
    pub shifts: Vec<LayoutShift>,
    pub dom_content_loaded: Option<Millis>,
    pub load_event: Option<Millis>,
    pub dom_interactive: Option<Millis>,
    pub end: Millis,
    pub notes: Vec<String>,
    pub missing: Vec<Missing>,
}

/// One event. Everything but the name may be missing or of another type than it should be.
#[derive(Deserialize)]
struct Event<'a> {
    #[serde(borrow, default)]
    name: Cow<'a, str>,
    #[serde(borrow, default)]
    ph: Cow<'a, str>,
    #[serde(default, deserialize_with = "number")]
    ts: f64,
    #[serde(default, deserialize_with = "number")]
    dur: f64,
    #[serde(default, deserialize_with = "number")]
    pid: f64,
    #[serde(default, deserialize_with = "number")]
    tid: f64,
    #[serde(borrow, default)]
    args: Option<&'a RawValue>,
}

impl Event<'_> {
    fn thread(&self) -> Thread {
        #[allow(clippy::cast_possible_truncation)]
        (self.pid as i64, self.tid as i64)
    }

    fn args(&self) -> Value {
        self.args.and_then(|raw| serde_json::from_str(raw.get()).ok()).unwrap_or(Value::Null)
    }
}

type Thread = (i64, i64);

/// A number, or a text that is one; anything else counts as 0.
fn number<'de, D: Deserializer<'de>>(deserializer: D) -> Result<f64, D::Error> {
    struct Lenient;
    impl<'de> Visitor<'de> for Lenient {
        type Value = f64;
        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str("a number")
        }
        fn visit_f64<E>(self, v: f64) -> Result<f64, E> {
            Ok(if v.is_finite() { v } else { 0.0 })
        }
        #[allow(clippy::cast_precision_loss)]
        fn visit_u64<E>(self, v: u64) -> Result<f64, E> {
            Ok(v as f64)
        }
        #[allow(clippy::cast_precision_loss)]
        fn visit_i64<E>(self, v: i64) -> Result<f64, E> {
            Ok(v as f64)
        }
        fn visit_str<E>(self, v: &str) -> Result<f64, E> {
            Ok(v.trim().parse().ok().filter(|v: &f64| v.is_finite()).unwrap_or(0.0))
        }
        fn visit_unit<E>(self) -> Result<f64, E> {
            Ok(0.0)
        }
        fn visit_bool<E>(self, _: bool) -> Result<f64, E> {
            Ok(0.0)
        }
        fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<f64, A::Error> {
            while seq.next_element::<IgnoredAny>()?.is_some() {}
            Ok(0.0)
        }
        fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<f64, A::Error> {
            while map.next_entry::<IgnoredAny, IgnoredAny>()?.is_some() {}
            Ok(0.0)
        }
    }
    deserializer.deserialize_any(Lenient)
}

/// More events than this are not read.
const MAX_EVENTS: usize = 20_000_000;

struct List<'e, 'a>(&'e mut Vec<Event<'a>>);

impl<'a> DeserializeSeed<'a> for List<'_, 'a> {
    type Value = ();
    fn deserialize<D: Deserializer<'a>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'a> Visitor<'a> for List<'_, 'a> {
    type Value = ();
    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of trace events")
    }
    fn visit_seq<A: SeqAccess<'a>>(self, mut seq: A) -> Result<(), A::Error> {
        while let Some(event) = seq.next_element::<Event<'a>>()? {
            if self.0.len() >= MAX_EVENTS {
                return Err(A::Error::custom(format!("more than {MAX_EVENTS} events")));
            }
            self.0.push(event);
        }
        Ok(())
    }
}

struct Whole<'e, 'a>(&'e mut Vec<Event<'a>>);

impl<'a> Visitor<'a> for Whole<'_, 'a> {
    type Value = ();
    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a trace: a list of events, or an object with `traceEvents`")
    }
    fn visit_seq<A: SeqAccess<'a>>(self, seq: A) -> Result<(), A::Error> {
        List(self.0).visit_seq(seq)
    }
    fn visit_map<A: MapAccess<'a>>(self, mut map: A) -> Result<(), A::Error> {
        let mut seen = false;
        while let Some(key) = map.next_key::<Cow<'a, str>>()? {
            if key == "traceEvents" {
                map.next_value_seed(List(self.0))?;
                seen = true;
            } else {
                map.next_value::<IgnoredAny>()?;
            }
        }
        if seen { Ok(()) } else { Err(de::Error::missing_field("traceEvents")) }
    }
}

/// Reads the events; those before a cut are kept, and the cut is noted.
fn events<'a>(text: &'a str, name: &str, notes: &mut Vec<String>) -> Result<Vec<Event<'a>>, FormatError> {
    let mut found = Vec::new();
    let mut deserializer = serde_json::Deserializer::from_str(text);
    if let Err(error) = (&mut deserializer).deserialize_any(Whole(&mut found)) {
        if !error.is_eof() || found.is_empty() {
            return Err(FormatError::json(name, &error));
        }
        notes.push(format!(
            "The trace is cut off at line {}; the {} events before that are shown.",
            error.line(),
            found.len()
        ));
    }
    Ok(found)
}

struct Navigation {
    ts: f64,
    id: String,
    frame: String,
    url: String,
    thread: Thread,
}

/// Reads a trace. `wanted` is the URL that was recorded, where that is known; of several
/// navigations the last that painted is taken, else the last.
pub fn read(bytes: &[u8], name: &str, wanted: Option<&str>) -> Result<TraceFacts, FormatError> {
    let text = String::from_utf8_lossy(bytes);
    let mut facts = TraceFacts::default();
    if let Cow::Owned(_) = text {
        facts
            .notes
            .push("The trace holds bytes that are not valid UTF-8; they are shown as a replacement sign.".into());
    }
    let events = events(&text, name, &mut facts.notes)?;
    let Some(navigation) = navigation(&events, wanted) else {
        return Err(FormatError::Nothing {
            name: name.to_owned(),
            why: format!(
                "none of its {} trace events is the start of a page's navigation (`navigationStart` with a URL)",
                events.len()
            ),
        });
    };
    let main = main_thread_of(&events, navigation.thread);
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
    };
    for event in &events {
        reader.event(event, main, &at);
    }
    reader.finish(&at);
    let last = events.iter().filter(|e| e.thread() == main).map(|e| e.ts + e.dur).fold(navigation.ts, f64::max);
    facts.end = at(last);
    if facts.work.is_empty() {
        facts.missing.push(Missing {
            subject: Subject::MainThread,
            why: "The trace holds no main-thread tasks of this page.".into(),
        });
    }
    if facts.fcp.is_none() && facts.lcp_candidates.is_empty() {
        facts.missing.push(Missing {
            subject: Subject::Paints,
            why: "The trace holds no contentful paint of this page: it showed nothing, or the trace lacks the category `loading`.".into(),
        });
    }
    Ok(facts)
}

fn navigation(events: &[Event<'_>], wanted: Option<&str>) -> Option<Navigation> {
    let mut found: Vec<Navigation> = Vec::new();
    for event in events.iter().filter(|e| e.name == "navigationStart") {
        let args = event.args();
        let data = &args["data"];
        let url = data["documentLoaderURL"].as_str().unwrap_or("");
        let main = data["isOutermostMainFrame"].as_bool().or(data["isLoadingMainFrame"].as_bool()).unwrap_or(true);
        if main && (url.starts_with("http://") || url.starts_with("https://") || url.starts_with("file://")) {
            found.push(Navigation {
                ts: event.ts,
                id: data["navigationId"].as_str().unwrap_or("").to_owned(),
                frame: args["frame"].as_str().unwrap_or("").to_owned(),
                url: url.to_owned(),
                thread: event.thread(),
            });
        }
    }
    let painted: HashSet<String> = events
        .iter()
        .filter(|e| e.name == "firstContentfulPaint")
        .filter_map(|e| e.args()["data"]["navigationId"].as_str().map(str::to_owned))
        .collect();
    let place = found
        .iter()
        .rposition(|n| wanted == Some(n.url.as_str()) && painted.contains(&n.id))
        .or_else(|| found.iter().rposition(|n| painted.contains(&n.id)))
        .or_else(|| found.len().checked_sub(1))?;
    Some(found.swap_remove(place))
}

/// The renderer's main thread: the one so named in the process that navigated, else the thread that
/// announced the navigation.
fn main_thread_of(events: &[Event<'_>], navigation: Thread) -> Thread {
    events
        .iter()
        .filter(|e| e.ph == "M" && e.name == "thread_name" && e.thread().0 == navigation.0)
        .find(|e| e.args()["name"].as_str() == Some("CrRendererMain"))
        .map_or(navigation, Event::thread)
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
}

impl Reader<'_> {
    fn event(&mut self, event: &Event<'_>, main: Thread, at: &dyn Fn(f64) -> Millis) {
        if event.thread() == main {
            match &*event.ph {
                "X" if event.ts + event.dur > self.navigation.ts => {
                    if let Some(work) = self.work(event) {
                        self.pieces.push(Piece { start: event.ts, end: event.ts + event.dur.max(0.0), work });
                    }
                }
                "B" => {
                    let work = self.work(event);
                    self.open.push((event.ts, work));
                }
                "E" => {
                    if let Some((start, Some(work))) = self.open.pop()
                        && event.ts > self.navigation.ts
                    {
                        self.pieces.push(Piece { start, end: event.ts.max(start), work });
                    }
                }
                _ => {}
            }
        }
        if event.ts < self.navigation.ts - 1_000_000.0 {
            return;
        }
        match &*event.name {
            "firstContentfulPaint" if self.is_ours(&event.args()) => {
                self.facts.fcp = self.facts.fcp.or(Some(at(event.ts)))
            }
            "largestContentfulPaint::Candidate" => self.candidate(event, at),
            "LargestImagePaint::Candidate" => self.picture(event),
            "LayoutShift" if event.thread().0 == main.0 && event.ts >= self.navigation.ts => self.shift(event, at),
            "domContentLoadedEventStart" if self.is_frame(event) => self.facts.dom_content_loaded = Some(at(event.ts)),
            "loadEventStart" if self.is_frame(event) => self.facts.load_event = Some(at(event.ts)),
            "domInteractive" if self.is_frame(event) => self.facts.dom_interactive = Some(at(event.ts)),
            "TimerInstall" if event.thread() == main => {
                let args = event.args();
                let data = &args["data"];
                if let Some(timer) = data["timerId"].as_i64() {
                    let timeout = Millis(data["timeout"].as_f64().unwrap_or(0.0));
                    self.facts.timers.push(TimerInstall { timer, at: at(event.ts), timeout });
                }
            }
            "EventTiming" if event.ph == "b" && self.first_input.is_none() => {
                let args = event.args();
                if let Some("pointerdown" | "mousedown" | "keydown" | "touchstart" | "click") =
                    args["data"]["type"].as_str()
                {
                    self.first_input = Some(event.ts);
                }
            }
            "ResourceSendRequest" | "ResourceReceiveResponse" | "ResourceFinish" | "ResourceChangePriority"
                if event.ts >= self.navigation.ts =>
            {
                self.resource(event, at);
            }
            _ => {}
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

    /// What a main-thread event is, or `None` for kinds that only wrap others.
    fn work(&mut self, event: &Event<'_>) -> Option<Work> {
        let (kind, name) = match &*event.name {
            "RunTask" | "ThreadControllerImpl::RunTask" | "Task" => (WorkKind::Other, WorkName::Task),
            "EvaluateScript" | "v8.evaluateModule" => (WorkKind::ScriptRun, WorkName::Evaluate),
            "v8.compile" | "v8.compileModule" | "V8.CompileCode" | "v8.produceCache" => {
                (WorkKind::ScriptCompile, WorkName::Compile)
            }
            "FunctionCall" => (WorkKind::ScriptRun, WorkName::Call),
            "TimerFire" => (WorkKind::ScriptRun, WorkName::Timer),
            "EventDispatch" => (WorkKind::ScriptRun, WorkName::Event),
            "RunMicrotasks" => (WorkKind::ScriptRun, WorkName::Microtasks),
            "FireAnimationFrame" | "FireIdleCallback" => (WorkKind::ScriptRun, WorkName::AnimationFrame),
            "ParseHTML" => (WorkKind::HtmlParse, WorkName::ParseHtml),
            "ParseAuthorStyleSheet" => (WorkKind::Style, WorkName::ParseSheet),
            "UpdateLayoutTree" | "RecalculateStyles" => (WorkKind::Style, WorkName::Style),
            "Layout" => (WorkKind::Layout, WorkName::Layout),
            "PrePaint" | "Paint" | "Layerize" | "UpdateLayer" | "UpdateLayerTree" | "Commit" | "PaintImage"
            | "Decode Image" | "CompositeLayers" => (WorkKind::Paint, WorkName::Paint),
            "MajorGC" | "MinorGC" | "V8.GCScavenger" | "BlinkGC.AtomicPhase" | "V8.GC_MC_INCREMENTAL" => {
                (WorkKind::GarbageCollection, WorkName::Collect)
            }
            "HitTest" => (WorkKind::Input, WorkName::Other),
            _ => return None,
        };
        let mut work = Work {
            kind,
            name,
            start: Millis::ZERO,
            duration: Millis::ZERO,
            depth: 0,
            url: None,
            function: None,
            event: None,
            timer: None,
        };
        if !matches!(
            name,
            WorkName::Task
                | WorkName::Paint
                | WorkName::Layout
                | WorkName::Style
                | WorkName::Microtasks
                | WorkName::Collect
        ) {
            let args = event.args();
            let data = if args["data"].is_object() { &args["data"] } else { &args["beginData"] };
            // ParseHTML names the document it reads; that is not a script to blame.
            if name != WorkName::ParseHtml {
                let url = data["url"].as_str().or(data["styleSheetUrl"].as_str()).or(args["fileName"].as_str());
                work.url = url.filter(|u| !u.is_empty()).map(|u| self.intern(u));
            }
            work.function = data["functionName"].as_str().filter(|f| !f.is_empty()).map(|f| self.intern(f));
            work.event = if name == WorkName::Event { data["type"].as_str().map(|t| self.intern(t)) } else { None };
            work.timer = data["timerId"].as_i64();
            if name == WorkName::Event
                && let Some(
                    "click" | "keydown" | "keyup" | "pointerdown" | "pointerup" | "mousedown" | "mouseup"
                    | "touchstart" | "touchend" | "input",
                ) = work.event.as_deref()
            {
                work.kind = WorkKind::Input;
            }
        }
        Some(work)
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
            at: at(event.ts),
            kind: if data["type"].as_str() == Some("image") { PaintKind::Image } else { PaintKind::Text },
            size: data["size"].as_f64().unwrap_or(0.0),
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
            let side = |key: &str| data[key].as_f64();
            let rect = match (side("frame_x"), side("frame_y"), side("frame_width"), side("frame_height")) {
                (Some(x), Some(y), Some(width), Some(height)) => Some(Rect { x, y, width, height }),
                _ => None,
            };
            self.pictures.insert(node, (url.to_owned(), rect));
        }
    }

    fn shift(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        let args = event.args();
        let data = &args["data"];
        let ours = args["frame"].as_str().is_none_or(|f| f == self.navigation.frame);
        let Some(score) = data["score"].as_f64().filter(|s| s.is_finite() && *s > 0.0) else { return };
        if !ours || data["is_main_frame"].as_bool() == Some(false) {
            return;
        }
        let rect = |value: &Value| {
            let side = |i: usize| value.get(i).and_then(Value::as_f64).unwrap_or(0.0);
            Rect { x: side(0), y: side(1), width: side(2), height: side(3) }
        };
        let moved = data["impacted_nodes"]
            .as_array()
            .into_iter()
            .flatten()
            .take(50)
            .map(|n| (rect(&n["old_rect"]), rect(&n["new_rect"])))
            .collect();
        self.facts.shifts.push(LayoutShift {
            at: at(event.ts),
            score,
            had_recent_input: data["had_recent_input"].as_bool().unwrap_or(false),
            moved,
        });
    }

    /// Requests as the renderer saw them; a recording has better ones from the network events.
    fn resource(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        let args = event.args();
        let data = &args["data"];
        let Some(id) = data["requestId"].as_str() else { return };
        if !self.network.contains_key(id) {
            self.order.push(id.to_owned());
        }
        let frame = self.navigation.frame.clone();
        let navigation_id = self.navigation.id.clone();
        let seen = self.network.entry(id.to_owned()).or_default();
        match &*event.name {
            "ResourceSendRequest" => {
                if let Some(before) = seen.request.take() {
                    seen.done.push(before);
                }
                let Some(url) = data["url"].as_str() else { return };
                let mut request = Request::new(0, url, kind_of(data["resourceType"].as_str().unwrap_or(""), url));
                request.start = at(event.ts);
                request.method = data["requestMethod"].as_str().unwrap_or("GET").to_owned();
                request.priority = data["priority"].as_str().map(str::to_owned);
                request.main_frame = data["frame"].as_str().is_none_or(|f| f == frame);
                request.render_blocking = match data["renderBlocking"].as_str() {
                    Some("blocking") => RenderBlocking::Blocking,
                    Some("in_body_parser_blocking") => RenderBlocking::InBodyParserBlocking,
                    Some("potentially_blocking") => RenderBlocking::PotentiallyBlocking,
                    Some(_) => RenderBlocking::NonBlocking,
                    None => RenderBlocking::Unknown,
                };
                let from = &data["initiator"];
                request.initiator = Initiator {
                    kind: match (from["type"].as_str(), from["fetchType"].as_str()) {
                        (Some("parser"), _) => InitiatorKind::Parser,
                        (Some("css"), _) => InitiatorKind::Style,
                        (Some("script"), _) => InitiatorKind::Script,
                        (Some("preload"), _) => InitiatorKind::Preload,
                        _ if id == navigation_id => InitiatorKind::Navigation,
                        _ => InitiatorKind::Unknown,
                    },
                    url: from["url"].as_str().filter(|u| !u.is_empty()).map(Into::into),
                    line: from["lineNumber"].as_u64().and_then(|l| u32::try_from(l).ok()).map(|l| l.saturating_add(1)),
                    stack: Vec::new(),
                };
                seen.request = Some(request);
            }
            "ResourceReceiveResponse" => {
                let Some(request) = seen.request.as_mut() else { return };
                request.status = data["statusCode"].as_u64().and_then(|s| u16::try_from(s).ok()).filter(|s| *s > 0);
                request.mime = data["mimeType"].as_str().map(str::to_owned);
                request.protocol = data["protocol"].as_str().map(str::to_owned);
                request.connection = data["connectionId"].as_u64();
                if data["fromCache"].as_bool() == Some(true) {
                    request.cache = Some(CacheSource::Disk);
                }
                if data["fromServiceWorker"].as_bool() == Some(true) {
                    request.cache = Some(CacheSource::ServiceWorker);
                }
                request.response_headers = data["headers"]
                    .as_array()
                    .into_iter()
                    .flatten()
                    .filter_map(|h| {
                        Some(Header { name: h["name"].as_str()?.to_owned(), value: h["value"].as_str()?.to_owned() })
                    })
                    .collect();
                crate::redact(&mut request.response_headers);
                timing(request, &data["timing"], self.navigation.ts);
            }
            "ResourceFinish" => {
                let Some(request) = seen.request.as_mut() else { return };
                let finished = data["finishTime"].as_f64().filter(|t| *t > 0.0).map_or(event.ts, |t| t * 1e6);
                request.end = Some(at(finished).max(request.start));
                request.transferred = data["encodedDataLength"].as_u64().map(Bytes);
                request.unpacked = data["decodedBodyLength"].as_u64().map(Bytes);
                if data["didFail"].as_bool() == Some(true) {
                    request.failed = Some("the browser reports that it failed".into());
                }
            }
            _ => {
                if let (Some(request), Some(priority)) = (seen.request.as_mut(), data["priority"].as_str()) {
                    request.final_priority = Some(priority.to_owned());
                }
            }
        }
    }

    fn finish(&mut self, at: &dyn Fn(f64) -> Millis) {
        self.nest(at);
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

    /// Orders pieces by start, nests them and cuts a part to its whole.
    fn nest(&mut self, at: &dyn Fn(f64) -> Millis) {
        let mut pieces = std::mem::take(&mut self.pieces);
        pieces.sort_by(|a, b| a.start.total_cmp(&b.start).then(b.end.total_cmp(&a.end)));
        let mut open: Vec<f64> = Vec::new();
        for mut piece in pieces {
            piece.start = piece.start.max(self.navigation.ts);
            while open.last().is_some_and(|end| *end <= piece.start) {
                open.pop();
            }
            if let Some(end) = open.last() {
                piece.end = piece.end.min(*end);
            }
            // An empty piece has no time to give, and would nest in what begins with it.
            if piece.end <= piece.start || open.len() >= 1_000 {
                continue;
            }
            let start = at(piece.start);
            piece.work.start = start;
            piece.work.duration = at(piece.end) - start;
            piece.work.depth = u16::try_from(open.len()).unwrap_or(u16::MAX);
            open.push(piece.end);
            self.facts.work.push(piece.work);
        }
    }
}

/// Kind by the browser's own resource type.
#[must_use]
pub fn kind_of(resource_type: &str, url: &str) -> ResourceKind {
    match resource_type {
        "Document" => ResourceKind::Document,
        "Stylesheet" => ResourceKind::Style,
        "Script" => ResourceKind::Script,
        "Image" => ResourceKind::Image,
        "Font" => ResourceKind::Font,
        "XHR" | "Fetch" | "EventSource" | "WebSocket" => ResourceKind::Data,
        "Media" | "TextTrack" => ResourceKind::Media,
        "" => ResourceKind::guess("", url),
        _ => ResourceKind::Other,
    }
}

/// Sets a request's phases from a `timing` object: milliseconds after `requestTime`, itself seconds
/// of the browser's monotonic clock; −1 where a phase does not apply.
pub fn timing(request: &mut Request, timing: &Value, navigation_start_us: f64) {
    let Some(base) = timing["requestTime"].as_f64().filter(|t| *t > 0.0) else { return };
    let base = base * 1000.0 - navigation_start_us / 1000.0;
    // The renderer hears of a navigation's request late; the network knew it earlier.
    request.start = request.start.min(Millis(base.max(0.0)));
    let part = |key: &str| {
        timing[key].as_f64().filter(|v| *v >= 0.0 && v.is_finite()).map(|v| Millis(base + v).max(request.start))
    };
    let connect_start = part("dnsStart").or(part("connectStart"));
    let (connect_end, tls, sent) = (part("connectEnd"), part("sslStart"), part("sendStart"));
    let first = part("receiveHeadersStart")
        .filter(|_| timing["receiveHeadersStart"].as_f64() > Some(0.0))
        .or(part("receiveHeadersEnd"));
    request.connect_start = connect_start;
    request.connect_end = connect_end.filter(|_| connect_start.is_some());
    request.tls_start = tls;
    request.sent = sent;
    request.first_byte = first;
}

/// What a stylesheet names is reported as found by a parser: that of the sheet. Its kind is set right here.
pub fn name_style_initiators(requests: &mut [Request]) {
    let sheets: HashSet<Arc<str>> =
        requests.iter().filter(|r| r.kind == ResourceKind::Style).map(|r| r.url.clone()).collect();
    for request in requests {
        if request.initiator.kind == InitiatorKind::Parser
            && request.initiator.url.as_ref().is_some_and(|u| sheets.contains(u))
        {
            request.initiator.kind = InitiatorKind::Style;
        }
    }
}
