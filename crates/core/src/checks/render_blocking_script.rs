//! Scripts that hold rendering back.

use super::{ALL_OF_A_REQUEST, Check, CheckContext, Finding, Group, example, row};
use crate::{BlockingKind, Fix, FixKind, Millis, RenderBlocking, ResourceKind, WorkKind, WorkName};

pub(super) const CHECK: Check = Check {
    id: "render-blocking-script",
    group: Group::Rendering,
    rule: "A script that the browser marked as render-blocking: nothing is painted before it has arrived and run.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/themes/tidemark/vendor.js";
        example.request(url, ResourceKind::Script, 120.0, 520.0, 44_000).render_blocking = RenderBlocking::Blocking;
        example.work(WorkName::Task, WorkKind::Other, 530.0, 30.0, 0, None);
        example.work(WorkName::Evaluate, WorkKind::ScriptRun, 530.0, 30.0, 1, Some(url));
        example.words("vendor.js in the head, marked blocking, run from 530 to 560 ms; largest paint at 600 ms")
    },
    gives: "vendor.js holds up rendering until 560 ms",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let mut found = Vec::new();
    for blocker in context.blockers.iter().filter(|b| b.kind == BlockingKind::Script) {
        let Some(request) = context.load.request(blocker.request) else { continue };
        let name = request.short_name();
        let fix =
            Fix::new(FixKind::DeferScript, &request.url, format!("Defer {name}, and whatever depends on it, in order"));
        let title = format!("{name} holds up rendering until {}", blocker.released_ms.text());
        let mut finding = context.about(&CHECK, request, ALL_OF_A_REQUEST, title, fix);
        finding.size_ms = Some(blocker.released_ms - request.start);
        finding.evidence = vec![
            row("asked for at", request.start.text()),
            row("last byte at", request.end.unwrap_or(Millis::ZERO).text()),
            row("let go at", blocker.released_ms.text()),
        ];
        if let Some(fcp) = context.load.fcp {
            finding.evidence.push(row("first contentful paint", fcp.text()));
        }
        finding.why = "The browser marked it as render-blocking. A deferred script runs in order after the document is parsed; inline scripts that use it must then wait too.".into();
        found.push(finding);
    }
    found
}
