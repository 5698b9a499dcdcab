//! Trials: a recorded load really loaded again from its kept responses, with edits and without.

mod outcome;

pub use outcome::{Outcome, Printed};

use crate::reading::{LoadReading, read_loads};
use phainon_core::metrics::{Coverage, Metrics};
use phainon_core::{Bodies, Conditions, Edit, Load, Prepared, Settings};
use phainon_formats::{BodyMap, Detail, Machine, RawLoad};
use phainon_recorder::{Keep, Part, Progress, RecordRequest, Recording, Sealed, record};
use phainon_replay::{Answered, Book, Replay, Shortfall, Told, edits, sameness};
use std::collections::BTreeMap;
use std::sync::Arc;
use tokio::sync::mpsc;

/// The load that a trial starts from.
pub struct Base {
    /// The load, with its owners.
    pub prepared: Prepared,
    /// Its responses.
    pub book: Book,
    /// What the page used of its code.
    pub coverage: Vec<Coverage>,
    /// What it is loaded under: as it was recorded, or as the user chose where that is not known.
    pub conditions: Conditions,
}

impl Base {
    /// From a load and its bodies; or why it cannot be replayed, in one sentence.
    pub fn of(
        load: Arc<Load>,
        bodies: &dyn Bodies,
        detail: Option<&Detail>,
        settings: Arc<Settings>,
        otherwise: Option<Conditions>,
    ) -> Result<Self, String> {
        let book = Book::of(&load, bodies).map_err(|e| e.to_string())?;
        let conditions = load.conditions.clone().or(otherwise);
        let conditions = conditions
            .ok_or("This load does not tell under which conditions it was made; choose those of the trial.")?;
        let coverage = detail.map(|d| d.coverage.clone()).unwrap_or_default();
        Ok(Self { prepared: Prepared::new(load, settings), book, coverage, conditions })
    }

    /// The responses with edits applied, in their order, and what their user should know of how that was done.
    pub fn with(&self, wanted: &[Edit]) -> Result<(Book, Vec<String>), String> {
        let mut book = self.book.clone();
        let known = edits::Known { prepared: &self.prepared, coverage: &self.coverage };
        let mut told = Vec::new();
        for edit in wanted {
            let said = edits::apply(edit, &mut book, &known);
            told.extend(said.map_err(|why| format!("{}: {why}", phainon_core::words::edit_title(edit)))?);
        }
        Ok((book, told))
    }
}

/// Loads that were made from a book.
pub struct Made {
    /// What was recorded.
    pub recording: Recording,
    /// What was served.
    pub book: Book,
    /// How requests were answered, over all loads.
    pub answered: Answered,
    /// Addresses for which there was nothing, with how often each was asked for.
    pub unknown: BTreeMap<String, u32>,
}

/// A recording, read: what comparing needs of it.
pub struct Read {
    /// Its loads.
    pub loads: Vec<LoadReading>,
}

impl Read {
    /// Reads raw loads with their bodies.
    pub fn of(loads: Vec<RawLoad>, bodies: &BodyMap, settings: &Arc<Settings>) -> Result<Self, String> {
        let loads = read_loads(loads, bodies, settings, false).map_err(|e| e.to_string())?.loads;
        Ok(Self { loads })
    }

    /// Figures of the first visits that count.
    #[must_use]
    pub fn metrics(&self) -> Vec<&Metrics> {
        let first = self.loads.iter().filter(|l| l.failed.is_none() && l.raw.visit == phainon_core::Visit::First);
        first.filter_map(LoadReading::analysis).map(|a| &a.metrics).collect()
    }
}

/// Loads a book so many times behind the conditions' link. Dropping the future ends the browser.
pub async fn load_again(
    book: Book,
    conditions: &Conditions,
    loads: usize,
    browser: Option<String>,
    progress: mpsc::UnboundedSender<Progress>,
) -> Result<Made, String> {
    let replay = Replay::start(book).await.map_err(|e| format!("the replay could not be served: {e}"))?;
    let book = replay.book();
    let mut request = RecordRequest::new(&book.page, conditions.clone(), loads);
    request.browser = browser;
    request.trusted_key = Some(replay.key_hash().to_owned());
    request.sealed = Some(Sealed {
        server: replay.address(),
        round_trips: book.round_trips.clone(),
        before: sameness(book.started_at.as_deref()),
        not_asked: book.taken_off.iter().cloned().collect(),
        refused: book.refused.iter().cloned().collect(),
    });
    let about = request.about().map_err(|e| e.to_string())?;
    let recording =
        Recording { about, loads: Vec::new(), bodies: BodyMap::new(), machine: Machine::default(), detail: None };
    let mut keeper = Keeper { recording, replay: &replay, told: Vec::new() };
    record(&request, progress, &mut keeper).await.map_err(|e| e.to_string())?;
    let Keeper { recording, told, .. } = keeper;
    let mut unknown: BTreeMap<String, u32> = BTreeMap::new();
    for (url, times) in told.iter().flat_map(|t| &t.unknown) {
        *unknown.entry(url.clone()).or_default() += times;
    }
    let answered = told.iter().fold(Answered::default(), |sum, t| sum.and(t.answered));
    Ok(Made { recording, book: replay.book().clone(), answered, unknown })
}

/// Keeps loads, and has the replay begin anew with each.
struct Keeper<'a> {
    recording: Recording,
    replay: &'a Replay,
    told: Vec<Told>,
}

impl Keep for Keeper<'_> {
    async fn keep(&mut self, part: Part) {
        if matches!(part, Part::Load(_)) {
            self.told.push(self.replay.next_load());
        }
        self.recording.keep(part).await;
    }
}

/// What a replay cannot give as it was, in words.
#[must_use]
pub fn shortfalls(book: &Book) -> Vec<String> {
    book.shortfalls.iter().map(Shortfall::sentence).collect()
}
