//! Where in the document the largest element stands.

use super::requests::same_address;
use super::scan::Found;
use super::{DocumentMark, Mark, mark};
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

/// Marks the largest element and says where it is, or why it is not there.
pub fn largest(load: &Load, found: &Found, base: Option<&url::Url>, marks: &mut Vec<DocumentMark>) -> LargestPlace {
    let Some(candidate) = load.largest() else {
        return LargestPlace::NotKnown;
    };
    let by_file = candidate.url.as_deref().and_then(|url| {
        found.tags.iter().find(|t| {
            t.name != "link"
                && t.addresses
                    .iter()
                    .any(|a| base.and_then(|b| b.join(a.trim()).ok()).is_some_and(|a| same_address(a.as_str(), url)))
        })
    });
    let by_tag = || {
        let snippet = candidate.snippet.as_deref()?;
        let named = |text: &str, what: &str| {
            let rest = text.split_once(&format!("{what}=\""))?.1;
            Some(rest.split('"').next()?.to_owned()).filter(|v| !v.is_empty())
        };
        let (id, class) = (named(snippet, " id"), named(snippet, " class"));
        let tag = candidate.tag.as_deref()?;
        let mut same = found.tags.iter().filter(|t| t.name == tag);
        if id.is_some() || class.is_some() {
            same.find(|t| named(&t.opening, " id") == id && named(&t.opening, " class") == class)
        } else {
            same.next()
        }
    };
    let tag = match candidate.kind {
        PaintKind::Image if candidate.url.is_some() => by_file,
        _ => by_tag(),
    };
    match tag {
        Some(tag) => {
            marks.push(mark(tag.at, Mark::Largest));
            LargestPlace::At { byte: tag.at }
        }
        None => LargestPlace::NotInDocument,
    }
}
