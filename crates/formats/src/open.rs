//! Telling what a file is, and opening it.

use crate::{BodyMap, FormatError, Manifest, RawLoad, archive, har, trace, unpack};

/// A file, opened.
pub struct Opened {
    /// What it says of itself; only archives do.
    pub manifest: Option<Manifest>,
    /// Its loads.
    pub loads: Vec<RawLoad>,
    /// The bodies that the loads' requests name.
    pub bodies: BodyMap,
}

/// Opens a recording archive, a HAR or a trace, plain or gzip. `name` is what errors call it.
pub fn open(bytes: &[u8], name: &str) -> Result<Opened, FormatError> {
    open_nested(bytes, name, 0)
}

fn open_nested(bytes: &[u8], name: &str, depth: u8) -> Result<Opened, FormatError> {
    if bytes.starts_with(&[0x1f, 0x8b]) {
        if depth > 0 {
            return Err(FormatError::Unpack { name: name.to_owned(), why: "it is packed twice".into() });
        }
        return open_nested(&unpack::gunzip(bytes, name)?, name, 1);
    }
    if bytes.starts_with(b"PK") {
        return archive::read(bytes, name);
    }
    let text = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
    match text.iter().find(|b| !b.is_ascii_whitespace()) {
        None => Err(FormatError::Empty { name: name.to_owned() }),
        Some(b'[') => trace_alone(text, name),
        Some(b'{') if looks_like_trace(text) => trace_alone(text, name),
        Some(b'{') => har::read(text, name).map(|(load, bodies)| Opened { manifest: None, loads: vec![load], bodies }),
        Some(_) => {
            Err(FormatError::NotKnown { name: name.to_owned(), why: "it starts with something else than JSON".into() })
        }
    }
}

/// A trace in object form has its events under `traceEvents`; a HAR has a `log`. Whichever key of
/// the two is met first decides.
fn looks_like_trace(text: &[u8]) -> bool {
    let find = |needle: &[u8]| text.windows(needle.len()).position(|w| w == needle);
    match (find(b"\"traceEvents\""), find(b"\"log\"")) {
        (Some(trace), Some(log)) => trace < log,
        (Some(_), None) => true,
        _ => false,
    }
}

fn trace_alone(text: &[u8], name: &str) -> Result<Opened, FormatError> {
    // Read once here, so that a file without a page load is refused at once.
    trace::read(text, name, None)?;
    let load = RawLoad { trace: Some(text.to_vec()), name: name.to_owned(), ..RawLoad::default() };
    Ok(Opened { manifest: None, loads: vec![load], bodies: BodyMap::new() })
}
