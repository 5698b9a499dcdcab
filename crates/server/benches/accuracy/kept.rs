//! What was measured of pages, kept in a folder, a file a page; and judged at once and as often as one likes.

use crate::blame::{Judged, Measured, judged};
use crate::measure::middle;
use crate::order::kendall;
use phainon_core::{Load, Millis, WorkName, put_right, standings};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::io::Write;
use std::path::{Path, PathBuf};

/// A corpus: where its pages are kept, and how a page's markup is had.
pub struct Corpus<'a> {
    pub folder: &'a Path,
    pub markup: &'a dyn Fn(&Measured) -> Option<String>,
}

/// Judges what was measured before; halves are those of even and of odd seeds. `only` names seeds, or parts of what
/// pages are about.
pub fn judge_kept(corpus: &Corpus<'_>, only: Option<&str>) {
    for (name, rest) in [("even seeds (tuned by)", 0), ("odd seeds (judged by)", 1)] {
        let mut all = Judged::default();
        let mut taus = Vec::new();
        let mut pages = 0;
        for page in kept(corpus).into_iter().filter(|p| p.seed % 2 == rest) {
            let named = |o: &str| o == page.seed.to_string() || page.about.contains(o) && o.parse::<u64>().is_err();
            if only.is_some_and(|only| !only.split(',').any(named)) {
                continue;
            }
            let judged = judged(&page);
            if only.is_some() && std::env::var_os("PHAINON_DETAIL").is_some() {
                detail(&page, (corpus.markup)(&page));
            }
            pages += 1;
            let telling = |line: &String| line.contains("WRONG") || line.contains("MISSED") || line.contains("ASTRAY");
            if only.is_some() || judged.lines.iter().any(telling) {
                println!("{}: {}\n{}", page.seed, page.about, judged.lines.join("\n"));
            }
            all.found += judged.found;
            all.missed += judged.missed;
            all.wrong += judged.wrong;
            all.rightly_not += judged.rightly_not;
            let gains: Vec<(f64, f64)> = judged.gains.iter().map(|(said, really, _)| (*said, *really)).collect();
            taus.extend(kendall(&gains));
            all.gains.extend(judged.gains);
        }
        let errors: Vec<f64> = all.gains.iter().map(|(e, g, value)| (e - g).abs() / value.max(50.0) * 100.0).collect();
        let near = errors.iter().filter(|e| **e <= 5.0).count();
        println!(
            "{name}, {pages} pages: {} found, {} missed, {} wrongly accused, {} rightly not; precision {:.2}, recall {:.2}; forecast: median error {:.1} %, {near} of {} within 5 %; τ of a page's gains: median {:.2} of {} pages",
            all.found,
            all.missed,
            all.wrong,
            all.rightly_not,
            f64::from(all.found) / f64::from(all.found + all.wrong).max(1.0),
            f64::from(all.found) / f64::from(all.found + all.missed).max(1.0),
            middle(errors.clone()).unwrap_or(f64::NAN),
            errors.len(),
            middle(taus.clone()).unwrap_or(f64::NAN),
            taus.len(),
        );
    }
}

/// Work that is told of however short it is.
const SHOWN: [WorkName; 4] = [WorkName::ParseHtml, WorkName::ParseSheet, WorkName::Style, WorkName::Paint];

/// The requests of a load, each with when it was asked for, sent, answered and over.
pub fn requests(load: &Load) {
    for r in &load.requests {
        let at = |ms: Option<Millis>| ms.map_or(f64::NAN, |v| v.0);
        println!(
            "    {:<10} {:>6.0} {:>6.0} {:>6.0} {:>6.0} {:?} {:?} line {:?} {:?}",
            r.short_name(),
            r.start.0,
            at(r.sent),
            at(r.first_byte),
            at(r.end),
            r.render_blocking,
            r.initiator.kind,
            r.initiator.line,
            r.initiator.stack.first().map(|u| u.rsplit('/').next().unwrap_or_default()),
        );
    }
}

/// The page's markup, its requests, and what its main thread did.
fn detail(page: &Measured, markup: Option<String>) {
    let words = "Words of the page that are many enough to be the largest thing on it. ".repeat(6);
    println!("{}", markup.unwrap_or_default().replace(&words, "WORDS"));
    let load = &page.load;
    requests(load);
    for w in load.work.iter().filter(|w| w.script().is_some() || w.duration.0 > 3.0 || SHOWN.contains(&w.name)) {
        let url = w.url.as_deref().map_or("", |u| u.rsplit('/').next().unwrap_or(u));
        println!(
            "    {:>7.1} {:>6.1} {} {:?} {url} {:?}",
            w.start.0,
            w.duration.0,
            ".".repeat(w.depth.into()),
            w.name,
            w.line
        );
    }
    println!("    parsed {:?}, first paint {:?}, load event {:?}", load.dom_interactive, load.fcp, load.load_event);
}

pub fn keep(page: &Measured, folder: &Path) -> Result<(), String> {
    write(page, folder, &file_name(page))
}

/// Keeps something in a folder, packed.
pub fn write(what: &impl Serialize, folder: &Path, name: &str) -> Result<(), String> {
    std::fs::create_dir_all(folder).map_err(|e| e.to_string())?;
    let json = serde_json::to_vec(what).map_err(|e| e.to_string())?;
    let packed = zstd::encode_all(json.as_slice(), 9).map_err(|e| e.to_string())?;
    std::fs::write(folder.join(format!("{name}.json.zst")), packed).map_err(|e| e.to_string())
}

/// All that is kept in a folder, by its files' names; what cannot be read is left out.
pub fn all<T: DeserializeOwned>(folder: &Path) -> Vec<T> {
    let entries = std::fs::read_dir(folder).into_iter().flatten();
    let mut files: Vec<_> = entries.filter_map(|f| Some(f.ok()?.path())).collect();
    files.retain(|p| p.extension().is_some_and(|e| e == "zst"));
    files.sort();
    let read = |path: &PathBuf| {
        let json = zstd::decode_all(std::fs::read(path).ok()?.as_slice()).ok()?;
        serde_json::from_slice(&json).ok()
    };
    files.iter().filter_map(read).collect()
}

/// The seed alone, or what the page is about.
fn file_name(page: &Measured) -> String {
    match page.about.split_once(".html") {
        Some((name, _)) => format!("{}-{}", name.replace(|c: char| !c.is_alphanumeric(), "-"), page.seed),
        None => format!("{:04}", page.seed),
    }
}

/// Gathers what was measured, a file for even seeds and one for odd, for the test that holds path and forecast
/// against it.
pub fn gather(corpus: &Corpus<'_>, kept_in: &Path) -> Result<(), String> {
    let (even, odd): (Vec<_>, Vec<_>) = kept(corpus).into_iter().partition(|page| page.seed % 2 == 0);
    pack(&even, &kept_in.join("generated_pages_even.json.zst"))?;
    pack(&odd, &kept_in.join("generated_pages_odd.json.zst"))
}

fn pack(pages: &[Measured], file: &Path) -> Result<(), String> {
    let json = serde_json::to_vec(pages).map_err(|e| e.to_string())?;
    // The pages are alike: far back they repeat each other.
    let mut encoder = zstd::Encoder::new(Vec::new(), 19).map_err(|e| e.to_string())?;
    encoder.long_distance_matching(true).and_then(|()| encoder.window_log(26)).map_err(|e| e.to_string())?;
    encoder.write_all(&json).map_err(|e| e.to_string())?;
    let packed = encoder.finish().map_err(|e| e.to_string())?;
    println!("{} pages, {} kB", pages.len(), packed.len() / 1000);
    std::fs::write(file, packed).map_err(|e| e.to_string())
}

fn kept(corpus: &Corpus<'_>) -> Vec<Measured> {
    let mut pages: Vec<Measured> = all(corpus.folder);
    for page in &mut pages {
        // Told by rules that may be newer than what was kept.
        put_right(&mut page.load);
        if let Some(markup) = (corpus.markup)(page) {
            (page.load.largest_stands, page.load.words_stand) = standings(&page.load, markup.as_bytes());
        }
    }
    pages
}
