//! What a load of its own tells, because asking slows the page: which code it used, and how it looks
//! with its inline styles alone.

use phainon_core::Note;
use phainon_core::metrics::Coverage;
use serde::{Deserialize, Serialize};

/// Seen in one more load after the timed ones, under the same conditions.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Detail {
    /// Used ranges of each script and stylesheet.
    pub coverage: Vec<Coverage>,
    /// JPEG of the first screen with every stylesheet file switched off.
    #[serde(skip)]
    pub inline_only: Option<Vec<u8>>,
    /// What could not be seen.
    #[serde(deserialize_with = "phainon_core::notes_of_any_version")]
    pub notes: Vec<Note>,
}
