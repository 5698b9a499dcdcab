//! Spans as clients send them that are not ours: applications set up with OpenTelemetry's own packages for Python
//! (Flask, Jinja and Django, SQLite) and for Node (http, Express, Undici). `clients/make.sh` has them send; what they sent is kept.

#![allow(clippy::unwrap_used)]

use phainon_core::server_work::{QueryShape, ServerAnswer, answers};
use phainon_core::{Prepared, SpanKind};
use phainon_formats::otlp::{Coding, batches, load_of_trace};

use proptest::prelude::*;

const TRACE: &str = "0af7651916cd43dd8448eb211c80319c";

fn told(sent: &[u8], coding: Coding) -> Vec<ServerAnswer> {
    let read = batches(sent, coding, "what was sent").unwrap();
    assert_eq!(read.rejected, 0);
    let traces: Vec<&str> = read.batches.iter().map(|b| b.trace.as_str()).collect();
    assert_eq!(traces, [TRACE], "the caller's trace is theirs");
    let json: Vec<Vec<u8>> = read.batches.into_iter().map(|b| b.json).collect();
    answers(&Prepared::plain(load_of_trace(&json, "the trace").unwrap()))
}

fn spent(answer: &ServerAnswer, kind: SpanKind) -> f64 {
    answer.by_kind.iter().find(|k| k.kind == kind).map_or(0.0, |k| k.ms.0)
}

#[test]
fn a_flask_application_tells_its_queries_and_its_templates() {
    let [page] = told(include_bytes!("clients/flask-1.pb"), Coding::Protobuf).try_into().unwrap();
    assert_eq!(
        (&*page.url, page.services.as_slice()),
        ("http://berth-office/berths", ["berth-office".to_owned()].as_slice())
    );
    let queries: Vec<(&str, u32, QueryShape)> =
        page.queries.iter().map(|q| (q.text.as_str(), q.count, q.shape)).collect();
    assert_eq!(
        queries,
        [
            ("SELECT boat FROM moorings WHERE berth = ?", 24, QueryShape::OneByOne),
            ("SELECT id, name FROM berths ORDER BY id", 1, QueryShape::Plain),
        ]
    );
    assert!(spent(&page, SpanKind::Template) > 0.0 && spent(&page, SpanKind::Query) > 0.0, "{:?}", page.by_kind);
    let sum: f64 = page.by_kind.iter().map(|k| k.ms.0).sum();
    assert!((sum - page.span_ms.unwrap().0).abs() < 1e-6, "kinds add up to the answer");
}

#[test]
fn a_django_application_tells_its_queries() {
    let [page] = told(include_bytes!("clients/django-2.pb"), Coding::Protobuf).try_into().unwrap();
    assert_eq!(
        (&*page.url, page.services.as_slice()),
        ("http://harbour-desk/arrivals", ["harbour-desk".to_owned()].as_slice())
    );
    let queries: Vec<(&str, u32, QueryShape)> =
        page.queries.iter().map(|q| (q.text.as_str(), q.count, q.shape)).collect();
    assert_eq!(
        queries,
        [
            ("SELECT hour FROM arrivals WHERE boat = ?", 18, QueryShape::OneByOne),
            ("SELECT id, name FROM boats ORDER BY name", 1, QueryShape::Plain),
        ]
    );
    let sum: f64 = page.by_kind.iter().map(|k| k.ms.0).sum();
    assert!((sum - page.span_ms.unwrap().0).abs() < 1e-6, "kinds add up to the answer");
}

#[test]
fn a_node_application_tells_its_middleware_and_its_calls_of_another_service() {
    let all = told(include_bytes!("clients/node-1.json"), Coding::Json);
    let page = all.iter().find(|a| a.url.ends_with("/tides")).unwrap();
    assert_eq!(page.services, ["tide-desk"]);
    assert!(spent(page, SpanKind::Remote) > 0.0, "{:?}", page.by_kind);
    let guard = page.spans.iter().find(|s| s.name.contains("harbourGuard")).unwrap();
    assert!((15.0..60.0).contains(&guard.duration_ms.0), "it waits for 20 ms: {}", guard.duration_ms.0);
    let calls = page
        .spans
        .iter()
        .filter(|s| s.kind == SpanKind::Remote && s.address.as_deref().is_some_and(|a| a.contains("/level")));
    assert_eq!(calls.count(), 3, "{:?}", page.spans.iter().map(|s| (&s.name, s.kind, &s.address)).collect::<Vec<_>>());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn what_comes_damaged_is_refused_or_read_and_its_sums_stay_whole(
        changes in prop::collection::vec((0usize..13_000, any::<u8>()), 1..6), cut in 0usize..13_546, json in any::<bool>()
    ) {
        let mut sent = if json { include_bytes!("clients/node-1.json").to_vec() } else { include_bytes!("clients/flask-1.pb").to_vec() };
        for (at, byte) in changes {
            let at = at % sent.len();
            sent[at] = byte;
        }
        if cut % 3 == 0 {
            sent.truncate(cut.min(sent.len()));
        }
        let coding = if json { Coding::Json } else { Coding::Protobuf };
        for batch in batches(&sent, coding, "damaged").map(|read| read.batches).unwrap_or_default() {
            let load = load_of_trace(&[batch.json], "damaged").unwrap();
            for answer in answers(&Prepared::plain(load)) {
                let sum: f64 = answer.by_kind.iter().map(|k| k.ms.0).sum();
                let whole = answer.span_ms.map_or(0.0, |ms| ms.0);
                prop_assert!((sum - whole).abs() <= 1e-6 * whole.abs().max(1.0), "{} of {}", sum, whole);
                let owners: f64 = answer.by_owner.iter().map(|o| o.ms.0).sum();
                let uncovered = spent(&answer, SpanKind::Answer);
                prop_assert!((owners + uncovered - whole).abs() <= 1e-6 * whole.abs().max(1.0), "owners and what no span covers are the whole");
            }
        }
    }
}
