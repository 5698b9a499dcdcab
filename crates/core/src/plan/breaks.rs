//! What a fix may break, read off the page, and how to find out.

use crate::body::text_of;
use crate::inline_code::inline_code;
use crate::{Bodies, Edit, Prepared, RequestId, ResourceKey, ResourceKind, Scope, global_names};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use ts_rs::TS;

/// Something that a fix may break.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "what")]
#[ts(export_to = "types.ts")]
pub enum Break {
    /// Code in the document uses names that the script defines.
    InlineCode {
        /// The script.
        file: String,
        /// The names.
        names: Vec<String>,
        /// Where in the document the first of them is used.
        line: u32,
    },
    /// Other scripts use names that the script defines.
    OtherScripts {
        /// The script.
        file: String,
        /// Who uses them.
        by: Vec<String>,
    },
    /// Handlers of the script ran while the page was recorded.
    Handlers {
        /// The script.
        file: String,
        /// Of which events.
        events: Vec<String>,
    },
    /// Other pages load the file too, and may use what this one does not.
    OtherPages {
        /// The file.
        file: String,
        /// Which pages.
        pages: Vec<String>,
    },
    /// The largest element would be loaded late.
    LargestLate {
        /// The file.
        file: String,
    },
}

/// So many names are told.
const MOST_NAMES: usize = 5;

/// What may break on this page. `others` names the other pages of the site that load a file.
#[must_use]
pub fn breaks(
    edit: &Edit,
    prepared: &Prepared,
    bodies: &dyn Bodies,
    others: &dyn Fn(&ResourceKey) -> Vec<String>,
) -> Vec<Break> {
    let mut found = Vec::new();
    for file in later_scripts(edit, prepared) {
        uses(&file, prepared, bodies, &mut found);
    }
    if let Edit::ReduceStyle { file } | Edit::DropUnused { file } | Edit::SubsetFont { file } | Edit::Remove { file } =
        edit
    {
        let pages = others(file);
        if !pages.is_empty() {
            found.push(Break::OtherPages { file: file.name(), pages });
        }
    }
    if let Edit::Lazy { file } = edit
        && prepared.load.largest().and_then(|l| l.url.as_deref()).is_some_and(|url| ResourceKey::of(url) == *file)
    {
        found.push(Break::LargestLate { file: file.name() });
    }
    found
}

/// Scripts that an edit has run later, or not at all.
fn later_scripts(edit: &Edit, prepared: &Prepared) -> Vec<ResourceKey> {
    let scripts = |own: &dyn Fn(RequestId) -> bool| {
        let all = prepared.load.requests.iter().filter(|r| r.kind == ResourceKind::Script && own(r.id));
        all.map(|r| ResourceKey::of(&r.url)).collect::<BTreeSet<_>>().into_iter().collect()
    };
    match edit {
        Edit::DeferScript { file }
        | Edit::AsyncScript { file }
        | Edit::ScriptToEnd { file }
        | Edit::Remove { file }
        | Edit::DelayScript { scope: Scope::File { file } } => vec![file.clone()],
        Edit::DelayScript { scope: Scope::Owner { owner } | Scope::Kind { owner, .. } }
        | Edit::RemoveOwner { owner } => scripts(&|id| prepared.owners.request(id) == owner),
        _ => Vec::new(),
    }
}

fn uses(file: &ResourceKey, prepared: &Prepared, bodies: &dyn Bodies, found: &mut Vec<Break>) {
    let load = &prepared.load;
    let scripts = || load.requests.iter().filter(|r| r.kind == ResourceKind::Script);
    let own = scripts().find(|r| ResourceKey::of(&r.url) == *file);
    let Some(code) = own.and_then(|r| text_of(r, bodies)) else { return };
    let names = global_names::defined(&code);
    if let Some(document) = load.document().and_then(|d| text_of(d, bodies)) {
        found.extend(in_document(&document, file, &names));
    }
    let by: BTreeSet<String> = scripts()
        .filter(|r| ResourceKey::of(&r.url) != *file)
        .filter(|r| {
            text_of(r, bodies).is_some_and(|text| {
                // What it defines itself is its own.
                let own = global_names::defined(&text);
                global_names::uses_any(&text, &names.difference(&own).cloned().collect())
            })
        })
        .map(|r| ResourceKey::of(&r.url).name())
        .collect();
    if !by.is_empty() {
        found.push(Break::OtherScripts { file: file.name(), by: by.into_iter().collect() });
    }
    let ran = crate::handlers(prepared).into_iter().filter(|h| h.what != "timer");
    let own = ran.filter(|h| h.by.as_ref().and_then(|b| b.url.as_deref()).is_some_and(|u| ResourceKey::of(u) == *file));
    let events: BTreeSet<String> = own.map(|h| h.what).collect();
    if !events.is_empty() {
        found.push(Break::Handlers { file: file.name(), events: events.into_iter().collect() });
    }
}

/// Code of a document's own that uses names, with the line of the first use.
fn in_document(document: &str, file: &ResourceKey, names: &BTreeSet<String>) -> Option<Break> {
    let mut used: Vec<(usize, &String)> = Vec::new();
    for code in inline_code(document) {
        // What it defines itself is its own.
        let own = global_names::defined(&code.text);
        let others = names.iter().filter(|name| !own.contains(*name));
        used.extend(others.filter_map(|name| Some((code.at + global_names::first_use(&code.text, name)?, name))));
    }
    used.sort();
    let first = used.first()?.0.min(document.len());
    let lines = document.as_bytes()[..first].iter().filter(|b| **b == b'\n').count();
    let mut told: Vec<String> = Vec::new();
    for (_, name) in used {
        if !told.contains(name) && told.len() < MOST_NAMES {
            told.push(name.clone());
        }
    }
    Some(Break::InlineCode { file: file.name(), names: told, line: u32::try_from(lines + 1).unwrap_or(u32::MAX) })
}

impl Break {
    fn file(&self) -> &str {
        match self {
            Self::InlineCode { file, .. }
            | Self::OtherScripts { file, .. }
            | Self::Handlers { file, .. }
            | Self::OtherPages { file, .. }
            | Self::LargestLate { file } => file,
        }
    }

    /// Whether it is of the same kind and of the same file.
    #[must_use]
    pub fn is_like(&self, other: &Self) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other) && self.file() == other.file()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn code_in_the_document_that_uses_a_script_is_found_with_its_line() {
        let document =
            "<html>\n<script src=/pier.js></script>\n<p>Pier</p>\n<script>\nvar a = 1;\nPier.start(a);\n</script>";
        let names = BTreeSet::from(["Pier".to_owned(), "Quay".to_owned()]);
        let found = in_document(document, &ResourceKey::of("http://a.test/pier.js"), &names);
        assert_eq!(found, Some(Break::InlineCode { file: "pier.js".into(), names: vec!["Pier".into()], line: 5 }));
        assert_eq!(in_document("<p>Pier", &ResourceKey::of("http://a.test/pier.js"), &names), None);
    }
}
