//! From an opened file or a finished recording to the store.

use crate::error::Problem;
use crate::reading::{LoadReading, RecordingReading, read_opened};
use phainon_core::{Settings, Source, registrable_domain};
use phainon_formats::{Detail, Manifest, ManifestLoad, Opened};
use phainon_recorder::Recording;
use phainon_store::{Derived, Ended, NewLoad, NewRecording, PackedBodies, PackedLoad, Store, StoreError};
use std::sync::Arc;

/// Read, analysed, and ready to be kept.
pub struct Ready {
    reading: RecordingReading,
    loads: Vec<PackedLoad>,
    bodies: PackedBodies,
    detail: Option<Detail>,
    manifest: Option<Manifest>,
    imported_from: Option<String>,
}

/// Packs one load that was read.
pub fn packed(load: &LoadReading) -> Result<PackedLoad, StoreError> {
    let derived =
        load.reading.as_ref().map(|r| Derived { load: &r.load, analysis: &r.analysis, tracks: r.tracks.as_deref() });
    PackedLoad::of(&NewLoad { raw: &load.raw, derived })
}

/// The registrable domain of an address, and what a page of it is called where nobody named it.
pub fn site_and_page(url: &str) -> (String, String) {
    let parsed = url::Url::parse(url).ok();
    let host = parsed.as_ref().and_then(|u| u.host_str());
    let site = host.map_or_else(|| "(no site)".to_owned(), registrable_domain);
    (site, parsed.as_ref().map_or_else(|| "Home".to_owned(), |url| page_of(url.path())))
}

/// What a path calls its page: its last part, in words. The record dialog offers the same (`request.ts`).
fn page_of(path: &str) -> String {
    let mut parts: Vec<&str> = path.split('/').filter(|p| !p.is_empty()).collect();
    let is_ending = |end: &str| (1..=5).contains(&end.len()) && end.chars().all(char::is_alphanumeric);
    parts.pop_if(|part| *part == "index" || part.strip_prefix("index.").is_some_and(is_ending));
    let part = parts.last().copied().unwrap_or_default();
    let decoded = percent_encoding::percent_decode_str(part).decode_utf8().unwrap_or(part.into()).into_owned();
    let bare = match decoded.rsplit_once('.') {
        Some((name, end)) if is_ending(end) => name,
        _ => &decoded,
    };
    let words = bare.split(['-', '_', '+', ' ']).filter(|w| !w.is_empty()).collect::<Vec<_>>().join(" ");
    let mut letters = words.chars();
    match letters.next() {
        Some(first) => first.to_uppercase().chain(letters.take(59)).collect(),
        None => "Home".to_owned(),
    }
}

impl Ready {
    /// Reads and analyses.
    pub fn of(mut opened: Opened, settings: &Arc<Settings>) -> Result<Self, Problem> {
        let imported_from = opened.file.take();
        let manifest = opened.manifest.take();
        let detail = opened.detail.take();
        let (reading, bodies) = read_opened(opened, settings, true)?;
        let loads = reading.loads.iter().map(packed).collect::<Result<_, _>>()?;
        Ok(Self { loads, bodies: PackedBodies::of(&bodies), detail, reading, manifest, imported_from })
    }

    /// Keeps it and gives its id.
    pub fn keep(&self, store: &Store) -> Result<i64, StoreError> {
        let manifest = self.manifest.as_ref();
        let first = self.reading.loads.iter().find_map(|l| l.reading.as_ref()).map(|r| &r.load);
        let url = manifest.map(|m| m.url.clone()).or_else(|| first.map(|l| l.url.to_string())).unwrap_or_default();
        let (site, named_by_path) = site_and_page(&url);
        let page = manifest.and_then(|m| m.page.clone()).filter(|p| !p.trim().is_empty()).unwrap_or(named_by_path);
        let recorded_at = manifest
            .and_then(|m| m.recorded_at.clone())
            .or_else(|| first.and_then(|l| l.started_at.clone()))
            .unwrap_or_else(now);
        let blocked = manifest.map(|m| m.blocked.clone()).unwrap_or_default();
        let head = NewRecording {
            site: &site,
            page: &page,
            url: &url,
            source: first.map_or(Source::Recording, |l| l.source),
            conditions: manifest.and_then(|m| m.conditions.as_ref()),
            browser: manifest.and_then(|m| m.browser.as_deref()).or_else(|| first.and_then(|l| l.browser.as_deref())),
            machine: manifest.and_then(|m| m.machine.as_ref()),
            recorded_at: &recorded_at,
            imported_from: self.imported_from.as_deref(),
            wanted_loads: None,
            blocked: &blocked,
            ended: Ended::Done,
        };
        store.add_recording(&head, &self.loads, &self.bodies, self.detail.as_ref(), self.reading.summary.as_ref())
    }
}

/// Now, as RFC 3339.
pub fn now() -> String {
    chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Secs, true)
}

/// A recording as an opened archive, for the command line.
pub fn opened_from(recording: Recording, page: Option<String>, blocked: &[String], recorded_at: String) -> Opened {
    let browser = recording.loads.iter().find_map(|l| l.page.as_ref()?.browser.clone());
    let manifest = Manifest {
        format: Manifest::FORMAT.into(),
        version: 1,
        url: recording.about.url,
        page,
        conditions: Some(recording.about.conditions),
        browser,
        recorded_at: Some(recorded_at),
        machine: Some(recording.machine),
        blocked: blocked.to_vec(),
        loads: recording.loads.iter().map(|l| ManifestLoad { visit: l.visit, failed: l.failed.clone() }).collect(),
    };
    Opened {
        file: None,
        manifest: Some(manifest),
        loads: recording.loads,
        bodies: recording.bodies,
        detail: recording.detail,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_is_named_as_the_record_dialog_names_it() {
        for (path, name) in [
            ("", "Home"),
            ("index.html?x=1", "Home"),
            ("log/index.php", "Log"),
            ("index.old.html", "Index.old"),
            ("where-we-sail/north_pier.html", "North pier"),
            ("100%", "100%"),
            ("m%C3%B6we/", "Möwe"),
            ("%ff", "%ff"),
            ("a.long-ending", "A.long ending"),
            ("--", "Home"),
        ] {
            assert_eq!(site_and_page(&format!("https://www.a.test/{path}")), ("a.test".into(), name.into()), "{path}");
        }
        assert_eq!(site_and_page("no address"), ("(no site)".into(), "Home".into()));
    }
}
