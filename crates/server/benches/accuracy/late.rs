//! Pages of other people whose files come late by chance: what path and forecast say of each late file, held
//! against what it brings there at once, and without it.

use crate::at_once::{self, Asked, TRIED, measure};
use crate::blame::{Instead, Measured, judged};
use crate::kept::keep;
use crate::templates::{PAGES, Waits, markup, number_of, offered, serve};
use phainon_core::{Load, ResourceKind, preset};
use std::ops::Range;
use std::path::Path;
use std::time::Duration;

/// Files are tried that the server sends so late.
const LATE: Duration = Duration::from_millis(150);

/// Measures the pages, each with the waits of some draws.
pub async fn late(draws: Range<u64>, folder: &Path, only: Option<&str>) {
    let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
    for draw in draws {
        for (place, page) in PAGES.iter().enumerate().filter(|(_, p)| wanted(p)) {
            // The parity of the number tells the page's half.
            let seed = draw * 2 + (place as u64 % 2);
            match measured(folder, page, seed).await {
                Ok(measured) => told(&measured, &folder.join("late")),
                Err(why) => println!("{page}: could not be measured: {why}"),
            }
        }
    }
}

async fn measured(folder: &Path, page: &str, seed: u64) -> Result<Measured, String> {
    let waits = Waits::Drawn(seed);
    let served = serve(folder, page, waits, offered(seed / 2)).await?;
    let conditions = ["phone-on-the-move", "home-laptop"][usize::from(number_of(page) % 2 == seed / 2 % 2)];
    let late = |load: &Load| {
        let mut late: Vec<(Duration, String)> = load
            .requests
            .iter()
            .filter(|r| r.is_network() && Some(r.id) != load.document().map(|d| d.id))
            .filter_map(|r| Some((waits.of(&r.url.parse().ok()?, false), r.url.to_string())))
            .filter(|(wait, _)| *wait >= LATE)
            .collect();
        late.sort();
        late.dedup();
        late.reverse();
        // Most pictures of a page cost nothing: the largest element's own, and what pages wait for, come first.
        let own = load.largest().and_then(|l| l.url.clone());
        let is_picture = |url: &str| load.requests.iter().any(|r| *r.url == *url && r.kind == ResourceKind::Image);
        late.sort_by_key(|(_, url)| own.as_deref() != Some(url.as_str()) && is_picture(url));
        late.into_iter().map(|(_, url)| url).take(TRIED).collect()
    };
    let instead = |load: &Load, url: &str| {
        let others = [ResourceKind::Script, ResourceKind::Font, ResourceKind::Image];
        let off = can_be_off(load, url, &others).then_some(Instead::Nothing);
        [Instead::AtOnce].into_iter().chain(off).collect()
    };
    let asked = Asked {
        seed,
        about: format!("{page}, {conditions}, draw {seed}"),
        markup: served.markup.as_bytes(),
        request: at_once::request(&served.url, preset(conditions).ok_or("no preset")?, &served.hosts),
        worth: &late,
        instead: &instead,
        send: &|otherwise| served.send(otherwise),
    };
    measure(asked).await
}

/// Whether a page can do without a file: of these kinds, and not the largest element's own.
pub fn can_be_off(load: &Load, url: &str, kinds: &[ResourceKind]) -> bool {
    let largest = load.largest().and_then(|l| l.url.as_deref());
    let mut of_file = load.requests.iter().filter(|r| *r.url == *url);
    largest != Some(url) && of_file.all(|r| kinds.contains(&r.kind))
}

/// Prints what a page says, and keeps it.
pub fn told(measured: &Measured, folder: &Path) {
    println!("{}\n{}", measured.about, judged(measured).lines.join("\n"));
    if let Err(why) = keep(measured, folder) {
        println!("  not kept: {why}");
    }
}

/// The markup of a page that was measured.
pub fn markup_of(folder: &Path, about: &str) -> Option<String> {
    markup(folder, about.split(',').next()?)
}
