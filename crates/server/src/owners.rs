//! The part of the API that gives each owner's account over the pages of a site: what it costs on the server, on the
//! line and on the main thread, what doing without it would bring, and the rules by which things are whose.

use crate::error::Problem;
use crate::plan_pages::{by_page, conditions_name};
use crate::rereading;
use crate::state::{State, apart};
use axum::extract::{Path, Query, State as Shared};
use axum::http::StatusCode;
use axum::routing::{get, post};
use axum::{Json, Router};
use phainon_core::forecast::{Brings, Forecast, Model, brings};
use phainon_core::server_work::{ServerAnswer, ServerPart};
use phainon_core::{
    Analysis, Bytes, Edit, Millis, Owner, OwnerKind, OwnerRule, Prepared, RequestRow, RuleOn, Settings,
    suggested_purposes,
};
use phainon_store::{OwnerCost, Part, RecordingHead, Store};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use ts_rs::TS;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// Pages that are added up, at most.
const MOST_PAGES: usize = 30;
/// A site's rules, at most.
const MOST_RULES: usize = 200;
/// So many matches of a rule are shown.
const MOST_MATCHES: usize = 40;

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/sites/{site}/owners", get(owners))
        .route("/sites/{site}/owners/gains", get(gains))
        .route("/sites/{site}/owner-rules", get(rules).put(set_rules))
        .route("/sites/{site}/owner-rules/try", post(try_rules))
}

/// Which recordings are added up.
#[derive(Deserialize)]
struct Wanted {
    /// The newest up to this moment (RFC 3339 or its beginning); the newest of all where it is not given.
    until: Option<String>,
}

/// A page under one set of conditions.
#[derive(Debug, Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerPage {
    pub page: String,
    pub conditions: String,
    #[ts(type = "number")]
    pub recording: i64,
    pub load: u32,
    pub recorded_at: String,
    /// What of the server's time no span covers; `None` where the server told nothing.
    pub unexplained_ms: Option<Millis>,
}

/// An owner's costs on one page.
#[derive(Debug, Clone, Default, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Costs {
    pub requests: u32,
    pub transferred_bytes: Bytes,
    pub main_thread_ms: Option<Millis>,
    pub blocking_ms: Option<Millis>,
    pub server_ms: Option<Millis>,
    pub queries: Option<u32>,
    pub path_ms: Option<Millis>,
    /// Of its scripts and sheets, how much there is and how much was not used, where that was looked at.
    pub code_bytes: Option<Bytes>,
    pub unused_bytes: Option<Bytes>,
}

/// An owner over all pages.
#[derive(Debug, Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerRow {
    pub owner: Owner,
    /// Its costs by page, in the order of the pages; nothing where it has no part in one.
    pub on: Vec<Option<Costs>>,
    /// What it is for, as its name and its files suggest.
    pub suggested: Vec<String>,
}

/// The owners of a site.
#[derive(Debug, Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnersView {
    pub pages: Vec<OwnerPage>,
    pub rows: Vec<OwnerRow>,
    /// Days on which recordings of the site were made, newest first.
    pub days: Vec<String>,
}

/// Of each page under each of its conditions the newest recording up to a moment.
fn pages(store: &Store, site: &str, until: Option<&str>) -> Result<(Vec<OwnerPage>, Vec<String>), Problem> {
    let mut days = BTreeSet::new();
    let mut pages = Vec::new();
    for heads in by_page(store, site)? {
        days.extend(heads.iter().map(|h| h.recorded_at.chars().take(10).collect::<String>()));
        // A day alone means all of it.
        let in_time = |head: &&RecordingHead| {
            until.is_none_or(|until| head.recorded_at.chars().take(until.len()).collect::<String>().as_str() <= until)
        };
        let Some(head) = heads.iter().find(in_time) else { continue };
        let Some(summary) = &head.summary else { continue };
        pages.push(OwnerPage {
            page: head.page.clone(),
            conditions: conditions_name(head),
            recording: head.id,
            load: summary.representative,
            recorded_at: head.recorded_at.clone(),
            unexplained_ms: None,
        });
    }
    pages.truncate(MOST_PAGES);
    Ok((pages, days.into_iter().rev().collect()))
}

fn check_until(wanted: &Wanted) -> Result<(), Problem> {
    let is_date = |text: &str| {
        (4..=40).contains(&text.len()) && text.chars().all(|c| c.is_ascii_alphanumeric() || "-:.+".contains(c))
    };
    match &wanted.until {
        Some(until) if !is_date(until) => Err(Problem::bad("`until` is a day, such as 2026-11-24.")),
        _ => Ok(()),
    }
}

async fn fresh(app: &App, site: &str, until: Option<String>) -> Answer<(Vec<OwnerPage>, Vec<String>)> {
    let of_site = site.to_owned();
    let (pages, days) = app.with_store(move |store| pages(store, &of_site, until.as_deref())).await?;
    let mut kept = Vec::with_capacity(pages.len());
    for page in pages {
        // A load that cannot be read any more is missing among the others, not in the way of them.
        if rereading::fresh(app, page.recording, page.load).await.is_ok() {
            kept.push(page);
        }
    }
    Ok((kept, days))
}

async fn owners(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Query(wanted): Query<Wanted>,
) -> Answer<Json<OwnersView>> {
    check_until(&wanted)?;
    let (mut pages, days) = fresh(&app, &site, wanted.until).await?;
    apart(move || {
        let store = &app.store;
        let mut rows: BTreeMap<Owner, OwnerRow> = BTreeMap::new();
        let mut files: BTreeMap<Owner, BTreeSet<String>> = BTreeMap::new();
        let count = pages.len();
        for (place, page) in pages.iter_mut().enumerate() {
            for cost in store.owner_costs(page.recording, page.load)? {
                let fresh = || OwnerRow { owner: cost.owner.clone(), on: vec![None; count], suggested: Vec::new() };
                let row = rows.entry(cost.owner.clone()).or_insert_with(fresh);
                row.on[place] = Some(costs(&cost));
            }
            let overview = store.part(page.recording, page.load, Part::Overview)?;
            let overview = overview.and_then(|part| part.value::<Analysis>().ok());
            page.unexplained_ms = overview.and_then(|o| o.page_made).and_then(|made| made.unexplained_ms);
            let requests = store.part(page.recording, page.load, Part::Requests)?;
            let requests: Vec<RequestRow> =
                requests.map(phainon_store::PackedPart::value).transpose()?.unwrap_or_default();
            for request in &requests {
                files.entry(request.owner.clone()).or_default().insert(request.name.clone());
            }
            unused(store, page.recording, place, &requests, &mut rows)?;
        }
        for (owner, row) in &mut rows {
            let names: Vec<String> = files.remove(owner).unwrap_or_default().into_iter().collect();
            if matches!(owner.kind, OwnerKind::Plugin | OwnerKind::ThirdParty) {
                row.suggested = suggested_purposes(owner, &names).into_iter().map(str::to_owned).collect();
            }
        }
        Ok(Json(OwnersView { pages, rows: rows.into_values().collect(), days }))
    })
    .await
}

fn costs(cost: &OwnerCost) -> Costs {
    Costs {
        requests: cost.requests,
        transferred_bytes: cost.transferred,
        main_thread_ms: cost.main_thread_ms.map(Millis),
        blocking_ms: cost.blocking_ms.map(Millis),
        server_ms: cost.server_ms.map(Millis),
        queries: cost.queries,
        path_ms: cost.path_ms.map(Millis),
        code_bytes: None,
        unused_bytes: None,
    }
}

/// Adds how much of each owner's code a page did not use, where a load looked at that.
#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn unused(
    store: &Store,
    recording: i64,
    place: usize,
    requests: &[RequestRow],
    rows: &mut BTreeMap<Owner, OwnerRow>,
) -> Result<(), Problem> {
    let Some(detail) = store.detail(recording)? else { return Ok(()) };
    for coverage in &detail.coverage {
        let Some(request) = requests.iter().find(|r| *r.url == *coverage.url) else { continue };
        let Some(bytes) = request.unpacked_bytes else { continue };
        let Some(costs) = rows.get_mut(&request.owner).and_then(|row| row.on[place].as_mut()) else { continue };
        let unused = Bytes((bytes.0 as f64 * coverage.unused_share()).round() as u64);
        *costs.code_bytes.get_or_insert_default() += bytes;
        *costs.unused_bytes.get_or_insert_default() += unused;
    }
    Ok(())
}

/// What doing without an owner would bring.
#[derive(Debug, Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerGain {
    pub owner: Owner,
    /// By page, in the order of the pages; nothing where it has no part in one, or its effect is not known.
    pub on: Vec<Option<Vec<Brings>>>,
}

/// An owner with all that is its: files, scripts, and its work on the server.
fn without(owner: &Owner, prepared: &Prepared) -> Vec<Edit> {
    let has_files = prepared.load.requests.iter().any(|r| prepared.owners.request(r.id) == owner);
    let on_server = Edit::ServerRemove { part: ServerPart::Owner { owner: owner.clone() } };
    let off_page = Edit::RemoveOwner { owner: owner.clone() };
    if has_files { vec![off_page, on_server] } else { vec![on_server] }
}

async fn gains(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Query(wanted): Query<Wanted>,
) -> Answer<Json<Vec<OwnerGain>>> {
    check_until(&wanted)?;
    let (pages, _) = fresh(&app, &site, wanted.until).await?;
    let mut gains: BTreeMap<Owner, OwnerGain> = BTreeMap::new();
    let count = pages.len();
    for (place, page) in pages.iter().enumerate() {
        let prepared = rereading::prepared(&app, page.recording, page.load).await?;
        let state = app.clone();
        let (recording, number) = (page.recording, page.load);
        let of_page = apart(move || {
            let body = |hash: &str| state.store.body(hash).ok().flatten();
            let model = Model::of(&prepared);
            let costs = state.store.owner_costs(recording, number)?;
            let wanted =
                costs.into_iter().filter(|c| matches!(c.owner.kind, OwnerKind::Plugin | OwnerKind::ThirdParty));
            let of_owner = |cost: OwnerCost| -> (Owner, Option<Vec<Brings>>) {
                let edits = without(&cost.owner, &prepared);
                let made: Forecast = model.forecast(&edits, &body);
                // Whatever it does nowhere is left out; where all is, nothing is known.
                let known = made.left_out.len() < edits.len();
                (cost.owner, known.then(|| brings(&[made])))
            };
            Ok(wanted.map(of_owner).collect::<Vec<_>>())
        })
        .await?;
        for (owner, found) in of_page {
            let gain = gains.entry(owner.clone()).or_insert_with(|| OwnerGain { owner, on: vec![None; count] });
            gain.on[place] = found;
        }
    }
    Ok(Json(gains.into_values().collect()))
}

async fn rules(Shared(app): Shared<App>, Path(site): Path<String>) -> Answer<Json<Vec<OwnerRule>>> {
    app.with_store(move |store| Ok(Json(store.site_settings(&site)?.unwrap_or_default().owner_rules))).await
}

fn check_rules(rules: &[OwnerRule]) -> Result<(), Problem> {
    if rules.len() > MOST_RULES {
        return Err(Problem::bad(format!("A site has at most {MOST_RULES} rules.")));
    }
    for rule in rules {
        if rule.pattern.trim().is_empty() {
            return Err(Problem::bad("A rule without a pattern would fit nothing."));
        }
        if rule.owner.name.trim().is_empty() {
            return Err(Problem::bad("A rule has to say whose what it fits is."));
        }
        if rule.pattern.len() > 500 || rule.owner.name.len() > 200 {
            return Err(Problem::bad("A pattern has at most 500 characters, a name 200."));
        }
        if rule.owner.kind == OwnerKind::Browser {
            return Err(Problem::bad("What is the browser's is for no rule to say."));
        }
    }
    Ok(())
}

/// Sets a site's rules; everything that was computed of it is computed anew.
async fn set_rules(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(rules): Json<Vec<OwnerRule>>,
) -> Answer<StatusCode> {
    check_rules(&rules)?;
    let state = app.clone();
    apart(move || {
        let own = state.store.site_settings(&site)?.unwrap_or_default();
        state.set_settings_of(&site, &Settings { owner_rules: rules, ..own })
    })
    .await?;
    rereading::catch_up(&app).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What a rule would fit.
#[derive(Debug, Clone, Default, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct RuleMatches {
    /// How many addresses, queries or spans.
    pub count: u32,
    /// Some of them.
    pub some: Vec<RuleMatch>,
}

/// One thing that a rule would fit.
#[derive(Debug, Clone, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct RuleMatch {
    pub text: String,
    /// Whose it is now.
    pub now: Owner,
}

/// Tries rules on what was recorded of a site: of each what it would be the first to fit.
async fn try_rules(
    Shared(app): Shared<App>,
    Path(site): Path<String>,
    Json(rules): Json<Vec<OwnerRule>>,
) -> Answer<Json<Vec<RuleMatches>>> {
    if rules.len() > MOST_RULES {
        return Err(Problem::bad(format!("A site has at most {MOST_RULES} rules.")));
    }
    let (pages, _) = fresh(&app, &site, None).await?;
    apart(move || {
        // By what it is, so that what stands on several pages counts once.
        let mut addresses: BTreeMap<String, Owner> = BTreeMap::new();
        let mut queries: BTreeMap<String, Owner> = BTreeMap::new();
        let mut functions: BTreeMap<String, Owner> = BTreeMap::new();
        for page in pages {
            let requests = app.store.part(page.recording, page.load, Part::Requests)?;
            let requests: Vec<RequestRow> =
                requests.map(phainon_store::PackedPart::value).transpose()?.unwrap_or_default();
            for request in requests {
                let bare = request.url.split_once("://").map_or(&*request.url, |(_, rest)| rest).to_owned();
                addresses.insert(bare, request.owner);
            }
            let answers = app.store.part(page.recording, page.load, Part::Server)?;
            let answers: Vec<ServerAnswer> =
                answers.map(phainon_store::PackedPart::value).transpose()?.unwrap_or_default();
            for answer in answers {
                for query in answer.queries {
                    queries.insert(query.text, query.owners.into_iter().next().unwrap_or_else(Owner::page));
                }
                for span in answer.spans.into_iter().filter(|s| s.query.is_none()) {
                    let text = span.function.or(span.file).unwrap_or(span.name);
                    functions.insert(text, span.owner);
                }
            }
        }
        let mut found = vec![RuleMatches::default(); rules.len()];
        for (on, texts) in [(RuleOn::Address, addresses), (RuleOn::Query, queries), (RuleOn::Function, functions)] {
            for (text, now) in texts {
                let first = rules.iter().position(|rule| rule.fits(on, &text));
                if let Some(matches) = first.and_then(|first| found.get_mut(first)) {
                    matches.count += 1;
                    if matches.some.len() < MOST_MATCHES {
                        matches.some.push(RuleMatch { text, now });
                    }
                }
            }
        }
        Ok(Json(found))
    })
    .await
}
