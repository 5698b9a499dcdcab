//! How true trials are.
//!
//! `replay` records pages, replays them without any edit, and prints the difference of medians: the
//! stand-in's pages, and pages of other people's templates, whose packages are fetched from the registry. `edits` compares what a trial brings with what the stand-in's own repair brings. `pairs`
//! tries edits of recorded pages, one at a time, and keeps what that brings; `judge` holds path and forecast
//! against what was kept. `fixes` and `judge-fixes` are the same for what findings call for on pages of other people
//! whose files come late by chance. `switches` records the stand-in with and without its repairs, `judge-switches` holds
//! forecasts against that. `generate` draws pages by chance and measures what each late file of theirs costs,
//! `judge-generated` holds path and forecast against that; `ways` and `judge-ways` are the same for rarer ways to wait,
//! each alone on a page. `late` has files of other people's pages come late by
//! chance, and `judge-late` is to it what `judge-generated` is to `generate`. `off` takes files off such pages as they
//! are, and `judge-off` judges that. `noise` records pairs of one page, and of
//! a page and its repair, and counts what comparisons say of them.

mod at_once;
mod blame;
mod drawn;
mod edits;
mod generated;
mod generator;
mod habits;
mod judge;
mod kept;
mod late;
mod later;
mod libraries;
mod looks;
mod measure;
mod noise;
mod off;
mod order;
mod pairs;
#[path = "../../../recorder/tests/picture/mod.rs"]
mod picture;
mod platform;
mod rarer;
mod repairs;
mod still;
mod switches;
mod templates;
mod ways;

use kept::{Corpus, gather, judge_kept};
use measure::{Figures, Sides, record_and_replay};
use phainon_core::metrics::Metric;
use phainon_core::preset;
use phainon_standin::{StandIn, all_pages};
use std::ops::Range;
use std::path::{Path, PathBuf};

/// What is held against each other, with the bound within which a page should be.
pub const HELD: [Metric; 5] = [Metric::Fcp, Metric::Lcp, Metric::Tbt, Metric::SpeedIndex, Metric::Cls];

#[tokio::main]
async fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    let loads = std::env::var("PHAINON_LOADS").ok().and_then(|n| n.parse().ok()).unwrap_or(5);
    let folder = arguments.get(1).map(PathBuf::from).unwrap_or_default();
    match arguments.first().map(String::as_str) {
        Some("replay") => {
            replay(loads, arguments.get(1).map(PathBuf::from), arguments.get(2).map(String::as_str)).await
        }
        Some("pairs") => {
            pairs::pairs(loads, &folder, arguments.get(2).map(String::as_str)).await;
        }
        Some("judge") => {
            judge::judge(&folder.join("pairs"), arguments.get(2).map(String::as_str));
        }
        Some("fixes") => match arguments.get(2).and_then(|draws| range(draws)) {
            Some(draws) => pairs::fixes(draws, loads, &folder, arguments.get(3).map(String::as_str)).await,
            None => println!("accuracy: name draws as FROM-TO"),
        },
        Some("judge-fixes") => {
            judge::judge(&folder.join("fixes"), arguments.get(2).map(String::as_str));
        }
        Some("switches") => {
            switches::switches(loads, &folder, arguments.get(2).map(String::as_str)).await;
        }
        Some("judge-switches") => {
            judge::judge(&folder.join("switches"), arguments.get(2).map(String::as_str));
        }
        Some("generate") => match range(arguments.get(2).map_or("0-200", String::as_str)) {
            Some(seeds) => generated::generate(seeds, &folder).await,
            None => println!("accuracy: name seeds as FROM-TO"),
        },
        Some("ways") => match range(arguments.get(2).map_or("0-2", String::as_str)) {
            Some(variants) => ways::ways(variants, &folder, arguments.get(3).map(String::as_str)).await,
            None => println!("accuracy: name variants as FROM-TO"),
        },
        Some("judge-ways") => {
            let kept = folder.join("ways");
            let markup = |page: &blame::Measured| ways::markup_of(page.seed);
            judge_kept(&Corpus { folder: &kept, markup: &markup }, arguments.get(2).map(String::as_str));
        }
        Some("judge-generated") => {
            judge_kept(&drawn(&folder.join("generated")), arguments.get(2).map(String::as_str));
        }
        Some("late") => match arguments.get(2).and_then(|draws| range(draws)) {
            Some(draws) => late::late(draws, &folder, arguments.get(3).map(String::as_str)).await,
            None => println!("accuracy: name draws as FROM-TO"),
        },
        Some("off") => match arguments.get(2).and_then(|draws| range(draws)) {
            Some(draws) => off::off(draws, &folder, arguments.get(3).map(String::as_str)).await,
            None => println!("accuracy: name draws as FROM-TO"),
        },
        Some(mode @ ("judge-late" | "judge-off")) => {
            let kept = folder.join(mode.trim_start_matches("judge-"));
            let corpus = Corpus { folder: &kept, markup: &|page| late::markup_of(&folder, &page.about) };
            judge_kept(&corpus, arguments.get(2).map(String::as_str));
        }
        Some("gather") => {
            let kept = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/measured");
            if let Err(why) = gather(&drawn(&folder.join("generated")), Path::new(kept)) {
                println!("accuracy: {why}");
            }
        }
        Some("noise") => noise::noise(loads, arguments.get(1).map(String::as_str)).await,
        Some("edits") => edits::edits(loads, arguments.get(1).map(String::as_str)).await,
        // `cargo bench` without a mode runs all benches; this one takes most of an hour.
        _ => println!(
            "accuracy: name a mode, `replay [FOLDER] [ONLY]`, `pairs FOLDER [ONLY]`, `judge FOLDER [ONLY]`, `fixes FOLDER FROM-TO [ONLY]`, `judge-fixes FOLDER [ONLY]`, `switches FOLDER [ONLY]`, `judge-switches FOLDER [ONLY]`, `generate FOLDER [FROM-TO]`, `judge-generated FOLDER [SEEDS]`, `gather FOLDER`, `ways FOLDER [FROM-TO] [ONLY]`, `judge-ways FOLDER [SEEDS]`, `late FOLDER FROM-TO [ONLY]`, `judge-late FOLDER [ONLY]`, `off FOLDER FROM-TO [ONLY]`, `judge-off FOLDER [ONLY]`, `edits [ONLY]` or `noise [pairs|promise]`"
        ),
    }
}

fn range(words: &str) -> Option<Range<u64>> {
    words.split_once('-').and_then(|(a, b)| Some(a.parse().ok()?..b.parse().ok()?))
}

/// The pages drawn by chance, kept in a folder.
fn drawn(folder: &Path) -> Corpus<'_> {
    Corpus { folder, markup: &|page| Some(generator::draw(page.seed, &[]).html) }
}

async fn replay(loads: usize, folder: Option<PathBuf>, only: Option<&str>) {
    let mut all: Vec<(String, Sides)> = Vec::new();
    println!("{loads} loads recorded, the middle one replayed {loads} times; medians, recorded → replayed");
    let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
    let site = StandIn::start().await.expect("the stand-in starts");
    for page in all_pages() {
        for (id, short) in [("phone-on-the-move", "phone"), ("home-laptop", "laptop")] {
            let name = format!("{} ({short})", page.name);
            if !wanted(&name) {
                continue;
            }
            let request = measure::of_site(&site, page.path, preset(id).expect("a preset"), loads);
            all.extend(told(name, record_and_replay(&request).await));
        }
    }
    if let Some(folder) = folder {
        for (at, page) in templates::PAGES[templates::EDITED].iter().enumerate() {
            let (id, short) = if at % 2 == 0 { ("phone-on-the-move", "phone") } else { ("home-laptop", "laptop") };
            let name = format!("{page} ({short})");
            if !wanted(&name) {
                continue;
            }
            let served = match templates::serve(&folder, page, templates::Waits::Usual, templates::offered(0)).await {
                Ok(served) => served,
                Err(why) => {
                    println!("{name}: {why}");
                    continue;
                }
            };
            let request = served.request(preset(id).expect("a preset"), loads);
            all.extend(told(name, record_and_replay(&request).await));
        }
    }
    summary(&all);
}

fn told(name: String, made: Result<Sides, String>) -> Option<(String, Sides)> {
    match made {
        Ok(sides) => {
            let cells: Vec<String> = HELD.iter().filter_map(|m| sides.cell(*m)).collect();
            let a = sides.answered;
            println!("{name}\n    {}\n    answered {} / {} / {}", cells.join("  "), a.exactly, a.nearly, a.not);
            for metric in HELD {
                if let Some(ranges) = sides.ranges_beyond(metric, 0.15) {
                    println!("    beyond 15 %: {ranges}");
                }
            }
            for unknown in sides.unknown.iter().take(5) {
                println!("    not kept: {unknown}");
            }
            Some((name, sides))
        }
        Err(why) => {
            println!("{name}\n    could not be replayed: {why}");
            None
        }
    }
}

fn summary(all: &[(String, Sides)]) {
    println!("\n{} pages", all.len());
    for metric in HELD {
        let mut off: Vec<(f64, &str)> = all.iter().filter_map(|(n, s)| Some((s.off(metric)?, n.as_str()))).collect();
        off.sort_by(|a, b| a.0.total_cmp(&b.0));
        let Some(middle) = off.get(off.len() / 2) else { continue };
        let worst: Vec<String> =
            off.iter().rev().take(3).map(|(v, n)| format!("{n} {}", measure::off_text(metric, *v))).collect();
        println!("  {metric:?}: median {}, worst {}", measure::off_text(metric, middle.0), worst.join(", "));
    }
    let sum = all.iter().fold(Figures::default(), |sum, (_, s)| sum.with(s));
    println!("  answered exactly {:.2} %", sum.exact_share() * 100.0);
}
