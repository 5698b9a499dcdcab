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

    /// Bytes that the line carries down in a millisecond; 0 is unlimited.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn down_bytes_per_ms(&self) -> f64 {
        self.down_bits as f64 / 8_000.0
    }
}

/// Conditions that come with the product.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Preset {
    /// As the command line names it.
    pub id: &'static str,
    /// As the screens name it.
    pub name: &'static str,
    device: Device,
    link: LinkPreset,
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct Device {
    width: u32,
    height: u32,
    pixel_ratio: f64,
    mobile: bool,
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct LinkPreset {
    cpu_slowdown: f64,
    round_trip_ms: f64,
    down_bits: u64,
    up_bits: u64,
}

/// The commonest phone's viewport there is.
const PHONE: Device = Device { width: 360, height: 800, pixel_ratio: 3.0, mobile: true };
const LAPTOP: Device = Device { width: 1280, height: 800, pixel_ratio: 1.0, mobile: false };

const fn link(cpu_slowdown: f64, round_trip_ms: f64, down_bits: u64, up_bits: u64) -> LinkPreset {
    LinkPreset { cpu_slowdown, round_trip_ms, down_bits, up_bits }
}

/// The presets.
pub const PRESETS: &[Preset] = &[
    Preset {
        id: "phone-on-the-move",
        name: "Phone on the move",
        device: PHONE,
        link: link(4.0, 120.0, 4_000_000, 1_000_000),
    },
    Preset {
        id: "phone-at-the-edge",
        name: "Phone at the edge",
        device: PHONE,
        link: link(6.0, 300.0, 700_000, 300_000),
    },
    Preset { id: "home-laptop", name: "Home laptop", device: LAPTOP, link: link(1.0, 30.0, 20_000_000, 5_000_000) },
    Preset { id: "village-line", name: "Village line", device: LAPTOP, link: link(2.0, 60.0, 3_000_000, 600_000) },
    Preset { id: "unshaped", name: "Unshaped", device: LAPTOP, link: link(1.0, 0.0, 0, 0) },
];

impl Preset {
    /// The conditions that it stands for.
    #[must_use]
    pub fn conditions(&self) -> Conditions {
        Conditions {
            name: self.name.to_owned(),
            width: self.device.width,
            height: self.device.height,
            pixel_ratio: self.device.pixel_ratio,
            mobile: self.device.mobile,
            cpu_slowdown: self.link.cpu_slowdown,
            round_trip_ms: self.link.round_trip_ms,
            down_bits: self.link.down_bits,
            up_bits: self.link.up_bits,
            distance: Distance::SameCity,
        }
    }
}

/// The preset with this id or name.
#[must_use]
pub fn preset(id: &str) -> Option<Conditions> {
    let wanted = id.trim();
    let found = PRESETS.iter().find(|p| p.id == wanted || p.name.eq_ignore_ascii_case(wanted))?;
    Some(found.conditions())
}

impl Conditions {
    /// What makes these conditions impossible to record under, in a sentence.
    #[must_use]
    pub fn trouble(&self) -> Option<String> {
        let out = |what: &str, from: &str, to: &str| Some(format!("{what} must lie between {from} and {to}."));
        if self.name.trim().is_empty() || self.name.chars().count() > 60 {
            return Some("Conditions need a name of at most 60 characters.".into());
        }
        if !(200..=4_000).contains(&self.width) || !(200..=4_000).contains(&self.height) {
            return out("Width and height of the viewport", "200", "4,000 pixels");
        }
        if !(0.5..=4.0).contains(&self.pixel_ratio) {
            return out("The pixel ratio", "0.5", "4");
        }
        if !(1.0..=20.0).contains(&self.cpu_slowdown) {
            return out("The CPU slowdown", "1", "20 times");
        }
        if !(0.0..=2_000.0).contains(&self.round_trip_ms) {
            return out("The round trip", "0", "2,000 ms");
        }
        let rate = |bits: u64| bits == 0 || (20_000..=10_000_000_000).contains(&bits);
        if !rate(self.down_bits) || !rate(self.up_bits) {
            return out("A rate that is not 0 (unshaped)", "0.02", "10,000 Mbit/s");
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn presets_can_be_recorded_and_nonsense_cannot() {
        for preset in PRESETS {
            assert_eq!(preset.conditions().trouble(), None, "{}", preset.name);
        }
        let phone = preset("Phone on the move").expect("by its name");
        assert_eq!((phone.width, phone.height, phone.pixel_ratio), (360, 800, 3.0));
        let broken: [fn(&mut Conditions); 6] = [
            |c| c.name = " ".into(),
            |c| c.width = 0,
            |c| c.pixel_ratio = f64::NAN,
            |c| c.cpu_slowdown = 0.5,
            |c| c.round_trip_ms = f64::INFINITY,
            |c| c.down_bits = 12,
        ];
        for change in broken {
            let mut conditions = phone.clone();
            change(&mut conditions);
            assert!(conditions.trouble().is_some(), "{conditions:?}");
        }
    }
}
