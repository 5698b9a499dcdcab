//! Two owners ask the database the same.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, row};
use crate::server_work::ServerPart;
use crate::{Edit, Millis, SpanKind};

/// What takes less than this together is no matter.
const MUCH: Millis = Millis(5.0);

pub(super) const CHECK: Check = Check {
    id: "query-of-two-owners",
    group: Group::Server,
    rule: "Two owners ask one statement for the page, its values aside, for 5 ms or more together: one could hand it on.",
    example: || {
        let mut example = example::sound();
        example.span(None, (5.0, 60.0), SpanKind::Answer, "GET /", None);
        for (n, at) in [("easy-forms", 10.0), ("form-builder", 30.0)] {
            let hook = example.span(Some(0), (at, 12.0), SpanKind::Other, &format!("hook {n}"), None);
            example.span(Some(hook), (at + 1.0, 4.0), SpanKind::Query, "select", Some("select * from forms"));
        }
        example.words("a page for which two plugins each ask for all forms, for 4 ms")
    },
    gives: "easy-forms and form-builder ask the same query, 8 ms together: select * from forms",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some((_, answer)) = context.page_answer() else { return Vec::new() };
    let shared = answer.queries.iter().filter(|q| q.owners.len() > 1 && q.total_ms >= MUCH);
    shared
        .filter_map(|query| {
            let names: Vec<String> = query.owners.iter().map(|o| o.name.clone()).collect();
            let fact =
                Fact::QueryOfTwoOwners { query: query.text.clone(), owners: names.clone(), total: query.total_ms };
            #[allow(clippy::cast_precision_loss)]
            let share = 1.0 / query.owners.len() as f64;
            let part = ServerPart::Query { query: query.text.clone() };
            let edit = Edit::ServerFaster { part, share };
            let mut finding = context.of_server(&CHECK, query.total_ms, query.owners[0].clone(), fact, edit)?;
            finding.evidence = names
                .into_iter()
                .map(|name| row(EvidenceOf::AskedByOwner(name), Figure::None))
                .chain([row(EvidenceOf::QueryTotal, Figure::Ms(query.total_ms))])
                .collect();
            finding.sureness = Sureness::Inferred;
            Some(finding)
        })
        .collect()
}
