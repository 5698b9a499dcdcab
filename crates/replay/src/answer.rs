//! One recorded answer, as it is given again.

use crate::order::Before;
use crate::pack::Encoding;
use phainon_core::Http;
use phainon_core::{Pause, RequestId, ResourceKind};
use std::sync::Arc;
use std::time::Duration;

/// A recorded answer.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Answer {
    /// The request that it answered; `None` for files that an edit adds.
    pub request: Option<RequestId>,
    pub url: Arc<str>,
    pub method: String,
    /// The mark of what was sent with the request.
    pub sent_mark: Option<u8>,
    pub kind: ResourceKind,
    pub status: u16,
    /// Without those that belong to a connection or to how the body is packed.
    pub headers: Vec<(String, String)>,
    /// Unpacked.
    pub body: Arc<[u8]>,
    /// How it is packed on the wire.
    pub encoding: Option<Encoding>,
    /// The size of the packed body as it was recorded; `None` packs as servers usually do.
    pub wire: Option<u64>,
    /// Whether its length was told before the body.
    pub told_length: bool,
    /// The server's own time, the way not counted.
    pub wait: Duration,
    /// Whether headers and the beginning of the body go out as one.
    pub together: bool,
    /// Where the body came in a rhythm of the server's.
    pub pauses: Vec<Pause>,
    /// Answers that go before it where they have been asked for, over HTTP/2.
    pub after: Before,
    pub http: Http,
    /// Whether it comes without its body where the browser has it already (304).
    pub revalidates: bool,
    /// Whether the body is that which was recorded. What was not kept is filled with blanks.
    pub exact: bool,
}

impl Answer {
    /// A header's value, by name without regard to case.
    #[must_use]
    pub fn header(&self, name: &str) -> Option<&str> {
        self.headers.iter().find(|(n, _)| n.eq_ignore_ascii_case(name)).map(|(_, value)| value.as_str())
    }

    /// Sets a header, or takes it away.
    pub fn set_header(&mut self, name: &str, value: Option<&str>) {
        self.headers.retain(|(n, _)| !n.eq_ignore_ascii_case(name));
        if let Some(value) = value {
            self.headers.push((name.to_owned(), value.to_owned()));
        }
    }

    /// Gives it another body. Its size on the wire is then whatever packing makes of it.
    pub fn set_body(&mut self, body: Vec<u8>) {
        self.body = body.into();
        self.wire = None;
        self.exact = true;
        // An entity tag, or a digest that the page checks, is of the old body.
        self.set_header("etag", None);
    }

    /// The body as it goes over the wire.
    #[must_use]
    pub fn packed(&self) -> Vec<u8> {
        match (self.encoding, self.wire) {
            (Some(encoding), Some(size)) => encoding.to_size(&self.body, usize::try_from(size).unwrap_or(0)),
            (Some(encoding), None) => encoding.usual(&self.body),
            (None, _) => self.body.to_vec(),
        }
    }

    /// Its body as text, in its own encoding, where it is a text.
    #[must_use]
    pub fn text(&self) -> Option<String> {
        let is_text = matches!(self.kind, ResourceKind::Document | ResourceKind::Style | ResourceKind::Script)
            || self.header("content-type").is_some_and(|t| t.starts_with("text/") || t.contains("json"));
        is_text.then(|| self.charset().decode(&self.body).0.into_owned())
    }

    /// Gives it another text, in its own encoding.
    pub fn set_text(&mut self, text: &str) {
        let (bytes, _, _) = self.charset().encode(text);
        let mut bytes = bytes.into_owned();
        // Browsers ignore the label for UTF-16 where there is no mark; writing always gives UTF-8.
        if self.body.starts_with(b"\xef\xbb\xbf") && self.charset() == encoding_rs::UTF_8 {
            bytes.splice(0..0, *b"\xef\xbb\xbf");
        }
        self.set_body(bytes);
    }

    /// The encoding of its text: by its header, else by a mark of the document's own, else UTF-8.
    fn charset(&self) -> &'static encoding_rs::Encoding {
        let label = |text: &str| {
            let at = text.to_ascii_lowercase().find("charset=")? + "charset=".len();
            let label = text.get(at..)?.trim_start_matches(['"', '\'']);
            let end =
                label.find(|c: char| !(c.is_ascii_alphanumeric() || matches!(c, '-' | '_'))).unwrap_or(label.len());
            encoding_rs::Encoding::for_label(&label.as_bytes()[..end])
        };
        if let Some((encoding, _)) = encoding_rs::Encoding::for_bom(&self.body) {
            return encoding;
        }
        let head = String::from_utf8_lossy(&self.body[..self.body.len().min(1024)]);
        let told = self.header("content-type").and_then(label);
        told.or_else(|| (self.kind == ResourceKind::Document).then(|| label(&head)).flatten())
            .unwrap_or(encoding_rs::UTF_8)
    }
}
