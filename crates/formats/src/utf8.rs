//! Text as a stream that is UTF-8 whatever came.

use std::cell::Cell;
use std::io::{self, Read};

/// So much is looked at at once.
const BLOCK: u64 = 1 << 16;

/// Replaces what is not UTF-8 by U+FFFD, as the Encoding standard says, and counts the places.
pub(crate) struct Utf8<'c, R> {
    from: R,
    places: &'c Cell<usize>,
    block: u64,
    /// What came and was not looked at: at most the beginning of one character.
    raw: Vec<u8>,
    text: Vec<u8>,
    /// How much of the text was handed on.
    at: usize,
    ended: bool,
}

impl<'c, R: Read> Utf8<'c, R> {
    pub fn new(from: R, places: &'c Cell<usize>) -> Self {
        Self { from, places, block: BLOCK, raw: Vec::new(), text: Vec::new(), at: 0, ended: false }
    }

    fn fill(&mut self) -> io::Result<()> {
        self.text.clear();
        self.at = 0;
        while self.text.is_empty() && !self.ended {
            let had = self.raw.len();
            self.from.by_ref().take(self.block).read_to_end(&mut self.raw)?;
            self.ended = self.raw.len() == had;
            let mut unfinished = 0;
            let mut chunks = self.raw.utf8_chunks().peekable();
            while let Some(chunk) = chunks.next() {
                self.text.extend_from_slice(chunk.valid().as_bytes());
                let invalid = chunk.invalid();
                if invalid.is_empty() {
                    continue;
                }
                let is_last = chunks.peek().is_none();
                if is_last && !self.ended && is_beginning(invalid) {
                    unfinished = invalid.len();
                } else {
                    self.text.extend_from_slice("\u{fffd}".as_bytes());
                    self.places.set(self.places.get() + 1);
                }
            }
            self.raw.drain(..self.raw.len() - unfinished);
        }
        Ok(())
    }
}

/// Whether bytes at the end of a block may become a character with those that follow.
fn is_beginning(bytes: &[u8]) -> bool {
    matches!(std::str::from_utf8(bytes), Err(error) if error.error_len().is_none())
}

impl<R: Read> Read for Utf8<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.at == self.text.len() {
            self.fill()?;
        }
        let rest = &self.text[self.at..];
        let most = rest.len().min(buffer.len());
        buffer[..most].copy_from_slice(&rest[..most]);
        self.at += most;
        Ok(most)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(bytes: &[u8], block: u64) -> (Vec<u8>, usize) {
        let places = Cell::new(0);
        let mut text = Vec::new();
        let mut reader = Utf8 { block, ..Utf8::new(bytes, &places) };
        reader.read_to_end(&mut text).expect("no error");
        (text, places.get())
    }

    proptest! {
        #[test]
        fn any_bytes_read_as_the_library_reads_them_whole(
            bytes in prop::collection::vec(prop_oneof![any::<u8>(), Just(0xe2), Just(0x82), Just(0xac), Just(b'a')], 0..200),
            block in 1u64..9,
        ) {
            let (text, places) = read(&bytes, block);
            prop_assert_eq!(std::str::from_utf8(&text).expect("UTF-8"), String::from_utf8_lossy(&bytes));
            prop_assert_eq!(places == 0, std::str::from_utf8(&bytes).is_ok());
        }
    }

    #[test]
    fn a_character_may_lie_across_blocks_and_a_replaced_one_of_the_file_is_no_place() {
        let whole = "xx€\u{fffd}";
        assert_eq!(read(whole.as_bytes(), 3), (whole.into(), 0));
        assert_eq!(read(b"a\xe2\x82", BLOCK), ("a\u{fffd}".into(), 1));
    }
}
