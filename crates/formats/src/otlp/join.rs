//! Spans laid on a load's clock, each to the request that it was made for.

use super::raw::{RawSpan, raw_spans};
use crate::FormatError;
use phainon_core::{Load, Millis, Note, Request, RequestId, ResourceKind, Span, SpanKind};
use std::collections::{HashMap, HashSet};

/// More spans than this of one load are not held: a page that makes more is told enough by these.
const MOST: usize = 200_000;

/// The id of the caller in a `traceparent` header (W3C Trace Context: version, trace, caller, flags).
fn caller(request: &Request) -> Option<&str> {
    let header = request.request_headers.iter().find(|h| h.name.eq_ignore_ascii_case("traceparent"))?;
    header.value.split('-').nth(2)
}

/// The spans of a trace, in the order in which they began, with their parents and the ones above all others.
struct Tree {
    raw: Vec<RawSpan>,
    parents: Vec<Option<usize>>,
    roots: Vec<usize>,
    /// Those that are more than are held.
    beyond: usize,
}

impl Tree {
    fn of(mut raw: Vec<RawSpan>) -> Self {
        raw.sort_by(|a, b| a.start_ns.cmp(&b.start_ns).then_with(|| b.end_ns.cmp(&a.end_ns)));
        // An exporter that was not answered sends again.
        let mut seen = HashSet::new();
        raw.retain(|span| seen.insert(span.id.clone()));
        let beyond = raw.len().saturating_sub(MOST);
        raw.truncate(MOST);
        let place_of: HashMap<&str, usize> =
            raw.iter().enumerate().map(|(place, span)| (span.id.as_str(), place)).collect();
        let parents: Vec<Option<usize>> = raw
            .iter()
            .enumerate()
            .map(|(place, span)| place_of.get(span.parent.as_deref()?).copied().filter(|parent| *parent != place))
            .collect();
        let roots = root_of_each(&parents);
        Self { raw, parents, roots, beyond }
    }

    /// Those above all others, in the order in which they began.
    fn own_roots(&self) -> Vec<usize> {
        (0..self.raw.len()).filter(|place| self.roots[*place] == *place).collect()
    }

    /// Adds the spans below roots that have a request to a load; gives how many have none.
    fn add_to(&self, load: &mut Load, requests: &HashMap<usize, RequestId>) -> usize {
        // Of several of one request the first is laid, and the others as far from it as the server says.
        let mut first_of: HashMap<RequestId, usize> = HashMap::new();
        for (root, id) in requests {
            let first = first_of.entry(*id).or_insert(*root);
            *first = (*first).min(*root);
        }
        let shift = |(id, root): (&RequestId, &usize)| {
            let span = &self.raw[*root];
            Some((*id, laid(load, load.request(*id)?, span.duration_ms()) - ms(span.start_ns)))
        };
        let shifts: HashMap<RequestId, f64> = first_of.iter().filter_map(shift).collect();
        let kept: Vec<usize> = (0..self.raw.len()).filter(|p| requests.contains_key(&self.roots[*p])).collect();
        let new_place: HashMap<usize, u32> = kept.iter().copied().zip(0u32..).collect();
        for &old in &kept {
            let request = requests[&self.roots[old]];
            let span = &self.raw[old];
            let parent = self.parents[old].and_then(|parent| new_place.get(&parent).copied());
            load.spans.push(Span {
                parent,
                request,
                name: span.name.clone(),
                kind: if parent.is_none() { SpanKind::Answer } else { span.kind },
                start: Millis(ms(span.start_ns) + shifts.get(&request).copied().unwrap_or(0.0)),
                duration: Millis(span.duration_ms()),
                service: span.service.clone(),
                told_owner: span.told_owner.clone(),
                file: span.file.clone(),
                function: span.function.clone(),
                query: span.query.clone(),
                rows: span.rows,
                address: span.address.clone(),
                failed: span.failed.clone(),
                attributes: span.attributes.clone(),
            });
        }
        self.raw.len() - kept.len() + self.beyond
    }
}

/// Adds the spans of a load's trace to it. What cannot be read, or belongs to no request, is noted.
pub(crate) fn join(load: &mut Load, batches: &[Vec<u8>], name: &str) {
    let mut raw: Vec<RawSpan> = Vec::new();
    for batch in batches {
        match raw_spans(batch, name) {
            Ok(spans) => raw.extend(spans),
            Err(why) => load.notes.push(Note::SpansUnread { why: why.to_string() }),
        }
    }
    let tree = Tree::of(raw);
    let requests = requests_of_roots(load, &tree);
    let apart = tree.add_to(load, &requests);
    if apart > 0 {
        load.notes.push(Note::SpansApart { count: apart });
    }
}

/// A load of nothing but what a server told of a trace: a request for each of its answers, from when the first span
/// of the trace began.
///
/// # Errors
/// Where it cannot be read.
pub fn load_of_trace(batches: &[Vec<u8>], name: &str) -> Result<Load, FormatError> {
    let mut raw = Vec::new();
    for batch in batches {
        raw.extend(raw_spans(batch, name)?);
    }
    let tree = Tree::of(raw);
    let roots = tree.own_roots();
    let begin = roots.first().map_or(0, |root| tree.raw[*root].start_ns);
    let mut load = Load::empty("");
    let mut requests = HashMap::new();
    for (id, place) in (0u32..).zip(roots) {
        let root = &tree.raw[place];
        let host = root.service.as_deref().unwrap_or("server").replace(|c: char| !c.is_alphanumeric() && c != '-', "-");
        let path = root.path.as_deref().unwrap_or("/");
        let mut request = Request::new(id, &format!("http://{host}{path}"), ResourceKind::Document);
        let from = Millis(ms(root.start_ns) - ms(begin));
        let to = from + Millis(root.duration_ms());
        request.method = root.method.clone().unwrap_or_else(|| "GET".to_owned());
        request.status = root.status;
        (request.start, request.sent, request.first_byte, request.end) = (from, Some(from), Some(to), Some(to));
        load.requests.push(request);
        requests.insert(place, RequestId(id));
    }
    if let Some(first) = load.requests.first() {
        load.url = first.url.clone();
    }
    let beyond = tree.add_to(&mut load, &requests);
    if beyond > 0 {
        load.notes.push(Note::SpansApart { count: beyond });
    }
    Ok(load)
}

#[allow(clippy::cast_precision_loss)]
fn ms(ns: u64) -> f64 {
    ns as f64 / 1e6
}

/// The span above all others of each; of a circle the first.
fn root_of_each(parents: &[Option<usize>]) -> Vec<usize> {
    let mut roots: Vec<Option<usize>> = vec![None; parents.len()];
    for first in 0..parents.len() {
        let mut way = Vec::new();
        let mut at = first;
        let root = loop {
            if let Some(root) = roots[at] {
                break root;
            }
            way.push(at);
            match parents[at] {
                Some(parent) if !way.contains(&parent) => at = parent,
                _ => break at,
            }
        };
        for place in way {
            roots[place] = Some(root);
        }
    }
    roots.into_iter().enumerate().map(|(place, root)| root.unwrap_or(place)).collect()
}

/// The request that each root was made for: the one whose header named its parent, else the first of its path and
/// method that has none yet; one root alone is the document's.
fn requests_of_roots(load: &Load, tree: &Tree) -> HashMap<usize, RequestId> {
    let by_caller: HashMap<&str, &Request> = load.requests.iter().filter_map(|r| Some((caller(r)?, r))).collect();
    let own = tree.own_roots();
    let mut found: HashMap<usize, RequestId> = HashMap::new();
    let mut taken: HashSet<RequestId> = HashSet::new();
    for &root in &own {
        if let Some(request) = tree.raw[root].parent.as_deref().and_then(|parent| by_caller.get(parent)) {
            found.insert(root, request.id);
            taken.insert(request.id);
        }
    }
    for root in own.iter().copied().filter(|root| tree.raw[*root].path.is_some()) {
        if found.contains_key(&root) {
            continue;
        }
        let span = &tree.raw[root];
        let fits = |r: &&Request| {
            let path = url::Url::parse(&r.url).ok().map(|u| u.path().to_owned());
            r.is_network()
                && !taken.contains(&r.id)
                && path == span.path
                && span.method.as_deref().is_none_or(|m| m.eq_ignore_ascii_case(&r.method))
                && (span.status.is_none() || r.status.is_none() || span.status == r.status)
        };
        if let Some(request) = load.requests.iter().find(fits) {
            found.insert(root, request.id);
            taken.insert(request.id);
        }
    }
    if let ([only], Some(document), true) = (own.as_slice(), load.document(), found.is_empty()) {
        // One answer alone that names no path is the page's; one that names another is of another page.
        if tree.raw[*only].path.is_none() {
            found.insert(*only, document.id);
        }
    }
    found
}

/// When an answer's span of so many ms began, on the load's clock: in the middle of the request's wait, or, where it
/// is longer than that, half a round trip after sending.
fn laid(load: &Load, request: &Request, duration: f64) -> f64 {
    let sent = request.sent.unwrap_or(request.start).0;
    let answered = request.final_headers.or(request.first_byte).or(request.end).map_or(sent, |at| at.0);
    let wait = (answered - sent).max(0.0);
    if duration <= wait {
        return sent + (wait - duration) / 2.0;
    }
    let half = load.conditions.as_ref().map_or(0.0, phainon_core::Conditions::total_round_trip_ms) / 2.0;
    sent + half.min(wait)
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_core::Header;

    /// A span by id, parent, begin and end in ms, kind, and attributes.
    type Told<'a> = (&'a str, &'a str, u64, u64, i32, &'a [(&'a str, &'a str)]);

    /// A batch of OTLP JSON.
    fn batch(spans: &[Told<'_>]) -> Vec<u8> {
        let spans: Vec<serde_json::Value> = spans
            .iter()
            .map(|(id, parent, from, to, kind, attributes)| {
                let attributes: Vec<_> = attributes
                    .iter()
                    .map(|(k, v)| serde_json::json!({"key": k, "value": {"stringValue": v}}))
                    .collect();
                serde_json::json!({
                    "traceId": "0af7651916cd43dd8448eb211c80319c", "spanId": id, "parentSpanId": parent, "name": format!("span {id}"),
                    "kind": kind, "startTimeUnixNano": (from * 1_000_000).to_string(), "endTimeUnixNano": (to * 1_000_000).to_string(),
                    "attributes": attributes,
                })
            })
            .collect();
        let document = serde_json::json!({"resourceSpans": [{
            "resource": {"attributes": [{"key": "service.name", "value": {"stringValue": "skerry-line"}}]},
            "scopeSpans": [{"scope": {"name": "mooring"}, "spans": spans}],
        }]});
        serde_json::to_vec(&document).expect("JSON")
    }

    fn load() -> Load {
        let mut load = Load::empty("http://www.skerryline.test/");
        for (id, url, sent, first, caller) in [
            (0, "http://www.skerryline.test/", 10.0, 410.0, Some("00f067aa0ba902b7")),
            (1, "http://www.skerryline.test/api/tides?day=3", 500.0, 600.0, None),
        ] {
            let mut request = Request::new(id, url, if id == 0 { ResourceKind::Document } else { ResourceKind::Data });
            (request.sent, request.first_byte) = (Some(Millis(sent)), Some(Millis(first)));
            let value = caller.map(|c| format!("00-0af7651916cd43dd8448eb211c80319c-{c}-01"));
            request.request_headers.extend(value.map(|value| Header { name: "traceparent".into(), value }));
            load.requests.push(request);
        }
        load
    }

    #[test]
    fn spans_are_laid_into_the_wait_of_the_request_whose_header_they_name() {
        let mut load = load();
        let one = batch(&[
            ("b000000000000001", "00f067aa0ba902b7", 90_000, 90_300, 2, &[("url.path", "/")]),
            (
                "b000000000000002",
                "b000000000000001",
                90_050,
                90_250,
                1,
                &[("plugin.name", "tide-table"), ("odd", "kept")],
            ),
        ]);
        let late = batch(&[
            (
                "b000000000000003",
                "b000000000000002",
                90_100,
                90_150,
                3,
                &[("db.statement", "select 1"), ("db.system", "sqlite")],
            ),
            ("b000000000000003", "b000000000000002", 90_100, 90_150, 3, &[("db.statement", "select 1")]),
            ("b000000000000009", "", 95_000, 95_001, 2, &[("url.path", "/elsewhere")]),
        ]);
        join(&mut load, &[one, late], "spans");
        let told: Vec<(f64, f64, Option<u32>, SpanKind)> =
            load.spans.iter().map(|s| (s.start.0, s.duration.0, s.parent, s.kind)).collect();
        // 300 ms of work in a wait of 400: fifty before, fifty after.
        assert_eq!(
            told,
            [
                (60.0, 300.0, None, SpanKind::Answer),
                (110.0, 200.0, Some(0), SpanKind::Other),
                (160.0, 50.0, Some(1), SpanKind::Query),
            ]
        );
        assert_eq!(load.spans[1].told_owner, Some(("tide-table".into(), false)));
        assert!(load.spans[1].attributes.contains(&("odd".into(), "kept".into())), "unknown attributes are kept");
        assert_eq!(load.spans[0].service.as_deref(), Some("skerry-line"));
        assert_eq!(load.notes, [Note::SpansApart { count: 1 }], "one of another page");
    }

    #[test]
    fn spans_without_a_header_go_by_path_and_one_root_alone_is_the_documents() {
        let mut by_path = load();
        by_path.requests[0].request_headers.clear();
        let spans = batch(&[
            ("b000000000000001", "", 90_000, 90_080, 2, &[("http.target", "/api/tides?day=3"), ("http.method", "GET")]),
            ("b000000000000002", "", 80_000, 80_900, 2, &[("url.path", "/"), ("http.request.method", "GET")]),
        ]);
        join(&mut by_path, &[spans], "spans");
        let told: Vec<(u32, f64)> = by_path.spans.iter().map(|s| (s.request.0, s.start.0)).collect();
        // The longer one does not fit into the wait: it begins when the request was there.
        assert_eq!(told, [(0, 10.0), (1, 510.0)]);
        let mut alone = load();
        alone.requests[0].request_headers.clear();
        join(&mut alone, &[batch(&[("b000000000000001", "", 1, 2, 1, &[])])], "spans");
        assert_eq!(alone.spans[0].request, RequestId(0));
    }

    #[test]
    fn a_trace_without_a_load_has_a_request_for_each_of_its_answers() {
        let spans = batch(&[
            ("b000000000000001", "", 1_000, 1_300, 2, &[("url.path", "/timetable/")]),
            ("b000000000000002", "b000000000000001", 1_100, 1_200, 3, &[("db.query.text", "select 1")]),
            ("b000000000000003", "ffffffffffffffff", 1_250, 1_280, 2, &[("url.path", "/api/tides")]),
        ]);
        let load = load_of_trace(&[spans], "x").expect("OTLP");
        let asked: Vec<(&str, f64)> = load.requests.iter().map(|r| (&*r.url, r.start.0)).collect();
        assert_eq!(asked, [("http://skerry-line/timetable/", 0.0), ("http://skerry-line/api/tides", 250.0)]);
        let told: Vec<(u32, f64)> = load.spans.iter().map(|s| (s.request.0, s.start.0)).collect();
        assert_eq!(told, [(0, 0.0), (0, 100.0), (1, 250.0)]);
    }

    #[test]
    fn circles_and_what_cannot_be_read_do_no_harm() {
        let mut load = load();
        let circle = batch(&[
            ("b000000000000001", "b000000000000002", 1, 5, 1, &[]),
            ("b000000000000002", "b000000000000001", 2, 4, 1, &[]),
            ("b000000000000003", "b000000000000003", 9, 3, 1, &[]),
        ]);
        join(&mut load, &[circle, b"{".to_vec()], "spans");
        assert!(load.notes.iter().any(|n| matches!(n, Note::SpansUnread { .. })));
        assert!(load.spans.iter().all(|s| s.duration.0 >= 0.0));
    }
}
