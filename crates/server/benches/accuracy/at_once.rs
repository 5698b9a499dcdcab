//! A page loaded as it is, and with one late file after the other there at once.

use crate::blame::{Instead, Measured, Tried, largest};
use crate::measure::sealed;
use phainon_core::{Conditions, Load, ResourceKey, largest_stands};
use phainon_local::LocalHosts;
use phainon_recorder::{RecordRequest, record_whole};
use std::time::Duration;
use tokio::sync::mpsc;

/// Files of a page that are sent at once, one after the other.
pub const TRIED: usize = 4;

/// What is measured.
pub struct Asked<'a> {
    pub seed: u64,
    pub about: String,
    pub markup: &'a [u8],
    pub request: RecordRequest,
    /// The addresses of files worth trying, the first of them first.
    pub late: &'a (dyn Fn(&Load) -> Vec<String> + Sync),
    /// Which of them are taken off as well.
    pub taken_off: &'a (dyn Fn(&Load, &str) -> bool + Sync),
    /// Has the server send a file otherwise from now on, by its address, and no other.
    pub send: &'a (dyn Fn(&str, Instead) + Sync),
}

/// Asks for one load of an address; every name leads to the hosts.
pub fn request(url: &str, conditions: Conditions, hosts: &LocalHosts) -> RecordRequest {
    let mut request = sealed(url, conditions, 1, hosts);
    request.limits.quiet = Duration::from_millis(900);
    request.detail = false;
    request
}

pub async fn measure(asked: Asked<'_>) -> Result<Measured, String> {
    let mut load = loaded(&asked.request).await?;
    load.largest_stands = largest_stands(&load, asked.markup);
    let again = loaded(&asked.request).await?;
    let own = largest(&load).ok_or("no largest paint")?;
    let again_ms = largest(&again).filter(|(_, what)| *what == own.1).ok_or("its largest element changes")?.0;
    let mut tried = Vec::new();
    for url in (asked.late)(&load).into_iter().take(TRIED) {
        let off = (asked.taken_off)(&load, &url).then_some(Instead::Nothing);
        for instead in [Instead::AtOnce].into_iter().chain(off) {
            (asked.send)(&url, instead);
            let with = loaded(&asked.request).await?;
            if std::env::var_os("PHAINON_DETAIL").is_some() {
                println!("{url} {instead:?}: {:?}", largest(&with));
                crate::kept::requests(&with);
            }
            // A page that breaks without a file does less: that is no gain.
            let breaks = with.errors.iter().any(|error| !load.errors.contains(error));
            if breaks && instead == Instead::Nothing {
                continue;
            }
            // Another largest element is another question.
            if let Some((at, _)) = largest(&with).filter(|(_, what)| *what == own.1) {
                tried.push(Tried { file: ResourceKey::of(&url), instead, largest_ms: at });
            }
        }
    }
    Ok(Measured { seed: asked.seed, about: asked.about, load, again_ms, tried })
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
