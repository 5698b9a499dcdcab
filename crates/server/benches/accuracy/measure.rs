//! Recording a page and replaying it.

use crate::still;
use phainon_core::metrics::{Metric, Metrics};
use phainon_core::path::path_to_largest;
use phainon_core::{Conditions, Load, Prepared, Request, Visit};
use phainon_formats::BodyMap;
use phainon_local::LocalHosts;
use phainon_recorder::{RecordRequest, Recording, Sealed};
use phainon_replay::{Answered, Book};
use phainon_server::trial::{Base, seen_of};
use phainon_server::{LoadReading, read_loads};
use phainon_standin::StandIn;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// A recording without return visits.
pub fn request(url: &str, conditions: Conditions, loads: usize) -> RecordRequest {
    RecordRequest::new(url, conditions, loads)
}

/// A recording of a page of the stand-in; `asked` is its path, with the repairs that are asked for.
pub fn of_site(site: &StandIn, asked: &str, conditions: Conditions, loads: usize) -> RecordRequest {
    let mut request = request(&format!("http://www.skerryline.test{asked}"), conditions, loads);
    request.hosts = site.hosts();
    request.trusted_key = Some(site.key_hash().to_owned());
    request
}

/// A recording of what hosts here serve: names that a page asks for are not looked up, and what is not served here is
/// not there.
pub fn sealed(url: &str, conditions: Conditions, loads: usize, hosts: &LocalHosts) -> RecordRequest {
    let mut request = request(url, conditions, loads);
    request.trusted_key = Some(hosts.key_hash().to_owned());
    request.sealed = Some(Sealed {
        server: hosts.address(),
        round_trips: BTreeMap::new(),
        before: String::new(),
        not_asked: Vec::new(),
        refused: Vec::new(),
    });
    request
}

/// Figures of both sides.
pub struct Sides {
    pub recorded: Vec<Metrics>,
    pub replayed: Vec<Metrics>,
    pub answered: Answered,
    pub unknown: BTreeSet<String>,
}

/// A sum over pages.
#[derive(Default)]
pub struct Figures(Answered);

impl Figures {
    pub fn with(self, sides: &Sides) -> Self {
        Self(self.0.and(sides.answered))
    }

    pub fn exact_share(&self) -> f64 {
        self.0.exact_share()
    }
}

pub fn median(metrics: &[Metrics], metric: Metric) -> Option<f64> {
    middle(metrics.iter().filter_map(|m| m.value(metric)).collect())
}

/// The median of values.
pub fn middle(mut values: Vec<f64>) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    let middle = values.len() / 2;
    match values.len() {
        0 => None,
        n if n % 2 == 1 => Some(values[middle]),
        _ => Some(f64::midpoint(values[middle - 1], values[middle])),
    }
}

impl Sides {
    pub fn medians(&self, metric: Metric) -> Option<(f64, f64)> {
        Some((median(&self.recorded, metric)?, median(&self.replayed, metric)?))
    }

    /// How far the replay is off: as a share of the recording's, CLS plainly.
    pub fn off(&self, metric: Metric) -> Option<f64> {
        let (a, b) = self.medians(metric)?;
        match metric {
            Metric::Cls => Some((b - a).abs()),
            // A share of next to nothing says nothing: what is under 50 ms is held against that.
            _ => Some((b - a).abs() / a.max(50.0)),
        }
    }

    /// Between what the loads of both sides lie, where their medians are further off than a bound: what a
    /// page's own loads scatter by is no fault of its replay.
    pub fn ranges_beyond(&self, metric: Metric, bound: f64) -> Option<String> {
        let off = self.off(metric)?;
        (off > if metric == Metric::Cls { 0.01 } else { bound }).then_some(())?;
        let range = |of: &[Metrics]| {
            let values: Vec<f64> = of.iter().filter_map(|m| m.value(metric)).collect();
            let low = values.iter().copied().fold(f64::INFINITY, f64::min);
            let high = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            if metric == Metric::Cls { format!("{low:.3} to {high:.3}") } else { format!("{low:.0} to {high:.0}") }
        };
        Some(format!("{metric:?} {} recorded, {} replayed", range(&self.recorded), range(&self.replayed)))
    }

    pub fn cell(&self, metric: Metric) -> Option<String> {
        let (a, b) = self.medians(metric)?;
        Some(match metric {
            Metric::Cls => format!("CLS {a:.3} → {b:.3}"),
            _ => format!("{metric:?} {a:.0} → {b:.0} ({:+.1} %)", (b - a) / a.max(50.0) * 100.0),
        })
    }
}

pub fn off_text(metric: Metric, off: f64) -> String {
    if metric == Metric::Cls { format!("{off:.3}") } else { format!("{:.1} %", off * 100.0) }
}

/// Records a page whole; its loads' figures with it.
pub async fn record(request: &RecordRequest) -> Result<(Recording, Vec<Metrics>), String> {
    let recording = still::recorded(request).await?;
    let metrics = metrics(&recording)?;
    Ok((recording, metrics))
}

fn metrics(recording: &Recording) -> Result<Vec<Metrics>, String> {
    let read = read_loads(recording.loads.clone(), &recording.bodies, &Arc::default(), None);
    let seen = seen_of(&read.map_err(|e| e.to_string())?.loads, Visit::First);
    for load in seen.iter().filter(|_| std::env::var_os("PHAINON_DETAIL").is_some()) {
        let largest = load.load.largest();
        let what = largest.map(|l| l.url.clone().or_else(|| l.selector.clone()).unwrap_or_default());
        let value = |metric| load.metrics.value(metric).unwrap_or(f64::NAN);
        let long = load.load.work.iter().filter(|w| w.depth == 0 && w.duration.0 > 50.0);
        let long: Vec<String> = long.map(|w| format!("{:.0}+{:.0}", w.start.0, w.duration.0)).collect();
        println!(
            "      FCP {:.0} LCP {:.0} TBT {:.0} {}; long tasks {}",
            value(Metric::Fcp),
            value(Metric::Lcp),
            value(Metric::Tbt),
            what.unwrap_or_default(),
            long.join(" ")
        );
    }
    Ok(seen.into_iter().filter(|s| s.failed.is_none()).map(|s| s.metrics).collect())
}

/// The load that stands for a recording, and the other loads of it that count.
pub fn standing(recording: &Recording) -> Result<(LoadReading, Vec<Arc<Load>>), String> {
    let read =
        read_loads(recording.loads.clone(), &recording.bodies, &Arc::default(), None).map_err(|e| e.to_string())?;
    let (place, _) = read.representative().ok_or("no load counts")?;
    let mut loads = read.loads;
    let standing = loads.remove(place);
    let others = loads.into_iter().filter(|l| l.failed.is_none()).filter_map(|l| Some(l.reading?.load));
    Ok((standing, others.collect()))
}

/// What a trial of a recording starts from: the load that stands for it.
pub fn base(recording: &Recording) -> Result<Base, String> {
    let load = standing(recording)?.0.reading.ok_or("the load has no data")?.load;
    let bodies: &BodyMap = &recording.bodies;
    let body = |hash: &str| bodies.get(hash).cloned();
    Base::of(load, None, &body, recording.detail.as_ref(), Arc::default(), None)
}

/// Loads a book once; gives its figures.
pub async fn replayed(base: &Base, book: &Book) -> Result<Vec<Metrics>, String> {
    metrics(&still::loaded_again(base, book, 1).await?.recording)
}

pub async fn record_and_replay(request: &RecordRequest) -> Result<Sides, String> {
    let (recording, recorded) = record(request).await?;
    let base = base(&recording)?;
    let made = still::loaded_again(&base, &base.book, request.loads).await?;
    if std::env::var_os("PHAINON_DETAIL").is_some() {
        side_by_side(&base, &made.recording)?;
    }
    let answered = made.told.iter().fold(Answered::default(), |sum, t| sum.and(t.answered));
    let unknown = made.told.iter().flat_map(|t| t.unknown.keys().cloned()).collect();
    let replayed = metrics(&made.recording)?;
    Ok(Sides { recorded, replayed, answered, unknown })
}

/// Request by request: when it was asked for, sent, answered and over in the recorded load and in the replay's
/// middle one, with the server's wait that was read off the recording.
pub fn side_by_side(base: &Base, again: &Recording) -> Result<(), String> {
    let other = self::base(again)?;
    let a = &base.prepared.load;
    let b = &other.prepared.load;
    for (place, request) in a.requests.iter().enumerate().take(60) {
        let Some(twin) = b.requests.iter().find(|r| r.url == request.url) else { continue };
        let at = |ms: Option<phainon_core::Millis>| ms.map_or(f64::NAN, |v| v.0);
        let wait = base.book.answers.iter().find(|x| x.request == Some(request.id)).map_or(0, |x| x.wait.as_millis());
        println!(
            "      {place:>3} {:<34} start {:>5.0} {:>5.0}  sent {:>5.0} {:>5.0}  first {:>5.0} {:>5.0}  end {:>5.0} {:>5.0}  wait {wait:>4}  bytes {:>7} {:>7} {}",
            request.short_name().chars().take(34).collect::<String>(),
            request.start.0,
            twin.start.0,
            at(request.sent),
            at(twin.sent),
            at(request.first_byte),
            at(twin.first_byte),
            at(request.end),
            at(twin.end),
            request.transferred.map_or(0, |v| v.0),
            twin.transferred.map_or(0, |v| v.0),
            request.protocol.as_deref().unwrap_or("?"),
        );
    }
    Ok(())
}

/// The files of a page but its document: those that the path gives most to, then the heaviest.
pub fn by_weight(prepared: &Prepared) -> Vec<&Request> {
    let load = &prepared.load;
    let path = path_to_largest(prepared).unwrap_or_default();
    let given = |r: &Request| path.iter().filter(|l| l.request == Some(r.id)).map(|l| l.length().0).sum::<f64>();
    let document = load.document().map(|d| d.id);
    let counts = |r: &&Request| r.is_network() && Some(r.id) != document && r.status == Some(200);
    let mut files: Vec<&Request> = load.requests.iter().filter(counts).collect();
    files.sort_by(|a, b| given(b).total_cmp(&given(a)).then(b.transferred.cmp(&a.transferred)));
    files.dedup_by(|a, b| a.url == b.url);
    files
}

/// What tells a largest element apart from others.
pub fn element(largest: &phainon_core::LcpCandidate) -> String {
    largest.url.clone().or_else(|| largest.selector.clone()).unwrap_or_default()
}
