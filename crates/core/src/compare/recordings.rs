//! Two groups of loads of a page beside each other: what came, went, grew and is later.

use crate::checks::Finding;
use crate::profile::{FunctionTime, Functions};
use crate::recording::median;
use crate::words::SaidFinding;
use crate::{Analysis, Bytes, Millis, Owner, RequestRow, ResourceKey, ResourceKind, WorkKind};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// A file in one of two groups: medians over the loads that asked for it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct FileSeen {
    /// In so many of the loads.
    pub loads: usize,
    /// Bytes over the line, where they are known.
    pub bytes: Option<Bytes>,
    /// When it was asked for first.
    pub start_ms: Millis,
    /// When its last byte was there.
    pub end_ms: Option<Millis>,
}

/// What has become of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum FileChange {
    Added,
    Gone,
    Bigger,
    Smaller,
    /// Its last byte comes later, in every load.
    Later,
    /// Its last byte comes earlier, in every load.
    Earlier,
}

/// A file that differs between two groups.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ChangedFile {
    pub file: ResourceKey,
    pub name: String,
    pub kind: ResourceKind,
    pub owner: Owner,
    pub changes: Vec<FileChange>,
    pub a: Option<FileSeen>,
    pub b: Option<FileSeen>,
}

/// Something that both groups have a figure of; `None` where one has none.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Pair {
    pub a: Option<f64>,
    pub b: Option<f64>,
}

/// An owner in both groups.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerPair {
    pub owner: Owner,
    pub requests: Pair,
    pub bytes: Pair,
    pub main_thread_ms: Pair,
    pub path_ms: Pair,
}

/// A function's own time in the loads that stand for both groups.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct FunctionPair {
    pub name: String,
    pub url: Option<String>,
    pub self_ms: Pair,
}

/// What differs between two groups of loads, beside their metrics.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Differences {
    /// Files that came, went, or changed; those with most bytes first.
    pub files: Vec<ChangedFile>,
    /// How many are the same.
    pub same_files: usize,
    /// Every owner of either, most bytes first.
    pub owners: Vec<OwnerPair>,
    /// Main thread by kind of work, medians in ms.
    #[ts(type = "[WorkKind, Pair][]")]
    pub work: Vec<(WorkKind, Pair)>,
    /// Functions whose own time differs most.
    pub functions: Vec<FunctionPair>,
    /// Findings of B that A has not.
    pub came: Vec<SaidFinding>,
    /// Findings of A that B has not.
    pub went: Vec<SaidFinding>,
}

/// One group, as far as it is compared.
pub struct Group<'a> {
    /// Its loads.
    pub loads: Vec<(&'a Analysis, &'a [RequestRow])>,
    /// The place of the one that stands for it.
    pub standing: usize,
    /// That one's functions.
    pub functions: Functions,
}

/// Bytes that differ by less than this share, or this many, are the same.
const SAME_SHARE: f64 = 0.03;
const SAME_BYTES: f64 = 1_000.0;
/// A last byte that comes this much earlier or later, in ms, has moved, if in every load.
const MOVED: f64 = 50.0;
/// So many functions are told.
const MOST_FUNCTIONS: usize = 30;

/// A file in all loads of a group.
#[derive(Default)]
struct Seen {
    bytes: Vec<f64>,
    starts: Vec<f64>,
    ends: Vec<f64>,
    about: Option<(String, ResourceKind, Owner)>,
}

impl Seen {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    fn sum(&self) -> Option<FileSeen> {
        Some(FileSeen {
            loads: self.starts.len(),
            bytes: median(&self.bytes).map(|b| Bytes(b.round() as u64)),
            start_ms: Millis(median(&self.starts)?),
            end_ms: median(&self.ends).map(Millis),
        })
    }
}

#[allow(clippy::cast_precision_loss)]
fn files(group: &Group<'_>) -> BTreeMap<ResourceKey, Seen> {
    let mut found: BTreeMap<ResourceKey, Seen> = BTreeMap::new();
    for (analysis, rows) in &group.loads {
        let mut of_load: BTreeMap<ResourceKey, Vec<&RequestRow>> = BTreeMap::new();
        for row in rows.iter().filter(|r| r.url.starts_with("http")) {
            // The page itself is the same page, whatever was asked of it.
            let own = row.url == analysis.url;
            let url = if own { row.url.split(['?', '#']).next().unwrap_or_default() } else { &row.url };
            of_load.entry(ResourceKey::of(url)).or_default().push(row);
        }
        for (key, rows) in of_load {
            let seen = found.entry(key).or_default();
            let bytes: Option<u64> = rows.iter().map(|r| r.transferred_bytes.map(|b| b.0)).sum();
            seen.bytes.extend(bytes.map(|b| b as f64));
            seen.starts.extend(rows.iter().map(|r| r.start_ms.0).reduce(f64::min));
            seen.ends.extend(rows.iter().filter_map(|r| r.end_ms.map(|e| e.0)).reduce(f64::max));
            seen.about.get_or_insert_with(|| (rows[0].name.clone(), rows[0].kind, rows[0].owner.clone()));
        }
    }
    found
}

fn changes(a: &Seen, b: &Seen) -> Vec<FileChange> {
    let mut changes = Vec::new();
    if let (Some(was), Some(is)) = (median(&a.bytes), median(&b.bytes))
        && (is - was).abs() > SAME_BYTES.max(was * SAME_SHARE)
    {
        changes.push(if is > was { FileChange::Bigger } else { FileChange::Smaller });
    }
    let (least, most) = (
        |of: &[f64]| of.iter().copied().fold(f64::INFINITY, f64::min),
        |of: &[f64]| of.iter().copied().fold(f64::NEG_INFINITY, f64::max),
    );
    if a.ends.len() > 1 && b.ends.len() > 1 {
        if least(&b.ends) > most(&a.ends) + MOVED {
            changes.push(FileChange::Later);
        } else if most(&b.ends) < least(&a.ends) - MOVED {
            changes.push(FileChange::Earlier);
        }
    }
    changes
}

#[allow(clippy::cast_precision_loss)]
fn owners(a: &Group<'_>, b: &Group<'_>) -> Vec<OwnerPair> {
    let known: BTreeSet<Owner> = [a, b]
        .iter()
        .flat_map(|g| &g.loads)
        .flat_map(|(analysis, _)| &analysis.owners)
        .map(|o| Owner { name: o.name.clone(), kind: o.kind })
        .collect();
    let of = |group: &Group<'_>, owner: &Owner, figure: &dyn Fn(&crate::OwnerAccount) -> Option<f64>| {
        let values = group.loads.iter().filter_map(|(analysis, _)| {
            let account = analysis.owners.iter().find(|o| o.name == owner.name && o.kind == owner.kind);
            account.map_or(Some(0.0), figure)
        });
        median(&values.collect::<Vec<_>>())
    };
    let pair = |owner: &Owner, figure: &dyn Fn(&crate::OwnerAccount) -> Option<f64>| Pair {
        a: of(a, owner, figure),
        b: of(b, owner, figure),
    };
    let mut all: Vec<OwnerPair> = known
        .into_iter()
        .map(|owner| OwnerPair {
            requests: pair(&owner, &|o| Some(f64::from(o.requests))),
            bytes: pair(&owner, &|o| Some(o.transferred_bytes.0 as f64)),
            main_thread_ms: pair(&owner, &|o| o.main_thread_ms.map(|m| m.0)),
            path_ms: pair(&owner, &|o| o.path_ms.map(|m| m.0)),
            owner,
        })
        .collect();
    let most = |o: &OwnerPair| o.bytes.a.unwrap_or(0.0).max(o.bytes.b.unwrap_or(0.0));
    all.sort_by(|x, y| most(y).total_cmp(&most(x)));
    all
}

fn work(a: &Group<'_>, b: &Group<'_>) -> Vec<(WorkKind, Pair)> {
    let kinds: BTreeSet<WorkKind> = [a, b]
        .iter()
        .flat_map(|g| &g.loads)
        .filter_map(|(analysis, _)| analysis.main_thread.as_ref())
        .flat_map(|m| m.by_kind_ms.keys().copied())
        .collect();
    let of = |group: &Group<'_>, kind| {
        let told = group.loads.iter().filter_map(|(analysis, _)| analysis.main_thread.as_ref());
        median(&told.map(|m| m.by_kind_ms.get(&kind).map_or(0.0, |m| m.0)).collect::<Vec<_>>())
    };
    kinds.into_iter().map(|kind| (kind, Pair { a: of(a, kind), b: of(b, kind) })).collect()
}

fn functions(a: &Functions, b: &Functions) -> Vec<FunctionPair> {
    let key = |f: &FunctionTime| {
        (
            f.place.function.to_string(),
            f.place.url.as_deref().map(|u| ResourceKey::of(u).to_string()).unwrap_or_default(),
        )
    };
    let mut found: BTreeMap<(String, String), FunctionPair> = BTreeMap::new();
    for (group, is_b) in [(a, false), (b, true)] {
        for function in &group.heaviest {
            let pair = found.entry(key(function)).or_insert_with(|| FunctionPair {
                name: function.place.function.to_string(),
                url: function.place.url.as_deref().map(str::to_owned),
                self_ms: Pair { a: (a.samples > 0).then_some(0.0), b: (b.samples > 0).then_some(0.0) },
            });
            let side = if is_b { &mut pair.self_ms.b } else { &mut pair.self_ms.a };
            *side = Some(side.unwrap_or(0.0) + function.self_ms.0);
        }
    }
    let apart = |f: &FunctionPair| (f.self_ms.b.unwrap_or(0.0) - f.self_ms.a.unwrap_or(0.0)).abs();
    let mut all: Vec<FunctionPair> = found.into_values().filter(|f| apart(f) >= 1.0).collect();
    all.sort_by(|x, y| apart(y).total_cmp(&apart(x)));
    all.truncate(MOST_FUNCTIONS);
    all
}

/// Holds two groups against each other. Requests are matched by resource key.
#[must_use]
pub fn differences(a: &Group<'_>, b: &Group<'_>) -> Differences {
    let (of_a, of_b) = (files(a), files(b));
    let keys: BTreeSet<&ResourceKey> = of_a.keys().chain(of_b.keys()).collect();
    let mut same_files = 0;
    let mut changed = Vec::new();
    for key in keys {
        let (was, is) = (of_a.get(key), of_b.get(key));
        let what = match (was, is) {
            (Some(was), Some(is)) => changes(was, is),
            (Some(_), None) => vec![FileChange::Gone],
            _ => vec![FileChange::Added],
        };
        if what.is_empty() {
            same_files += 1;
            continue;
        }
        let Some((name, kind, owner)) = is.or(was).and_then(|s| s.about.clone()) else { continue };
        let (a, b) = (was.and_then(Seen::sum), is.and_then(Seen::sum));
        changed.push(ChangedFile { file: key.clone(), name, kind, owner, changes: what, a, b });
    }
    let by = |f: &ChangedFile| {
        let bytes = |s: &Option<FileSeen>| s.and_then(|s| s.bytes).map_or(0, |b| b.0);
        bytes(&f.a).abs_diff(bytes(&f.b))
    };
    changed.sort_by(|x, y| by(y).cmp(&by(x)).then_with(|| x.file.cmp(&y.file)));
    let findings = |group: &Group<'_>| -> BTreeMap<String, Finding> {
        let standing = group.loads.get(group.standing).map(|(analysis, _)| *analysis);
        standing.into_iter().flat_map(|a| &a.findings).map(|f| (f.key.clone(), f.clone())).collect()
    };
    let (of_a_found, of_b_found) = (findings(a), findings(b));
    let missing = |these: &BTreeMap<String, Finding>, those: &BTreeMap<String, Finding>| {
        let mut only: Vec<&Finding> =
            these.iter().filter(|(key, _)| !those.contains_key(*key)).map(|(_, f)| f).collect();
        only.sort_by(|x, y| y.on_path_ms.order(&x.on_path_ms));
        only.into_iter().map(crate::words::say_finding).collect()
    };
    Differences {
        came: missing(&of_b_found, &of_a_found),
        went: missing(&of_a_found, &of_b_found),
        files: changed,
        same_files,
        owners: owners(a, b),
        work: work(a, b),
        functions: functions(&a.functions, &b.functions),
    }
}
