//! Checks: each reads a load and returns findings.
//!
//! One check a file, all in [`ALL`]. A file opens with a [`Check`] that gives its id, its rule in
//! one sentence, a small load that triggers it and the finding it gives there; `docs/checks.md` and
//! a test are made from these. A good check
//!
//! * computes what can be computed (compresses the body, reads the picture's size) and guesses nothing;
//! * names the request, script or element, with the figure, in its title;
//! * says nothing where the load does not hold what it needs;
//! * calls for one fix, of one kind, to one target;
//! * takes its place on the path from the legs that its fix would shorten, not from its size.

mod cache_lifetime;
mod example;
mod image_dimensions;
mod image_larger_than_shown;
mod late_largest;
mod long_tasks;
mod render_blocking_script;
mod render_blocking_style;
mod slow_document;
mod standout;
mod third_party_work;
mod uncompressed_text;

use crate::metrics::Metrics;
use crate::path::{Cause, Leg};
use crate::{
    Bodies, Bytes, Fix, Load, MainThread, Millis, Owner, Owners, RenderBlocker, Request, RequestId, ResourceKind,
};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Every check there is, in the order of `docs/checks.md`.
pub const ALL: &[&Check] = &[
    &slow_document::CHECK,
    &uncompressed_text::CHECK,
    &cache_lifetime::CHECK,
    &render_blocking_script::CHECK,
    &render_blocking_style::CHECK,
    &late_largest::CHECK,
    &image_larger_than_shown::CHECK,
    &standout::CHECK,
    &long_tasks::CHECK,
    &third_party_work::CHECK,
    &image_dimensions::CHECK,
];

/// What a group of checks is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Group {
    Delivery,
    Rendering,
    Weight,
    MainThread,
    Stability,
}

/// A check: what it is called, what it says, how it is tried, and how it is run.
pub struct Check {
    /// Stable id, in kebab case.
    pub id: &'static str,
    /// What it is about.
    pub group: Group,
    /// The rule in one sentence.
    pub rule: &'static str,
    /// A small load that triggers it.
    pub example: fn() -> example::Example,
    /// The title of the finding it gives there.
    pub gives: &'static str,
    /// Reads a load.
    pub run: fn(&CheckContext<'_>) -> Vec<Finding>,
}

/// What a check reads.
pub struct CheckContext<'a> {
    /// The load.
    pub load: &'a Load,
    /// Its bodies, as far as they were kept.
    pub bodies: &'a dyn Bodies,
    /// Who owns what.
    pub owners: &'a Owners,
    /// The load's metrics.
    pub metrics: &'a Metrics,
    /// The path to the largest paint; empty where none was observed.
    pub path: &'a [Leg],
    /// What held rendering back.
    pub blockers: &'a [RenderBlocker],
    /// Main-thread sums, where a main thread was observed.
    pub main_thread: Option<&'a MainThread>,
}

/// Where a finding stands to the path to the largest paint.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Standing {
    /// Legs of the path are about it.
    OnPath,
    /// It took line or main thread from the path while a leg of it lasted.
    BesidePath,
    /// It had nothing to do with the path.
    OffPath,
    /// No path is known for this load.
    Unknown,
}

/// How a finding's figures were come by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Sureness {
    /// Read off the recording.
    Measured,
    /// Computed from the recorded bytes.
    Computed,
    /// Inferred; see the explanation.
    Inferred,
}

/// One row of a finding's evidence.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Evidence {
    /// What it is.
    pub label: String,
    /// Its figure, as text.
    pub value: String,
    /// The request it points to.
    pub request: Option<RequestId>,
}

/// Something that a check found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Finding {
    /// The check's id.
    pub check: String,
    /// The same for the same thing in another load: check and target.
    pub key: String,
    /// What was found, figures included.
    pub title: String,
    /// What it is about.
    pub group: Group,
    /// Whose it is.
    pub owner: Owner,
    /// The file it is about.
    pub url: Option<String>,
    /// Its request.
    pub request: Option<RequestId>,
    /// Its kind of resource.
    pub kind: Option<ResourceKind>,
    /// Whether legs of the path to the largest paint are about it.
    pub on_path: bool,
    /// How much of the path those legs are. Not a forecast: what a fix brings can be less.
    pub on_path_ms: Millis,
    /// Where it stands to the path.
    pub standing: Standing,
    /// Bytes that the fix would save, where they were computed.
    pub saving_bytes: Option<Bytes>,
    /// Its size: milliseconds of main thread, of waiting, or bytes.
    pub size_ms: Option<Millis>,
    /// Its size in bytes, where bytes are what it is about.
    pub size_bytes: Option<Bytes>,
    /// Rows that point to what was seen.
    pub evidence: Vec<Evidence>,
    /// Why it matters here, in plain words.
    pub why: String,
    /// How the figures were come by.
    pub sureness: Sureness,
    /// The fix it calls for.
    pub fix: Fix,
}

/// Runs every check; findings come by milliseconds on the path, then by size.
#[must_use]
pub(crate) fn run_checks(context: &CheckContext<'_>) -> Vec<Finding> {
    let mut found: Vec<Finding> = ALL.iter().flat_map(|check| (check.run)(context)).collect();
    let size = |f: &Finding| (f.saving_bytes.or(f.size_bytes).unwrap_or_default(), f.size_ms.unwrap_or_default());
    found.sort_by(|a, b| {
        b.on_path_ms
            .order(&a.on_path_ms)
            .then_with(|| size(b).1.order(&size(a).1))
            .then_with(|| size(b).0.cmp(&size(a).0))
            .then_with(|| a.key.cmp(&b.key))
    });
    found
}

impl CheckContext<'_> {
    /// A finding about a request; its place on the path comes from the legs about that request that
    /// have one of these causes.
    fn about(&self, check: &Check, request: &Request, causes: &[Cause], title: String, fix: Fix) -> Finding {
        let on_path_ms: Millis = self
            .path
            .iter()
            .filter(|leg| leg.request == Some(request.id) && causes.contains(&leg.cause))
            .map(Leg::length)
            .sum();
        let span = (request.start, request.end.unwrap_or(self.load.end));
        Finding {
            check: check.id.to_owned(),
            key: format!("{} {}", check.id, fix.target),
            title,
            group: check.group,
            owner: self.owners.request(request.id).clone(),
            url: Some(request.url.to_string()),
            request: Some(request.id),
            kind: Some(request.kind),
            on_path: on_path_ms > Millis::ZERO,
            on_path_ms,
            standing: self.standing(on_path_ms, span),
            saving_bytes: None,
            size_ms: None,
            size_bytes: request.transferred,
            evidence: Vec::new(),
            why: String::new(),
            sureness: Sureness::Measured,
            fix,
        }
    }

    /// On the path with any milliseconds; beside it where the span shares time with a download leg.
    fn standing(&self, on_path: Millis, span: (Millis, Millis)) -> Standing {
        if self.path.is_empty() {
            return Standing::Unknown;
        }
        if on_path > Millis::ZERO {
            return Standing::OnPath;
        }
        let beside =
            self.path.iter().any(|leg| leg.cause == Cause::Download && leg.from_ms < span.1 && leg.to_ms > span.0);
        if beside { Standing::BesidePath } else { Standing::OffPath }
    }

    /// Requests that came over the network and were answered.
    fn answered(&self) -> impl Iterator<Item = &Request> {
        self.load.requests.iter().filter(|r| r.is_network() && r.failed.is_none() && r.cache.is_none())
    }

    fn body(&self, request: &Request) -> Option<Vec<u8>> {
        self.bodies.body(&request.body.as_ref()?.hash)
    }
}

/// An evidence row without a pointer.
fn row(label: &str, value: String) -> Evidence {
    Evidence { label: label.to_owned(), value, request: None }
}

/// All causes that a blocking request's legs can have.
const ALL_OF_A_REQUEST: &[Cause] = &[
    Cause::Queue,
    Cause::Connect,
    Cause::Wait,
    Cause::Download,
    Cause::Handover,
    Cause::Script,
    Cause::Held,
    Cause::Render,
    Cause::StyleFound,
];

/// `docs/checks.md`, made from the checks themselves.
#[must_use]
pub fn manual() -> String {
    use std::fmt::Write;
    let mut text = String::from(
        "# Checks\n\nMade from the heads of `crates/core/src/checks/*.rs` by `cargo xtask docs`; a test holds it current and runs every example.\n",
    );
    for check in ALL {
        let example = (check.example)();
        let _ = write!(
            text,
            "\n## {}\n\n{}\n\nExample: {}\n\nFinds: *{}*\n",
            check.id, check.rule, example.in_words, check.gives
        );
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_check_finds_what_its_head_says_and_nothing_in_a_sound_load() {
        let sound = example::sound();
        let quiet = crate::analyse(&sound.load, &sound.bodies());
        assert!(quiet.findings.is_empty(), "{:#?}", quiet.findings);
        for check in ALL {
            let example = (check.example)();
            let analysis = crate::analyse(&example.load, &example.bodies());
            let titles: Vec<&str> =
                analysis.findings.iter().filter(|f| f.check == check.id).map(|f| f.title.as_str()).collect();
            assert_eq!(titles, [check.gives], "{}", check.id);
        }
    }

    #[test]
    fn the_manual_is_current() {
        let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/checks.md");
        if std::env::var_os("PHAINON_WRITE_DOCS").is_some() {
            std::fs::write(file, manual()).expect("docs/checks.md can be written");
        }
        let written = std::fs::read_to_string(file).unwrap_or_default();
        assert!(written == manual(), "docs/checks.md is not current: run `cargo xtask docs`");
    }
}
