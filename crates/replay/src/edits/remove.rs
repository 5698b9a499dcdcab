//! Taking a file or an owner off the page.

use super::html::{each_document, element_names, is_code, rewritten};
use super::{CannotTry, Known, Tried, cannot, css, owner_of, places};
use crate::book::{Book, host_of};
use lol_html::{element, text};
use phainon_core::{Owner, ResourceKey, ResourceKind};
use std::cell::{Cell, RefCell};
use std::collections::BTreeSet;
use url::Url;

/// Elements that are nothing without the file that they name. An anchor leads to a file, it does not load one.
const LOAD: &str = "script, link, img, iframe, source, video, audio, embed, object, track, input, image, use";

/// Takes a file out of the documents and sheets that name it, a font with its faces, and has the browser not ask for it
/// where a script does.
pub fn file(book: &mut Book, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    if let Some(document) = book.document()
        && ResourceKey::of(&document.url) == *file
    {
        return cannot("The page's own document cannot be taken off the page.");
    }
    take_off(book, &places, std::slice::from_ref(file));
    Ok(Vec::new())
}

/// Takes everything of an owner off the page: its files, and the inline code that names them.
pub fn owner(book: &mut Book, known: &Known<'_>, owner: &Owner) -> Tried {
    let document = book.document_place();
    let places: Vec<usize> = (0..book.answers.len())
        .filter(|p| Some(*p) != document && owner_of(&book.answers[*p], known) == Some(owner))
        .collect();
    if places.is_empty() {
        return cannot(format!("{} has no files in this load.", owner.name));
    }
    let files: Vec<ResourceKey> = places.iter().map(|p| ResourceKey::of(&book.answers[*p].url)).collect();
    let traces = traces_of(book, &places);
    let inline = Cell::new(0usize);
    each_document(book, |text, _| without_inline(text, &traces, &inline));
    take_off(book, &places, &files);
    Ok(match inline.get() {
        0 => Vec::new(),
        count => vec![format!("{count} inline scripts that name its files went with it.")],
    })
}

/// What in inline code shows that it is about an owner's files: their hosts, where those are not the page's
/// own, and else their folders.
pub fn traces_of(book: &Book, places: &[usize]) -> BTreeSet<String> {
    let own = book.document().and_then(|d| host_of(&d.url));
    places
        .iter()
        .filter_map(|p| {
            let url = url::Url::parse(&book.answers[*p].url).ok()?;
            let host = url.host_str()?.to_owned();
            if Some(&host) != own.as_ref() {
                return Some(host);
            }
            let (folder, _) = url.path().rsplit_once('/')?;
            (folder.len() > 3).then(|| format!("{folder}/"))
        })
        .collect()
}

fn take_off(book: &mut Book, places: &[usize], files: &[ResourceKey]) {
    let urls: Vec<String> = places.iter().map(|p| book.answers[*p].url.to_string()).collect();
    book.taken_off.extend(urls);
    each_document(book, |text, base| markup_without(text, base, files));
    for answer in book.answers.iter_mut().filter(|a| a.kind == ResourceKind::Style && a.exact) {
        let (Some(text), Ok(base)) = (answer.text(), url::Url::parse(&answer.url)) else { continue };
        let new = css::without_files(&text, &base, files);
        if new != text {
            answer.set_text(&new);
        }
    }
}

/// A document without the elements that load some files, and without what its styles say of them; `base` is what its
/// addresses count from. `None` where it cannot be read.
#[must_use]
pub fn markup_without(markup: &str, base: &Url, files: &[ResourceKey]) -> Option<String> {
    let names_one = element!(LOAD, |el| {
        if files.iter().any(|file| element_names(el, base, file)) {
            el.remove();
        }
        Ok(())
    });
    let without = rewritten(markup, vec![names_one])?;
    Some(css::in_styles(&without, |style| css::without_files(style, base, files)))
}

/// A document without the inline scripts in which one of these words stands.
fn without_inline(markup: &str, traces: &BTreeSet<String>, count: &Cell<usize>) -> Option<String> {
    let doomed = inline_about(markup, traces)?;
    let at = Cell::new(0usize);
    rewritten(
        markup,
        vec![element!("script:not([src])", |el| {
            if doomed.contains(&at.replace(at.get() + 1)) {
                count.set(count.get() + 1);
                el.remove();
            }
            Ok(())
        })],
    )
}

/// Which of a document's inline scripts hold one of these words, by their order.
pub fn inline_about(markup: &str, traces: &BTreeSet<String>) -> Option<BTreeSet<usize>> {
    let (count, code) = (Cell::new(0usize), Cell::new(false));
    let texts: RefCell<Vec<(usize, String)>> = RefCell::new(Vec::new());
    rewritten(
        markup,
        vec![
            element!("script:not([src])", |el| {
                code.set(is_code(el));
                texts.borrow_mut().push((count.replace(count.get() + 1), String::new()));
                Ok(())
            }),
            text!("script:not([src])", |part| {
                if let Some(last) = texts.borrow_mut().last_mut().filter(|_| code.get()) {
                    last.1.push_str(part.as_str());
                }
                Ok(())
            }),
        ],
    )?;
    // Addresses in scripts may have their slashes escaped.
    let about = |text: &str| {
        let plain = text.replace("\\/", "/");
        traces.iter().any(|t| plain.contains(t.as_str()))
    };
    Some(texts.into_inner().into_iter().filter(|(_, text)| about(text)).map(|(at, _)| at).collect())
}

/// For the sentence of an edit that finds nothing in the document.
pub fn not_in_document<T>(file: &ResourceKey, by: &str) -> Result<T, CannotTry> {
    cannot(format!(
        "{} is not named in the document: {by} asks for it, and there the change would have to be made.",
        file.name()
    ))
}
