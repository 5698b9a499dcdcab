//! The demo's archives, recorded from the stand-in in a real browser, as fixtures.

#![allow(clippy::unwrap_used)]

use phainon_core::words::leg_title;
use phainon_core::{Analysis, PaintKind, Prepared, analyse};
use phainon_formats::{Opened, archive, har, open};

fn archives() -> Vec<(String, Vec<u8>)> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo");
    let mut found: Vec<_> = std::fs::read_dir(folder)
        .expect("the demo's folder")
        .filter_map(|f| Some(f.ok()?.path()))
        .filter(|p| p.extension().is_some_and(|e| e == "zip"))
        .map(|p| (p.file_name().unwrap().to_string_lossy().into_owned(), std::fs::read(&p).unwrap()))
        .collect();
    found.sort();
    assert!(found.len() >= 2);
    found
}

fn analyses(opened: &Opened) -> Vec<Analysis> {
    let bodies = |hash: &str| opened.bodies.get(hash).cloned();
    opened.loads.iter().map(|raw| analyse(&Prepared::plain(raw.assemble().unwrap()), &bodies)).collect()
}

#[test]
fn the_largest_element_is_the_hero_and_a_script_inserted_it() {
    for (name, bytes) in archives().into_iter().filter(|(name, _)| name.starts_with("home-")) {
        let opened = open(&bytes, &name).unwrap();
        for analysis in analyses(&opened) {
            let lcp = analysis.lcp.expect("a largest paint");
            assert_eq!(lcp.kind, PaintKind::Image);
            assert_eq!(lcp.selector.as_deref(), Some("img.deck-hero"));
            assert_eq!(lcp.url.as_deref(), Some("http://static.skerryline.test/media/hero-marlin-bay.jpg"));
            assert_eq!(lcp.owner.name, "deck-slider");
            let by_script =
                lcp.path.iter().any(|leg| leg_title(&leg.fact) == "slider.js runs, then asks for hero-marlin-bay.jpg");
            assert!(by_script, "{name}: {:#?}", lcp.path);
        }
    }
}

#[test]
fn figures_agree_with_what_the_page_was_told() {
    for (name, bytes) in archives() {
        for analysis in analyses(&open(&bytes, &name).unwrap()) {
            let told = analysis.observed.expect("the observer ran");
            let near = |ours: Option<phainon_core::Millis>, theirs: Option<phainon_core::Millis>| {
                (ours.unwrap() - theirs.unwrap()).0.abs() <= 8.0
            };
            assert!(near(analysis.metrics.lcp_ms, told.lcp_ms), "{name}: {:?} {told:?}", analysis.metrics.lcp_ms);
            assert!(near(analysis.metrics.fcp_ms, told.fcp_ms), "{name}: {:?} {told:?}", analysis.metrics.fcp_ms);
            // Where two shifts are a second apart to within what the page's clock is rounded by, the page
            // may count them to different session windows than the trace's exact times do.
            let counted: Vec<f64> = analysis.shifts.iter().filter(|s| !s.had_recent_input).map(|s| s.at_ms.0).collect();
            if counted.windows(2).all(|pair| (pair[1] - pair[0] - 1_000.0).abs() > 8.0) {
                let (ours, theirs) = (analysis.metrics.cls.unwrap(), told.cls.unwrap());
                assert!((ours - theirs).abs() <= 0.001, "{name}: {ours} {theirs}");
            }
        }
    }
}

#[test]
fn the_path_adds_up_in_every_fixture() {
    for (name, bytes) in archives() {
        for analysis in analyses(&open(&bytes, &name).unwrap()) {
            let path = analysis.lcp.unwrap().path;
            assert_eq!(path[0].from_ms.0, 0.0);
            assert!(path.windows(2).all(|pair| pair[0].to_ms == pair[1].from_ms), "{name}");
            let sum: f64 = path.iter().map(|leg| leg.length().0).sum();
            assert!((sum - analysis.metrics.lcp_ms.unwrap().0).abs() < 1.0, "{name}");
        }
    }
}

/// Written and read again, an archive says the same; and so does the HAR of it, as far as a HAR goes.
#[test]
fn nothing_is_lost_on_the_way_out_and_in() {
    let (name, bytes) = archives().remove(0);
    let mut opened = open(&bytes, &name).unwrap();
    let manifest = opened.manifest.take().unwrap();
    let loads: Vec<_> = opened.loads.iter().map(|raw| raw.assemble().unwrap()).collect();
    let parts: Vec<_> = opened.loads.iter().zip(&loads).map(|(raw, load)| (raw, Some(load))).collect();
    let written = archive::write(Vec::new(), &manifest, &parts, &opened.bodies, opened.detail.as_ref()).unwrap();
    let again = open(&written, "again").unwrap();
    assert_eq!(again.manifest, Some(manifest));
    assert_eq!(again.bodies, opened.bodies);
    assert_eq!(analyses(&again), analyses(&opened));

    let bodies = |hash: &str| opened.bodies.get(hash).cloned();
    let text = har::text(&loads[0], Some(&bodies));
    let alone = open(text.as_bytes(), "alone.har").unwrap();
    let read = alone.loads[0].assemble().unwrap();
    assert_eq!(read.requests.len(), loads[0].requests.len());
    for (there, here) in read.requests.iter().zip(&loads[0].requests) {
        // As far as times are written: to the microsecond.
        let written = |r: &phainon_core::Request| serde_json::to_value(r).unwrap();
        assert_eq!(written(there), written(here), "{}", here.url);
    }
    let from_har = &analyses(&alone)[0];
    assert_eq!(from_har.metrics.transferred_bytes, analyses(&opened)[0].metrics.transferred_bytes);
    assert!(from_har.findings.iter().any(|f| f.check == "uncompressed-text"), "its checks work on the HAR's bodies");
    assert!(from_har.metrics.lcp_ms.is_none());
}

#[test]
fn a_damaged_archive_is_refused_with_its_place() {
    let (name, bytes) = archives().remove(0);
    for cut in [30, bytes.len() / 2, bytes.len() - 10] {
        let error = open(&bytes[..cut], &name).err().expect("half an archive").to_string();
        assert!(error.contains(&name), "{error}");
    }
}
