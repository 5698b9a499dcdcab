//! Query values that are nobody's business: taken out of everything that a recording keeps.

use crate::Recording;
use phainon_formats::{BodyMap, body_hash};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// What stands in the place of a private value.
const KEPT: &str = "not-kept";

/// Takes the values of these query parameters out of a recording of an address: wherever
/// `name=value` stands that an address asked for in it has, in requests, trace, document and bodies.
pub(crate) fn take_out(recording: &mut Recording, names: &[String]) {
    let addresses = recording.loads.iter().flat_map(|l| l.raw.requests.iter().flatten()).map(|r| r.url.to_string());
    let addresses: Vec<String> = addresses.chain([recording.url.clone()]).collect();
    let mut pairs: Vec<Pair> = addresses.iter().flat_map(|address| pairs_of(address, names)).collect();
    // A longer value goes first, or a shorter one that it begins with would leave its end behind.
    pairs.sort_by(|a, b| b.secret.len().cmp(&a.secret.len()).then_with(|| a.secret.cmp(&b.secret)));
    pairs.dedup();
    if pairs.is_empty() {
        return;
    }
    let out = |text: &str| pairs.iter().fold(text.to_owned(), |text, p| text.replace(&p.secret, &p.open));
    recording.url = out(&recording.url);
    let mut renamed: Vec<(String, String)> = Vec::new();
    recording.bodies = std::mem::take(&mut recording.bodies)
        .into_iter()
        .map(|(hash, body)| match cleaned(&body, &out) {
            Some(clean) => {
                let now = body_hash(&clean);
                renamed.push((hash, now.clone()));
                (now, clean)
            }
            None => (hash, body),
        })
        .collect::<BodyMap>();
    for load in &mut recording.loads {
        let raw = &mut load.raw;
        raw.failed = raw.failed.as_deref().map(out);
        raw.trace = raw.trace.take().map(|trace| cleaned(&trace, &out).unwrap_or(trace));
        raw.page = raw.page.take().and_then(|page| rewritten(&page, &out));
        raw.requests = raw.requests.take().and_then(|requests| rewritten(&requests, &out));
        for body in raw.requests.iter_mut().flatten().filter_map(|r| r.body.as_mut()) {
            if let Some((_, now)) = renamed.iter().find(|(before, _)| *before == body.hash) {
                body.hash.clone_from(now);
            }
        }
    }
    if let Some(detail) = &mut recording.detail {
        for file in &mut detail.coverage {
            file.url = out(&file.url);
        }
        detail.notes.iter_mut().for_each(|note| *note = out(note));
    }
}

/// A parameter with its value, and with what stands in its place.
#[derive(PartialEq)]
struct Pair {
    secret: String,
    open: String,
}

fn pairs_of(address: &str, names: &[String]) -> Vec<Pair> {
    let query = address.split('#').next().and_then(|a| a.split_once('?')).map_or("", |(_, query)| query);
    query
        .split('&')
        .filter_map(|pair| pair.split_once('='))
        .filter(|(name, value)| !value.is_empty() && names.iter().any(|n| n.eq_ignore_ascii_case(name)))
        .map(|(name, value)| Pair { secret: format!("{name}={value}"), open: format!("{name}={KEPT}") })
        .collect()
}

/// A text without what is private; `None` where it had nothing of it, or is no text.
fn cleaned(bytes: &[u8], out: &impl Fn(&str) -> String) -> Option<Vec<u8>> {
    let text = std::str::from_utf8(bytes).ok()?;
    let clean = out(text);
    (clean != text).then(|| clean.into_bytes())
}

/// A value by way of its JSON, in which `name=value` stands as it does in an address.
fn rewritten<T: Serialize + DeserializeOwned>(value: &T, out: &impl Fn(&str) -> String) -> Option<T> {
    serde_json::from_str(&out(&serde_json::to_string(value).ok()?)).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::RecordedLoad;
    use phainon_core::{BodyRef, Bytes, Header, Request, ResourceKind};
    use phainon_formats::{PageRecord, RawLoad};

    #[test]
    fn a_private_value_is_nowhere_in_what_is_kept() {
        let page = "<a href='/next?Token=s3cret-and-more&amp;x=1'>next</a>".as_bytes().to_vec();
        let picture = vec![0xff, 0xd8, 0x00];
        let address = "http://a.test/?x=1&Token=s3cret#part";
        let mut requests: Vec<Request> =
            ["http://a.test/?x=1&Token=s3cret", "http://a.test/next?Token=s3cret-and-more&x=1"]
                .iter()
                .zip(0..)
                .map(|(url, id)| Request::new(id, url, ResourceKind::Document))
                .collect();
        requests[0].body = Some(BodyRef { hash: body_hash(&page), size: Bytes(page.len() as u64) });
        requests[1].body = Some(BodyRef { hash: body_hash(&picture), size: Bytes(3) });
        requests[1].request_headers = vec![Header { name: "Referer".into(), value: address.into() }];
        let raw = RawLoad {
            requests: Some(requests),
            trace: Some(br#"[{"name":"x","args":{"url":"http://a.test/?x=1\u0026Token=s3cret"}}]"#.to_vec()),
            page: Some(PageRecord {
                url: address.into(),
                notes: vec![format!("{address} moved on")],
                ..PageRecord::default()
            }),
            failed: Some(format!("{address} was asked for")),
            ..RawLoad::default()
        };
        let bodies = BodyMap::from([(body_hash(&page), page), (body_hash(&picture), picture.clone())]);
        let mut recording = Recording {
            url: address.into(),
            loads: vec![RecordedLoad { raw }],
            bodies,
            browser: None,
            machine: phainon_formats::Machine::default(),
            detail: None,
        };
        take_out(&mut recording, &["token".into(), "session".into()]);
        let raw = &recording.loads[0].raw;
        let requests = raw.requests.as_ref().expect("requests stay");
        let kept = format!(
            "{} {:?} {:?} {requests:?} {}",
            recording.url,
            raw.page,
            raw.failed,
            String::from_utf8_lossy(raw.trace.as_deref().unwrap_or_default())
        );
        assert!(!kept.contains("s3cret"), "{kept}");
        assert_eq!(&*requests[0].url, "http://a.test/?x=1&Token=not-kept", "that there was one stays visible");
        let body = |at: usize| recording.bodies.get(&requests[at].body.as_ref().expect("a body").hash);
        assert_eq!(body(0).map(Vec::as_slice), Some(b"<a href='/next?Token=not-kept&amp;x=1'>next</a>".as_slice()));
        assert_eq!(body(1), Some(&picture), "what is no text is left as it is");
    }
}
