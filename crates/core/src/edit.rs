//! Edits: what a fix does, exactly. A kind, and what it is done to.

use crate::server_work::ServerPart;
use crate::{Bytes, Millis, Owner, ResourceKey, ResourceKind};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What an edit is done to where it can be one file or several of a sort.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(tag = "of", rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Scope {
    /// One file.
    File {
        /// Which.
        file: ResourceKey,
    },
    /// All files of a kind that an owner has on the page.
    Kind {
        /// Whose.
        owner: Owner,
        /// Which kind.
        files: ResourceKind,
    },
    /// What a host serves for an owner.
    Host {
        /// Which host.
        host: String,
        /// Whose files.
        owner: Owner,
    },
    /// Everything of an owner.
    Owner {
        /// Whose.
        owner: Owner,
    },
}

impl Scope {
    /// Of one file.
    #[must_use]
    pub fn file(url: &str) -> Self {
        Self::File { file: ResourceKey::of(url) }
    }
}

/// What a fix does. Each kind has one meaning for the forecast (what it does to the load) and one
/// for a trial (what it does to the responses).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Edit {
    /// Take a file off the page.
    Remove { file: ResourceKey },
    /// Take an owner off the page, with its files and the inline code that calls them.
    RemoveOwner { owner: Owner },
    /// Run a script once the document is parsed.
    DeferScript { file: ResourceKey },
    /// Run a script whenever it has come.
    AsyncScript { file: ResourceKey },
    /// Run scripts only after the first input.
    DelayScript { scope: Scope },
    /// Move a script to the end of the body.
    ScriptToEnd { file: ResourceKey },
    /// Inline what the first screen uses of a sheet; load the rest late.
    ReduceStyle { file: ResourceKey },
    /// Name an imported sheet in the document.
    LiftImport { file: ResourceKey },
    /// Ask for a file before anything else would find it.
    Preload { file: ResourceKey },
    /// Give a file a higher priority.
    RaisePriority { file: ResourceKey },
    /// Put the largest picture into the HTML and fetch it first.
    PutInHtml { file: ResourceKey },
    /// Load a file only near the screen.
    Lazy { file: ResourceKey },
    /// Load a lazy file at once.
    Eager { file: ResourceKey },
    /// Send text compressed.
    Compress { scope: Scope },
    /// Send code without what only people read.
    Minify { scope: Scope },
    /// Re-encode or drop a heavy file; to so many bytes, where that is known.
    Shrink { file: ResourceKey, to: Option<Bytes> },
    /// Send pictures at the size at which they are shown.
    Resize { scope: Scope },
    /// Leave out code that the page does not use.
    DropUnused { file: ResourceKey },
    /// Shorten the server's work for a response; to so much, where that is known.
    FasterResponse { file: ResourceKey, to: Option<Millis> },
    /// Serve the document from a page cache.
    PageCache { file: ResourceKey },
    /// Take an owner's work, or a query, off the server.
    ServerRemove {
        #[serde(flatten)]
        part: ServerPart,
    },
    /// Make an owner's work on the server, or a query, take a share of its time.
    ServerFaster {
        #[serde(flatten)]
        part: ServerPart,
        share: f64,
    },
    /// Serve from nearer by: a round trip of so much.
    Nearer { host: String, round_trip: Millis },
    /// Connect to a host ahead of need.
    Preconnect { host: String },
    /// Serve a third party's file oneself.
    SelfHost { file: ResourceKey },
    /// Name the target of a redirect instead of it.
    DropRedirect { file: ResourceKey },
    /// Serve a host over HTTP/2.
    Http2 { host: String },
    /// Say how large pictures or frames will be.
    SetDimensions { scope: Scope },
    /// Show text in another font until its own has come.
    ShowText { file: ResourceKey },
    /// Preload a font.
    PreloadFont { file: ResourceKey },
    /// Leave letters that the page does not need out of a font.
    SubsetFont { file: ResourceKey },
    /// Let browsers keep files longer.
    CacheLonger { scope: Scope },
    /// Do less in a script's tasks, or in smaller pieces.
    SplitTask { file: ResourceKey },
    /// Ask for boxes and styles before changing the page rather than after.
    StopForcedLayout { file: ResourceKey },
}

/// The kinds of edit, without what they are done to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum EditKind {
    Remove,
    RemoveOwner,
    DeferScript,
    AsyncScript,
    DelayScript,
    ScriptToEnd,
    ReduceStyle,
    LiftImport,
    Preload,
    RaisePriority,
    PutInHtml,
    Lazy,
    Eager,
    Compress,
    Minify,
    Shrink,
    Resize,
    DropUnused,
    FasterResponse,
    PageCache,
    ServerRemove,
    ServerFaster,
    Nearer,
    Preconnect,
    SelfHost,
    DropRedirect,
    Http2,
    SetDimensions,
    ShowText,
    PreloadFont,
    SubsetFont,
    CacheLonger,
    SplitTask,
    StopForcedLayout,
}

/// How much work a fix is, typically.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Effort {
    Small,
    Medium,
    Large,
}

/// What can go wrong with a fix.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Risk {
    /// Nothing that a look at the page would not show.
    Low,
    /// Something that depends on it may break; test what it is used for.
    MayBreak,
    /// Ask whoever needs the thing first.
    AskFirst,
}

impl Edit {
    /// Its kind.
    #[must_use]
    pub fn kind(&self) -> EditKind {
        match self {
            Self::Remove { .. } => EditKind::Remove,
            Self::RemoveOwner { .. } => EditKind::RemoveOwner,
            Self::DeferScript { .. } => EditKind::DeferScript,
            Self::AsyncScript { .. } => EditKind::AsyncScript,
            Self::DelayScript { .. } => EditKind::DelayScript,
            Self::ScriptToEnd { .. } => EditKind::ScriptToEnd,
            Self::ReduceStyle { .. } => EditKind::ReduceStyle,
            Self::LiftImport { .. } => EditKind::LiftImport,
            Self::Preload { .. } => EditKind::Preload,
            Self::RaisePriority { .. } => EditKind::RaisePriority,
            Self::PutInHtml { .. } => EditKind::PutInHtml,
            Self::Lazy { .. } => EditKind::Lazy,
            Self::Eager { .. } => EditKind::Eager,
            Self::Compress { .. } => EditKind::Compress,
            Self::Minify { .. } => EditKind::Minify,
            Self::Shrink { .. } => EditKind::Shrink,
            Self::Resize { .. } => EditKind::Resize,
            Self::DropUnused { .. } => EditKind::DropUnused,
            Self::FasterResponse { .. } => EditKind::FasterResponse,
            Self::PageCache { .. } => EditKind::PageCache,
            Self::ServerRemove { .. } => EditKind::ServerRemove,
            Self::ServerFaster { .. } => EditKind::ServerFaster,
            Self::Nearer { .. } => EditKind::Nearer,
            Self::Preconnect { .. } => EditKind::Preconnect,
            Self::SelfHost { .. } => EditKind::SelfHost,
            Self::DropRedirect { .. } => EditKind::DropRedirect,
            Self::Http2 { .. } => EditKind::Http2,
            Self::SetDimensions { .. } => EditKind::SetDimensions,
            Self::ShowText { .. } => EditKind::ShowText,
            Self::PreloadFont { .. } => EditKind::PreloadFont,
            Self::SubsetFont { .. } => EditKind::SubsetFont,
            Self::CacheLonger { .. } => EditKind::CacheLonger,
            Self::SplitTask { .. } => EditKind::SplitTask,
            Self::StopForcedLayout { .. } => EditKind::StopForcedLayout,
        }
    }

    /// What it is done to, as text: the same in every load in which it is the same.
    #[must_use]
    pub fn target(&self) -> String {
        match self {
            Self::Remove { file }
            | Self::DeferScript { file }
            | Self::AsyncScript { file }
            | Self::ScriptToEnd { file }
            | Self::ReduceStyle { file }
            | Self::LiftImport { file }
            | Self::Preload { file }
            | Self::RaisePriority { file }
            | Self::PutInHtml { file }
            | Self::Lazy { file }
            | Self::Eager { file }
            | Self::Shrink { file, .. }
            | Self::DropUnused { file }
            | Self::FasterResponse { file, .. }
            | Self::PageCache { file }
            | Self::SelfHost { file }
            | Self::DropRedirect { file }
            | Self::ShowText { file }
            | Self::PreloadFont { file }
            | Self::SubsetFont { file }
            | Self::SplitTask { file }
            | Self::StopForcedLayout { file } => file.to_string(),
            Self::RemoveOwner { owner } => owner.key(),
            Self::ServerRemove { part } | Self::ServerFaster { part, .. } => part.key(),
            Self::DelayScript { scope }
            | Self::Compress { scope }
            | Self::Minify { scope }
            | Self::Resize { scope }
            | Self::SetDimensions { scope }
            | Self::CacheLonger { scope } => match scope {
                Scope::File { file } => file.to_string(),
                Scope::Kind { owner, files } => format!("{} of {}", files.word(), owner.key()),
                Scope::Host { host, owner } => format!("{host} for {}", owner.key()),
                Scope::Owner { owner } => owner.key(),
            },
            Self::Nearer { host, .. } | Self::Preconnect { host } | Self::Http2 { host } => host.clone(),
        }
    }

    /// Kind and target: two edits of one key are the same fix, whatever figures they carry.
    #[must_use]
    pub fn key(&self) -> String {
        format!("{} {}", self.kind().word(), self.target())
    }

    /// An edit of a kind done to a file, as earlier versions wrote it: a word and an address. `None`
    /// for words that never were.
    #[must_use]
    pub fn from_earlier(kind: &str, target: &str) -> Option<Self> {
        let file = ResourceKey::of(target);
        let scope = Scope::File { file: file.clone() };
        Some(match kind {
            "put_in_html" => Self::PutInHtml { file },
            "defer_script" => Self::DeferScript { file },
            "reduce_style" => Self::ReduceStyle { file },
            "preload" => Self::Preload { file },
            "faster_response" => Self::FasterResponse { file, to: None },
            "compress" => Self::Compress { scope },
            // `host (owner)`, where the owner's kind was not told.
            "cache_longer" => match target.split_once(" (") {
                Some((host, owner)) => Self::CacheLonger {
                    scope: Scope::Host { host: host.into(), owner: Owner::named(owner.trim_end_matches(')')) },
                },
                None => Self::CacheLonger { scope },
            },
            "resize_image" => Self::Resize { scope },
            "shrink" => Self::Shrink { file, to: None },
            "set_dimensions" => Self::SetDimensions { scope },
            "split_task" => Self::SplitTask { file },
            "delay_script" if target.contains("://") => Self::DelayScript { scope },
            "delay_script" => Self::DelayScript { scope: Scope::Owner { owner: Owner::named(target) } },
            "load_lazily" => Self::Lazy { file },
            "preconnect" => Self::Preconnect { host: target.into() },
            "drop_redirect" => Self::DropRedirect { file },
            _ => return None,
        })
    }
}

impl EditKind {
    /// As the command line and the API write it.
    #[must_use]
    pub fn word(self) -> String {
        serde_json::to_value(self).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
    }

    /// Effort and risk of this kind of edit in general; a site may know better.
    #[must_use]
    pub fn usual(self) -> (Effort, Risk) {
        match self {
            Self::PutInHtml
            | Self::LiftImport
            | Self::Preload
            | Self::RaisePriority
            | Self::Lazy
            | Self::Eager
            | Self::SetDimensions
            | Self::CacheLonger
            | Self::Compress
            | Self::Minify
            | Self::Resize
            | Self::Shrink
            | Self::Preconnect
            | Self::DropRedirect
            | Self::ShowText
            | Self::PreloadFont => (Effort::Small, Risk::Low),
            Self::Http2 | Self::Nearer | Self::SelfHost | Self::SubsetFont => (Effort::Medium, Risk::Low),
            Self::DeferScript | Self::AsyncScript | Self::ScriptToEnd | Self::ReduceStyle | Self::PageCache => {
                (Effort::Medium, Risk::MayBreak)
            }
            Self::Remove | Self::RemoveOwner | Self::DelayScript | Self::ServerRemove => {
                (Effort::Small, Risk::AskFirst)
            }
            Self::FasterResponse | Self::ServerFaster | Self::SplitTask | Self::StopForcedLayout | Self::DropUnused => {
                (Effort::Large, Risk::MayBreak)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fix_is_the_same_in_the_next_release_and_whatever_it_would_save() {
        let old = Edit::Shrink { file: ResourceKey::of("http://a.test/hero.3f9a1c7b.jpg"), to: Some(Bytes(100)) };
        let new = Edit::Shrink { file: ResourceKey::of("https://a.test/hero.99ff00aa.jpg"), to: Some(Bytes(90)) };
        assert_eq!(old.key(), new.key());
        assert_eq!(old.key(), "shrink a.test/hero.*.jpg");
        assert_ne!(old.key(), Edit::Resize { scope: Scope::file("http://a.test/hero.jpg") }.key());
    }

    #[test]
    fn an_edit_survives_its_json_and_earlier_words_are_understood() {
        let owner = Owner::named("deck-slider");
        for edit in [
            Edit::DeferScript { file: ResourceKey::of("http://a.test/a.js") },
            Edit::CacheLonger { scope: Scope::Host { host: "a.test".into(), owner: owner.clone() } },
            Edit::ServerFaster { part: ServerPart::Owner { owner }, share: 0.5 },
            Edit::ServerRemove { part: ServerPart::Query { query: "select ?".into() } },
        ] {
            let text = serde_json::to_string(&edit).expect("JSON");
            assert!(text.starts_with(&format!("{{\"kind\":\"{}\"", edit.kind().word())), "{text}");
            assert_eq!(serde_json::from_str::<Edit>(&text).expect("an edit"), edit);
        }
        let kept = r#"{"kind":"server_faster","owner":{"name":"tide-table","kind":"plugin"},"share":0.5}"#;
        assert_eq!(serde_json::from_str::<Edit>(kept).expect("of a plan").key(), "server_faster plugin tide-table");
        let earlier = |kind, target| Edit::from_earlier(kind, target).map(|e| e.key());
        assert_eq!(earlier("defer_script", "http://a.test/a.js").as_deref(), Some("defer_script a.test/a.js"));
        assert_eq!(earlier("cache_longer", "a.test (site)").as_deref(), Some("cache_longer a.test for site site"));
        assert_eq!(
            earlier("delay_script", "parleydock.test").as_deref(),
            Some("delay_script third_party parleydock.test")
        );
        assert_eq!(earlier("paint_it_blue", "x"), None);
    }
}
