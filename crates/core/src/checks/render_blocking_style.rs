//! Stylesheets that hold rendering back.

use super::{ALL_OF_A_REQUEST, Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, example, row};
use crate::{BlockingKind, Edit, Millis, RenderBlocking, ResourceKey, ResourceKind};

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
    let document_end = context.load().document().and_then(|d| d.end).unwrap_or(Millis::ZERO);
    let late = context.blockers.iter().filter(|b| b.kind == BlockingKind::Stylesheet && b.released_ms > document_end);
    late.filter_map(|blocker| {
        let request = context.load().request(blocker.request)?;
        let edit = Edit::ReduceStyle { file: ResourceKey::of(&request.url) };
        let fact = Fact::BlockingStyle { released: blocker.released_ms };
        let mut finding = context.about(&CHECK, request, ALL_OF_A_REQUEST, fact, edit);
        finding.size_ms = Some(blocker.released_ms - request.start);
        finding.evidence = vec![
            row(EvidenceOf::AskedFor, Figure::Ms(request.start)),
            row(EvidenceOf::LetGo, Figure::Ms(blocker.released_ms)),
            row(EvidenceOf::DocumentComplete, Figure::Ms(document_end)),
        ];
        Some(finding)
    })
    .collect()
}
