//! Two plugins or third parties that are there for the same.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Standing, Sureness, example, row};
use crate::server_work::ServerPart;
use crate::{Bytes, Edit, Millis, Owner, OwnerKind, ResourceKind, suggested_purposes};
use std::collections::{BTreeMap, BTreeSet};

pub(super) const CHECK: Check = Check {
    id: "owners-of-one-purpose",
    group: Group::Server,
    rule: "Two plugins or third parties of the page serve one purpose, as was said of them or else by their names.",
    example: || {
        let mut example = example::sound();
        for (name, bytes) in [("easy-forms", 9_000), ("form-builder", 30_000)] {
            let url = format!("http://www.skerryline.test/plugins/{name}/a.js");
            example.request(&url, ResourceKind::Script, 620.0, 700.0, bytes);
        }
        example.words("a page with two plugins for forms, one of them of 30 kB")
    },
    gives: "form-builder and easy-forms are both for forms",
    run,
};

/// What an owner costs the page: its legs of the path, its time on the server and on the main thread, its weight.
#[derive(Default, Clone, Copy, PartialEq)]
struct Cost {
    path: Millis,
    time: Millis,
    bytes: Bytes,
}

fn costs(context: &CheckContext<'_>) -> BTreeMap<Owner, Cost> {
    let mut costs: BTreeMap<Owner, Cost> = BTreeMap::new();
    let mut of = |owner: &Owner, add: &dyn Fn(&mut Cost)| {
        if matches!(owner.kind, OwnerKind::Plugin | OwnerKind::ThirdParty) {
            add(costs.entry(owner.clone()).or_default());
        }
    };
    for request in context.answered() {
        of(context.owner(request), &|cost| cost.bytes += request.transferred.unwrap_or_default());
    }
    for share in context.server.iter().filter(|answer| answer.document).flat_map(|answer| &answer.by_owner) {
        of(&share.owner, &|cost| cost.time += share.ms);
    }
    for script in context.main_thread.iter().flat_map(|main| &main.by_script) {
        of(&script.owner, &|cost| cost.time += script.total_ms);
    }
    for leg in context.path {
        of(&leg.owner, &|cost| cost.path += leg.length());
    }
    costs
}

/// What owners are for: what was said of each, else what its name suggests, where it suggests one thing only.
fn purposes(context: &CheckContext<'_>, owner: &Owner) -> BTreeSet<String> {
    match context.prepared.settings.purposes.get(&owner.key()) {
        Some(said) => said.iter().cloned().collect(),
        None => match suggested_purposes(owner, &[]).as_slice() {
            [purpose] => BTreeSet::from([(*purpose).to_owned()]),
            _ => BTreeSet::new(),
        },
    }
}

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let costs = costs(context);
    let mut of_purpose: BTreeMap<String, Vec<&Owner>> = BTreeMap::new();
    for owner in costs.keys() {
        for purpose in purposes(context, owner) {
            of_purpose.entry(purpose).or_default().push(owner);
        }
    }
    let mut told: BTreeSet<String> = BTreeSet::new();
    of_purpose
        .into_iter()
        .filter(|(_, owners)| owners.len() > 1)
        .filter_map(|(purpose, mut owners)| {
            owners.sort_by(|a, b| {
                let (a, b) = (costs[*a], costs[*b]);
                b.path.order(&a.path).then(b.time.order(&a.time)).then(b.bytes.cmp(&a.bytes))
            });
            finding(context, purpose, &owners, &costs)
        })
        // The dearest of two purposes is told for the first.
        .filter(|finding| told.insert(finding.key.clone()))
        .collect()
}

/// About the dearest of them: what there is to gain at most is what doing without it brings.
fn finding(
    context: &CheckContext<'_>,
    purpose: String,
    owners: &[&Owner],
    costs: &BTreeMap<Owner, Cost>,
) -> Option<Finding> {
    let dearest = owners[0];
    let names: Vec<String> = owners.iter().map(|owner| owner.name.clone()).collect();
    let fact = Fact::OwnersOfOnePurpose { purpose, owners: names };
    let cost = costs[dearest];
    let mut finding = match context.load().requests.iter().find(|r| context.owner(r) == dearest) {
        Some(request) => {
            let edit = Edit::RemoveOwner { owner: dearest.clone() };
            let mut finding = context.about(&CHECK, request, &[], fact, edit);
            // About all of its files, none more than another.
            (finding.url, finding.request, finding.kind) = (None, None, None);
            finding.on_path_ms = cost.path;
            finding.on_path = cost.path > Millis::ZERO;
            if finding.on_path {
                finding.standing = Standing::OnPath;
            }
            finding.size_bytes = Some(cost.bytes).filter(|bytes| bytes.0 > 0);
            finding.size_ms = Some(cost.time).filter(|time| *time > Millis::ZERO);
            finding
        }
        None => {
            let edit = Edit::ServerRemove { part: ServerPart::Owner { owner: dearest.clone() } };
            context.of_server(&CHECK, cost.time, dearest.clone(), fact, edit)?
        }
    };
    finding.sureness = Sureness::Inferred;
    finding.evidence = owners
        .iter()
        .map(|owner| {
            let cost = costs[*owner];
            row(EvidenceOf::CostsOf(owner.name.clone()), Figure::Costs(cost.path, cost.time, cost.bytes))
        })
        .collect();
    Some(finding)
}
