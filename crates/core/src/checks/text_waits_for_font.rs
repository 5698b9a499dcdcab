//! The largest text is held back for a font.

use super::{ALL_OF_A_REQUEST, Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, example, row};
use crate::graph::Graph;
use crate::{Edit, FontDisplay, Millis, PaintKind, ResourceKey, ResourceKind, TextFont};

/// Shorter waits are not worth a finding.
const LEAST: Millis = Millis(50.0);

pub(super) const CHECK: Check = Check {
    id: "text-waits-for-font",
    group: Group::Rendering,
    rule: "For 50 ms or more of the path the largest text waits for a font that it is set in, because the font's sheet does not have it shown in another one meanwhile, or because it fades in for good and counts only when it is painted anew.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/themes/tidemark/quay.woff2";
        example.request(url, ResourceKind::Font, 160.0, 540.0, 30_000);
        let largest = &mut example.load.lcp_candidates[0];
        (largest.kind, largest.url) = (PaintKind::Text, None);
        largest.fonts = Some(vec![TextFont::of(url, FontDisplay::Block)]);
        example.words("the largest element is a heading in quay.woff2, which is asked for at 160 ms and comes at 540; largest paint at 600 ms")
    },
    gives: "The largest text waits 380 ms for quay.woff2",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let load = context.load();
    let largest = load.largest().filter(|c| c.kind == PaintKind::Text);
    let Some((at, fonts)) = largest.and_then(|c| Some((c.at, c.fonts.as_ref()?))) else { return Vec::new() };
    let fades_in = !fonts.is_empty() && Graph::of(context.prepared).is_largest_covered();
    let found = fonts.iter().filter_map(|font| {
        let request = context.prepared.all_for(&font.url).rfind(|r| r.start <= at)?;
        let settled = font.display.settled(request.start, request.end);
        let waited = settled.or(request.end.filter(|_| fades_in))? - request.start;
        let file = ResourceKey::of(&request.url);
        let edit = if fades_in { Edit::PreloadFont { file } } else { Edit::ShowText { file } };
        let fact = Fact::TextWaitsForFont { waited, fades_in };
        let mut finding = context.about(&CHECK, request, ALL_OF_A_REQUEST, fact, edit);
        finding.size_ms = Some(waited);
        finding.evidence = vec![row(EvidenceOf::AskedFor, Figure::Ms(request.start))];
        finding.evidence.extend(request.end.map(|end| row(EvidenceOf::LastByte, Figure::Ms(end))));
        (waited >= LEAST && finding.on_path_ms >= LEAST).then_some(finding)
    });
    found.collect()
}
