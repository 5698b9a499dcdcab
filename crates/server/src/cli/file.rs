//! A recording in a file, read.

use super::opened_files;
use crate::keep::site_and_page;
use crate::reading::{RecordingReading, read_loads};
use phainon_core::compare::Circumstances;
use phainon_core::metrics::Metrics;
use phainon_core::{Prepared, Settings, Visit};
use phainon_formats::{BodyMap, Manifest, MemoryBudget, Opened, open_together};
use std::path::PathBuf;
use std::sync::Arc;

/// A recording in a file.
pub struct RecordingFile {
    pub name: String,
    pub manifest: Option<Manifest>,
    pub reading: RecordingReading,
    pub bodies: BodyMap,
    pub settings: Arc<Settings>,
    site: String,
    page: String,
}

impl RecordingFile {
    /// Reads it; a HAR and a trace of one load are one recording.
    pub fn read(paths: &[PathBuf], memory: u64, settings: &Arc<Settings>) -> Result<Self, String> {
        let files = opened_files(paths)?;
        let name = files.iter().map(|f| f.1.as_str()).collect::<Vec<_>>().join(" and ");
        let mut opened = open_together(files, &MemoryBudget::new(memory)).map_err(|e| e.to_string())?;
        if opened.len() > 1 {
            return Err(format!("{name} do not belong together: only a HAR and a trace of one load do."));
        }
        let Opened { manifest, loads, bodies, detail, .. } = opened.swap_remove(0);
        let reading = read_loads(loads, &bodies, settings, detail.as_ref()).map_err(|e| e.to_string())?;
        let first = reading.loads.iter().find_map(|l| l.analysis()).map(|a| a.url.to_string());
        let url = manifest.as_ref().map(|m| m.url.clone()).or(first).unwrap_or_default();
        let (site, by_path) = site_and_page(&url);
        let page = manifest.as_ref().and_then(|m| m.page.clone()).unwrap_or(by_path);
        Ok(Self { name, manifest, reading, bodies, settings: settings.clone(), site, page })
    }

    /// What kind of page it is.
    pub fn page(&self) -> &str {
        &self.page
    }

    /// Figures of its first visits; of a file with return visits alone, of those.
    pub fn metrics(&self) -> Vec<&Metrics> {
        let of = |visit| {
            let counts = self.reading.loads.iter().filter(move |l| l.raw.visit == visit && l.failed.is_none());
            counts.filter_map(|l| Some(&l.analysis()?.metrics)).collect::<Vec<_>>()
        };
        let firsts = of(Visit::First);
        if firsts.is_empty() { of(Visit::Return) } else { firsts }
    }

    /// Its loads of the kind of visit of the one that stands for it, that one first.
    pub fn loads(&self) -> Result<Vec<Arc<Prepared>>, String> {
        let (place, _) = self.reading.representative().ok_or_else(|| format!("no load of {} has data.", self.name))?;
        let visit = self.reading.loads[place].raw.visit;
        let others = self
            .reading
            .loads
            .iter()
            .enumerate()
            .filter(|(i, l)| *i == place || (l.raw.visit == visit && l.failed.is_none()));
        let mut loads: Vec<(bool, Arc<Prepared>)> = others
            .filter_map(|(i, l)| Some((i != place, l.reading.as_ref()?)))
            .map(|(other, r)| (other, Arc::new(Prepared::new(r.load.clone(), self.settings.clone()))))
            .collect();
        loads.sort_by_key(|l| l.0);
        if loads.is_empty() {
            return Err(format!("no load of {} has data.", self.name));
        }
        Ok(loads.into_iter().map(|l| l.1).collect())
    }

    /// How it was made.
    pub fn circumstances(&self) -> Circumstances<'_> {
        let manifest = self.manifest.as_ref();
        let machine = manifest.and_then(|m| m.machine.as_ref());
        Circumstances {
            page: &self.page,
            site: &self.site,
            conditions: manifest.and_then(|m| m.conditions.as_ref()),
            browser: manifest.and_then(|m| m.browser.as_deref()),
            cores: machine.map(|m| m.cores),
            calibration_ms: machine.and_then(|m| m.calibration_ms),
            load_average: machine.and_then(|m| m.load_average),
            blocked: manifest.map_or(&[], |m| &m.blocked),
        }
    }
}
