//! Static files that the browser may not keep.

use super::{Check, CheckContext, Evidence, EvidenceOf, Fact, Figure, Finding, Group, Standing, example};
use crate::cache_control::CacheControl;
use crate::{Bytes, Edit, Millis, Owner, Request, ResourceKind, Scope};
use std::collections::BTreeMap;

const DAY: u64 = 86_400;
const SHORT: u64 = 7 * DAY;

pub(super) const CHECK: Check = Check {
    id: "short-cache-lifetime",
    group: Group::Delivery,
    rule: "Static files of one host may be kept for less than seven days, or do not say; one finding a host and owner.",
    example: || {
        let mut example = example::sound();
        let style = example.request("http://www.skerryline.test/base.css", ResourceKind::Style, 160.0, 250.0, 18_000);
        style.response_headers[0].value = "max-age=600".into();
        example.words("a stylesheet with `cache-control: max-age=600`")
    },
    gives: "1 file of www.skerryline.test kept under 7 days: 18 kB",
    run,
};

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let is_static = |r: &&Request| {
        matches!(
            r.kind,
            ResourceKind::Style | ResourceKind::Script | ResourceKind::Image | ResourceKind::Font | ResourceKind::Media
        ) && r.status.is_none_or(|s| s == 200)
            && !r.response_headers.is_empty()
    };
    let mut groups: BTreeMap<(String, Owner), Vec<&Request>> = BTreeMap::new();
    for request in context.answered().filter(is_static) {
        let control = CacheControl::of(request);
        // With Expires alone the lifetime depends on the clock of the day; it is left to the browser.
        if control.lifetime().is_none() && request.header("expires").is_some() {
            continue;
        }
        if control.lifetime().is_none_or(|seconds| seconds < SHORT) {
            let host = request.host().unwrap_or_default();
            groups.entry((host, context.owner(request).clone())).or_default().push(request);
        }
    }
    groups
        .into_iter()
        .filter_map(|((host, owner), mut files)| {
            files.sort_by_key(|r| std::cmp::Reverse(r.transferred));
            let bytes: Bytes = files.iter().filter_map(|r| r.transferred).sum();
            let first = files.first()?;
            let count = u32::try_from(files.len()).unwrap_or(u32::MAX);
            let fact = Fact::ShortCacheLifetime { host: host.clone(), files: count, bytes };
            let edit = Edit::CacheLonger { scope: Scope::Host { host, owner } };
            let mut finding = context.about(&CHECK, first, &[], fact, edit);
            // A first visit has nothing in its cache: this is about the return visit only.
            if !context.path.is_empty() {
                finding.standing = Standing::OffPath;
            }
            finding.on_path_ms = Millis::ZERO;
            finding.size_bytes = Some(bytes);
            if files.len() > 1 {
                finding.kind = None;
            }
            finding.evidence = files
                .iter()
                .take(12)
                .map(|r| Evidence {
                    of: EvidenceOf::CacheControl(r.short_name()),
                    figure: r.header("cache-control").map_or(Figure::None, |v| Figure::Text(v.to_owned())),
                    request: Some(r.id),
                })
                .collect();
            Some(finding)
        })
        .collect()
}
