//! Path and forecast judged by measured pairs.

use crate::blame::{accused, culprit_from, tasks_of, without};
use crate::kept;
use crate::measure::middle;
use crate::order::kendall;
use crate::pairs::{Page, Seen, bodies_of};
use phainon_core::forecast::{Figures, Forecast, Model, brings};
use phainon_core::metrics::Metric;
use phainon_core::path::{Cause, Leg, path_to_first_paint, path_to_largest};
use phainon_core::server_work::server_times;
use phainon_core::{Edit, Load, Millis, Prepared, Request, RequestId, ResourceKey, Source, put_right};
use std::path::Path;
use std::sync::Arc;

/// Loads of one sort that scatter by more, as a share of the metric, tell little of what an edit brings.
const STEADY: f64 = 0.05;

#[derive(Default)]
struct Blame {
    found: u32,
    missed: u32,
    wrong: u32,
    rightly_not: u32,
}

/// One forecast held against one measurement.
struct Held {
    page: String,
    edit: String,
    metric: Metric,
    forecast: f64,
    measured: f64,
    /// What the metric came to.
    value: f64,
    /// How far loads of one sort lie apart.
    scatter: f64,
    /// Whether the stated interval holds what was measured.
    inside: bool,
}

/// Judges what was measured, by the recorded loads and then by what other files tell of them.
pub fn judge(folder: &Path, only: Option<&str>) {
    let mut pages: Vec<Page> = kept::all(folder);
    pages.retain(|p| only.is_none_or(|only| only.split(',').any(|o| p.name.contains(o))));
    for page in &mut pages {
        // Told by rules that may be newer than what was kept.
        let loads = std::iter::once(&mut page.load).chain(&mut page.others).chain(&mut page.otherwise);
        for load in loads {
            put_right(load);
        }
    }
    judged(&pages, true);
    for source in [Source::HarAndTrace, Source::Trace, Source::Har] {
        let told: Vec<Page> = pages.iter().filter_map(|p| told_by(p, source)).collect();
        if !told.is_empty() {
            println!("\nBy {source:?}");
            judged(&told, false);
        }
    }
}

fn told_by(page: &Page, source: Source) -> Option<Page> {
    let load = page.otherwise.iter().find(|l| l.source == source)?.clone();
    Some(Page { load, others: Vec::new(), ..page.clone() })
}

fn judged(pages: &[Page], each: bool) {
    let mut blame = Blame::default();
    let mut held = Vec::new();
    let mut taus = Vec::new();
    for page in pages {
        let all = std::iter::once(&page.load).chain(&page.others);
        let prepare = |load: &Load| Arc::new(Prepared::plain(load.clone()).with_coverage(page.coverage.clone()));
        let loads: Vec<Arc<Prepared>> = all.map(prepare).collect();
        let prepared = &loads[0];
        let path = path_to_largest(prepared).unwrap_or_default();
        let models: Vec<Model> = loads.iter().map(Model::of).collect();
        let model = &models[0];
        let reliefs = model.reliefs(&path);
        if each {
            println!("\n{}\n  without edits astray by {:.1} ms at most", page.name, model.astray());
        }
        let own = prepared.load.largest().map(crate::measure::element).unwrap_or_default();
        let before = medians(&page.plain);
        let mut gains = Vec::new();
        for tried in &page.tried {
            let bodies = bodies_of(page);
            let made: Vec<Forecast> = models.iter().map(|m| m.forecast(&tried.edits, &bodies)).collect();
            let forecast = &made[0];
            // As findings tell it: over the loads in which the edits' effect is known.
            let known: Vec<Forecast> = made.iter().filter(|f| f.left_out.is_empty()).cloned().collect();
            let stated = brings(if known.is_empty() { &made[..1] } else { &known });
            let after = medians(&tried.loads);
            let mut cells = Vec::new();
            let same = tried.loads.iter().filter(|l| l.largest == own).count() * 2 > tried.loads.len();
            for metric in Figures::METRICS {
                let measured = before(metric).zip(after(metric)).map(|(a, b)| b - a);
                let stated = stated.iter().find(|b| b.metric == metric);
                let (Some(measured), Some(stated), Some(value)) = (measured, stated, after(metric)) else {
                    continue;
                };
                let expected = stated.after - stated.before;
                if metric == Metric::Lcp && !same {
                    cells.push(format!("Lcp {expected:+.0} (another element)"));
                    continue;
                }
                cells.push(match metric {
                    Metric::Cls => format!("Cls {expected:+.2} {measured:+.2}"),
                    Metric::Weight => format!("kB {:+.0} {:+.0}", expected / 1000.0, measured / 1000.0),
                    Metric::Lcp => format!("Lcp {expected:+.0} ({}) {measured:+.0}", each_load(&known)),
                    _ => format!("{metric:?} {expected:+.0} {measured:+.0}"),
                });
                if !forecast.left_out.is_empty() {
                    continue;
                }
                let scatter = spread(&page.plain, metric).max(spread(&tried.loads, metric));
                let edit = tried.name.clone();
                let inside = (stated.low - scatter..=stated.high + scatter).contains(&measured);
                let page = page.name.clone();
                held.push(Held { page, edit, metric, forecast: expected, measured, value, scatter, inside });
                if metric == Metric::Lcp {
                    gains.push((expected, measured));
                }
            }
            let mut verdict = "";
            if let (Some(off), true) = (Off::by(prepared, &tried.edits), same)
                && let Some((a, b)) = before(Metric::Lcp).zip(after(Metric::Lcp))
            {
                let accused = accused(&path, &reliefs, &off.files);
                let server = off.server(&path);
                let gains =
                    known.iter().filter_map(|f| Some(f.before.value(Metric::Lcp)? - f.after.value(Metric::Lcp)?));
                let gain = middle(gains.collect()).unwrap_or_default();
                let given = accused.fetching + accused.runs + accused.beside + server;
                let held = without(&accused, gain) + server;
                let least = culprit_from(a);
                let scatter = spread(&page.plain, Metric::Lcp).max(spread(&tried.loads, Metric::Lcp));
                verdict = match (a - b > least, held > least) {
                    _ if scatter > least / 2.0 => "loads scatter too much",
                    (true, true) => {
                        blame.found += 1;
                        "found"
                    }
                    (true, false) => {
                        blame.missed += 1;
                        "MISSED"
                    }
                    (false, true) => {
                        blame.wrong += 1;
                        "WRONG"
                    }
                    (false, false) => {
                        blame.rightly_not += 1;
                        ""
                    }
                };
                cells.push(format!("given {given:.0}, of it alone {held:.0}"));
            }
            if std::env::var("PHAINON_DETAIL").is_ok_and(|only| tried.name.contains(&only)) {
                detail(prepared, forecast);
            }
            let why = forecast.left_out.first().map(|l| l.1.as_str()).unwrap_or_default();
            if each {
                println!("  {:<60} {} {verdict} {why}", short(&tried.name), cells.join("  "));
            }
        }
        if let Some(tau) = kendall(&gains) {
            if each {
                println!("  τ {tau:.2}");
            }
            taus.push(tau);
        }
    }
    summary(pages, &held, &blame, &taus);
}

/// What edits take away, where they do nothing else.
struct Off {
    files: Vec<RequestId>,
    /// What of each request's wait was the server's work for it.
    server: Vec<Millis>,
}

impl Off {
    fn by(prepared: &Prepared, edits: &[Edit]) -> Option<Self> {
        let requests = &prepared.load.requests;
        let mut off = Self { files: Vec::new(), server: vec![Millis::ZERO; requests.len()] };
        for edit in edits {
            match edit {
                Edit::Remove { file } => {
                    off.files.extend(requests.iter().filter(|r| ResourceKey::of(&r.url) == *file).map(|r| r.id));
                }
                Edit::RemoveOwner { owner } => {
                    let of_owner = requests.iter().filter(|r| prepared.owners.request(r.id) == owner);
                    off.files.extend(of_owner.map(|r| r.id));
                }
                Edit::ServerRemove { part } => off.server = server_times(prepared, part),
                _ => return None,
            }
        }
        (!edits.is_empty()).then_some(off)
    }

    /// What of the path is the server's work, in ms.
    fn server(&self, path: &[Leg]) -> f64 {
        let waits = path.iter().filter(|l| l.cause == Cause::Wait);
        waits.filter_map(|l| Some(self.server.get(l.request?.0 as usize)?.0.min(l.length().0))).sum()
    }
}

/// The forecast way to the largest paint, and where requests move.
fn detail(prepared: &Prepared, forecast: &Forecast) {
    let name = |id: Option<RequestId>| id.and_then(|id| prepared.load.request(id)).map(Request::short_name);
    for leg in path_to_largest(prepared).unwrap_or_default() {
        let url = leg.url.as_deref().map(|u| u.rsplit('/').next().unwrap_or(u)).unwrap_or_default();
        println!("        was {:>6.0} to {:>6.0} {:?} {url}", leg.from_ms.0, leg.to_ms.0, leg.cause);
    }
    for leg in path_to_first_paint(prepared).unwrap_or_default() {
        let url = leg.url.as_deref().map(|u| u.rsplit('/').next().unwrap_or(u)).unwrap_or_default();
        println!("        FCP was {:>6.0} to {:>6.0} {:?} {url}", leg.from_ms.0, leg.to_ms.0, leg.cause);
    }
    for task in tasks_of(forecast) {
        println!("{task}");
    }
    for step in &forecast.path {
        let what = name(step.request).or(step.script.as_ref().map(ToString::to_string)).unwrap_or_default();
        println!("        is {:>6.0} to {:>6.0} {:?} {what}", step.from_ms.0, step.to_ms.0, step.kind);
    }
    for request in &prepared.load.requests {
        let at = |ms: Option<phainon_core::Millis>| ms.map_or(f64::NAN, |v| v.0);
        let moved = forecast.moved.iter().find(|m| m.request == request.id);
        let moved = moved.map(|m| format!("→ {:.0} {:.0} {:.0}", at(m.start_ms), at(m.first_byte_ms), at(m.end_ms)));
        println!(
            "        {:<30} c{} {:>8} B {:>6.0} {:>6.0} {:>6.0} {:>6.0} {}",
            request.short_name().chars().take(30).collect::<String>(),
            request.connection.unwrap_or(0),
            request.transferred.map_or(0, |b| b.0),
            request.start.0,
            at(request.sent),
            at(request.first_byte),
            at(request.end),
            moved.unwrap_or_default()
        );
    }
}

/// What the largest paint would gain in each load.
fn each_load(forecasts: &[Forecast]) -> String {
    let value = |figures: &Figures| figures.value(Metric::Lcp).unwrap_or(f64::NAN);
    let gains = forecasts.iter().map(|f| format!("{:+.0}", value(&f.after) - value(&f.before)));
    gains.collect::<Vec<_>>().join(" ")
}

fn short(key: &str) -> String {
    let skip = key.chars().count().saturating_sub(60);
    key.chars().skip(skip).collect()
}

fn medians(seen: &[Seen]) -> impl Fn(Metric) -> Option<f64> + '_ {
    |metric| middle(seen.iter().filter_map(|s| s.figures.get(&metric).copied()).collect())
}

/// Half the distance between the quartiles of loads.
fn spread(seen: &[Seen], metric: Metric) -> f64 {
    let mut values: Vec<f64> = seen.iter().filter_map(|s| s.figures.get(&metric).copied()).collect();
    values.sort_by(f64::total_cmp);
    if values.len() < 2 {
        return 0.0;
    }
    let at = |share: f64| {
        #[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let place = ((values.len() - 1) as f64 * share).round() as usize;
        values[place]
    };
    (at(0.75) - at(0.25)) / 2.0
}

/// How far every other load of one sort lies from the rest, at their medians, as a share: no forecast can be held to
/// less.
fn apart(seen: &[Seen], metric: Metric, least: f64) -> Option<f64> {
    let half = |first: usize| {
        let figures = seen.iter().skip(first).step_by(2).filter_map(|s| s.figures.get(&metric).copied());
        middle(figures.collect())
    };
    let (a, b) = (half(0)?, half(1)?);
    Some((a - b).abs() / f64::midpoint(a, b).max(least))
}

fn summary(pages: &[Page], held: &[Held], blame: &Blame, taus: &[f64]) {
    println!("\nForecast: error as a share of what was measured");
    for metric in Figures::METRICS {
        let least = if metric == Metric::Cls { 1.0 } else { 50.0 };
        let share = |ms: f64, h: &Held| ms.abs() / h.value.max(least);
        let mut errors: Vec<(f64, &Held)> =
            held.iter().filter(|h| h.metric == metric).map(|h| (share(h.forecast - h.measured, h), h)).collect();
        errors.sort_by(|a, b| a.0.total_cmp(&b.0));
        if errors.is_empty() {
            continue;
        }
        let told = |errors: &[(f64, &Held)]| {
            let at = |share: f64| {
                #[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
                let place = (errors.len().saturating_sub(1) as f64 * share).round() as usize;
                errors.get(place).map_or(f64::NAN, |e| e.0 * 100.0)
            };
            let inside = errors.iter().filter(|(_, h)| h.inside).count();
            let (median, most) = (at(0.5), at(0.9));
            format!("{} pairs, median {median:.1} %, 90th percentile {most:.1} %, {inside} in", errors.len())
        };
        println!("  {metric:?}: {} the stated interval, give or take the loads' scatter", told(&errors));
        // What loads of one sort lie apart by no edit can be held to.
        let steady: Vec<_> = errors.iter().copied().filter(|(_, h)| share(h.scatter, h) <= STEADY).collect();
        println!("      of them whose loads scatter by 5 % at most: {}", told(&steady));
        if let Some(apart) = middle(pages.iter().filter_map(|page| apart(&page.plain, metric, least)).collect()) {
            println!("      one half of a page's unedited loads against the other: median {:.1} %", apart * 100.0);
        }
        for (error, h) in errors.iter().rev().take(6) {
            println!(
                "      {:.0} %  {} {}: forecast {:+.0}, measured {:+.0} to {:.0}, loads scatter by {:.0}",
                error * 100.0,
                h.page,
                short(&h.edit),
                h.forecast,
                h.measured,
                h.value,
                h.scatter
            );
        }
    }
    if !taus.is_empty() {
        let mut sorted = taus.to_vec();
        sorted.sort_by(f64::total_cmp);
        println!("  τ of LCP gains: median {:.2}, lowest {:.2}", sorted[sorted.len() / 2], sorted[0]);
    }
    let Blame { found, missed, wrong, rightly_not } = blame;
    println!(
        "Blame: {found} culprits found, {missed} missed, {wrong} wrongly accused, {rightly_not} rightly not; precision {:.2}, recall {:.2}",
        f64::from(*found) / f64::from(found + wrong).max(1.0),
        f64::from(*found) / f64::from(found + missed).max(1.0)
    );
}
