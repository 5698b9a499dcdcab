//! Holding scripts until somebody touches the page.

use super::html::{at_head, element_names, in_document, is_code, rewritten};
use super::remove::{inline_about, not_in_document, traces_of};
use super::{Known, Tried, asked_by, cannot, in_scope};
use crate::book::Book;
use lol_html::element;
use phainon_core::{ResourceKey, ResourceKind, Scope};
use std::cell::Cell;
use std::collections::BTreeSet;

/// What runs them then. It is what the user is given with the change.
pub const LOADER: &str = include_str!("loader.js");

/// Holds the scripts of a scope, and the inline code that names them, until the first input.
pub fn until_input(book: &mut Book, known: &Known<'_>, scope: &Scope) -> Tried {
    let places: Vec<usize> =
        in_scope(book, known, scope).into_iter().filter(|p| book.answers[*p].kind == ResourceKind::Script).collect();
    let files: BTreeSet<ResourceKey> = places.iter().map(|p| ResourceKey::of(&book.answers[*p].url)).collect();
    let Some(first) = files.first().cloned() else { return cannot("No script in this load is meant by that.") };
    let traces = match scope {
        Scope::Owner { .. } => traces_of(book, &places),
        // Of one file among others, only code that names it goes with it.
        _ => places
            .iter()
            .filter_map(|p| url::Url::parse(&book.answers[*p].url).ok())
            .map(|u| u.path().to_owned())
            .filter(|p| p.len() > 3)
            .collect(),
    };
    let (held, inline) = (Cell::new(0usize), Cell::new(0usize));
    in_document(book, |markup, base| {
        let about = inline_about(markup, &traces)?;
        let at = Cell::new(0usize);
        let new = rewritten(
            markup,
            vec![
                element!("script[src]", |el| {
                    if is_code(el) && files.iter().any(|file| element_names(el, base, file)) {
                        let src = el.get_attribute("src").unwrap_or_default();
                        hold(el)?;
                        el.remove_attribute("src");
                        el.set_attribute("data-held-src", &src)?;
                        held.set(held.get() + 1);
                    }
                    Ok(())
                }),
                element!("script:not([src])", |el| {
                    if about.contains(&at.replace(at.get() + 1)) && is_code(el) {
                        hold(el)?;
                        inline.set(inline.get() + 1);
                    }
                    Ok(())
                }),
                element!("link[rel~=preload], link[rel~=modulepreload]", |el| {
                    if files.iter().any(|file| element_names(el, base, file)) {
                        el.remove();
                    }
                    Ok(())
                }),
            ],
        )?;
        (held.get() + inline.get() > 0).then(|| at_head(&new, &format!("<script>{LOADER}</script>"))).flatten()
    });
    if held.get() + inline.get() == 0 {
        return not_in_document(&first, &asked_by(book, known, &first));
    }
    Ok(match inline.get() {
        0 => Vec::new(),
        count => vec![format!("{count} inline scripts that name its files are held with it.")],
    })
}

fn hold(el: &mut lol_html::html_content::Element<'_, '_>) -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    if let Some(kind) = el.get_attribute("type").filter(|t| !t.is_empty()) {
        el.set_attribute("data-held-type", &kind)?;
    }
    el.set_attribute("type", "text/held")?;
    Ok(())
}
