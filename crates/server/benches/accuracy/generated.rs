//! Pages drawn by chance, each loaded as it is and with one file after the other there at once: what the path
//! gives to a file, and what the forecast says of it, held against what that really brings.

use crate::at_once::{self, Asked, TRIED, measure, request};
use crate::blame::{Instead, Measured, judged};
use crate::drawn::{Drawn, HOSTS, Made};
use crate::generator::draw;
use crate::kept::keep;
use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use futures::stream;
use phainon_core::{Load, preset};
use phainon_local::{LocalHosts, Offer};
use std::ops::Range;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

struct Site {
    page: Drawn,
    /// What is sent at once: the name of a file.
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
                if let Err(why) = keep(&measured, &folder.join("generated")) {
                    println!("  not kept: {why}");
                }
            }
            Err(why) => println!("{seed}: could not be measured: {why}"),
        }
    }
}

/// One load of a page.
pub async fn loaded(page: Drawn) -> Result<Load, String> {
    let conditions = preset(page.conditions).ok_or("no preset")?;
    let (hosts, _) = serve(page).await?;
    at_once::loaded(&request(&format!("https://{}/", HOSTS[0]), conditions, &hosts)).await
}

async fn serve(page: Drawn) -> Result<(LocalHosts, Arc<Site>), String> {
    let first_only = page.first_only.clone();
    let site = Arc::new(Site { page, at_once: Mutex::default() });
    let app = Router::new().fallback(any(answer)).with_state(site.clone());
    let offer = move |host: &str| if first_only.contains(&host) { Offer::First } else { Offer::Both };
    let hosts = LocalHosts::start(&HOSTS.map(str::to_owned), app, offer).await.map_err(|e| e.to_string())?;
    Ok((hosts, site))
}

async fn measured(page: Drawn) -> Result<Measured, String> {
    let mut late: Vec<(Duration, String)> = page
        .files
        .iter()
        .filter(|f| f.wait >= Duration::from_millis(150))
        .map(|f| (f.wait, format!("https://{}/{}", f.host, f.name)))
        .collect();
    late.sort_by_key(|late| std::cmp::Reverse(late.0));
    let late: Vec<String> = late.into_iter().map(|(_, url)| url).collect();
    let (hosts, site) = serve(page).await?;
    let conditions = preset(site.page.conditions).ok_or("no preset")?;
    measure(Asked {
        seed: site.page.seed,
        about: site.page.about.clone(),
        markup: site.page.html.as_bytes(),
        request: request(&format!("https://{}/", HOSTS[0]), conditions, &hosts),
        worth: &|_| late.iter().take(TRIED).cloned().collect(),
        instead: &|_, _| vec![Instead::AtOnce],
        send: &|otherwise| {
            let name = otherwise.and_then(|(url, _)| url.rsplit('/').next()).map(str::to_owned);
            *site.at_once.lock().unwrap_or_else(PoisonError::into_inner) = name;
        },
    })
    .await
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
