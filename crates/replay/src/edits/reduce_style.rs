//! Style sheets: the used part in the document and the whole late; imports lifted into the document.

use super::html::{attribute, each_document, element_names, rewritten};
use super::used::Used;
use super::{Known, Tried, cannot, css, places};
use crate::book::Book;
use lol_html::element;
use lol_html::html_content::ContentType;
use phainon_core::metrics::Coverage;
use phainon_core::{ResourceKey, ResourceKind};
use std::cell::Cell;
use std::ops::Range;
use url::Url;

/// Puts what the load used of a sheet into the document, in the place of its link, and loads the whole
/// without holding anything back.
pub fn inline_used(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let sheet = &book.answers[places[0]];
    if sheet.kind != ResourceKind::Style {
        return cannot(format!("{} is no style sheet.", file.name()));
    }
    let Some(text) = sheet.text().filter(|_| sheet.exact) else {
        return cannot(format!("The body of {} was not kept.", file.name()));
    };
    let Some(coverage) = known.coverage.iter().find(|c| ResourceKey::of(&c.url) == *file) else {
        return cannot(format!("What the page uses of {} was not looked at in this recording.", file.name()));
    };
    let (Some(used), Ok(base)) = (used_part(&text, coverage, &beside(book, file)), Url::parse(&sheet.url)) else {
        return cannot(format!("What the page uses of {} does not fit the body that was kept.", file.name()));
    };
    let used = css::made_whole(&used, &base);
    let linked = Cell::new(false);
    let changed = each_document(book, |markup, base| {
        rewritten(
            markup,
            vec![element!("link[href]", |el| {
                if !element_names(el, base, file) {
                    return Ok(());
                }
                let rel = el.get_attribute("rel").unwrap_or_default().to_ascii_lowercase();
                if rel.split_whitespace().any(|r| r == "stylesheet") {
                    let media = el.get_attribute("media").unwrap_or_default();
                    let on = if media.is_empty() { String::new() } else { format!(" media=\"{}\"", attribute(&media)) };
                    // An end tag in the sheet would end the element.
                    let safe = used.replace("</", "<\\/");
                    el.before(&format!("<style{on}>{safe}</style>"), ContentType::Html);
                    let then = if media.is_empty() { "all" } else { &media };
                    el.set_attribute("media", "print")?;
                    el.set_attribute("onload", &format!("this.media='{}'", then.replace('\'', "\\'")))?;
                    linked.set(true);
                } else if rel.split_whitespace().any(|r| r == "preload") {
                    el.remove();
                }
                Ok(())
            })],
        )
    });
    if changed == 0 || !linked.get() {
        return cannot(format!("No document links {}: another sheet or a script asks for it.", file.name()));
    }
    Ok(vec![format!(
        "{} of {} stand in the document; the whole comes late and changes nothing that is seen.",
        phainon_core::Bytes(used.len() as u64).text(),
        phainon_core::Bytes(text.len() as u64).text()
    )])
}

/// The other sheets and the documents of a page: a face may be declared in one sheet and named in another.
#[must_use]
pub fn beside(book: &Book, file: &ResourceKey) -> String {
    let others = book.answers.iter().filter(|a| {
        a.exact && matches!(a.kind, ResourceKind::Style | ResourceKind::Document) && ResourceKey::of(&a.url) != *file
    });
    others.filter_map(crate::Answer::text).collect()
}

/// The part of a sheet that a load used, with what that part needs: its imports, the conditions it stands in, custom
/// properties, and the faces and keyframes that it, or what stands `beside` it, names. `None` where the
/// ranges are not of this text.
#[must_use]
pub fn used_part(text: &str, coverage: &Coverage, beside: &str) -> Option<String> {
    let used = Used::of(text, coverage)?;
    // What a sheet imports is a sheet of its own; imports stand before everything else.
    let imports: String = css::rules(text, 0..text.len())
        .iter()
        .filter(|rule| rule.at.as_deref() == Some("import"))
        .map(|rule| &text[rule.all.clone()])
        .collect();
    let mut kept = String::new();
    keep_used(text, 0..text.len(), &used, &mut kept);
    // What is named may itself name more: faces in custom properties, for one.
    let mut with = String::new();
    named_by(text, 0..text.len(), &format!("{kept}{beside}"), &mut with);
    Some(format!("{imports}{with}{kept}"))
}

fn keep_used(text: &str, part: Range<usize>, used: &Used, kept: &mut String) {
    for rule in css::rules(text, part) {
        match (&rule.at, &rule.block) {
            (None, Some(_)) if used.touches(&rule.all) => kept.push_str(&text[rule.all.clone()]),
            (Some(at), None) if at == "layer" || at == "namespace" => kept.push_str(&text[rule.all.clone()]),
            (Some(at), Some(_)) if at == "property" => kept.push_str(&text[rule.all.clone()]),
            (Some(_), Some(block)) if rule.holds_rules() => {
                let mut inside = String::new();
                keep_used(text, block.clone(), used, &mut inside);
                if !inside.is_empty() {
                    kept.push_str(text[rule.prelude.clone()].trim_end());
                    kept.push('{');
                    kept.push_str(&inside);
                    kept.push('}');
                }
            }
            _ => {}
        }
    }
}

/// Faces and keyframes whose names stand in a text.
fn named_by(text: &str, part: Range<usize>, by: &str, found: &mut String) {
    for rule in css::rules(text, part) {
        let Some(block) = rule.block.clone() else { continue };
        let at = rule.at.as_deref().unwrap_or_default();
        let name = match at {
            "font-face" => declared(&text[block], "font-family"),
            _ if at.ends_with("keyframes") => text[rule.prelude.clone()].split_whitespace().nth(1).map(str::to_owned),
            _ if rule.holds_rules() => {
                let mut inside = String::new();
                named_by(text, block, by, &mut inside);
                if !inside.is_empty() {
                    found.push_str(&format!("{}{{{inside}}}", text[rule.prelude.clone()].trim_end()));
                }
                None
            }
            _ => None,
        };
        let named = |name: &str| by.contains(name.trim_matches(['"', '\'']));
        if name.is_some_and(|name| named(&name)) {
            found.push_str(&text[rule.all.clone()]);
        }
    }
}

/// The value of a declaration in a block.
fn declared(block: &str, name: &str) -> Option<String> {
    let mut input = cssparser::ParserInput::new(block);
    let mut parser = cssparser::Parser::new(&mut input);
    loop {
        let token = parser.next().ok()?.clone();
        if matches!(&token, cssparser::Token::Ident(ident) if ident.eq_ignore_ascii_case(name))
            && parser.expect_colon().is_ok()
        {
            let start = parser.position().byte_index();
            while !matches!(parser.next(), Ok(cssparser::Token::Semicolon) | Err(_)) {}
            let value = block[start..parser.position().byte_index()].trim().trim_end_matches(';').trim();
            return Some(value.to_owned());
        }
    }
}

/// Links a sheet in the document that another sheet imports, so that both are asked for at once.
pub fn lift_import(book: &mut Book, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let lifted = book.answers[places[0]].url.clone();
    let mut importers = Vec::new();
    for answer in book.answers.iter_mut().filter(|a| a.kind == ResourceKind::Style && a.exact) {
        let (Some(text), Ok(base)) = (answer.text(), Url::parse(&answer.url)) else { continue };
        let imports = css::rules(&text, 0..text.len()).into_iter().filter(|r| {
            r.at.as_deref() == Some("import")
                && css::addresses(&text[r.all.clone()])
                    .iter()
                    .any(|(_, a)| base.join(a).is_ok_and(|u| ResourceKey::of(u.as_str()) == *file))
        });
        let imports: Vec<css::Rule> = imports.collect();
        if imports.is_empty() {
            continue;
        }
        let mut new = text.clone();
        for rule in imports.iter().rev() {
            new.replace_range(rule.all.clone(), "");
        }
        importers.push(ResourceKey::of(&answer.url));
        answer.set_text(&new);
    }
    if importers.is_empty() {
        return cannot(format!("No sheet of this load imports {}.", file.name()));
    }
    let link = format!("<link rel=\"stylesheet\" href=\"{}\">", attribute(&lifted));
    let placed = Cell::new(false);
    each_document(book, |markup, base| {
        rewritten(
            markup,
            vec![element!("link[rel~=stylesheet]", |el| {
                // What is imported counts before the sheet that imports it.
                if !placed.get() && importers.iter().any(|i| element_names(el, base, i)) {
                    el.before(&link, ContentType::Html);
                    placed.set(true);
                }
                Ok(())
            })],
        )
    });
    if placed.get() {
        return Ok(Vec::new());
    }
    // The importer is itself imported: the head's end is as early as it gets.
    super::html::in_document(book, |text, _| super::html::at_head(text, &link));
    Ok(vec!["The sheet that imports it is itself imported, so the link stands at the head of the document.".to_owned()])
}

#[cfg(test)]
mod tests {
    use super::*;

    fn used(text: &str, parts: &[&str]) -> String {
        let units = |at: usize| u32::try_from(text[..at].encode_utf16().count()).expect("short");
        let ranges = parts.iter().map(|p| {
            let at = text.find(p).expect("part of it");
            (units(at), units(at + p.len()))
        });
        let coverage = Coverage { url: String::new(), used: ranges.collect(), length: units(text.len()) };
        used_part(text, &coverage, "p{font-family:Mole}").expect("of this text")
    }

    #[test]
    fn what_is_used_keeps_what_it_needs() {
        let sheet = "@import url(x.css);/* Möwe */:root{--ink:#111;--face:Quay}@font-face{font-family:\"Quay\";src:url(q)}@font-face{font-family:Pier;src:url(p)}@font-face{font-family:Mole;src:url(m)}a{color:var(--ink);animation:rise 1s}b{color:red}@media (min-width:600px){c{d:e}f{g:h}}@keyframes rise{from{top:0}}@keyframes sink{from{top:1px}}";
        let kept = used(sheet, &[":root{--ink:#111;--face:Quay}", "a{color:var(--ink);animation:rise 1s}", "c{d:e}"]);
        assert_eq!(
            kept,
            "@import url(x.css);@font-face{font-family:\"Quay\";src:url(q)}@font-face{font-family:Mole;src:url(m)}@keyframes rise{from{top:0}}:root{--ink:#111;--face:Quay}a{color:var(--ink);animation:rise 1s}@media (min-width:600px){c{d:e}}"
        );
    }

    #[test]
    fn ranges_of_another_text_are_refused() {
        let coverage = Coverage { url: String::new(), used: vec![(0, 900)], length: 900 };
        assert_eq!(used_part("a{b:c}", &coverage, ""), None);
    }
}
