//! A font with the letters that the page has, and no others.

use super::used::Used;
use super::{CannotTry, Known, Tried, cannot, places};
use crate::book::Book;
use html_escape::decode_html_entities;
use phainon_core::{Bytes, ResourceKey, ResourceKind};
use read_fonts::collections::IntSet;
use read_fonts::tables::cmap::CmapSubtable;
use read_fonts::types::NameId;
use read_fonts::{FontRef, TableProvider};
use skera::{DEFAULT_DROP_TABLES, DEFAULT_LAYOUT_FEATURES, Plan, SubsetFlags, subset_font};
use std::collections::BTreeSet;
use std::panic::catch_unwind;
use ttf2woff2::BrotliQuality;

/// Larger fonts are left as they are: unpacked they may be far larger still.
const LARGEST: usize = 8 << 20;

/// Leaves the letters out of a font that occur nowhere on the page.
pub fn subset(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    if book.answers[places[0]].kind != ResourceKind::Font {
        return cannot(format!("{} is no font.", file.name()));
    }
    let letters = letters(book, known);
    let mut told = Vec::new();
    for place in places {
        let answer = &mut book.answers[place];
        if !answer.exact || answer.body.is_empty() {
            return cannot(format!("The body of {} was not kept.", file.name()));
        }
        let smaller = with_letters(&answer.body, &letters);
        let Subset { font, kept, of } = smaller.map_err(|why| CannotTry(format!("{}: {why}", file.name())))?;
        if font.len() >= answer.body.len() {
            return cannot(format!("{} holds next to nothing that the page does not need.", file.name()));
        }
        told = vec![format!(
            "{kept} of {of} characters are left, {} of {}: those that stand in the documents, data and scripts of this load and in the styles that it used, in capitals and small. What visitors type, and what other pages say, may need more.",
            Bytes(font.len() as u64).text(),
            Bytes(answer.body.len() as u64).text()
        )];
        answer.set_body(font);
    }
    Ok(told)
}

/// The letters that stand anywhere in the page's texts, in capitals and small, and those of ASCII.
fn letters(book: &Book, known: &Known<'_>) -> BTreeSet<char> {
    let mut found: BTreeSet<char> = (' '..='~').collect();
    for answer in book.answers.iter().filter(|a| a.exact) {
        let Some(text) = answer.text() else { continue };
        let text = match answer.kind {
            ResourceKind::Document => decode_html_entities(&text).into_owned(),
            ResourceKind::Style => used_styles(&text, known, &ResourceKey::of(&answer.url)),
            _ => text,
        };
        found.extend(escaped(&text));
        found.extend(text.chars());
    }
    let cased: Vec<char> = found.iter().flat_map(|c| c.to_uppercase().chain(c.to_lowercase())).collect();
    found.extend(cased);
    found.retain(|c| !c.is_control());
    found
}

/// The rules of a sheet that the page used; all of it where nobody looked. A font of signs has a rule for each.
fn used_styles(text: &str, known: &Known<'_>, file: &ResourceKey) -> String {
    let coverage = known.coverage.iter().find(|c| ResourceKey::of(&c.url) == *file);
    let used = coverage.and_then(|c| Used::of(text, c));
    used.map_or_else(|| text.to_owned(), |used| used.parts().map(|part| &text[part]).collect())
}

/// Characters that are written by their numbers, as sheets (`\\2014`) and scripts (`\\u2014`, `\\u{1f6a2}`, `\\xe9`) do.
fn escaped(text: &str) -> impl Iterator<Item = char> {
    text.split('\\').skip(1).filter_map(|after| {
        let digits = after.trim_start_matches(['u', 'x', '{']);
        let end = digits.find(|c: char| !c.is_ascii_hexdigit()).unwrap_or(digits.len());
        // A sheet's number has up to six digits; a script's without braces has four, and pairs are not put together.
        let most = if after.starts_with("u{") || digits.len() == after.len() {
            6
        } else if after.starts_with('x') {
            2
        } else {
            4
        };
        char::from_u32(u32::from_str_radix(&digits[..end.min(most)], 16).ok()?)
    })
}

/// A font with fewer characters.
struct Subset {
    font: Vec<u8>,
    kept: usize,
    of: usize,
}

fn with_letters(font: &[u8], letters: &BTreeSet<char>) -> Result<Subset, String> {
    let unreadable = || "it could not be read as a font.".to_owned();
    if font.len() > LARGEST {
        return Err(format!("it is larger than {}, which is not taken apart here.", Bytes(LARGEST as u64).text()));
    }
    // What is no font may be anything: whatever its reader makes of it ends here.
    let made = catch_unwind(|| {
        let (plain, packed) = match font {
            [b'w', b'O', b'F', b'2', ..] => (wuff::decompress_woff2(font).ok()?, true),
            [b'w', b'O', b'F', b'F', ..] => (wuff::decompress_woff1(font).ok()?, true),
            _ => (font.to_vec(), false),
        };
        let read = FontRef::new(&plain).ok()?;
        let known = characters(&read);
        let wanted: IntSet<u32> = letters.iter().map(|c| u32::from(*c)).filter(|c| known.contains(c)).collect();
        let kept = usize::try_from(wanted.len()).ok()?;
        let names: IntSet<NameId> = (0..=6).map(NameId::new).collect();
        let plan = Plan::new(
            &IntSet::empty(),
            &wanted,
            &read,
            SubsetFlags::default(),
            &DEFAULT_DROP_TABLES.iter().copied().collect(),
            &IntSet::all(),
            &DEFAULT_LAYOUT_FEATURES.iter().copied().collect(),
            &names,
            &[0x0409].into_iter().collect(),
        );
        let smaller = subset_font(&read, &plan).ok()?;
        let font = if packed { ttf2woff2::encode(&smaller, BrotliQuality::default()).ok()? } else { smaller };
        Some(Subset { font, kept, of: known.len() })
    });
    made.ok().flatten().ok_or_else(unreadable)
}

/// The characters that a font has, by its character map.
fn characters(font: &FontRef<'_>) -> BTreeSet<u32> {
    let Ok(map) = font.cmap() else { return BTreeSet::new() };
    let tables = map.encoding_records().iter().filter_map(|record| record.subtable(map.offset_data()).ok());
    let of = |table: CmapSubtable<'_>| match table {
        CmapSubtable::Format4(table) => table.iter().map(|(c, _)| c).collect(),
        CmapSubtable::Format12(table) => table.iter().map(|(c, _)| c).collect(),
        _ => Vec::new(),
    };
    // The last segment of a map is no character.
    tables.flat_map(of).filter(|c| *c != 0xffff).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const QUAY: &[u8] = include_bytes!("../../../standin/assets/quay-400.woff2");

    #[test]
    fn only_the_letters_asked_for_are_left_and_it_is_still_a_font() {
        let letters: BTreeSet<char> = "Ferry to the isles".chars().collect();
        let Subset { font, kept, of } = with_letters(QUAY, &letters).expect("a font");
        assert!(font.len() * 2 < QUAY.len(), "{} of {}", font.len(), QUAY.len());
        assert!(kept == letters.len() && of > 100, "{kept} of {of}");
        let plain = wuff::decompress_woff2(&font).expect("packed as it was");
        let left = characters(&FontRef::new(&plain).expect("a font"));
        assert_eq!(left, letters.iter().map(|c| u32::from(*c)).collect());
    }

    #[test]
    fn what_is_no_font_is_refused() {
        let letters = BTreeSet::from(['a']);
        for body in [&b"no font"[..], b"wOF2", b"", &QUAY[..900]] {
            assert!(with_letters(body, &letters).is_err());
        }
    }

    #[test]
    fn characters_written_by_their_numbers_are_found() {
        let found: String = escaped(r#".a::before{content:"\f101"} "\u2014" "\u{1f6a2}" "\xe9rt" \n"#).collect();
        assert_eq!(found, "\u{f101}\u{2014}\u{1f6a2}\u{e9}");
    }
}
