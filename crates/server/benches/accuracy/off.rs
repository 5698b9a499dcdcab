//! Pages of other people as they are: what path and forecast say of a file, held against the page without it.

use crate::at_once::{self, Asked, measure};
use crate::blame::{Instead, Measured};
use crate::late::{can_be_off, told};
use crate::measure::by_weight;
use crate::templates::{PAGES, Waits, offered, serve};
use phainon_core::{Load, Prepared, ResourceKind, preset};
use std::ops::Range;
use std::path::Path;

/// So many files are taken off a page, one at a time: those that the path gives most to, then the heaviest.
pub const TAKEN_OFF: usize = 6;
/// What is taken off.
const KINDS: [ResourceKind; 4] = [ResourceKind::Script, ResourceKind::Style, ResourceKind::Image, ResourceKind::Font];

/// Measures pages over the phone's line in even draws and the laptop's in odd ones, and without one file after the
/// other.
pub async fn off(draws: Range<u64>, folder: &Path, only: Option<&str>) {
    let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
    for draw in draws {
        let conditions = ["phone-on-the-move", "home-laptop"][usize::from(draw % 2 == 1)];
        for page in PAGES.iter().filter(|p| wanted(p)) {
            match without(folder, page, conditions, draw).await {
                Ok(measured) => told(&measured, &folder.join("off")),
                Err(why) => println!("{page}: could not be measured: {why}"),
            }
        }
    }
}

async fn without(folder: &Path, page: &str, conditions: &str, draw: u64) -> Result<Measured, String> {
    let served = serve(folder, page, Waits::Usual, offered(draw)).await?;
    let heavy = |load: &Load| {
        let prepared = Prepared::plain(load.clone());
        let addresses = by_weight(&prepared).into_iter().map(|r| r.url.to_string());
        addresses.filter(|url| can_be_off(load, url, &KINDS)).take(TAKEN_OFF).collect()
    };
    let asked = Asked {
        seed: draw,
        about: format!("{page}, {conditions}, as it is"),
        markup: served.markup.as_bytes(),
        request: at_once::request(&served.url, preset(conditions).ok_or("no preset")?, &served.hosts),
        worth: &heavy,
        instead: &|_, _| vec![Instead::Nothing],
        send: &|otherwise| served.send(otherwise),
    };
    measure(asked).await
}
