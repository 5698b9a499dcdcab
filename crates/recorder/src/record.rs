//! A recording: several loads of one page under one set of conditions.

use crate::load::{Instruments, LoadJob, LoadLimits};
use crate::shaper::{HostMap, Link, Shaper};
use crate::{RecordError, browser, machine};
use phainon_core::Conditions;
use phainon_formats::{BodyMap, Machine, RawLoad};
use serde::Serialize;
use std::net::SocketAddr;
use std::time::Duration;
use tokio::sync::mpsc;

/// What to record.
#[derive(Debug, Clone)]
pub struct RecordRequest {
    /// http or https.
    pub url: String,
    /// Whose load it is.
    pub conditions: Conditions,
    /// How many first visits, 1 to 20.
    pub loads: usize,
    /// When a load counts as over.
    pub limits: LoadLimits,
    /// What is switched on; all of it but in the bench.
    pub instruments: Instruments,
    /// The browser to use instead of the one installed.
    pub browser: Option<String>,
    /// Hosts that local servers stand in for.
    pub hosts: Vec<(String, SocketAddr)>,
    /// Refuse addresses that are not public.
    pub public_only: bool,
}

impl RecordRequest {
    /// A request with the usual limits.
    #[must_use]
    pub fn new(url: &str, conditions: Conditions, loads: usize) -> Self {
        Self {
            url: url.to_owned(),
            conditions,
            loads,
            limits: LoadLimits::default(),
            instruments: Instruments::ALL,
            browser: None,
            hosts: Vec::new(),
            public_only: false,
        }
    }
}

/// Which part of a load is under way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Stage {
    Starting,
    Connecting,
    Loading,
    Settling,
    Reading,
    Done,
}

/// A sign of life.
#[derive(Debug, Clone)]
pub struct Progress {
    /// Which load, from 1.
    pub load: usize,
    /// Of how many.
    pub of: usize,
    /// What it is at.
    pub stage: Stage,
    /// Requests seen so far.
    pub requests: usize,
    /// The newest picture of the screen (JPEG), where there is a new one.
    pub frame: Option<Vec<u8>>,
}

/// One load's outcome.
pub struct RecordedLoad {
    /// Its raw parts; a load that failed early has nothing but its reason.
    pub raw: RawLoad,
}

/// A finished recording.
pub struct Recording {
    /// The loads in order.
    pub loads: Vec<RecordedLoad>,
    /// Their bodies.
    pub bodies: BodyMap,
    /// Product and version.
    pub browser: Option<String>,
    /// The machine and how busy it was before the first load.
    pub machine: Machine,
}

/// The address as it will be recorded, or why it cannot be.
pub fn check_address(text: &str) -> Result<url::Url, RecordError> {
    let text = text.trim();
    if text.len() > 8_000 {
        return Err(RecordError::Address("it is longer than 8,000 characters.".into()));
    }
    let with_scheme = if text.contains("://") { text.to_owned() } else { format!("https://{text}") };
    let url = url::Url::parse(&with_scheme).map_err(|e| RecordError::Address(format!("{e}.")))?;
    if !matches!(url.scheme(), "http" | "https") {
        return Err(RecordError::Address(format!("only http and https can be recorded, not {}.", url.scheme())));
    }
    if url.host_str().is_none_or(str::is_empty) {
        return Err(RecordError::Address("it names no host.".into()));
    }
    if !url.username().is_empty() || url.password().is_some() {
        return Err(RecordError::Address("it holds a user name or password; those are never stored.".into()));
    }
    Ok(url)
}

/// Makes the recording. Fails as a whole only where no load could be tried at all; otherwise each
/// load carries its own reason.
pub async fn record(
    request: &RecordRequest,
    progress: mpsc::UnboundedSender<Progress>,
) -> Result<Recording, RecordError> {
    let url = check_address(&request.url)?;
    let program = browser::find(request.browser.as_deref())?;
    let machine = tokio::task::spawn_blocking(machine::look).await.unwrap_or_default();
    let hosts: HostMap = request.hosts.iter().cloned().collect();
    let of = request.loads.clamp(1, 20);
    let mut recording = Recording { loads: Vec::new(), bodies: BodyMap::new(), browser: None, machine };
    for number in 1..=of {
        let link = Link::of(&request.conditions, hosts.clone(), request.public_only);
        let shaper =
            Shaper::start(link).await.map_err(|e| RecordError::Other(format!("The link shaper did not start: {e}")))?;
        let job = LoadJob {
            url: url.as_str(),
            conditions: &request.conditions,
            limits: &request.limits,
            instruments: request.instruments,
            shaper: &shaper,
            program: &program,
            progress: &progress,
            number,
            of,
        };
        // The steps have limits of their own; this one is for what nobody thought of.
        let whole = request.limits.longest + Duration::from_secs(120);
        let result = match tokio::time::timeout(whole, job.run()).await {
            Ok(result) => result,
            Err(_) => Err(RecordError::NoAnswer("the load".into(), whole.as_secs())),
        };
        match result {
            Ok(load) => {
                recording.bodies.extend(load.bodies);
                recording.browser = load.browser.or(recording.browser);
                recording.loads.push(RecordedLoad { raw: load.raw });
            }
            Err(error @ RecordError::BrowserStart(..)) if recording.loads.is_empty() => return Err(error),
            Err(error) => {
                let raw = RawLoad {
                    name: format!("load {number}"),
                    conditions: Some(request.conditions.clone()),
                    failed: Some(error.to_string()),
                    ..RawLoad::default()
                };
                recording.loads.push(RecordedLoad { raw });
            }
        }
        let _ = progress.send(Progress { load: number, of, stage: Stage::Done, requests: 0, frame: None });
    }
    Ok(recording)
}
