//! Where in the document the largest element stands.

use super::requests::same_address;
use super::scan::{Found, Tag, scan};
use super::{DocumentMark, Mark, base_of, mark};
use crate::{Load, PaintKind};
use serde::{Deserialize, Serialize};

/// Where the largest element stands in the document's text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "snake_case")]
pub enum LargestPlace {
    /// There is no largest element in the load.
    NotKnown,
    /// Its tag begins at this byte.
    At {
        /// From 0.
        byte: usize,
    },
    /// A script or a stylesheet brought it.
    NotInDocument,
}

/// Where the largest element stands in the document's markup.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Nowhere: a script put it in.
    Nowhere,
    /// On a line, from 1, or on one of several: elements that are alike to their first words are not told apart.
    Lines {
        /// The first that it may be.
        first: u32,
        /// The last.
        last: u32,
        /// In which columns of these its tag begins, from 0, in UTF-16 code units as browsers count; a page may be one
        /// line.
        #[serde(default)]
        columns: Option<(u32, u32)>,
    },
}

impl Standing {
    /// The first and the last place that it may be at: line and column.
    #[must_use]
    pub fn places(self) -> Option<[(u32, Option<u32>); 2]> {
        match self {
            Self::Nowhere => None,
            Self::Lines { first, last, columns } => Some([(first, columns.map(|c| c.0)), (last, columns.map(|c| c.1))]),
        }
    }
}

/// Marks the largest element and says where it is, or why it is not there.
pub fn largest(
    load: &Load,
    found: &Found,
    body: &[u8],
    base: Option<&url::Url>,
    marks: &mut Vec<DocumentMark>,
) -> LargestPlace {
    if load.largest().is_none() {
        return LargestPlace::NotKnown;
    }
    match told_apart(load, found, alike(load, found, base), body).first() {
        Some(tag) => {
            marks.push(mark(tag.at, Mark::Largest));
            LargestPlace::At { byte: tag.at }
        }
        None => LargestPlace::NotInDocument,
    }
}

/// The elements of the markup that the largest may be: with its file, else with its name, id and classes.
fn alike<'f>(load: &Load, found: &'f Found, base: Option<&url::Url>) -> Vec<&'f Tag> {
    let Some(candidate) = load.largest() else { return Vec::new() };
    if let (PaintKind::Image, Some(url)) = (candidate.kind, candidate.url.as_deref()) {
        let joined = |a: &String| base.and_then(|b| b.join(a.trim()).ok());
        let names = |t: &&Tag| {
            t.name != "link" && t.addresses.iter().filter_map(joined).any(|address| same_address(address.as_str(), url))
        };
        return found.tags.iter().filter(names).collect();
    }
    let (Some(snippet), Some(name)) = (candidate.snippet.as_deref(), candidate.tag.as_deref()) else {
        return Vec::new();
    };
    let (id, class) = (named(snippet, " id"), named(snippet, " class"));
    let same = |t: &&Tag| t.name == name && t.id == id && t.class == class;
    below_ancestors(load, found, found.tags.iter().filter(same).collect())
}

/// The elements of the largest's name whose id is not another's and whose classes it has: scripts may have set more.
fn changed_since<'f>(load: &Load, found: &'f Found) -> Vec<&'f Tag> {
    let Some(candidate) = load.largest() else { return Vec::new() };
    let snippet = candidate.snippet.as_deref().unwrap_or_default();
    let (id, class) = (named(snippet, " id"), named(snippet, " class").unwrap_or_default());
    let has = |word: &str| class.split_whitespace().any(|own| own == word);
    let all: Vec<&Tag> = found.tags.iter().filter(|t| candidate.tag.as_deref() == Some(&*t.name)).collect();
    let fits = |t: &&&Tag| {
        let own = t.class.as_deref().unwrap_or_default();
        t.id == id && !own.is_empty() && own.split_whitespace().all(has)
    };
    let fitting: Vec<&Tag> = all.iter().filter(fits).copied().collect();
    below_ancestors(load, found, if fitting.is_empty() { all } else { fitting })
}

/// Those of some tags that stand below what the largest element's selector names around it; none where the markup
/// has no such element. Tags that markup may leave out say nothing.
fn below_ancestors<'f>(load: &Load, found: &'f Found, mut tags: Vec<&'f Tag>) -> Vec<&'f Tag> {
    let Some(selector) = load.largest().and_then(|l| l.selector.as_deref()) else { return tags };
    let around: Vec<&str> = selector.split(" > ").collect();
    for ancestor in &around[..around.len().saturating_sub(1)] {
        let id = ancestor.split('.').next().and_then(|a| Some(a.split_once('#')?.1)).filter(|id| !id.is_empty());
        let name = ancestor.split(['#', '.', ':']).next().unwrap_or_default();
        if id.is_none() && (name.is_empty() || LEFT_OUT.contains(&name)) {
            continue;
        }
        let is = |t: &&Tag| match id {
            Some(id) => t.id.as_deref() == Some(id),
            None => t.name == name,
        };
        match found.tags.iter().find(is) {
            Some(first) => tags.retain(|t| t.at > first.at),
            None => tags.clear(),
        }
    }
    tags
}

/// Those of some tags that the largest element's words follow; all of them where they follow none, as a script may have
/// put them in.
fn told_apart<'f>(load: &Load, found: &Found, tags: Vec<&'f Tag>, body: &[u8]) -> Vec<&'f Tag> {
    let Some(words) = load.largest().and_then(|l| l.words.as_deref()) else { return tags };
    let follow = |tag: &&&Tag| {
        let texts = &found.texts[found.texts.partition_point(|text| text.start < tag.at)..];
        begin_with(words, texts.iter().filter_map(|text| body.get(text.clone())))
    };
    let fitting: Vec<&Tag> = tags.iter().filter(follow).copied().collect();
    if fitting.is_empty() { tags } else { fitting }
}

/// Whether texts begin with words, as far as they have no character reference: what that stands for is not read.
fn begin_with<'b>(words: &str, texts: impl Iterator<Item = &'b [u8]>) -> bool {
    let mut words = words.chars().filter(|c| !c.is_whitespace());
    for text in texts {
        for letter in String::from_utf8_lossy(text).chars().filter(|c| !c.is_whitespace()) {
            match words.next() {
                Some(word) if letter == '&' || word == letter => {}
                Some(_) => return false,
                None => return true,
            }
            if letter == '&' {
                return true;
            }
        }
    }
    words.next().is_none()
}

/// Elements whose tags markup may leave out (HTML, section 13.1.2.4).
const LEFT_OUT: [&str; 5] = ["html", "head", "body", "tbody", "colgroup"];

/// The value of an attribute in an opening tag as the browser writes it.
fn named(opening: &str, what: &str) -> Option<String> {
    let rest = opening.split_once(&format!("{what}=\""))?.1;
    Some(rest.split('"').next()?.to_owned()).filter(|v| !v.is_empty())
}

/// Where the largest element stands, and the document's first words, line and column as [`Standing`] has them. `None`
/// where that is not known: there is none, the element was not resolved, or the markup cannot be read.
#[must_use]
pub fn standings(load: &Load, body: &[u8]) -> (Option<Standing>, Option<(u32, u32)>) {
    let Ok(found) = scan(body) else { return (None, None) };
    (largest_stands(load, &found, body), found.texts.first().map(|text| place(body, text.start)))
}

fn largest_stands(load: &Load, found: &Found, body: &[u8]) -> Option<Standing> {
    let candidate = load.largest()?;
    let mut tags = alike(load, found, base_of(load.document()?, found).as_ref());
    if tags.is_empty() {
        candidate.tag.as_ref()?;
        tags = changed_since(load, found);
    }
    tags = told_apart(load, found, tags, body);
    let (Some(first), Some(last)) = (tags.first(), tags.last()) else { return Some(Standing::Nowhere) };
    let (first, last) = (place(body, first.at), place(body, last.at));
    Some(Standing::Lines { first: first.0, last: last.0, columns: Some((first.1, last.1)) })
}

/// The line and column of a byte.
fn place(body: &[u8], at: usize) -> (u32, u32) {
    let above = &body[..at.min(body.len())];
    let line = above.iter().filter(|b| **b == b'\n').count();
    let start = above.iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
    let column = String::from_utf8_lossy(&above[start..]).encode_utf16().count();
    (u32::try_from(line + 1).unwrap_or(u32::MAX), u32::try_from(column).unwrap_or(u32::MAX))
}
