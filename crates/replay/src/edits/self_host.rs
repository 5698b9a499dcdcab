//! Files of others served from the site itself; redirects left out. Both change addresses wherever they stand.

use super::html::{base_of, rewritten};
use super::server::stored_wait;
use super::{Tried, cannot, css, places};
use crate::book::Book;
use lol_html::element;
use phainon_core::{ResourceKey, ResourceKind};
use url::Url;

/// Serves a file of another host from the page's own.
pub fn self_host(book: &mut Book, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let Some((page, http)) = book.document().and_then(|d| Some((Url::parse(&d.url).ok()?, d.http))) else {
        return cannot("The document is not one that could be changed.");
    };
    let old = book.answers[places[0]].url.clone();
    let Ok(from) = Url::parse(&old) else { return cannot("Its address is none.") };
    if from.origin() == page.origin() {
        return cannot(format!("{} comes from the site itself already.", file.name()));
    }
    let name = from.path().trim_start_matches('/');
    let path = format!("/own/{}/{name}", from.host_str().unwrap_or("elsewhere"));
    let Ok(new) = page.join(&path) else { return cannot("Its address is none.") };
    let changed = readdress(book, &old, new.as_str());
    let mut own = book.answers[places[0]].clone();
    own.url = new.as_str().into();
    own.http = http;
    own.wait = own.wait.min(stored_wait(book, page.as_str()));
    let wait = own.wait.as_millis();
    own.set_header("set-cookie", None);
    // A sheet's own addresses count from where it lies.
    if own.kind == ResourceKind::Style
        && let Some(text) = own.text()
    {
        own.set_text(&css::made_whole(&text, &from));
    }
    book.answers.push(own);
    if changed == 0 {
        return cannot(format!(
            "No text of this load names {} in full: its address is put together by a script.",
            file.name()
        ));
    }
    Ok(vec![format!(
        "It lies at {path} then, and is answered as the site's own files are: after {wait} ms and the way."
    )])
}

/// Names where a redirect leads in the place of the redirect.
pub fn drop_redirect(book: &mut Book, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let answer = &book.answers[places[0]];
    let to = answer.header("location").filter(|_| (300..400).contains(&answer.status));
    let Some(to) = to.and_then(|to| Url::parse(&answer.url).ok()?.join(to).ok()) else {
        return cannot(format!("{} does not redirect.", file.name()));
    };
    let from = answer.url.clone();
    if from == book.page {
        // Whoever links to the page names the new address.
        book.page = to.as_str().into();
        return Ok(Vec::new());
    }
    if readdress(book, &from, to.as_str()) == 0 {
        return cannot(format!(
            "No text of this load names {} in full: its address is put together by a script.",
            file.name()
        ));
    }
    Ok(Vec::new())
}

/// Puts a new address in the place of an old one in every text that names it: whole, without its scheme, or,
/// in texts of its own host, from the root; in attributes of documents and in sheets, however it is written.
/// Gives how many texts changed.
fn readdress(book: &mut Book, old: &str, new: &str) -> usize {
    let bare = old.split_once(':').map_or(old, |(_, rest)| rest).to_owned();
    let Ok(parsed) = Url::parse(old) else { return 0 };
    let root = &parsed[url::Position::BeforePath..];
    let mut changed = 0;
    for answer in book.answers.iter_mut().filter(|a| a.exact) {
        let Some(text) = answer.text() else { continue };
        let slashed = |s: &str| s.replace('/', "\\/");
        let escaped = |s: &str| s.replace('&', "&amp;");
        let mut replaced =
            text.replace(old, new).replace(&escaped(old), &escaped(new)).replace(&slashed(old), &slashed(new));
        if !new.contains(&bare) {
            replaced = replaced.replace(&bare, new).replace(&escaped(&bare), &escaped(new));
        }
        let same_host = Url::parse(&answer.url).is_ok_and(|u| u.origin() == parsed.origin());
        if same_host && root.len() > 1 {
            for quote in ['"', '\''] {
                replaced = replaced.replace(&format!("{quote}{root}{quote}"), &format!("{quote}{new}{quote}"));
            }
        }
        match answer.kind {
            ResourceKind::Document => replaced = in_attributes(&replaced, &answer.url, &parsed, new),
            ResourceKind::Style => replaced = in_sheet(&replaced, &answer.url, &parsed, new),
            _ => {}
        }
        if replaced != text {
            answer.set_text(&replaced);
            changed += 1;
        }
    }
    changed
}

fn in_attributes(markup: &str, of: &str, old: &Url, new: &str) -> String {
    let Some(base) = base_of(of, markup) else { return markup.to_owned() };
    let readdressed = element!("[src], [href], [data], [poster]", |el| {
        for name in ["src", "href", "data", "poster"] {
            if el.get_attribute(name).is_some_and(|to| base.join(to.trim()).is_ok_and(|to| to == *old)) {
                el.set_attribute(name, new)?;
            }
        }
        Ok(())
    });
    rewritten(markup, vec![readdressed]).unwrap_or_else(|| markup.to_owned())
}

fn in_sheet(text: &str, of: &str, old: &Url, new: &str) -> String {
    let Ok(base) = Url::parse(of) else { return text.to_owned() };
    css::with_addresses(text, |address| base.join(address).is_ok_and(|to| to == *old).then(|| new.to_owned()))
}
