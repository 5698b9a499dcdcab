//! The text in rows that can be read.

use super::DocumentRow;

/// A row of the text is at most this long; longer lines go on in the next row.
const ROW: usize = 96;

/// The text in rows: at line ends, and where a line is too long to read.
pub fn rows(body: &[u8]) -> Vec<DocumentRow> {
    let mut rows = Vec::new();
    let mut at = 0;
    for (line, text) in (1u32..).zip(body.split_inclusive(|b| *b == b'\n')) {
        let mut rest = text;
        let mut number = Some(line);
        while !rest.is_empty() {
            let mut cut = rest.len().min(ROW);
            // Not within a character.
            while cut < rest.len() && cut > 1 && (rest[cut] & 0xC0) == 0x80 {
                cut -= 1;
            }
            // Rather at a tag or a blank than within a word, if one is near.
            if cut < rest.len()
                && let Some(better) = rest[cut / 2..cut].iter().rposition(|b| matches!(b, b' ' | b'>' | b';' | b'}'))
            {
                cut = cut / 2 + better + 1;
            }
            let (row, after) = rest.split_at(cut.max(1));
            rows.push(DocumentRow {
                at: u32::try_from(at).unwrap_or(u32::MAX),
                line: number,
                text: String::from_utf8_lossy(row).trim_end_matches(['\n', '\r']).to_owned(),
            });
            number = None;
            at += row.len();
            rest = after;
        }
    }
    rows
}
