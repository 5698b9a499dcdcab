//! One page load: everything observed in it.

use crate::paint::is_one_paint;
use crate::profile::Profile;
use crate::{
    Animation, Conditions, EventTiming, FontDisplay, Forced, Lack, LayoutShift, LcpCandidate, Millis, Missing, Note,
    PageChange, PageFacts, Request, RequestId, ResourceKind, Scheduled, ScreenFrame, Span, Standing, Subject,
    TimerInstall, UserTiming, Work,
};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Whether the cache was empty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Visit {
    /// With an empty cache.
    #[default]
    First,
    /// With the cache that the first visit left.
    Return,
}

/// What a load was read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Source {
    #[default]
    Recording,
    Har,
    Trace,
    HarAndTrace,
    /// A recorded load served again from its kept responses.
    Replay,
    /// The same with edits.
    Trial,
}

/// What the page's own `PerformanceObserver` reported in the same load, to hold our figures against.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Observed {
    pub fcp_ms: Option<Millis>,
    pub lcp_ms: Option<Millis>,
    pub cls: Option<f64>,
    /// When the main thread had painted it (Paint Timing, `paintTime`).
    pub fcp_paint_ms: Option<Millis>,
    pub lcp_paint_ms: Option<Millis>,
    /// When it was on the screen (Paint Timing, `presentationTime`).
    pub fcp_presentation_ms: Option<Millis>,
    pub lcp_presentation_ms: Option<Millis>,
}

/// A page is told when something was on the screen in steps of 4 ms; it may be told of the step after.
const STEP: f64 = 4.5;

/// Everything observed in one page load. Times count from navigation start.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Load {
    /// Which version of the reader put it together.
    #[serde(default)]
    pub assembly_version: u32,
    /// The URL asked for.
    pub url: Arc<str>,
    pub title: Option<String>,
    pub visit: Visit,
    pub source: Source,
    pub conditions: Option<Conditions>,
    /// RFC 3339.
    pub started_at: Option<String>,
    /// Product and version of the browser.
    pub browser: Option<String>,
    /// When observation ended.
    pub end: Millis,
    /// Whether the page was still busy when the time was up.
    pub cut_off: bool,
    /// When the scripted user began. What comes after it is not the load's, but the user's.
    #[serde(default)]
    pub acted: Option<Millis>,
    pub requests: Vec<Request>,
    #[serde(with = "crate::work_columns")]
    pub work: Vec<Work>,
    pub timers: Vec<TimerInstall>,
    /// Callbacks other than timers, in the order in which they ran.
    #[serde(default)]
    pub scheduled: Vec<Scheduled>,
    /// CSS animations and transitions, in the order in which they began.
    #[serde(default)]
    pub animations: Vec<Animation>,
    pub fcp: Option<Millis>,
    /// In order of time; those after the first input are left out.
    pub lcp_candidates: Vec<LcpCandidate>,
    pub shifts: Vec<LayoutShift>,
    pub dom_content_loaded: Option<Millis>,
    pub load_event: Option<Millis>,
    /// When the parser reached the document's end.
    pub dom_interactive: Option<Millis>,
    /// Style and layout that scripts forced.
    #[serde(default)]
    pub forced: Vec<Forced>,
    /// Changes of the page by scripts, in order of time.
    #[serde(default)]
    pub changes: Vec<PageChange>,
    /// When frames of the page were on the screen, in order of time.
    #[serde(default)]
    pub presentations: Vec<Millis>,
    /// Input events as the browser timed them.
    #[serde(default)]
    pub events: Vec<EventTiming>,
    /// The page's own marks and measures.
    #[serde(default)]
    pub user_timings: Vec<UserTiming>,
    /// Samples of the main thread's scripts.
    #[serde(default)]
    pub profile: Option<Profile>,
    /// What the server told of its work, in the order in which it began.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub spans: Vec<Span>,
    pub frames: Vec<ScreenFrame>,
    pub page: Option<PageFacts>,
    /// Where the largest element stands in the document's markup. `None` where the document was not kept.
    #[serde(default)]
    pub largest_stands: Option<Standing>,
    /// Where the first words of the document's markup stand: line and column. `None` where it has none, or was not kept.
    #[serde(default)]
    pub words_stand: Option<(u32, u32)>,
    pub observed: Option<Observed>,
    /// Errors that the page's scripts left to the console, each once.
    #[serde(default)]
    pub errors: Vec<String>,
    /// What the page's elements listened to when the load was over, each as “click on nav > button”; `None`
    /// where that is not told.
    #[serde(default)]
    pub listened: Option<Vec<String>>,
    /// What the scripted user did, one step a line as the recorder reads them; what was typed is masked.
    #[serde(default)]
    pub steps: Vec<String>,
    pub missing: Vec<Missing>,
    /// What the reader of the source had to leave out or mend.
    pub notes: Vec<Note>,
}

impl Load {
    /// A load in which nothing has been observed yet.
    #[must_use]
    pub fn empty(url: &str) -> Self {
        Self {
            assembly_version: 0,
            url: url.into(),
            title: None,
            visit: Visit::First,
            source: Source::Recording,
            conditions: None,
            started_at: None,
            browser: None,
            end: Millis::ZERO,
            cut_off: false,
            acted: None,
            requests: Vec::new(),
            work: Vec::new(),
            timers: Vec::new(),
            scheduled: Vec::new(),
            animations: Vec::new(),
            fcp: None,
            lcp_candidates: Vec::new(),
            shifts: Vec::new(),
            dom_content_loaded: None,
            load_event: None,
            dom_interactive: None,
            forced: Vec::new(),
            changes: Vec::new(),
            presentations: Vec::new(),
            events: Vec::new(),
            user_timings: Vec::new(),
            profile: None,
            spans: Vec::new(),
            frames: Vec::new(),
            page: None,
            largest_stands: None,
            words_stand: None,
            observed: None,
            errors: Vec::new(),
            listened: None,
            steps: Vec::new(),
            missing: Vec::new(),
            notes: Vec::new(),
        }
    }

    /// The main document: the last hop of the navigation's redirects.
    #[must_use]
    pub fn document(&self) -> Option<&Request> {
        let document = self
            .requests
            .iter()
            .find(|r| r.main_frame && r.kind == ResourceKind::Document && *r.url == *self.url)
            .or_else(|| self.requests.iter().find(|r| r.main_frame && r.kind == ResourceKind::Document))
            .or_else(|| {
                self.requests.first().filter(|r| r.kind == ResourceKind::Document || r.redirected_from.is_none())
            })?;
        Some(self.last_hop(document))
    }

    /// The request with this id.
    #[must_use]
    pub fn request(&self, id: RequestId) -> Option<&Request> {
        self.requests.get(id.0 as usize)
    }

    /// Why something is missing, if it is.
    #[must_use]
    pub fn why_missing(&self, subject: Subject) -> Option<Lack> {
        self.missing.iter().find(|m| m.subject == subject).map(|m| m.lack)
    }

    /// The candidate that stands: the last one announced.
    #[must_use]
    pub fn largest(&self) -> Option<&LcpCandidate> {
        self.lcp_candidates.last()
    }

    /// How text is shown while a font is on its way, where the largest text, or one that was it for a while, is set
    /// in it, or would be without its own.
    pub(crate) fn display_of(&self, font: RequestId) -> Option<FontDisplay> {
        let url = &self.request(font)?.url;
        let fonts = self.lcp_candidates.iter().flat_map(|c| c.fonts.iter().flatten());
        let mut fonts = fonts.flat_map(|font| std::iter::once(font).chain(&font.without));
        fonts.find(|f| f.url == *url).map(|f| f.display)
    }

    /// When the main thread had painted what was first, or largest, on the screen at a moment, where the page told
    /// (Paint Timing, `paintTime`).
    #[must_use]
    pub fn painted_by(&self, shown: Millis) -> Option<Millis> {
        let told = self.observed.as_ref()?;
        let is = |at: Option<Millis>| at.is_some_and(|at| is_one_paint(at, shown));
        // Pages are told of times in steps.
        let near = |at: Option<Millis>| at.is_some_and(|at| (at.0 - shown.0).abs() <= STEP);
        let first = told.fcp_paint_ms.filter(|_| is(self.fcp) && near(told.fcp_ms));
        let largest = || told.lcp_paint_ms.filter(|_| is(self.largest().map(|l| l.at)) && near(told.lcp_ms));
        first.or_else(largest).filter(|painted| *painted <= shown)
    }

    /// The request whose bytes an URL's user in the page got: the last one for it that had ended by
    /// `by`, and one of the page itself rather than of a worker or an inner frame. Where the address
    /// redirects, the hop that brought the file.
    #[must_use]
    pub fn request_for(&self, url: &str, by: Millis) -> Option<&Request> {
        fn bare(url: &str) -> &str {
            url.split('#').next().unwrap_or(url)
        }
        let same = self.requests.iter().filter(|r| bare(&r.url) == bare(url));
        let mut in_time = same.clone().filter(|r| r.start <= by && r.end.is_none_or(|end| end <= by + Millis(1.0)));
        let found =
            in_time.clone().rfind(|r| r.main_frame).or_else(|| in_time.next_back()).or_else(|| same.clone().next())?;
        Some(self.last_hop(found))
    }

    /// The hop that a request's redirects led to; itself where there are none.
    #[must_use]
    pub fn last_hop<'a>(&'a self, request: &'a Request) -> &'a Request {
        let mut at = request;
        // Ids rise from hop to hop, so this ends.
        while let Some(next) = self
            .requests
            .get(at.id.0 as usize..)
            .into_iter()
            .flatten()
            .find(|r| r.redirected_from == Some(at.id) && r.id > at.id)
        {
            at = next;
        }
        at
    }

    /// The hop that a request's redirects began with; itself where there are none.
    #[must_use]
    pub fn first_hop<'a>(&'a self, request: &'a Request) -> &'a Request {
        let mut at = request;
        while let Some(before) = at.redirected_from.filter(|from| *from < at.id).and_then(|from| self.request(from)) {
            at = before;
        }
        at
    }
}
