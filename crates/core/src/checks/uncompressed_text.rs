//! Text sent as it is.

use super::{
    Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, file_row, gathered, row,
};
use crate::body::{gzip_size, is_packed, is_text};
use crate::path::Cause;
use crate::{Bytes, Edit, ResourceKind, Scope};

/// Savings under this are not worth a finding.
const WORTH: u64 = 1_400;

pub(super) const CHECK: Check = Check {
    id: "uncompressed-text",
    group: Group::Delivery,
    rule: "A document, style, script, data or SVG response came without content encoding, and compressing its recorded body saves more than 1.4 kB.",
    example: || {
        let mut example = example::sound();
        let script = example.request("http://www.skerryline.test/app.js", ResourceKind::Script, 160.0, 300.0, 0);
        script.response_headers.retain(|h| h.name != "content-encoding");
        let body: String = (0..600).map(|n| format!("export const buoy{n} = {n};\n")).collect();
        example.load.requests[2].transferred = Some(Bytes(body.len() as u64 + 200));
        example.keep(2, body.into_bytes());
        example.words("a script of 600 similar lines, sent without content encoding")
    },
    gives: "app.js is sent uncompressed: 17 kB could be 2.8 kB",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let mut found = Vec::new();
    for request in context.answered().filter(|r| is_text(r)) {
        if is_packed(request) || request.response_headers.is_empty() {
            continue;
        }
        let Some(body) = context.body(request) else { continue };
        let Some(packed) = gzip_size(&body) else { continue };
        let size = body.len() as u64;
        let saving = size.saturating_sub(packed);
        if saving < WORTH {
            continue;
        }
        let fact = Fact::UncompressedText { size: Bytes(size), packed: Bytes(packed), files: 1 };
        let edit = Edit::Compress { scope: Scope::file(&request.url) };
        let mut finding = context.about(&CHECK, request, &[Cause::Download], fact, edit);
        finding.saving_bytes = Some(Bytes(saving));
        finding.sureness = Sureness::Computed;
        finding.evidence = vec![
            row(EvidenceOf::Sent, Figure::Bytes(Bytes(size))),
            row(EvidenceOf::PackedHere, Figure::Bytes(Bytes(packed))),
            row(EvidenceOf::ContentEncoding, Figure::None),
        ];
        found.push(finding);
    }
    let sizes = |f: &Finding| match f.fact {
        Fact::UncompressedText { size, packed, .. } => (size, packed),
        _ => (Bytes(0), Bytes(0)),
    };
    gathered(
        found,
        |f| file_row(f, Figure::Saving(sizes(f).0, sizes(f).1)),
        |group, scope| {
            let fact = Fact::UncompressedText {
                size: group.iter().map(|f| sizes(f).0).sum(),
                packed: group.iter().map(|f| sizes(f).1).sum(),
                files: u32::try_from(group.len()).unwrap_or(u32::MAX),
            };
            (fact, Edit::Compress { scope })
        },
    )
}
