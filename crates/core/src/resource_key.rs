//! What makes two requests of different loads the same resource.
//!
//! Files get new names with every release and new queries with every load. A key leaves out what
//! changes so: the scheme, a default port, the fragment, hashes in names, and queries that only
//! defeat caches or carry a moment, a session or a version.

use serde::{Deserialize, Serialize};
use std::fmt;
use ts_rs::TS;

/// The key of a resource: `host[:port]/path[?query]`, without what changes from load to load.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[ts(type = "string", export_to = "types.ts")]
pub struct ResourceKey(String);

/// Query parameters that only defeat caches, date an address or tell one visitor from another.
const VOLATILE: [&str; 27] = [
    "_",
    "__",
    "cb",
    "cachebust",
    "cachebuster",
    "cache",
    "nocache",
    "rand",
    "random",
    "rnd",
    "r",
    "t",
    "ts",
    "time",
    "timestamp",
    "now",
    "v",
    "ver",
    "version",
    "rev",
    "build",
    "hash",
    "sid",
    "session",
    "sessionid",
    "nonce",
    "uuid",
];

impl ResourceKey {
    /// Of an address. What is no address of a network is its own key, cut short.
    #[must_use]
    pub fn of(url: &str) -> Self {
        let parsed = match url::Url::parse(url) {
            Ok(parsed) if matches!(parsed.scheme(), "http" | "https" | "ws" | "wss") => parsed,
            _ => return Self(opaque(url)),
        };
        let mut key = parsed.host_str().unwrap_or("").to_owned();
        // Parsing has taken default ports away.
        if let Some(port) = parsed.port() {
            key.push_str(&format!(":{port}"));
        }
        let path = parsed.path();
        let (folders, name) = path.rsplit_once('/').unwrap_or(("", path));
        key.push_str(folders);
        key.push('/');
        key.push_str(&folded(name));
        let query: Vec<String> = parsed
            .query()
            .unwrap_or("")
            .split('&')
            .filter(|pair| !pair.is_empty())
            .filter_map(|pair| {
                let (name, value) = pair.split_once('=').unwrap_or((pair, ""));
                (!is_volatile(name, value)).then(|| pair.to_owned())
            })
            .collect();
        if !query.is_empty() {
            key.push('?');
            key.push_str(&query.join("&"));
        }
        Self(key)
    }

    /// As it is written.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The last part of its path, or its host where that is bare.
    #[must_use]
    pub fn name(&self) -> String {
        crate::request::short_name(&self.0)
    }
}

impl fmt::Display for ResourceKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// A data URL holds its file, a blob's name is made up anew each time.
fn opaque(url: &str) -> String {
    match url.split_once(':') {
        Some(("blob", rest)) => {
            let origin = rest.rsplit_once('/').map_or(rest, |(origin, _)| origin);
            format!("blob:{origin}")
        }
        _ => url.chars().take(120).collect(),
    }
}

fn is_volatile(name: &str, value: &str) -> bool {
    // A cache buster without a name: `?1732460000`.
    let bare_number = value.is_empty() && name.len() >= 8 && name.bytes().all(|b| b.is_ascii_digit());
    let moment = value.len() >= 10 && value.bytes().all(|b| b.is_ascii_digit() || b == b'.');
    let random =
        value.strip_prefix("0.").is_some_and(|rest| rest.len() >= 8 && rest.bytes().all(|b| b.is_ascii_digit()));
    bare_number || moment || random || is_hash(value) || VOLATILE.iter().any(|v| name.eq_ignore_ascii_case(v))
}

/// A file's name with its hashes folded to a star: `app.3f9a1c7b.js` and `app-3f9a1c7b.min.js`.
fn folded(name: &str) -> String {
    let mut folded = String::with_capacity(name.len());
    let mut part = String::new();
    for letter in name.chars().chain(['\0']) {
        if letter.is_ascii_alphanumeric() {
            part.push(letter);
            continue;
        }
        folded.push_str(if is_hash(&part) { "*" } else { &part });
        part.clear();
        if letter != '\0' {
            folded.push(letter);
        }
    }
    folded
}

/// Whether a word is a hash rather than a name: eight letters or more of base 16 with digits and
/// letters among them, or as many of base 36 or 64 that change between digits and letters often. A word
/// with a number behind it (`facade12`) is a name, however few letters it is made of.
fn is_hash(word: &str) -> bool {
    if word.len() < 8 || !word.bytes().all(|b| b.is_ascii_alphanumeric()) {
        return false;
    }
    let digits = word.bytes().filter(u8::is_ascii_digit).count();
    if digits == 0 || digits == word.len() {
        return false;
    }
    let hexadecimal = word.bytes().all(|b| b.is_ascii_hexdigit());
    let turns = word.as_bytes().windows(2).filter(|w| w[0].is_ascii_digit() != w[1].is_ascii_digit()).count();
    let number_first = word.as_bytes()[0].is_ascii_digit();
    (hexadecimal && (turns >= 2 || number_first || word.len() >= 16)) || turns >= 4
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn same(one: &str, other: &str) -> bool {
        ResourceKey::of(one) == ResourceKey::of(other)
    }

    #[test]
    fn what_changes_from_load_to_load_is_left_out() {
        for (one, other) in [
            ("http://a.test/app.3f9a1c7b.js", "https://a.test:443/app.80bd11e2.js#part"),
            ("http://a.test/app-3f9a1c7b.min.js", "http://A.test:80/app-99ff00aa.min.js"),
            ("http://a.test/chunk-B2xK9pQ4z1.js", "http://a.test/chunk-Z8aL3mN7y2.js"),
            ("http://a.test/app.0123456789abcdef.js", "http://a.test/app.a1b2c3d4e5f60718.js"),
            ("http://a.test/app.12abcdef.js", "http://a.test/app.9f1a2b3c.js"),
            ("http://a.test/x?_=1732460000123&page=2", "http://a.test/x?_=1732460999999&page=2"),
            ("http://a.test/x?0.8371923847", "http://a.test/x?0.8371923847"),
            ("http://a.test/x?17324600", "http://a.test/x?17324999"),
            ("http://a.test/x.css?ver=6.4.1", "http://a.test/x.css?ver=6.5"),
            ("http://a.test/x.css?v=3f9a1c7b", "http://a.test/x.css"),
            ("blob:http://a.test/6f0c-1", "blob:http://a.test/77aa-2"),
        ] {
            assert!(same(one, other), "{one} {other}: {} {}", ResourceKey::of(one), ResourceKey::of(other));
        }
    }

    #[test]
    fn what_tells_resources_apart_stays() {
        for (one, other) in [
            ("http://a.test/app.js", "http://b.test/app.js"),
            ("http://a.test/x?page=1", "http://a.test/x?page=2"),
            ("http://a.test:8080/x", "http://a.test/x"),
            ("http://a.test/2024/11/hero.jpg", "http://a.test/2024/12/hero.jpg"),
            ("http://a.test/jquery3.js", "http://a.test/jquery2.js"),
            ("http://a.test/icon-512x512.png", "http://a.test/icon-192x192.png"),
            ("http://a.test/facade.css", "http://a.test/decade.css"),
            ("http://a.test/facade12.css", "http://a.test/facade13.css"),
            ("http://a.test/hero-20241124.jpg", "http://a.test/hero-20251124.jpg"),
        ] {
            assert!(!same(one, other), "{one} {other}: {}", ResourceKey::of(one));
        }
        assert_eq!(
            ResourceKey::of("http://a.test/plugins/deck/slider.js?x=1").as_str(),
            "a.test/plugins/deck/slider.js?x=1"
        );
        assert_eq!(ResourceKey::of("http://a.test/a/slider.js").name(), "slider.js");
    }

    proptest! {
        #[test]
        fn every_text_has_a_key_and_a_key_of_a_key_is_itself(url in "\\PC{0,60}", path in "[a-z0-9./_-]{0,40}") {
            let _ = ResourceKey::of(&url);
            let key = ResourceKey::of(&format!("http://a.test/{path}"));
            prop_assert_eq!(&ResourceKey::of(&format!("https://{key}")), &key);
        }
    }
}
