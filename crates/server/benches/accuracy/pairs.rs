//! Pairs: pages recorded, and each loaded again with one edit after the other. They are kept in a folder, so
//! that path and forecast can be judged by them again and again.

use crate::kept;
use crate::measure::{self, base, by_weight, element, record, standing};
use crate::off::TAKEN_OFF;
use crate::still::loaded_again;
use crate::templates;
use phainon_core::metrics::{Coverage, Metric, Metrics};
use phainon_core::{Edit, EditKind, Load, RenderBlocking, Request, ResourceKey, ResourceKind, Visit, analyse, preset};
use phainon_recorder::{RecordRequest, Recording};
use phainon_replay::Book;
use phainon_server::read_loads;
use phainon_server::trial::{Base, seen_of};
use phainon_standin::{StandIn, all_pages};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

/// A load is over when nothing has come for so long.
pub const QUIET: Duration = Duration::from_millis(1200);
/// So many other edits of a page are tried.
const OTHERS: usize = 5;
/// So many edits that findings call for are tried of a page whose files come late by chance.
const FIXES: usize = 9;

/// The figures of a load.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Seen {
    pub figures: BTreeMap<Metric, f64>,
    /// What the largest element was.
    pub largest: String,
}

/// Edits, and the loads with them.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Tried {
    /// What was done, in short.
    pub name: String,
    pub edits: Vec<Edit>,
    pub loads: Vec<Seen>,
}

/// A page with what was measured of it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Page {
    pub name: String,
    /// The recorded load that was loaded again: the one that stands for its recording.
    pub load: Load,
    /// Other loads of the recording: what edits bring is forecast over all of them.
    #[serde(default)]
    pub others: Vec<Load>,
    /// Loaded again without edits.
    pub plain: Vec<Seen>,
    pub tried: Vec<Tried>,
    /// Texts that edits read, by the bodies' hashes.
    #[serde(default)]
    pub texts: BTreeMap<String, String>,
    /// What of its code the page used.
    #[serde(default)]
    pub coverage: Vec<Coverage>,
    /// The same load as files of less tell it.
    #[serde(default)]
    pub otherwise: Vec<Load>,
}

/// Records pages and tries edits of each.
pub async fn pairs(loads: usize, folder: &Path, only: Option<&str>) {
    let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
    let site = StandIn::start().await.expect("the stand-in starts");
    for (at, page) in all_pages().enumerate().filter(|(_, p)| wanted(p.name)) {
        let conditions = ["phone-on-the-move", "home-laptop"][at % 2];
        let request = measure::of_site(&site, page.path, preset(conditions).expect("a preset"), 3);
        told(page_of(page.name, request, loads, &folder.join("pairs"), &usual).await);
    }
    let usually = |place: &usize| only.is_some() || templates::EDITED.contains(place);
    for (at, page) in templates::PAGES.iter().enumerate().filter(|(place, p)| usually(place) && wanted(p)) {
        let conditions = ["phone-on-the-move", "home-laptop"][at % 2];
        told(match templates::serve(folder, page, templates::Waits::Usual, templates::offered(0)).await {
            Ok(served) => {
                let request = served.request(preset(conditions).expect("a preset"), 3);
                page_of(page, request, loads, &folder.join("pairs"), &usual).await
            }
            Err(why) => Err(why),
        });
    }
}

/// Tries what findings call for on pages of other people, whose files come late by chance.
pub async fn fixes(draws: Range<u64>, loads: usize, folder: &Path, only: Option<&str>) {
    let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
    for draw in draws {
        for (place, page) in templates::PAGES.iter().enumerate().filter(|(_, p)| wanted(p)) {
            let seed = draw * 2 + (place as u64 % 2);
            let conditions = ["phone-on-the-move", "home-laptop"][usize::from(place as u64 / 2 % 2 == draw % 2)];
            told(match templates::serve(folder, page, templates::Waits::Drawn(seed), templates::offered(0)).await {
                Ok(served) => {
                    let request = served.request(preset(conditions).expect("a preset"), 3);
                    let name = format!("{page}, {conditions}, draw {seed}");
                    page_of(&name, request, loads, &folder.join("fixes"), &called_for).await
                }
                Err(why) => Err(why),
            });
        }
    }
}

fn told(made: Result<String, String>) {
    match made {
        Ok(line) => println!("{line}"),
        Err(why) => println!("could not be measured: {why}"),
    }
}

async fn page_of(
    name: &str,
    mut request: RecordRequest,
    loads: usize,
    folder: &Path,
    edits_of: &dyn Fn(&Base, &Recording) -> Vec<Edit>,
) -> Result<String, String> {
    request.limits.quiet = QUIET;
    let (recording, _) = record(&request).await?;
    let base = base(&recording)?;
    let mut page = Page {
        name: name.to_owned(),
        load: (*base.prepared.load).clone(),
        others: standing(&recording)?.1.iter().map(|load| (**load).clone()).collect(),
        plain: Vec::new(),
        tried: Vec::new(),
        texts: texts(&base, &recording),
        coverage: base.prepared.coverage.to_vec(),
        otherwise: Vec::new(),
    };
    let edits = edits_of(&base, &recording);
    for edit in edits {
        let Ok((book, _)) = base.with(std::slice::from_ref(&edit), &[]) else { continue };
        page.plain.extend(again(&base, &base.book, 1).await?);
        if std::env::var_os("PHAINON_DETAIL").is_some() {
            println!("    {}", edit.key());
        }
        let tried = again(&base, &book, loads).await?;
        page.tried.push(Tried { name: edit.key(), edits: vec![edit], loads: tried });
    }
    keep_in(&page, folder)?;
    Ok(format!("{name}: {} edits, {} loads without", page.tried.len(), page.plain.len()))
}

async fn again(base: &Base, book: &Book, loads: usize) -> Result<Vec<Seen>, String> {
    let mut all = Vec::new();
    for _ in 0..loads {
        let made = loaded_again(base, book, 1).await?;
        if std::env::var_os("PHAINON_DETAIL").is_some() {
            measure::side_by_side(base, &made.recording)?;
        }
        all.extend(seen(&made.recording)?);
    }
    Ok(all)
}

pub fn seen(recording: &Recording) -> Result<Vec<Seen>, String> {
    let read = read_loads(recording.loads.clone(), &recording.bodies, &Arc::default(), None);
    let loads = seen_of(&read.map_err(|e| e.to_string())?.loads, Visit::First);
    let figures = |m: &Metrics| {
        let held = phainon_core::forecast::Figures::METRICS;
        held.into_iter().filter_map(|metric| Some((metric, m.value(metric)?))).collect()
    };
    let seen = loads
        .iter()
        .filter(|s| s.failed.is_none())
        .map(|s| Seen { figures: figures(&s.metrics), largest: s.load.largest().map(element).unwrap_or_default() });
    Ok(seen.collect())
}

/// Edits worth measuring: files taken off, scripts that block deferred, and what findings call for.
fn usual(base: &Base, recording: &Recording) -> Vec<Edit> {
    let largest = base.prepared.load.largest().and_then(|l| l.url.clone()).unwrap_or_default();
    let files = by_weight(&base.prepared).into_iter().filter(|r| *r.url != *largest);
    let mut edits: Vec<Edit> = files.take(TAKEN_OFF).map(|r| Edit::Remove { file: ResourceKey::of(&r.url) }).collect();
    edits.extend(called_for(base, recording).into_iter().take(OTHERS));
    edits
}

/// What findings call for, and scripts that block deferred, at most two of a kind.
fn called_for(base: &Base, recording: &Recording) -> Vec<Edit> {
    let load = &base.prepared.load;
    let bodies = |hash: &str| recording.bodies.get(hash).cloned();
    let found = analyse(&base.prepared, &bodies).findings.into_iter().map(|f| f.edit);
    let blocks = |r: &&Request| r.kind == ResourceKind::Script && r.render_blocking == RenderBlocking::Blocking;
    let deferred = load.requests.iter().filter(blocks).map(|r| Edit::DeferScript { file: ResourceKey::of(&r.url) });
    let mut called_for: Vec<Edit> = Vec::new();
    for edit in found.chain(deferred) {
        let kinds = [EditKind::CacheLonger, EditKind::Preconnect, EditKind::SetDimensions, EditKind::Shrink];
        let twice = called_for.iter().filter(|o| o.kind() == edit.kind()).count() >= 2;
        let known = called_for.iter().any(|o| o.key() == edit.key());
        let tryable = base.with(std::slice::from_ref(&edit), &[]).is_ok();
        if !kinds.contains(&edit.kind()) && !twice && !known && tryable {
            called_for.push(edit);
        }
    }
    called_for.truncate(FIXES);
    called_for
}

/// Bodies of text that came unpacked, for edits that pack them, and of code, for what depends on it.
pub fn texts(base: &Base, recording: &Recording) -> BTreeMap<String, String> {
    let code = [ResourceKind::Document, ResourceKind::Script];
    let counts = |r: &&Request| code.contains(&r.kind) || r.header("content-encoding").is_none();
    let bodies = base.prepared.load.requests.iter().filter(counts);
    let bodies = bodies.filter_map(|r| r.body.as_ref()).filter_map(|b| {
        let body = recording.bodies.get(&b.hash)?;
        Some((b.hash.clone(), String::from_utf8(body.to_vec()).ok()?))
    });
    bodies.collect()
}

/// Keeps a page in a folder, by its name.
pub fn keep_in(page: &Page, folder: &Path) -> Result<(), String> {
    kept::write(page, folder, &page.name.replace(|c: char| !c.is_alphanumeric(), "-"))
}

/// The bodies that were kept with a page.
pub fn bodies_of(page: &Page) -> impl Fn(&str) -> Option<Vec<u8>> + '_ {
    |hash: &str| page.texts.get(hash).map(|text| text.clone().into_bytes())
}
