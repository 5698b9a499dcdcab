//! Checks: each reads a load and returns findings.
//!
//! One check a file, all in [`ALL`]. A file opens with a [`Check`] that gives its id, its rule in
//! one sentence, a small load that triggers it and the finding it gives there; `docs/checks.md` and
//! a test are made from these. A good check
//!
//! * computes what can be computed (compresses the body, reads the picture's size) and guesses nothing;
//! * says what it found as facts, with the figures; [`crate::words`] makes sentences of them;
//! * makes one finding of many small ones of a kind, with a row for each;
//! * says nothing where the load does not hold what it needs;
//! * calls for one edit;
//! * takes its place on the path from the legs that its fix would shorten, not from its size.

mod cache_lifetime;
mod example;
mod image_dimensions;
mod image_larger_than_shown;
mod late_largest;
mod long_tasks;
mod owners_of_one_purpose;
mod query_of_two_owners;
mod render_blocking_script;
mod render_blocking_style;
mod repeated_query;
mod slow_document;
mod slow_query;
mod slow_server_owner;
mod standout;
mod stops_parser;
mod text_waits_for_font;
mod third_party_on_path;
mod third_party_work;
mod uncompressed_text;
mod unused_plugin;

use crate::metrics::Metrics;
use crate::path::{Cause, Leg};
use crate::server_work::{ServerAnswer, ToldBy};
use crate::{
    Bodies, Bytes, Edit, Load, MainThread, Millis, Owner, Prepared, RenderBlocker, Request, RequestId, ResourceKind,
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
    &stops_parser::CHECK,
    &late_largest::CHECK,
    &text_waits_for_font::CHECK,
    &third_party_on_path::CHECK,
    &image_larger_than_shown::CHECK,
    &standout::CHECK,
    &long_tasks::CHECK,
    &third_party_work::CHECK,
    &image_dimensions::CHECK,
    &slow_server_owner::CHECK,
    &repeated_query::CHECK,
    &slow_query::CHECK,
    &query_of_two_owners::CHECK,
    &owners_of_one_purpose::CHECK,
    &unused_plugin::CHECK,
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
    Server,
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
    /// The load, its look-ups, its owners and the settings.
    pub prepared: &'a Prepared,
    /// Its bodies, as far as they were kept.
    pub bodies: &'a dyn Bodies,
    /// The load's metrics.
    pub metrics: &'a Metrics,
    /// The path to the largest paint; empty where none was observed.
    pub path: &'a [Leg],
    /// What held rendering back.
    pub blockers: &'a [RenderBlocker],
    /// Main-thread sums, where a main thread was observed.
    pub main_thread: Option<&'a MainThread>,
    /// The server's work, answer by answer.
    pub server: &'a [ServerAnswer],
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

/// What a row of evidence is about.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum EvidenceOf {
    FirstByteAfterSending,
    RoundTrip,
    TtfbTarget,
    /// A part of the server's own account of its time.
    ServerPart(String),
    AskedFor,
    LastByte,
    LetGo,
    DocumentComplete,
    FirstContentfulPaint,
    DocumentFirstByte,
    Because(FoundBy),
    AskedForBy,
    Sent,
    PackedHere,
    ContentEncoding,
    CacheControl(String),
    Element,
    ShownAt,
    FileSize,
    ShiftAfterArrival,
    Transferred,
    WholePage,
    ReceivingFor,
    /// A task that began at a moment, and what it adds to TBT.
    TaskAt(Millis, Millis),
    /// A file by its name, with what it would save or take.
    File(String),
    /// A script by its address; `None` is the page itself.
    ScriptTime(Option<String>),
    /// What all of the server's work for the page took.
    ServerTime,
    InQueries,
    QueriesAsked,
    QueryText,
    QueryTotal,
    QuerySlowest,
    QueryRows,
    /// Who asks a query.
    AskedByOwner(String),
    /// Of it, connections being made.
    Connecting,
    /// What an owner costs the page.
    CostsOf(String),
}

/// The figure of a row of evidence.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Figure {
    Ms(Millis),
    Bytes(Bytes),
    /// From so many bytes to so many.
    Saving(Bytes, Bytes),
    /// Width and height.
    Size(f64, f64),
    /// Width and height in CSS pixels, at a pixel ratio.
    Shown(f64, f64, f64),
    Score(f64),
    /// So much code, and the share of it that was not used.
    Unused(Bytes, f64),
    /// Of the path, of time at work, and over the line.
    Costs(Millis, Millis, Bytes),
    Text(String),
    None,
}

/// What made the browser find a file late.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum FoundBy {
    Script,
    Sheet,
    LazyLoading,
}

/// One row of a finding's evidence.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Evidence {
    /// What it is.
    pub of: EvidenceOf,
    /// Its figure.
    pub figure: Figure,
    /// The request it points to.
    pub request: Option<RequestId>,
}

/// What a check found, in figures.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Fact {
    SlowDocument { server: Millis, told: bool },
    UncompressedText { size: Bytes, packed: Bytes, files: u32 },
    ShortCacheLifetime { host: String, files: u32, bytes: Bytes },
    BlockingScript { released: Millis },
    BlockingStyle { released: Millis },
    StopsParser { released: Millis },
    LateLargest { delay: Millis, by: FoundBy },
    TextWaitsForFont { waited: Millis, fades_in: bool },
    ImageTooLarge { times: f64, saving: Bytes, files: u32 },
    Standout { share: f64, bytes: Bytes, whole: Bytes },
    LongTasks { tasks: u32, sum: Millis },
    ThirdPartyWork { sum: Millis },
    ThirdPartyOnPath { sum: Millis },
    OwnersOfOnePurpose { purpose: String, owners: Vec<String> },
    UnusedPlugin { code: Bytes, used: f64 },
    NoDimensions { files: u32 },
    SlowServerOwner { took: Millis, server: Millis, queries: u32 },
    RepeatedQuery { query: String, count: u32, total: Millis, same: bool },
    SlowQuery { query: String, slowest: Millis },
    QueryOfTwoOwners { query: String, owners: Vec<String>, total: Millis },
}

/// Something that a check found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// The check's id.
    pub check: String,
    /// The same for the same thing in another load: check and edit.
    pub key: String,
    /// What was found.
    pub fact: Fact,
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
    /// How the figures were come by.
    pub sureness: Sureness,
    /// The edit it calls for.
    pub edit: Edit,
}

/// Runs every check; findings come by milliseconds on the path, then by size.
#[must_use]
pub(crate) fn run_checks(context: &CheckContext<'_>) -> Vec<Finding> {
    let off = &context.prepared.settings.checks_off;
    let mut found: Vec<Finding> =
        ALL.iter().filter(|check| !off.contains(check.id)).flat_map(|check| (check.run)(context)).collect();
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
    fn load(&self) -> &Load {
        &self.prepared.load
    }

    fn owner(&self, request: &Request) -> &Owner {
        self.prepared.owners.request(request.id)
    }

    /// A finding about a request; its place on the path comes from the legs about that request that
    /// have one of these causes.
    fn about(&self, check: &Check, request: &Request, causes: &[Cause], fact: Fact, edit: Edit) -> Finding {
        let on_path_ms: Millis = self
            .path
            .iter()
            .filter(|leg| leg.request == Some(request.id) && causes.contains(&leg.cause))
            .map(Leg::length)
            .sum();
        let span = (request.start, request.end.unwrap_or(self.load().end));
        Finding {
            check: check.id.to_owned(),
            key: format!("{} {}", check.id, edit.target()),
            fact,
            group: check.group,
            owner: self.owner(request).clone(),
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
            sureness: Sureness::Measured,
            edit,
        }
    }

    /// The page's own answer, where the server told of its work by spans.
    fn page_answer(&self) -> Option<(&Request, &ServerAnswer)> {
        let answer = self.server.iter().find(|a| a.document && a.told_by == ToldBy::Spans)?;
        Some((self.load().request(answer.request)?, answer))
    }

    /// A finding about a part of the server's work for the page. Of the path it has at most its own time, as far
    /// as the path waits for the page's first byte.
    fn of_server(&self, check: &Check, took: Millis, owner: Owner, fact: Fact, edit: Edit) -> Option<Finding> {
        let (document, _) = self.page_answer()?;
        let mut finding = self.about(check, document, &[Cause::Wait], fact, edit);
        finding.on_path_ms = finding.on_path_ms.min(took);
        finding.size_ms = Some(took);
        finding.size_bytes = None;
        finding.owner = owner;
        Some(finding)
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
        self.load().requests.iter().filter(|r| r.is_network() && r.failed.is_none() && r.cache.is_none())
    }

    fn body(&self, request: &Request) -> Option<Vec<u8>> {
        self.bodies.body(&request.body.as_ref()?.hash)
    }
}

/// An evidence row without a pointer.
fn row(of: EvidenceOf, figure: Figure) -> Evidence {
    Evidence { of, figure, request: None }
}

/// So many findings of one kind about one owner's small files still stand for themselves.
const FEW: usize = 3;

/// Many small findings of one check, owner and kind of resource as one, with a row for each file:
/// a ledger of eighteen icons is one line. Those on the path stand for themselves. `together` makes
/// the fact and the edit of all from those of each.
fn gathered(
    found: Vec<Finding>,
    files: impl Fn(&Finding) -> Evidence,
    together: impl Fn(&[Finding], crate::Scope) -> (Fact, Edit),
) -> Vec<Finding> {
    let mut groups: std::collections::BTreeMap<(Owner, Option<ResourceKind>), Vec<Finding>> = Default::default();
    let mut alone = Vec::new();
    for finding in found {
        if finding.on_path {
            alone.push(finding);
        } else {
            groups.entry((finding.owner.clone(), finding.kind)).or_default().push(finding);
        }
    }
    for ((owner, kind), mut group) in groups {
        let Some(kind) = kind.filter(|_| group.len() > FEW) else {
            alone.append(&mut group);
            continue;
        };
        group.sort_by(|a, b| b.saving_bytes.cmp(&a.saving_bytes).then_with(|| a.key.cmp(&b.key)));
        let (fact, edit) = together(&group, crate::Scope::Kind { owner, files: kind });
        let saving: Bytes = group.iter().filter_map(|f| f.saving_bytes).sum();
        let size: Bytes = group.iter().filter_map(|f| f.size_bytes).sum();
        let mut whole = group[0].clone();
        whole.key = format!("{} {}", whole.check, edit.target());
        whole.evidence = group.iter().map(&files).collect();
        (whole.fact, whole.edit, whole.url, whole.request) = (fact, edit, None, None);
        whole.saving_bytes = Some(saving).filter(|b| b.0 > 0);
        whole.size_bytes = Some(size).filter(|b| b.0 > 0);
        if group.iter().any(|f| f.standing == Standing::BesidePath) {
            whole.standing = Standing::BesidePath;
        }
        alone.push(whole);
    }
    alone
}

/// A row for one of several files, with what it would save.
fn file_row(finding: &Finding, figure: Figure) -> Evidence {
    let name = finding.url.as_deref().map(crate::request::short_name).unwrap_or_default();
    Evidence { of: EvidenceOf::File(name), figure, request: finding.request }
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
        let quiet = crate::analyse(&sound.prepared(), &sound.bodies());
        assert!(quiet.findings.is_empty(), "{:#?}", quiet.findings);
        for check in ALL {
            let example = (check.example)();
            let analysis = crate::analyse(&example.prepared(), &example.bodies());
            let of_check = analysis.findings.iter().filter(|f| f.check == check.id);
            let titles: Vec<String> = of_check.map(crate::words::finding_title).collect();
            assert_eq!(titles, [check.gives], "{}", check.id);
        }
    }

    #[test]
    fn a_check_that_is_off_is_not_run() {
        for check in ALL {
            let example = (check.example)();
            let mut settings = crate::Settings::default();
            settings.checks_off.insert(check.id.to_owned());
            let prepared =
                Prepared::new(example.load.clone().into(), settings.into()).with_coverage(example.coverage.clone());
            let analysis = crate::analyse(&prepared, &example.bodies());
            assert!(analysis.findings.iter().all(|f| f.check != check.id), "{}", check.id);
        }
    }

    #[test]
    fn many_small_files_of_a_kind_are_one_finding_with_a_row_each() {
        let mut example = example::sound();
        for n in 0..18 {
            let url = format!("http://www.skerryline.test/icons/{n}.png");
            example.request(&url, ResourceKind::Image, 700.0, 720.0, 3_000);
            example.image(&url, (40.0, 40.0), (40, 40), false);
        }
        let analysis = crate::analyse(&example.prepared(), &example.bodies());
        let [finding] = analysis.findings.as_slice() else { panic!("{:#?}", analysis.findings) };
        assert_eq!((finding.evidence.len(), &finding.fact), (18, &Fact::NoDimensions { files: 18 }));
        assert_eq!(finding.edit.key(), "set_dimensions image of site site");
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
