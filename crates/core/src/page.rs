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
