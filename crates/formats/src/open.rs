//! Telling what a file is, and opening it.

use crate::detail::Detail;
use crate::memory::MemoryBudget;
use crate::trace::TraceText;
use crate::unpack::{Limited, MAX_UNPACKED, read_limited};
use crate::{BodyMap, FormatError, Manifest, RawLoad, archive, callgrind, har};
use flate2::read::MultiGzDecoder;
use memchr::memmem;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::io::{BufReader, Cursor, Read, Seek, SeekFrom};
use std::sync::Arc;

/// What a file is shows in its beginning: the key that tells a trace from a HAR may stand behind some
/// metadata, but not behind more than this.
const TELLING: u64 = 16 << 20;

/// A file, opened.
pub struct Opened {
    /// The file that it came in, or the files; `None` for a recording made here.
    pub file: Option<String>,
    /// What it says of itself; only archives do.
    pub manifest: Option<Manifest>,
    /// Its loads.
    pub loads: Vec<RawLoad>,
    /// The bodies that the loads' requests name.
    pub bodies: BodyMap,
    /// What a load of its own told of the page's code and styles.
    pub detail: Option<Detail>,
}

impl Opened {
    /// Its loads by page, one list for each: loads of a HAR whose first request is of the same address are
    /// loads of the same page. An archive is of one page whatever its loads say.
    #[must_use]
    pub fn take_pages(&mut self) -> Vec<Vec<RawLoad>> {
        let loads = std::mem::take(&mut self.loads);
        if self.manifest.is_some() || loads.len() < 2 {
            return vec![loads];
        }
        let mut pages: Vec<Vec<RawLoad>> = Vec::new();
        let mut known: HashMap<Option<Arc<str>>, usize> = HashMap::new();
        for load in loads {
            let asked = load.first_address().cloned();
            match known.entry(asked) {
                Entry::Occupied(page) => pages[*page.get()].push(load),
                Entry::Vacant(new) => {
                    new.insert(pages.len());
                    pages.push(vec![load]);
                }
            }
        }
        pages
    }
}

/// Opens several files: a HAR and a trace of the same load become one, everything else stays what
/// it is. Each file is given with the name that errors call it.
pub fn open_together<R: Read + Seek>(
    files: Vec<(R, String)>,
    budget: &MemoryBudget,
) -> Result<Vec<Opened>, FormatError> {
    let mut opened = Vec::with_capacity(files.len());
    for (file, name) in files {
        opened.push(open_from(file, &name, budget)?);
    }
    let of = |wanted: fn(&RawLoad) -> bool| {
        let mut places = opened.iter().enumerate().filter(|(_, o)| o.manifest.is_none() && o.loads.iter().all(wanted));
        match (places.next(), places.next()) {
            (Some((place, _)), None) => Some(place),
            _ => None,
        }
    };
    let (Some(har), Some(trace)) = (of(|l| l.requests.is_some()), of(|l| l.trace.is_some())) else { return Ok(opened) };
    let told = opened[trace].loads[0].assemble()?;
    // Of a HAR's pages the one whose document the trace is of.
    let same = |load: &RawLoad| {
        load.assemble().ok().and_then(|l| l.document().map(|d| d.url.clone())).is_some_and(|url| url == told.url)
    };
    let Some(page) = opened[har].loads.iter().position(same) else {
        let trace_name = opened[trace].loads[0].name.clone();
        return Err(FormatError::Apart {
            har: opened[har].loads[0].name.clone(),
            trace: trace_name,
            url: told.url.to_string(),
        });
    };
    let mut joined = opened[har].loads.swap_remove(page);
    joined.name = format!("{} and {}", joined.name, opened[trace].loads[0].name);
    joined.trace = opened[trace].loads[0].trace.take();
    opened[har].file = Some(joined.name.clone());
    opened[har].loads = vec![joined];
    opened.remove(trace);
    Ok(opened)
}

/// Opens what is in memory already, as [`open_from`] does.
pub fn open(bytes: &[u8], name: &str) -> Result<Opened, FormatError> {
    open_from(Cursor::new(bytes), name, &MemoryBudget::default())
}

/// Opens a recording archive, a HAR or a trace, plain or gzip. `name` is what errors call it. A trace is
/// packed as it comes; what it says is read when its load is put together. What is read is charged to `budget`.
pub fn open_from<R: Read + Seek>(mut file: R, name: &str, budget: &MemoryBudget) -> Result<Opened, FormatError> {
    let unreadable = |e: std::io::Error| FormatError::Unpack { name: name.to_owned(), why: e.to_string() };
    let size = file.seek(SeekFrom::End(0)).map_err(unreadable)?;
    file.rewind().map_err(unreadable)?;
    let mut magic = Vec::new();
    file.by_ref().take(4).read_to_end(&mut magic).map_err(unreadable)?;
    file.rewind().map_err(unreadable)?;
    if magic.starts_with(b"PK") {
        return archive::read(BufReader::new(file), name, budget);
    }
    if !magic.starts_with(GZIP) {
        return open_stream(file, size, name, budget);
    }
    let mut unpacked = MultiGzDecoder::new(BufReader::new(file));
    let mut magic = Vec::new();
    unpacked.by_ref().take(4).read_to_end(&mut magic).map_err(unreadable)?;
    if magic.starts_with(GZIP) {
        return Err(FormatError::Unpack { name: name.to_owned(), why: "it is packed twice".into() });
    }
    let is_zip = magic.starts_with(b"PK");
    let whole = Cursor::new(magic).chain(unpacked);
    if is_zip {
        let bytes = read_limited(whole, size, MAX_UNPACKED, name)?;
        budget.charge(bytes.len(), name)?;
        return archive::read(Cursor::new(bytes), name, budget);
    }
    open_stream(whole, size, name, budget)
}

/// The first bytes of a gzip file (RFC 1952).
const GZIP: &[u8] = &[0x1f, 0x8b];
/// UTF-8's byte order mark, which JSON does without.
const MARK: &[u8] = &[0xef, 0xbb, 0xbf];

/// A HAR or a trace. `packed` is the size of the file that it comes from.
fn open_stream(mut text: impl Read, packed: u64, name: &str, budget: &MemoryBudget) -> Result<Opened, FormatError> {
    let mut head = Vec::new();
    let mut telling = 1 << 16;
    let is_trace = loop {
        let before = head.len() as u64;
        text.by_ref()
            .take(telling - before)
            .read_to_end(&mut head)
            .map_err(|e| FormatError::Unpack { name: name.to_owned(), why: e.to_string() })?;
        if before == 0 && callgrind::is_profile(&head) {
            return Err(FormatError::OfAServer { name: name.to_owned() });
        }
        if before == 0 && head.starts_with(MARK) {
            head.drain(..MARK.len());
        }
        if is_utf16(&head) {
            return Err(FormatError::Utf16 { name: name.to_owned() });
        }
        let all = (head.len() as u64) < telling - MARK.len() as u64;
        match (head.iter().find(|b| !b.is_ascii_whitespace()), told(&head)) {
            (None, _) if all => return Err(FormatError::Empty { name: name.to_owned() }),
            (Some(b'['), _) => break true,
            (Some(b'{'), Some(is_trace)) => break is_trace,
            (Some(b'{') | None, _) if !all && telling < TELLING => telling *= 4,
            // What has neither key is read as a HAR, which names what it lacks.
            (Some(b'{'), None) => break false,
            (first, _) => {
                let why = match first {
                    None => "it starts with nothing but white space",
                    Some(_) => "it starts with something else than JSON",
                }
                .to_owned();
                return Err(FormatError::NotKnown { name: name.to_owned(), why });
            }
        }
    };
    let whole = Cursor::new(head).chain(text);
    if !is_trace {
        let (loads, bodies) = har::read(Limited::new(whole, packed, MAX_UNPACKED), name, budget)?;
        return Ok(Opened { file: Some(name.to_owned()), manifest: None, loads, bodies, detail: None });
    }
    let trace = TraceText::read(whole, packed, MAX_UNPACKED, name)?;
    budget.charge(trace.packed().len(), name)?;
    let trace = Some(trace);
    let load = RawLoad { trace, name: name.to_owned(), ..RawLoad::default() };
    Ok(Opened { file: Some(name.to_owned()), manifest: None, loads: vec![load], bodies: BodyMap::new(), detail: None })
}

/// Whether it is UTF-16: by its byte order mark, or by a zero beside the first bracket.
fn is_utf16(text: &[u8]) -> bool {
    matches!(text, [0xff, 0xfe, ..] | [0xfe, 0xff, ..] | [b'{' | b'[', 0, ..] | [0, b'{' | b'[', ..])
}

/// Whether it is a trace: one in object form has its events under `traceEvents`, a HAR has a `log`.
/// Whichever key is met first decides; `None` where there is none yet.
fn told(text: &[u8]) -> Option<bool> {
    match (memmem::find(text, b"\"traceEvents\""), memmem::find(text, b"\"log\"")) {
        (Some(trace), Some(log)) => Some(trace < log),
        (Some(_), None) => Some(true),
        (None, Some(_)) => Some(false),
        (None, None) => None,
    }
}
