//! From an opened file or a finished recording to the store.

use crate::error::Problem;
use crate::reading::{LoadReading, Reading, read_load, summary_of};
use phainon_core::metrics::{Coverage, Metrics};
use phainon_core::{Analysis, RecordingSummary, Settings, Source, Visit, registrable_domain};
use phainon_formats::{BodyMap, Detail, Manifest, ManifestLoad, Opened, RawLoad};
use phainon_recorder::Recording;
use phainon_store::{
    Derived, Ended, NewLoad, NewRecording, PackedBodies, PackedLoad, Part as StoredPart, Store, StoreError,
    WholeRecording,
};
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// A recording, read, analysed, packed, and ready to be kept.
pub struct Ready {
    first: First,
    loads: Vec<PackedLoad>,
    /// Those that its loads name.
    bodies: Vec<String>,
    summary: Option<RecordingSummary>,
    detail: Option<Detail>,
    manifest: Option<Manifest>,
    imported_from: Option<String>,
}

/// What the first load that could be read says of the recording.
#[derive(Default)]
struct First {
    url: Option<String>,
    started_at: Option<String>,
    browser: Option<String>,
    source: Option<Source>,
}

/// Packs one load that was read.
pub fn packed(load: &LoadReading) -> Result<PackedLoad, StoreError> {
    let derived =
        load.reading.as_ref().map(|r| Derived { load: &r.load, analysis: &r.analysis, tracks: r.tracks.as_deref() });
    PackedLoad::of(&NewLoad { raw: &load.raw, derived })
}

/// Figures of a load, as summing up takes them: its number, its visit, whether it failed.
pub type Figures = (u32, Visit, bool, Metrics);

/// The figures of a recording's loads as they are kept. What an earlier version wrote may not be readable; such
/// a load is renewed in its turn.
pub fn figures_of(store: &Store, id: i64) -> Result<Vec<Figures>, StoreError> {
    let mut figures = Vec::new();
    for load in &store.recording(id)?.loads {
        if !load.has_data {
            figures.push((load.number, load.visit, true, Metrics::default()));
            continue;
        }
        let kept = store.part(id, load.number, StoredPart::Overview)?;
        if let Some(Ok(analysis)) = kept.map(phainon_store::PackedPart::value::<Analysis>) {
            figures.push((load.number, load.visit, load.failed.is_some(), analysis.metrics));
        }
    }
    Ok(figures)
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
    /// Reads and analyses one recording for each of its pages. Each load is packed before the next is read:
    /// unpacked they may take many times as much. Ends between two loads where it is told to stop.
    pub fn of(
        mut opened: Opened,
        settings: &Arc<Settings>,
        stop: &AtomicBool,
    ) -> Result<(Vec<Self>, PackedBodies), Problem> {
        let pages = opened.take_pages();
        let Opened { file, manifest, bodies, detail, .. } = opened;
        let mut all = Vec::with_capacity(pages.len());
        for loads in pages {
            let coverage = detail.as_ref().filter(|_| manifest.is_some()).map_or(&[][..], |d| &d.coverage);
            let mut ready = Self::read(loads, &bodies, settings, coverage, stop)?;
            ready.imported_from.clone_from(&file);
            all.push(ready);
        }
        if let Some(archive) = all.first_mut().filter(|_| manifest.is_some()) {
            (archive.manifest, archive.detail) = (manifest, detail);
            archive.bodies = bodies.keys().cloned().collect();
        }
        Ok((all, PackedBodies::of(bodies)))
    }

    fn read(
        loads: Vec<RawLoad>,
        bodies: &BodyMap,
        settings: &Arc<Settings>,
        coverage: &[Coverage],
        stop: &AtomicBool,
    ) -> Result<Self, Problem> {
        let body = |hash: &str| bodies.get(hash).cloned();
        let (mut first, mut figures) = (None, Vec::new());
        let mut named = BTreeSet::new();
        let mut kept = Vec::with_capacity(loads.len());
        for (number, raw) in (1u32..).zip(loads) {
            if stop.load(Ordering::Relaxed) {
                return Err(Problem::bad("Nobody waits for this any more; nothing of it was kept."));
            }
            named.extend(raw.body_hashes().into_iter().map(str::to_owned));
            let reading = read_load(&raw, &body, settings, coverage, true)?;
            let failed = raw.failed.clone();
            if let Some(Reading { load, analysis, .. }) = &reading {
                figures.push((number, load.visit, failed.is_some(), analysis.metrics.clone()));
                first.get_or_insert_with(|| First {
                    url: Some(load.url.to_string()),
                    started_at: load.started_at.clone(),
                    browser: load.browser.clone(),
                    source: Some(load.source),
                });
            }
            kept.push(packed(&LoadReading { raw, reading, failed })?);
        }
        Ok(Self {
            first: first.unwrap_or_default(),
            loads: kept,
            bodies: named.into_iter().collect(),
            summary: summary_of(&figures, settings),
            detail: None,
            manifest: None,
            imported_from: None,
        })
    }

    /// Keeps recordings, all of them or nothing, and gives their ids.
    pub fn keep(all: &[(Vec<Self>, PackedBodies)], store: &Store) -> Result<Vec<i64>, StoreError> {
        let told: Vec<(&Self, &PackedBodies, Named)> =
            all.iter().flat_map(|(ready, bodies)| ready.iter().map(move |r| (r, bodies, r.named()))).collect();
        let wholes: Vec<WholeRecording<'_>> = told.iter().map(|(r, bodies, named)| r.whole(bodies, named)).collect();
        store.add_recordings(&wholes)
    }

    fn named(&self) -> Named {
        let manifest = self.manifest.as_ref();
        let url = manifest.map(|m| m.url.clone()).or_else(|| self.first.url.clone()).unwrap_or_default();
        let (site, named_by_path) = site_and_page(&url);
        let page = manifest.and_then(|m| m.page.clone()).filter(|p| !p.trim().is_empty()).unwrap_or(named_by_path);
        let told = manifest.and_then(|m| m.recorded_at.clone()).or_else(|| self.first.started_at.clone());
        Named { url, site, page, recorded_at: told.unwrap_or_else(now) }
    }

    fn whole<'a>(&'a self, bodies: &'a PackedBodies, named: &'a Named) -> WholeRecording<'a> {
        let manifest = self.manifest.as_ref();
        let head = NewRecording {
            site: &named.site,
            page: &named.page,
            url: &named.url,
            source: self.first.source.unwrap_or(Source::Recording),
            trial_of: None,
            conditions: manifest.and_then(|m| m.conditions.as_ref()),
            browser: manifest.and_then(|m| m.browser.as_deref()).or(self.first.browser.as_deref()),
            machine: manifest.and_then(|m| m.machine.as_ref()),
            recorded_at: &named.recorded_at,
            imported_from: self.imported_from.as_deref(),
            wanted_loads: None,
            blocked: manifest.map(|m| m.blocked.as_slice()).unwrap_or_default(),
            ended: Ended::Done,
        };
        WholeRecording {
            head,
            loads: &self.loads,
            bodies,
            named: &self.bodies,
            detail: self.detail.as_ref(),
            summary: self.summary.as_ref(),
        }
    }
}

/// What a recording is called.
struct Named {
    url: String,
    site: String,
    page: String,
    recorded_at: String,
}

/// Now, as RFC 3339.
pub fn now() -> String {
    chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Secs, true)
}

/// The same to the millisecond, as the store marks what was deleted.
pub fn now_exactly() -> String {
    chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Millis, true)
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

    #[test]
    fn work_that_nobody_waits_for_ends_before_its_next_load() {
        let har = br#"{"log":{"entries":[{"request":{"url":"http://a.test/"},"response":{}}]}}"#;
        let of = |stop: bool| {
            let opened = phainon_formats::open(har, "x.har").expect("a HAR");
            Ready::of(opened, &Arc::default(), &AtomicBool::new(stop)).map(|(all, _)| all.len())
        };
        assert_eq!(of(false).expect("read"), 1);
        assert!(of(true).expect_err("stopped").to_string().contains("nothing of it was kept"));
    }
}
