//! What a fix does, in plain words.

use super::of_owner;
use crate::server_work::ServerPart;
use crate::{Edit, EditKind, Effort, Risk, Scope};
use serde::Serialize;
use ts_rs::TS;

/// An edit with its words.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts", rename = "Fix")]
pub struct SaidEdit {
    /// What it does, exactly.
    pub edit: Edit,
    /// Its kind.
    pub kind: EditKind,
    /// What it is done to.
    pub target: String,
    /// The same for the same fix in every load.
    pub key: String,
    /// In plain words.
    pub title: String,
    /// How much work it is, as a rule for its kind.
    pub effort: Effort,
    /// What can go wrong, as a rule for its kind.
    pub risk: Risk,
}

impl SaidEdit {
    /// An edit with its words.
    #[must_use]
    pub fn of(edit: &Edit) -> Self {
        let kind = edit.kind();
        let (effort, risk) = kind.usual();
        Self { edit: edit.clone(), kind, target: edit.target(), key: edit.key(), title: edit_title(edit), effort, risk }
    }
}

/// What it is done to, as a sentence names it.
fn named(scope: &Scope) -> String {
    match scope {
        Scope::File { file } => file.name(),
        Scope::Kind { owner, files } => format!("the {} files of {}", files.word(), of_owner(owner)),
        Scope::Host { host, .. } => format!("the files of {host}"),
        Scope::Owner { owner } => of_owner(owner).to_owned(),
    }
}

/// A query short enough to stand in a sentence.
pub(super) fn shortened(query: &str) -> String {
    if query.chars().count() > 72 { query.chars().take(71).chain(['…']).collect() } else { query.to_owned() }
}

/// A share in per cent, with a decimal where it is small.
fn per_cent(share: f64) -> String {
    if share > 0.0 && share < 0.1 { format!("{:.1} %", share * 100.0) } else { format!("{:.0} %", share * 100.0) }
}

/// An edit in plain words.
#[must_use]
pub fn edit_title(edit: &Edit) -> String {
    match edit {
        Edit::Remove { file } => format!("Take {} off the page", file.name()),
        Edit::RemoveOwner { owner } => format!("Do without {}", of_owner(owner)),
        Edit::DeferScript { file } => format!("Defer {}, and whatever depends on it, in order", file.name()),
        Edit::AsyncScript { file } => format!("Load {} without anything waiting for it", file.name()),
        Edit::DelayScript { scope: scope @ Scope::Owner { .. } } => {
            format!("Delay {} until the first input, or do without it", named(scope))
        }
        Edit::DelayScript { scope } => format!("Delay {} until the first input", named(scope)),
        Edit::ScriptToEnd { file } => format!("Move {} to the end of the body", file.name()),
        Edit::ReduceStyle { file } => {
            format!("Inline the part of {} that the first screen needs and load the rest late", file.name())
        }
        Edit::LiftImport { file } => format!("Link {} in the document instead of importing it", file.name()),
        Edit::Preload { file } => format!("Preload {}", file.name()),
        Edit::RaisePriority { file } => format!("Give {} a high priority", file.name()),
        Edit::PutInHtml { file } => format!("Put {} in the HTML and fetch it first", file.name()),
        Edit::Lazy { file } => format!("Load {} only near the screen", file.name()),
        Edit::Eager { file } => format!("Load {} at once", file.name()),
        Edit::Compress { scope } => format!("Send {} compressed", named(scope)),
        Edit::Minify { scope } => format!("Minify {}", named(scope)),
        Edit::Shrink { file, to: None } => format!("Re-encode, shrink or drop {}", file.name()),
        Edit::Shrink { file, to: Some(to) } => format!("Shrink {} to {}", file.name(), to.text()),
        Edit::Resize { scope: scope @ Scope::File { .. } } => {
            format!("Send {} at the size at which it is shown", named(scope))
        }
        Edit::Resize { scope } => format!("Send {} at the size at which they are shown", named(scope)),
        Edit::DropUnused { file } => format!("Leave out the code of {} that the page does not use", file.name()),
        Edit::FasterResponse { to: None, .. } => {
            "Shorten the server's work for the page, or serve it from a page cache".into()
        }
        Edit::FasterResponse { file, to: Some(to) } => {
            format!("Have the server answer for {} within {}", file.name(), to.text())
        }
        Edit::PageCache { .. } => "Serve the page from a page cache".into(),
        Edit::ServerRemove { part: ServerPart::Owner { owner } } => {
            format!("Take the work of {} off the server", of_owner(owner))
        }
        Edit::ServerRemove { part: ServerPart::Query { query } } => {
            format!("Do without the query “{}”", shortened(query))
        }
        Edit::ServerFaster { part: ServerPart::Owner { owner }, share } => {
            format!("Have {} take {} of its time on the server", of_owner(owner), per_cent(*share))
        }
        Edit::ServerFaster { part: ServerPart::Query { query }, share } => {
            format!("Have the query “{}” take {} of its time", shortened(query), per_cent(*share))
        }
        Edit::Nearer { host, round_trip } => {
            format!("Serve {host} from nearer by, {} there and back", round_trip.text())
        }
        Edit::Preconnect { host } => format!("Connect to {host} ahead of need"),
        Edit::SelfHost { file } => format!("Serve {} from the site itself", file.name()),
        Edit::DropRedirect { file } => format!("Name where {} leads instead of it", file.name()),
        Edit::Http2 { host } => format!("Serve {host} over HTTP/2"),
        Edit::SetDimensions { scope: scope @ Scope::File { .. } } => {
            format!("Give {} its width and height in the HTML", named(scope))
        }
        Edit::SetDimensions { scope } => format!("Give {} their width and height in the HTML", named(scope)),
        Edit::ShowText { file } => format!("Show text before {} has come", file.name()),
        Edit::PreloadFont { file } => format!("Preload {}", file.name()),
        Edit::SubsetFont { file } => format!("Leave letters that the page does not need out of {}", file.name()),
        Edit::CacheLonger { scope } => {
            format!("Let browsers keep {} for a year, with a version in their names", named(scope))
        }
        Edit::SplitTask { file } => format!("Do less in {}, or in smaller pieces", file.name()),
        Edit::StopForcedLayout { file } => format!("Have {} ask for boxes before it changes the page", file.name()),
    }
}
