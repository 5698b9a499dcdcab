//! How long browsers may keep files.

use super::{Known, Tried, cannot, in_scope};
use crate::book::Book;
use phainon_core::Scope;

/// A year, the longest that is usual (RFC 9111 sets no limit), for files whose name has their version.
const A_YEAR: &str = "public, max-age=31536000, immutable";

/// Lets browsers keep files for a year.
pub fn cache_longer(book: &mut Book, known: &Known<'_>, scope: &Scope) -> Tried {
    let document = book.document_place();
    let places: Vec<usize> = in_scope(book, known, scope).into_iter().filter(|p| Some(*p) != document).collect();
    if places.is_empty() {
        return cannot("Nothing in this load is meant by that.");
    }
    for place in places {
        let answer = &mut book.answers[place];
        answer.set_header("cache-control", Some(A_YEAR));
        for old in ["expires", "pragma"] {
            answer.set_header(old, None);
        }
    }
    Ok(vec!["First visits stay as they are; it is the return visit that gains.".to_owned()])
}
