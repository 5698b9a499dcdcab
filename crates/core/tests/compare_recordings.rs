//! Two recordings beside each other, on pages small enough to know every difference.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::compare::{FileChange, Group, Verdict, compared, differences};
use phainon_core::metrics::Metric;
use phainon_core::profile::Functions;
use phainon_core::{Analysis, Bytes, Millis, NoBodies, Prepared, ResourceKind, analyse};
use rand::{Rng, SeedableRng};
use site::Site;

/// A page with a picture of so many bytes that ends then, and files of its own.
fn page(hero: u64, end: f64, files: &[&str]) -> Analysis {
    let mut site = Site::new();
    site.asks("hero.1a2b3c4d.jpg", ResourceKind::Image, [150.0, 150.0, 300.0, end]).transferred = Some(Bytes(hero));
    for name in files {
        site.asks(name, ResourceKind::Script, [150.0, 150.0, 200.0, 250.0]);
    }
    site.draws([end + 5.0, end + 10.0]);
    site.paints(end + 20.0, Some("hero.1a2b3c4d.jpg"));
    site.0.fcp = Some(Millis(300.0));
    analyse(&Prepared::plain(site.0), &NoBodies)
}

fn group(loads: &[Analysis]) -> Group<'_> {
    let loads = loads.iter().map(|a| (a, &a.requests[..])).collect();
    Group { loads, standing: 0, functions: Functions::default() }
}

#[test]
fn files_that_came_went_grew_and_are_later_are_told_and_all_others_are_the_same() {
    let a = [page(100_000, 900.0, &["chat.js", "same.js"]), page(100_500, 940.0, &["chat.js", "same.js"])];
    let b = [page(180_000, 1300.0, &["map.js", "same.js"]), page(180_000, 1350.0, &["map.js", "same.js"])];
    let found = differences(&group(&a), &group(&b));
    let of = |name: &str| found.files.iter().find(|f| f.name.contains(name)).unwrap();
    assert_eq!(of("chat.js").changes, [FileChange::Gone]);
    assert_eq!(of("map.js").changes, [FileChange::Added]);
    assert_eq!(of("hero").changes, [FileChange::Bigger, FileChange::Later]);
    let hero = of("hero");
    assert_eq!((hero.a.unwrap().bytes, hero.a.unwrap().loads), (Some(Bytes(100_250)), 2));
    assert_eq!(hero.b.unwrap().end_ms, Some(Millis(1325.0)));
    assert_eq!((found.files.len(), found.same_files), (3, 2), "the document and same.js");
    assert_eq!(found.files[0].name, hero.name, "the largest difference first");
    let site = &found.owners[0];
    assert_eq!((site.requests.a, site.requests.b), (Some(4.0), Some(4.0)));
    assert_eq!(site.bytes.b.unwrap() - site.bytes.a.unwrap(), 79_750.0);
    // Turned round, what was bigger is smaller.
    let back = differences(&group(&b), &group(&a));
    assert!(back.files.iter().any(|f| f.changes == [FileChange::Smaller, FileChange::Earlier]));
    let same = differences(&group(&a), &group(&a));
    assert!(same.files.is_empty() && same.came.is_empty() && same.went.is_empty());
}

#[test]
fn the_page_itself_is_the_same_whatever_its_address_asks() {
    let a = [page(100_000, 900.0, &[])];
    let mut asked = page(100_000, 900.0, &[]);
    let address: std::sync::Arc<str> = format!("{}?fix=all", asked.url).into();
    asked.requests[0].url = address.clone();
    asked.url = address;
    let b = [asked];
    let found = differences(&group(&a), &group(&b));
    assert!(found.files.is_empty(), "{:?}", found.files);
    assert_eq!(found.same_files, 2);
}

#[test]
fn of_one_load_each_nothing_is_called_later() {
    let (a, b) = ([page(100_000, 900.0, &[])], [page(100_000, 1900.0, &[])]);
    let found = differences(&group(&a), &group(&b));
    assert!(found.files.is_empty(), "{:?}", found.files);
}

#[test]
fn loads_of_the_same_page_are_told_apart_at_most_once_in_twenty() {
    // Largest paints of one page, as they were recorded on one machine: drawn again and again into two groups.
    let seen = [5607.0, 5931.0, 5956.0, 5903.0, 5998.0, 5647.0, 5933.0, 6013.0, 6020.0, 5892.0, 5924.0, 5919.0, 5846.0];
    // A line that has no fault of its own scatters less.
    let quiet = [6852.0, 6810.0, 6812.0, 6828.0, 6970.0, 6790.0, 6860.0, 6870.0, 6850.0, 6910.0];
    let mut chance = rand_chacha::ChaCha8Rng::seed_from_u64(26);
    let mut verdict = |of: &[f64], by: f64| {
        let mut draw = |by: f64| (0..5).map(|_| of[chance.random_range(0..of.len())] + by).collect::<Vec<f64>>();
        compared(Metric::Lcp, draw(0.0), draw(by)).unwrap().verdict
    };
    let told = (0..100).filter(|_| verdict(&seen, 0.0) != Verdict::CannotTell).count();
    assert!(told <= 5, "{told} of 100 pairs of the same page were told apart");
    let better = (0..100).filter(|_| verdict(&quiet, -300.0) == Verdict::Better).count();
    assert!(better >= 90, "300 ms were found in {better} of 100 pairs");
}
