//! Static files that the browser may not keep.

use super::{Check, CheckContext, Finding, Group, Standing, Sureness, example};
use crate::{Bytes, Fix, FixKind, Millis, Request, RequestId, ResourceKind};
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

/// How long a response may be used without asking, in seconds, by its headers (RFC 9111).
/// `None` where they do not say, so that the browser decides.
fn lifetime(request: &Request) -> Option<u64> {
    if let Some(control) = request.header("cache-control") {
        let directives: Vec<String> = control.split(',').map(|d| d.trim().to_ascii_lowercase()).collect();
        if directives.iter().any(|d| d == "no-store" || d == "no-cache") {
            return Some(0);
        }
        let seconds = directives.iter().find_map(|d| d.strip_prefix("max-age=")?.trim_matches('"').parse::<u64>().ok());
        if seconds.is_some() {
            return seconds;
        }
    }
    None
}

fn run(context: &CheckContext<'_>) -> Vec<Finding> {
    let is_static = |r: &&Request| {
        matches!(
            r.kind,
            ResourceKind::Style | ResourceKind::Script | ResourceKind::Image | ResourceKind::Font | ResourceKind::Media
        ) && r.status.is_none_or(|s| s == 200)
            && !r.response_headers.is_empty()
    };
    let mut groups: BTreeMap<(String, crate::Owner), Vec<&Request>> = BTreeMap::new();
    for request in context.answered().filter(is_static) {
        // With Expires alone the lifetime depends on the clock of the day; it is left to the browser.
        if lifetime(request).is_none() && request.header("expires").is_some() {
            continue;
        }
        if lifetime(request).is_none_or(|seconds| seconds < SHORT) {
            let host = request.host().unwrap_or_default();
            groups.entry((host, context.owners.request(request.id).clone())).or_default().push(request);
        }
    }
    groups
        .into_iter()
        .filter_map(|((host, owner), mut files)| {
            files.sort_by_key(|r| std::cmp::Reverse(r.transferred));
            let bytes: Bytes = files.iter().filter_map(|r| r.transferred).sum();
            let first = files.first()?;
            let target = format!("{host} ({})", owner.name);
            let fix = Fix::new(FixKind::CacheLonger, &target, format!("Let browsers keep the files of {host} for a year, with a version in their names"));
            let noun = if files.len() == 1 { "file" } else { "files" };
            let title = format!("{} {noun} of {host} kept under 7 days: {}", files.len(), bytes.text());
            let mut finding = context.about(&CHECK, first, &[], title, fix);
            // A first visit has nothing in its cache: this is about the return visit only.
            if !context.path.is_empty() {
                finding.standing = Standing::OffPath;
            }
            finding.on_path_ms = Millis::ZERO;
            finding.size_bytes = Some(bytes);
            finding.sureness = Sureness::Measured;
            if files.len() > 1 {
                finding.kind = None;
            }
            finding.evidence = files
                .iter()
                .take(12)
                .map(|r| super::Evidence {
                    label: r.short_name(),
                    value: r.header("cache-control").map_or_else(|| "no cache-control".to_owned(), str::to_owned),
                    request: Some(RequestId(r.id.0)),
                })
                .collect();
            finding.why = "A first visit is no faster for it; the return visit and every further page of the site are. Where a third party sets the headers, hosting the file oneself is the way.".into();
            Some(finding)
        })
        .collect()
}
