//! The picture that is the largest element of pages made for a test.

use image::codecs::png::PngEncoder;
use image::{ExtendedColorType, ImageEncoder};

/// A picture with detail: flat ones are never the largest paint.
pub fn picture() -> Vec<u8> {
    const SIDES: (u32, u32) = (360, 240);
    let mut seed = 7u32;
    let pixels: Vec<u8> = (0..SIDES.0 * SIDES.1 * 3)
        .map(|at| {
            seed = seed.wrapping_mul(1_103_515_245).wrapping_add(12_345);
            u8::try_from(((seed >> 16) & 31) + (at / 40 % 128)).expect("an octet")
        })
        .collect();
    let mut png = Vec::new();
    PngEncoder::new(&mut png)
        .write_image(&pixels, SIDES.0, SIDES.1, ExtendedColorType::Rgb8)
        .expect("a picture of its sides");
    png
}
