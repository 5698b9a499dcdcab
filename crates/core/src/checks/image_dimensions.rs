//! Images that do not say how large they will be.

use super::{Check, CheckContext, Finding, Group, Standing, Sureness, example, row};
use crate::{Fix, FixKind, Millis, ResourceKind};

pub(super) const CHECK: Check = Check {
    id: "image-without-dimensions",
    group: Group::Stability,
    rule: "A shown image element has neither width and height, nor an aspect ratio from its style, before its file arrives.",
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
    let Some(page) = &context.load.page else { return Vec::new() };
    let mut found: Vec<Finding> = Vec::new();
    for image in page.images.iter().filter(|i| !i.sized && !i.hidden && !i.background && i.rect.area() > 1.0) {
        let Some(request) =
            context.load.requests.iter().find(|r| *r.url == *image.url && r.kind == ResourceKind::Image)
        else {
            continue;
        };
        if found.iter().any(|f| f.request == Some(request.id)) {
            continue;
        }
        let name = request.short_name();
        let fix =
            Fix::new(FixKind::SetDimensions, &request.url, format!("Give {name} its width and height in the HTML"));
        let mut finding = context.about(&CHECK, request, &[], format!("{name} is shown without dimensions"), fix);
        if !context.path.is_empty() {
            finding.standing = Standing::OffPath;
        }
        finding.size_bytes = None;
        finding.sureness = Sureness::Measured;
        finding.evidence = vec![
            row("element", image.selector.clone()),
            row("shown at", format!("{:.0} × {:.0}", image.rect.width, image.rect.height)),
        ];
        // A shift in the frame after the picture came, near where it stands, is worth showing.
        let after = request.end.unwrap_or(Millis::ZERO);
        let shifted: f64 =
            context.load.shifts.iter().filter(|s| s.at >= after && s.at - after < Millis(150.0)).map(|s| s.score).sum();
        if shifted > 0.0 {
            finding.evidence.push(row("layout shift within 150 ms of its arrival", format!("{shifted:.3}")));
        }
        finding.why = "The browser reserves no room for it, so what stands below moves when the file arrives.".into();
        found.push(finding);
    }
    found
}
