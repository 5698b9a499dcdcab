//! What a file being there at once, or not at all, would bring, in words.

use crate::forecast::{Helps, Instead, Relief};
use crate::request::short_name;
use crate::{Load, Millis, Request, RequestId};
use serde::Serialize;
use ts_rs::TS;

/// A gain below this share of what the path gives to a file is next to nothing; above the rest of it, all.
const SHARE: f64 = 0.12;

/// What the largest paint gains from a file that is there at once, or is not there, with its words.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts", rename = "Relief")]
pub struct SaidRelief {
    /// The file's request.
    pub request: RequestId,
    /// What the path gives to fetching it.
    pub given_ms: Millis,
    /// How much earlier the largest paint would come.
    pub gain_ms: Millis,
    /// How it helps.
    pub helps: Helps,
    /// One sentence.
    pub sentence: String,
}

/// A relief with its words.
#[must_use]
pub fn say_relief(relief: &Relief, load: &Load) -> SaidRelief {
    let (given_ms, gain_ms) = (relief.given_ms, relief.gain_ms);
    let sentence = relief_sentence(relief, load);
    SaidRelief { request: relief.request, given_ms, gain_ms, helps: relief.helps, sentence }
}

/// One sentence: what it would bring, and what takes over.
#[must_use]
pub fn relief_sentence(relief: &Relief, load: &Load) -> String {
    let instead = relief.instead.as_ref().map(|instead| match instead {
        Instead::Request(id) => load.request(*id).map_or_else(|| "another file".into(), Request::short_name),
        Instead::Script(url) => short_name(url),
    });
    if relief.helps == Helps::Off {
        return format!(
            "Without this sheet the largest paint would come {} earlier: its text would be shown in another font.",
            relief.gain_ms.text()
        );
    }
    if relief.helps == Helps::Beside {
        let name = load.request(relief.request).map_or_else(|| "A file".into(), Request::short_name);
        return format!(
            "{name} takes the line from what the path waits for: there at once, the largest paint would come {} earlier.",
            relief.gain_ms.text()
        );
    }
    let over = |name: &String| format!("{name} is waited for in its place");
    match (relief.gain_ms.0, relief.given_ms.0 * SHARE) {
        (gain, little) if gain <= little => format!(
            "There at once, it would bring next to nothing: {}.",
            instead.as_ref().map_or_else(|| "something else is waited for in its place".into(), over)
        ),
        (gain, little) if gain >= relief.given_ms.0 - little || instead.is_none() => {
            format!("There at once, the largest paint would come {} earlier.", relief.gain_ms.text())
        }
        _ => format!(
            "There at once, the largest paint would come {} earlier; then {}.",
            relief.gain_ms.text(),
            instead.as_ref().map_or_else(String::new, over)
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ResourceKind;

    #[test]
    fn all_of_it_some_of_it_and_next_to_nothing_read_differently() {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.requests = vec![
            Request::new(0, "http://www.skerryline.test/", ResourceKind::Document),
            Request::new(1, "http://www.skerryline.test/other.js", ResourceKind::Script),
        ];
        let said = |gain, instead| {
            let (given_ms, gain_ms) = (Millis(600.0), Millis(gain));
            relief_sentence(&Relief { request: RequestId(0), given_ms, gain_ms, instead, helps: Helps::AtOnce }, &load)
        };
        let other = || Some(Instead::Request(RequestId(1)));
        assert_eq!(said(590.0, other()), "There at once, the largest paint would come 590 ms earlier.");
        assert_eq!(
            said(250.0, other()),
            "There at once, the largest paint would come 250 ms earlier; then other.js is waited for in its place."
        );
        assert_eq!(
            said(20.0, other()),
            "There at once, it would bring next to nothing: other.js is waited for in its place."
        );
        assert_eq!(said(250.0, None), "There at once, the largest paint would come 250 ms earlier.");
        assert!(said(0.0, None).contains("something else"));
        let (given_ms, gain_ms) = (Millis::ZERO, Millis(250.0));
        let beside = Relief { request: RequestId(1), given_ms, gain_ms, instead: None, helps: Helps::Beside };
        assert_eq!(
            say_relief(&beside, &load).sentence,
            "other.js takes the line from what the path waits for: there at once, the largest paint would come 250 ms \
             earlier."
        );
        assert_eq!(
            say_relief(&Relief { helps: Helps::Off, ..beside }, &load).sentence,
            "Without this sheet the largest paint would come 250 ms earlier: its text would be shown in another font."
        );
    }
}
