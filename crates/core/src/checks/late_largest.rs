//! The largest paint's file is found late.

use super::{Check, CheckContext, Evidence, EvidenceOf, Fact, Figure, Finding, FoundBy, Group, example, row};
use crate::path::{Cause, Leg, LegFact};
use crate::{Edit, InitiatorKind, Millis, PaintKind, ResourceKey, ResourceKind, WorkKind, WorkName};

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
    let load = context.load();
    let Some(candidate) = load.largest().filter(|c| c.kind == PaintKind::Image) else { return Vec::new() };
    let Some(file) = candidate.url.as_deref().and_then(|url| load.request_for(url, candidate.at)) else {
        return Vec::new();
    };
    // Where the address redirects, what was found late is the first hop.
    let request = load.first_hop(file);
    let Some(first) = load.document().and_then(|d| d.first_byte) else { return Vec::new() };
    let delay = request.start - first;
    let lazy = context.prepared.images_of(&request.url).any(|i| i.lazy);
    let by = match request.initiator.kind {
        InitiatorKind::Script => FoundBy::Script,
        // A sheet names it, but a run of script made the element one that needs it; or inserted a lazy one.
        _ if set_off_by_script(context, request) => FoundBy::Script,
        InitiatorKind::Style => FoundBy::Sheet,
        _ if lazy => FoundBy::LazyLoading,
        _ => return Vec::new(),
    };
    if delay <= LATE {
        return Vec::new();
    }
    let edit = Edit::PutInHtml { file: ResourceKey::of(&request.url) };
    let mut finding = context.about(&CHECK, request, &[Cause::Queue], Fact::LateLargest { delay, by }, edit);
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
        row(EvidenceOf::DocumentFirstByte, Figure::Ms(first)),
        row(EvidenceOf::AskedFor, Figure::Ms(request.start)),
        row(EvidenceOf::Because(by), Figure::None),
    ];
    for caller in request.initiator.stack.iter().take(3) {
        finding.evidence.push(Evidence {
            of: EvidenceOf::AskedForBy,
            figure: Figure::Text(crate::request::short_name(caller)),
            request: context.prepared.first_for(caller).map(|r| r.id),
        });
    }
    vec![finding]
}

/// Whether the run of script that changed the page stands on the path just before the file was asked for.
fn set_off_by_script(context: &CheckContext<'_>, request: &crate::Request) -> bool {
    let before = context.path.iter().rev().filter(|leg| leg.to_ms <= request.start);
    let mut last = before.skip_while(|leg| matches!(leg.cause, Cause::StyleFound | Cause::Lazy | Cause::Busy));
    last.next().is_some_and(|leg| matches!(leg.fact, LegFact::ChangesPage { .. }))
}
