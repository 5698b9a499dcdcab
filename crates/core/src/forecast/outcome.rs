//! The figures of a run.

use super::moments::{Moments, Paint};
use super::run::Times;
use super::world::{Phase, World};
use crate::metrics::{Metric, blocking, quiet};
use crate::paint::is_one_paint;
use crate::{Bytes, LayoutShift, Load, Millis, Subject};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a load would measure; nothing where that is not known.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Figures {
    pub fcp_ms: Option<Millis>,
    pub lcp_ms: Option<Millis>,
    pub tbt_ms: Option<Millis>,
    pub cls: Option<f64>,
    pub speed_index_ms: Option<Millis>,
    pub transferred_bytes: Option<Bytes>,
}

impl Figures {
    /// The metrics that can be forecast, in the order in which they are shown.
    pub const METRICS: [Metric; 6] =
        [Metric::Lcp, Metric::Fcp, Metric::Tbt, Metric::Cls, Metric::SpeedIndex, Metric::Weight];

    /// From the figures of single metrics, as [`Figures::value`] gives them.
    #[must_use]
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    pub fn from_values(value: impl Fn(Metric) -> Option<f64>) -> Self {
        let ms = |metric| value(metric).map(Millis);
        Self {
            fcp_ms: ms(Metric::Fcp),
            lcp_ms: ms(Metric::Lcp),
            tbt_ms: ms(Metric::Tbt),
            cls: value(Metric::Cls),
            speed_index_ms: ms(Metric::SpeedIndex),
            transferred_bytes: value(Metric::Weight).map(|bytes| Bytes(bytes.round() as u64)),
        }
    }

    /// A metric's figure: times in ms, weight in bytes.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn value(&self, metric: Metric) -> Option<f64> {
        match metric {
            Metric::Lcp => self.lcp_ms.map(|v| v.0),
            Metric::Fcp => self.fcp_ms.map(|v| v.0),
            Metric::Tbt => self.tbt_ms.map(|v| v.0),
            Metric::Cls => self.cls,
            Metric::SpeedIndex => self.speed_index_ms.map(|v| v.0),
            Metric::Weight => self.transferred_bytes.map(|v| v.0 as f64),
            _ => None,
        }
    }
}

/// What a run comes to.
pub(super) fn figures(load: &Load, moments: &Moments, world: &World, times: &Times) -> Figures {
    let at = |place: super::world::Place| Some(times.at[place as usize]).filter(|at| at.is_finite());
    let first = moments.first_paint.and_then(|p| at(p.moment));
    // Whatever is a candidate for the largest paint is a contentful one.
    let contentful = moments.candidates.iter().filter_map(|c| at(c.moment));
    let fcp = first.map(|first| contentful.fold(first, f64::min));
    let lcp = largest(moments, world, times).and_then(at).map(|at| fcp.unwrap_or(0.0).max(at));
    let known = |subject| load.why_missing(subject).is_none();
    Figures {
        fcp_ms: fcp.map(Millis),
        lcp_ms: lcp.map(Millis),
        tbt_ms: fcp.filter(|_| known(Subject::MainThread)).map(|fcp| total_blocking(load, moments, world, times, fcp)),
        cls: (known(Subject::Shifts) && load.fcp.is_some()).then(|| layout_shift(load, moments, times)),
        speed_index_ms: speed_index(load, moments, times),
        transferred_bytes: weight(load, world, times),
    }
}

/// CLS of the shifts that still happen, in windows by when they do.
fn layout_shift(load: &Load, moments: &Moments, times: &Times) -> f64 {
    let shifts = load.shifts.iter().zip(&moments.shifts);
    let mut happen: Vec<LayoutShift> = shifts
        .map(|(shift, state)| (times.at[state.moment as usize], shift))
        .filter(|(at, _)| at.is_finite())
        .map(|(at, shift)| LayoutShift { at: Millis(at), moved: Vec::new(), ..*shift })
        .collect();
    happen.sort_by(|a, b| a.at.order(&b.at));
    crate::metrics::cls(&happen)
}

/// The paint of the largest candidate that counts.
pub(super) fn largest(moments: &Moments, world: &World, times: &Times) -> Option<super::world::Place> {
    counted(moments, world, times).into_iter().max_by(|a, b| a.size.total_cmp(&b.size)).map(|c| c.moment)
}

/// The candidates that come. Text under a fade that stays, and that nothing paints anew, does not count where there is
/// another; what the largest would be where there is none is not known, and it is taken to count when it did.
fn counted<'m>(moments: &'m Moments, world: &World, times: &Times) -> Vec<&'m Paint> {
    let at = |place: super::world::Place| times.at[place as usize];
    let hidden = |place: usize| world.fades.iter().any(|f| f.candidate == Some(place) && f.first(&at).is_none());
    let come = || moments.candidates.iter().enumerate().filter(|(_, c)| at(c.moment).is_finite());
    let seen: Vec<&Paint> = come().filter(|(place, _)| !hidden(*place)).map(|(_, c)| c).collect();
    if seen.is_empty() { come().map(|(_, c)| c).collect() } else { seen }
}

fn total_blocking(load: &Load, moments: &Moments, world: &World, times: &Times, fcp: f64) -> Millis {
    let tasks = || {
        world
            .tasks
            .iter()
            .zip(times.starts.iter().zip(&times.took))
            .filter(|(t, (start, took))| start.is_finite() && **took > 0.0 && !t.split)
            .map(|(_, (start, took))| (Millis(*start), Millis(start + took)))
    };
    let counts = |r: &&crate::Request| r.method == "GET" && r.is_network() && r.cache.is_none();
    let requests = load.requests.iter().filter(counts).filter_map(|r| {
        let [asked, done] = [Phase::Asked, Phase::Done].map(|p| times.at[p.of(r.id) as usize]);
        let done = if r.end.is_none() { load.end.0.max(asked) } else { done };
        (asked.is_finite() && done.is_finite()).then_some((Millis(asked), Millis(done)))
    });
    let fcp = Millis(fcp);
    let over = load.acted.unwrap_or(Millis(f64::INFINITY));
    let loaded = moments.content_loaded.map(|p| times.at[p as usize]).filter(|at| at.is_finite());
    let earliest = loaded.map_or(fcp, |at| fcp.max(Millis(at)));
    let (_, last_long) = quiet((fcp, over), tasks(), requests, earliest);
    // A recording that was cut off while the page was busy counts to its end.
    let tti = if load.cut_off && load.acted.is_none() { load.end.max(last_long) } else { last_long };
    tasks().map(|(start, end)| blocking(start, end, fcp, tti)).sum()
}

fn speed_index(load: &Load, moments: &Moments, times: &Times) -> Option<Millis> {
    let observed = crate::metrics::speed_index(&load.frames)?;
    let frames = |at: &dyn Fn(usize) -> f64| {
        let mut known: Vec<(f64, f64)> = load
            .frames
            .iter()
            .enumerate()
            .filter_map(|(i, f)| Some((at(i), f.complete?)))
            .filter(|(at, _)| at.is_finite())
            .collect();
        known.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut sum = known.first().map_or(0.0, |f| f.0.max(0.0));
        let mut complete: f64 = 0.0;
        for pair in known.windows(2) {
            complete = complete.max(pair[0].1);
            sum += (pair[1].0 - pair[0].0) * (1.0 - complete);
        }
        sum
    };
    let now = frames(&|i| screen(load, moments, times, i));
    let before = frames(&|i| load.frames[i].at_ms.0);
    Some((observed + Millis(now - before)).max(Millis::ZERO))
}

/// When a frame is on the screen: with its task, or before it where what the load tells of it is shown by one before.
fn screen(load: &Load, moments: &Moments, times: &Times, frame: usize) -> f64 {
    let is_its = |at: Millis| is_one_paint(at, load.frames[frame].at_ms);
    let candidates = load.lcp_candidates.iter().map(|c| c.at).zip(&moments.candidates);
    let told = load.fcp.into_iter().zip(&moments.first_paint).chain(candidates);
    let shown = told.filter(|(at, _)| is_its(*at)).map(|(_, paint)| times.at[paint.moment as usize]);
    shown.fold(times.at[moments.frames[frame] as usize], f64::min)
}

fn weight(load: &Load, world: &World, times: &Times) -> Option<Bytes> {
    let counted = load.requests.iter().filter(|r| r.is_network() && r.transferred.is_some());
    let mut sum = None;
    for request in counted {
        let transfer = &world.transfers[request.id.0 as usize];
        let asked = times.at[Phase::Asked.of(request.id) as usize].is_finite();
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let bytes = match (asked, transfer.bytes_observed > 0.0) {
            (false, _) => 0,
            (true, true) => transfer.bytes.round() as u64,
            (true, false) => request.transferred.map_or(0, |b| b.0),
        };
        sum = Some(sum.unwrap_or(0) + bytes);
    }
    sum.map(Bytes)
}
