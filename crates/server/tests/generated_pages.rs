//! Pages that were drawn by chance, recorded in the real browser, and loaded again with one late file after the
//! other there at once (`cargo xtask accuracy generate`, then `gather`): what the path accuses and what the
//! forecast says of each file, held against what that really brought. A guard: these figures may not get worse.

#![allow(clippy::unwrap_used)]

#[path = "../benches/accuracy/blame.rs"]
mod blame;

use blame::{Judged, Measured, judged};
use phainon_core::put_right;

/// Those of even seeds, by which rules were mended, or those of odd ones.
fn pages(half: &str) -> Vec<Measured> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/measured");
    let packed = std::fs::read(format!("{folder}/generated_pages_{half}.json.zst")).unwrap();
    let mut decoder = zstd::Decoder::new(packed.as_slice()).unwrap();
    decoder.window_log_max(26).unwrap();
    let mut pages: Vec<Measured> = serde_json::from_reader(decoder).unwrap();
    for page in &mut pages {
        // Told by rules that are newer than what was kept.
        put_right(&mut page.load);
    }
    pages
}

#[test]
fn files_are_accused_that_cost_something_and_forecasts_come_true() {
    let mut all = Judged::default();
    for page in ["even", "odd"].into_iter().flat_map(pages) {
        let judged = judged(&page);
        for line in judged.lines.iter().filter(|l| l.contains("MISSED") || l.contains("WRONG") || l.contains("ASTRAY"))
        {
            println!("{}, {}: {line}", page.seed, page.about);
        }
        all.found += judged.found;
        all.missed += judged.missed;
        all.wrong += judged.wrong;
        all.rightly_not += judged.rightly_not;
        all.gains.extend(judged.gains);
    }
    let Judged { found, missed, wrong, rightly_not, gains, .. } = all;
    println!("{found} found, {missed} missed, {wrong} wrong, {rightly_not} rightly not");
    assert!(found + missed + wrong + rightly_not > 480, "the pages are there");
    let mut errors: Vec<f64> = gains.iter().map(|(said, really, came_to)| (said - really).abs() / came_to).collect();
    errors.sort_by(f64::total_cmp);
    let near = errors.iter().filter(|error| **error <= 0.05).count();
    println!("{near} of {} forecasts within 5 %, median {:.3}", errors.len(), errors[errors.len() / 2]);
    assert!(missed <= 8, "{missed} culprits missed");
    assert!(wrong <= 5, "{wrong} files wrongly accused");
    assert!(errors[errors.len() / 2] < 0.02);
    assert!(near * 100 >= errors.len() * 82, "{near} of {}", errors.len());
}
