//! Somebody else's host that the largest paint waits for.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Standing, example, row};
use crate::path::{Cause, Leg};
use crate::{Edit, Millis, Owner, OwnerKind, Request, RequestId, ResourceKey, ResourceKind};
use std::collections::BTreeMap;

/// What holds the paint up for less is no matter.
const WORTH: Millis = Millis(50.0);

pub(super) const CHECK: Check = Check {
    id: "third-party-on-path",
    group: Group::Rendering,
    rule: "For 50 ms or more of the path the largest paint waits for one third party's host: for connecting, its answer, its bytes.",
    example: || {
        let mut example = example::sound();
        example.load.requests.pop();
        let url = "http://pictures.islandmedia.test/hero.jpg";
        example.request(url, ResourceKind::Image, 150.0, 500.0, 40_000);
        example.load.lcp_candidates[0].url = Some(url.into());
        example.words("a page whose largest picture comes from another domain")
    },
    gives: "The largest paint waits 350 ms for islandmedia.test",
    run,
};

/// Whether a file could lie on the site's own host.
fn could_be_own(request: &Request) -> bool {
    use ResourceKind::{Font, Image, Media, Script, Style};
    matches!(request.kind, Script | Style | Font | Image | Media)
}

/// What the paint waits for while another host has the word. A third party's work on the main thread and its bytes on
/// the shared line are told by other checks.
const ITS_LINE: [Cause; 5] = [Cause::Redirect, Cause::Queue, Cause::Connect, Cause::Wait, Cause::Download];

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let mut parties: BTreeMap<&Owner, BTreeMap<RequestId, Millis>> = BTreeMap::new();
    let theirs = |leg: &&Leg| leg.owner.kind == OwnerKind::ThirdParty && ITS_LINE.contains(&leg.cause);
    for leg in context.path.iter().filter(theirs) {
        let Some(request) = leg.request else { continue };
        *parties.entry(&leg.owner).or_default().entry(request).or_default() += leg.length();
    }
    let mut found = Vec::new();
    for (owner, files) in parties {
        let sum: Millis = files.values().copied().sum();
        let longest = files.iter().max_by(|a, b| a.1.order(b.1)).and_then(|(id, _)| context.load().request(*id));
        let Some(request) = longest.filter(|_| sum >= WORTH) else { continue };
        let edit = if could_be_own(request) {
            Edit::SelfHost { file: ResourceKey::of(&request.url) }
        } else {
            Edit::RemoveOwner { owner: owner.clone() }
        };
        let mut finding = context.about(&CHECK, request, &[], Fact::ThirdPartyOnPath { sum }, edit);
        finding.owner = owner.clone();
        (finding.on_path, finding.on_path_ms, finding.standing) = (true, sum, Standing::OnPath);
        finding.size_ms = Some(sum);
        let connecting: Millis = connecting(context.path, owner);
        finding.evidence = files
            .iter()
            .filter_map(|(id, ms)| {
                let request = context.load().request(*id)?;
                let of = EvidenceOf::File(crate::request::short_name(&request.url));
                Some(super::Evidence { of, figure: Figure::Ms(*ms), request: Some(*id) })
            })
            .collect();
        if connecting > Millis::ZERO {
            finding.evidence.push(row(EvidenceOf::Connecting, Figure::Ms(connecting)));
        }
        found.push(finding);
    }
    found
}

fn connecting(path: &[Leg], owner: &Owner) -> Millis {
    path.iter().filter(|leg| leg.owner == *owner && leg.cause == Cause::Connect).map(Leg::length).sum()
}
