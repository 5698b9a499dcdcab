//! The network's events of one load, as the browser's debugging protocol told them.
//!
//! A [`NetworkLog`] is a raw part: it is kept and read anew whenever reading has become better.
//! [`sieve`] decides what of an event is kept at all (no cookies, no credentials, no bodies of
//! requests); [`requests`] turns the log into requests.

mod requests;
mod sieve;

pub use requests::{Before, MOST_REQUESTS, NetworkFacts, read};

use serde::{Deserialize, Serialize};
use serde_json::Value;

/// A response body that was kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeptBody {
    /// The protocol's id of the request; the body is that of its last hop.
    pub request: String,
    /// SHA-256 of the unpacked bytes, in hexadecimal.
    pub hash: String,
    /// Unpacked size in bytes.
    pub size: u64,
    /// Whether these are the very bytes that came. The browser hands text out decoded; where it
    /// cannot be put back into the page's own encoding it is kept as UTF-8.
    #[serde(default = "yes")]
    pub exact: bool,
}

fn yes() -> bool {
    true
}

/// No event is longer: its values may take twenty times its text while it is read.
const LONGEST: usize = 16 << 20;

/// Events of the protocol's network domain, one JSON object a line, in the order in which they
/// came, and the bodies that were kept of their responses.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct NetworkLog {
    /// `{"method":…,"session":…,"params":…}` a line.
    pub events: Vec<u8>,
    /// Kept bodies.
    pub bodies: Vec<KeptBody>,
}

/// One line of the log.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct NetworkEvent {
    /// `Network.requestWillBeSent` and its like.
    pub method: String,
    /// Which session told it: inner frames of other sites and workers have their own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub session: Option<String>,
    /// What it says.
    pub params: Value,
}

impl NetworkLog {
    /// Adds an event, as far as it is kept.
    pub fn add(&mut self, method: &str, session: Option<&str>, params: &Value) {
        let Some(params) = sieve::kept(method, params) else { return };
        let event = NetworkEvent { method: method.to_owned(), session: session.map(str::to_owned), params };
        if serde_json::to_writer(&mut self.events, &event).is_ok() {
            self.events.push(b'\n');
        }
    }

    /// The events, in order; lines that are none are passed over.
    pub fn events(&self) -> impl Iterator<Item = NetworkEvent> {
        let lines = self.events.split(|b| *b == b'\n').filter(|line| line.len() <= LONGEST);
        lines.filter_map(|line| serde_json::from_slice(line).ok())
    }
}
