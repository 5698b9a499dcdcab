//! From opened files to analysed recordings: the one way in, for the command line and the server.

use phainon_core::metrics::Metrics;
use phainon_core::{Analysis, Load, Owners, RecordingSummary, Visit, analyse, summarise};
use phainon_formats::{BodyMap, FormatError, Opened, RawLoad};

/// One load: its parts, put together and analysed as far as that was possible.
pub struct LoadReading {
    /// What it came in.
    pub raw: RawLoad,
    /// Put together; `None` where there was nothing to put together.
    pub load: Option<Load>,
    /// Computed from it.
    pub analysis: Option<Analysis>,
    /// The main thread to be drawn; only where somebody will draw it.
    pub tracks: Option<Vec<u8>>,
    /// Why it failed, if it did. A load may have failed and still have data.
    pub failed: Option<String>,
}

/// A recording, read.
pub struct RecordingReading {
    /// In order.
    pub loads: Vec<LoadReading>,
    /// What the loads say together; `None` where none has data.
    pub summary: Option<RecordingSummary>,
}

impl RecordingReading {
    /// The load that stands for the recording.
    #[must_use]
    pub fn representative(&self) -> Option<(usize, &LoadReading)> {
        let place = self.summary.as_ref()?.representative;
        // The summary counts loads with data only.
        self.loads.iter().enumerate().filter(|(_, l)| l.analysis.is_some()).nth(place)
    }
}

/// Puts every load together and analyses it.
pub fn read_opened(opened: Opened, draw: bool) -> Result<(RecordingReading, BodyMap), FormatError> {
    let Opened { loads, bodies, .. } = opened;
    let body = |hash: &str| bodies.get(hash).cloned();
    let mut read = Vec::with_capacity(loads.len());
    for raw in loads {
        let has_data = raw.requests.is_some() || raw.trace.is_some();
        let load = if has_data { Some(raw.assemble()?) } else { None };
        let analysis = load.as_ref().map(|load| analyse(load, &body));
        let failed = raw.failed.clone();
        let tracks = load
            .as_ref()
            .filter(|load| draw && !load.work.is_empty())
            .map(|load| phainon_core::tracks(load, &Owners::of(load, &[])).to_bytes());
        read.push(LoadReading { raw, load, analysis, tracks, failed });
    }
    let metrics: Vec<Metrics> = read.iter().filter_map(|l| Some(l.analysis.as_ref()?.metrics.clone())).collect();
    let visits: Vec<Visit> = read.iter().filter_map(|l| Some(l.analysis.as_ref()?.visit)).collect();
    let summary = (!metrics.is_empty()).then(|| summarise(&metrics, &visits));
    Ok((RecordingReading { loads: read, summary }, bodies))
}
