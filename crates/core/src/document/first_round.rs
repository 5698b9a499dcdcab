//! What the first round trip of a fresh connection brings of a document.

use super::Share;
use crate::{Bytes, Request};
use flate2::{Compression, write::GzEncoder};
use std::io::Write;

/// What the first round trip of a fresh connection can bring: ten segments of 1,460 bytes
/// (RFC 6928, initial window).
pub const FIRST_ROUND: usize = 14_600;

fn packed(bytes: &[u8]) -> Bytes {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::new(6));
    // Writing to memory does not fail.
    let _ = encoder.write_all(bytes);
    Bytes(encoder.finish().unwrap_or_default().len() as u64)
}

/// A share's size, as it stands and packed.
pub fn share(bytes: &[u8]) -> Share {
    Share { raw: Bytes(bytes.len() as u64), packed: if bytes.is_empty() { Bytes(0) } else { packed(bytes) } }
}

/// The byte of the text with which the first round trip's bytes end, or `None` where all fits.
///
/// Headers come first. A packed document's place is found by packing beginnings of it, scaled by how
/// well the server packed the whole.
#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
pub fn first_round(document: &Request, body: &[u8], whole: Bytes, packed_on_line: bool) -> Option<usize> {
    let headers: usize = document.response_headers.iter().map(|h| h.name.len() + h.value.len() + 4).sum::<usize>() + 17;
    let room = FIRST_ROUND.saturating_sub(headers);
    if !packed_on_line {
        return (body.len() > room).then_some(room);
    }
    let on_line = document.transferred.map_or(whole.0, |t| t.0.saturating_sub(headers as u64)).max(1);
    if on_line as usize <= room {
        return None;
    }
    let room = room as f64 * whole.0 as f64 / on_line as f64;
    let (mut low, mut high) = (0, body.len());
    while high - low > 64 {
        let middle = usize::midpoint(low, high);
        if packed(&body[..middle]).0 as f64 <= room {
            low = middle;
        } else {
            high = middle;
        }
    }
    Some(low)
}
