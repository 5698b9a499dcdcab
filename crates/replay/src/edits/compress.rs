//! Text sent packed, and code sent without what only people read.

use super::{Known, Tried, cannot, in_scope};
use crate::book::Book;
use crate::pack::Encoding;
use phainon_core::{ResourceKind, Scope};

/// Sends text packed by gzip, as servers do as a rule.
pub fn compress(book: &mut Book, known: &Known<'_>, scope: &Scope) -> Tried {
    let mut packed = 0;
    for place in in_scope(book, known, scope) {
        let answer = &mut book.answers[place];
        let worth = answer.body.len() > 200 && answer.encoding.is_none() && answer.exact && is_text(answer);
        if worth && Encoding::Gzip.usual(&answer.body).len() < answer.body.len() {
            (answer.encoding, answer.wire) = (Some(Encoding::Gzip), None);
            answer.set_header("vary", Some("accept-encoding"));
            packed += 1;
        }
    }
    if packed == 0 { cannot("Nothing of it is text that comes unpacked.") } else { Ok(Vec::new()) }
}

fn is_text(answer: &crate::Answer) -> bool {
    let kind = answer.header("content-type").unwrap_or_default();
    answer.text().is_some() || kind.contains("svg") || kind.contains("xml")
}

/// Sends style sheets and scripts without comments and blanks.
pub fn minify(book: &mut Book, known: &Known<'_>, scope: &Scope) -> Tried {
    let mut smaller = 0;
    for place in in_scope(book, known, scope) {
        let answer = &mut book.answers[place];
        let Some(text) = answer.text().filter(|_| answer.exact) else { continue };
        let new = match answer.kind {
            ResourceKind::Script => minifier::js::minify(&text).to_string(),
            ResourceKind::Style => match minifier::css::minify(&text) {
                Ok(new) => new.to_string(),
                Err(_) => continue,
            },
            _ => continue,
        };
        if new.len() < text.len() {
            answer.set_text(&new);
            smaller += 1;
        }
    }
    if smaller == 0 {
        return cannot("Nothing of it is code that would become smaller.");
    }
    Ok(Vec::new())
}
