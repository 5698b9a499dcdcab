//! A query is asked again and again for one page.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, row};
use crate::server_work::{QueryRow, QueryShape, ServerPart};
use crate::{Edit, Millis, Owner, SpanKind};

/// Fewer than this are no matter.
const OFTEN: u32 = 10;
/// Nor is what takes less than this together.
const MUCH: Millis = Millis(10.0);

pub(super) const CHECK: Check = Check {
    id: "repeated-query",
    group: Group::Server,
    rule: "One statement is asked ten times or more for the page, its values aside, and takes 10 ms or more together.",
    example: || {
        let mut example = example::sound();
        example.span(None, (5.0, 90.0), SpanKind::Answer, "GET /", None);
        example.span(Some(0), (10.0, 40.0), SpanKind::Other, "hook tide-table", None);
        for n in 0..20 {
            let query = format!("select max(height) from levels where day = {n}");
            example.span(Some(1), (10.0 + 2.0 * f64::from(n), 1.5), SpanKind::Query, "select", Some(&query));
        }
        example.words("a page for which a plugin asks the database twenty times for one row, 1.5 ms each")
    },
    gives: "tide-table asks one query 20 times, 30 ms together: select max(height) from levels where day = ?",
    run,
};

/// Of what repeats, as much is left as its slowest one took: an answer for all has to be looked for once.
fn share_left(query: &QueryRow) -> f64 {
    (query.slowest_ms.0 / query.total_ms.0.max(0.001)).clamp(0.0, 1.0)
}

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some((_, answer)) = context.page_answer() else { return Vec::new() };
    let often =
        answer.queries.iter().filter(|q| q.count >= OFTEN && q.total_ms >= MUCH && q.shape != QueryShape::Plain);
    often
        .filter_map(|query| {
            let owner = query.owners.first().cloned().unwrap_or_else(Owner::page);
            let fact = Fact::RepeatedQuery {
                query: query.text.clone(),
                count: query.count,
                total: query.total_ms,
                same: query.shape == QueryShape::Again,
            };
            let part = ServerPart::Query { query: query.text.clone() };
            let edit = Edit::ServerFaster { part, share: share_left(query) };
            let mut finding = context.of_server(&CHECK, query.total_ms, owner, fact, edit)?;
            finding.evidence = vec![
                row(EvidenceOf::QueryText, Figure::Text(query.example.clone())),
                row(EvidenceOf::QueriesAsked, Figure::Text(query.count.to_string())),
                row(EvidenceOf::QueryTotal, Figure::Ms(query.total_ms)),
                row(EvidenceOf::QuerySlowest, Figure::Ms(query.slowest_ms)),
            ];
            if let Some(rows) = query.rows {
                finding.evidence.push(row(EvidenceOf::QueryRows, Figure::Text(rows.to_string())));
            }
            finding.sureness = Sureness::Inferred;
            Some(finding)
        })
        .collect()
}
