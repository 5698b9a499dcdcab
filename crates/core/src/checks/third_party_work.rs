//! Main-thread time of other people's scripts.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Standing, example, row};
use crate::{Bytes, Edit, Millis, OwnerKind, ResourceKind, Scope, WorkKind, WorkName};
use std::collections::BTreeMap;

const WORTH: Millis = Millis(50.0);

pub(super) const CHECK: Check = Check {
    id: "third-party-work",
    group: Group::MainThread,
    rule: "The scripts of one third party took more than 50 ms of main thread.",
    example: || {
        let mut example = example::sound();
        let url = "http://chat.parleydock.test/chat.js";
        example.request(url, ResourceKind::Script, 620.0, 700.0, 30_000);
        for start in [800.0, 900.0] {
            example.work(WorkName::Task, WorkKind::Other, start, 45.0, 0, None);
            example.work(WorkName::Call, WorkKind::ScriptRun, start, 45.0, 1, Some(url));
        }
        example.words("two tasks of 45 ms in a chat script from another domain")
    },
    gives: "parleydock.test takes 90 ms of main thread",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(main) = context.main_thread else { return Vec::new() };
    let mut parties: BTreeMap<&crate::Owner, Vec<&crate::ScriptTime>> = BTreeMap::new();
    for script in main.by_script.iter().filter(|s| s.owner.kind == OwnerKind::ThirdParty) {
        parties.entry(&script.owner).or_default().push(script);
    }
    let mut found = Vec::new();
    for (owner, scripts) in parties {
        let sum: Millis = scripts.iter().map(|s| s.total_ms).sum();
        if sum <= WORTH {
            continue;
        }
        let mine = |r: &&crate::Request| context.owner(r) == owner;
        let Some(anchor) = context.load().requests.iter().find(mine) else { continue };
        let edit = Edit::DelayScript { scope: Scope::Owner { owner: owner.clone() } };
        let mut finding = context.about(&CHECK, anchor, &[], Fact::ThirdPartyWork { sum }, edit);
        let on_path: Millis = context.path.iter().filter(|leg| leg.owner == *owner).map(crate::path::Leg::length).sum();
        finding.on_path_ms = on_path;
        finding.on_path = on_path > Millis::ZERO;
        if finding.on_path {
            finding.standing = Standing::OnPath;
        }
        finding.url = scripts.first().and_then(|s| s.url.as_ref()).map(ToString::to_string);
        finding.kind = Some(ResourceKind::Script);
        finding.size_ms = Some(sum);
        let bytes: Bytes = context.load().requests.iter().filter(mine).filter_map(|r| r.transferred).sum();
        finding.size_bytes = Some(bytes);
        finding.evidence = scripts
            .iter()
            .take(6)
            .map(|s| {
                let script = s.url.as_deref().map(crate::request::short_name);
                row(EvidenceOf::ScriptTime(script), Figure::Ms(s.total_ms))
            })
            .collect();
        finding.evidence.push(row(EvidenceOf::Transferred, Figure::Bytes(bytes)));
        found.push(finding);
    }
    found
}
