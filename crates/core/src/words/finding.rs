//! What a check found, in words.

use super::edit::shortened;
use super::plan::listed;
use super::{SaidEdit, counted};
use crate::checks::{Evidence, EvidenceOf, Fact, Figure, Finding, FoundBy, Group, Standing, Sureness};
use crate::request::short_name;
use crate::{Bytes, Millis, Owner, RequestId, ResourceKind};
use serde::Serialize;
use ts_rs::TS;

/// A row of evidence in words.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts", rename = "Evidence")]
pub struct SaidEvidence {
    /// What it is.
    pub label: String,
    /// Its figure, as text.
    pub value: String,
    /// The request it points to.
    pub request: Option<RequestId>,
}

/// A finding with its words.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts", rename = "Finding")]
pub struct SaidFinding {
    /// The check's id.
    pub check: String,
    /// The same for the same thing in another load.
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
    pub evidence: Vec<SaidEvidence>,
    /// Why it matters here.
    pub why: String,
    /// How the figures were come by.
    pub sureness: Sureness,
    /// The fix it calls for.
    pub fix: SaidEdit,
}

/// A finding with its words.
#[must_use]
pub fn say_finding(finding: &Finding) -> SaidFinding {
    SaidFinding {
        check: finding.check.clone(),
        key: finding.key.clone(),
        title: finding_title(finding),
        group: finding.group,
        owner: finding.owner.clone(),
        url: finding.url.clone(),
        request: finding.request,
        kind: finding.kind,
        on_path: finding.on_path,
        on_path_ms: finding.on_path_ms,
        standing: finding.standing,
        saving_bytes: finding.saving_bytes,
        size_ms: finding.size_ms,
        size_bytes: finding.size_bytes,
        evidence: finding.evidence.iter().map(say_evidence).collect(),
        why: finding_why(finding).to_owned(),
        sureness: finding.sureness,
        fix: SaidEdit::of(&finding.edit),
    }
}

fn kind_of(finding: &Finding, files: u32) -> String {
    match finding.kind {
        Some(ResourceKind::Image) => counted(files, "picture", "pictures"),
        Some(kind) => counted(files, &format!("{} file", kind.word()), &format!("{} files", kind.word())),
        None => counted(files, "file", "files"),
    }
}

/// What was found, in one line.
#[must_use]
pub fn finding_title(finding: &Finding) -> String {
    let name = finding.url.as_deref().map_or_else(|| super::of_owner(&finding.owner).to_owned(), short_name);
    match &finding.fact {
        Fact::SlowDocument { server, .. } => format!("The server takes {} to answer for the page", server.text()),
        Fact::UncompressedText { size, packed, files: 1 } => {
            format!("{name} is sent uncompressed: {} could be {}", size.text(), packed.text())
        }
        Fact::UncompressedText { size, packed, files } => {
            format!("{} are sent uncompressed: {} could be {}", kind_of(finding, *files), size.text(), packed.text())
        }
        Fact::ShortCacheLifetime { host, files, bytes } => {
            format!("{} of {host} kept under 7 days: {}", counted(*files, "file", "files"), bytes.text())
        }
        Fact::BlockingScript { released } | Fact::BlockingStyle { released } => {
            format!("{name} holds up rendering until {}", released.text())
        }
        Fact::StopsParser { released } => {
            format!("{name} stops the parser in the body until {}", released.text())
        }
        Fact::TextWaitsForFont { waited, .. } => format!("The largest text waits {} for {name}", waited.text()),
        Fact::LateLargest { delay, .. } => {
            format!("Largest picture found late: {name}, asked for {} after the first byte", delay.text())
        }
        Fact::ImageTooLarge { times, saving, files: 1 } => {
            format!("{name} has {times:.0} times the pixels shown: about {} too many", saving.text())
        }
        Fact::ImageTooLarge { times, saving, files } => format!(
            "{} have more pixels than are shown, up to {times:.0} times: about {} too many",
            kind_of(finding, *files),
            saving.text()
        ),
        Fact::Standout { share, bytes, whole } => {
            format!("{name} is {:.0} % of the weight: {} of {}", share * 100.0, bytes.text(), whole.text())
        }
        Fact::LongTasks { tasks: 1, sum } => format!("{name} runs in 1 long task, {}", sum.text()),
        Fact::LongTasks { tasks, sum } => format!("{name} runs in {tasks} long tasks, {} together", sum.text()),
        Fact::ThirdPartyWork { sum } => format!("{} takes {} of main thread", finding.owner.name, sum.text()),
        Fact::ThirdPartyOnPath { sum } => {
            format!("The largest paint waits {} for {}", sum.text(), finding.owner.name)
        }
        Fact::OwnersOfOnePurpose { purpose, owners } => {
            let all = if owners.len() == 2 { "both" } else { "all" };
            format!("{} are {all} for {purpose}", listed(owners))
        }
        Fact::UnusedPlugin { code, used } => format!(
            "{} loads {} of code of which this page uses {:.0} %",
            finding.owner.name,
            code.text(),
            used * 100.0
        ),
        Fact::SlowServerOwner { took, server, .. } => {
            format!("{} takes {} of the server's {} for the page", finding.owner.name, took.text(), server.text())
        }
        Fact::RepeatedQuery { query, count, total, .. } => {
            let asker = super::of_owner(&finding.owner);
            format!("{asker} asks one query {count} times, {} together: {}", total.text(), shortened(query))
        }
        Fact::SlowQuery { query, slowest } => format!("A query takes {}: {}", slowest.text(), shortened(query)),
        Fact::QueryOfTwoOwners { query, owners, total } => {
            format!("{} ask the same query, {} together: {}", listed(owners), total.text(), shortened(query))
        }
        Fact::NoDimensions { files: 1 } => format!("{name} is shown without dimensions"),
        Fact::NoDimensions { files } => format!("{} are shown without dimensions", kind_of(finding, *files)),
    }
}

/// Why it matters.
#[must_use]
pub fn finding_why(finding: &Finding) -> &'static str {
    match &finding.fact {
        Fact::SlowDocument { told: false, .. } => {
            "Nothing else can start before the document's first byte. The server sent no Server-Timing, so the recording cannot tell what it spent the time on."
        }
        Fact::SlowDocument { told: true, .. } => {
            "Nothing else can start before the document's first byte. The server's own account of the time is in the evidence."
        }
        Fact::UncompressedText { .. } => {
            "The recorded body was compressed here to get this figure. Servers do it with one setting, and every browser asks for it."
        }
        Fact::ShortCacheLifetime { .. } => {
            "A first visit is no faster for it; the return visit and every further page of the site are. Where a third party sets the headers, hosting the file oneself is the way."
        }
        Fact::BlockingScript { .. } => {
            "The browser marked it as render-blocking. A deferred script runs in order after the document is parsed; inline scripts that use it must then wait too."
        }
        Fact::BlockingStyle { .. } => {
            "Nothing is painted before every blocking sheet is there, whichever part of it the first screen uses."
        }
        Fact::StopsParser { .. } => {
            "The parser waits for it where it stands; what stands below it, the largest element too, comes into the page only after that, even if its bytes have long been there."
        }
        Fact::TextWaitsForFont { fades_in: true, .. } => {
            "The text fades in: what is painted before it can be seen does not count, and the fade paints nothing anew. Shown in another font meanwhile it would count only when its own is there, so that is to be asked for sooner."
        }
        Fact::TextWaitsForFont { .. } => {
            "Text is invisible until its font has come, or the browser gives up on it, unless the sheet that names the font says otherwise; shown in another font meanwhile it can be read sooner, and is drawn again when its own is there."
        }
        Fact::LateLargest { by: FoundBy::Script, .. } => {
            "The preload scanner finds files that stand in the HTML at once; here a script inserts it, so its download could not begin earlier."
        }
        Fact::LateLargest { by: FoundBy::Sheet, .. } => {
            "The preload scanner finds files that stand in the HTML at once; here a stylesheet names it, so its download could not begin earlier."
        }
        Fact::LateLargest { by: FoundBy::LazyLoading, .. } => {
            "The preload scanner finds files that stand in the HTML at once; here it is loaded lazily, so its download could not begin earlier."
        }
        Fact::ImageTooLarge { .. } => {
            "The bytes too many are taken in proportion to the pixels too many; what a smaller file really weighs depends on its encoding."
        }
        Fact::Standout { .. } if finding.on_path => "The largest paint waits for these bytes themselves.",
        Fact::Standout { .. } => {
            "The largest paint does not wait for this file. Where both are received at the same time it takes part of the line from it."
        }
        Fact::LongTasks { .. } => {
            "While a task runs, no tap or key is answered. The task counts for this script because it took the most of it, and at least a third."
        }
        Fact::ThirdPartyWork { .. } => {
            "Its code is not yours to mend, but when it loads is. Ask who uses it before it goes."
        }
        Fact::ThirdPartyOnPath { .. } => {
            "Another host has to be found and connected to, and how fast it answers is not yours to decide. A copy on the site's own host comes over the connection that is there already."
        }
        Fact::OwnersOfOnePurpose { .. } => {
            "One of them may be able to do the other's work. The figure is for doing without the files of the dearer one, or without its work on the server where it has no files: what moving its work to the other adds is not in it. Whether they serve one purpose was said on the screen of owners, or is read off their names."
        }
        Fact::UnusedPlugin { .. } => {
            "The code was watched while the page loaded, and nothing was clicked: what only an input calls counts as not used. Many plugins can be told to load on the pages that need them only."
        }
        Fact::SlowServerOwner { .. } => {
            "Nothing else can start before the document's first byte, and this is what the server did meanwhile. What it would bring to do without it is an upper bound: perhaps it can do less, or do it beforehand."
        }
        Fact::RepeatedQuery { same: true, .. } => {
            "It is asked with the same values: the answer was known already and could be kept until the page is made."
        }
        Fact::RepeatedQuery { same: false, .. } => {
            "It is asked with changing values, from one place in the code: one query could ask for all of them at once. The forecast leaves as much time as the slowest of them took."
        }
        Fact::SlowQuery { .. } => {
            "An index on what it looks for, or asking for less, is the usual way. The forecast leaves a tenth of its time, which is a guess until it is tried."
        }
        Fact::QueryOfTwoOwners { .. } => "Whoever asks first could hand the answer on, or a cache of queries could.",
        Fact::NoDimensions { .. } => {
            "The browser reserves no room for it, so what stands below moves when the file arrives."
        }
    }
}

fn say_evidence(row: &Evidence) -> SaidEvidence {
    let label = match &row.of {
        EvidenceOf::FirstByteAfterSending => "first byte after sending".into(),
        EvidenceOf::RoundTrip => "of it, the link's round trip".into(),
        EvidenceOf::TtfbTarget => "TTFB target".into(),
        EvidenceOf::ServerPart(name) => format!("server: {name}"),
        EvidenceOf::AskedFor => "asked for at".into(),
        EvidenceOf::LastByte => "last byte at".into(),
        EvidenceOf::LetGo => "let go at".into(),
        EvidenceOf::DocumentComplete => "document complete at".into(),
        EvidenceOf::FirstContentfulPaint => "first contentful paint".into(),
        EvidenceOf::DocumentFirstByte => "document's first byte".into(),
        EvidenceOf::Because(_) => "because".into(),
        EvidenceOf::AskedForBy => "asked for by".into(),
        EvidenceOf::Sent => "sent".into(),
        EvidenceOf::PackedHere => "the same body by gzip, level 6".into(),
        EvidenceOf::ContentEncoding => "content-encoding".into(),
        EvidenceOf::CacheControl(name) | EvidenceOf::File(name) => name.clone(),
        EvidenceOf::Element => "element".into(),
        EvidenceOf::ShownAt => "shown at".into(),
        EvidenceOf::FileSize => "the file".into(),
        EvidenceOf::ShiftAfterArrival => "layout shift within 150 ms of its arrival".into(),
        EvidenceOf::Transferred => "transferred".into(),
        EvidenceOf::WholePage => "the whole page".into(),
        EvidenceOf::ReceivingFor => "receiving for".into(),
        EvidenceOf::TaskAt(at, _) => format!("task at {}", at.text()),
        EvidenceOf::ServerTime => "the server's work for the page".into(),
        EvidenceOf::InQueries => "of it, in queries".into(),
        EvidenceOf::QueriesAsked => "queries asked".into(),
        EvidenceOf::QueryText => "for one".into(),
        EvidenceOf::QueryTotal => "together".into(),
        EvidenceOf::QuerySlowest => "the slowest".into(),
        EvidenceOf::QueryRows => "rows that came".into(),
        EvidenceOf::AskedByOwner(name) => format!("asked by {name}"),
        EvidenceOf::Connecting => "of it, connecting".into(),
        EvidenceOf::CostsOf(name) => name.clone(),
        EvidenceOf::ScriptTime(script) => script.clone().unwrap_or_else(|| "page".into()),
    };
    let value = match (&row.of, &row.figure) {
        (EvidenceOf::Because(FoundBy::Script), _) => "a script inserts it".into(),
        (EvidenceOf::Because(FoundBy::Sheet), _) => "a stylesheet names it".into(),
        (EvidenceOf::Because(FoundBy::LazyLoading), _) => "it is loaded lazily".into(),
        (EvidenceOf::AskedByOwner(_), Figure::None) => "yes".into(),
        (EvidenceOf::CacheControl(_), Figure::None) => "no cache-control".into(),
        (EvidenceOf::TaskAt(_, blocking), Figure::Ms(took)) => {
            format!("{}, adds {} to TBT", took.text(), blocking.text())
        }
        (_, Figure::Ms(ms)) => ms.text(),
        (_, Figure::Bytes(bytes)) => bytes.text(),
        (_, Figure::Saving(from, to)) => format!("{} could be {}", from.text(), to.text()),
        (_, Figure::Size(width, height)) => format!("{width:.0} × {height:.0}"),
        (_, Figure::Shown(width, height, ratio)) => format!("{width:.0} × {height:.0}, ratio {ratio}"),
        (_, Figure::Unused(size, share)) => format!("{}, {:.0} % of it not used", size.text(), share * 100.0),
        (_, Figure::Costs(path, time, bytes)) => {
            let mut costs = Vec::new();
            if *path > Millis::ZERO {
                costs.push(format!("{} of the path", path.text()));
            }
            if *time > Millis::ZERO {
                costs.push(format!("{} at work", time.text()));
            }
            if bytes.0 > 0 {
                costs.push(bytes.text());
            }
            if costs.is_empty() { "next to nothing".into() } else { costs.join(", ") }
        }
        (_, Figure::Score(score)) => format!("{score:.3}"),
        (_, Figure::Text(text)) => text.clone(),
        (_, Figure::None) => "none".into(),
    };
    SaidEvidence { label, value, request: row.request }
}
