//! What path and forecast say of pages on which every late file was sent at once: held against what that
//! really brought.

use phainon_core::forecast::{Forecast, Helps, Model, Relief, fetches};
use phainon_core::metrics::Metric;
use phainon_core::path::{Cause, Leg, path_to_largest};
use phainon_core::{Edit, Load, Millis, NoBodies, Prepared, Request, RequestId, ResourceKey};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A file is a culprit from so much of the largest paint's time on, and from so many milliseconds.
const SHARE: f64 = 0.05;
pub const LEAST: f64 = 100.0;

/// What a file has to bring to be a culprit, of a largest paint at a time, in ms.
pub fn culprit_from(largest_ms: f64) -> f64 {
    (largest_ms * SHARE).max(LEAST)
}

/// What is done instead of sending a file as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub enum Instead {
    /// It sends it at once.
    #[default]
    AtOnce,
    /// Its documents and sheets do not name it, and nobody asks for it.
    Nothing,
}

/// A file sent otherwise, and the largest paint then.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Tried {
    pub file: ResourceKey,
    #[serde(default)]
    pub instead: Instead,
    /// The largest paint with it, in ms; the median, where there were several loads.
    pub largest_ms: f64,
}

/// A page that was drawn, with what was measured of it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Measured {
    pub seed: u64,
    pub about: String,
    /// The load that is judged by.
    pub load: Load,
    /// The largest paint of another load without changes, in ms.
    pub again_ms: f64,
    pub tried: Vec<Tried>,
}

/// What a file is accused for, in ms.
pub struct Accused {
    /// What the path gives to its runs.
    pub runs: f64,
    /// And to its fetching.
    pub fetching: f64,
    /// What of the fetching is the file's alone: what the largest paint would gain.
    pub alone: f64,
    /// What it would gain in all: bytes may take the line on more legs than those that name the file.
    pub gain: f64,
    /// What its bytes take of the line from what the path waits for, where that gives next to nothing to fetching it.
    pub beside: f64,
    /// What is said to be gained without it, of a sheet of fonts.
    pub off: f64,
}

/// What path and reliefs say of a file.
pub fn accused(path: &[Leg], reliefs: &[Relief], file: &[RequestId]) -> Accused {
    let own = || path.iter().filter(|l| l.request.is_some_and(|id| file.contains(&id)));
    let sum = |fetching: bool| own().filter(|l| fetches(l.cause) == fetching).map(|l| l.length().0).sum::<f64>();
    let gain = |helps: Helps| {
        let own = reliefs.iter().filter(|r| r.helps == helps && file.contains(&r.request));
        own.map(|r| r.gain_ms.0).fold(0.0, f64::max)
    };
    let (fetching, own_gain) = (sum(true), gain(Helps::AtOnce));
    let [beside, off] = [Helps::Beside, Helps::Off].map(gain);
    Accused { runs: sum(false), fetching, alone: own_gain.min(fetching), gain: own_gain, beside, off }
}

/// What a file is accused for that is taken off, as it is said below its leg: what the largest paint would gain with it
/// there at once; or without it, as far as the path gives that to fetching it.
pub fn without(accused: &Accused, expected: f64) -> f64 {
    let fetching = accused.gain.max(expected.min(accused.fetching)) + accused.runs + accused.beside;
    fetching.max(accused.off)
}

/// When the largest paint was, in ms, and of what.
pub fn largest(load: &Load) -> Option<(f64, String)> {
    load.largest().map(|l| (l.at.0, l.url.clone().or_else(|| l.selector.clone()).unwrap_or_default()))
}

/// What path and forecast say, beside what was measured.
#[derive(Default)]
pub struct Judged {
    pub found: u32,
    pub missed: u32,
    pub wrong: u32,
    pub rightly_not: u32,
    /// Forecast and measured gain, and what the largest paint came to.
    pub gains: Vec<(f64, f64, f64)>,
    pub lines: Vec<String>,
}

/// Judges one page.
pub fn judged(page: &Measured) -> Judged {
    let mut judged = Judged::default();
    let prepared = Arc::new(Prepared::plain(page.load.clone()));
    let Some((at, _)) = largest(&page.load) else { return judged };
    let path = path_to_largest(&prepared).unwrap_or_default();
    let model = Model::of(&prepared);
    let reliefs = model.reliefs(&path);
    let before = f64::midpoint(at, page.again_ms);
    let least = culprit_from(before);
    if (at - page.again_ms).abs() > least / 2.0 {
        judged.lines.push(format!("  two loads lie {:.0} ms apart: not judged", at - page.again_ms));
        return judged;
    }
    let mut wrong = false;
    for tried in &page.tried {
        let ids: Vec<_> = page.load.requests.iter().filter(|r| ResourceKey::of(&r.url) == tried.file).collect();
        let of_file: Vec<RequestId> = ids.iter().map(|r| r.id).collect();
        let accused = accused(&path, &reliefs, &of_file);
        let Accused { runs, fetching, alone, beside, .. } = accused;
        let file = tried.file.clone();
        let edit = match tried.instead {
            Instead::AtOnce => Edit::FasterResponse { file, to: Some(Millis(0.0)) },
            Instead::Nothing => Edit::Remove { file },
        };
        let forecast = model.forecast(std::slice::from_ref(&edit), &NoBodies);
        let expected =
            forecast.before.value(Metric::Lcp).zip(forecast.after.value(Metric::Lcp)).map_or(0.0, |(a, b)| a - b);
        let (given, held) = match tried.instead {
            // Its runs are there whenever it comes.
            Instead::AtOnce => (fetching, alone),
            Instead::Nothing => (fetching + runs + beside, without(&accused, expected)),
        };
        let gain = before - tried.largest_ms;
        judged.gains.push((expected, gain, tried.largest_ms));
        // What its bytes take of the line they take whenever they come: that is no question to one sent at once.
        let flows = |l: &&Leg| matches!(l.cause, Cause::Download | Cause::Shared);
        let own = path.iter().filter(|l| l.request.is_some_and(|id| of_file.contains(&id)));
        let line = own.filter(flows).map(|l| l.length().0).sum::<f64>() + beside;
        let verdict = match (gain > least, held > least) {
            _ if tried.instead == Instead::AtOnce && line > least => "",
            (true, true) => {
                judged.found += 1;
                ""
            }
            (true, false) => {
                judged.missed += 1;
                "MISSED"
            }
            (false, true) => {
                judged.wrong += 1;
                "WRONG"
            }
            (false, false) => {
                judged.rightly_not += 1;
                ""
            }
        };
        let astray = if (expected - gain).abs() > least { "ASTRAY" } else { "" };
        let is_off = !verdict.is_empty() || !astray.is_empty();
        wrong |= is_off;
        let name = ids.first().map(|r| r.short_name()).unwrap_or_default();
        judged.lines.push(format!(
            "  {name}{}: gains {gain:.0}, forecast {expected:.0}, given {given:.0}, of it alone {held:.0} {verdict} {astray}",
            if tried.instead == Instead::Nothing { " off" } else { "" }
        ));
        if is_off && std::env::var_os("PHAINON_DETAIL").is_some() {
            judged.lines.extend(forecast.moved.iter().map(|m| {
                let name = page.load.request(m.request).map(Request::short_name).unwrap_or_default();
                let at = |ms: Option<Millis>| ms.map_or(f64::NAN, |v| v.0);
                let times = [m.start_ms, m.sent_ms, m.first_byte_ms, m.end_ms].map(at);
                format!("        moves {name:<28} {times:.0?}")
            }));
            judged.lines.extend(tasks_of(&forecast));
        }
        if is_off {
            judged.lines.extend(forecast.path.iter().map(|step| {
                let of = step.request.and_then(|id| page.load.request(id)).map(|r| r.short_name()).unwrap_or_default();
                format!("        is {:6.0} to {:6.0}  {:?} {of}", step.from_ms.0, step.to_ms.0, step.kind)
            }));
        }
    }
    if wrong {
        judged.lines.extend(path.iter().map(|leg| {
            let url = leg.url.as_deref().map_or("", |u| u.rsplit('/').next().unwrap_or(u));
            format!("      {:6.0} to {:6.0}  {:?} {url}  {:?}", leg.from_ms.0, leg.to_ms.0, leg.cause, leg.fact)
        }));
    }
    judged
}

/// The main thread's tasks as they were and as they are forecast, a line each.
pub fn tasks_of(forecast: &Forecast) -> impl Iterator<Item = String> + '_ {
    forecast.tasks.iter().map(|task| {
        let is = task.start_ms.map_or(f64::NAN, |v| v.0);
        let script = task.script.as_deref().map(|u| u.rsplit('/').next().unwrap_or(u)).unwrap_or_default();
        format!(
            "        task was {:>6.0} {:>5.0} is {is:>6.0} {:>5.0} {script}",
            task.was_ms.0, task.took_ms.0, task.duration_ms.0
        )
    })
}
