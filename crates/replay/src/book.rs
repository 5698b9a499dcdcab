//! All answers of one recorded load: what a replay is served from, and what edits work on.

use crate::answer::Answer;
use crate::filler::filler;
use crate::order::{Before, Order};
use crate::pack::Encoding;
use phainon_core::Http;
use phainon_core::{Bodies, Line, Load, Note, Request};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Headers that belong to a connection, or that say how the body is packed; those are made anew.
const OF_THE_CONNECTION: [&str; 9] = [
    "connection",
    "keep-alive",
    "proxy-connection",
    "transfer-encoding",
    "upgrade",
    "content-length",
    "content-encoding",
    "alt-svc",
    "strict-transport-security",
];

/// Why a load cannot be replayed, in one sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CannotReplay {
    /// Nothing was asked for over the network.
    #[error("This load has no requests, so there is nothing to serve again; a recording or a HAR has them.")]
    NoRequests,
    /// The page's own document is not there.
    #[error("The body of the document, {0}, was not kept, and without it there is no page to serve again.")]
    NoDocument(String),
}

/// What of a load a replay cannot give as it was.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize, ts_rs::TS)]
#[serde(tag = "what", rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Shortfall {
    /// Bodies that were not kept go out as as many bytes that say nothing.
    BodiesMissing {
        /// How many.
        count: usize,
    },
    /// Web sockets do not open.
    SocketsClosed {
        /// How many web sockets.
        count: usize,
    },
    /// Streams of events end at once.
    StreamsSilent {
        /// How many.
        count: usize,
    },
    /// Answers that a service worker gave: it runs again, over what was kept.
    ServiceWorker {
        /// How many.
        count: usize,
    },
    /// The page had moved on by itself before this load, over connections that a replay opens anew.
    MovedOn,
    /// What a user did in the load is not known step by step, so nobody does it again.
    NotActed,
    /// Requests that had no answer when the load was over.
    Unanswered {
        /// How many.
        count: usize,
    },
}

impl Shortfall {
    /// In words.
    #[must_use]
    pub fn sentence(&self) -> String {
        match self {
            Self::BodiesMissing { count } => {
                format!("The bodies of {count} responses were not kept; as many bytes that say nothing are served instead.")
            }
            Self::SocketsClosed { count } => {
                format!("{count} web sockets cannot be replayed: what they said was not kept, and they do not open.")
            }
            Self::StreamsSilent { count } => {
                format!("{count} streams of events cannot be replayed: they open and say nothing.")
            }
            Self::ServiceWorker { count } => {
                format!("A service worker gave {count} of the answers; it runs again, over what was kept.")
            }
            Self::MovedOn => "The page had moved on by itself before this load began, and its connections were open by then; a replay opens them anew and is that much later.".to_owned(),
            Self::NotActed => {
                "The load has a user's input whose steps were not kept, so nobody acts in a replay and it has no INP."
                    .to_owned()
            }
            Self::Unanswered { count } => {
                format!("{count} requests had no answer when the load was over; they get none in a replay either.")
            }
        }
    }
}

/// The answers of a load.
#[derive(Debug, Clone)]
pub struct Book {
    /// The address that was asked for.
    pub page: Arc<str>,
    /// When the load began (RFC 3339), where that is known.
    pub started_at: Option<String>,
    /// In the order of the requests. Several for one address are given in this order.
    pub answers: Vec<Answer>,
    /// Addresses that the browser does not ask for: what an edit takes off the page but scripts go on asking for.
    pub taken_off: BTreeSet<String>,
    /// Hosts with another round trip than the link's.
    pub round_trips: BTreeMap<String, std::time::Duration>,
    /// Hosts that speak another HTTP than they were recorded with.
    pub speaks: BTreeMap<String, Http>,
    /// Hosts that could not be connected to.
    pub refused: BTreeSet<String>,
    /// What cannot be given as it was.
    pub shortfalls: Vec<Shortfall>,
}

impl Book {
    /// The answers of a load, with its bodies.
    pub fn of(load: &Load, bodies: &dyn Bodies) -> Result<Self, CannotReplay> {
        let line = Line::of(load);
        let order = Order::of(load, &line);
        let network: Vec<&Request> = load
            .requests
            .iter()
            .filter(|r| r.is_network() && r.cache.is_none_or(|c| c == phainon_core::CacheSource::Revalidated))
            .collect();
        if network.is_empty() {
            return Err(CannotReplay::NoRequests);
        }
        let mut answers = Vec::with_capacity(network.len());
        let (mut missing, mut streams, mut unanswered) = (0, 0, 0);
        for request in &network {
            let Some(status) = request.status.filter(|s| (100..1000).contains(s)) else {
                unanswered += 1;
                continue;
            };
            streams += usize::from(request.is_stream());
            let mut answer = answer(load, request, status, bodies, &line);
            answer.after = order.before(request);
            missing += usize::from(!answer.exact);
            answers.push(answer);
        }
        let document = load.document().filter(|d| d.is_network());
        let has = |d: &Request| answers.iter().any(|a| a.request == Some(d.id) && a.exact && !a.body.is_empty());
        match document {
            Some(document) if !has(document) => return Err(CannotReplay::NoDocument(document.url.to_string())),
            None => return Err(CannotReplay::NoRequests),
            Some(_) => {}
        }
        let answered: BTreeSet<String> =
            network.iter().filter(|r| r.status.is_some()).filter_map(|r| r.host()).collect();
        let refused = network
            .iter()
            .filter(|r| r.status.is_none() && r.failed.is_some())
            .filter_map(|r| r.host())
            .filter(|host| !answered.contains(host))
            .collect();
        let sockets = load.requests.iter().filter(|r| r.is_socket()).count();
        let workers =
            load.requests.iter().filter(|r| r.cache == Some(phainon_core::CacheSource::ServiceWorker)).count();
        let shortfalls = [
            (missing, Shortfall::BodiesMissing { count: missing }),
            (sockets, Shortfall::SocketsClosed { count: sockets }),
            (streams, Shortfall::StreamsSilent { count: streams }),
            (workers, Shortfall::ServiceWorker { count: workers }),
            (unanswered, Shortfall::Unanswered { count: unanswered }),
            (usize::from(load.acted.is_some() && load.steps.is_empty()), Shortfall::NotActed),
            (usize::from(load.notes.iter().any(|n| matches!(n, Note::MovedOn { .. }))), Shortfall::MovedOn),
        ];
        Ok(Self {
            page: load.document().map_or_else(|| load.url.clone(), |d| load.first_hop(d).url.clone()),
            started_at: load.started_at.clone(),
            answers,
            taken_off: BTreeSet::new(),
            round_trips: BTreeMap::new(),
            speaks: BTreeMap::new(),
            refused,
            shortfalls: shortfalls.into_iter().filter(|(count, _)| *count > 0).map(|(_, s)| s).collect(),
        })
    }

    /// With what the return visit of the load tells: answers that only it asked for, and which servers send a
    /// file again although the browser has it.
    pub fn add_return(&mut self, again: &Load, bodies: &dyn Bodies) {
        let line = Line::of(again);
        let asked = again.requests.iter().filter(|r| r.is_network() && r.cache.is_none());
        for request in asked {
            let Some(status) = request.status.filter(|s| (100..1000).contains(s)) else { continue };
            let url = without_fragment(&request.url);
            let conditional = request.request_headers.iter().any(|h| {
                h.name.eq_ignore_ascii_case("if-none-match") || h.name.eq_ignore_ascii_case("if-modified-since")
            });
            let mut known = self.answers.iter_mut().filter(|a| a.url == url && a.method == request.method).peekable();
            if known.peek().is_none() {
                self.answers.push(Answer { request: None, ..answer(again, request, status, bodies, &line) });
            } else if conditional && status == 200 {
                known.for_each(|a| a.revalidates = false);
            }
        }
    }

    /// Every host that it answers for.
    #[must_use]
    pub fn hosts(&self) -> BTreeSet<String> {
        self.answers.iter().filter_map(|a| host_of(&a.url)).collect()
    }

    /// Which HTTP a host speaks: as most of its answers came, or as an edit has it.
    #[must_use]
    pub fn http_of(&self, host: &str) -> Http {
        if let Some(http) = self.speaks.get(host) {
            return *http;
        }
        let of_host = self.answers.iter().filter(|a| host_of(&a.url).as_deref() == Some(host));
        let second = of_host.clone().filter(|a| a.http == Http::Second).count();
        if second * 2 > of_host.count() { Http::Second } else { Http::First }
    }

    /// The page's own document: the last hop.
    #[must_use]
    pub fn document(&self) -> Option<&Answer> {
        let mut at: Arc<str> = self.page.clone();
        for _ in 0..20 {
            let found = self.answers.iter().find(|a| a.url == at && a.method == "GET")?;
            match found.header("location").filter(|_| (300..400).contains(&found.status)) {
                Some(to) => at = url::Url::parse(&found.url).ok()?.join(to).ok()?.as_str().into(),
                None => return Some(found),
            }
        }
        None
    }

    /// Its place among the answers.
    #[must_use]
    pub fn document_place(&self) -> Option<usize> {
        let document: *const Answer = self.document()?;
        self.answers.iter().position(|a| std::ptr::eq(a, document))
    }
}

/// The host of an address.
#[must_use]
pub fn host_of(url: &str) -> Option<String> {
    url::Url::parse(url).ok()?.host_str().map(str::to_owned)
}

fn answer(load: &Load, request: &Request, status: u16, bodies: &dyn Bodies, line: &Line) -> Answer {
    let body = request.body.as_ref().and_then(|b| bodies.body(&b.hash));
    let empty = request.method == "HEAD"
        || request.is_stream()
        || request.unpacked.or(request.transferred).is_some_and(|size| size.0 == 0)
        || matches!(status, 204 | 205 | 304)
        || (300..400).contains(&status);
    let mut cookies = 0;
    let headers = request
        .response_headers
        .iter()
        .filter(|h| !OF_THE_CONNECTION.iter().any(|c| h.name.eq_ignore_ascii_case(c)) && !h.name.starts_with(':'))
        .flat_map(|h| h.value.split('\n').map(|value| (h.name.clone(), value.to_owned())))
        .map(|(name, value)| {
            if name.eq_ignore_ascii_case("set-cookie") && value.starts_with("(not kept") {
                cookies += 1;
                // What it said was never kept; that it was set, and how long it was, is.
                let length = value
                    .bytes()
                    .filter(u8::is_ascii_digit)
                    .fold(0usize, |n, d| n.saturating_mul(10).saturating_add(usize::from(d - b'0')));
                let filled = "0".repeat(length.min(4_000).saturating_sub(12));
                return (name, format!("kept{cookies}={filled}; Path=/"));
            }
            (name, value)
        })
        .collect();
    let told_length = request.header("content-length").is_some();
    let encoding = request.header("content-encoding").and_then(Encoding::named);
    let parts: u64 = request.parts.iter().map(|p| p.bytes.0).sum();
    let told: Option<u64> = request.header("content-length").and_then(|v| v.trim().parse().ok());
    let wire = told.filter(|_| status != 304).or_else(|| (parts > 0).then_some(parts));
    // A text sent again after 304 is what the cache had.
    let exact = body.is_some() || empty;
    let body = match body {
        Some(body) => body,
        None if empty => Vec::new(),
        None => filler(load, request),
    };
    Answer {
        request: Some(request.id),
        url: without_fragment(&request.url),
        method: request.method.clone(),
        sent_mark: request.sent_mark,
        kind: request.kind,
        // The browser of a replay has an empty cache: it gets the body, and the next time may be told that it has not changed.
        status: if status == 304 && !body.is_empty() { 200 } else { status },
        headers,
        body: body.into(),
        encoding,
        wire: wire.filter(|_| encoding.is_some()),
        told_length: told_length || !matches!(Http::named(request.protocol.as_deref()), Http::First),
        wait: line.wait(load, request),
        together: Line::came_together(request),
        pauses: line.pauses(load, request),
        after: Before::default(),
        http: Http::named(request.protocol.as_deref()),
        revalidates: true,
        exact,
    }
}

fn without_fragment(url: &Arc<str>) -> Arc<str> {
    match url.split_once('#') {
        Some((bare, _)) if url.starts_with("http") => bare.into(),
        _ => url.clone(),
    }
}
