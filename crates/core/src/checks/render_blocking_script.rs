//! Scripts that hold rendering back.

use super::{ALL_OF_A_REQUEST, Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, example, row};
use crate::{BlockingKind, Edit, Millis, RenderBlocking, ResourceKey, ResourceKind, WorkKind, WorkName};

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
    let scripts = context.blockers.iter().filter(|b| b.kind == BlockingKind::Script);
    scripts
        .filter_map(|blocker| {
            let request = context.load().request(blocker.request)?;
            let edit = Edit::DeferScript { file: ResourceKey::of(&request.url) };
            let fact = Fact::BlockingScript { released: blocker.released_ms };
            let mut finding = context.about(&CHECK, request, ALL_OF_A_REQUEST, fact, edit);
            finding.size_ms = Some(blocker.released_ms - request.start);
            finding.evidence = vec![
                row(EvidenceOf::AskedFor, Figure::Ms(request.start)),
                row(EvidenceOf::LastByte, Figure::Ms(request.end.unwrap_or(Millis::ZERO))),
                row(EvidenceOf::LetGo, Figure::Ms(blocker.released_ms)),
            ];
            if let Some(fcp) = context.load().fcp {
                finding.evidence.push(row(EvidenceOf::FirstContentfulPaint, Figure::Ms(fcp)));
            }
            Some(finding)
        })
        .collect()
}
