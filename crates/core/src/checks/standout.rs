//! One request that is a large part of the whole weight.

use super::{Check, CheckContext, Finding, Group, example, row};
use crate::path::Cause;
use crate::{Bytes, Fix, FixKind, ResourceKind};

const SHARE: f64 = 0.15;
const WORTH: u64 = 100_000;

pub(super) const CHECK: Check = Check {
    id: "standout",
    group: Group::Weight,
    rule: "One response is more than 15 % of the load's whole weight, and over 100 kB.",
    example: || {
        let mut example = example::sound();
        example.request("http://ads.islandmedia.test/advert.jpg", ResourceKind::Image, 700.0, 1500.0, 551_000);
        example.words("an advert of 551 kB on a page of 600 kB")
    },
    gives: "advert.jpg is 92 % of the weight: 551 kB of 600 kB",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let Some(whole) = context.metrics.transferred_bytes else { return Vec::new() };
    let mut found = Vec::new();
    for request in context.answered() {
        let Some(bytes) = request.transferred else { continue };
        #[allow(clippy::cast_precision_loss)]
        let share = bytes.0 as f64 / whole.0.max(1) as f64;
        if share <= SHARE || bytes < Bytes(WORTH) {
            continue;
        }
        let name = request.short_name();
        let fix = Fix::new(FixKind::Shrink, &request.url, format!("Re-encode, shrink or drop {name}"));
        let title = format!("{name} is {:.0} % of the weight: {} of {}", share * 100.0, bytes.text(), whole.text());
        let mut finding = context.about(&CHECK, request, &[Cause::Download], title, fix);
        finding.evidence = vec![row("transferred", bytes.text()), row("the whole page", whole.text())];
        if let (Some(first), Some(end)) = (request.first_byte, request.end) {
            finding.evidence.push(row("receiving for", (end - first).text()));
        }
        finding.why = if finding.on_path {
            "The largest paint waits for these bytes themselves.".into()
        } else {
            "The largest paint does not wait for this file. Where both are received at the same time it takes part of the line from it.".into()
        };
        found.push(finding);
    }
    found
}
