//! Files that somebody sends: put down as they come, read, and kept.

use crate::error::Problem;
use crate::keep::Ready;
use crate::state::{State, apart};
use axum::Json;
use axum::extract::{Multipart, State as Shared};
use axum::http::StatusCode;
use flate2::read::MultiGzDecoder;
use phainon_formats::otlp::{Coding, batches, is_json};
use phainon_formats::{MemoryBudget, Opened, RawLoad, open_together};
use phainon_store::PackedBatch;
use serde::Serialize;
use std::collections::BTreeSet;
use std::io::{Read, Seek, SeekFrom};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use tokio::io::AsyncWriteExt;
use ts_rs::TS;

/// Files smaller than this are read at once, even while a page is being recorded.
pub(crate) const LIGHT: u64 = 2 << 20;
/// All files of one import together may be this large.
pub const LARGEST: usize = 1 << 30;
/// More files are not taken at once.
const MOST_FILES: usize = 20;
/// More pages of HARs are not kept at once: each becomes a recording of its own.
const MOST_PAGES: usize = 20;

/// What became of files.
#[derive(Debug, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Imported {
    /// The recordings that they became, in order.
    #[ts(type = "number[]")]
    pub ids: Vec<i64>,
    /// Where they hold more pages than are kept at once: all of them, to choose from. Nothing was kept then.
    pub pages: Vec<FilePage>,
    /// The traces that files of spans told of; they are among the server records.
    pub traces: Vec<String>,
}

/// A page of a file, of which there are many.
#[derive(Debug, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct FilePage {
    /// What it is chosen by: its place among the pages of all files, from 1.
    pub number: usize,
    /// The address that its first request asked for.
    pub url: String,
    /// Its title, where the file tells one.
    pub title: Option<String>,
    /// How many loads of it there are.
    pub loads: usize,
    /// How many requests the first of them made.
    pub requests: usize,
}

impl FilePage {
    fn of(number: usize, loads: &[RawLoad]) -> Self {
        let first = loads.first();
        let url = first.and_then(RawLoad::first_address).map(ToString::to_string).unwrap_or_default();
        Self {
            number,
            title: first.and_then(|load| load.har_page.title.clone()).filter(|title| *title != url),
            url,
            loads: loads.len(),
            requests: first.and_then(|load| load.requests.as_ref()).map_or(0, Vec::len),
        }
    }
}

/// Leaves of many pages those that were chosen; gives all of them where too many are there and none were.
fn choose(opened: &mut Vec<Opened>, chosen: Option<&BTreeSet<usize>>) -> Result<Vec<FilePage>, Problem> {
    if let Some(chosen) = chosen.filter(|chosen| chosen.len() > MOST_PAGES || chosen.is_empty()) {
        return Err(Problem::bad(format!("1 to {MOST_PAGES} pages can be kept at once, not {}.", chosen.len())));
    }
    let mut pages: Vec<FilePage> = Vec::new();
    for file in opened.iter_mut() {
        let mut loads = Vec::new();
        for page in file.take_pages() {
            let number = pages.len() + 1;
            pages.push(FilePage::of(number, &page));
            if chosen.is_none_or(|chosen| chosen.contains(&number)) {
                loads.extend(page);
            }
        }
        file.loads = loads;
    }
    // A file of which nothing was chosen is no recording.
    opened.retain(|file| !file.loads.is_empty());
    match chosen {
        None if pages.len() > MOST_PAGES => Ok(pages),
        None => Ok(Vec::new()),
        Some(chosen) => match chosen.iter().find(|number| **number == 0 || **number > pages.len()) {
            Some(number) => Err(Problem::bad(format!("There is no page {number}; there are {}.", pages.len()))),
            None => Ok(Vec::new()),
        },
    }
}

/// Tells work that may take long that nobody waits for it any more.
#[derive(Default)]
pub(crate) struct Left(pub Arc<AtomicBool>);

impl Drop for Left {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// Reads files that somebody has and keeps them, all or nothing. Where they hold more pages than are kept at
/// once, and none were chosen, nothing is kept and the pages are told.
pub async fn read_and_keep<R: Read + Seek + Send + 'static>(
    app: &Arc<State>,
    mut files: Vec<(R, String)>,
    chosen: Option<BTreeSet<usize>>,
) -> Result<Imported, Problem> {
    let heavy = files.iter_mut().filter_map(|(file, _)| file.seek(SeekFrom::End(0)).ok()).sum::<u64>() > LIGHT;
    let quiet = if heavy { Some(app.quiet().await) } else { None };
    // One at a time: each may take all of the memory that an import may take.
    let alone = app.importing.clone().lock_owned().await;
    let state = app.clone();
    let left = Left::default();
    let stop = left.0.clone();
    apart(move || {
        // Held until the work ends, whoever waits for it.
        let _held = (quiet, alone);
        let budget = MemoryBudget::new(state.import_memory).within(state.import_time).unless(stop.clone());
        let mut opened = open_together(files, &budget)?;
        let pages = choose(&mut opened, chosen.as_ref())?;
        if !pages.is_empty() {
            return Ok(Imported { ids: Vec::new(), pages, traces: Vec::new() });
        }
        let ready = opened.into_iter().map(|o| Ready::of(o, &state.settings, &stop)).collect::<Result<Vec<_>, _>>()?;
        Ok(Imported { ids: Ready::keep(&ready, &state.store)?, pages, traces: Vec::new() })
    })
    .await
}

/// A file of spans may be this large, unpacked.
const LARGEST_SPANS: u64 = 256 << 20;

/// Keeps those of some files that hold spans (OTLP JSON, plain or gzip), and takes them out; gives their traces.
async fn keep_spans(app: &Arc<State>, files: &mut Vec<(std::fs::File, String)>) -> Result<Vec<String>, Problem> {
    let given = std::mem::take(files);
    let state = app.clone();
    let (left, traces) = apart(move || {
        let (mut left, mut traces) = (Vec::new(), BTreeSet::new());
        for (mut file, name) in given {
            let Some(text) = spans_text(&mut file, &name)? else {
                left.push((file, name));
                continue;
            };
            let read = batches(&text, Coding::Json, &name)?;
            if read.batches.is_empty() {
                return Err(Problem::new(
                    StatusCode::UNPROCESSABLE_ENTITY,
                    format!("{name} holds no span with a usable id."),
                ));
            }
            traces.extend(read.batches.iter().map(|batch| batch.trace.clone()));
            let packed: Vec<PackedBatch> = read.batches.iter().map(PackedBatch::of).collect();
            state.store.keep_spans(&packed, Some(&name))?;
        }
        Ok((left, traces))
    })
    .await?;
    *files = left;
    Ok(traces.into_iter().collect())
}

/// The text of a file of spans; `None` where it is another file, which is then at its beginning.
fn spans_text(file: &mut std::fs::File, name: &str) -> Result<Option<Vec<u8>>, Problem> {
    let unreadable = |e: std::io::Error| Problem::bad(format!("{name} cannot be read: {e}."));
    let mut beginning = Vec::new();
    file.rewind().map_err(unreadable)?;
    file.take(2).read_to_end(&mut beginning).map_err(unreadable)?;
    file.rewind().map_err(unreadable)?;
    let is_packed = beginning == [0x1f, 0x8b];
    let mut text: Box<dyn Read> =
        if is_packed { Box::new(MultiGzDecoder::new(&mut *file)) } else { Box::new(&mut *file) };
    let mut head = Vec::new();
    // What is broken is told by whoever reads it.
    let _ = text.by_ref().take(4_096).read_to_end(&mut head);
    let is_spans = is_json(&head);
    let mut all = head;
    if is_spans {
        text.take(LARGEST_SPANS + 1).read_to_end(&mut all).map_err(unreadable)?;
    } else {
        drop(text);
    }
    file.rewind().map_err(unreadable)?;
    if all.len() as u64 > LARGEST_SPANS {
        let why = format!("{name} unpacks to more than {} MB.", LARGEST_SPANS >> 20);
        return Err(Problem::new(StatusCode::PAYLOAD_TOO_LARGE, why));
    }
    Ok(is_spans.then_some(all))
}

/// A file on the disk, not in memory, for what comes; without a name it goes with the program, however that ends.
pub(crate) async fn fresh_file(app: &Arc<State>) -> Result<tokio::fs::File, Problem> {
    let directory = app.store.directory().to_owned();
    let file = apart(move || tempfile::tempfile_in(directory).map_err(no_room)).await?;
    Ok(tokio::fs::File::from_std(file))
}

pub(crate) fn no_room(error: std::io::Error) -> Problem {
    Problem::new(StatusCode::INSUFFICIENT_STORAGE, format!("The file could not be put down to be read: {error}."))
}

/// Takes one or more files; a HAR and a trace of the same load become one recording. Of a file with many
/// pages, `pages` names those that are wanted, by their numbers with commas between.
pub async fn receive(Shared(app): Shared<Arc<State>>, mut form: Multipart) -> Result<Json<Imported>, Problem> {
    let (mut files, mut chosen) = (Vec::new(), None);
    let unreadable = |e: axum::extract::multipart::MultipartError| match e.status() {
        // The line broke, or nothing came for too long.
        status if status.is_server_error() => Problem::bad("The file did not come whole; nothing of it was kept."),
        status => Problem::new(status, e.body_text()),
    };
    while let Some(mut field) = form.next_field().await.map_err(unreadable)? {
        if field.file_name().is_none() && field.name() == Some("pages") {
            let text = field.text().await.map_err(unreadable)?;
            let numbers = text.split(',').map(|number| number.trim().parse()).collect::<Result<BTreeSet<usize>, _>>();
            let wrong = |_| Problem::bad("“pages” names pages by their numbers, with commas between.");
            chosen = Some(numbers.map_err(wrong)?);
            continue;
        }
        if files.len() >= MOST_FILES {
            return Err(Problem::bad(format!("At most {MOST_FILES} files can be imported at once.")));
        }
        let name = field.file_name().unwrap_or("The file").chars().take(200).collect();
        let mut writing = fresh_file(&app).await?;
        while let Some(part) = field.chunk().await.map_err(unreadable)? {
            writing.write_all(&part).await.map_err(no_room)?;
        }
        writing.flush().await.map_err(no_room)?;
        files.push((writing.into_std().await, name));
    }
    if files.is_empty() {
        return Err(Problem::bad("No file was sent."));
    }
    let traces = keep_spans(&app, &mut files).await?;
    let mut imported = if files.is_empty() {
        Imported { ids: Vec::new(), pages: Vec::new(), traces: Vec::new() }
    } else {
        read_and_keep(&app, files, chosen).await?
    };
    imported.traces = traces;
    // Sites may have rules of their own.
    crate::rereading::catch_up(&app).await?;
    Ok(Json(imported))
}
