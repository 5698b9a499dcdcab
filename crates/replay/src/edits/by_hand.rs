//! A file that somebody changed by hand, or put in its place.

use super::{Tried, cannot};
use crate::book::Book;

/// Gives the answers of an address another body.
pub fn replace(book: &mut Book, url: &str, body: &[u8]) -> Tried {
    let mut found = false;
    for answer in book.answers.iter_mut().filter(|a| *a.url == *url && (200..300).contains(&a.status)) {
        found = true;
        match std::str::from_utf8(body) {
            // A text is written in the encoding that its header names.
            Ok(text) if answer.text().is_some() => answer.set_text(text),
            _ => answer.set_body(body.to_vec()),
        }
    }
    if found { Ok(Vec::new()) } else { cannot(format!("This load has no answer from {url} that could be replaced.")) }
}
