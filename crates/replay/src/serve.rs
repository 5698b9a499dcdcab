//! Answering: each request with what the book has for it, after the recorded wait, in the recorded rhythm.

use crate::answer::Answer;
use crate::book::Book;
use crate::matching::{Answered, Finder, Match};
use crate::order::{Turn, Turns};
use axum::Router;
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, StatusCode, Version, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use chrono::{DateTime, Duration as Days, Utc};
use futures::stream;
use phainon_core::Http;
use phainon_core::{Millis, Pause, RequestId};
use phainon_local::{LocalHosts, Offer, OverTls};
use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Addresses that nothing answered to are listed up to this many.
const MOST_LISTED: usize = 200;

/// More than this of what a page sends is not read.
const MOST_SENT: usize = 64 << 20;

/// What is known of one load of a replay.
#[derive(Debug, Clone, Default)]
pub struct Told {
    /// How its requests were answered.
    pub answered: Answered,
    /// Addresses for which there was nothing, with how often each was asked for.
    pub unknown: BTreeMap<String, u32>,
}

/// A running replay; dropping it ends it.
pub struct Replay {
    hosts: LocalHosts,
    shared: Arc<Shared>,
}

struct Shared {
    book: Book,
    packed: Vec<Arc<[u8]>>,
    turns: Arc<Turns>,
    finder: Mutex<Finder>,
    told: Mutex<Told>,
    /// Between now and then: what dates in headers are moved by.
    since: Days,
}

impl Replay {
    /// Serves a book on a free port of 127.0.0.1.
    pub async fn start(book: Book) -> std::io::Result<Self> {
        let (book, packed) = tokio::task::spawn_blocking(move || {
            let packed: Vec<Arc<[u8]>> = book.answers.iter().map(|a| a.packed().into()).collect();
            (book, packed)
        })
        .await
        .map_err(std::io::Error::other)?;
        let names: Vec<String> = book.hosts().into_iter().collect();
        let offers: BTreeMap<String, Offer> = names
            .iter()
            .map(|host| (host.clone(), if book.http_of(host) == Http::Second { Offer::Both } else { Offer::First }))
            .collect();
        let began = book.started_at.as_deref().and_then(|at| DateTime::parse_from_rfc3339(at).ok());
        let shared = Arc::new(Shared {
            finder: Mutex::new(Finder::over(&book.answers)),
            told: Mutex::default(),
            turns: Arc::default(),
            since: began.map_or_else(Days::zero, |at| Utc::now() - at.with_timezone(&Utc)),
            book,
            packed,
        });
        let app = Router::new().fallback(any(answer)).with_state(shared.clone());
        let offer = move |host: &str| offers.get(host).copied().unwrap_or_default();
        Ok(Self { hosts: LocalHosts::start(&names, app, offer).await?, shared })
    }

    /// Where it listens, for every host.
    #[must_use]
    pub fn address(&self) -> SocketAddr {
        self.hosts.address()
    }

    /// By what a browser may know its certificate.
    #[must_use]
    pub fn key_hash(&self) -> &str {
        self.hosts.key_hash()
    }

    /// What it serves.
    #[must_use]
    pub fn book(&self) -> &Book {
        &self.shared.book
    }

    /// Ends a load and begins the next: gives what is known of the one that is over.
    pub fn next_load(&self) -> Told {
        self.shared.finder.lock().unwrap_or_else(PoisonError::into_inner).begin();
        std::mem::take(&mut *self.shared.told.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

/// The address that a request asked for, as the browser writes it: HTTP/2 has it whole, HTTP/1.1 says the
/// host in a header, and the connection tells the scheme.
fn address(request: &Request) -> String {
    let named = request.headers().get(header::HOST).and_then(|h| h.to_str().ok());
    let host = request.uri().authority().map(|a| a.as_str().to_owned()).or_else(|| named.map(str::to_owned));
    let secure = request.extensions().get::<OverTls>().is_some_and(|o| o.0);
    let rest = request.uri().path_and_query().map_or("/", |p| p.as_str());
    let url = format!("{}://{}{rest}", if secure { "https" } else { "http" }, host.unwrap_or_default());
    url::Url::parse(&url).map_or(url, |u| u.to_string())
}

async fn answer(State(shared): State<Arc<Shared>>, request: Request) -> Response {
    let method = request.method().as_str().to_owned();
    let address = address(&request);
    let version = request.version();
    let headers = request.headers().clone();
    // What a page sends is read first, as its server would have: from then on it is at work.
    let sent = axum::body::to_bytes(request.into_body(), MOST_SENT).await.unwrap_or_default();
    let arrived = tokio::time::Instant::now();
    let found = shared.find(&method, &address, phainon_core::sent_mark(&sent));
    if headers.contains_key(header::ACCESS_CONTROL_REQUEST_METHOD) && method == "OPTIONS" && matches!(found, Match::Not)
    {
        return preflight(&headers);
    }
    let place = match found {
        Match::Exactly(place) | Match::Nearly(place) => place,
        Match::Not => {
            shared.unknown(&method, &address);
            return (StatusCode::NOT_FOUND, "This was not asked for in the recorded load.\n").into_response();
        }
    };
    let answer = &shared.book.answers[place];
    let who = answer.request.filter(|_| version == Version::HTTP_2);
    let turn = who.map(|who| shared.turns.take(who));
    tokio::time::sleep_until(arrived + answer.wait).await;
    if turn.is_some() {
        shared.turns.wait(&answer.after.headers).await;
    }
    shared.response(answer, &shared.packed[place], turn, version, &headers, method == "HEAD")
}

/// A page of one site may ask for what was recorded of another, as it did.
fn preflight(asked: &HeaderMap) -> Response {
    let mut answer = StatusCode::NO_CONTENT.into_response();
    let headers = answer.headers_mut();
    let mut copy = |from: HeaderName, to: HeaderName| {
        if let Some(value) = asked.get(from) {
            headers.insert(to, value.clone());
        }
    };
    copy(header::ORIGIN, header::ACCESS_CONTROL_ALLOW_ORIGIN);
    copy(header::ACCESS_CONTROL_REQUEST_METHOD, header::ACCESS_CONTROL_ALLOW_METHODS);
    copy(header::ACCESS_CONTROL_REQUEST_HEADERS, header::ACCESS_CONTROL_ALLOW_HEADERS);
    headers.insert(header::ACCESS_CONTROL_ALLOW_CREDENTIALS, HeaderValue::from_static("true"));
    answer
}

impl Shared {
    fn find(&self, method: &str, url: &str, sent: Option<u8>) -> Match {
        let found = self.finder.lock().unwrap_or_else(PoisonError::into_inner).find(method, url, sent);
        let mut told = self.told.lock().unwrap_or_else(PoisonError::into_inner);
        match found {
            Match::Exactly(_) => told.answered.exactly += 1,
            Match::Nearly(_) => told.answered.nearly += 1,
            Match::Not => {}
        }
        found
    }

    fn unknown(&self, method: &str, url: &str) {
        let mut told = self.told.lock().unwrap_or_else(PoisonError::into_inner);
        // What browsers ask for by themselves is no gap of the replay.
        if url.ends_with("/favicon.ico") {
            return;
        }
        told.answered.not += 1;
        let name = if method == "GET" { url.to_owned() } else { format!("{method} {url}") };
        if told.unknown.len() < MOST_LISTED || told.unknown.contains_key(&name) {
            *told.unknown.entry(name).or_default() += 1;
        }
    }

    fn response(
        &self,
        answer: &Answer,
        packed: &Arc<[u8]>,
        turn: Option<Turn>,
        version: Version,
        asked: &HeaderMap,
        head: bool,
    ) -> Response {
        let mut made = Response::new(Body::empty());
        let fresh = self.is_known(answer, asked);
        *made.status_mut() = if fresh {
            StatusCode::NOT_MODIFIED
        } else {
            StatusCode::from_u16(answer.status).unwrap_or(StatusCode::OK)
        };
        let second = version == Version::HTTP_2;
        for (name, value) in &answer.headers {
            let value = self.moved(name, value);
            if let (Ok(name), Ok(value)) = (HeaderName::try_from(name.as_str()), HeaderValue::try_from(value.as_str()))
            {
                made.headers_mut().append(name, value);
            }
        }
        if answer.http == Http::Closing && !second {
            made.headers_mut().insert(header::CONNECTION, HeaderValue::from_static("close"));
        }
        if fresh {
            return made;
        }
        if let Some(encoding) = answer.encoding {
            made.headers_mut().insert(header::CONTENT_ENCODING, HeaderValue::from_static(encoding.name()));
        }
        if answer.told_length || head {
            made.headers_mut().insert(header::CONTENT_LENGTH, HeaderValue::from(packed.len()));
        }
        if head {
            return made;
        }
        *made.body_mut() = body(packed.clone(), answer, turn);
        made
    }

    /// Whether the browser has it already: a body that was recorded once does not change.
    fn is_known(&self, answer: &Answer, asked: &HeaderMap) -> bool {
        if !answer.revalidates {
            return false;
        }
        let tag = asked.get(header::IF_NONE_MATCH).and_then(|v| v.to_str().ok());
        match (tag, answer.header("etag")) {
            (Some(tag), Some(own)) => {
                let strong = |t: &str| t.trim().trim_start_matches("W/").to_owned();
                tag.split(',').any(|t| strong(t) == strong(own))
            }
            (None, _) => asked.contains_key(header::IF_MODIFIED_SINCE) && answer.header("last-modified").is_some(),
            (Some(_), None) => false,
        }
    }

    /// Dates count from now as they did from then, or everything would have grown stale in between.
    fn moved(&self, name: &str, value: &str) -> String {
        let dated = ["date", "expires", "last-modified"].iter().any(|d| name.eq_ignore_ascii_case(d));
        match DateTime::parse_from_rfc2822(value) {
            Ok(at) if dated => (at.with_timezone(&Utc) + self.since).format("%a, %d %b %Y %H:%M:%S GMT").to_string(),
            _ => value.to_owned(),
        }
    }
}

/// How long headers go ahead of a body that did not come with them: enough for them to be written alone.
const AHEAD: Duration = Duration::from_millis(1);

/// How much of a body is handed on before it is looked whether another goes before the rest.
const PIECE: usize = 16_384;

/// A body that comes in one piece, or in the pieces and at the times in which the server sent it; over
/// HTTP/2 others go before it as they did.
fn body(packed: Arc<[u8]>, answer: &Answer, turn: Option<Turn>) -> Body {
    if turn.is_none() && answer.pauses.is_empty() && answer.together {
        return Body::from(packed.to_vec());
    }
    let largest = if turn.is_some() { PIECE } else { usize::MAX };
    let pieces = pieces(packed.len(), answer, largest).into_iter();
    let rest = Rest { pieces, packed, after: answer.after.body.clone(), turn };
    Body::from_stream(stream::unfold(rest, Rest::next))
}

/// What is still to be sent of a body.
struct Rest {
    pieces: std::vec::IntoIter<(Duration, std::ops::Range<usize>)>,
    packed: Arc<[u8]>,
    after: Vec<RequestId>,
    turn: Option<Turn>,
}

impl Rest {
    async fn next(mut self) -> Option<(std::io::Result<Vec<u8>>, Self)> {
        let (wait, piece) = self.pieces.next()?;
        if !wait.is_zero() {
            tokio::time::sleep(wait).await;
        }
        if let Some(turn) = &self.turn {
            turn.turns().wait(&self.after).await;
        }
        Some((Ok(self.packed[piece].to_vec()), self))
    }
}

/// The pieces of a body of so many bytes, each with how long it is waited for.
fn pieces(length: usize, answer: &Answer, largest: usize) -> Vec<(Duration, std::ops::Range<usize>)> {
    let mut pieces = Vec::new();
    let (mut from, mut wait) = (0, if answer.together { Duration::ZERO } else { AHEAD });
    let end = Pause { after: length as u64, until: Millis::ZERO, pause: Duration::ZERO };
    for Pause { after, pause, .. } in answer.pauses.iter().chain([&end]) {
        let to = usize::try_from(*after).unwrap_or(usize::MAX).min(length);
        while from < to {
            let until = to.min(from.saturating_add(largest));
            pieces.push((std::mem::take(&mut wait), from..until));
            from = until;
        }
        wait += *pause;
    }
    pieces
}
