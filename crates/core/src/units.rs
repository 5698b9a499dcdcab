//! Units as types, so that a byte is never added to a millisecond.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::iter::Sum;
use std::ops::{Add, AddAssign, Sub};
use ts_rs::TS;

/// A time or a length of time in milliseconds. Times count from navigation start.
///
/// Written to JSON rounded to a microsecond, which is what the trace's clock resolves.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default, TS)]
#[ts(type = "number", export_to = "types.ts")]
pub struct Millis(pub f64);

impl Millis {
    /// Navigation start, or no time at all.
    pub const ZERO: Self = Self(0.0);

    /// The earlier (or shorter) of two.
    #[must_use]
    pub fn min(self, other: Self) -> Self {
        Self(self.0.min(other.0))
    }

    /// The later (or longer) of two.
    #[must_use]
    pub fn max(self, other: Self) -> Self {
        Self(self.0.max(other.0))
    }

    /// Total order for sorting; times in a load are never NaN.
    #[must_use]
    pub fn order(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }

    /// As a person reads it: `840 ms` under a second, `2.31 s` from there.
    #[must_use]
    pub fn text(self) -> String {
        if self.0.abs() < 999.5 { format!("{:.0} ms", self.0) } else { format!("{:.2} s", self.0 / 1000.0) }
    }
}

impl Serialize for Millis {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_f64((self.0 * 1000.0).round() / 1000.0)
    }
}

impl<'de> Deserialize<'de> for Millis {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let value = f64::deserialize(deserializer)?;
        // What is computed from times stays finite, and can be written again.
        if value.abs() <= 1e24 { Ok(Self(value)) } else { Err(serde::de::Error::custom("no load takes that long")) }
    }
}

impl Add for Millis {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0)
    }
}

impl Sub for Millis {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self(self.0 - other.0)
    }
}

impl AddAssign for Millis {
    fn add_assign(&mut self, other: Self) {
        self.0 += other.0;
    }
}

impl Sum for Millis {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        // Not `sum`: that of nothing is −0, which sorts before 0.
        Self(iter.fold(0.0, |sum, m| sum + m.0))
    }
}

/// A number of bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, TS)]
#[ts(type = "number", export_to = "types.ts")]
pub struct Bytes(pub u64);

impl Bytes {
    /// As a person reads it, in kB and MB of 1,000.
    #[must_use]
    pub fn text(self) -> String {
        #[allow(clippy::cast_precision_loss)]
        let value = self.0 as f64;
        if self.0 < 1000 {
            format!("{} B", self.0)
        } else if value < 9_950.0 {
            format!("{:.1} kB", value / 1000.0)
        } else if value < 999_500.0 {
            format!("{:.0} kB", value / 1000.0)
        } else if value < 999_995_000.0 {
            format!("{:.2} MB", value / 1_000_000.0)
        } else {
            format!("{:.2} GB", value / 1_000_000_000.0)
        }
    }
}

impl AddAssign for Bytes {
    fn add_assign(&mut self, other: Self) {
        self.0 = self.0.saturating_add(other.0);
    }
}

impl Sum for Bytes {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        Self(iter.fold(0, |sum, b| sum.saturating_add(b.0)))
    }
}
