//! `phainon trial`.

use super::out::Output;
use super::{BAD, FINE, conditions_of, memory_size, opened_files, show_progress, texts, write_recording};
use crate::reading::{RecordingReading, read_loads};
use crate::signals::told_to_end;
use crate::trial::{Base, Made, Outcome, Printed, SeenLoad, load_again, seen_of};
use crate::trial_rounds::ROUND;
use clap::Args;
use phainon_core::compare::{Compared, Verdict, loads_wanted};
use phainon_core::{Edit, Load, Settings, Visit};
use phainon_formats::{MemoryBudget, Opened, open_together};
use phainon_replay::{Book, Broken};
use std::path::PathBuf;
use std::sync::Arc;

#[derive(Args)]
pub struct TrialArguments {
    /// Recording archive or HAR with bodies.
    #[arg(required = true, num_args = 1..=2)]
    file: Vec<PathBuf>,
    /// A fix, as KIND:TARGET[=VALUE], such as `defer_script:slider.js`; several combine. `none` is the
    /// plain replay, held against the recording itself.
    #[arg(long, required = true)]
    edit: Vec<String>,
    /// How many loads of each, 1 to 20; four are the fewest that can tell.
    #[arg(long, default_value_t = 5, value_parser = clap::value_parser!(u8).range(1..=20))]
    loads: u8,
    /// Adds loads of each until the verdicts stand, or there are twenty.
    #[arg(long)]
    until_sure: bool,
    /// Follows each load by a return visit, with the cache that it left.
    #[arg(long)]
    return_visits: bool,
    /// Which load of the file, from 1; without it, the one that stands for the recording.
    #[arg(long)]
    load: Option<usize>,
    /// Under which conditions, where the file does not tell; as `record` takes them.
    #[arg(long)]
    conditions: Option<String>,
    /// Where to write the trial's recording.
    #[arg(long, short)]
    out: Option<PathBuf>,
    /// Print everything as JSON.
    #[arg(long)]
    json: bool,
    /// The browser to use.
    #[arg(long)]
    browser: Option<String>,
    /// How much memory reading a file may take, such as 500MB or 2GB.
    #[arg(long, default_value = "1GB", value_parser = memory_size)]
    import_memory: u64,
}

/// Loads so many times, with progress on a terminal.
async fn made(base: &Base, book: Book, given: &TrialArguments, loads: usize) -> Result<Made, String> {
    let (sender, receiver) = tokio::sync::mpsc::unbounded_channel();
    let shown = tokio::spawn(show_progress(receiver));
    let course = base.course(loads, given.return_visits, given.browser.clone());
    let made = tokio::select! {
        made = load_again(book, &course, sender) => made,
        () = told_to_end() => Err("interrupted; nothing was written.".into()),
    }?;
    let _ = shown.await;
    Ok(made)
}

/// First and return visits, as far as comparing goes.
type Visits = (Vec<SeenLoad>, Vec<SeenLoad>);

fn seen(made: &Made, settings: &Arc<Settings>) -> Result<Visits, String> {
    let (loads, bodies) = (made.recording.loads.clone(), &made.recording.bodies);
    let read = read_loads(loads, bodies, settings, None).map_err(|e| e.to_string())?;
    Ok((seen_of(&read.loads, Visit::First), seen_of(&read.loads, Visit::Return)))
}

pub async fn try_edits(given: TrialArguments) -> Result<u8, String> {
    let out = match &given.out {
        Some(path) => Some((Output::at(path).map_err(|e| format!("{} cannot be written: {e}", path.display()))?, path)),
        None => None,
    };
    let otherwise = given.conditions.as_deref().map(conditions_of).transpose()?;
    let opened = open_together(opened_files(&given.file)?, &MemoryBudget::new(given.import_memory));
    let mut opened = opened.map_err(|e| e.to_string())?;
    if opened.len() > 1 {
        return Err("a trial is of one recording.".into());
    }
    let Opened { loads, bodies, detail, .. } = opened.swap_remove(0);
    let settings: Arc<Settings> = Arc::default();
    let read = read_loads(loads, &bodies, &settings, detail.as_ref()).map_err(|e| e.to_string())?;
    let place = match given.load {
        Some(number) => number
            .checked_sub(1)
            .filter(|n| *n < read.loads.len())
            .ok_or_else(|| format!("there is no load {number}; the file holds {}.", read.loads.len()))?,
        None => read.representative().ok_or("no load of the file can be replayed.")?.0,
    };
    let load = read.loads[place].reading.as_ref().ok_or("that load failed and has no data.")?.load.clone();
    let body = |hash: &str| bodies.get(hash).cloned();
    let untold = load.conditions.is_none();
    let again = returned_to(&read, place);
    let base = Base::of(load, again.as_deref(), &body, detail.as_ref(), settings.clone(), otherwise)?;
    let plain = given.edit.iter().all(|e| e == "none");
    let edits: Vec<Edit> =
        given.edit.iter().filter(|e| *e != "none").map(|e| Edit::parse(e, &base.prepared)).collect::<Result<_, _>>()?;
    let (book, told) = base.with(&edits, &[]).map_err(|refused| refused.sentence())?;
    let mut differs = Vec::new();
    if untold {
        differs.push(format!("The file does not tell its conditions; both were loaded as {}.", base.conditions.name));
    }
    let words: Vec<String> = edits.iter().map(phainon_core::words::edit_title).collect();
    let mut loads = usize::from(given.loads);
    let mut replay = made(&base, base.book.clone(), &given, loads).await?;
    let (outcome, against, last) = if plain {
        let original = (seen_of(&read.loads, Visit::First), seen_of(&read.loads, Visit::Return));
        let replayed = seen(&replay, &settings)?;
        let outcome = Outcome::of(&original.0, &replayed.0, &replay.book, &[], &replay.told, differs);
        (outcome.with_returns(&original.1, &replayed.1), "recording", replay)
    } else {
        let mut tried = made(&base, book.clone(), &given, loads).await?;
        loop {
            let (a, b) = (seen(&replay, &settings)?, seen(&tried, &settings)?);
            let outcome = Outcome::of(&a.0, &b.0, &tried.book, &edits, &tried.told, differs.clone());
            let outcome = outcome.with_returns(&a.1, &b.1);
            let wanted = loads_wanted(&outcome.compared).map_or(0, |n| n as usize).min(loads + ROUND);
            if !given.until_sure || wanted <= loads {
                break (outcome, "replay", tried);
            }
            replay.add(made(&base, base.book.clone(), &given, wanted - loads).await?);
            tried.add(made(&base, book.clone(), &given, wanted - loads).await?);
            loads = wanted;
        }
    };
    if given.json {
        let printed = Printed::of(&outcome, words.clone(), against, last.recording.loads.len(), &last.book, told);
        let text = serde_json::to_string_pretty(&printed).map_err(|e| e.to_string())?;
        texts::print(&format!("{text}\n"))?;
    } else {
        texts::print(&said(&outcome, &words, against, &last, &base, &told))?;
    }
    let nothing = outcome.compared.is_empty();
    if let Some((file, path)) = out {
        let page = words.first().cloned();
        write_recording(last.recording, page, &[], crate::keep::now(), file, path)?;
    }
    Ok(if nothing { BAD } else { FINE })
}

/// The return visit after a load of a file.
fn returned_to(read: &RecordingReading, place: usize) -> Option<Arc<Load>> {
    let first = read.loads[place].raw.visit == Visit::First;
    let next = read.loads.get(place + 1).filter(|l| first && l.raw.visit == Visit::Return)?;
    Some(next.reading.as_ref()?.load.clone())
}

fn said(outcome: &Outcome, edits: &[String], against: &str, made: &Made, base: &Base, told: &[String]) -> String {
    let mut text = String::new();
    let mut line = |words: String| {
        text.push_str(&words);
        text.push('\n');
    };
    for edit in edits {
        line(edit.clone());
    }
    for note in told {
        line(format!("  {note}"));
    }
    line(format!("{} loads, against the {against}", made.recording.loads.len()));
    let visits = outcome.compared.iter().map(|c| (c, "")).chain(outcome.returning.iter().map(|c| (c, "again")));
    for (c, visit) in visits {
        line(format!(
            "  {:<12} {:<5} {:>10} → {:>10}  {:>12}  {}",
            texts::named(c.metric),
            visit,
            texts::figure(c.metric, c.a),
            texts::figure(c.metric, c.b),
            texts::interval(c),
            verdict(outcome, c),
        ));
    }
    let a = outcome.answered;
    line(format!("Requests answered exactly {}, nearly {}, not at all {}", a.exactly, a.nearly, a.not));
    for (url, times) in outcome.unknown.iter().take(10) {
        line(format!("  nothing was kept for {url} ({times} times)"));
    }
    for sentence in base.shortfalls().iter().chain(&outcome.differs) {
        line(sentence.clone());
    }
    for broken in &outcome.broken {
        line(format!("Broken: {}", Broken::sentence(broken)));
    }
    text
}

fn verdict(outcome: &Outcome, c: &Compared) -> String {
    match outcome.verdict(c) {
        Verdict::CannotTell if c.verdict == Verdict::Better => "lower, but the page is broken".into(),
        verdict => texts::verdict(verdict, c.loads_needed),
    }
}
