//! Versions of HTTP, as far as it matters how answers share a connection.

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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn browsers_and_hars_have_words_of_their_own_for_it() {
        for word in ["h2", "h3", "h3-29", "HTTP/2", "http/2.0", "HTTP/3"] {
            assert_eq!(Http::named(Some(word)), Http::Second, "{word}");
        }
        assert_eq!([Some("http/1.1"), Some("HTTP/1.1"), None].map(Http::named), [Http::First; 3]);
        assert_eq!(Http::named(Some("HTTP/1.0")), Http::Closing);
    }
}
