//! A request of a load: what was asked for, by whom, and when each phase of it ended.

use crate::{Bytes, Millis};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::sync::Arc;
use ts_rs::TS;

/// A request's place in [`crate::Load::requests`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[ts(type = "number", export_to = "types.ts")]
pub struct RequestId(pub u32);

/// What a response is, by its use in the page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum ResourceKind {
    Document,
    Style,
    Script,
    Image,
    Font,
    Data,
    Media,
    Other,
}

impl ResourceKind {
    /// As a sentence names it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Document => "document",
            Self::Style => "style",
            Self::Script => "script",
            Self::Image => "image",
            Self::Font => "font",
            Self::Data => "data",
            Self::Media => "media",
            Self::Other => "other",
        }
    }

    /// From a media type such as `text/css; charset=utf-8`, or else from the path's ending.
    #[must_use]
    pub fn guess(mime: &str, url: &str) -> Self {
        let mime = mime.split(';').next().unwrap_or("").trim().to_ascii_lowercase();
        match mime.as_str() {
            "text/html" | "application/xhtml+xml" => return Self::Document,
            "text/css" => return Self::Style,
            "application/json" | "application/xml" | "text/xml" | "application/ld+json" | "text/event-stream" => {
                return Self::Data;
            }
            m if m.contains("javascript") || m.contains("ecmascript") || m == "application/wasm" => {
                return Self::Script;
            }
            m if m.starts_with("image/") => return Self::Image,
            m if m.starts_with("font/") || m.contains("font") => return Self::Font,
            m if m.starts_with("video/") || m.starts_with("audio/") => return Self::Media,
            _ => {}
        }
        let path = url.split(['?', '#']).next().unwrap_or("");
        let name = path.rsplit('/').next().unwrap_or("");
        match name.rsplit_once('.').map(|(_, ending)| ending.to_ascii_lowercase()).as_deref() {
            Some("css") => Self::Style,
            Some("js" | "mjs" | "wasm") => Self::Script,
            Some("png" | "jpg" | "jpeg" | "gif" | "webp" | "avif" | "svg" | "ico") => Self::Image,
            Some("woff" | "woff2" | "ttf" | "otf") => Self::Font,
            Some("json" | "xml") => Self::Data,
            Some("mp4" | "webm" | "mp3" | "ogg" | "m4a") => Self::Media,
            Some("html" | "htm") => Self::Document,
            _ => Self::Other,
        }
    }
}

/// Whether the browser held rendering back for a request, in the browser's own words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum RenderBlocking {
    /// Nothing is painted before this is done.
    Blocking,
    /// It stops the parser inside the body: what stands below it waits.
    InBodyParserBlocking,
    /// It could have blocked, had it been there in time.
    PotentiallyBlocking,
    /// Rendering did not wait for it.
    NonBlocking,
    /// The source of this load does not tell.
    #[default]
    Unknown,
}

impl RenderBlocking {
    /// Whether something of the page waited for it: all of it, or what stands below in the body.
    #[must_use]
    pub fn held_up(self) -> bool {
        matches!(self, Self::Blocking | Self::InBodyParserBlocking)
    }
}

/// Where a response came from when it was not the network.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum CacheSource {
    Memory,
    Disk,
    ServiceWorker,
    /// The server answered 304: the cached body was good.
    Revalidated,
}

/// How a request came about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum InitiatorKind {
    /// The parser or the preload scanner read it in a document.
    Parser,
    /// A script asked for it, or inserted the element that did.
    Script,
    /// A stylesheet names it.
    Style,
    /// A preload link or header named it.
    Preload,
    /// An earlier response redirected here.
    Redirect,
    /// The navigation itself.
    Navigation,
    /// Not known.
    #[default]
    Unknown,
}

/// Who asked for a request.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Initiator {
    /// How it came about.
    pub kind: InitiatorKind,
    /// The document, script or stylesheet that asked.
    #[ts(type = "string | null")]
    pub url: Option<Arc<str>>,
    /// Line in it, counted from 1.
    pub line: Option<u32>,
    /// Column in that line, counted from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub column: Option<u32>,
    /// The calling functions' files, innermost first, for scripts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[ts(type = "string[]")]
    pub stack: Vec<Arc<str>>,
}

/// A header as it was sent, name in the sender's spelling.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Header {
    pub name: String,
    pub value: String,
}

/// One metric of a `Server-Timing` header.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ServerTiming {
    pub name: String,
    pub duration_ms: Option<Millis>,
    pub description: Option<String>,
}

/// A stored response body.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BodyRef {
    /// SHA-256 of the unpacked bytes, in hexadecimal.
    pub hash: String,
    /// Unpacked size.
    pub size: Bytes,
}

/// A part of a body, as it came.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct BodyPart {
    /// When it was there.
    pub at: Millis,
    /// Its bytes over the wire.
    pub bytes: Bytes,
}

/// One request and its response. Times count from navigation start; what was not observed is `None`.
///
/// The phases run in this order and without overlap: queued from `start`, connecting between
/// `connect_start` and `connect_end`, sending from `sent`, waiting until `first_byte`, receiving
/// until `end`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Request {
    pub id: RequestId,
    pub url: Arc<str>,
    pub method: String,
    pub kind: ResourceKind,
    pub status: Option<u16>,
    pub mime: Option<String>,
    pub protocol: Option<String>,
    /// First priority the browser gave, in its own word.
    pub priority: Option<String>,
    /// Last priority, where it changed.
    pub final_priority: Option<String>,
    /// When the page asked for it.
    pub start: Millis,
    pub connect_start: Option<Millis>,
    /// Where in the connection TLS began.
    pub tls_start: Option<Millis>,
    pub connect_end: Option<Millis>,
    pub sent: Option<Millis>,
    pub first_byte: Option<Millis>,
    pub end: Option<Millis>,
    /// When the headers of the final answer were there, where other answers (103) came before it.
    /// `first_byte` is then that of the first answer (Resource Timing, `responseStart`).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub final_headers: Option<Millis>,
    /// When each part of the body came, where that was observed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parts: Vec<BodyPart>,
    /// When the page sent something over it, where it is a web socket. What came over it are its `parts`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub said: Vec<Millis>,
    /// Bytes over the wire, headers included.
    pub transferred: Option<Bytes>,
    /// Body as the page used it.
    pub unpacked: Option<Bytes>,
    pub cache: Option<CacheSource>,
    pub connection: Option<u64>,
    pub render_blocking: RenderBlocking,
    pub initiator: Initiator,
    /// The hop before this one, where this request is the target of a redirect.
    pub redirected_from: Option<RequestId>,
    pub request_headers: Vec<Header>,
    pub response_headers: Vec<Header>,
    /// The first byte of the SHA-256 of what was sent along. What was sent is never kept; so much of it tells a
    /// page's few bodies to one address apart, and is too little to guess a body by.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sent_mark: Option<u8>,
    pub body: Option<BodyRef>,
    /// Why it failed, in the browser's or network's words.
    pub failed: Option<String>,
    /// Whether the main frame asked for it.
    pub main_frame: bool,
}

impl Request {
    /// A request of which nothing but its address is known yet.
    #[must_use]
    pub fn new(id: u32, url: &str, kind: ResourceKind) -> Self {
        Self {
            id: RequestId(id),
            url: url.into(),
            method: "GET".into(),
            kind,
            status: None,
            mime: None,
            protocol: None,
            priority: None,
            final_priority: None,
            start: Millis::ZERO,
            connect_start: None,
            tls_start: None,
            connect_end: None,
            sent: None,
            first_byte: None,
            end: None,
            final_headers: None,
            parts: Vec::new(),
            said: Vec::new(),
            transferred: None,
            unpacked: None,
            cache: None,
            connection: None,
            render_blocking: RenderBlocking::Unknown,
            initiator: Initiator::default(),
            redirected_from: None,
            request_headers: Vec::new(),
            response_headers: Vec::new(),
            sent_mark: None,
            body: None,
            failed: None,
            main_frame: true,
        }
    }

    /// Whether it stays open for the server to say more: a stream of events (HTML, section 9.2) or a web socket.
    #[must_use]
    pub fn is_stream(&self) -> bool {
        self.mime.as_deref() == Some("text/event-stream") || self.is_socket()
    }

    /// Whether it is a web socket (WebSockets, section 3.1).
    #[must_use]
    pub fn is_socket(&self) -> bool {
        self.url.starts_with("ws://") || self.url.starts_with("wss://")
    }

    /// Whether it is a script that another names in an import: no run of that one asked for it.
    #[must_use]
    pub fn is_import(&self) -> bool {
        let by_script = self.kind == ResourceKind::Script && self.initiator.kind == InitiatorKind::Script;
        by_script && self.initiator.stack.is_empty()
    }

    /// A response header's value, by name without regard to case.
    #[must_use]
    pub fn header(&self, name: &str) -> Option<&str> {
        self.response_headers.iter().find(|h| h.name.eq_ignore_ascii_case(name)).map(|h| h.value.as_str())
    }

    /// From asking to the last byte.
    #[must_use]
    pub fn duration(&self) -> Option<Millis> {
        self.end.map(|end| end - self.start)
    }

    /// Host name, without port.
    #[must_use]
    pub fn host(&self) -> Option<String> {
        url::Url::parse(&self.url).ok()?.host_str().map(str::to_owned)
    }

    /// The last part of the path, short enough to stand in a sentence.
    #[must_use]
    pub fn short_name(&self) -> String {
        short_name(&self.url)
    }

    /// Whether it came over http or https (not `data:`, `blob:` or a file).
    #[must_use]
    pub fn is_network(&self) -> bool {
        self.url.starts_with("http://") || self.url.starts_with("https://")
    }
}

/// What is kept of a body that a request sends, as [`Request::sent_mark`]; `None` where it sends nothing.
#[must_use]
pub fn sent_mark(body: &[u8]) -> Option<u8> {
    (!body.is_empty()).then(|| Sha256::digest(body)[0])
}

/// The last part of a URL's path, or its host where the path is bare.
pub(crate) fn short_name(url: &str) -> String {
    let bare = url.split(['?', '#']).next().unwrap_or(url);
    let after = bare.split_once("://").map_or(bare, |(_, rest)| rest);
    let trimmed = after.trim_end_matches('/');
    let name = trimmed.rsplit('/').next().unwrap_or(trimmed);
    // What a blob is called is made up anew in every load.
    let name = match url.split_once(':') {
        Some(("data", _)) => "data: URL",
        Some(("blob", _)) => "blob: URL",
        _ => name,
    };
    if name.chars().count() > 48 {
        format!("{}…", name.chars().take(47).collect::<String>())
    } else {
        name.to_owned()
    }
}
