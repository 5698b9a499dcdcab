//! Which recorded answer a request of the replay gets.
//!
//! By method, address and what is sent with it; then by address without what changes from load to load (cache busters, moments,
//! sessions); then by the names of its parameters; then by its path alone. Several answers to one address
//! are given in the order in which they were recorded, the last of them again and again.

use crate::answer::Answer;
use phainon_core::ResourceKey;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use ts_rs::TS;

/// How a request was answered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Match {
    /// With what was recorded for this very address.
    Exactly(usize),
    /// With what was recorded for an address that differs in what changes from load to load.
    Nearly(usize),
    /// With nothing.
    Not,
}

/// How many requests were answered how.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Answered {
    pub exactly: u32,
    pub nearly: u32,
    pub not: u32,
}

impl Answered {
    /// Both together.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self { exactly: self.exactly + other.exactly, nearly: self.nearly + other.nearly, not: self.not + other.not }
    }

    /// Share of the requests that were answered exactly; 1 where there were none.
    #[must_use]
    pub fn exact_share(self) -> f64 {
        let all = self.exactly + self.nearly + self.not;
        if all == 0 { 1.0 } else { f64::from(self.exactly) / f64::from(all) }
    }
}

/// A way of looking at an address.
type View = fn(&str) -> String;
/// The answers that look alike in it.
type Index = HashMap<(String, String), Vec<usize>>;

/// Finds answers, and remembers how far each address has got.
#[derive(Debug)]
pub struct Finder {
    /// From the strictest view to the loosest.
    views: Vec<(View, Index)>,
    /// Which answers were given in this load.
    given: Vec<bool>,
    /// What was sent with the request of each.
    sent: Vec<Option<u8>>,
}

/// The views in their order; the first is that of the very address.
const VIEWS: [View; 4] = [bare, key, parameters, path];

impl Finder {
    /// Over some answers.
    #[must_use]
    pub fn over(answers: &[Answer]) -> Self {
        let views = VIEWS
            .into_iter()
            .map(|view| {
                let mut index = Index::new();
                for (place, answer) in answers.iter().enumerate() {
                    index.entry((answer.method.clone(), view(&answer.url))).or_default().push(place);
                }
                (view, index)
            })
            .collect();
        Self { views, given: vec![false; answers.len()], sent: answers.iter().map(|a| a.sent_mark).collect() }
    }

    /// The answer for a request that sends something with this mark, or nothing.
    pub fn find(&mut self, method: &str, url: &str, sent: Option<u8>) -> Match {
        for (at, (view, index)) in self.views.iter().enumerate() {
            let Some(places) = index.get(&(method.to_owned(), view(url))) else { continue };
            // What was sent is not told by every file; what is not known agrees with everything.
            let agrees = |place: usize| sent.is_none() || self.sent[place].is_none_or(|own| sent == Some(own));
            let of_it: Vec<usize> = places.iter().copied().filter(|p| agrees(*p)).collect();
            let same = !of_it.is_empty();
            let places = if same { &of_it } else { places };
            let next = places.iter().find(|p| !self.given[**p]).or(places.last());
            let Some(place) = next.copied() else { continue };
            self.given[place] = true;
            return if at == 0 && same { Match::Exactly(place) } else { Match::Nearly(place) };
        }
        Match::Not
    }

    /// Begins anew: the next load gets the first answers again.
    pub fn begin(&mut self) {
        self.given.fill(false);
    }
}

fn bare(url: &str) -> String {
    url.split('#').next().unwrap_or(url).to_owned()
}

fn key(url: &str) -> String {
    ResourceKey::of(url).to_string()
}

/// The path with the names of its parameters.
fn parameters(url: &str) -> String {
    let Ok(parsed) = url::Url::parse(url) else { return url.to_owned() };
    let mut names: Vec<String> = parsed.query_pairs().map(|(name, _)| name.into_owned()).collect();
    names.sort();
    format!("{}?{}", path(url), names.join("&"))
}

fn path(url: &str) -> String {
    let key = ResourceKey::of(url).to_string();
    key.split('?').next().unwrap_or(&key).to_owned()
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use phainon_core::Http;
    use phainon_core::ResourceKind;
    use std::time::Duration;

    /// An answer with a body and nothing else of note.
    pub(crate) fn answer(url: &str, kind: ResourceKind, body: &str) -> Answer {
        Answer {
            request: None,
            url: url.into(),
            method: "GET".into(),
            sent_mark: None,
            kind,
            status: 200,
            headers: Vec::new(),
            body: body.as_bytes().into(),
            encoding: None,
            wire: None,
            told_length: true,
            wait: Duration::ZERO,
            together: true,
            pauses: Vec::new(),
            after: crate::order::Before::default(),
            http: Http::First,
            revalidates: true,
            exact: true,
        }
    }

    fn finder(urls: &[&str]) -> Finder {
        let answers: Vec<Answer> = urls.iter().map(|url| answer(url, ResourceKind::Data, "")).collect();
        Finder::over(&answers)
    }

    #[test]
    fn an_address_is_found_by_what_stays_of_it() {
        let mut finder = finder(&[
            "http://a.test/x?page=1&_=1732460000123",
            "http://a.test/x?page=2&_=1732460000124",
            "http://a.test/collect?id=ab&screen=360",
            "http://a.test/app.3f9a1c7b.js",
        ]);
        assert_eq!(finder.find("GET", "http://a.test/x?page=2&_=1732460000124", None), Match::Exactly(1));
        assert_eq!(finder.find("GET", "http://a.test/x?page=2&_=1799999999999", None), Match::Nearly(1));
        assert_eq!(finder.find("GET", "http://a.test/collect?screen=412&id=cd", None), Match::Nearly(2));
        assert_eq!(finder.find("GET", "http://a.test/collect", None), Match::Nearly(2));
        assert_eq!(finder.find("GET", "http://a.test/app.80bd11e2.js", None), Match::Nearly(3));
        assert_eq!(finder.find("GET", "http://b.test/x?page=2", None), Match::Not);
        assert_eq!(finder.find("POST", "http://a.test/collect", None), Match::Not);
    }

    #[test]
    fn several_answers_to_one_address_come_in_their_order() {
        let mut finder = finder(&["http://a.test/poll", "http://a.test/poll", "http://a.test/poll"]);
        let given: Vec<Match> = (0..5).map(|_| finder.find("GET", "http://a.test/poll", None)).collect();
        let exactly = [0, 1, 2, 2, 2].map(Match::Exactly);
        assert_eq!(given, exactly);
        finder.begin();
        assert_eq!(finder.find("GET", "http://a.test/poll", None), Match::Exactly(0));
    }

    #[test]
    fn bodies_tell_requests_to_one_address_apart() {
        let sent = |mark: Option<u8>| Answer {
            method: "POST".into(),
            sent_mark: mark,
            ..answer("http://a.test/graph", ResourceKind::Data, "")
        };
        let mut finder = Finder::over(&[sent(Some(1)), sent(Some(2)), sent(Some(2))]);
        let mut post = |mark| finder.find("POST", "http://a.test/graph", mark);
        assert_eq!([2, 1, 2, 1].map(|m| post(Some(m))), [1, 0, 2, 0].map(Match::Exactly));
        assert!(matches!(post(Some(9)), Match::Nearly(_)), "a body that holds a moment is another each time");
        // A file that does not tell what was sent gives its answers in their order.
        let mut finder = Finder::over(&[sent(None), sent(None)]);
        assert_eq!(finder.find("POST", "http://a.test/graph", Some(4)), Match::Exactly(0));
        assert_eq!(finder.find("POST", "http://a.test/graph", Some(5)), Match::Exactly(1));
    }
}
