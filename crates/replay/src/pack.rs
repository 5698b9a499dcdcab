//! Content encodings: bodies are kept unpacked, and go out packed as they came.

use flate2::{Compression, GzBuilder, write::ZlibEncoder};
use std::io::Write;

/// A content encoding (RFC 9110, section 8.4.1).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Encoding {
    Gzip,
    Deflate,
    Brotli,
    Zstd,
}

/// The longest comment that a gzip header may reasonably have: what a body is filled up by at most.
const MOST_FILLING: usize = 1 << 20;

impl Encoding {
    /// By the value of a `content-encoding` header; `None` for what is none, or several, or unknown.
    #[must_use]
    pub fn named(value: &str) -> Option<Self> {
        match value.trim().to_ascii_lowercase().as_str() {
            "gzip" | "x-gzip" => Some(Self::Gzip),
            "deflate" => Some(Self::Deflate),
            "br" => Some(Self::Brotli),
            "zstd" => Some(Self::Zstd),
            _ => None,
        }
    }

    /// As the header says it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Gzip => "gzip",
            Self::Deflate => "deflate",
            Self::Brotli => "br",
            Self::Zstd => "zstd",
        }
    }

    /// Levels that packers of the trade use, from fast to small.
    fn levels(self) -> &'static [u32] {
        match self {
            Self::Gzip | Self::Deflate => &[1, 4, 6, 9],
            Self::Brotli => &[1, 4, 5, 9, 11],
            Self::Zstd => &[1, 3, 9, 19],
        }
    }

    /// Packs at a level.
    fn at(self, body: &[u8], level: u32) -> Vec<u8> {
        // Writing to memory does not fail.
        match self {
            Self::Gzip => gzip(body, level, 0),
            Self::Deflate => {
                let mut encoder = ZlibEncoder::new(Vec::new(), Compression::new(level));
                let _ = encoder.write_all(body);
                encoder.finish().unwrap_or_default()
            }
            Self::Brotli => {
                let mut packed = Vec::new();
                let mut writer = brotli::CompressorWriter::new(&mut packed, 4096, level, 22);
                let _ = writer.write_all(body);
                drop(writer);
                packed
            }
            Self::Zstd => zstd::encode_all(body, i32::try_from(level).unwrap_or(3)).unwrap_or_default(),
        }
    }

    /// As small as servers pack as a rule: what an edit packs anew.
    #[must_use]
    pub fn usual(self, body: &[u8]) -> Vec<u8> {
        self.at(
            body,
            match self {
                Self::Gzip | Self::Deflate => 6,
                Self::Brotli => 5,
                Self::Zstd => 3,
            },
        )
    }

    /// Packed to the size at which it was recorded, as near as its levels come; what gzip makes smaller
    /// than that is filled up by a comment in its header (RFC 1952), which browsers pass over, and zstd by
    /// a frame that is skipped (RFC 8878).
    #[must_use]
    pub fn to_size(self, body: &[u8], size: usize) -> Vec<u8> {
        let mut best: Option<Vec<u8>> = None;
        for level in self.levels() {
            let packed = self.at(body, *level);
            let nearer = best.as_ref().is_none_or(|b| packed.len().abs_diff(size) < b.len().abs_diff(size));
            let small = packed.len() <= size;
            if nearer || (small && best.as_ref().is_some_and(|b| b.len() > size)) {
                best = Some(packed);
            }
            if small {
                break;
            }
        }
        let packed = best.unwrap_or_default();
        let short = size.saturating_sub(packed.len()).min(MOST_FILLING);
        match self {
            Self::Gzip if short > 1 => {
                // The level is told by the size that it made.
                let level = self.levels().iter().find(|l| self.at(body, **l).len() == packed.len());
                gzip(body, level.copied().unwrap_or(6), short - 1)
            }
            Self::Zstd if short >= 8 => {
                let mut filled = packed;
                filled.extend(0x184D_2A50_u32.to_le_bytes());
                filled.extend(u32::try_from(short - 8).unwrap_or(0).to_le_bytes());
                filled.resize(filled.len() + short - 8, 0);
                filled
            }
            _ => packed,
        }
    }
}

/// Packed by gzip, with so many letters of comment that nothing packs any further.
fn gzip(body: &[u8], level: u32, comment: usize) -> Vec<u8> {
    let builder = GzBuilder::new();
    let builder = if comment > 0 { builder.comment(vec![b'.'; comment]) } else { builder };
    let mut encoder = builder.write(Vec::new(), Compression::new(level));
    let _ = encoder.write_all(body);
    encoder.finish().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Read;

    fn text() -> Vec<u8> {
        (0..4_000u32).flat_map(|n| format!("harbour {} tide {}\n", n * 7_919 % 1_000, n % 13).into_bytes()).collect()
    }

    #[test]
    fn a_body_is_packed_to_its_recorded_size_and_unpacks_to_itself() {
        let text = text();
        for level in [1, 6, 9] {
            let recorded = gzip(&text, level, 0).len() + 37;
            let packed = Encoding::Gzip.to_size(&text, recorded);
            assert_eq!(packed.len(), recorded, "level {level}");
            let mut back = Vec::new();
            flate2::read::GzDecoder::new(&*packed).read_to_end(&mut back).expect("gzip");
            assert_eq!(back, text);
        }
        let recorded = Encoding::Zstd.usual(&text).len() + 100;
        let packed = Encoding::Zstd.to_size(&text, recorded);
        assert_eq!(packed.len(), recorded);
        assert_eq!(zstd::decode_all(&*packed).expect("zstd"), text);
    }

    #[test]
    fn brotli_comes_as_near_as_its_levels_do() {
        let text = text();
        let recorded = Encoding::Brotli.at(&text, 5).len();
        let packed = Encoding::Brotli.to_size(&text, recorded);
        assert_eq!(packed.len(), recorded);
        let mut back = Vec::new();
        brotli::Decompressor::new(&*packed, 4096).read_to_end(&mut back).expect("brotli");
        assert_eq!(back, text);
    }

    #[test]
    fn what_cannot_be_made_so_small_is_as_small_as_it_gets() {
        let text = text();
        let least = Encoding::Gzip.at(&text, 9).len();
        assert_eq!(Encoding::Gzip.to_size(&text, 10).len(), least);
        assert_eq!(Encoding::named("identity"), None);
        assert_eq!(Encoding::named("GZIP"), Some(Encoding::Gzip));
    }
}
