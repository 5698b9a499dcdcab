//! A recording: several loads of one page under one set of conditions.

use crate::load::{Instruments, LoadJob, LoadLimits, LoadResult};
use crate::shaper::{HostMap, Link, Shaper};
use crate::steps::Step;
use crate::{RecordError, browser, detail, machine, private};
use phainon_core::{Conditions, Visit};
use phainon_formats::{BodyMap, Detail, Machine, RawLoad};
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
    /// Whether each first visit is followed by a return visit with the cache that it left.
    pub return_visits: bool,
    /// Whether one more load looks at what slows a page when asked: used code, inline styles alone.
    pub detail: bool,
    /// What a scripted user does once the page is quiet, on first visits.
    pub steps: Vec<Step>,
    /// The one public key (SHA-256, base64) that is taken although nobody vouches for it: the stand-in's.
    pub trusted_key: Option<String>,
    /// Hosts that local servers stand in for.
    pub hosts: Vec<(String, SocketAddr)>,
    /// Refuse addresses that are not public.
    pub public_only: bool,
    /// Query parameters whose values are not kept.
    pub private: Vec<String>,
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
            return_visits: false,
            detail: false,
            steps: Vec::new(),
            trusted_key: None,
            hosts: Vec::new(),
            public_only: false,
            private: Vec::new(),
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
    /// The scripted user's steps.
    Acting,
    Reading,
    /// The load for used code.
    Detail,
    Done,
}

/// A sign of life.
#[derive(Debug, Clone)]
pub struct Progress {
    /// Which load, from 1.
    pub load: usize,
    /// Of how many.
    pub of: usize,
    /// Of the first or of the return visit.
    pub visit: Visit,
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
    /// The address asked for, without its private values.
    pub url: String,
    /// The loads in order.
    pub loads: Vec<RecordedLoad>,
    /// Their bodies.
    pub bodies: BodyMap,
    /// Product and version.
    pub browser: Option<String>,
    /// The machine and how busy it was before the first load.
    pub machine: Machine,
    /// What the load for used code told.
    pub detail: Option<Detail>,
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
    let mut recording = Recording {
        url: url.to_string(),
        loads: Vec::new(),
        bodies: BodyMap::new(),
        browser: None,
        machine,
        detail: None,
    };
    for number in 1..=of {
        let link = Link::of(&request.conditions, hosts.clone(), request.public_only);
        let shaper =
            Shaper::start(link).await.map_err(|e| RecordError::Other(format!("The link shaper did not start: {e}")))?;
        let mut job = LoadJob {
            url: url.as_str(),
            conditions: &request.conditions,
            limits: &request.limits,
            instruments: request.instruments,
            shaper: &shaper,
            program: &program,
            progress: &progress,
            steps: &request.steps,
            trusted_key: request.trusted_key.as_deref(),
            visit: Visit::First,
            number,
            of,
        };
        // One browser, and so one profile, for the first visit and the return visit after it.
        let mut browser = match job.start_browser().await {
            Ok(browser) => Some(browser),
            Err(error @ RecordError::BrowserStart(..)) if recording.loads.is_empty() => return Err(error),
            Err(error) => {
                recording.keep(Err(error), &job);
                None
            }
        };
        if let Some(open) = browser.as_mut() {
            let first = limited(request, job.drive(open)).await;
            // Steps may leave the page in any state; a return visit is a visit like the first.
            let again = request.return_visits && first.as_ref().is_ok_and(|l| l.raw.failed.is_none());
            recording.keep(first, &job);
            if again {
                job.visit = Visit::Return;
                job.steps = &[];
                let second = limited(request, job.drive(open)).await;
                recording.keep(second, &job);
            }
        }
        if let Some(browser) = browser {
            browser.stop().await;
        }
        let done = Progress { load: number, of, visit: job.visit, stage: Stage::Done, requests: 0, frame: None };
        let _ = progress.send(done);
        let usable = recording.loads.iter().any(|l| l.raw.failed.is_none());
        if number == of && request.detail && usable {
            job.visit = Visit::First;
            let detail = limited(request, detail::detail(&job)).await;
            recording.detail = Some(detail.unwrap_or_else(|error| Detail {
                notes: vec![format!("The load for used code failed: {error}")],
                ..Detail::default()
            }));
        }
    }
    private::take_out(&mut recording, &request.private);
    Ok(recording)
}

/// Names of query parameters, with commas or spaces between.
#[must_use]
pub fn private_names(text: &str) -> Vec<String> {
    text.split([',', ' ', '\n']).map(str::trim).filter(|n| !n.is_empty()).map(str::to_owned).collect()
}

/// The parts of a load have limits of their own; this one is for what nobody thought of.
async fn limited<T>(
    request: &RecordRequest,
    load: impl Future<Output = Result<T, RecordError>>,
) -> Result<T, RecordError> {
    let whole = request.limits.longest * 2 + Duration::from_secs(120);
    match tokio::time::timeout(whole, load).await {
        Ok(result) => result,
        Err(_) => Err(RecordError::NoAnswer("the load".into(), whole.as_secs())),
    }
}

impl Recording {
    fn keep(&mut self, result: Result<LoadResult, RecordError>, job: &LoadJob<'_>) {
        match result {
            Ok(load) => {
                self.bodies.extend(load.bodies);
                self.browser = load.browser.or(self.browser.take());
                self.loads.push(RecordedLoad { raw: load.raw });
            }
            Err(error) => self.loads.push(RecordedLoad {
                raw: RawLoad {
                    name: format!("load {}", job.number),
                    visit: job.visit,
                    conditions: Some(job.conditions.clone()),
                    failed: Some(error.to_string()),
                    ..RawLoad::default()
                },
            }),
        }
    }
}
