//! Unpacking with limits: a small file may claim to hold the world.

use crate::FormatError;
use phainon_core::Bytes;
use std::io::{self, Read};

/// No part of a file may unpack to more than this many bytes.
pub const MAX_UNPACKED: u64 = 1 << 30;
/// Above [`RATIO_FROM`] bytes, no file may unpack to more than this many times its own size.
/// Real traces and HARs pack to a tenth or a twentieth.
const MAX_RATIO: u64 = 120;
const RATIO_FROM: u64 = 32 << 20;

/// A stream that ends in an error where more comes than may.
pub(crate) struct Limited<R> {
    from: R,
    limit: u64,
    left: u64,
}

impl<R: Read> Limited<R> {
    /// `packed` is the size of the file that the stream comes from.
    pub fn new(from: R, packed: u64, limit: u64) -> Self {
        let limit = limit.min(RATIO_FROM.max(packed.saturating_mul(MAX_RATIO)));
        Self { from, limit, left: limit }
    }
}

/// Why reading failed.
pub(crate) fn refusal(error: &io::Error, name: &str) -> FormatError {
    match error.get_ref().and_then(|told| told.downcast_ref::<TooMuch>()) {
        Some(TooMuch(limit)) => FormatError::TooLarge { name: name.to_owned(), limit: Bytes(*limit).text() },
        None => FormatError::Unpack { name: name.to_owned(), why: error.to_string() },
    }
}

/// More came than may.
#[derive(Debug, thiserror::Error)]
#[error("more than {0} bytes")]
struct TooMuch(u64);

impl<R: Read> Read for Limited<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.left == 0 {
            // At the limit it may be over all the same.
            return match self.from.read(&mut [0])? {
                0 => Ok(0),
                _ => Err(io::Error::new(io::ErrorKind::FileTooLarge, TooMuch(self.limit))),
            };
        }
        let most = buffer.len().min(usize::try_from(self.left).unwrap_or(usize::MAX));
        let read = self.from.read(&mut buffer[..most])?;
        self.left -= read as u64;
        Ok(read)
    }
}

/// Reads to the end, unless that lies beyond the limits.
pub(crate) fn read_limited(from: impl Read, packed: u64, limit: u64, name: &str) -> Result<Vec<u8>, FormatError> {
    let mut from = Limited::new(from, packed, limit);
    let mut bytes = Vec::new();
    match from.read_to_end(&mut bytes) {
        Ok(_) => Ok(bytes),
        Err(error) => Err(refusal(&error, name)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_limit_itself_is_allowed_and_a_byte_more_is_not() {
        let of = |bytes: usize, packed, limit| read_limited(io::repeat(7).take(bytes as u64), packed, limit, "x");
        assert_eq!(of(1_000, 1_000, 1_000).expect("at the limit").len(), 1_000);
        assert!(matches!(of(1_001, 1_000, 1_000), Err(FormatError::TooLarge { .. })));
        // A small file may be mostly repetition; a large one that unpacks a hundredfold and more is a bomb.
        assert_eq!(of(1 << 20, 10, MAX_UNPACKED).expect("small").len(), 1 << 20);
        assert!(matches!(of((32 << 20) + 1, 10, MAX_UNPACKED), Err(FormatError::TooLarge { .. })));
        assert_eq!(of((32 << 20) + 1, 1 << 20, MAX_UNPACKED).expect("in proportion").len(), (32 << 20) + 1);
    }
}
