//! Why a file was downloaded again, asked about, or not, in words.

use crate::return_visit::Reason;

fn span(seconds: u64) -> String {
    match seconds {
        0..=119 => format!("{seconds} s"),
        120..=7_199 => format!("{} min", seconds / 60),
        7_200..=172_799 => format!("{} h", seconds / 3_600),
        _ => format!("{} days", seconds / 86_400),
    }
}

/// A reason in a sentence.
#[must_use]
pub fn return_reason(reason: &Reason) -> String {
    match reason {
        Reason::ServiceWorker => "A service worker of the site answered it.".into(),
        Reason::StillFresh { seconds } => format!("It may be kept for {}, and that had not passed.", span(*seconds)),
        Reason::NotYetExpired => "Its expiry date had not come.".into(),
        Reason::GuessedFresh => "No lifetime is set; the browser went by how long the file had not changed.".into(),
        Reason::HadIt => "The browser had it already; no header says for how long.".into(),
        Reason::AskEachTime => "It may be kept, but must be asked about each time.".into(),
        Reason::AskedAfter { seconds } => {
            format!("It may be kept for {}; after that it is asked about.", span(*seconds))
        }
        Reason::AskedWithoutLifetime => "No lifetime is set, so it was asked about.".into(),
        Reason::NewNow => "The first visit did not ask for this address.".into(),
        Reason::GoneNow => "It was not asked for on the return visit.".into(),
        Reason::Method { method } => format!("Answers to {method} are not kept."),
        Reason::Failed => "It failed, so there was nothing to keep.".into(),
        Reason::NoStore => "It must not be kept.".into(),
        Reason::Varies => "A kept copy may not be used for another request.".into(),
        Reason::AskEachTimeChanged => "It must be asked about each time, and it had changed.".into(),
        Reason::AskEachTimeNothingToAskWith => {
            "It must be asked about each time, and there is neither ETag nor Last-Modified to ask with.".into()
        }
        Reason::ShortLifetime { seconds } => {
            format!("It may be kept for {} only, and that had passed or the browser had dropped it.", span(*seconds))
        }
        Reason::Dropped { seconds } => {
            format!(
                "It may be kept for {}, and was asked for all the same: the browser had dropped it.",
                span(*seconds)
            )
        }
        Reason::NotWithoutAskingChanged => "It may not be used without asking, and it had changed.".into(),
        Reason::NotWithoutAskingNothingToAskWith => {
            "It may not be used without asking, and there is neither ETag nor Last-Modified to ask with.".into()
        }
        Reason::Expired => "Its expiry date had passed.".into(),
        Reason::NoHeader => {
            "No header says that it may be kept: neither Cache-Control nor Expires, ETag or Last-Modified.".into()
        }
        Reason::NotTold => "The headers do not tell why.".into(),
    }
}
