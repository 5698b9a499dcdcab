//! From opened files to analysed recordings: the one way in, for the command line and the server.

use phainon_core::metrics::{Coverage, Metrics};
use phainon_core::{
    Analysis, Bodies, Counted, Load, Prepared, RecordingSummary, Settings, analyse, standings, summarise,
};
use phainon_formats::{BodyMap, Detail, FormatError, RawLoad};
use std::sync::Arc;

/// What was made of one load.
pub struct Reading {
    /// Put together.
    pub load: Arc<Load>,
    /// Computed from it.
    pub analysis: Analysis,
    /// The main thread to be drawn; only where somebody will draw it.
    pub tracks: Option<Vec<u8>>,
}

/// One load: its parts, put together and analysed as far as that was possible.
pub struct LoadReading {
    /// What it came in.
    pub raw: RawLoad,
    /// What was made of it; `None` where there was nothing to make anything of.
    pub reading: Option<Reading>,
    /// Why it failed, if it did. A load may have failed and still have data.
    pub failed: Option<String>,
}

/// A recording, read.
pub struct RecordingReading {
    /// In order.
    pub loads: Vec<LoadReading>,
    /// What the loads say together; `None` where none counts.
    pub summary: Option<RecordingSummary>,
}

impl LoadReading {
    /// Its analysis, where there is one.
    #[must_use]
    pub fn analysis(&self) -> Option<&Analysis> {
        self.reading.as_ref().map(|r| &r.analysis)
    }

    /// What summing up needs of it.
    #[must_use]
    pub fn counted(&self, number: u32) -> Option<Counted<'_>> {
        let analysis = self.analysis()?;
        Some(Counted { number, visit: analysis.visit, failed: self.failed.is_some(), metrics: &analysis.metrics })
    }
}

impl RecordingReading {
    /// The load that stands for the recording, with its number; where all failed, the first that has
    /// data all the same.
    #[must_use]
    pub fn representative(&self) -> Option<(usize, &LoadReading)> {
        let place = match &self.summary {
            Some(summary) => summary.representative as usize - 1,
            None => self.loads.iter().position(|l| l.reading.is_some())?,
        };
        Some((place, self.loads.get(place)?))
    }
}

/// Puts one load together and analyses it; `coverage` is what a load of its own told of the page's used code.
pub fn read_load(
    raw: &RawLoad,
    bodies: &dyn Bodies,
    settings: &Arc<Settings>,
    coverage: &[Coverage],
    draw: bool,
) -> Result<Option<Reading>, FormatError> {
    if !raw.has_data() {
        return Ok(None);
    }
    let mut load = raw.assemble()?;
    let document = load.document().and_then(|document| bodies.body(&document.body.as_ref()?.hash));
    if let Some(body) = document {
        (load.largest_stands, load.words_stand) = standings(&load, &body);
    }
    let prepared = Prepared::new(Arc::new(load), settings.clone()).with_coverage(coverage);
    let analysis = analyse(&prepared, bodies);
    let tracks = (draw && !prepared.load.work.is_empty()).then(|| phainon_core::tracks(&prepared).to_bytes());
    Ok(Some(Reading { load: prepared.load, analysis, tracks }))
}

/// Puts every load of a recording together and analyses it.
pub fn read_loads(
    loads: Vec<RawLoad>,
    bodies: &BodyMap,
    settings: &Arc<Settings>,
    detail: Option<&Detail>,
) -> Result<RecordingReading, FormatError> {
    let body = |hash: &str| bodies.get(hash).cloned();
    let mut read = Vec::with_capacity(loads.len());
    for raw in loads {
        let coverage = detail.map_or(&[][..], |detail| &detail.coverage);
        let reading = read_load(&raw, &body, settings, coverage, false)?;
        let failed = raw.failed.clone();
        read.push(LoadReading { raw, reading, failed });
    }
    let counted: Vec<Counted<'_>> = (1u32..).zip(&read).filter_map(|(number, load)| load.counted(number)).collect();
    let summary = summarise(&counted, settings);
    Ok(RecordingReading { loads: read, summary })
}

/// What the loads of a recording say together, from figures kept before.
#[must_use]
pub fn summary_of(
    loads: &[(u32, phainon_core::Visit, bool, Metrics)],
    settings: &Settings,
) -> Option<RecordingSummary> {
    let counted: Vec<Counted<'_>> = loads
        .iter()
        .map(|(number, visit, failed, metrics)| Counted { number: *number, visit: *visit, failed: *failed, metrics })
        .collect();
    summarise(&counted, settings)
}
