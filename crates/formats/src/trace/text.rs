//! A trace's JSON as it is held: packed. Traces of some minutes have hundreds of megabytes and pack to a
//! tenth or less, so none ever lies in memory whole; it is read as a stream, as often as needed.

use crate::FormatError;
use crate::unpack::{Limited, refusal};
use std::io::{self, Read, Write};

/// Zstandard's usual level: a trace packs at some hundred megabytes a second.
const LEVEL: i32 = 3;

/// The JSON of a trace, packed with Zstandard (RFC 8878).
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TraceText {
    packed: Vec<u8>,
}

impl TraceText {
    /// Packs what is in memory already.
    ///
    /// # Panics
    /// Where memory for packing is lacking.
    #[must_use]
    pub fn of(text: &[u8]) -> Self {
        Self { packed: zstd::bulk::compress(text, LEVEL).expect("memory for packing") }
    }

    /// Packs a stream, up to the limits of an import. `packed` is the size of the file that it comes from.
    ///
    /// # Errors
    /// Where it cannot be read, or is longer than that.
    pub fn read(from: impl Read, packed: u64, limit: u64, name: &str) -> Result<Self, FormatError> {
        let mut from = Limited::new(from, packed, limit);
        let mut writer = TraceWriter::new();
        let packed = io::copy(&mut from, &mut writer).and_then(|_| writer.done());
        packed.map_err(|error| refusal(&error, name))
    }

    /// What an earlier [`Self::packed`] gave.
    #[must_use]
    pub fn from_packed(packed: Vec<u8>) -> Self {
        Self { packed }
    }

    /// The packed bytes.
    #[must_use]
    pub fn packed(&self) -> &[u8] {
        &self.packed
    }

    /// Reads it from its beginning.
    ///
    /// # Errors
    /// Where memory for that is lacking.
    pub fn reader(&self) -> io::Result<impl Read> {
        zstd::stream::Decoder::with_buffer(self.packed.as_slice())
    }

    /// All of it, for what has to look at it whole.
    ///
    /// # Errors
    /// Where the packed bytes are damaged.
    pub fn whole(&self) -> io::Result<Vec<u8>> {
        let mut text = Vec::new();
        self.reader()?.read_to_end(&mut text)?;
        Ok(text)
    }
}

/// Packs a trace as its parts come in.
pub struct TraceWriter(zstd::stream::Encoder<'static, Vec<u8>>);

impl TraceWriter {
    /// Nothing yet.
    ///
    /// # Panics
    /// Where memory for packing is lacking.
    #[must_use]
    pub fn new() -> Self {
        Self(zstd::stream::Encoder::new(Vec::new(), LEVEL).expect("memory for packing"))
    }

    /// All of it.
    ///
    /// # Errors
    /// Where the end could not be packed.
    pub fn done(self) -> io::Result<TraceText> {
        Ok(TraceText { packed: self.0.finish()? })
    }
}

impl Default for TraceWriter {
    fn default() -> Self {
        Self::new()
    }
}

impl Write for TraceWriter {
    fn write(&mut self, part: &[u8]) -> io::Result<usize> {
        self.0.write(part)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_packed_comes_back_however_it_came() {
        let text = "[{\"name\":\"RunTask\"},\n".repeat(20_000).into_bytes();
        let mut writer = TraceWriter::new();
        for part in text.chunks(777) {
            writer.write_all(part).expect("memory");
        }
        let ways = [
            TraceText::of(&text),
            writer.done().expect("memory"),
            TraceText::read(text.as_slice(), 1 << 20, 1 << 20, "t").expect("short enough"),
        ];
        for way in ways {
            assert!(way.packed().len() * 100 < text.len());
            assert_eq!(way.whole().expect("whole"), text);
            assert_eq!(TraceText::from_packed(way.packed().to_vec()).whole().expect("whole"), text);
        }
        let refusal = TraceText::read(text.as_slice(), 1 << 20, 1_000, "t.json").expect_err("too long").to_string();
        assert!(refusal.contains("t.json unpacks to more than 1.0 kB"), "{refusal}");
        assert!(TraceText::from_packed(b"nothing packed".to_vec()).whole().is_err());
    }
}
