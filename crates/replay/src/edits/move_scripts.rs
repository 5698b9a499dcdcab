//! Deferring scripts, letting them run whenever they come, moving them to the end.

use super::html::{at_end, each_document, element_names, is_code, rewritten};
use super::remove::not_in_document;
use super::{Known, Tried, asked_by, places};
use crate::book::Book;
use lol_html::html_content::Element;
use lol_html::{element, text};
use phainon_core::{ResourceKey, ResourceKind};
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
        .filter(|a| a.text().is_some_and(|text| uses_any(&text, &defined)))
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
                } else if reached.get() && inline.get(number).is_some_and(|text| uses_any(text, &defined)) {
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

/// Names that a script gives to all: assigned to the global object, or declared at the beginning of a line.
fn names_defined(book: &Book, file: &ResourceKey) -> Result<BTreeSet<String>, super::CannotTry> {
    let mut names = BTreeSet::new();
    for place in places(book, file)? {
        let answer = &book.answers[place];
        let Some(text) = answer.text().filter(|_| answer.exact) else { continue };
        for object in ["window.", "self.", "globalThis.", "global."] {
            for (at, _) in text.match_indices(object) {
                let rest = &text[at + object.len()..];
                let name = identifier(rest);
                let after = rest[name.len()..].trim_start();
                if !name.is_empty() && after.starts_with('=') && !after.starts_with("==") {
                    names.insert(name.to_owned());
                }
            }
        }
        for (at, _) in text.match_indices('=') {
            names.extend(handed_out(&text, at));
        }
        for line in text.lines() {
            for word in ["var ", "let ", "const ", "function ", "class "] {
                if let Some(rest) = line.strip_prefix(word) {
                    let name = identifier(rest);
                    if !name.is_empty() {
                        names.insert(name.to_owned());
                    }
                }
            }
        }
    }
    // Of one letter there are too many.
    names.retain(|n| n == "$" || n.chars().count() > 1);
    Ok(names)
}

/// Names that a library hands to whatever its global object is called, at an assignment: `e.Name = factory(…)`,
/// as libraries wrapped for several module systems do, or two names of one thing, `e.name = e.$ = thing`.
fn handed_out(text: &str, at: usize) -> Vec<String> {
    let before = text[..at].trim_end();
    let after = text[at + 1..].trim_start();
    let Some((object, name)) = member_before(before) else { return Vec::new() };
    let again = after.strip_prefix(object).and_then(|rest| rest.strip_prefix('.'));
    if let Some(second) = again.map(identifier).filter(|n| !n.is_empty()) {
        let rest = after[object.len() + 1 + second.len()..].trim_start();
        if rest.starts_with('=') && !rest.starts_with("==") {
            return vec![name.to_owned(), second.to_owned()];
        }
    }
    let factory = after.split(|c: char| !is_letter(c) && c != '(').next().is_some_and(|call| call.contains('('));
    let named = name.len() > 1 && name.chars().next().is_some_and(char::is_uppercase);
    if factory && named { vec![name.to_owned()] } else { Vec::new() }
}

/// The object and the member that a text ends with, as in `e.name`.
fn member_before(text: &str) -> Option<(&str, &str)> {
    let start = |text: &str| {
        text.rfind(|c: char| !is_letter(c)).map_or(0, |i| i + text[i..].chars().next().map_or(1, char::len_utf8))
    };
    let name = &text[start(text)..];
    let object = text[..text.len() - name.len()].strip_suffix('.')?;
    // `(t = t || self).Name`: what stands in the parenthesis is the global object.
    let object = if object.ends_with(')') { ")" } else { &object[start(object)..] };
    (!name.is_empty() && !object.is_empty()).then_some((object, name))
}

fn is_letter(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

fn identifier(text: &str) -> &str {
    let end = text.find(|c| !is_letter(c)).unwrap_or(text.len());
    if text.starts_with(|c: char| c.is_ascii_digit()) { "" } else { &text[..end] }
}

/// Whether a script has one of these names as a word of its own.
fn uses_any(text: &str, names: &BTreeSet<String>) -> bool {
    names.iter().any(|name| {
        text.match_indices(name.as_str()).any(|(at, _)| {
            let before = text[..at].chars().next_back();
            let after = text[at + name.len()..].chars().next();
            !before.is_some_and(is_letter)
                && !after.is_some_and(is_letter)
                && (name != "$" || matches!(after, Some('(' | '.')))
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_however_a_library_hands_them_out() {
        for (text, names) in [
            ("e.Chart=t()", vec!["Chart"]),
            ("(t=t||self).Pier = n(t.Popper)", vec!["Pier"]),
            ("x&&(ie.harbour=ie.$=ce)", vec!["harbour", "$"]),
            ("a.b==a.c", vec![]),
            ("a.count = 3", vec![]),
        ] {
            let found: BTreeSet<String> = text.match_indices('=').flat_map(|(at, _)| handed_out(text, at)).collect();
            assert_eq!(found, names.into_iter().map(str::to_owned).collect(), "{text}");
        }
    }

    #[test]
    fn a_name_is_used_as_a_word_of_its_own() {
        let names = BTreeSet::from(["Pier".to_owned(), "$".to_owned()]);
        for used in ["Pier.start()", "new Pier", "$('a')", "$.ajax"] {
            assert!(uses_any(used, &names), "{used}");
        }
        for unused in ["Piers.start()", "myPier()", "a$b", "'costs $'", "`${x}`"] {
            assert!(!uses_any(unused, &names), "{unused}");
        }
    }
}
