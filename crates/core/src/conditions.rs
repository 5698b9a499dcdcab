//! Conditions: whose load it is. Device, link and distance.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The device, link and distance under which a page is loaded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Conditions {
    /// The preset's name, or the user's own.
    pub name: String,
    /// Viewport width in CSS pixels.
    pub width: u32,
    /// Viewport height in CSS pixels.
    pub height: u32,
    /// Device pixels to a CSS pixel.
    pub pixel_ratio: f64,
    /// Whether the page is told that it is on a phone (touch, mobile viewport rules).
    pub mobile: bool,
    /// How many times slower than this machine the main thread is made.
    pub cpu_slowdown: f64,
    /// Round trip of the link in milliseconds, before distance; 0 is unshaped.
    pub round_trip_ms: f64,
    /// Bits a second towards the browser; 0 is unshaped.
    #[ts(type = "number")]
    pub down_bits: u64,
    /// Bits a second from the browser; 0 is unshaped.
    #[ts(type = "number")]
    pub up_bits: u64,
    /// How far the visitor is from the server.
    #[serde(default)]
    pub distance: Distance,
}

/// How far the visitor is from the server; adds to the round trip.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Distance {
    /// Adds nothing.
    #[default]
    SameCity,
    /// Adds 40 ms.
    SameContinent,
    /// Adds 180 ms.
    AcrossAnOcean,
}

impl Distance {
    /// Milliseconds that the distance adds to the round trip.
    #[must_use]
    pub fn added_ms(self) -> f64 {
        match self {
            Self::SameCity => 0.0,
            Self::SameContinent => 40.0,
            Self::AcrossAnOcean => 180.0,
        }
    }
}

impl Conditions {
    /// Round trip in milliseconds, distance included.
    #[must_use]
    pub fn total_round_trip_ms(&self) -> f64 {
        self.round_trip_ms + self.distance.added_ms()
    }
}

type PresetRow = (&'static str, &'static str, u32, u32, f64, bool, f64, f64, f64, f64);

/// The presets: id, name, width, height, pixel ratio, mobile, CPU slowdown, round trip, Mbit/s down and up.
pub const PRESETS: &[PresetRow] = &[
    ("phone-on-the-move", "Phone on the move", 412, 823, 2.6, true, 4.0, 120.0, 4.0, 1.0),
    ("phone-at-the-edge", "Phone at the edge", 412, 823, 2.6, true, 6.0, 300.0, 0.7, 0.3),
    ("home-laptop", "Home laptop", 1280, 800, 1.0, false, 1.0, 30.0, 20.0, 5.0),
    ("village-line", "Village line", 1280, 800, 1.0, false, 2.0, 60.0, 3.0, 0.6),
    ("unshaped", "Unshaped", 1280, 800, 1.0, false, 1.0, 0.0, 0.0, 0.0),
];

/// The preset with this id or name.
#[must_use]
pub fn preset(id: &str) -> Option<Conditions> {
    let wanted = id.trim();
    PRESETS.iter().find(|row| row.0 == wanted || row.1.eq_ignore_ascii_case(wanted)).map(|row| Conditions {
        name: row.1.to_owned(),
        width: row.2,
        height: row.3,
        pixel_ratio: row.4,
        mobile: row.5,
        cpu_slowdown: row.6,
        round_trip_ms: row.7,
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        down_bits: (row.8 * 1e6) as u64,
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        up_bits: (row.9 * 1e6) as u64,
        distance: Distance::SameCity,
    })
}
