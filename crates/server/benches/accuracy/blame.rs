//! What the path gives to each file, against what taking the file off brings.

use crate::measure::{self, base, element, largest_of, record};
use crate::templates;
use phainon_core::path::path_to_largest;
use phainon_core::{Edit, Request, ResourceKey, preset};
use phainon_server::trial::Base;
use phainon_standin::{StandIn, all_pages};
use std::path::PathBuf;

/// A file is a culprit from so much of the largest paint's time on, and from so many milliseconds.
const SHARE: f64 = 0.05;
const LEAST: f64 = 100.0;
/// So many files that the path gives nothing are taken off too: the heaviest, and those that block.
const OTHERS: usize = 6;

#[derive(Default)]
struct Count {
    found: u32,
    missed: u32,
    wrong: u32,
    rightly_not: u32,
}

pub async fn blame(loads: usize, folder: Option<PathBuf>, only: Option<&str>) {
    println!("{loads} loads of each replay; what the path gives a file, and what the largest paint gains without it");
    let wanted = |name: &str| only.is_none_or(|only| name.contains(only));
    let mut count = Count::default();
    let site = StandIn::start().await.expect("the stand-in starts");
    for page in all_pages().filter(|p| wanted(p.name)) {
        let url = format!("http://www.skerryline.test{}", page.path);
        let mut request = measure::request(&url, preset("phone-on-the-move").expect("a preset"), 3);
        request.hosts = site.hosts();
        request.trusted_key = Some(site.key_hash().to_owned());
        if let Ok((recording, _)) = record(&request).await
            && let Ok(base) = base(&recording)
        {
            page_of(page.name, &base, loads, &mut count).await;
        }
    }
    for page in templates::PAGES.iter().filter(|p| wanted(p)) {
        let Some(served) = templates::serve(folder.as_deref().unwrap_or(".".as_ref()), page).await else { continue };
        let request = served.request(preset("phone-on-the-move").expect("a preset"), 3);
        if let Ok((recording, _)) = record(&request).await
            && let Ok(base) = base(&recording)
        {
            page_of(page, &base, loads, &mut count).await;
        }
    }
    let Count { found, missed, wrong, rightly_not } = count;
    println!(
        "\n{found} culprits found, {missed} missed, {wrong} wrongly accused, {rightly_not} rightly not; precision {:.2}, recall {:.2}",
        f64::from(found) / f64::from(found + wrong).max(1.0),
        f64::from(found) / f64::from(found + missed).max(1.0)
    );
}

async fn page_of(name: &str, base: &Base, loads: usize, count: &mut Count) {
    let load = &base.prepared.load;
    let (Some(path), Some(largest)) = (path_to_largest(&base.prepared), load.largest()) else { return };
    let own = element(largest);
    let Ok(plain) = largest_of(base, base.book.clone(), loads).await else { return };
    let Some(before) = middle(&plain, &own) else {
        println!("{name}: replayed, another element is the largest");
        return;
    };
    println!("{name}: LCP {:.0} recorded, {before:.0} replayed, {own}", largest.at.0);
    let given = |r: &Request| path.iter().filter(|l| l.request == Some(r.id)).map(|l| l.length().0).sum::<f64>();
    let document = load.document().map(|d| d.id);
    let mut files: Vec<(&Request, f64)> = load
        .requests
        .iter()
        .filter(|r| r.is_network() && Some(r.id) != document && r.status == Some(200) && *r.url != own)
        .map(|r| (r, given(r)))
        .collect();
    files.sort_by(|a, b| b.1.total_cmp(&a.1).then(b.0.transferred.cmp(&a.0.transferred)));
    files.dedup_by(|a, b| a.0.url == b.0.url);
    let accused = files.iter().filter(|f| f.1 >= 50.0).count();
    let least = (before * SHARE).max(LEAST);
    for (request, ms) in files.into_iter().take(accused + OTHERS) {
        let edit = Edit::Remove { file: ResourceKey::of(&request.url) };
        let Ok((book, _)) = base.with(&[edit], &[]) else { continue };
        let Ok(without) = largest_of(base, book, loads).await else { continue };
        let Some(after) = middle(&without, &own) else {
            println!("    {:>6.0} given  another element is the largest without  {}", ms, request.short_name());
            continue;
        };
        let gain = before - after;
        let verdict = match (gain > least, ms > least) {
            (true, true) => {
                count.found += 1;
                "found"
            }
            (true, false) => {
                count.missed += 1;
                "MISSED"
            }
            (false, true) => {
                count.wrong += 1;
                "WRONG"
            }
            (false, false) => {
                count.rightly_not += 1;
                ""
            }
        };
        println!("    {ms:>6.0} given {gain:>6.0} gained  {:<30} {verdict}", request.short_name());
    }
    for leg in path.iter().filter(|l| l.length().0 > 20.0) {
        let file = leg.url.as_deref().map(|u| u.rsplit('/').next().unwrap_or(u)).unwrap_or_default();
        println!("        {:>6.0} to {:>6.0} {:?} {file}", leg.from_ms.0, leg.to_ms.0, leg.cause);
    }
}

/// The median of the loads in which the element was the largest, if most were such.
fn middle(loads: &[(f64, String)], own: &str) -> Option<f64> {
    let mut times: Vec<f64> = loads.iter().filter(|(_, e)| e == own).map(|(at, _)| *at).collect();
    times.sort_by(f64::total_cmp);
    (times.len() * 2 > loads.len()).then(|| times[times.len() / 2])
}
