//! Stylesheets that hold rendering back.

use super::{ALL_OF_A_REQUEST, Check, CheckContext, Finding, Group, example, row};
use crate::{BlockingKind, Fix, FixKind, Millis, RenderBlocking, ResourceKind};

pub(super) const CHECK: Check = Check {
    id: "render-blocking-stylesheet",
    group: Group::Rendering,
    rule: "A stylesheet that the browser marked as render-blocking and that let go after the document had arrived.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/themes/tidemark/base.css";
        example.request(url, ResourceKind::Style, 120.0, 540.0, 30_000).render_blocking = RenderBlocking::Blocking;
        example.words("base.css in the head, marked blocking, there at 540 ms; the document at 200 ms")
    },
    gives: "base.css holds up rendering until 540 ms",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let document_end = context.load.document().and_then(|d| d.end).unwrap_or(Millis::ZERO);
    let mut found = Vec::new();
    for blocker in
        context.blockers.iter().filter(|b| b.kind == BlockingKind::Stylesheet && b.released_ms > document_end)
    {
        let Some(request) = context.load.request(blocker.request) else { continue };
        let name = request.short_name();
        let fix = Fix::new(
            FixKind::ReduceStyle,
            &request.url,
            format!("Inline the part of {name} that the first screen needs and load the rest late"),
        );
        let title = format!("{name} holds up rendering until {}", blocker.released_ms.text());
        let mut finding = context.about(&CHECK, request, ALL_OF_A_REQUEST, title, fix);
        finding.size_ms = Some(blocker.released_ms - request.start);
        finding.evidence = vec![
            row("asked for at", request.start.text()),
            row("let go at", blocker.released_ms.text()),
            row("document complete at", document_end.text()),
        ];
        finding.why =
            "Nothing is painted before every blocking sheet is there, whichever part of it the first screen uses."
                .into();
        found.push(finding);
    }
    found
}
