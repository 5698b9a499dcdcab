//! Weight: bytes, transferred and unpacked; of one load, and of a site's pages side by side.

use crate::{Bytes, Load, Millis, Owner, Prepared, Request, ResourceKey, ResourceKind};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// One kind's share of a load's weight.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct WeightShare {
    pub kind: ResourceKind,
    pub requests: u32,
    pub transferred_bytes: Bytes,
    pub unpacked_bytes: Bytes,
}

/// Weight by kind of resource, heaviest first.
#[must_use]
pub fn by_kind(load: &Load) -> Vec<WeightShare> {
    let sums = sums(load, |r| Some(r.kind));
    sums.into_iter()
        .map(|(kind, sum)| WeightShare { kind, requests: sum.0, transferred_bytes: sum.1, unpacked_bytes: sum.2 })
        .collect()
}

/// One domain's share of a load's weight.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct DomainShare {
    pub host: String,
    pub requests: u32,
    pub transferred_bytes: Bytes,
    pub unpacked_bytes: Bytes,
}

/// Weight by host, heaviest first.
#[must_use]
pub fn by_domain(load: &Load) -> Vec<DomainShare> {
    let sums = sums(load, Request::host);
    sums.into_iter()
        .map(|(host, sum)| DomainShare { host, requests: sum.0, transferred_bytes: sum.1, unpacked_bytes: sum.2 })
        .collect()
}

type Sum = (u32, Bytes, Bytes);

fn sums<K: Ord>(load: &Load, key: impl Fn(&Request) -> Option<K>) -> Vec<(K, Sum)> {
    let mut sums: BTreeMap<K, Sum> = BTreeMap::new();
    for request in load.requests.iter().filter(|r| r.is_network()) {
        let Some(key) = key(request) else { continue };
        let sum = sums.entry(key).or_default();
        sum.0 += 1;
        sum.1 += request.transferred.unwrap_or_default();
        sum.2 += request.unpacked.unwrap_or_default();
    }
    let mut sums: Vec<_> = sums.into_iter().collect();
    sums.sort_by_key(|s| std::cmp::Reverse(s.1.1));
    sums
}

/// Where a picture stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Placement {
    /// In the first screen, at least in part.
    InView,
    /// Below the fold: nobody sees it before scrolling.
    BelowFold,
    /// Downloaded and not displayed at all.
    Hidden,
}

/// Where a picture stands in the page at the end of the load; `None` for what is no picture of the
/// page, and where the document was not read.
#[must_use]
pub fn placement(prepared: &Prepared, request: &Request) -> Option<Placement> {
    let fold = f64::from(prepared.load.conditions.as_ref()?.height);
    let mut best = None;
    for image in prepared.images_of(&request.url) {
        if image.hidden {
            best = best.or(Some(Placement::Hidden));
        } else if image.rect.y < fold && image.rect.y + image.rect.height > 0.0 {
            return Some(Placement::InView);
        } else {
            best = Some(Placement::BelowFold);
        }
    }
    best
}

/// One file over the pages of a site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct SiteFile {
    /// What makes it one file over the pages and their releases.
    pub file: ResourceKey,
    /// What it is.
    pub kind: ResourceKind,
    /// Whose it is.
    pub owner: Owner,
    /// Bytes over the line on each page, in the pages' order; `None` where it is not on that page.
    pub on: Vec<Option<Bytes>>,
    /// On how many pages.
    pub pages: u32,
    /// All pages together: what one visit to each costs with empty caches.
    pub together: Bytes,
}

/// A site's pages side by side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct SiteWeight {
    /// Weight of each page, in the order asked for.
    pub pages: Vec<Bytes>,
    /// Heaviest over all pages first.
    pub files: Vec<SiteFile>,
    /// Weight of what is on every page, counted once.
    pub on_every_page: Bytes,
}

/// Compares what the loads of several pages brought.
#[must_use]
pub fn site_weight(loads: &[&Prepared]) -> SiteWeight {
    let mut files: BTreeMap<ResourceKey, SiteFile> = BTreeMap::new();
    let mut pages = Vec::with_capacity(loads.len());
    for (place, prepared) in loads.iter().enumerate() {
        let mut weight = Bytes(0);
        for request in prepared.load.requests.iter().filter(|r| r.is_network()) {
            let bytes = request.transferred.unwrap_or_default();
            weight += bytes;
            let key = ResourceKey::of(&request.url);
            let file = files.entry(key.clone()).or_insert_with(|| SiteFile {
                file: key,
                kind: request.kind,
                owner: prepared.owners.request(request.id).clone(),
                on: vec![None; loads.len()],
                pages: 0,
                together: Bytes(0),
            });
            *file.on[place].get_or_insert(Bytes(0)) += bytes;
            file.together += bytes;
        }
        pages.push(weight);
    }
    SiteWeight::of(pages, files.into_values().collect())
}

impl SiteWeight {
    /// Of the pages' weights and what each file weighs on each page.
    #[must_use]
    pub fn of(pages: Vec<Bytes>, mut files: Vec<SiteFile>) -> Self {
        for file in &mut files {
            file.pages = u32::try_from(file.on.iter().flatten().count()).unwrap_or(u32::MAX);
        }
        files.sort_by(|a, b| b.together.cmp(&a.together).then_with(|| a.file.cmp(&b.file)));
        let on_every_page = files
            .iter()
            .filter(|f| f.pages as usize == pages.len() && pages.len() > 1)
            .filter_map(|f| f.on.iter().flatten().max().copied())
            .sum();
        Self { pages, files, on_every_page }
    }
}

/// What one script or stylesheet used of its text, as the browser saw it in the load.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Coverage {
    /// Its address.
    pub url: String,
    /// Used ranges of its text, in UTF-16 units, in order and without overlap.
    pub used: Vec<(u32, u32)>,
    /// The whole text's length in the same units.
    pub length: u32,
}

impl Coverage {
    /// How much of the text was not used, 0 to 1.
    #[must_use]
    pub fn unused_share(&self) -> f64 {
        let used: u64 = self.used.iter().map(|(from, to)| u64::from(to.saturating_sub(*from))).sum();
        if self.length == 0 {
            return 0.0;
        }
        #[allow(clippy::cast_precision_loss)]
        let share = used as f64 / f64::from(self.length);
        (1.0 - share).clamp(0.0, 1.0)
    }

    /// Brings ranges in order and joins those that overlap.
    #[must_use]
    pub fn in_order(mut self) -> Self {
        let set: BTreeSet<(u32, u32)> =
            self.used.iter().copied().filter(|(from, to)| from < to).map(|(f, t)| (f, t.min(self.length))).collect();
        let mut joined: Vec<(u32, u32)> = Vec::with_capacity(set.len());
        for (from, to) in set {
            match joined.last_mut() {
                Some(last) if from <= last.1 => last.1 = last.1.max(to),
                _ if from < to => joined.push((from, to)),
                _ => {}
            }
        }
        self.used = joined;
        self
    }
}

/// What was not used, for the screens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct UnusedFile {
    pub url: String,
    pub kind: ResourceKind,
    pub owner: Owner,
    /// Of the text.
    pub unused_share: f64,
    /// That share of what came over the line; `None` where its size is not known.
    pub unused_bytes: Option<Bytes>,
    pub transferred_bytes: Option<Bytes>,
}

/// Unused shares of a load's scripts and stylesheets, most bytes first.
#[must_use]
pub fn unused(prepared: &Prepared, coverage: &[Coverage]) -> Vec<UnusedFile> {
    let mut found: Vec<UnusedFile> = coverage
        .iter()
        .filter_map(|file| {
            let request = prepared.load.request_for(&file.url, Millis(f64::MAX))?;
            let share = file.unused_share();
            #[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let bytes = request.transferred.map(|t| Bytes((t.0 as f64 * share).round() as u64));
            Some(UnusedFile {
                url: file.url.clone(),
                kind: request.kind,
                owner: prepared.owners.request(request.id).clone(),
                unused_share: share,
                unused_bytes: bytes,
                transferred_bytes: request.transferred,
            })
        })
        .filter(|f| matches!(f.kind, ResourceKind::Script | ResourceKind::Style))
        .collect();
    found.sort_by_key(|f| std::cmp::Reverse(f.unused_bytes));
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn load(url: &str, files: &[(&str, u64)]) -> Load {
        let mut load = Load::empty(url);
        for (id, (file, bytes)) in (0u32..).zip(files) {
            let mut request = Request::new(id, file, ResourceKind::guess("", file));
            request.transferred = Some(Bytes(*bytes));
            load.requests.push(request);
        }
        load
    }

    #[test]
    fn a_file_is_one_file_over_pages_schemes_and_queries() {
        let home = load("http://a.test/", &[("http://a.test/", 10), ("http://a.test/x.js?v=1", 100)]);
        let book = load(
            "https://a.test/book/",
            &[("https://a.test/book/", 20), ("https://a.test/x.js", 90), ("https://a.test/y.js", 300)],
        );
        let (home, book) = (Prepared::plain(home), Prepared::plain(book));
        let site = site_weight(&[&home, &book]);
        assert_eq!(site.pages, [Bytes(110), Bytes(410)]);
        assert_eq!((site.files[0].file.as_str(), site.files[0].pages), ("a.test/y.js", 1));
        let shared = site.files.iter().find(|f| f.file.as_str() == "a.test/x.js").expect("there");
        assert_eq!(
            (shared.on.as_slice(), shared.together),
            ([Some(Bytes(100)), Some(Bytes(90))].as_slice(), Bytes(190))
        );
        assert_eq!(site.on_every_page, Bytes(100));
    }

    #[test]
    fn overlapping_ranges_count_once() {
        let file = Coverage {
            url: "http://a.test/x.js".into(),
            used: vec![(40, 60), (0, 50), (90, 500), (7, 3)],
            length: 100,
        };
        let file = file.in_order();
        assert_eq!(file.used, [(0, 60), (90, 100)]);
        assert!((file.unused_share() - 0.3).abs() < 1e-12);
        let found = unused(&Prepared::plain(load("http://a.test/", &[("http://a.test/x.js", 1_000)])), &[file]);
        assert_eq!(found[0].unused_bytes, Some(Bytes(300)));
    }
}
