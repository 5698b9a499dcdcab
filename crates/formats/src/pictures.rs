//! Pictures of the screen: how complete each is, and what changed since the one before.

use image::{ImageFormat, ImageReader, RgbImage};
use phainon_core::metrics::{BINS, Colours, completeness};
use phainon_core::{Lack, Rect, ScreenFrame};
use std::io::Cursor;

/// A picture of the screen is never larger than this; anything above is no such picture.
const MOST_PIXELS: u32 = 4_096;
/// All pictures of a load together: more than twice what a recording has at most, 240 of 440 × 560. What lies
/// beyond is not read.
const MOST_PIXELS_OF_LOAD: u64 = 150_000_000;
/// Pictures are compared in squares of this many pixels.
const SQUARE: u32 = 12;
/// A square has changed where its pixels differ by this much on average, of 255: what the encoding
/// of an unchanged picture adds is less.
const CHANGED: u32 = 7;
const MOST_BOXES: usize = 12;

/// The picture, where it is one and no larger than `left` pixels, which it is then taken from.
fn decode(bytes: &[u8], left: &mut u64) -> Option<RgbImage> {
    let reader = || ImageReader::with_format(Cursor::new(bytes), ImageFormat::Jpeg);
    let (width, height) = reader().into_dimensions().ok()?;
    *left = left.checked_sub(u64::from(width) * u64::from(height))?;
    let mut reader = reader();
    let mut limits = image::Limits::default();
    limits.max_image_width = Some(MOST_PIXELS);
    limits.max_image_height = Some(MOST_PIXELS);
    reader.limits(limits);
    Some(reader.decode().ok()?.into_rgb8())
}

#[allow(clippy::cast_precision_loss)]
fn colours(picture: &RgbImage) -> Colours {
    let mut counts = vec![0u32; 3 * BINS];
    for pixel in picture.pixels() {
        for (channel, value) in pixel.0.iter().enumerate() {
            counts[channel * BINS + usize::from(*value) * BINS / 256] += 1;
        }
    }
    let all = f64::from(picture.width()) * f64::from(picture.height());
    #[allow(clippy::cast_possible_truncation)]
    Colours(counts.into_iter().map(|c| (f64::from(c) / all.max(1.0)) as f32).collect())
}

/// The frames with their completeness and what changed; a picture that cannot be decoded leaves
/// completeness unknown for all, since it could have been the first or the last.
pub(crate) fn compared(frames: &[(ScreenFrame, &[u8])]) -> (Vec<ScreenFrame>, Option<Lack>) {
    let mut shown: Vec<ScreenFrame> = frames.iter().map(|(frame, _)| frame.clone()).collect();
    let mut histograms = Vec::with_capacity(frames.len());
    let mut before: Option<(&[u8], RgbImage)> = None;
    let mut unread = 0usize;
    let mut left = MOST_PIXELS_OF_LOAD;
    for (place, (_, bytes)) in frames.iter().enumerate() {
        if let (Some((same, _)), Some(last)) = (&before, histograms.last())
            && same == bytes
        {
            histograms.push(Colours::clone(last));
            continue;
        }
        let Some(picture) = decode(bytes, &mut left) else {
            unread += 1;
            continue;
        };
        histograms.push(colours(&picture));
        shown[place].changed = before.as_ref().map(|(_, b)| changes(b, &picture)).unwrap_or_default();
        before = Some((bytes, picture));
    }
    if unread > 0 {
        shown.iter_mut().for_each(|f| f.complete = None);
        return (shown, Some(Lack::PicturesUnread { count: unread }));
    }
    for (frame, complete) in shown.iter_mut().zip(completeness(&histograms)) {
        frame.complete = Some(complete);
    }
    (shown, None)
}

/// Boxes around what differs, as shares of width and height, largest first.
fn changes(before: &RgbImage, after: &RgbImage) -> Vec<Rect> {
    let (width, height) = after.dimensions();
    if before.dimensions() != (width, height) {
        return vec![Rect { x: 0.0, y: 0.0, width: 1.0, height: 1.0 }];
    }
    let (columns, rows) = (width.div_ceil(SQUARE), height.div_ceil(SQUARE));
    let mut changed = vec![false; (columns * rows) as usize];
    for row in 0..rows {
        for column in 0..columns {
            let (mut sum, mut count) = (0u32, 0u32);
            for y in (row * SQUARE..((row + 1) * SQUARE).min(height)).step_by(2) {
                for x in (column * SQUARE..((column + 1) * SQUARE).min(width)).step_by(2) {
                    let (a, b) = (before.get_pixel(x, y).0, after.get_pixel(x, y).0);
                    sum += a.iter().zip(&b).map(|(a, b)| u32::from(a.abs_diff(*b))).sum::<u32>();
                    count += 3;
                }
            }
            changed[(row * columns + column) as usize] = sum > CHANGED * count;
        }
    }
    // Squares that touch, corners included, make one box.
    let mut boxes = Vec::new();
    for start in 0..changed.len() {
        if !changed[start] {
            continue;
        }
        let mut open = vec![start];
        changed[start] = false;
        let (mut left, mut right, mut top, mut bottom) = (u32::MAX, 0, u32::MAX, 0);
        while let Some(square) = open.pop() {
            #[allow(clippy::cast_possible_truncation)]
            let (x, y) = (square as u32 % columns, square as u32 / columns);
            (left, right) = (left.min(x), right.max(x));
            (top, bottom) = (top.min(y), bottom.max(y));
            for ny in y.saturating_sub(1)..=(y + 1).min(rows - 1) {
                for nx in x.saturating_sub(1)..=(x + 1).min(columns - 1) {
                    let near = (ny * columns + nx) as usize;
                    if std::mem::take(&mut changed[near]) {
                        open.push(near);
                    }
                }
            }
        }
        let share = |square: u32, of: u32| f64::from((square * SQUARE).min(of)) / f64::from(of);
        boxes.push(Rect {
            x: share(left, width),
            y: share(top, height),
            width: share(right + 1, width) - share(left, width),
            height: share(bottom + 1, height) - share(top, height),
        });
    }
    boxes.sort_by(|a, b| b.area().total_cmp(&a.area()));
    boxes.truncate(MOST_BOXES);
    boxes
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::codecs::jpeg::JpegEncoder;
    use phainon_core::Millis;
    use phainon_core::metrics::speed_index;

    /// A white screen of 120 × 120 with a black rectangle from the top left, as the browser sends it.
    fn screen(at: f64, width: u32, height: u32) -> (ScreenFrame, Vec<u8>) {
        let picture = RgbImage::from_fn(120, 120, |x, y| {
            if x < width && y < height { image::Rgb([0; 3]) } else { image::Rgb([255; 3]) }
        });
        let mut bytes = Vec::new();
        JpegEncoder::new_with_quality(&mut bytes, 95).encode_image(&picture).expect("encoded");
        (ScreenFrame { at_ms: Millis(at), file: format!("{at}.jpg"), ..ScreenFrame::default() }, bytes)
    }

    fn borrowed(frames: &[(ScreenFrame, Vec<u8>)]) -> Vec<(ScreenFrame, &[u8])> {
        frames.iter().map(|(frame, picture)| (frame.clone(), picture.as_slice())).collect()
    }

    #[test]
    fn speed_index_of_real_pictures_is_that_worked_by_hand() {
        // Nothing until 1 s, half until 3 s: 1000 + 2000 / 2.
        let screens = [screen(0.0, 0, 0), screen(1000.0, 120, 48), screen(3000.0, 120, 96)];
        let (frames, note) = compared(&borrowed(&screens));
        assert!(note.is_none());
        let index = speed_index(&frames).expect("frames").0;
        assert!((index - 2000.0).abs() < 30.0, "{index}");
        let changed = frames[2].changed[0];
        assert!((changed.y - 0.4).abs() < 1e-9 && (changed.height - 0.4).abs() < 1e-9, "{changed:?}");
        assert!(frames[0].changed.is_empty());
    }

    #[test]
    fn a_picture_that_cannot_be_read_leaves_completeness_unknown() {
        let broken = (ScreenFrame::default(), b"no picture".to_vec());
        let (frames, note) = compared(&borrowed(&[screen(0.0, 0, 0), broken]));
        assert!(frames.iter().all(|f| f.complete.is_none()) && note.is_some());
    }

    #[test]
    fn more_pixels_than_a_screen_has_are_not_read_and_the_same_picture_is_read_once() {
        let huge = |shade: u8| {
            let picture = image::GrayImage::from_pixel(4_000, 4_000, image::Luma([shade]));
            let mut bytes = Vec::new();
            JpegEncoder::new(&mut bytes).encode_image(&picture).expect("encoded");
            bytes
        };
        let (light, dark) = (huge(200), huge(20));
        let shown = |bytes: &[&[u8]]| {
            let frames: Vec<_> = bytes.iter().map(|b| (ScreenFrame::default(), *b)).collect();
            compared(&frames).1
        };
        assert_eq!(shown(&[&light[..]; 100]), None);
        let turns: Vec<&[u8]> = (0..12).map(|n| if n % 2 == 0 { &light[..] } else { &dark[..] }).collect();
        // Nine are read; the second of the three after them is the ninth again.
        assert_eq!(shown(&turns), Some(Lack::PicturesUnread { count: 2 }));
    }
}
