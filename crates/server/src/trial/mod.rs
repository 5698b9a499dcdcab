//! Trials: a recorded load really loaded again from its kept responses, with edits and without.

mod outcome;
mod result;

pub use outcome::{Outcome, Printed, SeenLoad, seen_of};
pub use result::{SaidCompared, SaidResult, TrialResult};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use phainon_core::metrics::Coverage;
use phainon_core::words::edit_title;
use phainon_core::{Bodies, Conditions, Edit, Load, Prepared, Settings};
use phainon_formats::{BodyMap, Detail, Machine, RawLoad};
use phainon_recorder::{Keep, Part, Progress, RecordRequest, Recording, Sealed, Step, record};
use phainon_replay::{Book, Replay, Shortfall, Told, edits, sameness};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use tokio::sync::mpsc;
use ts_rs::TS;

/// What is to be tried of a load, as it is kept.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Wanted {
    /// In the order in which they are applied.
    pub edits: Vec<Edit>,
    /// Files of the user's own, applied after the edits.
    #[serde(default)]
    pub by_hand: Vec<HandMade>,
    /// How many loads.
    pub loads: usize,
    /// Whether loads are added until the verdicts stand.
    #[serde(default)]
    pub until_sure: bool,
    /// Whether each load is followed by a return visit.
    #[serde(default)]
    pub return_visits: bool,
    /// A preset, where the load does not tell its conditions.
    #[serde(default)]
    pub preset: Option<String>,
}

/// A file of the user's own in the place of one that was recorded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct HandMade {
    /// Whose place it takes.
    pub url: String,
    /// What it says, or else its bytes in base64.
    pub text: Option<String>,
    /// Where it is no text.
    #[serde(default)]
    #[ts(optional = nullable)]
    pub base64: Option<String>,
}

impl HandMade {
    fn bytes(&self) -> Result<Vec<u8>, String> {
        match (&self.text, &self.base64) {
            (Some(text), _) => Ok(text.clone().into_bytes()),
            (None, Some(base64)) => STANDARD.decode(base64).map_err(|e| format!("The file could not be read: {e}.")),
            (None, None) => Err("The file is not there.".to_owned()),
        }
    }
}

/// An edit that cannot be tried.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refused {
    /// Which, in words.
    pub edit: String,
    /// Why, in one sentence.
    pub why: String,
}

impl Refused {
    /// Both together.
    #[must_use]
    pub fn sentence(&self) -> String {
        format!("“{}” cannot be tried. {}", self.edit, self.why)
    }
}

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
    /// From a load, with its return visit where there is one, and its bodies; or why it cannot be replayed, in one sentence.
    pub fn of(
        load: Arc<Load>,
        again: Option<&Load>,
        bodies: &dyn Bodies,
        detail: Option<&Detail>,
        settings: Arc<Settings>,
        otherwise: Option<Conditions>,
    ) -> Result<Self, String> {
        let mut book = Book::of(&load, bodies).map_err(|e| e.to_string())?;
        if let Some(again) = again {
            book.add_return(again, bodies);
        }
        let conditions = load.conditions.clone().or(otherwise);
        let conditions = conditions
            .ok_or("This load does not tell under which conditions it was made; choose those of the trial.")?;
        let coverage = detail.map(|d| d.coverage.clone()).unwrap_or_default();
        Ok(Self { prepared: Prepared::new(load, settings), book, coverage, conditions })
    }

    /// The responses with edits applied, in their order, and what their user should know of how that was done.
    pub fn with(&self, wanted: &[Edit], by_hand: &[HandMade]) -> Result<(Book, Vec<String>), Refused> {
        let mut book = self.book.clone();
        let known = edits::Known { prepared: &self.prepared, coverage: &self.coverage };
        let mut told = Vec::new();
        for edit in wanted {
            match edits::apply(edit, &mut book, &known) {
                Ok(said) => told.extend(said),
                // What could be done alone has been done by an edit before it.
                Err(_) if wanted.len() > 1 && edits::apply(edit, &mut self.book.clone(), &known).is_ok() => {
                    told.push(format!("“{}” is done by another of the edits already.", edit_title(edit)));
                }
                Err(why) => return Err(Refused { edit: edit_title(edit), why: why.to_string() }),
            }
        }
        for file in by_hand {
            let refused = |why: String| Refused { edit: file.url.clone(), why };
            let bytes = file.bytes().map_err(refused)?;
            edits::by_hand::replace(&mut book, &file.url, &bytes).map_err(|why| refused(why.to_string()))?;
        }
        Ok((book, told))
    }

    /// How it is loaded again.
    #[must_use]
    pub fn course(&self, loads: usize, return_visits: bool, browser: Option<String>) -> Course {
        let steps = Step::parse_all(&self.prepared.load.steps.join("\n")).unwrap_or_default();
        Course { conditions: self.conditions.clone(), loads, return_visits, steps, browser }
    }

    /// What a replay cannot give as it was, in words.
    #[must_use]
    pub fn shortfalls(&self) -> Vec<String> {
        self.book.shortfalls.iter().map(Shortfall::sentence).collect()
    }
}

/// How a book is loaded again.
#[derive(Debug, Clone)]
pub struct Course {
    /// The link and the device.
    pub conditions: Conditions,
    /// How many times.
    pub loads: usize,
    /// Whether each load is followed by a return visit.
    pub return_visits: bool,
    /// What the scripted user does, as it was done in the recorded load.
    pub steps: Vec<Step>,
    /// The browser to use instead of the one installed.
    pub browser: Option<String>,
}

/// What to record from a running replay.
#[must_use]
pub fn request_of(replay: &Replay, course: &Course) -> RecordRequest {
    let book = replay.book();
    let mut request = RecordRequest::new(&book.page, course.conditions.clone(), course.loads);
    request.browser.clone_from(&course.browser);
    request.return_visits = course.return_visits;
    request.steps.clone_from(&course.steps);
    request.trusted_key = Some(replay.key_hash().to_owned());
    request.sealed = Some(Sealed {
        server: replay.address(),
        round_trips: book.round_trips.clone(),
        before: sameness(book.started_at.as_deref()),
        not_asked: book.taken_off.iter().cloned().collect(),
        refused: book.refused.iter().cloned().collect(),
    });
    request
}

/// Loads that were made from a book.
pub struct Made {
    /// What was recorded.
    pub recording: Recording,
    /// What was served.
    pub book: Book,
    /// How requests were answered, load by load.
    pub told: Vec<Told>,
}

impl Made {
    /// With loads that were made later.
    pub fn add(&mut self, more: Self) {
        let before = self.recording.loads.len();
        self.recording.loads.extend(
            more.recording
                .loads
                .into_iter()
                .enumerate()
                .map(|(n, load)| RawLoad { name: format!("load {}", before + n + 1), ..load }),
        );
        self.recording.bodies.extend(more.recording.bodies);
        self.told.extend(more.told);
    }
}

/// Loads a book behind the conditions' link. Dropping the future ends the browser.
pub async fn load_again(
    book: Book,
    course: &Course,
    progress: mpsc::UnboundedSender<Progress>,
) -> Result<Made, String> {
    let replay = Replay::start(book).await.map_err(|e| format!("the replay could not be served: {e}"))?;
    let request = request_of(&replay, course);
    let about = request.about().map_err(|e| e.to_string())?;
    let recording =
        Recording { about, loads: Vec::new(), bodies: BodyMap::new(), machine: Machine::default(), detail: None };
    let mut keeper = Keeper { recording, replay: &replay, told: Vec::new() };
    record(&request, progress, &mut keeper).await.map_err(|e| e.to_string())?;
    let Keeper { recording, told, .. } = keeper;
    Ok(Made { recording, book: replay.book().clone(), told })
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
