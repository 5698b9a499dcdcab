//! Telling what a file is, and opening it.

use crate::detail::Detail;
use crate::{BodyMap, FormatError, Manifest, RawLoad, archive, har, unpack};
use std::borrow::Cow;

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
    /// A file of several pages as one recording for each: loads whose first request is of the same
    /// address are loads of the same page.
    #[must_use]
    pub fn by_page(self) -> Vec<Self> {
        if self.manifest.is_some() || self.loads.len() < 2 {
            return vec![self];
        }
        let file = self.file;
        let mut pages: Vec<(Option<String>, Self)> = Vec::new();
        for load in self.loads {
            let asked = load.requests.as_ref().and_then(|r| r.first()).map(|r| r.url.to_string());
            let hashes = load.body_hashes().into_iter();
            let bodies: BodyMap = hashes.filter_map(|h| Some((h.to_owned(), self.bodies.get(h)?.clone()))).collect();
            match pages.iter_mut().find(|p| p.0 == asked) {
                Some((_, page)) => {
                    page.loads.push(load);
                    page.bodies.extend(bodies);
                }
                None => {
                    let page = Self { file: file.clone(), manifest: None, loads: vec![load], bodies, detail: None };
                    pages.push((asked, page));
                }
            }
        }
        pages.into_iter().map(|p| p.1).collect()
    }
}

/// Opens several files: a HAR and a trace of the same load become one, everything else stays what
/// it is. Each file is given with the name that errors call it.
pub fn open_together(files: Vec<(Vec<u8>, String)>) -> Result<Vec<Opened>, FormatError> {
    let mut opened = Vec::with_capacity(files.len());
    for (bytes, name) in files {
        opened.push(open_nested(Cow::Owned(bytes), &name, 0)?);
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

/// Opens a recording archive, a HAR or a trace, plain or gzip. `name` is what errors call it. What a
/// trace says is read when its load is put together, not twice.
pub fn open(bytes: &[u8], name: &str) -> Result<Opened, FormatError> {
    open_nested(Cow::Borrowed(bytes), name, 0)
}

fn open_nested(bytes: Cow<'_, [u8]>, name: &str, depth: u8) -> Result<Opened, FormatError> {
    if bytes.starts_with(&[0x1f, 0x8b]) {
        if depth > 0 {
            return Err(FormatError::Unpack { name: name.to_owned(), why: "it is packed twice".into() });
        }
        let unpacked = unpack::gunzip(&bytes, name)?;
        drop(bytes);
        return open_nested(Cow::Owned(unpacked), name, 1);
    }
    if bytes.starts_with(b"PK") {
        return archive::read(&bytes, name);
    }
    let text = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(&bytes);
    match text.iter().find(|b| !b.is_ascii_whitespace()) {
        None => Err(FormatError::Empty { name: name.to_owned() }),
        Some(b'[') => Ok(trace_alone(bytes, name)),
        Some(b'{') if looks_like_trace(text) => Ok(trace_alone(bytes, name)),
        Some(b'{') => har::read(text, name).map(|(loads, bodies)| Opened {
            file: Some(name.to_owned()),
            manifest: None,
            loads,
            bodies,
            detail: None,
        }),
        Some(_) => {
            Err(FormatError::NotKnown { name: name.to_owned(), why: "it starts with something else than JSON".into() })
        }
    }
}

/// A trace in object form has its events under `traceEvents`; a HAR has a `log`. Whichever key of
/// the two is met first decides.
fn looks_like_trace(text: &[u8]) -> bool {
    let find = |needle: &[u8]| memchr::memmem::find(text, needle);
    match (find(b"\"traceEvents\""), find(b"\"log\"")) {
        (Some(trace), Some(log)) => trace < log,
        (Some(_), None) => true,
        _ => false,
    }
}

fn trace_alone(bytes: Cow<'_, [u8]>, name: &str) -> Opened {
    let mut trace = bytes.into_owned();
    if trace.starts_with(&[0xef, 0xbb, 0xbf]) {
        trace.drain(..3);
    }
    let load = RawLoad { trace: Some(trace), name: name.to_owned(), ..RawLoad::default() };
    Opened { file: Some(name.to_owned()), manifest: None, loads: vec![load], bodies: BodyMap::new(), detail: None }
}
