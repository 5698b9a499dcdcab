//! One request that is a large part of the whole weight.

use super::{Check, CheckContext, EvidenceOf, Fact, Figure, Finding, Group, example, row};
use crate::path::Cause;
use crate::{Bytes, Edit, ResourceKey, ResourceKind};

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
        let edit = Edit::Shrink { file: ResourceKey::of(&request.url), to: None };
        let fact = Fact::Standout { share, bytes, whole };
        let mut finding = context.about(&CHECK, request, &[Cause::Download], fact, edit);
        finding.evidence =
            vec![row(EvidenceOf::Transferred, Figure::Bytes(bytes)), row(EvidenceOf::WholePage, Figure::Bytes(whole))];
        if let (Some(first), Some(end)) = (request.first_byte, request.end) {
            finding.evidence.push(row(EvidenceOf::ReceivingFor, Figure::Ms(end - first)));
        }
        found.push(finding);
    }
    found
}
