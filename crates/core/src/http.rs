//! Versions of HTTP, as far as it matters how answers share a connection.

use crate::Request;

/// Which HTTP an answer came over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Http {
    /// 1.0: the connection ends with the answer.
    Closing,
    /// 1.1.
    First,
    /// 2 or 3: many answers at once over one connection. A replay serves both as 2.
    Second,
}

impl Http {
    /// By the browser's word for it; 1.1 where nothing is told.
    #[must_use]
    pub fn named(word: Option<&str>) -> Self {
        match word.unwrap_or_default().to_ascii_lowercase().as_str() {
            "http/1.0" => Self::Closing,
            word if word.starts_with("h2") || word.starts_with("h3") || word.contains("/2") || word.contains("/3") => {
                Self::Second
            }
            _ => Self::First,
        }
    }
}

/// Whether a connection ends with a request's answer (HTTP/1.1, RFC 9112, section 9.3): before 1.1 unless the answer says
/// that it does not, and in 1.1 where it says so.
pub(crate) fn closes(request: &Request) -> bool {
    let says = |word: &str| {
        let words = request.header("connection").unwrap_or_default().split(',');
        words.map(str::trim).any(|own| own.eq_ignore_ascii_case(word))
    };
    match Http::named(request.protocol.as_deref()) {
        Http::Closing => !says("keep-alive"),
        Http::First => says("close"),
        Http::Second => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Header, ResourceKind};

    #[test]
    fn connections_end_with_answers_that_say_so_and_with_old_ones_that_say_nothing() {
        let told = |protocol: &str, connection: Option<&str>| {
            let mut request = Request::new(0, "http://www.skerryline.test/", ResourceKind::Document);
            request.protocol = Some(protocol.into());
            let header = |value: &str| Header { name: "Connection".into(), value: value.into() };
            request.response_headers = connection.map(header).into_iter().collect();
            closes(&request)
        };
        assert!(told("http/1.0", None) && !told("http/1.0", Some("keep-alive")));
        assert!(!told("http/1.1", None) && told("http/1.1", Some("Upgrade, Close")));
        assert!(!told("h2", Some("close")));
    }

    #[test]
    fn browsers_and_hars_have_words_of_their_own_for_it() {
        for word in ["h2", "h3", "h3-29", "HTTP/2", "http/2.0", "HTTP/3"] {
            assert_eq!(Http::named(Some(word)), Http::Second, "{word}");
        }
        assert_eq!([Some("http/1.1"), Some("HTTP/1.1"), None].map(Http::named), [Http::First; 3]);
        assert_eq!(Http::named(Some("HTTP/1.0")), Http::Closing);
    }
}
