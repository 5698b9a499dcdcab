//! What is written in an open format says the same when it is read again, by this program or by one
//! that knows the standard alone.

#![allow(clippy::unwrap_used)]

use phainon_core::{
    BodyRef, Bytes, Header, Initiator, InitiatorKind, Load, Millis, Note, RenderBlocking, Request, RequestId,
    ResourceKind,
};
use phainon_formats::{
    BodyMap, Detail, HarRequests, Manifest, ManifestLoad, PageRecord, RawLoad, archive, body_hash, har, open,
};
use proptest::prelude::*;
use serde_json::Value;

const START: &str = "2026-11-24T09:00:00.000Z";

fn url(n: usize) -> String {
    format!("http://www.skerryline.test/plugins/p{}/datei-ü-{n}.js?a=1&b=%20", n % 3)
}

prop_compose! {
    /// A request with its phases in order and its sizes; the bodies are texts or bytes.
    fn request()(
        start in 0u32..4_000, queued in 0u32..300, connect in prop::option::of(1u32..200), wait in 1u32..900,
        receive in 0u32..900, bytes in prop::option::of(0u64..400_000), status in prop::sample::select(vec![200u16, 204, 304, 404, 500]),
        body in prop::option::of(prop::collection::vec(any::<u8>(), 1..200)), text in any::<bool>(),
    ) -> (Request, Option<Vec<u8>>) {
        let mut r = Request::new(0, "", ResourceKind::Script);
        let ms = |v: u32| Millis(f64::from(v));
        r.start = ms(start);
        let mut at = start + queued;
        if let Some(connect) = connect {
            r.connect_start = Some(ms(at));
            at += connect;
            r.connect_end = Some(ms(at));
        }
        r.sent = Some(ms(at));
        r.first_byte = Some(ms(at + wait));
        r.end = Some(ms(at + wait + receive));
        r.transferred = bytes.map(Bytes);
        r.status = Some(status);
        r.mime = Some("text/javascript".into());
        r.protocol = Some("h2".into());
        r.priority = Some("High".into());
        r.render_blocking = RenderBlocking::Blocking;
        r.response_headers = vec![Header { name: "X-Words".into(), value: "ein „Wort“, \"zwei\"".into() }];
        let body = body.map(|b| if text { String::from_utf8_lossy(&b).into_owned().into_bytes() } else { b });
        (r, body)
    }
}

prop_compose! {
    fn load()(requests in prop::collection::vec(request(), 1..12)) -> (Load, BodyMap) {
        let mut load = Load::empty(&url(0));
        load.started_at = Some(START.into());
        let mut bodies = BodyMap::new();
        let mut requests = requests;
        requests.sort_by(|a, b| a.0.start.order(&b.0.start));
        for (n, (mut request, body)) in requests.into_iter().enumerate() {
            request.id = RequestId(u32::try_from(n).unwrap());
            request.url = url(n).as_str().into();
            if n == 0 {
                request.kind = ResourceKind::Document;
                request.mime = Some("text/html".into());
                // A HAR counts from its first request.
                request.start = Millis::ZERO;
            } else {
                request.initiator =
                    Initiator { kind: InitiatorKind::Script, url: Some(url(0).as_str().into()), line: Some(3), column: Some(9), stack: vec![] };
            }
            if let Some(body) = body {
                let hash = body_hash(&body);
                request.body = Some(BodyRef { hash: hash.clone(), size: Bytes(body.len() as u64) });
                request.unpacked = Some(Bytes(body.len() as u64));
                bodies.insert(hash, body);
            }
            load.requests.push(request);
        }
        (load, bodies)
    }
}

/// Everything that is ours taken out of a HAR, as a program leaves it that knows the standard alone.
fn standard(mut har: Value) -> Value {
    for entry in har["log"]["entries"].as_array_mut().unwrap() {
        entry.as_object_mut().unwrap().retain(|key, _| !key.starts_with('_'));
    }
    har
}

fn read(har: &Value) -> (Load, BodyMap) {
    let opened = open(har.to_string().as_bytes(), "load.har").unwrap();
    assert_eq!(opened.loads.len(), 1);
    (opened.loads[0].assemble().unwrap(), opened.bodies)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    #[test]
    fn a_har_says_the_same_to_a_program_that_knows_the_standard_alone((load, bodies) in load()) {
        let kept = |hash: &str| bodies.get(hash).cloned();
        let (read, found) = read(&standard(serde_json::from_str(&har::text(&load, Some(&kept))).unwrap()));
        prop_assert_eq!(read.requests.len(), load.requests.len());
        for (ours, theirs) in load.requests.iter().zip(&read.requests) {
            prop_assert_eq!(&ours.url, &theirs.url);
            prop_assert_eq!((ours.status, ours.kind, &ours.protocol), (theirs.status, theirs.kind, &theirs.protocol));
            prop_assert_eq!(&ours.response_headers, &theirs.response_headers);
            let near = |a: Option<Millis>, b: Option<Millis>| match (a, b) {
                (Some(a), Some(b)) => (a - b).0.abs() < 1.0,
                (None, None) => true,
                _ => false,
            };
            let pairs = [
                (Some(ours.start), Some(theirs.start)),
                (ours.connect_start, theirs.connect_start),
                (ours.connect_end, theirs.connect_end),
                (ours.sent, theirs.sent),
                (ours.first_byte, theirs.first_byte),
                (ours.end, theirs.end),
            ];
            for (phase, (a, b)) in pairs.into_iter().enumerate() {
                prop_assert!(near(a, b), "phase {}: {:?} {:?} of {}", phase, a, b, ours.url);
            }
            // Where the bytes on the line are not known, those of the body stand for them.
            prop_assert_eq!(ours.transferred.or(ours.unpacked), theirs.transferred);
            let body = |r: &Request, of: &BodyMap| r.body.as_ref().and_then(|b| of.get(&b.hash).cloned());
            prop_assert_eq!(body(ours, &bodies), body(theirs, &found));
        }
    }

    #[test]
    fn an_archive_gives_back_all_that_was_observed((load, bodies) in load(), failed in prop::option::of("[a-z ]{3,30}")) {
        let raw = RawLoad {
            requests: Some(load.requests.clone()),
            page: Some(PageRecord { url: load.url.to_string(), end_ms: Some(Millis(5_000.0)), ..PageRecord::default() }),
            failed: failed.clone(),
            ..RawLoad::default()
        };
        let manifest = Manifest {
            format: Manifest::FORMAT.into(),
            version: 1,
            url: load.url.to_string(),
            page: Some("Home".into()),
            conditions: None,
            browser: None,
            recorded_at: Some(START.into()),
            machine: None,
            blocked: Vec::new(),
            loads: vec![ManifestLoad { visit: load.visit, failed: failed.clone() }],
        };
        let bytes = archive::write(Vec::new(), &manifest, &[(&raw, Some(&load))], &bodies, None).unwrap();
        let opened = open(&bytes, "home.zip").unwrap();
        prop_assert_eq!(opened.manifest.as_ref().and_then(|m| m.page.as_deref()), Some("Home"));
        prop_assert_eq!(&opened.loads[0].failed, &failed);
        prop_assert_eq!(opened.loads[0].requests.as_ref().unwrap(), &load.requests);
        prop_assert_eq!(opened.bodies, bodies);
        // Cut anywhere, it is refused with a sentence; nothing of it is taken for a whole.
        for share in [1, 3, 7, 9] {
            let cut = open(&bytes[..bytes.len() * share / 10], "home.zip");
            prop_assert!(cut.is_err());
        }
    }
}

#[test]
fn sentences_that_earlier_versions_kept_are_read_in_every_part_that_has_them() {
    let old = serde_json::json!({"requests": [], "page": {"notes": ["2 entries were passed over."]}, "notes": ["2 entries were passed over."]});
    let said = [Note::Said { text: "2 entries were passed over.".into() }];
    assert_eq!(serde_json::from_value::<HarRequests>(old.clone()).unwrap().page.notes, said);
    let notes = serde_json::json!({"notes": old["notes"]});
    assert_eq!(serde_json::from_value::<PageRecord>(notes.clone()).unwrap().notes, said);
    assert_eq!(serde_json::from_value::<Detail>(notes).unwrap().notes, said);
}
