//! The largest picture in the HTML: an element that waits for a script to tell it its picture is told at once,
//! and the picture is fetched first.

use super::html::{at_head, in_document, names, rewritten};
use super::preload::{no_document, preload_link};
use super::{Known, Tried, places};
use crate::book::Book;
use lol_html::element;
use lol_html::html_content::{ContentType, Element};
use phainon_core::{ResourceKey, ResourceKind};
use std::cell::Cell;
use url::Url;

/// How the document came to show the picture.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Shown {
    /// Where it would stand is not known.
    Nowhere,
    /// The element that waited for it has it.
    InPlace,
    /// It stands where a script would have put it.
    Inserted,
}

/// Has the document itself name the largest picture.
pub fn put_in_html(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let url = book.answers[places[0]].url.clone();
    let shown = Cell::new(Shown::Nowhere);
    // What a script inserted is known as it stood in the page when the load was over.
    let largest = known.prepared.load.largest();
    let inserted = largest
        .filter(|l| l.url.as_ref().is_some_and(|u| ResourceKey::of(u) == *file))
        .and_then(|l| l.snippet.clone())
        .filter(|snippet| snippet.starts_with("<img ") && snippet.ends_with('>'));
    in_document(book, |markup, base| {
        let new = rewritten(
            markup,
            vec![
                element!("img", |el| {
                    let own = el.get_attribute("src").is_some_and(|src| names(base, &src, file));
                    if own || data_names(el, base, file) {
                        el.set_attribute("src", &url)?;
                        el.set_attribute("fetchpriority", "high")?;
                        el.remove_attribute("loading");
                        shown.set(Shown::InPlace);
                    }
                    Ok(())
                }),
                element!("[data-bg], [data-background], [data-background-image]", |el| {
                    if data_names(el, base, file) {
                        let style = el.get_attribute("style").unwrap_or_default();
                        el.set_attribute("style", &format!("background-image:url('{url}');{style}"))?;
                        shown.set(Shown::InPlace);
                    }
                    Ok(())
                }),
            ],
        )?;
        let Some(tag) = inserted.as_ref().filter(|_| shown.get() == Shown::Nowhere) else { return Some(new) };
        rewritten(
            &new,
            vec![element!("div, section, figure, header, main, article, a, span", |el| {
                if shown.get() == Shown::Nowhere && data_names(el, base, file) {
                    el.prepend(&tag.replacen("<img ", "<img fetchpriority=\"high\" ", 1), ContentType::Html);
                    shown.set(Shown::Inserted);
                }
                Ok(())
            })],
        )
    });
    let link = preload_link(book, places[0], ResourceKind::Image, Some("high"));
    if !in_document(book, |text, _| at_head(text, &link)) {
        return no_document();
    }
    let told = match shown.get() {
        Shown::InPlace => return Ok(Vec::new()),
        Shown::Inserted => {
            "It stands where a script put it, in the element that names it. Where that script does not look whether it is there, it inserts it once more: leave that out of it."
        }
        Shown::Nowhere => {
            "Where in the document it would stand is not known, so it is only fetched first: what puts it there still has to run."
        }
    };
    Ok(vec![told.to_owned()])
}

/// Whether an element keeps a file's address for a script.
fn data_names(el: &Element<'_, '_>, base: &Url, file: &ResourceKey) -> bool {
    el.attributes().iter().any(|a| a.name().starts_with("data-") && names(base, &a.value(), file))
}
