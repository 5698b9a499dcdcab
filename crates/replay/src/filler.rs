//! What goes out in the place of a body that was not kept: as many bytes, which the browser takes for what they
//! stand for. A picture that is none is given up on after its first bytes, and the rest would not come over the
//! line.

use flate2::Crc;
use image::{GrayImage, ImageFormat, Luma};
use phainon_core::{Load, Request, ResourceKind};
use std::io::Cursor;

/// More than this is not filled up.
const MOST: u64 = 200 << 20;
/// A picture of more pixels is filled as one of a single pixel.
const MOST_PIXELS: u64 = 40_000_000;

/// Bytes in the place of a response's body.
#[must_use]
pub fn filler(load: &Load, request: &Request) -> Vec<u8> {
    let size = usize::try_from(request.unpacked.or(request.transferred).map_or(0, |b| b.0).min(MOST)).unwrap_or(0);
    if request.kind == ResourceKind::Image {
        let shown = load.page.iter().flat_map(|p| &p.images).find(|i| *i.url == *request.url);
        let natural = shown.map(|i| (i.natural_width, i.natural_height));
        let fits = |(w, h): &(u32, u32)| *w > 0 && *h > 0 && u64::from(*w) * u64::from(*h) <= MOST_PIXELS;
        if let Some(picture) = picture(size, natural.filter(fits).unwrap_or((1, 1))) {
            return picture;
        }
    }
    vec![b' '; size]
}

/// A grey PNG of a size in pixels and in bytes: what it lacks of the bytes stands before the picture itself, in a
/// chunk that readers pass over (PNG, 5.3), so that it is there when all has come. `None` where it has not so few
/// bytes.
fn picture(size: usize, (width, height): (u32, u32)) -> Option<Vec<u8>> {
    /// Signature and header.
    const HEAD: usize = 8 + 25;
    /// Length, type and checksum.
    const AROUND: usize = 12;
    let mut bytes = Cursor::new(Vec::new());
    GrayImage::from_pixel(width, height, Luma([200])).write_to(&mut bytes, ImageFormat::Png).ok()?;
    let png = bytes.into_inner();
    let missing = size.checked_sub(png.len() + AROUND)?;
    let mut named = b"paDd".to_vec();
    named.resize(4 + missing, b' ');
    let mut sum = Crc::new();
    sum.update(&named);
    let length = u32::try_from(missing).ok()?.to_be_bytes();
    Some([&png[..HEAD], &length, &named, &sum.sum().to_be_bytes(), &png[HEAD..]].concat())
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_core::Bytes;

    #[test]
    fn a_picture_stays_one_of_its_size_in_both() {
        let made = picture(5_000, (320, 200)).expect("enough");
        assert_eq!(made.len(), 5_000);
        let read = image::load_from_memory(&made).expect("a picture");
        assert_eq!((read.width(), read.height()), (320, 200));
        assert_eq!(picture(20, (320, 200)), None);
        let mut request = Request::new(0, "http://a.test/a.jpg", ResourceKind::Image);
        request.unpacked = Some(Bytes(20));
        assert_eq!(filler(&Load::empty("http://a.test/"), &request), [b' '; 20]);
    }
}
