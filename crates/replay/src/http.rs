//! Versions of HTTP, as far as a replay tells them apart.

/// Which HTTP an answer came over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Http {
    /// 1.0: the connection ends with the answer.
    Closing,
    /// 1.1.
    First,
    /// 2, or 3, which a replay serves as 2.
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
