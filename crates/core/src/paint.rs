//! What the screen showed: paints, shifts and frames.

use crate::{Millis, TextFont};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A box in CSS pixels, from the top left of the viewport.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Rect {
    pub x: f64,
    pub y: f64,
    pub width: f64,
    pub height: f64,
}

impl Rect {
    /// Area in square CSS pixels.
    #[must_use]
    pub fn area(&self) -> f64 {
        self.width.max(0.0) * self.height.max(0.0)
    }

    /// The part that lies inside a viewport of this size.
    #[must_use]
    pub fn within(&self, width: f64, height: f64) -> Self {
        let (left, top) = (self.x.max(0.0), self.y.max(0.0));
        let right = (self.x + self.width).min(width);
        let bottom = (self.y + self.height).min(height);
        Self { x: left, y: top, width: (right - left).max(0.0), height: (bottom - top).max(0.0) }
    }
}

/// Whether the largest paint was text or a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum PaintKind {
    Text,
    Image,
}

/// One candidate for the largest contentful paint, as the browser announced it
/// (W3C Largest Contentful Paint).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct LcpCandidate {
    pub at: Millis,
    pub kind: PaintKind,
    /// Visible area in CSS pixels, as the browser counted it.
    pub size: f64,
    /// The browser's id of the node, good for one page's life.
    pub node: Option<i64>,
    pub url: Option<String>,
    pub tag: Option<String>,
    /// A CSS selector that finds the element.
    pub selector: Option<String>,
    /// The element's opening tag, cut short.
    pub snippet: Option<String>,
    pub rect: Option<Rect>,
    /// The fonts that a text is set in; `None` where that was not asked.
    #[serde(default)]
    pub fonts: Option<Vec<TextFont>>,
    /// What was animated of what a text stands in, or is; empty where that was not asked.
    #[serde(default)]
    pub animated: Vec<AnimatedAround>,
    /// The first words in the element when the load was over; `None` where it has none, or that was not asked.
    #[serde(default)]
    pub words: Option<String>,
}

/// An element that was animated, which a text stands in or is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AnimatedAround {
    /// The browser's number of the element, as [`crate::Animation::node`] has it.
    pub node: i64,
    /// It faded, and is still as its animation left it when that is over: nothing is painted anew then.
    pub stays: bool,
    /// The fonts of what stands in it before the text: one that comes may move the text.
    pub before: Vec<TextFont>,
    /// Those of what floats there.
    pub floats: Vec<TextFont>,
}

/// An element that a shift moved.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Moved {
    /// Where it stood, in CSS pixels of the viewport.
    pub before: Rect,
    pub after: Rect,
    /// The element, by the browser's number.
    #[serde(default)]
    pub node: Option<i64>,
    /// The element as a CSS selector, or in the browser's own words where it could not be resolved.
    #[serde(default)]
    pub element: Option<String>,
}

/// A layout shift (W3C Layout Instability).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct LayoutShift {
    pub at: Millis,
    /// That of an inner frame is weighted by its share of the viewport.
    pub score: f64,
    /// Whether it happened in a frame within the page.
    #[serde(default)]
    pub inner: bool,
    pub had_recent_input: bool,
    /// The moved elements, where they stood before and after.
    pub moved: Vec<Moved>,
}

/// Whether two moments are those of one paint: they are told by several events, which agree but for rounding.
pub(crate) fn is_one_paint(one: Millis, other: Millis) -> bool {
    (one.0 - other.0).abs() < 0.01
}

/// A picture of the screen during the load.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ScreenFrame {
    /// When the browser showed it.
    pub at_ms: Millis,
    /// Its file, relative to the load.
    pub file: String,
    /// What the picture is known by, whatever its file is called: the beginning of its SHA-256.
    #[serde(default)]
    pub hash: String,
    /// Visual completeness, 0 to 1, by the colours of the first and the last frame.
    #[serde(default)]
    pub complete: Option<f64>,
    /// What changed since the frame before: boxes as shares of the picture's width and height.
    #[serde(default)]
    pub changed: Vec<Rect>,
}
