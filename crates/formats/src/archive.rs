//! The recording archive: a plain zip of open formats.
//!
//! `manifest.json`, and for each load `load-N/network.har`, `load-N/network.jsonl` with the events
//! that it is read from and `load-N/bodies.json`, `load-N/trace.json`, `load-N/spans.json` with what the server told
//! (OTLP), `load-N/page.json` and `load-N/frames/*.jpg`; response bodies by their SHA-256 in `bodies/`; what the load
//! for used code told in `detail/`.

use crate::memory::MemoryBudget;
use crate::trace::TraceText;
use crate::unpack::{Limited, MAX_UNPACKED, read_limited};
use crate::values::Tree;
use crate::{BodyMap, Detail, FormatError, Manifest, NetworkLog, Opened, PageRecord, RawLoad, body_hash, har};
use phainon_core::Load;
use phainon_core::metrics::Coverage;
use serde::de::{DeserializeOwned, DeserializeSeed};
use std::collections::BTreeMap;
use std::io::{BufWriter, Read, Seek, SeekFrom, Write};
use zip::write::{SimpleFileOptions, StreamWriter};
use zip::{CompressionMethod, ZipArchive, ZipWriter};

/// What a load's network events take in memory, as they are and as requests, in times of their text.
const EVENTS_IN_MEMORY: usize = 4;
const MAX_FILES: usize = 50_000;
/// Twenty first visits, a return visit after each, and as many again.
const MAX_LOADS: usize = 80;
/// Everything in an archive together.
const MAX_WHOLE: u64 = 2 * MAX_UNPACKED;

fn bad(name: &str, why: impl Into<String>) -> FormatError {
    FormatError::Archive { name: name.to_owned(), why: why.into() }
}

struct Reader<'b, R> {
    zip: ZipArchive<R>,
    budget: &'b MemoryBudget,
    left: u64,
    /// The whole archive's own size: what its directory says of a file's packed size may be false.
    size: u64,
}

impl<R: Read + Seek> Reader<'_, R> {
    /// What is made of a file as it is unpacked, or `None` where the archive has no such file.
    fn stream<T>(
        &mut self,
        path: &str,
        read: impl FnOnce(&mut dyn Read, u64, u64) -> Result<T, FormatError>,
    ) -> Result<Option<T>, FormatError> {
        let limit = MAX_UNPACKED.min(self.left);
        let file = match self.zip.by_name(path) {
            Ok(file) => file,
            Err(zip::result::ZipError::FileNotFound) => return Ok(None),
            Err(e) => return Err(bad(path, e.to_string())),
        };
        let packed = file.compressed_size().min(self.size);
        let mut file = Counted { from: file, read: 0 };
        let made = read(&mut file, packed, limit)?;
        self.left = self.left.saturating_sub(file.read);
        Ok(Some(made))
    }

    /// A file's bytes, which will be held.
    fn file(&mut self, path: &str) -> Result<Option<Vec<u8>>, FormatError> {
        let budget = self.budget;
        let limit_of = |limit: u64| limit.min(budget.left().saturating_add(1));
        let file = self.stream(path, |file, packed, limit| read_limited(file, packed, limit_of(limit), path));
        match file {
            Ok(Some(bytes)) => budget.charge(bytes.len(), path).map(|()| Some(bytes)),
            other => other,
        }
    }

    /// What a file of JSON says.
    fn json<T: DeserializeOwned>(&mut self, path: &str) -> Result<Option<T>, FormatError> {
        let before = self.budget.used();
        let Some(text) = self.file(path)? else { return Ok(None) };
        let tree = Tree(self.budget).deserialize(&mut serde_json::Deserializer::from_slice(&text));
        let told = match tree {
            Ok(tree) => tree,
            Err(_) if self.budget.is_spent() => return Err(self.budget.refusal(path)),
            Err(error) => return Err(FormatError::json(path, &error)),
        };
        // What the values take is held from here on, the text no more.
        let held = self.budget.used() - before - text.len() as u64;
        self.budget.back_to(before + held);
        T::deserialize(told).map(Some).map_err(|error| bad(path, error.to_string()))
    }
}

/// Counts what was really unpacked.
struct Counted<R> {
    from: R,
    read: u64,
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let read = self.from.read(buffer)?;
        self.read += read as u64;
        Ok(read)
    }
}

/// Opens a recording archive.
pub fn read<R: Read + Seek>(mut file: R, name: &str, budget: &MemoryBudget) -> Result<Opened, FormatError> {
    let unreadable = |why: String| FormatError::Unpack { name: name.to_owned(), why };
    let size = file.seek(SeekFrom::End(0)).map_err(|e| unreadable(e.to_string()))?;
    let zip = ZipArchive::new(file).map_err(|e| unreadable(e.to_string()))?;
    if zip.len() > MAX_FILES {
        return Err(FormatError::TooLarge { name: name.to_owned(), limit: format!("{MAX_FILES} files") });
    }
    let mut reader = Reader { zip, budget, left: MAX_WHOLE, size };
    let manifest: Manifest = reader
        .json("manifest.json")?
        .ok_or_else(|| FormatError::NotKnown { name: name.to_owned(), why: "the zip holds no manifest.json".into() })?;
    if manifest.format != Manifest::FORMAT {
        return Err(bad("manifest.json", "its `format` is not that of a recording"));
    }
    if manifest.version != 1 {
        return Err(bad("manifest.json", format!("version {} is newer than this program reads", manifest.version)));
    }
    if manifest.loads.is_empty() || manifest.loads.len() > MAX_LOADS {
        return Err(bad(
            "manifest.json",
            format!("it lists {} loads; 1 to {MAX_LOADS} are possible", manifest.loads.len()),
        ));
    }
    let mut loads = Vec::new();
    for (index, listed) in manifest.loads.iter().enumerate() {
        let folder = format!("load-{}", index + 1);
        let mut raw = RawLoad {
            name: format!("{folder}/trace.json"),
            visit: listed.visit,
            conditions: manifest.conditions.clone(),
            failed: listed.failed.clone(),
            ..RawLoad::default()
        };
        let har = format!("{folder}/network.har");
        if let Some(events) = reader.file(&format!("{folder}/network.jsonl"))? {
            budget.charge(events.len().saturating_mul(EVENTS_IN_MEMORY - 1), &folder)?;
            let bodies = reader.json(&format!("{folder}/bodies.json"))?.unwrap_or_default();
            raw.network = Some(NetworkLog { events, bodies });
        } else if let Some((mut read, _)) =
            reader.stream(&har, |file, packed, limit| har::read(Limited::new(file, packed, limit), &har, budget))?
        {
            let read = read.swap_remove(0);
            raw.requests = read.requests;
            raw.har_page = read.har_page;
        }
        let trace = format!("{folder}/trace.json");
        raw.trace = reader.stream(&trace, |file, packed, limit| {
            let text = TraceText::read(file, packed, limit, &trace)?;
            budget.charge(text.packed().len(), &trace).map(|()| text)
        })?;
        if let Some(page) = reader.json::<PageRecord>(&format!("{folder}/page.json"))? {
            for frame in &page.frames {
                // Only plain names inside the load's own folder.
                if frame.file.contains(['/', '\\']) || frame.file.contains("..") {
                    return Err(bad(&format!("{folder}/page.json"), "a frame's file name leaves its folder"));
                }
                if let Some(picture) = reader.file(&format!("{folder}/frames/{}", frame.file))? {
                    raw.frames.push((frame.clone(), picture));
                }
            }
            raw.page = Some(page);
        }
        raw.spans.extend(reader.file(&format!("{folder}/spans.json"))?);
        if !raw.has_data() && raw.failed.is_none() {
            return Err(bad(&folder, "it has neither network.har nor trace.json"));
        }
        loads.push(raw);
    }
    let mut bodies = BodyMap::new();
    let names: Vec<String> = reader
        .zip
        .file_names()
        .filter_map(Result::ok)
        .filter(|n| n.starts_with("bodies/") && !n.ends_with('/'))
        .map(std::borrow::Cow::into_owned)
        .collect();
    for path in names {
        let Some(body) = reader.file(&path)? else { continue };
        let hash = body_hash(&body);
        if path != format!("bodies/{hash}") && !body.is_empty() {
            return Err(bad(&path, "its bytes do not match its name; the archive is damaged"));
        }
        bodies.insert(hash, body);
    }
    let detail = match reader.json::<Detail>("detail/detail.json")? {
        Some(mut detail) => {
            detail.coverage = detail.coverage.into_iter().map(Coverage::in_order).collect();
            detail.inline_only = reader.file("detail/inline-only.jpg")?;
            Some(detail)
        }
        None => None,
    };
    Ok(Opened { file: Some(name.to_owned()), manifest: Some(manifest), loads, bodies, detail })
}

/// Writes an archive part by part, each of which can be let go of before the next.
pub struct ArchiveWriter<W: Write> {
    zip: ZipWriter<StreamWriter<W>>,
    loads: usize,
}

fn failed(error: &dyn std::fmt::Display) -> FormatError {
    FormatError::Write(error.to_string())
}

impl<W: Write> ArchiveWriter<W> {
    /// Begins one with what it says of itself.
    ///
    /// # Errors
    /// Here and below: where it cannot be written.
    pub fn new(out: W, manifest: &Manifest) -> Result<Self, FormatError> {
        let mut writer = Self { zip: ZipWriter::new_stream(out), loads: 0 };
        writer.json("manifest.json", manifest)?;
        Ok(writer)
    }

    fn begin(&mut self, path: &str, packed: bool) -> Result<(), FormatError> {
        let how = SimpleFileOptions::default();
        let how = if packed {
            how.compression_method(CompressionMethod::Deflated).compression_level(Some(9))
        } else {
            how.compression_method(CompressionMethod::Stored)
        };
        self.zip.start_file(path, how).map_err(|e| failed(&e))
    }

    fn add(&mut self, path: &str, mut from: impl Read, packed: bool) -> Result<(), FormatError> {
        self.begin(path, packed)?;
        std::io::copy(&mut from, &mut self.zip).map(|_| ()).map_err(|e| failed(&e))
    }

    fn json(&mut self, path: &str, value: &impl serde::Serialize) -> Result<(), FormatError> {
        self.begin(path, true)?;
        let mut out = BufWriter::new(&mut self.zip);
        serde_json::to_writer(&mut out, value).map_err(|e| failed(&e))?;
        out.flush().map_err(|e| failed(&e))
    }

    /// The next load: its raw parts, and what they are put together, from which its HAR is written.
    pub fn load(&mut self, raw: &RawLoad, load: Option<&Load>) -> Result<(), FormatError> {
        self.loads += 1;
        let folder = format!("load-{}", self.loads);
        if let Some(load) = load.filter(|_| raw.requests.is_some() || raw.network.is_some()) {
            self.begin(&format!("{folder}/network.har"), true)?;
            har::write(load, None, &mut self.zip).map_err(|e| failed(&e))?;
        }
        if let Some(log) = &raw.network {
            self.add(&format!("{folder}/network.jsonl"), log.events.as_slice(), true)?;
            self.json(&format!("{folder}/bodies.json"), &log.bodies)?;
        }
        if let Some(trace) = &raw.trace {
            self.add(&format!("{folder}/trace.json"), trace.reader().map_err(|e| failed(&e))?, true)?;
        }
        if !raw.spans.is_empty() {
            let spans = crate::otlp::one_document(&raw.spans, &raw.name)?;
            self.add(&format!("{folder}/spans.json"), spans.as_slice(), true)?;
        }
        if let Some(page) = &raw.page {
            let mut page = page.clone();
            page.frames = raw.frames.iter().map(|(frame, _)| frame.clone()).collect();
            self.json(&format!("{folder}/page.json"), &page)?;
        }
        for (frame, picture) in &raw.frames {
            self.add(&format!("{folder}/frames/{}", frame.file), picture.as_slice(), false)?;
        }
        Ok(())
    }

    /// What the load for used code told.
    pub fn detail(&mut self, detail: &Detail) -> Result<(), FormatError> {
        self.json("detail/detail.json", detail)?;
        match &detail.inline_only {
            Some(picture) => self.add("detail/inline-only.jpg", picture.as_slice(), false),
            None => Ok(()),
        }
    }

    /// A body, under its hash.
    pub fn body(&mut self, hash: &str, body: &[u8]) -> Result<(), FormatError> {
        self.add(&format!("bodies/{hash}"), body, true)
    }

    /// Its end.
    pub fn done(self) -> Result<W, FormatError> {
        Ok(self.zip.finish().map_err(|e| failed(&e))?.into_inner())
    }
}

/// Writes a whole archive.
///
/// # Errors
/// Where it cannot be written.
pub fn write<W: Write>(
    out: W,
    manifest: &Manifest,
    loads: &[(&RawLoad, Option<&Load>)],
    bodies: &BodyMap,
    detail: Option<&Detail>,
) -> Result<W, FormatError> {
    let mut writer = ArchiveWriter::new(out, manifest)?;
    for (raw, load) in loads {
        writer.load(raw, *load)?;
    }
    if let Some(detail) = detail {
        writer.detail(detail)?;
    }
    // In order, so that the same recording gives the same file.
    for (hash, body) in bodies.iter().collect::<BTreeMap<_, _>>() {
        writer.body(hash, body)?;
    }
    writer.done()
}
