//! What the browser saw used of a text.

use phainon_core::metrics::Coverage;
use std::ops::Range;

/// Ranges of a text that were used, in bytes.
pub struct Used(Vec<Range<usize>>);

impl Used {
    /// Of a text; `None` where the ranges are not of it.
    pub fn of(text: &str, coverage: &Coverage) -> Option<Self> {
        // The browser counts in UTF-16 units.
        let mut wanted: Vec<usize> = coverage.used.iter().flat_map(|(a, b)| [*a as usize, *b as usize]).collect();
        wanted.sort_unstable();
        let mut bytes = std::collections::HashMap::with_capacity(wanted.len());
        let mut units = 0;
        let mut next = wanted.iter().copied().peekable();
        for (at, letter) in text.char_indices() {
            while let Some(wanted) = next.next_if(|w| *w <= units) {
                bytes.insert(wanted, at);
            }
            units += letter.len_utf16();
        }
        for rest in next {
            if rest > units {
                return None;
            }
            bytes.insert(rest, text.len());
        }
        let at = |unit: u32| bytes.get(&(unit as usize)).copied();
        coverage.used.iter().map(|(a, b)| Some(at(*a)?..at(*b)?)).collect::<Option<Vec<_>>>().map(Self)
    }

    /// Whether any of it was used.
    pub fn touches(&self, range: &Range<usize>) -> bool {
        // Ranges are in order and without overlap.
        let first = self.0.partition_point(|r| r.end <= range.start);
        self.0.get(first).is_some_and(|r| r.start < range.end)
    }

    /// The ranges, in bytes.
    pub fn parts(&self) -> impl Iterator<Item = Range<usize>> {
        self.0.iter().cloned()
    }
}
