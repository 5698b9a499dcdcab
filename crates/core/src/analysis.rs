//! Everything that is computed from one load, in the shape in which the command line and the API give it.

use crate::checks::{CheckContext, Finding, run_checks};
use crate::graph::Graph;
use crate::main_thread::{MainThread, main_thread};
use crate::metrics::{
    DomainShare, LcpParts, Metric, Metrics, Placement, Ruler, WeightShare, by_domain, by_kind, lcp_parts, metrics,
    placement,
};
use crate::path::{Leg, path_to_largest};
use crate::server_work::{ServerAnswer, answers, server_part};
use crate::shifts::{ShiftRow, shift_rows};
use crate::words::{SaidFinding, SaidLeg, SaidMissing, note_sentence, say_finding, say_leg, say_missing};
use crate::{
    Bodies, BodyRef, Bytes, CacheSource, Conditions, ForcedRow, HandlerRow, Initiator, Interaction, Lanes, Load,
    Millis, Missing, Note, Observed, Owner, Owners, Prepared, Rect, RenderBlocker, RenderBlocking, RequestId,
    ResourceKind, ScreenFrame, Settings, Source, UserTiming, Visit, forced, handlers, interactions, lanes,
    render_blockers, server_timing,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use ts_rs::TS;

/// Rises whenever a load may be analysed differently; cached results of an older version are dropped.
pub const ANALYSIS_VERSION: u32 = 33;

/// What the largest paint was.
pub use crate::paint::PaintKind as LcpKind;

/// The largest element and the way to it, in legs without words or, `L` being [`SaidLeg`], with.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts", concrete(L = SaidLeg))]
pub struct LargestPaint<L = Leg> {
    /// Text or a picture.
    pub kind: LcpKind,
    /// A CSS selector that finds the element, where it could be resolved.
    pub selector: Option<String>,
    /// The element's tag name.
    pub tag: Option<String>,
    /// Its opening tag, cut short.
    pub snippet: Option<String>,
    /// The picture's address, for pictures.
    pub url: Option<String>,
    /// The request that brought the picture.
    pub request: Option<RequestId>,
    /// Its box in the viewport.
    pub rect: Option<Rect>,
    /// Visible area as the browser counted it, in CSS pixels.
    pub size: f64,
    /// Whose it is.
    pub owner: Owner,
    /// The four published parts of LCP, where TTFB is known.
    pub parts: Option<LcpParts>,
    /// The path to it; the legs' lengths add up to LCP.
    pub path: Vec<L>,
    /// The finding whose fix would shorten each leg, by its key.
    pub leg_findings: Vec<Option<String>>,
}

/// One owner's costs in the load.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerAccount {
    pub name: String,
    pub kind: crate::OwnerKind,
    pub requests: u32,
    pub transferred_bytes: Bytes,
    /// `None` where no main thread was observed.
    pub main_thread_ms: Option<Millis>,
    /// What it adds to TBT: of each long task that a script of its took most of, what exceeds 50 ms.
    #[serde(default)]
    pub blocking_ms: Option<Millis>,
    /// Its own time on the server over all answers that tell it, by spans or by `Server-Timing`; `None` where none
    /// names it.
    pub server_ms: Option<Millis>,
    /// The queries that it asked, where spans tell them.
    #[serde(default)]
    pub queries: Option<u32>,
    /// How much of the path to the largest paint is this owner's.
    pub path_ms: Option<Millis>,
}

/// A request as the screens show it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct RequestRow {
    pub id: RequestId,
    #[ts(type = "string")]
    pub url: Arc<str>,
    pub name: String,
    pub host: Option<String>,
    pub method: String,
    pub kind: ResourceKind,
    pub status: Option<u16>,
    pub mime: Option<String>,
    pub protocol: Option<String>,
    pub priority: Option<String>,
    pub final_priority: Option<String>,
    pub start_ms: Millis,
    pub connect_start_ms: Option<Millis>,
    pub connect_end_ms: Option<Millis>,
    pub sent_ms: Option<Millis>,
    pub first_byte_ms: Option<Millis>,
    pub end_ms: Option<Millis>,
    pub transferred_bytes: Option<Bytes>,
    pub unpacked_bytes: Option<Bytes>,
    pub cache: Option<CacheSource>,
    #[ts(type = "number | null")]
    pub connection: Option<u64>,
    pub render_blocking: RenderBlocking,
    /// When it let rendering go, for those that held it.
    pub released_ms: Option<Millis>,
    pub owner: Owner,
    /// Counted to whoever inserted it, rather than to where it lies.
    pub inserted: bool,
    pub initiator: Initiator,
    pub redirected_from: Option<RequestId>,
    /// The request that asked for it: the hop before it, or the file that its initiator names.
    pub asked_by: Option<RequestId>,
    /// Whether a leg of the path to the largest paint is about it.
    pub on_path: bool,
    pub failed: Option<String>,
    /// Whether its body was kept.
    pub has_body: bool,
    /// For pictures: width and height of the file, and of the largest box it is shown in.
    pub picture: Option<PictureSize>,
    /// For pictures: where it stands in the page.
    pub placement: Option<Placement>,
}

/// A picture's own size and the size it is shown at.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct PictureSize {
    pub width: u32,
    pub height: u32,
    pub shown_width: f64,
    pub shown_height: f64,
}

/// Everything computed from one load, but its requests and its main thread. Findings, legs, lacks and
/// notes are facts; [`Analysis::said`] gives them words.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts", rename = "LoadOverview", concrete(F = SaidFinding, L = SaidLeg, M = SaidMissing, N = String))]
#[allow(missing_docs)]
pub struct Analysis<F = Finding, L = Leg, M = Missing, N = Note> {
    /// Which version of the core computed it, and with which settings.
    pub analysis_version: u32,
    pub settings: String,
    #[ts(type = "string")]
    pub url: Arc<str>,
    pub title: Option<String>,
    pub source: Source,
    pub visit: Visit,
    pub conditions: Option<Conditions>,
    pub browser: Option<String>,
    pub started_at: Option<String>,
    /// When observation ended.
    pub end_ms: Millis,
    /// Whether the page was still busy when the time was up.
    pub cut_off: bool,
    pub metrics: Metrics,
    /// Each known metric on its ruler.
    pub rulers: Vec<Ruler>,
    pub lcp: Option<LargestPaint<L>>,
    pub render_blocking: Vec<RenderBlocker>,
    pub main_thread: Option<MainThread>,
    pub owners: Vec<OwnerAccount>,
    pub weight: Vec<WeightShare>,
    pub domains: Vec<DomainShare>,
    pub interactions: Vec<Interaction>,
    /// What was found.
    pub findings: Vec<F>,
    /// The server's work, answer by answer: a part of its own.
    #[serde(skip)]
    #[ts(skip)]
    pub server: Vec<ServerAnswer>,
    /// The rows of the waterfall: a part of their own.
    #[serde(skip)]
    #[ts(skip)]
    pub requests: Vec<RequestRow>,
    /// What the main thread's screen alone needs: a part of its own.
    #[serde(skip)]
    #[ts(skip)]
    pub thread: ThreadDetail,
    pub shifts: Vec<ShiftRow>,
    pub frames: Vec<ScreenFrame>,
    /// How the page itself was made.
    #[serde(default)]
    pub page_made: Option<PageMade>,
    /// The document's `Server-Timing`.
    pub server_timing: Vec<crate::ServerTiming>,
    /// What the page itself was told, where it was asked.
    pub observed: Option<Observed>,
    /// What could not be known, and why.
    pub missing: Vec<M>,
    /// What had to be left out or mended.
    pub notes: Vec<N>,
}

/// How the page itself was made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PageMade {
    /// The hash of its document's body, where that was kept.
    pub body: Option<String>,
    /// What the server took.
    pub server_ms: Millis,
    /// Of all answers that spans tell of, what no span covers; `None` where none do.
    pub unexplained_ms: Option<Millis>,
}

/// Over all answers that spans tell of, the time that is nobody's.
fn unexplained(server: &[ServerAnswer]) -> Option<Millis> {
    let own = server.iter().flat_map(|a| &a.by_kind).filter(|k| k.kind == crate::SpanKind::Answer);
    own.map(|k| k.ms).reduce(|a, b| a + b)
}

/// What only the screens with a time axis need of the main thread.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ThreadDetail {
    /// Tasks of half a millisecond or more.
    pub tasks: crate::TaskColumns,
    /// Bandwidth and main thread on the time axis.
    pub lanes: Lanes,
    /// The page's own marks and measures.
    pub user_timings: Vec<UserTiming>,
    /// Style and layout that scripts forced, by the line that did.
    pub forced: Vec<ForcedRow>,
    /// Timers and event handlers.
    pub handlers: Vec<HandlerRow>,
}

/// An analysis as it is handed out: its findings, its path and what it lacks with their words.
pub type SaidAnalysis = Analysis<SaidFinding, SaidLeg, SaidMissing, String>;

impl LargestPaint {
    fn said(self) -> LargestPaint<SaidLeg> {
        let Self { kind, selector, tag, snippet, url, request, rect, size, owner, parts, path, leg_findings } = self;
        let path = path.iter().map(say_leg).collect();
        LargestPaint { kind, selector, tag, snippet, url, request, rect, size, owner, parts, path, leg_findings }
    }
}

impl Analysis {
    /// With words.
    #[must_use]
    pub fn said(self) -> SaidAnalysis {
        Analysis {
            lcp: self.lcp.map(LargestPaint::said),
            findings: self.findings.iter().map(say_finding).collect(),
            analysis_version: self.analysis_version,
            settings: self.settings,
            url: self.url,
            title: self.title,
            source: self.source,
            visit: self.visit,
            conditions: self.conditions,
            browser: self.browser,
            started_at: self.started_at,
            end_ms: self.end_ms,
            cut_off: self.cut_off,
            metrics: self.metrics,
            rulers: self.rulers,
            render_blocking: self.render_blocking,
            main_thread: self.main_thread,
            owners: self.owners,
            weight: self.weight,
            domains: self.domains,
            interactions: self.interactions,
            requests: self.requests,
            thread: self.thread,
            server: self.server,
            shifts: self.shifts,
            frames: self.frames,
            page_made: self.page_made,
            server_timing: self.server_timing,
            observed: self.observed,
            missing: self.missing.iter().map(say_missing).collect(),
            notes: self.notes.iter().map(note_sentence).collect(),
        }
    }
}

/// Computes everything that a load allows.
#[must_use]
pub fn analyse(prepared: &Prepared, bodies: &dyn Bodies) -> Analysis {
    let (load, owners) = (&*prepared.load, &prepared.owners);
    let figures = metrics(load, &prepared.settings);
    let path = path_to_largest(prepared);
    let server_timing = load.document().map(|d| server_timing(&d.response_headers)).unwrap_or_default();
    let mut main = main_thread(prepared, &figures);
    let blockers = render_blockers(prepared);
    let lcp = load.largest().map(|candidate| {
        let request = match candidate.kind {
            LcpKind::Image => candidate.url.as_deref().and_then(|url| load.request_for(url, candidate.at)),
            LcpKind::Text => None,
        };
        let owner = match (request, candidate.kind) {
            (Some(request), _) => owners.request(request.id).clone(),
            (None, LcpKind::Image) => candidate.url.as_deref().map_or_else(Owner::page, |u| owners.of_url(u)),
            (None, LcpKind::Text) => owners.of_url(&load.url),
        };
        LargestPaint {
            kind: candidate.kind,
            selector: candidate.selector.clone(),
            tag: candidate.tag.clone(),
            snippet: candidate.snippet.clone(),
            url: candidate.url.clone(),
            request: request.map(|r| r.id),
            rect: candidate.rect,
            size: candidate.size,
            owner,
            parts: lcp_parts(load),
            path: path.clone().unwrap_or_default(),
            leg_findings: Vec::new(),
        }
    });
    let server = answers(prepared);
    let context = CheckContext {
        prepared,
        bodies,
        metrics: &figures,
        path: path.as_deref().unwrap_or_default(),
        blockers: &blockers,
        main_thread: main.as_ref(),
        server: &server,
    };
    let findings = run_checks(&context);
    let mut lcp = lcp;
    if let Some(lcp) = &mut lcp {
        lcp.leg_findings = leg_findings(load, &lcp.path, lcp.request, &findings);
    }
    let page_made = load.document().and_then(|d| {
        let body = d.body.as_ref().map(|b| b.hash.clone());
        Some(PageMade { body, server_ms: server_part(prepared, d)?, unexplained_ms: unexplained(&server) })
    });
    let accounts = accounts(load, owners, main.as_ref(), path.as_deref(), &server);
    let path = path.unwrap_or_default();
    let requests = load.requests.iter().map(|r| row(prepared, r, &path, &blockers)).collect();
    let thread = ThreadDetail {
        tasks: main.as_mut().map(|m| std::mem::take(&mut m.tasks)).unwrap_or_default(),
        lanes: lanes(load),
        user_timings: load.user_timings.clone(),
        forced: forced(prepared),
        handlers: handlers(prepared),
    };
    Analysis {
        analysis_version: ANALYSIS_VERSION,
        settings: prepared.settings.hash(),
        url: load.url.clone(),
        title: load.title.clone(),
        source: load.source,
        visit: load.visit,
        conditions: load.conditions.clone(),
        browser: load.browser.clone(),
        started_at: load.started_at.clone(),
        end_ms: load.end,
        cut_off: load.cut_off,
        rulers: rulers(&figures, &prepared.settings),
        metrics: figures,
        lcp,
        render_blocking: blockers,
        main_thread: main,
        owners: accounts,
        weight: by_kind(load),
        domains: by_domain(load),
        interactions: interactions(&load.events),
        findings,
        requests,
        thread,
        server,
        shifts: shift_rows(&Graph::of(prepared)),
        frames: load.frames.clone(),
        page_made,
        server_timing,
        observed: load.observed.clone(),
        missing: load.missing.clone(),
        notes: load.notes.clone(),
    }
}

/// Every known metric on its ruler, in the order in which the screens show them.
#[must_use]
pub(crate) fn rulers(figures: &Metrics, settings: &Settings) -> Vec<Ruler> {
    let values = Metric::ALL.into_iter().filter_map(|metric| Some((metric, figures.value(metric)?)));
    values.map(|(metric, value)| Ruler::new(metric, value, settings)).collect()
}

fn row(prepared: &Prepared, request: &crate::Request, path: &[Leg], blockers: &[RenderBlocker]) -> RequestRow {
    let owners = &prepared.owners;
    RequestRow {
        id: request.id,
        url: request.url.clone(),
        name: request.short_name(),
        host: request.host(),
        method: request.method.clone(),
        kind: request.kind,
        status: request.status,
        mime: request.mime.clone(),
        protocol: request.protocol.clone(),
        priority: request.priority.clone(),
        final_priority: request.final_priority.clone(),
        start_ms: request.start,
        connect_start_ms: request.connect_start,
        connect_end_ms: request.connect_end,
        sent_ms: request.sent,
        first_byte_ms: request.first_byte,
        end_ms: request.end,
        transferred_bytes: request.transferred,
        unpacked_bytes: request.unpacked,
        cache: request.cache,
        connection: request.connection,
        render_blocking: request.render_blocking,
        released_ms: blockers.iter().find(|b| b.request == request.id).map(|b| b.released_ms),
        owner: owners.request(request.id).clone(),
        inserted: owners.was_inserted(request.id),
        initiator: request.initiator.clone(),
        redirected_from: request.redirected_from,
        asked_by: asked_by(prepared, request),
        on_path: path.iter().any(|leg| leg.request == Some(request.id)),
        failed: request.failed.clone(),
        has_body: matches!(request.body, Some(BodyRef { .. })),
        picture: picture(prepared, request),
        placement: placement(prepared, request),
    }
}

fn asked_by(prepared: &Prepared, request: &crate::Request) -> Option<RequestId> {
    if request.redirected_from.is_some() {
        return request.redirected_from;
    }
    let by = request.initiator.stack.first().or(request.initiator.url.as_ref())?;
    let mut before = prepared.all_for(by).filter(|r| r.id != request.id && r.start <= request.start);
    before.next().map(|r| r.id)
}

/// The finding whose fix would shorten each leg of the path, by its key: one about the leg's request
/// that calls for an edit which the leg names, else any about it; and for what came before the
/// largest picture was asked for, that it was found late.
fn leg_findings(load: &Load, path: &[Leg], file: Option<RequestId>, findings: &[Finding]) -> Vec<Option<String>> {
    let asked = file.and_then(|id| load.request(id)).map_or(Millis::ZERO, |r| load.first_hop(r).start);
    let first = load.document().and_then(|d| d.first_byte).unwrap_or_default();
    path.iter()
        .map(|leg| {
            let about = |f: &&Finding| leg.request.is_some() && f.request == leg.request;
            let named = findings.iter().filter(about).find(|f| leg.fixes.contains(&f.edit.kind()));
            let late = || {
                let before = leg.from_ms >= first - Millis(1.0) && leg.to_ms <= asked + Millis(1.0);
                findings.iter().find(|f| before && matches!(f.fact, crate::checks::Fact::LateLargest { .. }))
            };
            let wanted = named.or_else(|| findings.iter().find(about)).or_else(late);
            wanted.map(|f| f.key.clone())
        })
        .collect()
}

fn picture(prepared: &Prepared, request: &crate::Request) -> Option<PictureSize> {
    let shown = prepared
        .images_of(&request.url)
        .filter(|i| i.natural_width > 0)
        .max_by(|a, b| a.rect.area().total_cmp(&b.rect.area()))?;
    Some(PictureSize {
        width: shown.natural_width,
        height: shown.natural_height,
        shown_width: if shown.hidden { 0.0 } else { shown.rect.width },
        shown_height: if shown.hidden { 0.0 } else { shown.rect.height },
    })
}

fn accounts(
    load: &Load,
    owners: &Owners,
    main: Option<&MainThread>,
    path: Option<&[Leg]>,
    server: &[ServerAnswer],
) -> Vec<OwnerAccount> {
    let mut found: BTreeMap<Owner, OwnerAccount> = BTreeMap::new();
    let fresh = |owner: &Owner| OwnerAccount {
        name: owner.name.clone(),
        kind: owner.kind,
        requests: 0,
        transferred_bytes: Bytes(0),
        main_thread_ms: main.map(|_| Millis::ZERO),
        blocking_ms: main.map(|_| Millis::ZERO),
        server_ms: None,
        queries: None,
        path_ms: path.map(|_| Millis::ZERO),
    };
    for request in load.requests.iter().filter(|r| r.is_network()) {
        let owner = owners.request(request.id);
        let account = found.entry(owner.clone()).or_insert_with(|| fresh(owner));
        account.requests += 1;
        account.transferred_bytes += request.transferred.unwrap_or_default();
    }
    for script in main.map(|m| m.by_script.as_slice()).unwrap_or_default() {
        let account = found.entry(script.owner.clone()).or_insert_with(|| fresh(&script.owner));
        account.main_thread_ms = account.main_thread_ms.map(|sum| sum + script.total_ms);
    }
    for task in main.map(|m| m.long_tasks.as_slice()).unwrap_or_default() {
        let account = found.entry(task.owner.clone()).or_insert_with(|| fresh(&task.owner));
        account.blocking_ms = account.blocking_ms.map(|sum| sum + task.blocking_ms);
    }
    for leg in path.unwrap_or_default() {
        let account = found.entry(leg.owner.clone()).or_insert_with(|| fresh(&leg.owner));
        account.path_ms = account.path_ms.map(|sum| sum + leg.length());
    }
    for share in server.iter().flat_map(|answer| &answer.by_owner) {
        // A plugin may work on the server alone and send the browser nothing.
        let account = found.entry(share.owner.clone()).or_insert_with(|| fresh(&share.owner));
        account.server_ms = Some(account.server_ms.unwrap_or_default() + share.ms);
        if share.spans > 0 {
            account.queries = Some(account.queries.unwrap_or(0) + share.queries);
        }
    }
    let mut accounts: Vec<_> = found.into_values().collect();
    accounts.sort_by(|a, b| {
        b.path_ms
            .unwrap_or_default()
            .order(&a.path_ms.unwrap_or_default())
            .then(b.transferred_bytes.cmp(&a.transferred_bytes))
    });
    accounts
}
