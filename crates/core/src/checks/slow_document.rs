//! The document's first byte comes late.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, row};
use crate::metrics::Metric;
use crate::path::Cause;
use crate::server_timing;
use crate::{Edit, Millis, ResourceKey};

/// Waiting longer than this for the document is worth a finding, once the round trip is taken off.
const SLOW: Millis = Millis(300.0);

pub(super) const CHECK: Check = Check {
    id: "slow-document",
    group: Group::Delivery,
    rule: "The server takes more than 300 ms to answer for the document, the link's round trip taken off.",
    example: || {
        let mut example = example::sound();
        let document = &mut example.load.requests[0];
        document.first_byte = Some(Millis(520.0));
        document.end = Some(Millis(540.0));
        example.load.requests[1].start = Millis(530.0);
        example.words("a document whose first byte comes 520 ms after it was asked for, on an unshaped link")
    },
    gives: "The server takes 520 ms to answer for the page",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(document) = context.load().document() else { return Vec::new() };
    let (Some(sent), Some(first)) = (document.sent, document.first_byte) else { return Vec::new() };
    // Early hints are an answer, but not the page: the server's time goes on to the final one.
    let answered = document.final_headers.unwrap_or(first);
    let round_trip = Millis(context.load().conditions.as_ref().map_or(0.0, crate::Conditions::total_round_trip_ms));
    let server = answered - sent - round_trip;
    if server <= SLOW {
        return Vec::new();
    }
    let mut timings = server_timing(&document.response_headers);
    timings.retain(|t| t.duration_ms.is_some());
    timings.sort_by(|a, b| b.duration_ms.unwrap_or_default().order(&a.duration_ms.unwrap_or_default()));
    let fact = Fact::SlowDocument { server, told: !timings.is_empty() };
    let edit = Edit::FasterResponse { file: ResourceKey::of(&document.url), to: None };
    let mut finding = context.about(&CHECK, document, &[Cause::Wait], fact, edit);
    finding.size_ms = Some(server);
    finding.size_bytes = None;
    let target = Millis(context.prepared.settings.target(Metric::Ttfb).target);
    finding.evidence = vec![
        row(EvidenceOf::FirstByteAfterSending, Figure::Ms(answered - sent)),
        row(EvidenceOf::RoundTrip, Figure::Ms(round_trip)),
        row(EvidenceOf::TtfbTarget, Figure::Ms(target)),
    ];
    for timing in timings.iter().take(6) {
        let part = EvidenceOf::ServerPart(timing.name.clone());
        finding.evidence.push(row(part, Figure::Ms(timing.duration_ms.unwrap_or_default())));
    }
    finding.sureness = if context.load().conditions.is_some() { Sureness::Measured } else { Sureness::Inferred };
    vec![finding]
}
