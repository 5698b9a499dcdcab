//! Asking for things earlier: preload and priority; why connections ahead of need cannot be tried.

use super::html::{at_head, attribute, each_document, element_names, in_document, rewritten};
use super::{Tried, cannot, destination, places};
use crate::book::Book;
use lol_html::element;
use phainon_core::{ResourceKey, ResourceKind};

/// Names a file at the head of the document, so that it is asked for before anything else finds it.
pub fn preload(book: &mut Book, file: &ResourceKey, font: bool) -> Tried {
    let places = places(book, file)?;
    let kind = if font { ResourceKind::Font } else { book.answers[places[0]].kind };
    let link = preload_link(book, places[0], kind, None);
    if in_document(book, |text, _| at_head(text, &link)) { Ok(Vec::new()) } else { no_document() }
}

pub(super) fn no_document() -> Tried {
    cannot("The document is not one that could be changed.")
}

pub(super) fn preload_link(book: &Book, place: usize, kind: ResourceKind, priority: Option<&str>) -> String {
    let answer = &book.answers[place];
    // Fonts are always asked for so; scripts and sheets of elsewhere as their tags say, which is rare.
    let anonymous = kind == ResourceKind::Font || destination(kind) == "fetch";
    format!(
        "<link rel=\"preload\" href=\"{}\" as=\"{}\"{}{}>",
        attribute(&answer.url),
        destination(kind),
        if anonymous { " crossorigin" } else { "" },
        priority.map(|p| format!(" fetchpriority=\"{p}\"")).unwrap_or_default(),
    )
}

/// Gives a file a high priority: by its tag, or by a preload where it has none.
pub fn raise(book: &mut Book, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let changed = each_document(book, |markup, base| {
        rewritten(
            markup,
            vec![element!("img, link, script, iframe", |el| {
                if element_names(el, base, file) {
                    el.set_attribute("fetchpriority", "high")?;
                }
                Ok(())
            })],
        )
    });
    if changed > 0 {
        return Ok(Vec::new());
    }
    let link = preload_link(book, places[0], book.answers[places[0]].kind, Some("high"));
    if in_document(book, |text, _| at_head(text, &link)) {
        Ok(vec!["No tag names it, so a preload with a high priority does.".to_owned()])
    } else {
        no_document()
    }
}

/// Opening connections to a host ahead of need is what browsers do of their own accord when a page hints at it;
/// the headless shell does not, so a trial with the hint and one without would be the same.
pub fn preconnect(book: &Book, host: &str) -> Tried {
    if !book.hosts().contains(host) {
        return cannot(format!("This load asked {host} for nothing."));
    }
    cannot("The browser that loads the page here opens no connection on a hint, so a trial would show no difference.")
}
