//! From raw parts to a `Load`.

use crate::network::{self, NetworkFacts};
use crate::trace::{self, TraceText, Wanted};
use crate::{FormatError, NetworkLog, pictures};
use phainon_core::{
    AnimatedAround, Conditions, FontFace, Lack, Load, Millis, Missing, Note, Observed, PageFacts, Rect, RenderBlocking,
    Request, ScreenFrame, Source, Subject, TextStyle, Visit,
};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

/// The DOM's word on an element that the trace knows by a number only.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
#[allow(missing_docs)]
pub struct ElementRecord {
    pub node: i64,
    pub tag: String,
    pub selector: String,
    pub snippet: String,
    /// The picture it shows, by attribute or style.
    pub url: Option<String>,
    pub rect: Option<Rect>,
    /// How its text is set, each way once.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub texts: Vec<TextStyle>,
    /// What was animated of what it stands in, or is.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub animated: Vec<AnimatedRecord>,
    /// The first words in it.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub words: String,
}

/// An element that was animated, which another stands in or is.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct AnimatedRecord {
    /// By the browser's number.
    pub node: i64,
    /// It faded, and is still as its animation left it when that is over.
    pub stays: bool,
    /// How the text is set that stands in it before the other.
    pub before: Vec<TextStyle>,
    /// How that of it is set which floats.
    pub floats: Vec<TextStyle>,
}

/// What was read from the page itself at the end of a load; `load-N/page.json` in an archive.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
#[allow(missing_docs)]
pub struct PageRecord {
    pub url: String,
    /// The browser's id of the tab's main frame; a window that the page opened has another.
    pub frame: Option<String>,
    pub browser: Option<String>,
    pub started_at: Option<String>,
    /// When observation ended, from navigation start.
    pub end_ms: Option<Millis>,
    /// Still busy when the time was up.
    pub cut_off: bool,
    /// The id of the trace that its requests were part of (W3C Trace Context), where they named one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub trace: Option<String>,
    /// When the scripted user began, from navigation start.
    pub acted_ms: Option<Millis>,
    pub facts: Option<PageFacts>,
    pub observed: Option<Observed>,
    pub elements: Vec<ElementRecord>,
    /// The fonts that it had loaded by the end, where the browser told.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fonts: Option<Vec<FontFace>>,
    /// Errors that the page's scripts left to the console, each once.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub errors: Vec<String>,
    /// What its elements listened to at the end, each once.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub listened: Option<Vec<String>>,
    /// What the scripted user did, one step a line; what was typed is masked.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<String>,
    #[serde(deserialize_with = "phainon_core::notes_of_any_version")]
    pub notes: Vec<Note>,
    /// The files in `frames/`, in order.
    pub frames: Vec<FrameRecord>,
}

/// A picture of the screen: its file, and when the browser took it.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct FrameRecord {
    /// Its name, relative to the load's frames.
    pub file: String,
    /// The browser's wall clock, in seconds since 1970.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wall_s: Option<f64>,
    /// From navigation start, in recordings that were placed on the load's clock when they were made.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_ms: Option<Millis>,
}

/// The raw parts of one load. What is not there is `None`.
#[derive(Debug, Clone, Default)]
#[allow(missing_docs)]
pub struct RawLoad {
    /// What errors call it.
    pub name: String,
    pub visit: Visit,
    pub conditions: Option<Conditions>,
    /// The network's events as they came; recordings made here have them.
    pub network: Option<NetworkLog>,
    /// Requests of a HAR.
    pub requests: Option<Vec<Request>>,
    /// Page facts that a HAR tells: title, DOMContentLoaded, load.
    pub har_page: HarPage,
    /// Trace-event JSON, unpacked.
    pub trace: Option<TraceText>,
    pub page: Option<PageRecord>,
    /// Pictures of the screen, in the order of `page.frames`.
    pub frames: Vec<(FrameRecord, Vec<u8>)>,
    /// What the server told of its work for this load: batches of OTLP JSON, as they came.
    pub spans: Vec<Vec<u8>>,
    /// Why the load failed, if it did.
    pub failed: Option<String>,
}

/// The requests that a HAR told, and what it says of its page: one raw part.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct HarRequests {
    /// In order.
    pub requests: Vec<Request>,
    /// What it says of its page.
    #[serde(default)]
    pub page: HarPage,
}

/// What a HAR says of its page.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
#[allow(missing_docs)]
pub struct HarPage {
    pub title: Option<String>,
    pub started_at: Option<String>,
    pub dom_content_loaded: Option<Millis>,
    pub load_event: Option<Millis>,
    pub browser: Option<String>,
    #[serde(deserialize_with = "phainon_core::notes_of_any_version")]
    pub notes: Vec<Note>,
}

/// A picture of the screen is stamped by another clock than paints are, from this long after its
/// frame was presented …
const STAMPED_AFTER: f64 = 14.0;
/// … to this long before: the browser takes it when it begins the frame.
const STAMPED_BEFORE: f64 = 34.0;
/// Where in between it is stamped as a rule.
const STAMPED_AS_A_RULE: f64 = 11.0;

/// When the frame was on the screen that a picture stamped at a moment shows: the presentation that
/// it belongs to, and of several the one at which the browser says that something was painted first
/// (`painted`). A picture of something that the main thread did not draw has none; it is placed as
/// far from its stamp as others are as a rule. No picture goes before the one before it.
fn presented(stamped: f64, after: f64, presentations: &[Millis], painted: &[Millis]) -> f64 {
    let wanted = stamped + STAMPED_AS_A_RULE;
    let off = |at: &&Millis| (at.0 - wanted).abs();
    let its = |moments: &[Millis]| {
        let near = |at: &&Millis| at.0 > after && at.0 >= stamped - STAMPED_AFTER && at.0 <= stamped + STAMPED_BEFORE;
        moments.iter().filter(near).min_by(|a, b| off(a).total_cmp(&off(b))).map(|at| at.0)
    };
    its(painted).or_else(|| its(presentations)).unwrap_or(wanted).max(after)
}

/// So many letters of a hash name a picture: half a load's pictures alike by chance are not to be feared.
const NAMING: usize = 24;

/// How much later the network process may hear of a request than the page asked for it.
const HEARD: Millis = Millis(60.0);

/// Rises whenever a load may be put together differently from the same raw parts; loads of an older
/// version are put together anew.
pub const ASSEMBLY_VERSION: u32 = 22;

impl RawLoad {
    /// Whether there is anything to put together.
    #[must_use]
    pub fn has_data(&self) -> bool {
        self.network.is_some() || self.requests.is_some() || self.trace.is_some()
    }

    /// Hashes of the bodies that its requests name.
    #[must_use]
    pub fn body_hashes(&self) -> Vec<&str> {
        let logged = self.network.iter().flat_map(|n| &n.bodies).map(|kept| kept.hash.as_str());
        let read = self.requests.iter().flatten().filter_map(|r| Some(r.body.as_ref()?.hash.as_str()));
        logged.chain(read).collect()
    }

    /// The address that a HAR's first request asked for.
    #[must_use]
    pub fn first_address(&self) -> Option<&Arc<str>> {
        Some(&self.requests.as_ref()?.first()?.url)
    }

    /// Puts the parts together.
    pub fn assemble(&self) -> Result<Load, FormatError> {
        let wanted = self.page.as_ref().map(|p| p.url.as_str()).filter(|u| !u.is_empty());
        let frame = self.page.as_ref().and_then(|p| p.frame.as_deref());
        let trace = match &self.trace {
            Some(text) => Some(trace::read(text, &self.name, Wanted { url: wanted, frame })?),
            None => None,
        };
        let has_requests = self.network.is_some() || self.requests.is_some();
        let source = match (&self.page, has_requests, &trace) {
            (Some(_), _, _) => Source::Recording,
            (None, true, Some(_)) => Source::HarAndTrace,
            (None, true, None) => Source::Har,
            (None, false, _) => Source::Trace,
        };
        let mut load = Load::empty(wanted.unwrap_or_default());
        load.assembly_version = ASSEMBLY_VERSION;
        load.source = source;
        load.visit = self.visit;
        load.conditions = self.conditions.clone();
        load.browser = self.har_page.browser.clone();
        load.title = self.har_page.title.clone();
        load.started_at = self.har_page.started_at.clone();
        load.dom_content_loaded = self.har_page.dom_content_loaded;
        load.load_event = self.har_page.load_event;
        load.notes = self.har_page.notes.clone();
        let navigation_us = trace.as_ref().map(|t| t.navigation_start_us);
        let facts = match &self.network {
            Some(log) => network::read(log, navigation_us, frame),
            None => NetworkFacts { requests: self.requests.clone().unwrap_or_default(), ..NetworkFacts::default() },
        };
        load.notes.extend(network_notes(&facts, wanted));
        load.requests = facts.requests;
        let placed = self.place_frames(facts.wall_offset, trace.as_ref());

        if let Some(trace) = trace {
            self.add_trace(&mut load, trace);
        } else {
            for subject in [
                Subject::Paints,
                Subject::Shifts,
                Subject::MainThread,
                Subject::Samples,
                Subject::Interactions,
                Subject::RenderBlocking,
            ] {
                load.missing.push(Missing { subject, lack: Lack::NoTrace });
            }
        }
        self.add_page(&mut load, &placed);
        if load.url.is_empty()
            && let Some(url) = load.document().map(|d| d.url.clone())
        {
            load.url = url;
        }
        shorten_data_urls(&mut load);
        crate::otlp::join(&mut load, &self.spans, &self.name);
        phainon_core::name_runs(&mut load);
        phainon_core::name_inserters(&mut load);
        phainon_core::put_right(&mut load);
        self.say_what_is_missing(&mut load, has_requests);
        let last = load.requests.iter().filter_map(|r| r.end).fold(load.end, Millis::max);
        load.end = load
            .work
            .iter()
            .map(phainon_core::Work::end)
            .fold(last, Millis::max)
            .max(load.load_event.unwrap_or_default());
        if let Some(end) = self.page.as_ref().and_then(|p| p.end_ms) {
            load.end = end.max(load.fcp.unwrap_or_default());
        }
        Ok(load)
    }

    fn say_what_is_missing(&self, load: &mut Load, has_requests: bool) {
        let mut missing = |subject, lack| load.missing.push(Missing { subject, lack });
        if !has_requests {
            missing(Subject::Bodies, Lack::TraceHasNoBodies);
        } else if load.requests.iter().all(|r| r.body.is_none()) {
            missing(Subject::Bodies, Lack::NoBodiesKept);
        }
        let ours = load.source == Source::Recording;
        if has_requests && self.network.is_none() {
            missing(Subject::BodyParts, if ours { Lack::EarlierVersion } else { Lack::NotInHar });
        }
        if !ours {
            missing(Subject::Page, Lack::DocumentNotRead);
            missing(Subject::Frames, Lack::NoPictures);
        } else if load.frames.is_empty() {
            missing(Subject::Frames, Lack::NoPictureSent);
        }
        if load.requests.iter().all(|r| r.initiator.kind == phainon_core::InitiatorKind::Unknown) {
            missing(Subject::Initiators, Lack::NotInFile);
        }
    }

    /// Frames on the load's clock: their wall clock joined to the monotonic one of the events.
    fn place_frames(&self, wall_offset: Option<f64>, trace: Option<&trace::TraceFacts>) -> Vec<(ScreenFrame, &[u8])> {
        let painted: Vec<Millis> =
            trace.map(|t| t.fcp.into_iter().chain(t.lcp_candidates.iter().map(|c| c.at)).collect()).unwrap_or_default();
        let mut last = f64::NEG_INFINITY;
        let mut place = |frame: &FrameRecord| match (frame.wall_s, wall_offset, trace) {
            (Some(wall), Some(offset), Some(trace)) => {
                let stamped = (wall - offset) * 1000.0 - trace.navigation_start_us / 1000.0;
                last = presented(stamped, last, &trace.presentations, &painted);
                Some(last)
            }
            _ => frame.at_ms.map(|at| at.0),
        };
        let mut placed: Vec<(f64, &FrameRecord, &[u8])> = self
            .frames
            .iter()
            .filter_map(|(frame, picture)| Some((place(frame)?, frame, picture.as_slice())))
            .collect();
        // What was on the screen before the navigation is its first frame.
        let before = placed.iter().rposition(|(at, ..)| *at <= 0.0).unwrap_or(0);
        placed.drain(..before);
        placed
            .into_iter()
            .map(|(at, frame, picture)| {
                let mut hash = crate::body_hash(picture);
                hash.truncate(NAMING);
                let (at_ms, file) = (Millis(at.max(0.0)), frame.file.clone());
                (ScreenFrame { at_ms, file, hash, ..ScreenFrame::default() }, picture)
            })
            .collect()
    }

    fn add_trace(&self, load: &mut Load, trace: trace::TraceFacts) {
        if load.url.is_empty() {
            load.url = trace.url.as_str().into();
        }
        if load.requests.is_empty() {
            load.requests = trace.requests;
        } else {
            if self.page.is_none() {
                align(&mut load.requests, &trace.requests);
            }
            // The trace knows which requests held rendering back.
            let by_url = first_by_url(&trace.requests);
            for request in load.requests.iter_mut().filter(|r| r.render_blocking == RenderBlocking::Unknown) {
                let near = |t: &&&Request| (t.start - request.start).0.abs() < 1000.0;
                let Some(seen) = by_url.get(&*request.url).and_then(|same| same.iter().find(near)) else { continue };
                // The page asked when its own process says so; the network heard of it a little later.
                let heard = request.start - seen.start;
                if !request.is_socket() && heard > Millis::ZERO && heard < HEARD {
                    request.start = seen.start;
                }
                // Of a socket the network tells nothing before it is connected.
                if request.is_socket() && request.connect_start.is_none() && seen.start < request.start {
                    (request.connect_start, request.connect_end) = (Some(seen.start), Some(request.start));
                    request.start = seen.start;
                    request.main_frame = seen.main_frame;
                }
                request.render_blocking = seen.render_blocking;
                if request.initiator.kind == phainon_core::InitiatorKind::Unknown {
                    request.initiator = seen.initiator.clone();
                }
            }
        }
        load.work = trace.work;
        load.timers = trace.timers;
        load.scheduled = trace.scheduled;
        load.scheduled.sort_by(|a, b| a.ran.order(&b.ran));
        load.animations = trace.animations;
        load.fcp = trace.fcp;
        load.lcp_candidates = trace.lcp_candidates;
        load.shifts = trace.shifts;
        load.forced = trace.forced;
        load.changes = trace.changes;
        load.presentations = trace.presentations;
        for (url, ran) in &trace.worker_runs {
            // A worker's script is announced as ended when the worker first rests: it had come when it ran.
            let its =
                |r: &&mut Request| r.kind == phainon_core::ResourceKind::Script && *r.url == **url && r.start < *ran;
            if let Some(request) = load.requests.iter_mut().find(its) {
                request.end = Some(
                    request.end.map_or(*ran, |end| end.min(*ran)).max(request.first_byte.unwrap_or(request.start)),
                );
            }
        }
        load.events = trace.events;
        load.user_timings = trace.user_timings;
        load.profile = trace.profile;
        load.dom_content_loaded = trace.dom_content_loaded.or(load.dom_content_loaded);
        load.load_event = trace.load_event.or(load.load_event);
        load.dom_interactive = trace.dom_interactive;
        load.notes.extend(trace.notes);
        load.missing.extend(trace.missing);
        load.end = trace.end;
    }

    fn add_page(&self, load: &mut Load, frames: &[(ScreenFrame, &[u8])]) {
        let Some(page) = &self.page else { return };
        load.browser = page.browser.clone().or(load.browser.take());
        load.started_at = page.started_at.clone().or(load.started_at.take());
        load.cut_off = page.cut_off;
        load.acted = page.acted_ms;
        load.observed = page.observed.clone();
        load.errors.clone_from(&page.errors);
        load.listened.clone_from(&page.listened);
        load.steps.clone_from(&page.steps);
        load.notes.extend(page.notes.iter().cloned());
        let (frames, lack) = pictures::compared(frames);
        load.frames = frames;
        load.missing.extend(lack.map(|lack| Missing { subject: Subject::Completeness, lack }));
        if let Some(facts) = &page.facts {
            if !facts.title.is_empty() {
                load.title = Some(facts.title.clone());
            }
            load.page = Some(facts.clone());
        }
        let selector = |node: Option<i64>| {
            let element = page.elements.iter().find(|e| Some(e.node) == node)?;
            Some(element.selector.clone()).filter(|s| !s.is_empty())
        };
        for moved in load.shifts.iter_mut().flat_map(|s| &mut s.moved) {
            moved.element = selector(moved.node).or(moved.element.take());
        }
        for event in &mut load.events {
            event.selector = selector(event.node);
        }
        for candidate in &mut load.lcp_candidates {
            let Some(element) = page.elements.iter().find(|e| Some(e.node) == candidate.node) else { continue };
            candidate.tag = Some(element.tag.clone()).filter(|t| !t.is_empty()).or(candidate.tag.take());
            candidate.selector = Some(element.selector.clone()).filter(|s| !s.is_empty());
            candidate.snippet = Some(element.snippet.clone()).filter(|s| !s.is_empty());
            candidate.words = Some(element.words.clone()).filter(|w| !w.is_empty());
            // The trace has the box of the picture's first bytes on the screen; what moved it since then is in the DOM's.
            candidate.rect = element.rect.or(candidate.rect);
            if candidate.kind == phainon_core::PaintKind::Image && candidate.url.is_none() {
                candidate.url = element.url.clone();
            }
            let is_text = candidate.kind == phainon_core::PaintKind::Text && !element.texts.is_empty();
            let loaded = page.fonts.as_ref().filter(|_| is_text);
            candidate.fonts = loaded.map(|loaded| phainon_core::fonts_of(&element.texts, loaded));
            let fonts =
                |texts: &[TextStyle]| loaded.map(|loaded| phainon_core::fonts_of(texts, loaded)).unwrap_or_default();
            let around = |animated: &AnimatedRecord| AnimatedAround {
                node: animated.node,
                stays: animated.stays,
                before: fonts(&animated.before),
                floats: fonts(&animated.floats),
            };
            candidate.animated = element.animated.iter().filter(|_| is_text).map(around).collect();
        }
    }
}

/// What the network's events tell that has no place among the requests.
fn network_notes(facts: &NetworkFacts, url: Option<&str>) -> Vec<Note> {
    let moved = facts.before.as_ref().map(|before| Note::MovedOn {
        to: url.map(str::to_owned),
        after: before.after,
        left_out: before.requests,
    });
    let unread = (facts.unread > 0).then_some(Note::NeverRead { answers: facts.unread });
    let beyond =
        (facts.beyond > 0).then_some(Note::RequestsBeyond { count: facts.beyond, limit: network::MOST_REQUESTS });
    moved.into_iter().chain(unread).chain(beyond).collect()
}

/// A data URL holds its whole file: its beginning is enough to tell it by.
fn shorten_data_urls(load: &mut Load) {
    let short = |url: &str| {
        (url.starts_with("data:") && url.len() > 120).then(|| url.chars().take(100).chain(['…']).collect::<String>())
    };
    let images = load.page.iter_mut().flat_map(|p| &mut p.images).map(|i| &mut i.url);
    for url in images.chain(load.lcp_candidates.iter_mut().filter_map(|c| c.url.as_mut())) {
        if let Some(short) = short(url) {
            *url = short;
        }
    }
    for request in &mut load.requests {
        if let Some(short) = short(&request.url) {
            request.url = short.as_str().into();
        }
    }
}

/// The first few requests for each address; a file may ask for one address a hundred thousand times.
fn first_by_url(requests: &[Request]) -> HashMap<&str, Vec<&Request>> {
    let mut by_url: HashMap<&str, Vec<&Request>> = HashMap::new();
    for request in requests {
        let same = by_url.entry(&request.url).or_default();
        if same.len() < 64 {
            same.push(request);
        }
    }
    by_url
}

/// Puts a HAR's clock on the trace's: by how much the same addresses were asked for earlier or later,
/// at the median.
fn align(requests: &mut [Request], seen: &[Request]) {
    let by_url = first_by_url(seen);
    let mut offsets: Vec<f64> =
        requests.iter().filter_map(|r| Some((by_url.get(&*r.url)?.first()?.start - r.start).0)).collect();
    offsets.sort_by(f64::total_cmp);
    let Some(offset) = offsets.get(offsets.len() / 2).copied() else { return };
    for request in requests {
        let by = Millis(offset.max(-request.start.0));
        request.start += by;
        for time in [
            &mut request.connect_start,
            &mut request.tls_start,
            &mut request.connect_end,
            &mut request.sent,
            &mut request.first_byte,
            &mut request.end,
        ] {
            *time = time.map(|t| t + by);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pictures_are_placed_at_their_presentations() {
        let shown = [Millis(149.0), Millis(171.5), Millis(600.0), Millis(616.0)];
        let painted = [Millis(171.5)];
        let at = |stamped, after| presented(stamped, after, &shown, &painted);
        assert_eq!(at(146.0, 8.0), 171.5, "what was painted first is what a changed screen shows");
        assert_eq!(at(590.0, 171.5), 600.0);
        assert_eq!(at(592.0, 600.0), 616.0, "one presentation, one picture");
        assert_eq!(at(300.0, 171.5), 311.0, "without a presentation, as far from its stamp as others");
        assert_eq!(at(300.0, 320.0), 320.0, "and never before the picture before");
    }
}
