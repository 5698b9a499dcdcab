//! Fixes: changes one could make.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What kind of change it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum FixKind {
    /// Put the largest element's file in the HTML and fetch it first.
    PutInHtml,
    /// Defer a script until the document is parsed.
    DeferScript,
    /// Inline the used part of a sheet and load the rest late.
    ReduceStyle,
    /// Preload a file, or raise its priority.
    Preload,
    /// Shorten the server's work, or serve the page from a page cache.
    FasterResponse,
    /// Send text compressed.
    Compress,
    /// Let the browser keep a file.
    CacheLonger,
    /// Send a picture at the size at which it is shown.
    ResizeImage,
    /// Re-encode, shrink or drop a heavy file.
    Shrink,
    /// Say a picture's size before it arrives.
    SetDimensions,
    /// Break a long task up, or do less in it.
    SplitTask,
    /// Delay a script until the first input.
    DelayScript,
    /// Load a file lazily.
    LoadLazily,
    /// Connect to a host ahead of need.
    Preconnect,
    /// Drop redirects.
    DropRedirect,
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

/// A change one could make: a kind, and what to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Fix {
    pub kind: FixKind,
    /// The file, host or page that it is done to.
    pub target: String,
    /// The fix in plain words.
    pub title: String,
    pub effort: Effort,
    pub risk: Risk,
}

impl FixKind {
    /// Effort and risk of this kind of fix in general; a site may know better.
    #[must_use]
    pub fn usual(self) -> (Effort, Risk) {
        match self {
            Self::PutInHtml
            | Self::Preload
            | Self::SetDimensions
            | Self::CacheLonger
            | Self::Compress
            | Self::ResizeImage
            | Self::Shrink
            | Self::LoadLazily
            | Self::Preconnect
            | Self::DropRedirect => (Effort::Small, Risk::Low),
            Self::DeferScript => (Effort::Medium, Risk::MayBreak),
            Self::ReduceStyle => (Effort::Medium, Risk::MayBreak),
            Self::DelayScript => (Effort::Small, Risk::AskFirst),
            Self::FasterResponse => (Effort::Large, Risk::MayBreak),
            Self::SplitTask => (Effort::Large, Risk::MayBreak),
        }
    }
}

impl Fix {
    /// A fix with the usual effort and risk of its kind.
    #[must_use]
    pub fn new(kind: FixKind, target: &str, title: String) -> Self {
        let (effort, risk) = kind.usual();
        Self { kind, target: target.to_owned(), title, effort, risk }
    }
}
