//! Metrics of a load, one file for each. Definitions follow the W3C specifications.

mod cls;
mod inp;
mod interactive;
mod lcp;
mod pace;
mod ruler;
mod speed_index;
mod tbt;
mod weight;

pub use crate::target::Metric;
pub use cls::{cls, cls_of_main_frame};
pub use inp::inp;
pub(crate) use interactive::quiet;
pub use interactive::{Interactive, time_to_interactive};
pub use lcp::{LcpParts, lcp_parts};
pub use pace::{pace, utility};
pub use ruler::{Rating, Ruler};
pub use speed_index::{BINS, Colours, completeness, speed_index};
pub(crate) use tbt::blocking;
pub use tbt::total_blocking_time;
pub use weight::{
    Coverage, DomainShare, Placement, SiteFile, SiteWeight, UnusedFile, WeightShare, by_domain, by_kind, placement,
    site_weight, unused,
};

use crate::{Bytes, Load, Millis, Settings};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A load's figures; `None` is "not known", never 0.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Metrics {
    /// Time to First Byte: the document's response start.
    pub ttfb_ms: Option<Millis>,
    /// First Contentful Paint (W3C Paint Timing).
    pub fcp_ms: Option<Millis>,
    /// Largest Contentful Paint: the last candidate before input or the end of the load.
    pub lcp_ms: Option<Millis>,
    /// Cumulative Layout Shift (W3C Layout Instability; the largest session window). Inner frames
    /// count with their share of the viewport.
    pub cls: Option<f64>,
    /// The main frame's own, as the page's observer sees it.
    #[serde(default)]
    pub cls_main_frame: Option<f64>,
    /// Total Blocking Time.
    pub tbt_ms: Option<Millis>,
    /// Time to Interactive.
    pub tti_ms: Option<Millis>,
    /// Whether the recording ended before a quiet window was seen, so that TTI is its end.
    pub tti_at_end: bool,
    /// Interaction to Next Paint; not known where nobody interacted.
    pub inp_ms: Option<Millis>,
    /// Speed Index; not known without pictures of the screen.
    pub speed_index_ms: Option<Millis>,
    /// DOMContentLoaded, start of its event.
    pub dom_content_loaded_ms: Option<Millis>,
    /// The load event's start.
    pub load_ms: Option<Millis>,
    /// Requests that went to the network.
    pub requests: u32,
    /// Bytes over the wire, where every response told its size or part of them did.
    pub transferred_bytes: Option<Bytes>,
    /// Bytes as the page used them.
    pub unpacked_bytes: Option<Bytes>,
    /// The one overall figure, 0 to 100, where every metric it is made of is known.
    pub pace: Option<f64>,
    /// Which metrics Pace was made of; the weights of those not known are left out.
    pub pace_of: Vec<Metric>,
}

impl Metrics {
    /// The figure of a metric that has a target: times in ms, weight in bytes over the wire, CLS plain.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn value(&self, metric: Metric) -> Option<f64> {
        match metric {
            Metric::Lcp => self.lcp_ms.map(|v| v.0),
            Metric::Fcp => self.fcp_ms.map(|v| v.0),
            Metric::Tbt => self.tbt_ms.map(|v| v.0),
            Metric::Cls => self.cls,
            Metric::Inp => self.inp_ms.map(|v| v.0),
            Metric::SpeedIndex => self.speed_index_ms.map(|v| v.0),
            Metric::Ttfb => self.ttfb_ms.map(|v| v.0),
            Metric::Tti => self.tti_ms.map(|v| v.0),
            Metric::Weight => self.transferred_bytes.map(|v| v.0 as f64),
        }
    }
}

/// Computes every metric that the load allows.
#[must_use]
pub fn metrics(load: &Load, settings: &Settings) -> Metrics {
    let interactive = time_to_interactive(load);
    let has_paints = load.why_missing(crate::Subject::Shifts).is_none();
    let network: Vec<_> = load.requests.iter().filter(|r| r.is_network()).collect();
    let mut found = Metrics {
        ttfb_ms: load.document().filter(|d| d.failed.is_none()).and_then(|d| d.first_byte),
        fcp_ms: load.fcp,
        lcp_ms: load.largest().map(|c| c.at),
        cls: (has_paints && load.fcp.is_some()).then(|| cls(&load.shifts)),
        cls_main_frame: (has_paints && load.fcp.is_some()).then(|| cls_of_main_frame(&load.shifts)),
        tbt_ms: interactive.as_ref().and_then(|i| total_blocking_time(load, i.at)),
        tti_ms: interactive.as_ref().map(|i| i.at),
        tti_at_end: interactive.as_ref().is_some_and(|i| i.recording_ended),
        inp_ms: inp(&crate::interactions(&load.events)),
        speed_index_ms: speed_index(&load.frames),
        dom_content_loaded_ms: load.dom_content_loaded,
        load_ms: load.load_event,
        requests: u32::try_from(network.len()).unwrap_or(u32::MAX),
        transferred_bytes: sum_known(network.iter().map(|r| r.transferred)),
        unpacked_bytes: sum_known(network.iter().map(|r| r.unpacked)),
        pace: None,
        pace_of: Vec::new(),
    };
    if let Some((value, of)) = pace(&found, settings) {
        found.pace = Some(value);
        found.pace_of = of;
    }
    found
}

fn sum_known(sizes: impl Iterator<Item = Option<Bytes>>) -> Option<Bytes> {
    let known: Vec<Bytes> = sizes.flatten().collect();
    (!known.is_empty()).then(|| known.into_iter().sum())
}
