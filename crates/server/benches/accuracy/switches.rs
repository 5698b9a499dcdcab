//! The stand-in's pages as they are, and with one repair after the other: what forecasts are held against that owe
//! nothing to trials.

use crate::measure::{base, of_site, record, standing};
use crate::pairs::{Page, QUIET, Tried, keep_in, seen, texts};
use crate::repairs::{REPAIRS, Repair};
use phainon_core::metrics::Metrics;
use phainon_core::{Conditions, Load, preset, representative};
use phainon_formats::{FormatError, MAX_UNPACKED, MemoryBudget, RawLoad, har};
use phainon_recorder::{RecordRequest, Recording, record_whole};
use phainon_standin::{StandIn, all_pages};
use std::path::Path;
use tokio::sync::mpsc;

/// Under which conditions, and what they are called in a page's name.
const CONDITIONS: [(&str, &str); 3] =
    [("home-laptop", "laptop"), ("phone-on-the-move", "phone"), ("village-line", "village")];

/// So many loads a recording has, over which forecasts are made.
const RECORDED: usize = 5;

/// Records pages and their repairs. `only` names parts of pages' names.
pub async fn switches(loads: usize, folder: &Path, only: Option<&str>) {
    let site = StandIn::start().await.expect("the stand-in starts");
    for (id, short) in CONDITIONS {
        for page in all_pages() {
            let name = format!("{} ({short})", page.name);
            if only.is_some_and(|only| !only.split(',').any(|o| name.contains(o))) {
                continue;
            }
            let asked = |repair: &str, loads: usize| asked(&site, page.path, repair, preset(id), loads);
            let repairs: Vec<&Repair> = REPAIRS.iter().filter(|r| r.path == page.path).collect();
            match page_of(&name, &asked, &repairs, loads).await {
                Ok(page) => {
                    println!("{name}: {} repairs, {} loads without", page.tried.len(), page.plain.len());
                    keep_in(&page, &folder.join("switches")).expect("the folder can be written");
                }
                Err(why) => println!("{name} could not be measured: {why}"),
            }
        }
    }
}

fn asked(site: &StandIn, path: &str, repair: &str, conditions: Option<Conditions>, loads: usize) -> RecordRequest {
    let mut request = of_site(site, &format!("{path}{repair}"), conditions.expect("a preset"), loads);
    request.limits.quiet = QUIET;
    request
}

/// A load as files of less tell it: its HAR with its trace, and either alone.
fn otherwise(raw: &RawLoad, load: &Load) -> Result<Vec<Load>, FormatError> {
    let text = har::text(load, None);
    let (loads, _) = har::read(text.as_bytes(), &raw.name, &MemoryBudget::new(MAX_UNPACKED))?;
    let har = loads.into_iter().next().unwrap_or_default();
    let both = RawLoad { trace: raw.trace.clone(), ..har.clone() };
    let trace = RawLoad { name: raw.name.clone(), trace: raw.trace.clone(), ..RawLoad::default() };
    [both, trace, har].iter().map(RawLoad::assemble).collect()
}

/// A load that does not count: what a server does once for all is done.
async fn warm(request: &RecordRequest) -> Result<(), String> {
    let (sender, _held) = mpsc::unbounded_channel();
    record_whole(request, sender).await.map(|_| ()).map_err(|e| e.to_string())
}

async fn page_of(
    name: &str,
    asked: &(dyn Fn(&str, usize) -> RecordRequest + Sync),
    repairs: &[&Repair],
    loads: usize,
) -> Result<Page, String> {
    warm(&asked("", 1)).await?;
    let mut plain = Vec::new();
    let mut repaired = Vec::new();
    for repair in repairs {
        // A page cache has to be filled first.
        if repair.on.contains("page-cache") {
            warm(&asked(&repair.query(), 1)).await?;
        }
        // In turns, so that what drifts on the machine hits both.
        let mut request = asked("", 1);
        request.detail = true;
        plain.push(record(&request).await?);
        let (mut with, mut figures) = (Vec::new(), Vec::new());
        for _ in 0..loads {
            let (recording, metrics) = record(&asked(&repair.query(), 1)).await?;
            with.extend(seen(&recording)?);
            figures.extend(metrics);
        }
        repaired.push((repair, with, figures));
    }
    let mut without = Vec::new();
    for (recording, _) in &plain {
        without.extend(seen(recording)?);
    }
    let (counted, figures): (Vec<&Recording>, Vec<&Metrics>) =
        plain.iter().filter_map(|(recording, metrics)| Some((recording, metrics.first()?))).unzip();
    let stands = representative(&figures);
    let middle = *counted.get(stands).ok_or("nothing was recorded")?;
    let base = base(middle)?;
    let load = (*base.prepared.load).clone();
    let others = others(&counted, stands)?;
    let tried = repaired.into_iter().map(|(repair, loads, metrics)| {
        let edits = repair.edits(&base, &metrics);
        Tried { name: repair.on.to_owned(), edits, loads }
    });
    Ok(Page {
        name: name.to_owned(),
        plain: without,
        tried: tried.collect(),
        texts: texts(&base, middle),
        coverage: base.prepared.coverage.to_vec(),
        otherwise: otherwise(&standing(middle)?.0.raw, &load).map_err(|e| e.to_string())?,
        load,
        others,
    })
}

/// The other loads that a recording of the page would have had, from its first turn to its last.
fn others(plain: &[&Recording], stands: usize) -> Result<Vec<Load>, String> {
    let left: Vec<&Recording> = (0..plain.len()).filter(|place| *place != stands).map(|place| plain[place]).collect();
    let count = left.len().min(RECORDED - 1);
    let places = (0..count).map(|n| (2 * n + 1) * left.len() / (2 * count));
    let load = |place: usize| Ok((*standing(left[place])?.0.reading.ok_or("the load has no data")?.load).clone());
    places.map(load).collect()
}
