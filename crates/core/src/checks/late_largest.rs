//! The largest paint's file is found late.

use super::{Check, CheckContext, Finding, Group, example, row};
use crate::path::{Cause, Leg};
use crate::{Fix, FixKind, InitiatorKind, Millis, PaintKind, ResourceKind, WorkKind, WorkName};

/// Asked for this much after the document's first byte, it is late.
const LATE: Millis = Millis(250.0);

pub(super) const CHECK: Check = Check {
    id: "late-largest",
    group: Group::Rendering,
    rule: "The largest picture is asked for more than 250 ms after the document's first byte, because a script, a stylesheet or a lazy-loading decision had to name it.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/plugins/deck-slider/slider.js";
        example.request(url, ResourceKind::Script, 150.0, 300.0, 20_000);
        example.work(WorkName::Task, WorkKind::Other, 400.0, 60.0, 0, None);
        example.work(WorkName::Evaluate, WorkKind::ScriptRun, 400.0, 60.0, 1, Some(url));
        let hero = &mut example.load.requests[1];
        hero.start = Millis(455.0);
        hero.initiator =
            crate::Initiator { kind: InitiatorKind::Script, stack: vec![url.into()], ..crate::Initiator::default() };
        example.words("the hero is asked for at 455 ms by slider.js; the document's first byte came at 100 ms")
    },
    gives: "Largest picture found late: hero.jpg, asked for 355 ms after the first byte",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(candidate) = context.load.largest().filter(|c| c.kind == PaintKind::Image) else { return Vec::new() };
    let Some(request) = candidate.url.as_deref().and_then(|url| context.load.request_for(url, candidate.at)) else {
        return Vec::new();
    };
    let Some(first) = context.load.document().and_then(|d| d.first_byte) else { return Vec::new() };
    let delay = request.start - first;
    let lazy = context.load.page.as_ref().is_some_and(|p| p.images.iter().any(|i| i.lazy && i.url == *request.url));
    let how = match request.initiator.kind {
        InitiatorKind::Script => "a script inserts it",
        InitiatorKind::Style => "a stylesheet names it",
        _ if lazy => "it is loaded lazily",
        _ => return Vec::new(),
    };
    if delay <= LATE {
        return Vec::new();
    }
    let name = request.short_name();
    let fix = Fix::new(FixKind::PutInHtml, &request.url, format!("Put {name} in the HTML and fetch it first"));
    let title = format!("Largest picture found late: {name}, asked for {} after the first byte", delay.text());
    let mut finding = context.about(&CHECK, request, &[Cause::Queue], title, fix);
    // On the path: all of it between the document's first byte and the asking. The script that
    // inserts the picture is part of the delay, whoever's legs these are.
    let between: Millis = context
        .path
        .iter()
        .map(|leg: &Leg| (leg.to_ms.min(request.start) - leg.from_ms.max(first)).max(Millis::ZERO))
        .sum();
    finding.on_path_ms = between;
    finding.on_path = between > Millis::ZERO;
    finding.standing = context.standing(between, (first, request.start));
    finding.size_ms = Some(delay);
    finding.size_bytes = None;
    finding.evidence = vec![
        row("document's first byte", first.text()),
        row("asked for at", request.start.text()),
        row("because", how.to_owned()),
    ];
    for caller in request.initiator.stack.iter().take(3) {
        let by = context.load.requests.iter().find(|r| r.url == *caller);
        finding.evidence.push(super::Evidence {
            label: "asked for by".into(),
            value: crate::request::short_name(caller),
            request: by.map(|r| r.id),
        });
    }
    finding.why = format!(
        "The preload scanner finds files that stand in the HTML at once; here {how}, so its download could not begin earlier."
    );
    vec![finding]
}
