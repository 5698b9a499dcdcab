//! A plugin or theme takes much of the server's work for the page.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, row};
use crate::server_work::ServerPart;
use crate::{Edit, Millis, OwnerKind, SpanKind};

/// Less than this of an owner's own is not worth a finding.
const MUCH: Millis = Millis(50.0);
/// Nor is less than this share of the server's time.
const SHARE: f64 = 0.1;

pub(super) const CHECK: Check = Check {
    id: "slow-server-owner",
    group: Group::Server,
    rule: "A plugin or theme takes 50 ms or more, and a tenth or more, of the server's work for the page.",
    example: || {
        let mut example = example::sound();
        example.span(None, (5.0, 90.0), SpanKind::Answer, "GET /", None);
        example.span(Some(0), (10.0, 70.0), SpanKind::Other, "hook tide-table", None);
        example.words("a page whose server tells of 90 ms of work, 70 of them in the hook of one plugin")
    },
    gives: "tide-table takes 70 ms of the server's 100 ms for the page",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some((_, answer)) = context.page_answer() else { return Vec::new() };
    let server = answer.server_ms.or(answer.span_ms).unwrap_or_default();
    let wanted = answer.by_owner.iter().filter(|share| {
        matches!(share.owner.kind, OwnerKind::Plugin | OwnerKind::Theme | OwnerKind::ThirdParty)
            && share.ms >= MUCH
            && share.ms.0 >= server.0 * SHARE
    });
    wanted
        .filter_map(|share| {
            let fact = Fact::SlowServerOwner { took: share.ms, server, queries: share.queries };
            let edit = Edit::ServerRemove { part: ServerPart::Owner { owner: share.owner.clone() } };
            let mut finding = context.of_server(&CHECK, share.ms, share.owner.clone(), fact, edit)?;
            finding.evidence = vec![
                row(EvidenceOf::ServerTime, Figure::Ms(server)),
                row(EvidenceOf::InQueries, Figure::Ms(share.query_ms)),
                row(EvidenceOf::QueriesAsked, Figure::Text(share.queries.to_string())),
            ];
            finding.sureness = Sureness::Measured;
            Some(finding)
        })
        .collect()
}
