//! Pages drawn by chance, each loaded as it is and with one file after the other there at once: what the path
//! gives to a file, and what the forecast says of it, held against what that really brings.

use crate::generator::{Drawn, HOSTS, Made, draw};
use crate::measure::{element, middle};
use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use futures::stream;
use phainon_core::forecast::Model;
use phainon_core::metrics::Metric;
use phainon_core::path::path_to_largest;
use phainon_core::{Edit, Load, Millis, NoBodies, Prepared, ResourceKey, preset};
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::{RecordRequest, Sealed, record_whole};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ops::Range;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::mpsc;

/// A file is a culprit from so much of the largest paint's time on, and from so many milliseconds.
const SHARE: f64 = 0.05;
const LEAST: f64 = 100.0;
/// Files of a page that are sent at once, one after the other: the latest of them.
const TRIED: usize = 4;

/// A file sent at once, and the largest paint then.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct AtOnce {
    pub file: ResourceKey,
    /// The largest paint with it, in ms.
    pub largest_ms: f64,
}

/// A page that was drawn, with what was measured of it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Measured {
    pub seed: u64,
    pub about: String,
    /// The load that is judged by.
    pub load: Load,
    /// The largest paint of a second load without changes, in ms.
    pub again_ms: f64,
    pub tried: Vec<AtOnce>,
}

struct Site {
    page: Drawn,
    /// What is sent at once.
    at_once: Mutex<Option<String>>,
}

/// Measures the pages of some seeds and keeps what came of them.
pub async fn generate(seeds: Range<u64>, folder: &Path) {
    let picture = crate::picture::picture();
    for seed in seeds {
        match measured(draw(seed, &picture)).await {
            Ok(measured) => {
                let judged = judged(&measured);
                println!("{seed}: {}\n{}", measured.about, judged.lines.join("\n"));
                if let Err(why) = keep(&measured, folder) {
                    println!("  not kept: {why}");
                }
            }
            Err(why) => println!("{seed}: could not be measured: {why}"),
        }
    }
}

async fn measured(page: Drawn) -> Result<Measured, String> {
    let (seed, about, conditions) = (page.seed, page.about.clone(), page.conditions);
    let first_only = page.first_only.clone();
    let mut late: Vec<(Duration, String, String)> = page
        .files
        .iter()
        .filter(|f| f.wait >= Duration::from_millis(150))
        .map(|f| (f.wait, f.name.clone(), format!("https://{}/{}", f.host, f.name)))
        .collect();
    late.sort_by_key(|late| std::cmp::Reverse(late.0));
    let site = Arc::new(Site { page, at_once: Mutex::default() });
    let app = Router::new().fallback(any(answer)).with_state(site.clone());
    let names = HOSTS.map(str::to_owned);
    let offer = move |host: &str| if first_only.contains(&host) { Offer::First } else { Offer::Both };
    let hosts = LocalHosts::start(&names, app, offer).await.map_err(|e| e.to_string())?;
    let mut request = RecordRequest::new(&format!("https://{}/", HOSTS[0]), preset(conditions).ok_or("no preset")?, 1);
    request.limits.quiet = Duration::from_millis(900);
    request.detail = false;
    request.trusted_key = Some(hosts.key_hash().to_owned());
    request.sealed = Some(Sealed {
        server: hosts.address(),
        round_trips: BTreeMap::new(),
        before: String::new(),
        not_asked: Vec::new(),
        refused: Vec::new(),
    });
    let load = loaded(&request).await?;
    let again = loaded(&request).await?;
    let own = largest(&load).ok_or("no largest paint")?;
    let mut tried = Vec::new();
    for (_, name, url) in late.into_iter().take(TRIED) {
        *site.at_once.lock().unwrap_or_else(PoisonError::into_inner) = Some(name);
        let with = loaded(&request).await?;
        // Another largest element is another question.
        if let Some((at, _)) = largest(&with).filter(|(_, what)| *what == own.1) {
            tried.push(AtOnce { file: ResourceKey::of(&url), largest_ms: at });
        }
    }
    let again_ms = largest(&again).filter(|(_, what)| *what == own.1).ok_or("its largest element changes")?.0;
    Ok(Measured { seed, about, load, again_ms, tried })
}

async fn loaded(request: &RecordRequest) -> Result<Load, String> {
    let (sender, _held) = mpsc::unbounded_channel();
    let recording = record_whole(request, sender).await.map_err(|e| e.to_string())?;
    match recording.loads.first() {
        Some(load) if load.failed.is_none() => load.assemble().map_err(|e| e.to_string()),
        Some(load) => Err(load.failed.clone().unwrap_or_default()),
        None => Err("no load".into()),
    }
}

fn largest(load: &Load) -> Option<(f64, String)> {
    load.largest().map(|l| (l.at.0, element(l)))
}

async fn answer(State(site): State<Arc<Site>>, request: Request) -> Response {
    let path = request.uri().path().trim_start_matches('/').to_owned();
    let at_once = site.at_once.lock().unwrap_or_else(PoisonError::into_inner).clone();
    if path.is_empty() {
        tokio::time::sleep(site.page.wait).await;
        return document(&site.page);
    }
    let Some(file) = site.page.files.iter().find(|f| f.name == path) else {
        return StatusCode::NOT_FOUND.into_response();
    };
    if at_once.as_deref() != Some(&file.name) {
        tokio::time::sleep(file.wait).await;
    }
    sent(file)
}

fn sent(file: &Made) -> Response {
    let mut response = match &file.leads {
        Some(_) => StatusCode::FOUND.into_response(),
        None => file.body.clone().into_response(),
    };
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(file.mime));
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("max-age=600"));
    headers.insert(header::ACCESS_CONTROL_ALLOW_ORIGIN, HeaderValue::from_static("*"));
    if let Some(to) = file.leads.as_deref().and_then(|to| HeaderValue::from_str(to).ok()) {
        headers.insert(header::LOCATION, to);
    }
    response
}

fn document(page: &Drawn) -> Response {
    let kind = [(header::CONTENT_TYPE, "text/html; charset=utf-8")];
    let Some((at, wait)) = page.trickles else { return (kind, page.html.clone()).into_response() };
    let parts = [(Duration::ZERO, page.html[..at].to_owned()), (wait, page.html[at..].to_owned())];
    let parts = stream::unfold(parts.into_iter(), |mut rest| async move {
        let (wait, part) = rest.next()?;
        tokio::time::sleep(wait).await;
        Some((Ok::<_, std::io::Error>(Bytes::from(part)), rest))
    });
    (kind, Body::from_stream(parts)).into_response()
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
    let before = f64::midpoint(at, page.again_ms);
    let least = (before * SHARE).max(LEAST);
    if (at - page.again_ms).abs() > least / 2.0 {
        judged.lines.push(format!("  two loads lie {:.0} ms apart: not judged", at - page.again_ms));
        return judged;
    }
    let mut wrong = false;
    for tried in &page.tried {
        let ids: Vec<_> = page.load.requests.iter().filter(|r| ResourceKey::of(&r.url) == tried.file).collect();
        let given: f64 = path
            .iter()
            .filter(|l| l.request.is_some_and(|id| ids.iter().any(|r| r.id == id)))
            .map(|l| l.length().0)
            .sum();
        let edit = Edit::FasterResponse { file: tried.file.clone(), to: Some(Millis(0.0)) };
        let forecast = model.forecast(std::slice::from_ref(&edit), &NoBodies);
        let expected =
            forecast.before.value(Metric::Lcp).zip(forecast.after.value(Metric::Lcp)).map_or(0.0, |(a, b)| a - b);
        let gain = before - tried.largest_ms;
        judged.gains.push((expected, gain, tried.largest_ms));
        let verdict = match (gain > least, given > least) {
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
        wrong |= !verdict.is_empty() || !astray.is_empty();
        let name = ids.first().map(|r| r.short_name()).unwrap_or_default();
        judged
            .lines
            .push(format!("  {name}: gains {gain:.0}, forecast {expected:.0}, given {given:.0} {verdict} {astray}"));
    }
    if wrong {
        judged.lines.extend(path.iter().map(|leg| {
            let url = leg.url.as_deref().map_or("", |u| u.rsplit('/').next().unwrap_or(u));
            format!("      {:6.0} to {:6.0}  {:?} {url}  {:?}", leg.from_ms.0, leg.to_ms.0, leg.cause, leg.fact)
        }));
    }
    judged
}

/// Judges what was measured before; halves are those of even and of odd seeds.
pub fn judge_generated(folder: &Path, only: Option<&str>) {
    for (name, rest) in [("even seeds (tuned by)", 0), ("odd seeds (judged by)", 1)] {
        let mut all = Judged::default();
        let mut pages = 0;
        for page in kept(folder).into_iter().filter(|p| p.seed % 2 == rest) {
            if only.is_some_and(|only| only.split(',').all(|o| o != page.seed.to_string())) {
                continue;
            }
            let judged = judged(&page);
            pages += 1;
            let telling = |line: &String| line.contains("WRONG") || line.contains("MISSED") || line.contains("ASTRAY");
            if only.is_some() || judged.lines.iter().any(telling) {
                println!("{}: {}\n{}", page.seed, page.about, judged.lines.join("\n"));
            }
            all.found += judged.found;
            all.missed += judged.missed;
            all.wrong += judged.wrong;
            all.rightly_not += judged.rightly_not;
            all.gains.extend(judged.gains);
        }
        let errors: Vec<f64> = all.gains.iter().map(|(e, g, value)| (e - g).abs() / value.max(50.0) * 100.0).collect();
        let near = errors.iter().filter(|e| **e <= 5.0).count();
        println!(
            "{name}, {pages} pages: {} found, {} missed, {} wrongly accused, {} rightly not; precision {:.2}, recall {:.2}; forecast: median error {:.1} %, {near} of {} within 5 %",
            all.found,
            all.missed,
            all.wrong,
            all.rightly_not,
            f64::from(all.found) / f64::from(all.found + all.wrong).max(1.0),
            f64::from(all.found) / f64::from(all.found + all.missed).max(1.0),
            middle(errors.clone()).unwrap_or(f64::NAN),
            errors.len(),
        );
    }
}

fn keep(page: &Measured, folder: &Path) -> Result<(), String> {
    let folder = folder.join("generated");
    std::fs::create_dir_all(&folder).map_err(|e| e.to_string())?;
    let json = serde_json::to_vec(page).map_err(|e| e.to_string())?;
    let packed = zstd::encode_all(json.as_slice(), 9).map_err(|e| e.to_string())?;
    std::fs::write(folder.join(format!("{:04}.json.zst", page.seed)), packed).map_err(|e| e.to_string())
}

fn kept(folder: &Path) -> Vec<Measured> {
    let mut files: Vec<_> = std::fs::read_dir(folder.join("generated"))
        .into_iter()
        .flatten()
        .filter_map(|f| Some(f.ok()?.path()))
        .filter(|p| p.extension().is_some_and(|e| e == "zst"))
        .collect();
    files.sort();
    let page = |path: &std::path::PathBuf| {
        let json = zstd::decode_all(std::fs::read(path).ok()?.as_slice()).ok()?;
        serde_json::from_slice(&json).ok()
    };
    files.iter().filter_map(page).collect()
}
