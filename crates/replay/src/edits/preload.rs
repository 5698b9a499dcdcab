//! Asking for things earlier: preload, priority, the largest picture in the HTML, connections ahead of need.

use super::html::{at_head, attribute, each_document, element_names, in_document, names, rewritten};
use super::{Tried, cannot, destination, places};
use crate::book::Book;
use lol_html::element;
use phainon_core::{ResourceKey, ResourceKind};
use std::cell::Cell;
use url::Url;

/// Names a file at the head of the document, so that it is asked for before anything else finds it.
pub fn preload(book: &mut Book, file: &ResourceKey, font: bool) -> Tried {
    let places = places(book, file)?;
    let kind = if font { ResourceKind::Font } else { book.answers[places[0]].kind };
    let link = preload_link(book, places[0], kind, None);
    if in_document(book, |text, _| at_head(text, &link)) { Ok(Vec::new()) } else { no_document() }
}

fn no_document() -> Tried {
    cannot("The document is not one that could be changed.")
}

fn preload_link(book: &Book, place: usize, kind: ResourceKind, priority: Option<&str>) -> String {
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

/// Has the document itself name the largest picture: an element that waits for a script to tell it its
/// picture is told at once, and the picture is fetched first.
pub fn put_in_html(book: &mut Book, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let url = book.answers[places[0]].url.clone();
    let shown = Cell::new(false);
    in_document(book, |markup, base| {
        rewritten(
            markup,
            vec![
                element!("img", |el| {
                    let late: Vec<String> = el
                        .attributes()
                        .iter()
                        .filter(|a| a.name().starts_with("data-") && names(base, &a.value(), file))
                        .map(|a| a.name())
                        .collect();
                    let own = el.get_attribute("src").is_some_and(|src| names(base, &src, file));
                    if own || !late.is_empty() {
                        el.set_attribute("src", &url)?;
                        el.set_attribute("fetchpriority", "high")?;
                        el.remove_attribute("loading");
                        shown.set(true);
                    }
                    Ok(())
                }),
                element!("[data-bg], [data-background], [data-background-image]", |el| {
                    let names_it = ["data-bg", "data-background", "data-background-image"]
                        .iter()
                        .filter_map(|n| el.get_attribute(n))
                        .any(|a| names(base, &a, file));
                    if names_it {
                        let style = el.get_attribute("style").unwrap_or_default();
                        el.set_attribute("style", &format!("background-image:url('{url}');{style}"))?;
                        shown.set(true);
                    }
                    Ok(())
                }),
            ],
        )
    });
    let link = preload_link(book, places[0], ResourceKind::Image, Some("high"));
    if !in_document(book, |text, _| at_head(text, &link)) {
        return no_document();
    }
    Ok(if shown.get() {
        Vec::new()
    } else {
        vec!["Where in the document it would stand is not known, so it is only fetched first: what puts it there still has to run.".to_owned()]
    })
}

/// Opens connections to a host before anything there is asked for.
pub fn preconnect(book: &mut Book, host: &str) -> Tried {
    let of_host: Vec<&crate::Answer> =
        book.answers.iter().filter(|a| crate::book::host_of(&a.url).as_deref() == Some(host)).collect();
    let Some(origin) = of_host.first().and_then(|a| Url::parse(&a.url).ok()).map(|u| u.origin().ascii_serialization())
    else {
        return cannot(format!("This load asked {host} for nothing."));
    };
    // Fonts and fetched data go over connections without credentials, which are others.
    let anonymous = of_host.iter().any(|a| matches!(a.kind, ResourceKind::Font | ResourceKind::Data));
    let plain = of_host.iter().any(|a| !matches!(a.kind, ResourceKind::Font | ResourceKind::Data));
    let mut links = String::new();
    if plain {
        links.push_str(&format!("<link rel=\"preconnect\" href=\"{}\">", attribute(&origin)));
    }
    if anonymous {
        links.push_str(&format!("<link rel=\"preconnect\" href=\"{}\" crossorigin>", attribute(&origin)));
    }
    if in_document(book, |text, _| at_head(text, &links)) { Ok(Vec::new()) } else { no_document() }
}
