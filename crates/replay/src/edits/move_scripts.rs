//! Deferring scripts, letting them run whenever they come, moving them to the end.

use super::html::{at_end, each_document, element_names, is_code, rewritten};
use super::remove::not_in_document;
use super::{Known, Tried, asked_by, places};
use crate::book::Book;
use lol_html::html_content::Element;
use lol_html::{element, text};
use phainon_core::{ResourceKey, ResourceKind, global_names};
use std::cell::{Cell, RefCell};
use std::collections::BTreeSet;
use std::fmt::Write as _;

/// Has a script run once the document is parsed, and with it, in order, the scripts after it that use what
/// it defines.
pub fn defer(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    let defined = names_defined(book, file)?;
    let dependants = Cell::new(0usize);
    let uses: BTreeSet<ResourceKey> = book
        .answers
        .iter()
        .filter(|a| a.kind == ResourceKind::Script && a.exact && ResourceKey::of(&a.url) != *file)
        .filter(|a| a.text().is_some_and(|text| global_names::uses_any(&text, &defined)))
        .map(|a| ResourceKey::of(&a.url))
        .collect();
    let changed = each_document(book, |markup, base| {
        let inline = inline_texts(markup)?;
        let (reached, at) = (Cell::new(false), Cell::new(0usize));
        rewritten(
            markup,
            vec![element!("script", |el| {
                let number = at.replace(at.get() + 1);
                if !is_code(el) || el.get_attribute("type").is_some_and(|t| t.eq_ignore_ascii_case("module")) {
                    return Ok(());
                }
                if el.has_attribute("src") {
                    let own = element_names(el, base, file);
                    reached.set(reached.get() || own);
                    let uses = reached.get() && uses.iter().any(|u| element_names(el, base, u));
                    if own || (uses && !el.has_attribute("async")) {
                        dependants.set(dependants.get() + usize::from(!own && !el.has_attribute("defer")));
                        make_deferred(el)?;
                    }
                } else if reached.get() && inline.get(number).is_some_and(|text| global_names::uses_any(text, &defined))
                {
                    // An inline script cannot wait; as a file in its own address it can.
                    let code = inline.get(number).cloned().unwrap_or_default();
                    el.set_attribute("src", &format!("data:text/javascript;charset=utf-8,{}", escaped(&code)))?;
                    el.set_attribute("defer", "")?;
                    el.set_inner_content("", lol_html::html_content::ContentType::Text);
                    dependants.set(dependants.get() + 1);
                }
                Ok(())
            })],
        )
    });
    if changed == 0 {
        return already(book, known, file, "defer");
    }
    Ok(match dependants.get() {
        0 => Vec::new(),
        count => vec![format!("{count} scripts after it that use what it defines wait with it, in their order.")],
    })
}

/// Has a script run whenever it has come.
pub fn make_async(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    places(book, file)?;
    let changed = each_document(book, |markup, base| {
        rewritten(
            markup,
            vec![element!("script[src]", |el| {
                if element_names(el, base, file) && !el.has_attribute("async") {
                    el.remove_attribute("defer");
                    el.set_attribute("async", "")?;
                }
                Ok(())
            })],
        )
    });
    if changed == 0 { already(book, known, file, "async") } else { Ok(Vec::new()) }
}

/// Moves a script's tag to the end of the body.
pub fn to_end(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    places(book, file)?;
    let changed = each_document(book, |markup, base| {
        let moved = RefCell::new(String::new());
        let without = rewritten(
            markup,
            vec![element!("script[src]", |el| {
                if element_names(el, base, file) {
                    let mut tag = "<script".to_owned();
                    for attribute in el.attributes() {
                        let _ = write!(tag, " {}=\"{}\"", attribute.name(), super::html::attribute(&attribute.value()));
                    }
                    moved.borrow_mut().push_str(&(tag + "></script>"));
                    el.remove();
                }
                Ok(())
            })],
        )?;
        let moved = moved.into_inner();
        (!moved.is_empty()).then(|| at_end(&without, &moved))
    });
    if changed == 0 { already(book, known, file, "moved") } else { Ok(Vec::new()) }
}

fn already(book: &Book, known: &Known<'_>, file: &ResourceKey, attribute: &str) -> Tried {
    let named = book.answers.iter().filter(|a| a.kind == ResourceKind::Document).any(|document| {
        let Some(text) = document.text() else { return false };
        let Some(base) = super::html::base_of(&document.url, &text) else { return false };
        let found = Cell::new(false);
        let _ = rewritten(
            &text,
            vec![element!("script[src]", |el| {
                found.set(found.get() || element_names(el, &base, file));
                Ok(())
            })],
        );
        found.get()
    });
    if named {
        return super::cannot(format!("{} has that already (`{attribute}`): nothing would change.", file.name()));
    }
    not_in_document(file, &asked_by(book, known, file))
}

fn make_deferred(el: &mut Element<'_, '_>) -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    el.remove_attribute("async");
    if !el.has_attribute("defer") {
        el.set_attribute("defer", "")?;
    }
    Ok(())
}

/// The code of a document's scripts, by the order of all `script` elements; empty for those with a file.
fn inline_texts(markup: &str) -> Option<Vec<String>> {
    let texts: RefCell<Vec<String>> = RefCell::new(Vec::new());
    rewritten(
        markup,
        vec![
            element!("script", |_el| {
                texts.borrow_mut().push(String::new());
                Ok(())
            }),
            text!("script", |part| {
                if let Some(last) = texts.borrow_mut().last_mut() {
                    last.push_str(part.as_str());
                }
                Ok(())
            }),
        ],
    )?;
    Some(texts.into_inner())
}

/// Percent-encoded for a data address in an attribute.
fn escaped(code: &str) -> String {
    let mut out = String::with_capacity(code.len() * 2);
    for byte in code.bytes() {
        if byte.is_ascii_alphanumeric() || b"-_.!~*'();/:@,=+$".contains(&byte) {
            out.push(char::from(byte));
        } else {
            let _ = write!(out, "%{byte:02X}");
        }
    }
    out
}

/// Names that a script gives to all.
fn names_defined(book: &Book, file: &ResourceKey) -> Result<BTreeSet<String>, super::CannotTry> {
    let answers = places(book, file)?.into_iter().map(|place| &book.answers[place]).filter(|a| a.exact);
    Ok(answers.filter_map(crate::Answer::text).flat_map(|text| global_names::defined(&text)).collect())
}
