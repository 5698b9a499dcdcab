//! A plugin whose files load on a page that does not use them.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Sureness, example, row};
use crate::metrics::Coverage;
use crate::{Bytes, Edit, Millis, Owner, OwnerKind, Request, ResourceKind};
use std::collections::BTreeMap;

/// Less code than this is no matter.
const MUCH: Bytes = Bytes(2_000);
/// From this unused share on, code does nothing for a page: what runs is what sets it up.
const IDLE: f64 = 0.95;

pub(super) const CHECK: Check = Check {
    id: "unused-plugin",
    group: Group::Server,
    rule: "Of a plugin's scripts and stylesheets, 2 kB or more, the page used less than a twentieth while it loaded.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/plugins/easy-forms/forms.js";
        example.request(url, ResourceKind::Script, 620.0, 700.0, 9_000).unpacked = Some(Bytes(30_000));
        example.coverage.push(Coverage { url: url.into(), used: vec![(0, 600)], length: 30_000 });
        example.words("a page with a plugin's script of 30 kB, of which 600 characters were used")
    },
    gives: "easy-forms loads 30 kB of code of which this page uses 2 %",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let mut plugins: BTreeMap<&Owner, Vec<(&Request, &Coverage)>> = BTreeMap::new();
    for file in &*context.prepared.coverage {
        let Some(request) = context.prepared.first_for(&file.url) else { continue };
        let owner = context.owner(request);
        let is_file = matches!(request.kind, ResourceKind::Script | ResourceKind::Style);
        if owner.kind == OwnerKind::Plugin && is_file && !context.prepared.owners.was_inserted(request.id) {
            plugins.entry(owner).or_default().push((request, file));
        }
    }
    plugins.into_iter().filter_map(|(owner, files)| finding(context, owner, &files)).collect()
}

#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn finding(context: &CheckContext<'_>, owner: &Owner, files: &[(&Request, &Coverage)]) -> Option<Finding> {
    let size = |request: &Request| request.unpacked.map_or(0, |bytes| bytes.0);
    let code: u64 = files.iter().map(|(request, _)| size(request)).sum();
    let unused = |(request, file): &(&Request, &Coverage)| size(request) as f64 * file.unused_share();
    let idle: f64 = files.iter().map(unused).sum();
    if code < MUCH.0 || idle < code as f64 * IDLE {
        return None;
    }
    let used = 1.0 - idle / code as f64;
    let fact = Fact::UnusedPlugin { code: Bytes(code), used };
    let edit = Edit::RemoveOwner { owner: owner.clone() };
    let mut finding = context.about(&CHECK, files[0].0, &[], fact, edit);
    let on_path: Millis = context.path.iter().filter(|leg| leg.owner == *owner).map(crate::path::Leg::length).sum();
    finding.owner = owner.clone();
    finding.on_path_ms = on_path;
    finding.on_path = on_path > Millis::ZERO;
    finding.standing = context.standing(on_path, (files[0].0.start, files[0].0.end.unwrap_or(context.load().end)));
    let transferred: Bytes = files.iter().filter_map(|(request, _)| request.transferred).sum();
    finding.size_bytes = Some(transferred);
    finding.saving_bytes = Some(transferred);
    finding.sureness = Sureness::Inferred;
    finding.evidence = files
        .iter()
        .map(|(request, file)| super::Evidence {
            of: EvidenceOf::File(crate::request::short_name(&request.url)),
            figure: Figure::Unused(Bytes(size(request)), file.unused_share()),
            request: Some(request.id),
        })
        .collect();
    finding.evidence.push(row(EvidenceOf::Transferred, Figure::Bytes(transferred)));
    Some(finding)
}
