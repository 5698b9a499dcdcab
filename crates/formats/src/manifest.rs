//! The manifest of a recording archive. Its JSON Schema is `docs/manifest.schema.json`.

use phainon_core::{Conditions, Visit};
use serde::{Deserialize, Serialize};

/// What an archive holds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Manifest {
    /// Always `phainon-recording`.
    pub format: String,
    /// 1.
    pub version: u32,
    /// The URL that was recorded.
    pub url: String,
    /// What kind of page it is, in the user's word.
    #[serde(default)]
    pub page: Option<String>,
    #[serde(default)]
    pub conditions: Option<Conditions>,
    #[serde(default)]
    pub browser: Option<String>,
    /// RFC 3339.
    #[serde(default)]
    pub recorded_at: Option<String>,
    #[serde(default)]
    pub machine: Option<Machine>,
    /// Hosts and addresses that were blocked.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub blocked: Vec<String>,
    pub loads: Vec<ManifestLoad>,
}

/// One load in the archive: its files lie in `load-N/`, N counted from 1.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct ManifestLoad {
    #[serde(default)]
    pub visit: Visit,
    /// Why the load failed, if it did.
    #[serde(default)]
    pub failed: Option<String>,
}

/// The machine that recorded, and how busy it was.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Machine {
    /// Processors.
    pub cores: u32,
    /// One-minute load average before the first load.
    pub load_average: Option<f64>,
    /// Milliseconds that a fixed calculation took on one core: tells one machine from another.
    pub calibration_ms: Option<f64>,
}

impl Manifest {
    /// The value of `format`.
    pub const FORMAT: &'static str = "phainon-recording";
}
