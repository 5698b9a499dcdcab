//! Scripts whose tasks keep the main thread from answering.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, Standing, example, row};
use crate::path::Cause;
use crate::{Edit, Millis, ResourceKey, WorkKind, WorkName};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A script's long tasks together, from which a finding is worth it.
const WORTH: Millis = Millis(100.0);

pub(super) const CHECK: Check = Check {
    id: "long-tasks",
    group: Group::MainThread,
    rule: "One script's tasks of more than 50 ms together took 100 ms of main thread or more; one finding a script.",
    example: || {
        let mut example = example::sound();
        let url = "http://www.skerryline.test/plugins/berth-booking/berths.js";
        for start in [800.0, 1000.0] {
            example.work(WorkName::Task, WorkKind::Other, start, 130.0, 0, None);
            example.work(WorkName::Call, WorkKind::ScriptRun, start, 130.0, 1, Some(url));
        }
        example.words("two tasks of 130 ms, both calls into berths.js")
    },
    gives: "berths.js runs in 2 long tasks, 260 ms together",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(main) = context.main_thread else { return Vec::new() };
    let mut scripts: BTreeMap<Arc<str>, Vec<&crate::LongTask>> = BTreeMap::new();
    for task in &main.long_tasks {
        if let Some(url) = &task.url {
            scripts.entry(url.clone()).or_default().push(task);
        }
    }
    let mut found = Vec::new();
    for (url, tasks) in scripts {
        let sum: Millis = tasks.iter().map(|t| t.duration_ms).sum();
        if sum < WORTH {
            continue;
        }
        let Some(anchor) = context.prepared.first_for(&url).or(context.load().document()) else { continue };
        let fact = Fact::LongTasks { tasks: u32::try_from(tasks.len()).unwrap_or(u32::MAX), sum };
        let mut finding = context.about(&CHECK, anchor, &[], fact, Edit::SplitTask { file: ResourceKey::of(&url) });
        let on_path: Millis = context
            .path
            .iter()
            .filter(|leg| matches!(leg.cause, Cause::Script | Cause::Busy) && leg.url.as_ref() == Some(&url))
            .map(crate::path::Leg::length)
            .sum();
        finding.on_path_ms = on_path;
        finding.on_path = on_path > Millis::ZERO;
        finding.standing = match (context.path.is_empty(), finding.on_path) {
            (true, _) => Standing::Unknown,
            (_, true) => Standing::OnPath,
            _ => Standing::OffPath,
        };
        finding.owner = context.prepared.owners.of_url(&url);
        finding.url = Some(url.to_string());
        finding.size_ms = Some(sum);
        finding.size_bytes = None;
        let longest = tasks.iter().take(10);
        finding.evidence =
            longest.map(|t| row(EvidenceOf::TaskAt(t.start_ms, t.blocking_ms), Figure::Ms(t.duration_ms))).collect();
        found.push(finding);
    }
    found
}
