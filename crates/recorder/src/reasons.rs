//! Why a load failed, in a sentence.

use crate::RecordError;
use crate::job::{LoadJob, LoadLimits};
use crate::shaper::Trouble;
use crate::traffic::Document;
use crate::watch::Outcome;

impl LoadJob<'_> {
    /// The document was asked for, and nothing came.
    pub(crate) fn silent(&self, document: Option<&Document>) -> RecordError {
        let url = document.map_or(self.url, |d| d.url.as_str());
        RecordError::Silent(url.to_owned(), self.limits.longest.as_secs())
    }

    /// Why the document could not be had.
    pub(crate) fn unreachable(&self, error: &str, document: Option<&Document>) -> RecordError {
        // It was had, but the browser would not show it.
        if let (Some(document), "net::ERR_ABORTED") = (document, error)
            && let Some(status) = document.status
        {
            return RecordError::NoPage(match (status, document.mime.as_deref()) {
                (204 | 205, _) => format!("the server answered {status}, which has no content"),
                (_, Some(mime)) if document.attached => format!("it is a file to download ({mime})"),
                (_, None) if document.attached => "it is a file to download".to_owned(),
                (_, Some(mime)) => format!("the browser does not show what it is ({mime})"),
                _ => format!("the server answered {status}, and the browser shows nothing for it"),
            });
        }
        let host = url::Url::parse(self.url).ok().and_then(|u| u.host_str().map(str::to_owned)).unwrap_or_default();
        match self.shaper.trouble(&host) {
            Some(Trouble::Unresolved) => RecordError::Unresolved(host),
            Some(Trouble::Private) => {
                RecordError::Address(format!("{host} is a private address, and this server records public ones only."))
            }
            Some(Trouble::Blocked) => RecordError::Unreachable(host, "this recording blocks it".into()),
            Some(Trouble::Unreachable(why)) => RecordError::Unreachable(host, why),
            None => {
                let code = error.trim_start_matches("net::");
                let in_words = match code {
                    "ERR_EMPTY_RESPONSE" => "it closed the connection without a response",
                    "ERR_CONNECTION_RESET" => "it broke the connection off",
                    "ERR_TOO_MANY_REDIRECTS" => "it redirects again and again",
                    "ERR_INVALID_HTTP_RESPONSE" | "ERR_SSL_PROTOCOL_ERROR" => {
                        "what it answered is not the protocol asked for"
                    }
                    "ERR_BLOCKED_BY_CLIENT" => "this recording blocks it",
                    _ if code.starts_with("ERR_CERT_") => "the browser does not trust its certificate",
                    _ => return RecordError::Unreachable(host, code.to_owned()),
                };
                RecordError::Unreachable(host, format!("{in_words} ({code})"))
            }
        }
    }
}

/// Why a load that has data still counts as failed.
pub(crate) fn failure(document: Option<&Document>, outcome: &Outcome, limits: &LoadLimits) -> Option<String> {
    if let Some(status) = document.and_then(|d| d.status).filter(|s| *s >= 400) {
        return Some(format!("The server answered {status} for the document."));
    }
    if let Some(why) = document.and_then(|d| d.failed.as_deref()) {
        let code = why.trim_start_matches("net::");
        return Some(format!("The document did not come whole ({code}); what was observed is kept."));
    }
    if let Some(step) = &outcome.step {
        return Some(step.clone());
    }
    if outcome.stuck {
        return Some(format!(
            "The page kept its main thread busy until the time was up ({} s) and no longer answered.",
            limits.longest.as_secs()
        ));
    }
    if outcome.cut_off {
        return Some(format!(
            "The page was still busy when the time was up ({} s); what was observed until then is kept.",
            limits.longest.as_secs()
        ));
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_gravest_reason_is_the_one_given() {
        let limits = LoadLimits::default();
        let broken = Document { status: Some(503), failed: Some("net::ERR_FAILED".into()), ..Document::default() };
        let busy = Outcome { cut_off: true, stuck: true, step: Some("a step".into()), acted_ms: None };
        let why = |document, outcome| failure(document, outcome, &limits);
        assert_eq!(why(Some(&broken), &busy).as_deref(), Some("The server answered 503 for the document."));
        assert_eq!(why(None, &busy).as_deref(), Some("a step"));
        assert_eq!(why(Some(&Document { status: Some(200), ..Document::default() }), &Outcome::default()), None);
    }
}
