//! What a server did for each of its answers: by owner, by kind of work, and query by query.
//!
//! [`ServerWork`] is made once with a load's look-ups: whose each span is, and what time is its own
//! ([`own_times`]: no instant is counted twice). [`answers`] tells it answer by answer. What no span covers is
//! told as such, never shared out.

mod own_time;
mod query;

pub use own_time::own_times;
pub use query::folded;
use query::hides_values;

use crate::owners::Owners;
use crate::{Load, Millis, Owner, Prepared, Request, RequestId, Span, SpanKind, server_time_of, server_timing};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;
use ts_rs::TS;

/// First-party answers for which the server took less than this are not listed, unless it told of its work.
const SLOW: Millis = Millis(100.0);
/// So many spans of an answer are shown one by one: the longest.
const MOST_SPANS: usize = 2_000;
/// So many queries of an answer are listed.
const MOST_QUERIES: usize = 200;
/// From so many times on, one statement with other values each time is asked one at a time.
const ONE_BY_ONE: u32 = 5;

/// A part of the server's work that an edit can be about.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(untagged)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum ServerPart {
    /// All that an owner does.
    Owner { owner: Owner },
    /// A statement, its values folded, whoever asks it.
    Query { query: String },
}

impl ServerPart {
    /// The same in every load in which it is the same.
    #[must_use]
    pub fn key(&self) -> String {
        match self {
            Self::Owner { owner } => owner.key(),
            Self::Query { query } => format!("query {query}"),
        }
    }
}

/// Whose each span of a load is, and the time that is its own.
#[derive(Debug, Clone, Default)]
pub struct ServerWork {
    /// By a span's place.
    pub owners: Vec<Owner>,
    /// Likewise.
    pub own: Vec<Millis>,
    /// The query's text with its values folded, likewise.
    pub statements: Vec<Option<Arc<str>>>,
}

impl ServerWork {
    /// Of a load.
    #[must_use]
    pub fn of(load: &Load, owners: &Owners) -> Self {
        let mut known: HashMap<&str, Arc<str>> = HashMap::new();
        let statements = load.spans.iter().map(|span| {
            let query = span.query.as_deref()?;
            Some(known.entry(query).or_insert_with(|| folded(query).into()).clone())
        });
        let statements: Vec<Option<Arc<str>>> = statements.collect();
        let mut of_spans: Vec<Option<Owner>> = vec![None; load.spans.len()];
        for first in 0..load.spans.len() {
            // Up to the nearest span that is known to be somebody's.
            let mut way = Vec::new();
            let mut at = Some(first);
            let mut found = None;
            while let Some(place) = at.filter(|place| way.len() < load.spans.len() && !way.contains(place)) {
                found = of_spans[place]
                    .clone()
                    .or_else(|| owners.of_span(&load.spans[place], statements[place].as_deref()));
                if found.is_some() {
                    break;
                }
                way.push(place);
                at = load.spans[place].parent.map(|p| p as usize).filter(|p| *p < load.spans.len());
            }
            let found = found.unwrap_or_else(|| owners.of_server());
            for place in way.into_iter().chain([first]) {
                of_spans[place].get_or_insert_with(|| found.clone());
            }
        }
        let owners = of_spans.into_iter().flatten().collect();
        Self { owners, own: own_times(&load.spans), statements }
    }
}

/// What a part of the server's work took of each answer, by the requests' places: by its spans, or where an answer
/// has none by `Server-Timing`.
#[must_use]
pub fn server_times(prepared: &Prepared, part: &ServerPart) -> Vec<Millis> {
    let (load, work) = (&*prepared.load, &prepared.server);
    let mut times = vec![Millis::ZERO; load.requests.len()];
    let mut told = vec![false; load.requests.len()];
    for (place, span) in load.spans.iter().enumerate() {
        let at = span.request.0 as usize;
        let its = match part {
            ServerPart::Owner { owner } => work.owners[place] == *owner && span.kind != SpanKind::Answer,
            ServerPart::Query { query } => work.statements[place].as_deref() == Some(query.as_str()),
        };
        if let (Some(told), Some(time)) = (told.get_mut(at), times.get_mut(at)) {
            *told = true;
            if its {
                *time += work.own[place];
            }
        }
    }
    if let ServerPart::Owner { owner } = part {
        for ((request, time), told) in load.requests.iter().zip(&mut times).zip(told) {
            if !told {
                *time = server_time_of(&request.response_headers, owner);
            }
        }
    }
    times
}

/// Who tells what the server did for an answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum ToldBy {
    /// Spans.
    Spans,
    /// `Server-Timing` alone: sums without when and in what.
    ServerTiming,
    /// Nobody.
    Nobody,
}

/// What an owner did for an answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerShare {
    pub owner: Owner,
    /// Its own time, queries included.
    pub ms: Millis,
    /// Of it, in queries.
    pub query_ms: Millis,
    pub queries: u32,
    pub spans: u32,
}

/// What went into one kind of work.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct KindShare {
    pub kind: SpanKind,
    pub ms: Millis,
    pub spans: u32,
}

/// How often a statement is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum QueryShape {
    /// Once, or a few times with other values.
    Plain,
    /// Several times with the same values: the answer was known already.
    Again,
    /// Again and again with changing values, from one place: one query could ask for all of them.
    OneByOne,
}

/// A statement and all times that it was asked for one answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct QueryRow {
    /// Its text with the values folded.
    pub text: String,
    /// One of them as it was sent.
    pub example: String,
    /// Who asked it.
    pub owners: Vec<Owner>,
    pub count: u32,
    /// Together.
    pub total_ms: Millis,
    pub slowest_ms: Millis,
    /// Rows that came, where the server tells.
    pub rows: Option<u64>,
    pub shape: QueryShape,
}

/// A span as the screen draws it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct SpanRow {
    /// Its place among the load's spans.
    pub span: u32,
    pub parent: Option<u32>,
    /// How far below the answer's own span.
    pub depth: u32,
    pub name: String,
    pub kind: SpanKind,
    pub owner: Owner,
    pub start_ms: Millis,
    pub duration_ms: Millis,
    /// Of it, the time that no span below it has.
    pub own_ms: Millis,
    /// The query's text with the values folded.
    #[ts(type = "string | null")]
    pub query: Option<Arc<str>>,
    pub file: Option<String>,
    pub function: Option<String>,
    pub address: Option<String>,
    pub failed: Option<String>,
    pub attributes: Vec<(String, String)>,
}

/// The server's work for one answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ServerAnswer {
    pub request: RequestId,
    #[ts(type = "string")]
    pub url: Arc<str>,
    /// Whether it is the page itself.
    pub document: bool,
    pub sent_ms: Option<Millis>,
    pub first_byte_ms: Option<Millis>,
    /// From sending to the first byte.
    pub wait_ms: Option<Millis>,
    /// Of it, the way there and back.
    pub round_trip_ms: Millis,
    /// Of it, the server: the wait without the way.
    pub server_ms: Option<Millis>,
    pub told_by: ToldBy,
    /// The services whose spans these are.
    pub services: Vec<String>,
    /// What the spans of the answer cover, first to last.
    pub span_ms: Option<Millis>,
    /// Of the server's time, what lies outside all spans: the queue before them, the web server around them.
    pub outside_ms: Option<Millis>,
    pub by_owner: Vec<OwnerShare>,
    pub by_kind: Vec<KindShare>,
    pub queries: Vec<QueryRow>,
    /// How many queries were asked.
    pub query_count: u32,
    pub spans: Vec<SpanRow>,
    /// How many spans it has, shown or not.
    pub span_count: u32,
}

/// The answers worth a look, the page's first, then those that took longest.
#[must_use]
pub fn answers(prepared: &Prepared) -> Vec<ServerAnswer> {
    let load = &*prepared.load;
    let document = load.document().map(|d| d.id);
    let traced: HashSet<RequestId> = load.spans.iter().map(|s| s.request).collect();
    let own_site = prepared.owners.site();
    let of_site = |r: &Request| prepared.host(r.id).is_some_and(|h| crate::registrable_domain(h) == own_site);
    let mut found: Vec<ServerAnswer> = load
        .requests
        .iter()
        .filter(|r| r.is_network() && r.cache.is_none())
        .map(|r| (r, server_part(prepared, r)))
        .filter(|(r, server)| {
            Some(r.id) == document || traced.contains(&r.id) || (server.is_some_and(|ms| ms >= SLOW) && of_site(r))
        })
        .map(|(r, server)| answer(prepared, r, server, Some(r.id) == document))
        .collect();
    found.sort_by(|a, b| {
        b.document.cmp(&a.document).then(b.server_ms.unwrap_or_default().order(&a.server_ms.unwrap_or_default()))
    });
    found
}

/// The server's part of a request's wait: without the way there and back.
#[must_use]
pub fn server_part(prepared: &Prepared, request: &Request) -> Option<Millis> {
    // Early hints are an answer, but not the page: the server's time goes on to the final one.
    let answered = request.final_headers.or(request.first_byte)?;
    Some((answered - request.sent? - round_trip(prepared)).max(Millis::ZERO))
}

fn round_trip(prepared: &Prepared) -> Millis {
    Millis(prepared.load.conditions.as_ref().map_or(0.0, crate::Conditions::total_round_trip_ms))
}

fn answer(prepared: &Prepared, request: &Request, server: Option<Millis>, document: bool) -> ServerAnswer {
    let (load, work) = (&*prepared.load, &prepared.server);
    let places: Vec<usize> = (0..load.spans.len()).filter(|p| load.spans[*p].request == request.id).collect();
    let timing = server_timing(&request.response_headers);
    let told_by = match (places.is_empty(), timing.iter().any(|t| t.duration_ms.is_some())) {
        (false, _) => ToldBy::Spans,
        (true, true) => ToldBy::ServerTiming,
        (true, false) => ToldBy::Nobody,
    };
    let mut by_owner: BTreeMap<Owner, OwnerShare> = BTreeMap::new();
    let mut by_kind: BTreeMap<SpanKind, KindShare> = BTreeMap::new();
    for &place in &places {
        let (span, own, owner) = (&load.spans[place], work.own[place], &work.owners[place]);
        let kind = by_kind.entry(span.kind).or_insert(KindShare { kind: span.kind, ms: Millis::ZERO, spans: 0 });
        kind.ms += own;
        kind.spans += 1;
        // What no other span covers is nobody's.
        if span.kind == SpanKind::Answer {
            continue;
        }
        let fresh =
            || OwnerShare { owner: owner.clone(), ms: Millis::ZERO, query_ms: Millis::ZERO, queries: 0, spans: 0 };
        let share = by_owner.entry(owner.clone()).or_insert_with(fresh);
        share.ms += own;
        share.spans += 1;
        if span.query.is_some() {
            share.queries += 1;
            share.query_ms += own;
        }
    }
    if told_by == ToldBy::ServerTiming {
        for entry in &timing {
            let (Some(ms), Some(owner)) = (entry.duration_ms, prepared.owners.of_server_timing(entry)) else {
                continue;
            };
            let fresh =
                || OwnerShare { owner: owner.clone(), ms: Millis::ZERO, query_ms: Millis::ZERO, queries: 0, spans: 0 };
            let share = by_owner.entry(owner.clone()).or_insert_with(fresh);
            share.ms += ms;
        }
    }
    let mut by_owner: Vec<OwnerShare> = by_owner.into_values().collect();
    by_owner.sort_by(|a, b| b.ms.order(&a.ms));
    let begin = places.iter().map(|p| load.spans[*p].start).reduce(Millis::min);
    let covered: Millis = places.iter().map(|p| work.own[*p]).sum();
    let span_ms = begin.map(|_| covered);
    let services: BTreeSet<&String> = places.iter().filter_map(|p| load.spans[*p].service.as_ref()).collect();
    ServerAnswer {
        request: request.id,
        url: request.url.clone(),
        document,
        sent_ms: request.sent,
        first_byte_ms: request.first_byte,
        wait_ms: request.first_byte.zip(request.sent).map(|(first, sent)| first - sent),
        round_trip_ms: round_trip(prepared),
        server_ms: server,
        told_by,
        services: services.into_iter().cloned().collect(),
        span_ms,
        outside_ms: span_ms.zip(server).map(|(spans, server)| (server - spans).max(Millis::ZERO)),
        by_owner,
        by_kind: by_kind.into_values().collect(),
        queries: queries(prepared, &places),
        query_count: u32::try_from(places.iter().filter(|p| load.spans[**p].query.is_some()).count())
            .unwrap_or(u32::MAX),
        spans: rows(prepared, &places),
        span_count: u32::try_from(places.len()).unwrap_or(u32::MAX),
    }
}

/// The statements that were asked for an answer, those that took longest first.
pub(crate) fn queries(prepared: &Prepared, places: &[usize]) -> Vec<QueryRow> {
    let (load, work) = (&*prepared.load, &prepared.server);
    let mut by_text: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for &place in places {
        if let Some(text) = work.statements[place].as_deref() {
            by_text.entry(text).or_default().push(place);
        }
    }
    let mut rows: Vec<QueryRow> = by_text
        .into_iter()
        .map(|(text, asked)| {
            let owners: BTreeSet<&Owner> = asked.iter().map(|p| &work.owners[*p]).collect();
            let sent = |p: &usize| load.spans[*p].query.as_deref().unwrap_or("");
            let texts: HashSet<&str> = asked.iter().map(sent).collect();
            let count = u32::try_from(asked.len()).unwrap_or(u32::MAX);
            let mut parents: HashMap<Option<u32>, u32> = HashMap::new();
            for place in &asked {
                *parents.entry(load.spans[*place].parent).or_default() += 1;
            }
            let from_one_place = parents.values().copied().max().unwrap_or(0);
            // Placeholders hide the values: then one text is all there is, and says nothing of them.
            let hidden = texts.len() == 1 && texts.iter().all(|text| hides_values(text));
            let shape = match count {
                1 => QueryShape::Plain,
                _ if from_one_place >= ONE_BY_ONE && (hidden || texts.len() >= ONE_BY_ONE as usize) => {
                    QueryShape::OneByOne
                }
                _ if !hidden && texts.len() * 2 <= asked.len() => QueryShape::Again,
                _ => QueryShape::Plain,
            };
            let told: Vec<u64> = asked.iter().filter_map(|p| load.spans[*p].rows).collect();
            QueryRow {
                text: text.to_owned(),
                example: asked.first().map(sent).unwrap_or_default().chars().take(4_000).collect(),
                owners: owners.into_iter().cloned().collect(),
                count,
                total_ms: asked.iter().map(|p| work.own[*p]).sum(),
                slowest_ms: asked.iter().map(|p| load.spans[*p].duration).fold(Millis::ZERO, Millis::max),
                rows: (!told.is_empty()).then(|| told.iter().sum()),
                shape,
            }
        })
        .collect();
    rows.sort_by(|a, b| b.total_ms.order(&a.total_ms).then_with(|| a.text.cmp(&b.text)));
    rows.truncate(MOST_QUERIES);
    rows
}

fn rows(prepared: &Prepared, places: &[usize]) -> Vec<SpanRow> {
    let (load, work) = (&*prepared.load, &prepared.server);
    let mut shown = places.to_vec();
    if shown.len() > MOST_SPANS {
        shown.sort_by(|a, b| load.spans[*b].duration.order(&load.spans[*a].duration).then(a.cmp(b)));
        shown.truncate(MOST_SPANS);
        shown.sort_unstable();
    }
    let depth = |place: usize| {
        let above = std::iter::successors(load.spans[place].parent, |p| load.spans.get(*p as usize)?.parent);
        u32::try_from(above.take(64).count()).unwrap_or(0)
    };
    let mut rows: Vec<SpanRow> = shown
        .into_iter()
        .map(|place| {
            let span: &Span = &load.spans[place];
            SpanRow {
                span: u32::try_from(place).unwrap_or(u32::MAX),
                parent: span.parent,
                depth: depth(place),
                name: span.name.clone(),
                kind: span.kind,
                owner: work.owners[place].clone(),
                start_ms: span.start,
                duration_ms: span.duration,
                own_ms: work.own[place],
                query: work.statements[place].clone(),
                file: span.file.clone(),
                function: span.function.clone(),
                address: span.address.clone(),
                failed: span.failed.clone(),
                attributes: span.attributes.clone(),
            }
        })
        .collect();
    rows.sort_by(|a, b| a.start_ms.order(&b.start_ms).then(a.depth.cmp(&b.depth)).then(a.span.cmp(&b.span)));
    rows
}

/// Whether a page was made anew for each visit though nothing had changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct MadeAfresh {
    /// The server's time for the page in each load.
    pub server_ms: Vec<Millis>,
    /// How many of the loads got the very same bytes as another.
    pub alike: u32,
    /// The load in which the server was much quicker than in the others, as from a cache; `None` where there is none.
    pub quickest_ms: Option<Millis>,
}

/// Compares the page's document over the loads of a recording: the hash of its body and the server's time.
/// `None` for fewer than two loads.
#[must_use]
pub fn made_afresh(loads: &[(Option<String>, Millis)]) -> Option<MadeAfresh> {
    if loads.len() < 2 {
        return None;
    }
    let mut times: Vec<Millis> = loads.iter().map(|l| l.1).collect();
    let like = |hash: &Option<String>| hash.is_some() && loads.iter().filter(|l| l.0 == *hash).count() > 1;
    let alike = loads.iter().filter(|l| like(&l.0)).count();
    let mut sorted = times.clone();
    sorted.sort_by(Millis::order);
    let (quickest, middle) = (sorted[0], sorted[sorted.len() / 2]);
    // A quarter of the usual time, and fifty milliseconds less: no scatter of the same work.
    let cached = quickest.0 <= middle.0 / 4.0 && middle.0 - quickest.0 >= 50.0;
    times.truncate(40);
    Some(MadeAfresh {
        server_ms: times,
        alike: u32::try_from(alike).unwrap_or(u32::MAX),
        quickest_ms: cached.then_some(quickest),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{OwnerKind, ResourceKind};

    fn span(parent: Option<u32>, at: (f64, f64), kind: SpanKind, name: &str, query: Option<&str>) -> Span {
        Span {
            service: Some("skerry-line".into()),
            told_owner: name.strip_prefix("hook ").map(|n| (n.to_owned(), false)),
            query: query.map(str::to_owned),
            rows: query.map(|_| 2),
            ..Span::new(RequestId(0), parent, name, kind, (Millis(at.0), Millis(at.1)))
        }
    }

    /// An answer of 300 ms: a hook of 200 with six queries of 20 each, a template of 40, 60 that nothing covers.
    fn load() -> Load {
        let mut load = Load::empty("http://www.skerryline.test/timetable/");
        let mut document = Request::new(0, "http://www.skerryline.test/timetable/", ResourceKind::Document);
        (document.sent, document.first_byte) = (Some(Millis(10.0)), Some(Millis(350.0)));
        load.requests.push(document);
        load.spans.push(span(None, (20.0, 300.0), SpanKind::Answer, "GET /timetable/", None));
        load.spans.push(span(Some(0), (30.0, 200.0), SpanKind::Other, "hook tide-table", None));
        for n in 0..6 {
            let text = format!("select max(height) from levels where day = {n}");
            load.spans.push(span(Some(1), (35.0 + 30.0 * f64::from(n), 20.0), SpanKind::Query, "select", Some(&text)));
        }
        load.spans.push(span(Some(0), (250.0, 40.0), SpanKind::Template, "render", None));
        load
    }

    #[test]
    fn an_answer_is_told_by_owner_by_kind_and_by_query_and_the_sums_are_the_whole() {
        let prepared = Prepared::plain(load());
        let [answer] = answers(&prepared).try_into().expect("one answer");
        assert_eq!(
            (answer.told_by, answer.wait_ms, answer.span_ms),
            (ToldBy::Spans, Some(Millis(340.0)), Some(Millis(300.0)))
        );
        assert_eq!(answer.outside_ms, Some(Millis(40.0)));
        let owners: Vec<(&str, f64, u32)> =
            answer.by_owner.iter().map(|o| (o.owner.name.as_str(), o.ms.0, o.queries)).collect();
        assert_eq!(owners, [("tide-table", 200.0, 6), ("site", 40.0, 0)]);
        assert_eq!(answer.by_owner[0].owner.kind, OwnerKind::Plugin);
        let kinds: Vec<(SpanKind, f64)> = answer.by_kind.iter().map(|k| (k.kind, k.ms.0)).collect();
        assert_eq!(
            kinds,
            [(SpanKind::Query, 120.0), (SpanKind::Template, 40.0), (SpanKind::Other, 80.0), (SpanKind::Answer, 60.0),]
        );
        let [query] = answer.queries.as_slice() else { panic!("{:?}", answer.queries) };
        assert_eq!(
            (query.count, query.total_ms, query.rows, query.shape),
            (6, Millis(120.0), Some(12), QueryShape::OneByOne)
        );
        assert_eq!(query.text, "select max(height) from levels where day = ?");
    }

    #[test]
    fn a_part_of_the_work_takes_its_own_time() {
        let prepared = Prepared::plain(load());
        let takes = |part| server_times(&prepared, &part)[0].0;
        let tide = Owner { name: "tide-table".into(), kind: OwnerKind::Plugin };
        assert_eq!(takes(ServerPart::Owner { owner: tide }), 200.0);
        assert_eq!(takes(ServerPart::Query { query: "select max(height) from levels where day = ?".into() }), 120.0);
        assert_eq!(takes(ServerPart::Query { query: "select ?".into() }), 0.0);
    }

    #[test]
    fn the_same_question_twice_is_another_thing_than_one_for_each_row() {
        let mut load = load();
        for span in load.spans.iter_mut().filter(|s| s.query.is_some()) {
            span.query = Some("select value from settings where name = 'tides'".into());
        }
        let again = Prepared::plain(load.clone());
        assert_eq!(answers(&again)[0].queries[0].shape, QueryShape::Again);
        for span in load.spans.iter_mut().filter(|s| s.query.is_some()) {
            span.query = Some("select value from settings where name = ?".into());
        }
        assert_eq!(answers(&Prepared::plain(load))[0].queries[0].shape, QueryShape::OneByOne, "values are hidden");
    }

    #[test]
    fn a_page_that_is_made_for_each_visit_is_told_from_one_that_is_kept() {
        let of = |loads: &[(&str, f64)]| {
            made_afresh(&loads.iter().map(|(hash, ms)| (Some((*hash).to_owned()), Millis(*ms))).collect::<Vec<_>>())
        };
        assert_eq!(of(&[("a", 300.0)]), None);
        let afresh = of(&[("a", 300.0), ("a", 310.0), ("b", 305.0)]).expect("three");
        assert_eq!((afresh.alike, afresh.quickest_ms), (2, None));
        assert_eq!(of(&[("a", 300.0), ("a", 12.0), ("a", 305.0)]).expect("three").quickest_ms, Some(Millis(12.0)));
        assert_eq!(of(&[("a", 30.0), ("a", 2.0), ("a", 31.0)]).expect("three").quickest_ms, None, "28 ms are none");
    }
}
