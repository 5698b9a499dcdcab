//! The part of the API about profiles of servers.

use crate::error::Problem;
use crate::import::{LIGHT, Left, fresh_file, no_room};
use crate::state::{State, apart};
use axum::body::Body;
use axum::extract::{DefaultBodyLimit, Path, Query, State as Shared};
use axum::http::StatusCode;
use axum::routing::{get, post, put};
use axum::{Json, Router};
use chrono::{DateTime, TimeDelta, Utc};
use futures::StreamExt;
use phainon_core::call_profile::{Neighbours, ProfileReading};
use phainon_core::{Analysis, Owners};
use phainon_formats::{MemoryBudget, callgrind};
use phainon_store::{LoadOf, NewProfile, PackedProfile, Part, ProfileHead, RecordingHead, Store};
use serde::Deserialize;
use std::io::Seek;
use std::sync::Arc;
use tokio::io::AsyncWriteExt;

type App = Arc<State>;
type Answer<T> = Result<T, Problem>;

/// A file may be this large on the line.
const LARGEST: u64 = 512 << 20;
/// Profilers write their file when the answer was made; so long after a load it may still be that load's.
const AFTER: TimeDelta = TimeDelta::seconds(2);

/// The routes of this part.
pub fn router() -> Router<App> {
    Router::new()
        .route("/recordings/{id}/profiles", get(of_page))
        .route("/recordings/{id}/profiles", post(receive).layer(DefaultBodyLimit::disable()))
        .route("/profiles/{id}", get(reading).delete(drop_profile))
        .route("/profiles/{id}/of", put(give_to))
        .route("/profiles/{id}/functions/{function}", get(neighbours))
}

async fn of_page(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<Json<Vec<ProfileHead>>> {
    app.with_store(move |store| {
        let head = store.recording(id)?;
        Ok(Json(store.profiles_of_page(&head.site, &head.url)?))
    })
    .await
}

/// What is told beside a file.
#[derive(Deserialize)]
struct Sent {
    name: String,
    /// When it was written (RFC 3339).
    written: Option<String>,
}

/// The load of a recording during which a moment lies.
fn load_at(store: &Store, head: &RecordingHead, at: DateTime<Utc>) -> Result<Option<LoadOf>, Problem> {
    let mut found: Option<(DateTime<Utc>, u32)> = None;
    for load in head.loads.iter().filter(|l| l.has_data) {
        let Some(part) = store.part(head.id, load.number, Part::Overview)? else { continue };
        let Ok(overview) = part.value::<Analysis>() else { continue };
        let began = overview.started_at.as_deref().and_then(|text| DateTime::parse_from_rfc3339(text).ok());
        let Some(began) = began.map(|began| began.with_timezone(&Utc)) else { continue };
        #[allow(clippy::cast_possible_truncation)]
        let lasted = TimeDelta::milliseconds(overview.end_ms.0.clamp(0.0, 3_600_000.0) as i64);
        if began <= at && at <= began + lasted + AFTER && found.is_none_or(|(before, _)| before < began) {
            found = Some((began, load.number));
        }
    }
    Ok(found.map(|(_, load)| LoadOf { recording: head.id, load }))
}

/// Takes a profile for a page, plain or gzip: of the load during which it was written, or of the page as a whole.
async fn receive(
    Shared(app): Shared<App>,
    Path(id): Path<i64>,
    Query(sent): Query<Sent>,
    body: Body,
) -> Answer<Json<ProfileHead>> {
    let name: String = sent.name.chars().take(200).collect();
    let head = app.with_store(move |store| Ok(store.recording(id)?)).await?;
    let mut writing = fresh_file(&app).await?;
    let mut parts = body.into_data_stream();
    let mut size = 0u64;
    while let Some(part) = parts.next().await {
        let part = part.map_err(|_| Problem::bad("The file did not come whole; nothing of it was kept."))?;
        size += part.len() as u64;
        if size > LARGEST {
            let why = format!("{name} is larger than {} MB; packed with gzip it may come through.", LARGEST >> 20);
            return Err(Problem::new(StatusCode::PAYLOAD_TOO_LARGE, why));
        }
        writing.write_all(&part).await.map_err(no_room)?;
    }
    writing.flush().await.map_err(no_room)?;
    let mut file = writing.into_std().await;
    let quiet = if size > LIGHT { Some(app.quiet().await) } else { None };
    let alone = app.importing.clone().lock_owned().await;
    let state = app.clone();
    let left = Left::default();
    let stop = left.0.clone();
    apart(move || {
        // Held until the work ends, whoever waits for it.
        let _held = (quiet, alone);
        file.rewind().map_err(no_room)?;
        let budget = MemoryBudget::new(state.import_memory).within(state.import_time).unless(stop);
        let packed = PackedProfile::of(&callgrind::read(file, &name, &budget)?)?;
        let written = sent.written.as_deref().and_then(|text| DateTime::parse_from_rfc3339(text).ok());
        let of = match written {
            Some(written) => load_at(&state.store, &head, written.with_timezone(&Utc))?,
            None => None,
        };
        let written_at = written.map(|at| at.with_timezone(&Utc).to_rfc3339());
        let new = NewProfile { site: &head.site, url: &head.url, of, file: &name, written_at: written_at.as_deref() };
        let id = state.store.keep_profile(&new, &packed)?;
        Ok(Json(state.store.profile_head(id)?))
    })
    .await
}

/// Which of its measures.
#[derive(Deserialize)]
struct Wanted {
    #[serde(default)]
    measure: usize,
}

fn owners_of(app: &State, id: i64) -> Result<Owners, Problem> {
    let site = app.store.profile_head(id)?.site;
    Ok(Owners::by_rules(&app.settings_of(&site)?.owner_rules))
}

async fn reading(
    Shared(app): Shared<App>,
    Path(id): Path<i64>,
    Query(wanted): Query<Wanted>,
) -> Answer<Json<ProfileReading>> {
    apart(move || {
        let owners = owners_of(&app, id)?;
        Ok(Json(app.store.profile(id)?.reading(&owners, wanted.measure)))
    })
    .await
}

async fn neighbours(
    Shared(app): Shared<App>,
    Path((id, function)): Path<(i64, u32)>,
    Query(wanted): Query<Wanted>,
) -> Answer<Json<Neighbours>> {
    apart(move || {
        let owners = owners_of(&app, id)?;
        let found = app.store.profile(id)?.neighbours(&owners, wanted.measure, function);
        found.map(Json).ok_or_else(|| Problem::new(StatusCode::NOT_FOUND, "The profile has no such function."))
    })
    .await
}

/// Gives a profile to a load of its page, or (with `null`) to the page as a whole.
async fn give_to(
    Shared(app): Shared<App>,
    Path(id): Path<i64>,
    Json(of): Json<Option<LoadOf>>,
) -> Answer<Json<ProfileHead>> {
    app.with_store(move |store| {
        let head = store.profile_head(id)?;
        if let Some(of) = of {
            let other = store.recording(of.recording)?;
            if (&other.site, &other.url) != (&head.site, &head.url) {
                return Err(Problem::bad("That load is of another page."));
            }
        }
        store.give_profile_to(id, of)?;
        Ok(Json(store.profile_head(id)?))
    })
    .await
}

async fn drop_profile(Shared(app): Shared<App>, Path(id): Path<i64>) -> Answer<StatusCode> {
    app.with_store(move |store| Ok(store.drop_profile(id)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}
