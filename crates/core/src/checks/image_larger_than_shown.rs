//! Pictures with more pixels than the screen shows.

use super::{Check, CheckContext, Finding, Group, Sureness, example, row};
use crate::path::Cause;
use crate::{Bytes, Fix, FixKind, PageImage, ResourceKind};

/// Pixel counts up to this multiple of what is shown are fine.
const FINE: f64 = 2.0;
/// Savings under this are not worth a finding.
const WORTH: u64 = 12_000;

pub(super) const CHECK: Check = Check {
    id: "image-larger-than-shown",
    group: Group::Weight,
    rule: "A picture's file has more than twice the pixels of the largest box that shows it, at the device's pixel ratio, and the share too many is over 12 kB.",
    example: || {
        let mut example = example::sound();
        example.load.requests[1].transferred = Some(Bytes(320_000));
        example.load.page.get_or_insert_default().images.clear();
        example.image("http://www.skerryline.test/media/hero.jpg", (400.0, 300.0), (1600, 1200), true);
        // Another heavy file, so that neither stands out alone.
        example.request("http://www.skerryline.test/media/tour.mp4", ResourceKind::Media, 700.0, 900.0, 2_000_000);
        example.words("a file of 1600 × 1200 shown at 400 × 300 on a screen of ratio 1")
    },
    gives: "hero.jpg has 16 times the pixels shown: about 300 kB too many",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(page) = &context.load.page else { return Vec::new() };
    let ratio = context.load.conditions.as_ref().map_or(1.0, |c| c.pixel_ratio);
    let mut found = Vec::new();
    for request in context.answered().filter(|r| r.kind == ResourceKind::Image) {
        let uses: Vec<&PageImage> = page.images.iter().filter(|i| i.url == *request.url).collect();
        // A background may be sized by rules that the box does not tell; a vector has no pixels.
        if uses.is_empty()
            || uses.iter().any(|i| i.background)
            || request.mime.as_deref().is_some_and(|m| m.contains("svg"))
        {
            continue;
        }
        let Some(shown) = uses.iter().filter(|i| !i.hidden).max_by(|a, b| a.rect.area().total_cmp(&b.rect.area()))
        else {
            continue;
        };
        let (width, height) = match context.body(request).and_then(|b| imagesize::blob_size(&b).ok()) {
            #[allow(clippy::cast_precision_loss)]
            Some(size) => (size.width as f64, size.height as f64),
            None => (f64::from(shown.natural_width), f64::from(shown.natural_height)),
        };
        let needed = shown.rect.area() * ratio * ratio;
        if needed < 1.0 || width * height <= needed * FINE {
            continue;
        }
        let times = width * height / needed;
        let Some(bytes) = request.transferred else { continue };
        #[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let saving = (bytes.0 as f64 * (1.0 - 1.0 / times)) as u64;
        if saving < WORTH {
            continue;
        }
        let name = request.short_name();
        let fix = Fix::new(FixKind::ResizeImage, &request.url, format!("Send {name} at the size at which it is shown"));
        let title = format!("{name} has {times:.0} times the pixels shown: about {} too many", Bytes(saving).text());
        let mut finding = context.about(&CHECK, request, &[Cause::Download], title, fix);
        finding.saving_bytes = Some(Bytes(saving));
        finding.sureness = Sureness::Inferred;
        finding.evidence = vec![
            row("the file", format!("{width:.0} × {height:.0}")),
            row("shown at", format!("{:.0} × {:.0}, ratio {ratio}", shown.rect.width, shown.rect.height)),
            row("sent", bytes.text()),
            row("element", shown.selector.clone()),
        ];
        finding.why = "The bytes too many are taken in proportion to the pixels too many; what a smaller file really weighs depends on its encoding.".into();
        found.push(finding);
    }
    found
}
