//! From an opened file or a finished recording to the store.

use crate::error::Problem;
use crate::reading::{RecordingReading, read_opened};
use phainon_core::{Source, registrable_domain};
use phainon_formats::{Detail, Manifest, Opened};
use phainon_store::{NewLoad, NewRecording, PackedBodies, PackedLoad, Store, StoreError};

/// Read, analysed, and ready to be kept.
pub struct Ready {
    reading: RecordingReading,
    loads: Vec<PackedLoad>,
    bodies: PackedBodies,
    detail: Option<Detail>,
    manifest: Option<Manifest>,
    imported_from: Option<String>,
    page: Option<String>,
}

impl Ready {
    /// Reads and analyses; a page name given here goes before the manifest's.
    pub fn of(mut opened: Opened, page: Option<String>) -> Result<Self, Problem> {
        let imported_from = opened.file.take();
        let manifest = opened.manifest.take();
        let detail = opened.detail.take();
        let (reading, bodies) = read_opened(opened, true)?;
        let loads = reading.loads.iter().map(|l| {
            PackedLoad::of(&NewLoad {
                raw: &l.raw,
                load: l.load.as_ref(),
                analysis: l.analysis.as_ref(),
                tracks: l.tracks.as_deref(),
            })
        });
        let loads = loads.collect::<Result<_, _>>()?;
        Ok(Self { loads, bodies: PackedBodies::of(&bodies), detail, reading, manifest, imported_from, page })
    }

    /// Keeps it and gives its id.
    pub fn keep(&self, store: &mut Store) -> Result<i64, StoreError> {
        let manifest = self.manifest.as_ref();
        let first = self.reading.loads.iter().find_map(|l| l.load.as_ref());
        let url = manifest.map(|m| m.url.clone()).or_else(|| first.map(|l| l.url.to_string())).unwrap_or_default();
        let parsed = url::Url::parse(&url).ok();
        let site =
            parsed.as_ref().and_then(|u| u.host_str()).map_or_else(|| "(no site)".to_owned(), registrable_domain);
        let page = self
            .page
            .clone()
            .or_else(|| manifest.and_then(|m| m.page.clone()))
            .filter(|p| !p.trim().is_empty())
            .unwrap_or_else(|| match parsed.as_ref().map(url::Url::path) {
                None | Some("/" | "") => "Home".to_owned(),
                Some(path) => path.to_owned(),
            });
        let recorded_at = manifest
            .and_then(|m| m.recorded_at.clone())
            .or_else(|| first.and_then(|l| l.started_at.clone()))
            .unwrap_or_else(|| chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Secs, true));
        store.add_recording(&NewRecording {
            site: &site,
            page: &page,
            url: &url,
            source: first.map_or(Source::Recording, |l| l.source),
            conditions: manifest.and_then(|m| m.conditions.as_ref()),
            browser: manifest.and_then(|m| m.browser.as_deref()).or_else(|| first.and_then(|l| l.browser.as_deref())),
            machine: manifest.and_then(|m| m.machine.as_ref()),
            recorded_at: &recorded_at,
            imported_from: self.imported_from.as_deref(),
            summary: self.reading.summary.as_ref(),
            loads: &self.loads,
            bodies: &self.bodies,
            detail: self.detail.as_ref(),
        })
    }
}

/// A recording as an opened archive, so that there is one way into the store.
pub fn opened_from(
    recording: phainon_recorder::Recording,
    page: Option<String>,
    conditions: &phainon_core::Conditions,
    recorded_at: String,
) -> Opened {
    let manifest = Manifest {
        format: Manifest::FORMAT.into(),
        version: 1,
        url: recording.url,
        page,
        conditions: Some(conditions.clone()),
        browser: recording.browser,
        recorded_at: Some(recorded_at),
        machine: Some(recording.machine),
        loads: recording
            .loads
            .iter()
            .map(|l| phainon_formats::ManifestLoad { visit: l.raw.visit, failed: l.raw.failed.clone() })
            .collect(),
    };
    Opened {
        file: None,
        manifest: Some(manifest),
        loads: recording.loads.into_iter().map(|l| l.raw).collect(),
        bodies: recording.bodies,
        detail: recording.detail,
    }
}
