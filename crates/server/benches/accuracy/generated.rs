//! Pages drawn by chance, each loaded as it is and with one file after the other there at once: what the path
//! gives to a file, and what the forecast says of it, held against what that really brings.

use crate::blame::{AtOnce, Judged, Measured, judged, largest};
use crate::generator::{Drawn, HOSTS, Made, draw};
use crate::measure::middle;
use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use futures::stream;
use phainon_core::{Load, Millis, ResourceKey, WorkName, largest_in_markup, preset};
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::{RecordRequest, Sealed, record_whole};
use std::collections::BTreeMap;
use std::io::Write;
use std::ops::Range;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::mpsc;

/// Files of a page that are sent at once, one after the other: the latest of them.
const TRIED: usize = 4;

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
    let mut load = loaded(&request).await?;
    load.largest_in_markup = largest_in_markup(&load, site.page.html.as_bytes());
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
            if only.is_some() && std::env::var_os("PHAINON_DETAIL").is_some() {
                detail(&page);
            }
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

/// Work that is told of however short it is.
const SHOWN: [WorkName; 4] = [WorkName::ParseHtml, WorkName::ParseSheet, WorkName::Style, WorkName::Paint];

/// The page's markup, its requests, and what its main thread did.
fn detail(page: &Measured) {
    let markup = draw(page.seed, &[]).html;
    println!(
        "{}",
        markup.replace(&"Words of the page that are many enough to be the largest thing on it. ".repeat(6), "WORDS")
    );
    let load = &page.load;
    for r in &load.requests {
        let at = |ms: Option<Millis>| ms.map_or(f64::NAN, |v| v.0);
        println!(
            "    {:<10} {:>6.0} {:>6.0} {:>6.0} {:>6.0} {:?} {:?} line {:?} {:?}",
            r.short_name(),
            r.start.0,
            at(r.sent),
            at(r.first_byte),
            at(r.end),
            r.render_blocking,
            r.initiator.kind,
            r.initiator.line,
            r.initiator.stack.first().map(|u| u.rsplit('/').next().unwrap_or_default()),
        );
    }
    for w in load.work.iter().filter(|w| w.script().is_some() || w.duration.0 > 3.0 || SHOWN.contains(&w.name)) {
        let url = w.url.as_deref().map_or("", |u| u.rsplit('/').next().unwrap_or(u));
        println!(
            "    {:>7.1} {:>6.1} {} {:?} {url} {:?}",
            w.start.0,
            w.duration.0,
            ".".repeat(w.depth.into()),
            w.name,
            w.line
        );
    }
    println!("    parsed {:?}, first paint {:?}, load event {:?}", load.dom_interactive, load.fcp, load.load_event);
}

fn keep(page: &Measured, folder: &Path) -> Result<(), String> {
    let folder = folder.join("generated");
    std::fs::create_dir_all(&folder).map_err(|e| e.to_string())?;
    let json = serde_json::to_vec(page).map_err(|e| e.to_string())?;
    let packed = zstd::encode_all(json.as_slice(), 9).map_err(|e| e.to_string())?;
    std::fs::write(folder.join(format!("{:04}.json.zst", page.seed)), packed).map_err(|e| e.to_string())
}

/// Gathers what was measured, a file for even seeds and one for odd, for the test that holds path and forecast
/// against it.
pub fn gather(folder: &Path, kept_in: &Path) -> Result<(), String> {
    let (even, odd): (Vec<_>, Vec<_>) = kept(folder).into_iter().partition(|page| page.seed % 2 == 0);
    pack(&even, &kept_in.join("generated_pages_even.json.zst"))?;
    pack(&odd, &kept_in.join("generated_pages_odd.json.zst"))
}

fn pack(pages: &[Measured], file: &Path) -> Result<(), String> {
    let json = serde_json::to_vec(pages).map_err(|e| e.to_string())?;
    // The pages are alike: far back they repeat each other.
    let mut encoder = zstd::Encoder::new(Vec::new(), 19).map_err(|e| e.to_string())?;
    encoder.long_distance_matching(true).and_then(|()| encoder.window_log(26)).map_err(|e| e.to_string())?;
    encoder.write_all(&json).map_err(|e| e.to_string())?;
    let packed = encoder.finish().map_err(|e| e.to_string())?;
    println!("{} pages, {} kB", pages.len(), packed.len() / 1000);
    std::fs::write(file, packed).map_err(|e| e.to_string())
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
        let mut page: Measured = serde_json::from_slice(&json).ok()?;
        // Told by a rule that may be newer than what was kept.
        page.load.largest_in_markup = largest_in_markup(&page.load, draw(page.seed, &[]).html.as_bytes());
        Some(page)
    };
    files.iter().filter_map(page).collect()
}
