//! Unpacking with limits: a small file may claim to hold the world.

use crate::FormatError;
use flate2::read::MultiGzDecoder;
use std::io::Read;

/// No part of a file may unpack to more than this many bytes.
pub const MAX_UNPACKED: u64 = 1 << 30;
/// Above [`RATIO_FROM`] bytes, no file may unpack to more than this many times its own size.
/// Real traces and HARs pack to a tenth or a twentieth.
const MAX_RATIO: u64 = 120;
const RATIO_FROM: u64 = 32 << 20;

/// The bytes of a gzip file.
pub(crate) fn gunzip(packed: &[u8], name: &str) -> Result<Vec<u8>, FormatError> {
    read_limited(MultiGzDecoder::new(packed), packed.len() as u64, MAX_UNPACKED, name)
}

/// Reads to the end, unless that lies beyond the limits.
pub(crate) fn read_limited(mut from: impl Read, packed: u64, limit: u64, name: &str) -> Result<Vec<u8>, FormatError> {
    let limit = limit.min(RATIO_FROM.max(packed.saturating_mul(MAX_RATIO)));
    let mut bytes = Vec::new();
    from.by_ref()
        .take(limit + 1)
        .read_to_end(&mut bytes)
        .map_err(|e| FormatError::Unpack { name: name.to_owned(), why: e.to_string() })?;
    if bytes.len() as u64 > limit {
        return Err(FormatError::TooLarge { name: name.to_owned(), limit: phainon_core::Bytes(limit).text() });
    }
    Ok(bytes)
}
