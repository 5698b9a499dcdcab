//! A page loaded as it is, and with one late file after the other there at once.

use crate::blame::{Instead, Measured, Tried, culprit_from, largest};
use crate::measure::{middle, sealed};
use crate::still;
use phainon_core::{Conditions, Load, ResourceKey, standings};
use phainon_local::LocalHosts;
use phainon_recorder::RecordRequest;
use std::time::Duration;

/// Files of a page that are tried, one after the other.
pub const TRIED: usize = 4;
/// Loads of a page as it is: so many at most, until two of them lie near each other.
const PLAIN: usize = 4;
/// Loads of a file sent otherwise, where the first of them differs.
const AGAIN: usize = 3;

/// Has a server send a file otherwise, by its address; or all as they are.
pub type Sends<'a> = dyn Fn(Option<(&str, Instead)>) + Sync + 'a;

/// What is measured.
pub struct Asked<'a> {
    pub seed: u64,
    pub about: String,
    pub markup: &'a [u8],
    pub request: RecordRequest,
    /// The addresses of files worth trying, the first of them first.
    pub worth: &'a (dyn Fn(&Load) -> Vec<String> + Sync),
    /// How each of them is sent instead.
    pub instead: &'a (dyn Fn(&Load, &str) -> Vec<Instead> + Sync),
    /// Has the server send a file otherwise from now on, by its address, and no other; or all as they are.
    pub send: &'a Sends<'a>,
}

/// Asks for one load of an address; every name leads to the hosts.
pub fn request(url: &str, conditions: Conditions, hosts: &LocalHosts) -> RecordRequest {
    let mut request = sealed(url, conditions, 1, hosts);
    request.limits.quiet = Duration::from_millis(900);
    request.detail = false;
    request
}

pub async fn measure(asked: Asked<'_>) -> Result<Measured, String> {
    let (mut load, again_ms) = two_alike(&asked.request).await?;
    (load.largest_stands, load.words_stand) = standings(&load, asked.markup);
    let own = largest(&load).ok_or("no largest paint")?;
    let before = f64::midpoint(own.0, again_ms);
    let mut tried = Vec::new();
    for url in (asked.worth)(&load) {
        for instead in (asked.instead)(&load, &url) {
            (asked.send)(Some((&url, instead)));
            let mut times = Vec::new();
            let mut request = asked.request.clone();
            if let (Instead::Nothing, Some(sealed)) = (instead, &mut request.sealed) {
                sealed.not_asked.push(url.clone());
            }
            for _ in 0..AGAIN {
                let with = loaded(&request).await?;
                if std::env::var_os("PHAINON_DETAIL").is_some() {
                    println!("{url} {instead:?}: {:?}", largest(&with));
                    crate::kept::requests(&with);
                }
                // A page that breaks without a file does less: that is no gain. Another largest element is
                // another question.
                let breaks = with.errors.iter().any(|error| !load.errors.contains(error));
                let same = largest(&with).filter(|(_, what)| *what == own.1);
                let (Some((at, _)), false) = (same, breaks && instead == Instead::Nothing) else { break };
                times.push(at);
                // What may be chance is asked again, whatever was expected of it.
                if (before - at).abs() <= culprit_from(before) / 2.0 && times.len() == 1 {
                    break;
                }
            }
            if let Some(largest_ms) = middle(times) {
                tried.push(Tried { file: ResourceKey::of(&url), instead, largest_ms });
            }
        }
    }
    // What the machine did meanwhile is nothing that a file brings.
    (asked.send)(None);
    let last = loaded(&asked.request).await?;
    let (at, _) = largest(&last).filter(|(_, what)| *what == own.1).ok_or("its largest element changes")?;
    if (at - before).abs() > culprit_from(before) / 2.0 {
        return Err(format!("its loads have moved from {before:.0} to {at:.0} ms meanwhile"));
    }
    Ok(Measured { seed: asked.seed, about: asked.about, load, again_ms, tried })
}

/// A load of a page as it is, and the largest paint of another that lies nearest to it.
async fn two_alike(request: &RecordRequest) -> Result<(Load, f64), String> {
    let mut loads: Vec<(Load, f64, String)> = Vec::new();
    loop {
        let load = loaded(request).await?;
        let (at, what) = largest(&load).ok_or("no largest paint")?;
        loads.push((load, at, what));
        let pairs = (0..loads.len()).flat_map(|a| (a + 1..loads.len()).map(move |b| (a, b)));
        let alike = pairs.filter(|(a, b)| loads[*a].2 == loads[*b].2);
        let apart = |(a, b): &(usize, usize)| (loads[*a].1 - loads[*b].1).abs();
        let nearest = alike.min_by(|one, other| apart(one).total_cmp(&apart(other)));
        let near = |pair: &(usize, usize)| apart(pair) <= culprit_from(loads[pair.0].1) / 2.0;
        if let Some((a, b)) = nearest.filter(|pair| near(pair) || loads.len() == PLAIN) {
            let again = loads[b].1;
            return Ok((loads.swap_remove(a).0, again));
        }
        if loads.len() == PLAIN {
            return Err("its largest element changes".into());
        }
    }
}

/// One load as asked for.
pub async fn loaded(request: &RecordRequest) -> Result<Load, String> {
    let recording = still::recorded(request).await?;
    match recording.loads.first() {
        Some(load) if load.failed.is_none() => load.assemble().map_err(|e| e.to_string()),
        Some(load) => Err(load.failed.clone().unwrap_or_default()),
        None => Err("no load".into()),
    }
}
