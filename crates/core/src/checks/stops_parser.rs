//! Scripts and sheets that stop the parser in the middle of the body.

use super::{ALL_OF_A_REQUEST, Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, example, row};
use crate::{Edit, Millis, RenderBlocking, ResourceKey, ResourceKind, WorkKind, WorkName};

/// Shorter stops are not worth a finding.
const LEAST: Millis = Millis(50.0);

pub(super) const CHECK: Check = Check {
    id: "stops-parser",
    group: Group::Rendering,
    rule: "A script or sheet in the body that the parser waits for, on the path to the largest paint: what stands below it is not there before it is done.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/themes/tidemark/banner.js";
        let hero = &mut example.load.requests[1];
        let document = hero.initiator.url.clone().or(Some("http://www.skerryline.test/".into()));
        (hero.initiator.url, hero.initiator.line) = (document.clone(), Some(30));
        hero.initiator.kind = crate::InitiatorKind::Parser;
        let script = example.request(url, ResourceKind::Script, 120.0, 560.0, 4_000);
        script.render_blocking = RenderBlocking::InBodyParserBlocking;
        script.initiator.kind = crate::InitiatorKind::Parser;
        (script.initiator.url, script.initiator.line) = (document, Some(20));
        example.work(WorkName::Task, WorkKind::Other, 565.0, 20.0, 0, None);
        example.work(WorkName::Evaluate, WorkKind::ScriptRun, 565.0, 20.0, 1, Some(url));
        example.words("banner.js above the hero in the body, run from 565 to 585 ms; largest paint at 600 ms")
    },
    gives: "banner.js stops the parser in the body until 585 ms",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let stops = |r: &&crate::Request| r.render_blocking == RenderBlocking::InBodyParserBlocking && r.main_frame;
    let found = context.load().requests.iter().filter(stops).filter_map(|request| {
        let released = context.prepared.released(request)?;
        let file = ResourceKey::of(&request.url);
        let edit = match request.kind {
            ResourceKind::Script => Edit::DeferScript { file },
            ResourceKind::Style => Edit::ReduceStyle { file },
            _ => return None,
        };
        let fact = Fact::StopsParser { released };
        let mut finding = context.about(&CHECK, request, ALL_OF_A_REQUEST, fact, edit);
        finding.size_ms = Some(released - request.start);
        finding.evidence = vec![
            row(EvidenceOf::AskedFor, Figure::Ms(request.start)),
            row(EvidenceOf::LastByte, Figure::Ms(request.end.unwrap_or(Millis::ZERO))),
            row(EvidenceOf::LetGo, Figure::Ms(released)),
        ];
        (finding.on_path_ms >= LEAST).then_some(finding)
    });
    found.collect()
}
