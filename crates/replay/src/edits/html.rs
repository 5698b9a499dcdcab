//! Rewriting documents: tags by what they name.

use crate::book::Book;
use lol_html::html_content::Element;
use lol_html::{ElementContentHandlers, RewriteStrSettings, Selector, rewrite_str};
use phainon_core::{ResourceKey, ResourceKind};
use std::borrow::Cow;
use url::Url;

/// What addresses in a document count from: its own, or what its `base` says.
#[must_use]
pub fn base_of(url: &str, text: &str) -> Option<Url> {
    let own = Url::parse(url).ok()?;
    let mut set = None;
    let find = lol_html::element!("base[href]", |el| {
        set = set.take().or_else(|| el.get_attribute("href"));
        Ok(())
    });
    let _ = rewritten(text, vec![find]);
    set.and_then(|href| own.join(&href).ok()).or(Some(own))
}

/// Whether an address as it stands names a file.
#[must_use]
pub fn names(base: &Url, address: &str, file: &ResourceKey) -> bool {
    base.join(address.trim()).is_ok_and(|url| ResourceKey::of(url.as_str()) == *file)
}

/// Whether any of an element's addresses names a file.
#[must_use]
pub fn element_names(el: &Element<'_, '_>, base: &Url, file: &ResourceKey) -> bool {
    ["src", "href", "data", "poster", "data-src", "data-lazy-src", "data-original", "data-bg", "data-background"]
        .iter()
        .filter_map(|name| el.get_attribute(name))
        .any(|address| names(base, &address, file))
        || ["srcset", "imagesrcset", "data-srcset", "data-lazy-srcset"]
            .iter()
            .filter_map(|name| el.get_attribute(name))
            .any(|set| in_srcset(&set).any(|address| names(base, address, file)))
}

/// The addresses of a `srcset`.
pub fn in_srcset(set: &str) -> impl Iterator<Item = &str> {
    set.split(',').filter_map(|part| part.split_whitespace().next())
}

/// A handler for the elements that a selector finds.
pub type Handler<'h> = (Cow<'h, Selector>, ElementContentHandlers<'h>);

/// A document with some of its elements changed; `None` where it cannot be read as one.
#[must_use]
pub fn rewritten(text: &str, handlers: Vec<Handler<'_>>) -> Option<String> {
    let settings =
        handlers.into_iter().fold(RewriteStrSettings::new(), |s, handler| s.append_element_content_handler(handler));
    rewrite_str(text, settings).ok()
}

/// Changes every document of a book: `change` gets its text and what its addresses count from, and gives
/// the new text where it changed anything. Gives how many did.
pub fn each_document(book: &mut Book, mut change: impl FnMut(&str, &Url) -> Option<String>) -> usize {
    let mut changed = 0;
    for answer in &mut book.answers {
        if answer.kind != ResourceKind::Document || !answer.exact || answer.body.is_empty() {
            continue;
        }
        let Some(text) = answer.text() else { continue };
        let Some(base) = base_of(&answer.url, &text) else { continue };
        if let Some(new) = change(&text, &base).filter(|new| *new != text) {
            answer.set_text(&new);
            changed += 1;
        }
    }
    changed
}

/// Changes the page's own document alone.
pub fn in_document(book: &mut Book, change: impl FnOnce(&str, &Url) -> Option<String>) -> bool {
    let Some(place) = book.document_place() else { return false };
    let answer = &mut book.answers[place];
    let Some(text) = answer.text() else { return false };
    let Some(base) = base_of(&answer.url, &text) else { return false };
    match change(&text, &base).filter(|new| *new != text) {
        Some(new) => {
            answer.set_text(&new);
            true
        }
        None => false,
    }
}

/// Puts markup at the very beginning of a document's head, before everything that could ask for something.
#[must_use]
pub fn at_head(text: &str, markup: &str) -> Option<String> {
    let mut done = false;
    let handlers = vec![lol_html::element!("head", |el| {
        if !done {
            el.prepend(markup, lol_html::html_content::ContentType::Html);
            done = true;
        }
        Ok(())
    })];
    let new = rewritten(text, handlers)?;
    if done {
        return Some(new);
    }
    // A document without a head tag gets one by the parser; what stands after the doctype is in it.
    let lower = text.to_ascii_lowercase();
    let after = lower.find("<!doctype").and_then(|at| lower[at..].find('>').map(|end| at + end + 1)).unwrap_or(0);
    let after = match lower[after..].trim_start().strip_prefix("<html") {
        Some(rest) => lower.len() - rest.len() + rest.find('>').map_or(0, |end| end + 1),
        None => after,
    };
    Some(format!("{}{markup}{}", &text[..after], &text[after..]))
}

/// Puts markup at the end of a document's body.
#[must_use]
pub fn at_end(text: &str, markup: &str) -> String {
    match text.to_ascii_lowercase().rfind("</body") {
        Some(at) => format!("{}{markup}{}", &text[..at], &text[at..]),
        None => format!("{text}{markup}"),
    }
}

/// A text as the value of an attribute between double quotes.
#[must_use]
pub fn attribute(text: &str) -> String {
    text.replace('&', "&amp;").replace('"', "&quot;").replace('<', "&lt;")
}

/// Whether a `script` element holds code that runs, rather than data.
#[must_use]
pub fn is_code(el: &Element<'_, '_>) -> bool {
    let kind = el.get_attribute("type").unwrap_or_default().trim().to_ascii_lowercase();
    kind.is_empty() || kind == "module" || kind.contains("javascript") || kind.contains("ecmascript")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_count_from_the_base_and_hashes_do_not() {
        let base = base_of("http://a.test/x/", "<base href=/y/><p>").expect("an address");
        let file = ResourceKey::of("http://a.test/y/app.3f9a1c7b.js");
        assert!(names(&base, "app.99ff00aa.js", &file) && !names(&base, "/x/app.99ff00aa.js", &file));
    }

    #[test]
    fn the_head_begins_where_the_parser_begins_it() {
        for (text, with) in [
            ("<!doctype html><html><head><title>a", "<!doctype html><html><head>+<title>a"),
            ("<!DOCTYPE html><title>a", "<!DOCTYPE html>+<title>a"),
            ("<!doctype html>\n<html lang=en><title>a", "<!doctype html>\n<html lang=en>+<title>a"),
            ("<p>a", "+<p>a"),
        ] {
            assert_eq!(at_head(text, "+").as_deref(), Some(with));
        }
        assert_eq!(at_end("<body><p>a</BODY></html>", "+"), "<body><p>a+</BODY></html>");
    }
}
