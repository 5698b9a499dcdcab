//! Whose the main thread's time is where a library calls back what others gave to it.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::path::{Code, Leg, LegFact};
use phainon_core::{Analysis, Millis, NoBodies, Prepared, ResourceKind, WorkName, analyse, path};
use site::{Site, at};

const LIBRARY: &str = "plugins/mast/library.js";
const GALLERY: &str = "plugins/gallery/gallery.js";
const APP: &str = "app.js";

/// Three scripts, run in this order; then the library has the thread from 1,020 to 1,420 ms, and the text is changed
/// at 1,390.
fn page(seen: &[(f64, &[&str])]) -> Site {
    let mut site = Site::new();
    for (path, start) in [(LIBRARY, 1001.0), (GALLERY, 1006.0), (APP, 1012.0)] {
        site.asks(path, ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]);
        site.runs(WorkName::Evaluate, [start, start + 4.0], path);
    }
    site.works(WorkName::Task, 0, [1020.0, 1420.0], None);
    site.works(WorkName::Event, 1, [1020.0, 1420.0], None).event = Some("DOMContentLoaded".into());
    site.works(WorkName::Call, 2, [1020.0, 1420.0], Some(LIBRARY));
    site.works(WorkName::Layout, 3, [1200.0, 1240.0], None);
    site.changes(1390.0, GALLERY);
    site.draws([1420.1, 1440.0]);
    site.paints(1460.0, None);
    site.0.largest_stands = Some(phainon_core::Standing::Nowhere);
    if !seen.is_empty() {
        site.sees(seen);
    }
    site
}

fn analysed(site: &Site) -> Analysis {
    analyse(&Prepared::plain(site.0.clone()), &NoBodies)
}

fn took(analysis: &Analysis, path: &str) -> f64 {
    let scripts = &analysis.main_thread.as_ref().unwrap().by_script;
    scripts.iter().filter(|s| s.url.as_deref() == Some(&at(path))).map(|s| s.total_ms.0).sum()
}

const CALLED_BACK: &[(f64, &[&str])] = &[
    (1020.0, &[LIBRARY]),
    (1060.0, &[LIBRARY, GALLERY]),
    (1160.0, &[LIBRARY, GALLERY, LIBRARY]),
    (1360.0, &[LIBRARY, APP, GALLERY]),
    (1400.0, &[LIBRARY]),
];

#[test]
fn what_a_library_calls_back_is_the_time_of_who_gave_it() {
    let analysis = analysed(&page(CALLED_BACK));
    // With what it uses of the library, and the layout that it causes there.
    assert!((took(&analysis, GALLERY) - 304.0).abs() < 0.01, "{}", took(&analysis, GALLERY));
    // The app uses the gallery, which was there before it.
    assert!((took(&analysis, APP) - 44.0).abs() < 0.01, "{}", took(&analysis, APP));
    assert!((took(&analysis, LIBRARY) - 64.0).abs() < 0.01, "{}", took(&analysis, LIBRARY));
    let thread = analysis.main_thread.as_ref().unwrap();
    let sum: f64 = thread.by_script.iter().map(|s| s.total_ms.0).sum();
    assert!((sum - thread.total_ms.0).abs() < 0.1, "{sum} of {}", thread.total_ms.0);
    let long = &thread.long_tasks[0];
    assert_eq!(long.url.as_deref(), Some(at(GALLERY).as_str()));
    assert_eq!((long.owner.name.as_str(), long.shares[0].1), ("gallery", Millis(300.0)));
    let account = |name: &str| analysis.owners.iter().find(|o| o.name == name).unwrap().main_thread_ms.unwrap();
    assert!((account("gallery").0 - 304.0).abs() < 0.01 && (account("mast").0 - 64.0).abs() < 0.01);
}

#[test]
fn without_samples_it_is_the_time_of_what_the_browser_called() {
    let analysis = analysed(&page(&[]));
    assert!((took(&analysis, LIBRARY) - 404.0).abs() < 0.01);
    assert!((took(&analysis, GALLERY) - 4.0).abs() < 0.01);
}

#[test]
fn the_path_names_whose_handler_changed_the_page_and_whose_had_the_thread_before() {
    let legs = |seen: &[(f64, &[&str])]| {
        let legs: Vec<Leg> = path::path_to_largest(&Prepared::plain(page(seen).0)).unwrap();
        let told = legs.into_iter().filter_map(|leg| {
            let (LegFact::ChangesPage { script: Code::File(script) }
            | LegFact::BusyWith { script: Code::File(script) }) = &leg.fact
            else {
                return None;
            };
            Some((script.to_string(), leg.owner.name.clone(), leg.from_ms.0, leg.to_ms.0))
        });
        told.collect::<Vec<_>>()
    };
    let of = |path: &str, owner: &str, from: f64, to: f64| (at(path), owner.to_owned(), from, to);
    let app = |from: f64, to: f64| of(APP, "site", from, to);
    assert_eq!(legs(CALLED_BACK), [app(1020.0, 1060.0), of(GALLERY, "gallery", 1060.0, 1360.0), app(1360.0, 1420.0)]);
    assert_eq!(legs(&[]), [of(LIBRARY, "mast", 1020.0, 1420.0)]);
}

#[test]
fn handlers_that_a_library_calls_have_rows_of_their_own() {
    let rows = |seen: &[(f64, &[&str])]| {
        let rows = phainon_core::handlers(&Prepared::plain(page(seen).0)).into_iter();
        let row =
            |r: phainon_core::HandlerRow| (r.by.unwrap().url.unwrap().to_string(), r.owner.name, r.runs, r.total_ms.0);
        rows.map(row).collect::<Vec<_>>()
    };
    let of = |path: &str, owner: &str, ms: f64| (at(path), owner.to_owned(), 1, ms);
    assert_eq!(rows(CALLED_BACK), [of(GALLERY, "gallery", 300.0), of(LIBRARY, "mast", 60.0), of(APP, "site", 40.0)]);
    assert_eq!(rows(&[]), [of(LIBRARY, "mast", 400.0)]);
}
