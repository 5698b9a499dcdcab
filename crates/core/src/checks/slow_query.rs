//! A single query takes long.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, row};
use crate::server_work::{QueryShape, ServerPart};
use crate::{Edit, Millis, Owner, SpanKind};

/// A query that takes this long is slow.
const SLOW: Millis = Millis(50.0);
/// What an index or a narrower question as a rule leaves of a slow query's time.
const LEFT: f64 = 0.1;

pub(super) const CHECK: Check = Check {
    id: "slow-query",
    group: Group::Server,
    rule: "A single query takes 50 ms or more of the server's work for the page.",
    example: || {
        let mut example = example::sound();
        example.span(None, (5.0, 95.0), SpanKind::Answer, "GET /", None);
        example.span(Some(0), (10.0, 60.0), SpanKind::Query, "select", Some("select sum(height) from tides"));
        example.words("a page for which the server asks the database for a sum, for 60 ms")
    },
    gives: "A query takes 60 ms: select sum(height) from tides",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some((_, answer)) = context.page_answer() else { return Vec::new() };
    // What repeats is told as such.
    let slow = answer.queries.iter().filter(|q| q.slowest_ms >= SLOW && q.shape == QueryShape::Plain);
    slow.filter_map(|query| {
        let owner = query.owners.first().cloned().unwrap_or_else(Owner::page);
        let fact = Fact::SlowQuery { query: query.text.clone(), slowest: query.slowest_ms };
        let part = ServerPart::Query { query: query.text.clone() };
        let edit = Edit::ServerFaster { part, share: LEFT };
        let mut finding = context.of_server(&CHECK, query.total_ms, owner, fact, edit)?;
        finding.evidence = vec![
            row(EvidenceOf::QueryText, Figure::Text(query.example.clone())),
            row(EvidenceOf::QuerySlowest, Figure::Ms(query.slowest_ms)),
            row(EvidenceOf::QueryTotal, Figure::Ms(query.total_ms)),
        ];
        if let Some(rows) = query.rows {
            finding.evidence.push(row(EvidenceOf::QueryRows, Figure::Text(rows.to_string())));
        }
        finding.sureness = Sureness::Inferred;
        Some(finding)
    })
    .collect()
}
