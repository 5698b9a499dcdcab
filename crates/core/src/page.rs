//! Facts about the document, read from the DOM at the end of the load.

use crate::Rect;
use serde::{Deserialize, Serialize};

/// An image element or a picture drawn as a background.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct PageImage {
    /// The file shown.
    pub url: String,
    /// A CSS selector that finds the element.
    pub selector: String,
    /// Its box in the page.
    pub rect: Rect,
    /// The file's own width in pixels.
    pub natural_width: u32,
    /// The file's own height in pixels.
    pub natural_height: u32,
    /// Whether the element says its size before the file arrives: attributes or style.
    pub sized: bool,
    /// `loading="lazy"`.
    pub lazy: bool,
    /// Not displayed at all.
    pub hidden: bool,
    /// Drawn as a CSS background.
    pub background: bool,
    /// Positioned absolutely or fixed, itself or with what it stands in: it takes no room in the flow.
    pub out_of_flow: bool,
    /// Its `object-fit`; empty where it was not asked for.
    pub fit: String,
}

impl PageImage {
    /// How many device pixels of the file the box needs at a pixel ratio (CSS Images 3, `object-fit`):
    /// covering a box of another shape takes more of the file than the box holds, being contained
    /// in it less.
    #[must_use]
    pub fn needed_pixels(&self, (width, height): (f64, f64), ratio: f64) -> f64 {
        let (across, down) = (self.rect.width * ratio, self.rect.height * ratio);
        if width <= 0.0 || height <= 0.0 {
            return across * down;
        }
        let (wide, tall) = (across / width, down / height);
        match self.fit.as_str() {
            "cover" => width * height * wide.max(tall).powi(2),
            "contain" => width * height * wide.min(tall).powi(2),
            "scale-down" => width * height * wide.min(tall).min(1.0).powi(2),
            "none" => width * height,
            _ => across * down,
        }
    }
}

/// Facts about the document at the end of the load.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct PageFacts {
    /// The document's title.
    pub title: String,
    /// Images of the main document.
    pub images: Vec<PageImage>,
    /// How many elements the document has.
    pub elements: u32,
    /// The whole page's height in CSS pixels.
    pub height: f64,
}
