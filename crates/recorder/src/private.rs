//! Values that are nobody's business: taken out of everything that is kept of a load.
//!
//! They are the values of query parameters marked private, wherever an address of the load has
//! them, and whatever opened the page ([`crate::Access`]). Each is looked for in every form in which
//! a page, a browser or a service may have written it again. A second look, which decodes rather
//! than encodes, then makes sure; what still holds one is not kept.

use aho_corasick::{AhoCorasick, AhoCorasickBuilder};
use base64::Engine;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};
use phainon_core::Note;
use phainon_formats::{BodyMap, Detail, NetworkLog, RawLoad, TraceText, body_hash};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::collections::BTreeSet;

/// What stands in the place of a private value.
const KEPT: &str = "not-kept";
/// A value shorter than this stands for too much else to be looked for on its own: it is taken out
/// behind its name only.
const SHORT: usize = 4;

/// Private values, and how to find them.
#[derive(Default)]
pub(crate) struct Secrets {
    values: BTreeSet<String>,
    /// `name=value` of values that are too short to be looked for alone.
    pairs: BTreeSet<(String, String)>,
}

impl Secrets {
    /// Known values.
    pub fn of(values: impl IntoIterator<Item = String>) -> Self {
        let mut secrets = Self::default();
        for value in values {
            secrets.add("", &value);
        }
        secrets
    }

    fn add(&mut self, name: &str, value: &str) {
        if value.is_empty() || value == KEPT {
            return;
        }
        if value.len() >= SHORT && !is_common(value) {
            self.values.insert(value.to_owned());
        } else if !name.is_empty() {
            self.pairs.insert((name.to_owned(), value.to_owned()));
        }
    }

    /// Takes in what an address has for parameters of these names: in its query, its fragment, or
    /// behind a `;` of its path; names with brackets or percent signs in them as well.
    pub fn learn(&mut self, address: &str, names: &[String]) {
        for piece in address.split(['?', '&', '#', ';']).skip(1) {
            let Some((name, value)) = piece.split_once('=') else { continue };
            let plain = decoded(name);
            let bare = plain.split('[').next().unwrap_or(&plain);
            if names.iter().any(|n| n.eq_ignore_ascii_case(bare) || n.eq_ignore_ascii_case(&plain)) {
                self.add(name, value);
                self.add(name, &decoded(value));
                self.add(name, &decoded(&value.replace('+', " ")));
            }
        }
    }

    /// Takes in what the addresses of a load's events have.
    pub fn learn_from(&mut self, log: &NetworkLog, names: &[String]) {
        if names.is_empty() {
            return;
        }
        for event in log.events() {
            strings(&event.params, &mut |text| {
                if text.contains("://") || text.starts_with('/') {
                    self.learn(text, names);
                }
            });
        }
    }

    /// Everything that has to be replaced, and by what.
    fn masks(&self) -> Option<Masks> {
        let mut found: Vec<(Vec<u8>, String)> = Vec::new();
        for value in &self.values {
            // A number may stand in JSON without quotes, where a word would break it.
            let number = value.bytes().all(|b| b.is_ascii_digit());
            let instead = if number { "9".repeat(value.len()) } else { KEPT.to_owned() };
            found.extend(forms(value).into_iter().map(|form| (form, instead.clone())));
        }
        for (name, value) in &self.pairs {
            found.push((format!("{name}={value}").into_bytes(), format!("{name}={KEPT}")));
            found.push((encoded(&format!("{name}={value}")).into_bytes(), encoded(&format!("{name}={KEPT}"))));
        }
        if found.is_empty() {
            return None;
        }
        let (patterns, replacements): (Vec<_>, Vec<_>) = found.into_iter().unzip();
        let finder = AhoCorasickBuilder::new()
            .ascii_case_insensitive(true)
            .match_kind(aho_corasick::MatchKind::LeftmostLongest)
            .build(patterns)
            .ok()?;
        Some(Masks { finder, replacements, values: self.values.iter().map(|v| v.to_lowercase()).collect() })
    }

    /// A text without them.
    pub fn out_of(&self, text: &str) -> String {
        self.masks().map_or_else(|| text.to_owned(), |masks| masks.text(text))
    }

    /// Takes them out of a load and its bodies.
    pub fn take_out(&self, raw: &mut RawLoad, bodies: &mut BodyMap) {
        let Some(masks) = self.masks() else { return };
        let mut dropped = 0usize;
        let mut renamed: Vec<(String, Option<(String, u64)>)> = Vec::new();
        *bodies = std::mem::take(bodies)
            .into_iter()
            .filter_map(|(hash, body)| {
                let Some(clean) = masks.bytes(&body) else {
                    if masks.still_in(&body) {
                        dropped += 1;
                        renamed.push((hash, None));
                        return None;
                    }
                    return Some((hash, body));
                };
                if masks.still_in(&clean) {
                    dropped += 1;
                    renamed.push((hash, None));
                    return None;
                }
                let now = body_hash(&clean);
                renamed.push((hash, Some((now.clone(), clean.len() as u64))));
                Some((now, clean))
            })
            .collect();
        raw.failed = raw.failed.as_deref().map(|why| masks.text(why));
        if let Some(log) = &mut raw.network {
            log.events = masks.bytes(&log.events).unwrap_or_else(|| std::mem::take(&mut log.events));
            log.bodies.retain_mut(|kept| match renamed.iter().find(|(before, _)| *before == kept.hash) {
                Some((_, None)) => false,
                Some((_, Some((now, size)))) => {
                    (kept.hash, kept.size, kept.exact) = (now.clone(), *size, false);
                    true
                }
                None => true,
            });
        }
        // What cannot be looked at may hold one, and is not kept.
        let trace = raw.trace.take().and_then(|trace| trace.whole().ok());
        let trace = trace.map(|text| masks.bytes(&text).unwrap_or(text));
        raw.page = raw.page.take().and_then(|page| masks.value(&page));
        let left = [raw.network.as_ref().map(|n| &n.events[..]), trace.as_deref()];
        let still_in = left.into_iter().flatten().any(|bytes| masks.still_in(bytes));
        raw.trace = trace.as_deref().map(TraceText::of);
        if still_in {
            (raw.network, raw.trace, raw.page) = (None, None, None);
            raw.frames.clear();
            bodies.clear();
            raw.failed = Some(
                "A private value could not be taken out of what was observed, so nothing of this load was kept.".into(),
            );
        } else if dropped > 0
            && let Some(page) = &mut raw.page
        {
            page.notes.push(Note::BodiesPrivate { count: dropped });
        }
    }

    /// Takes them out of what the load for used code told.
    pub fn take_out_of_detail(&self, detail: &mut Detail) {
        for file in &mut detail.coverage {
            file.url = self.out_of(&file.url);
        }
        detail.notes.iter_mut().for_each(|note| note.mend(|text| self.out_of(text)));
    }
}

/// Words that the records of a load are made of: looked for on their own they would tear them apart.
fn is_common(value: &str) -> bool {
    const WORDS: [&str; 24] = [
        "true",
        "false",
        "null",
        "name",
        "args",
        "data",
        "type",
        "params",
        "method",
        "request",
        "response",
        "requestid",
        "headers",
        "document",
        "script",
        "image",
        "stylesheet",
        "navigation",
        "loading",
        "frame",
        "timestamp",
        "status",
        "http",
        "https",
    ];
    let letters = value.bytes().all(|b| b.is_ascii_alphabetic());
    letters && (value.len() < 6 || WORDS.iter().any(|word| word.eq_ignore_ascii_case(value)))
}

struct Masks {
    finder: AhoCorasick,
    replacements: Vec<String>,
    /// In lower case.
    values: Vec<String>,
}

impl Masks {
    /// Bytes without them; `None` where there was nothing to take out.
    fn bytes(&self, bytes: &[u8]) -> Option<Vec<u8>> {
        self.finder.is_match(bytes).then(|| self.finder.replace_all_bytes(bytes, &self.replacements))
    }

    fn text(&self, text: &str) -> String {
        self.bytes(text.as_bytes())
            .map_or_else(|| text.to_owned(), |bytes| String::from_utf8_lossy(&bytes).into_owned())
    }

    /// A value by way of its JSON.
    fn value<T: Serialize + DeserializeOwned>(&self, value: &T) -> Option<T> {
        serde_json::from_str(&self.text(&serde_json::to_string(value).ok()?)).ok()
    }

    /// Whether a value can still be read once what may hide it is decoded.
    fn still_in(&self, bytes: &[u8]) -> bool {
        let text = String::from_utf8_lossy(bytes);
        let plain = decoded(&unescaped(&decoded(&text))).to_lowercase();
        // All nines is what a number was replaced by.
        self.values.iter().filter(|v| v.bytes().any(|b| b != b'9')).any(|value| plain.contains(value.as_str()))
    }
}

fn strings(value: &serde_json::Value, take: &mut impl FnMut(&str)) {
    match value {
        serde_json::Value::String(text) => take(text),
        serde_json::Value::Array(list) => list.iter().for_each(|v| strings(v, take)),
        serde_json::Value::Object(fields) => fields.values().for_each(|v| strings(v, take)),
        _ => {}
    }
}

/// The ways in which a value may be written.
fn forms(value: &str) -> BTreeSet<Vec<u8>> {
    let mut texts = BTreeSet::from([value.to_owned()]);
    texts.insert(encoded(value));
    texts.insert(encoded(&encoded(value)));
    texts.insert(encoded(value).replace("%20", "+"));
    // encodeURIComponent leaves more as it is than a form does.
    texts.insert(
        ["!", "'", "(", ")", "*", "~"]
            .iter()
            .fold(encoded(value), |text, mark| text.replace(&format!("%{:02X}", mark.as_bytes()[0]), mark)),
    );
    for text in texts.clone() {
        texts.insert(in_json(&text));
        // Twice: JSON within a string of JSON, as a trace has of what a page logs.
        texts.insert(in_json(&in_json(&text)));
        texts.insert(in_json(&text).replace('/', "\\/"));
        texts.insert(
            ["&", "<", ">", "'", "="]
                .iter()
                .fold(in_json(&text), |text, mark| text.replace(mark, &format!("\\u{:04x}", mark.as_bytes()[0]))),
        );
        texts.insert(text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;"));
        texts.insert(
            text.replace('&', "&amp;")
                .replace('<', "&lt;")
                .replace('>', "&gt;")
                .replace('"', "&#34;")
                .replace('\'', "&#39;"),
        );
    }
    let mut found: BTreeSet<Vec<u8>> = texts.iter().map(|text| text.as_bytes().to_vec()).collect();
    found.insert(value.encode_utf16().flat_map(u16::to_le_bytes).collect());
    found.insert(value.encode_utf16().flat_map(u16::to_be_bytes).collect());
    if value.len() >= 6 {
        for lead in 0..3usize {
            for engine in [STANDARD_NO_PAD, URL_SAFE_NO_PAD] {
                let whole = engine.encode([&vec![0u8; lead][..], value.as_bytes()].concat());
                // Letters that also hold bits of what stands before or after are not the value's own.
                let first = (lead * 8).div_ceil(6);
                let last = (lead + value.len()) * 8 / 6;
                if let Some(own) = whole.get(first..last.min(whole.len())).filter(|own| own.len() >= 6) {
                    found.insert(own.as_bytes().to_vec());
                }
            }
        }
    }
    found
}

fn in_json(text: &str) -> String {
    let quoted = serde_json::Value::from(text).to_string();
    quoted[1..quoted.len() - 1].to_owned()
}

/// Percent-encoded, all but letters, digits, `-`, `.` and `_`.
fn encoded(text: &str) -> String {
    url::form_urlencoded::byte_serialize(text.as_bytes()).collect::<String>().replace('+', "%20")
}

/// Percent signs decoded; what is none is left.
fn decoded(text: &str) -> String {
    percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned()
}

/// Escapes of JSON and the commonest of HTML decoded.
fn unescaped(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        plain.push_str(&rest[..at]);
        let after = &rest[at + 1..];
        let unit = after.strip_prefix('u').and_then(|hex| u32::from_str_radix(hex.get(..4)?, 16).ok());
        match (unit.and_then(char::from_u32), after.chars().next()) {
            (Some(letter), _) => {
                plain.push(letter);
                rest = &after[5..];
            }
            (None, Some(letter @ ('"' | '\\' | '/'))) => {
                plain.push(letter);
                rest = &after[1..];
            }
            _ => {
                plain.push('\\');
                rest = after;
            }
        }
    }
    plain.push_str(rest);
    plain
        .replace("&quot;", "\"")
        .replace("&#34;", "\"")
        .replace("&#39;", "'")
        .replace("&lt;", "<")
        .replace("&gt;", ">")
        .replace("&amp;", "&")
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_formats::{KeptBody, PageRecord};
    use serde_json::json;

    const SECRET: &str = "s3cr+t/of \"the\" gull&more";

    fn load(address: &str) -> (RawLoad, BodyMap) {
        let mut log = NetworkLog::default();
        let sent =
            json!({"requestId": "1", "timestamp": 1.0, "request": {"url": address, "headers": {"Referer": address}}});
        log.add("Network.requestWillBeSent", None, &sent);
        let beacon = format!("http://gull-stats.test/?dl={}", encoded(address));
        log.add(
            "Network.requestWillBeSent",
            None,
            &json!({"requestId": "2", "timestamp": 1.1, "request": {"url": beacon, "headers": {}}}),
        );
        let page = format!("<a href=\"/next?token={}\">{SECRET}</a>", encoded(SECRET)).into_bytes();
        let data = json!({"token": SECRET, "nested": json!({"t": SECRET}).to_string()}).to_string().into_bytes();
        let picture = vec![0xff, 0xd8, 0x00];
        let bodies: BodyMap = [&page, &data, &picture].map(|b| (body_hash(b), b.clone())).into();
        for (request, body) in [("1", &page), ("2", &data), ("3", &picture)] {
            log.bodies.push(KeptBody {
                request: request.into(),
                hash: body_hash(body),
                size: body.len() as u64,
                exact: true,
            });
        }
        let raw = RawLoad {
            network: Some(log),
            trace: Some(TraceText::of(
                json!([{"name": "user mark", "args": {"detail": SECRET, "url": address}}]).to_string().as_bytes(),
            )),
            page: Some(PageRecord {
                url: address.into(),
                notes: vec![Note::Said { text: format!("{address} moved on") }],
                ..PageRecord::default()
            }),
            failed: Some(format!("{address} was asked for")),
            ..RawLoad::default()
        };
        (raw, bodies)
    }

    fn everything(raw: &RawLoad, bodies: &BodyMap) -> String {
        let log = raw.network.as_ref().map(|n| String::from_utf8_lossy(&n.events).into_owned());
        let bodies: Vec<_> = bodies.values().map(|b| String::from_utf8_lossy(b)).collect();
        let trace = raw.trace.as_ref().map(|t| String::from_utf8_lossy(&t.whole().expect("whole")).into_owned());
        format!("{log:?} {trace:?} {} {:?} {bodies:?}", serde_json::to_string(&raw.page).expect("JSON"), raw.failed)
    }

    #[test]
    fn a_private_value_is_nowhere_in_what_is_kept() {
        let address = format!("http://a.test/?x=1&Token={}#part", encoded(SECRET));
        let (mut raw, mut bodies) = load(&address);
        let mut secrets = Secrets::default();
        secrets.learn_from(raw.network.as_ref().expect("a log"), &["token".into()]);
        secrets.take_out(&mut raw, &mut bodies);
        let kept = everything(&raw, &bodies);
        assert!(!kept.contains("s3cr") && !kept.contains("gull&"), "{kept}");
        assert!(kept.contains("x=1&Token=not-kept#part"), "that there was one stays visible: {kept}");
        let log = raw.network.as_ref().expect("a log");
        assert!(
            log.bodies.iter().all(|kept| bodies.contains_key(&kept.hash)),
            "bodies are found under their new names"
        );
        assert!(log.bodies[2].exact && !log.bodies[0].exact, "what is no text is left as it is");
        assert_eq!(log.events().count(), 2, "what is kept is still JSON");
    }

    #[test]
    fn names_are_found_however_they_are_written() {
        for address in [
            "http://a.test/?%74oken=s3cret",
            "http://a.test/#token=s3cret",
            "http://a.test/a;token=s3cret/b?x=1",
            "http://a.test/?token[]=s3cret",
            "/next?TOKEN=s3cret",
        ] {
            let mut secrets = Secrets::default();
            secrets.learn(address, &["token".into()]);
            assert!(!secrets.out_of(address).contains("s3cret"), "{address}: {}", secrets.out_of(address));
        }
        let mut short = Secrets::default();
        short.learn("http://a.test/?pin=12&x=12", &["pin".into()]);
        assert_eq!(
            short.out_of("http://a.test/?pin=12&x=12"),
            "http://a.test/?pin=not-kept&x=12",
            "a short value is masked behind its name"
        );
    }

    #[test]
    fn base64_and_other_text_around_it_hide_nothing() {
        let secrets = Secrets::of(["open-sesame".to_owned()]);
        for lead in ["", "a", "ab", "abc"] {
            let hidden = STANDARD_NO_PAD.encode(format!("{lead}open-sesame and more"));
            let out = secrets.out_of(&hidden);
            assert!(out.contains(KEPT), "{hidden} → {out}");
        }
    }

    #[test]
    fn what_cannot_be_freed_of_it_is_not_kept() {
        // Half of the letters escaped: none of the forms, but plain to whoever decodes it.
        let odd = b"{\"t\":\"\\u006fpen-s\\u0065same\"}".to_vec();
        let mut raw = RawLoad { trace: Some(TraceText::of(&odd)), ..RawLoad::default() };
        let mut bodies: BodyMap = [(body_hash(&odd), odd.clone())].into();
        let secrets = Secrets::of(["open-sesame".to_owned()]);
        secrets.take_out(&mut raw, &mut bodies);
        assert!(raw.trace.is_none() && bodies.is_empty());
        assert!(raw.failed.is_some_and(|why| why.contains("nothing of this load was kept")));
    }
}
