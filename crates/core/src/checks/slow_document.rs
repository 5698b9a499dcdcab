//! The document's first byte comes late.

use super::{Check, CheckContext, Finding, Group, Sureness, example, row};
use crate::path::Cause;
use crate::{Bytes, Fix, FixKind, Millis, analysis::server_timing, metrics};

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
    let Some(document) = context.load.document() else { return Vec::new() };
    let (Some(sent), Some(first)) = (document.sent, document.first_byte) else { return Vec::new() };
    let round_trip = Millis(context.load.conditions.as_ref().map_or(0.0, crate::Conditions::total_round_trip_ms));
    let server = first - sent - round_trip;
    if server <= SLOW {
        return Vec::new();
    }
    let fix = Fix::new(
        FixKind::FasterResponse,
        &document.url,
        "Shorten the server's work for the page, or serve it from a page cache".into(),
    );
    let title = format!("The server takes {} to answer for the page", server.text());
    let mut finding = context.about(&CHECK, document, &[Cause::Wait], title, fix);
    finding.size_ms = Some(server);
    finding.size_bytes = None::<Bytes>;
    finding.evidence = vec![
        row("first byte after sending", (first - sent).text()),
        row("of it, the link's round trip", round_trip.text()),
        row("TTFB target", Millis(metrics::target(metrics::Metric::Ttfb).0).text()),
    ];
    let mut timings = server_timing(&document.response_headers);
    timings.retain(|t| t.duration_ms.is_some());
    timings.sort_by(|a, b| b.duration_ms.unwrap_or_default().order(&a.duration_ms.unwrap_or_default()));
    for timing in timings.iter().take(6) {
        finding.evidence.push(row(&format!("server: {}", timing.name), timing.duration_ms.unwrap_or_default().text()));
    }
    finding.sureness = if context.load.conditions.is_some() { Sureness::Measured } else { Sureness::Inferred };
    finding.why = if timings.is_empty() {
        "Nothing else can start before the document's first byte. The server sent no Server-Timing, so the recording cannot tell what it spent the time on.".into()
    } else {
        "Nothing else can start before the document's first byte. The server's own account of the time is in the evidence.".into()
    };
    vec![finding]
}
