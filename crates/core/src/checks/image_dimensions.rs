//! Images that do not say how large they will be.

use super::{
    Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Standing, example, file_row, gathered, row,
};
use crate::graph::{About, Graph};
use crate::{Edit, LayoutShift, ResourceKind, Scope};

pub(super) const CHECK: Check = Check {
    id: "image-without-dimensions",
    group: Group::Stability,
    rule: "A shown image element has neither width and height, nor an aspect ratio from its style, before its file arrives, and it stands in the flow. More than three of one owner are one finding.",
    example: || {
        let mut example = example::sound();
        example.load.page.get_or_insert_default().images.clear();
        example.image("http://www.skerryline.test/media/hero.jpg", (400.0, 300.0), (800, 600), false);
        example.words("an image element without width and height")
    },
    gives: "hero.jpg is shown without dimensions",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(page) = &context.load().page else { return Vec::new() };
    let graph = Graph::of(context.prepared);
    let mut found: Vec<Finding> = Vec::new();
    let unsized_ones = page.images.iter().filter(|i| !i.sized && !i.hidden && !i.background && i.rect.area() > 1.0);
    // Out of the flow it takes no room, and moves nothing when it comes.
    for image in unsized_ones.filter(|i| !i.out_of_flow) {
        let Some(request) = context.prepared.all_for(&image.url).find(|r| r.kind == ResourceKind::Image) else {
            continue;
        };
        if found.iter().any(|f| f.request == Some(request.id)) {
            continue;
        }
        let edit = Edit::SetDimensions { scope: Scope::file(&request.url) };
        let mut finding = context.about(&CHECK, request, &[], Fact::NoDimensions { files: 1 }, edit);
        if !context.path.is_empty() {
            finding.standing = Standing::OffPath;
        }
        finding.size_bytes = None;
        finding.evidence = vec![
            row(EvidenceOf::Element, Figure::Text(image.selector.clone())),
            row(EvidenceOf::ShownAt, Figure::Size(image.rect.width, image.rect.height)),
        ];
        let came = About::Request(context.load().last_hop(request).id);
        let is_its = |s: &&LayoutShift| graph.shifted(s.at).is_some_and(|edge| edge.about == came);
        let shifts = context.load().shifts.iter().filter(is_its);
        let shifted: f64 = shifts.map(|s| s.score).sum();
        if shifted > 0.0 {
            finding.evidence.push(row(EvidenceOf::ShiftAfterArrival, Figure::Score(shifted)));
        }
        found.push(finding);
    }
    gathered(
        found,
        |f| file_row(f, f.evidence.get(1).map_or(Figure::None, |e| e.figure.clone())),
        |group, scope| {
            let files = u32::try_from(group.len()).unwrap_or(u32::MAX);
            (Fact::NoDimensions { files }, Edit::SetDimensions { scope })
        },
    )
}
