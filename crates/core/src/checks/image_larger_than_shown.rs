//! Pictures with more pixels than the screen shows.

use super::{
    Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, file_row, gathered, row,
};
use crate::body::has_pixels;
use crate::path::Cause;
use crate::{Bytes, Edit, ResourceKind, Scope};

/// Pixel counts up to this multiple of what is shown are fine.
const FINE: f64 = 2.0;
/// Savings under this are not worth a finding.
const WORTH: u64 = 12_000;

pub(super) const CHECK: Check = Check {
    id: "image-larger-than-shown",
    group: Group::Weight,
    rule: "A picture's file has more than twice the pixels that the largest box showing it needs at the device's pixel ratio (a picture that covers its box needs more than the box has), and the share too many is over 12 kB. More than three of one owner are one finding.",
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
    let ratio = context.load().conditions.as_ref().map_or(1.0, |c| c.pixel_ratio);
    let mut found = Vec::new();
    for request in context.answered().filter(|r| r.kind == ResourceKind::Image) {
        // The element names the first hop where the address redirects.
        let named = context.load().first_hop(request);
        let Some(shown) = context.prepared.shown_largest(&named.url).filter(|_| has_pixels(request)) else { continue };
        let (width, height) = match context.body(request).and_then(|b| imagesize::blob_size(&b).ok()) {
            #[allow(clippy::cast_precision_loss)]
            Some(size) => (size.width as f64, size.height as f64),
            None => (f64::from(shown.natural_width), f64::from(shown.natural_height)),
        };
        let needed = shown.needed_pixels((width, height), ratio);
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
        let fact = Fact::ImageTooLarge { times, saving: Bytes(saving), files: 1 };
        let edit = Edit::Resize { scope: Scope::file(&request.url) };
        let mut finding = context.about(&CHECK, request, &[Cause::Download], fact, edit);
        finding.saving_bytes = Some(Bytes(saving));
        finding.sureness = Sureness::Inferred;
        finding.evidence = vec![
            row(EvidenceOf::FileSize, Figure::Size(width, height)),
            row(EvidenceOf::ShownAt, Figure::Shown(shown.rect.width, shown.rect.height, ratio)),
            row(EvidenceOf::Sent, Figure::Bytes(bytes)),
            row(EvidenceOf::Element, Figure::Text(shown.selector.clone())),
        ];
        found.push(finding);
    }
    gathered(
        found,
        |f| file_row(f, Figure::Bytes(f.saving_bytes.unwrap_or_default())),
        |group, scope| {
            let saving = group.iter().filter_map(|f| f.saving_bytes).sum();
            let times = group.iter().map(|f| if let Fact::ImageTooLarge { times, .. } = f.fact { times } else { 0.0 });
            let files = u32::try_from(group.len()).unwrap_or(u32::MAX);
            (Fact::ImageTooLarge { times: times.fold(0.0, f64::max), saving, files }, Edit::Resize { scope })
        },
    )
}
