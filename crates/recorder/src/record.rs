//! A recording: several loads of one page under one set of conditions.

use crate::access::Access;
use crate::job::{Instruments, LoadJob, LoadLimits};
use crate::load::LoadResult;
use crate::log_in::log_in;
use crate::private::Secrets;
use crate::shaper::{HostMap, Link, Shaper};
use crate::steps::Step;
use crate::trace_context::TraceContext;
use crate::{RecordError, access, browser, detail, machine, turn};
use phainon_core::{Conditions, Note, Visit};
use phainon_formats::{BodyMap, Detail, Machine, RawLoad};
use serde::Serialize;
use std::collections::BTreeMap;
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
    /// What opens a page that is not public.
    pub access: Access,
    /// Hosts and parts of addresses that the browser does not ask for.
    pub blocked: Vec<String>,
    /// The one public key (SHA-256, base64) that is taken although nobody vouches for it: the stand-in's.
    pub trusted_key: Option<String>,
    /// Hosts that local servers stand in for.
    pub hosts: Vec<(String, SocketAddr)>,
    /// Refuse addresses that are not public.
    pub public_only: bool,
    /// Query parameters whose values are not kept.
    pub private: Vec<String>,
    /// Whether requests to the page's own host name a trace, so that its server can tell of its work. Of a page that
    /// is not public, or has private values, it is not asked: the server would tell values that are not to be kept.
    pub server_spans: bool,
    /// Whom the page is recorded from, where that is not the network.
    pub sealed: Option<Sealed>,
}

/// A page that is recorded without any network: one local server stands for all there is.
#[derive(Debug, Clone)]
pub struct Sealed {
    /// Where every host leads.
    pub server: SocketAddr,
    /// Hosts with another round trip than the link's.
    pub round_trips: BTreeMap<String, Duration>,
    /// A script that runs before all others in every document.
    pub before: String,
    /// Addresses that the browser does not ask for.
    pub not_asked: Vec<String>,
    /// Hosts that take no connection.
    pub refused: Vec<String>,
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
            access: Access::default(),
            blocked: Vec::new(),
            trusted_key: None,
            hosts: Vec::new(),
            public_only: false,
            private: Vec::new(),
            server_spans: false,
            sealed: None,
        }
    }
}

/// Which part of a load is under way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Stage {
    /// Another recording is under way on this machine.
    Waiting,
    Starting,
    /// Steps before the load.
    LoggingIn,
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

/// One load's outcome, handed out as soon as it is over.
pub struct RecordedLoad {
    /// Its raw parts; a load that failed early has nothing but its reason.
    pub raw: RawLoad,
    /// The bodies that it names.
    pub bodies: BodyMap,
}

/// A part of a recording that is finished.
pub enum Part {
    /// What is known before the first load.
    Machine(Machine),
    /// A load, in order.
    Load(Box<RecordedLoad>),
    /// What the load for used code told.
    Detail(Detail),
}

/// Takes the parts of a recording as they are finished.
pub trait Keep: Send {
    /// Takes one. The next load begins when this is done: it must not be measured beside it.
    fn keep(&mut self, part: Part) -> impl Future<Output = ()> + Send;
}

/// What a recording is of.
#[derive(Debug, Clone, PartialEq)]
pub struct RecordingAbout {
    /// The address asked for, without its private values.
    pub url: String,
    /// Whose load it really was: a browser elsewhere has a link of its own.
    pub conditions: Conditions,
}

/// A finished recording, whole.
pub struct Recording {
    /// What it is of.
    pub about: RecordingAbout,
    /// The loads in order.
    pub loads: Vec<RawLoad>,
    /// Their bodies.
    pub bodies: BodyMap,
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

impl RecordRequest {
    /// The trace of a load that names one.
    fn traced(&self) -> Option<TraceContext> {
        let may =
            self.server_spans && self.sealed.is_none() && self.access == Access::default() && self.private.is_empty();
        may.then(TraceContext::random)
    }

    /// What the recording will be of.
    pub fn about(&self) -> Result<RecordingAbout, RecordError> {
        let url = check_address(&self.url)?;
        let program = browser::find(self.browser.as_deref())?;
        let mut secrets = Secrets::of(self.access.secrets());
        secrets.learn(url.as_str(), &self.private);
        let mut conditions = self.conditions.clone();
        if browser::is_elsewhere(&program) && self.sealed.is_some() {
            return Err(RecordError::Other(
                "A browser elsewhere has a network of its own; a replay needs one on this machine.".into(),
            ));
        }
        if browser::is_elsewhere(&program) {
            if self.public_only {
                return Err(RecordError::Other(
                    "A browser elsewhere may reach private addresses, and this server records public ones only.".into(),
                ));
            }
            conditions.name = format!("{}, on the link of the browser elsewhere", conditions.name);
            (conditions.round_trip_ms, conditions.down_bits, conditions.up_bits) = (0.0, 0, 0);
            conditions.distance = phainon_core::Distance::SameCity;
        }
        Ok(RecordingAbout { url: secrets.out_of(url.as_str()), conditions })
    }
}

/// Makes the recording and hands out each part as it is finished. Fails as a whole only where no
/// load could be tried at all; otherwise each load carries its own reason. Dropping the future ends
/// the browser.
pub async fn record(
    request: &RecordRequest,
    progress: mpsc::UnboundedSender<Progress>,
    keep: &mut impl Keep,
) -> Result<(), RecordError> {
    let url = check_address(&request.url)?;
    let about = request.about()?;
    let program = browser::find(request.browser.as_deref())?;
    let of = request.loads.clamp(1, 20);
    let waits = Progress { load: 1, of, visit: Visit::First, stage: Stage::Waiting, requests: 0, frame: None };
    // Who asked may be gone; the recording then ends with its future.
    let say = || drop(progress.send(waits));
    let _turn = turn::take(&turn::meeting_place(), say).await;
    let machine = tokio::task::spawn_blocking(machine::look).await.unwrap_or_default();
    let mut keeper = Keeper { request, keep, secrets: Secrets::of(request.access.secrets()), usable: false };
    keeper.keep.keep(Part::Machine(machine)).await;
    let hosts: HostMap = request.hosts.iter().cloned().collect();
    keeper.secrets.learn(url.as_str(), &request.private);
    let not_asked = request.sealed.iter().flat_map(|s| &s.not_asked);
    let blocked: Vec<String> = request.blocked.iter().chain(not_asked).cloned().collect();
    for number in 1..=of {
        let mut link = Link::of(&about.conditions, hosts.clone(), request.public_only);
        link.blocked = request.blocked.iter().filter(|b| access::is_host(b)).map(|b| b.to_ascii_lowercase()).collect();
        if let Some(sealed) = &request.sealed {
            link.all_to = Some(sealed.server);
            link.round_trips.clone_from(&sealed.round_trips);
            link.refused.clone_from(&sealed.refused);
        }
        let shaper =
            Shaper::start(link).await.map_err(|e| RecordError::Other(format!("The link shaper did not start: {e}")))?;
        let mut job = LoadJob {
            url: url.as_str(),
            conditions: &about.conditions,
            limits: &request.limits,
            instruments: request.instruments,
            access: &request.access,
            blocked: &blocked,
            before: request.sealed.as_ref().map(|s| s.before.as_str()),
            shaper: &shaper,
            program: &program,
            progress: &progress,
            steps: &request.steps,
            trusted_key: request.trusted_key.as_deref(),
            trace: request.traced(),
            visit: Visit::First,
            number,
            of,
        };
        // One browser, and so one profile, for the first visit and the return visit after it.
        match job.start_browser().await {
            Ok(mut browser) => {
                let first = limited(request, async {
                    log_in(&job, &mut browser).await?;
                    job.drive(&mut browser).await
                });
                let first = first.await;
                // Steps may leave the page in any state; a return visit is a visit like the first.
                let again = request.return_visits && first.as_ref().is_ok_and(|l| l.raw.failed.is_none());
                keeper.take(first, &job).await;
                if again {
                    job.visit = Visit::Return;
                    job.trace = request.traced();
                    job.steps = &[];
                    let second = limited(request, job.drive(&mut browser)).await;
                    keeper.take(second, &job).await;
                }
                browser.stop().await;
            }
            Err(error @ RecordError::BrowserStart(..)) if number == 1 => return Err(error),
            Err(error) => keeper.take(Err(error), &job).await,
        }
        let done = Progress { load: number, of, visit: job.visit, stage: Stage::Done, requests: 0, frame: None };
        let _ = progress.send(done);
        if number == of && request.detail && keeper.usable {
            job.visit = Visit::First;
            job.trace = None;
            let mut detail = limited(request, detail::detail(&job)).await.unwrap_or_else(|error| Detail {
                notes: vec![Note::DetailFailed { why: error.to_string() }],
                ..Detail::default()
            });
            keeper.secrets.take_out_of_detail(&mut detail);
            keeper.keep.keep(Part::Detail(detail)).await;
        }
    }
    Ok(())
}

/// Makes the recording and gives it whole.
pub async fn record_whole(
    request: &RecordRequest,
    progress: mpsc::UnboundedSender<Progress>,
) -> Result<Recording, RecordError> {
    let about = request.about()?;
    let mut recording =
        Recording { about, loads: Vec::new(), bodies: BodyMap::new(), machine: Machine::default(), detail: None };
    record(request, progress, &mut recording).await?;
    Ok(recording)
}

impl Keep for Recording {
    async fn keep(&mut self, part: Part) {
        match part {
            Part::Machine(machine) => self.machine = machine,
            Part::Load(load) => {
                self.loads.push(load.raw);
                self.bodies.extend(load.bodies);
            }
            Part::Detail(detail) => self.detail = Some(detail),
        }
    }
}

/// Hands loads on, without what is private.
struct Keeper<'a, K> {
    request: &'a RecordRequest,
    keep: &'a mut K,
    secrets: Secrets,
    /// Whether any load came through.
    usable: bool,
}

impl<K: Keep> Keeper<'_, K> {
    async fn take(&mut self, result: Result<LoadResult, RecordError>, job: &LoadJob<'_>) {
        let (mut raw, mut bodies) = match result {
            Ok(load) => (load.raw, load.bodies),
            Err(error) => (
                RawLoad {
                    name: format!("load {}", job.number),
                    visit: job.visit,
                    conditions: Some(job.conditions.clone()),
                    failed: Some(error.to_string()),
                    ..RawLoad::default()
                },
                BodyMap::new(),
            ),
        };
        let (names, mut secrets) = (self.request.private.clone(), std::mem::take(&mut self.secrets));
        // Megabytes of trace and bodies are looked through: not on a thread that others wait for.
        let cleaned = tokio::task::spawn_blocking(move || {
            if let Some(log) = &raw.network {
                secrets.learn_from(log, &names);
            }
            secrets.take_out(&mut raw, &mut bodies);
            (raw, bodies, secrets)
        });
        let Ok((raw, bodies, secrets)) = cleaned.await else { return };
        self.secrets = secrets;
        self.usable |= raw.failed.is_none();
        self.keep.keep(Part::Load(Box::new(RecordedLoad { raw, bodies }))).await;
    }
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
