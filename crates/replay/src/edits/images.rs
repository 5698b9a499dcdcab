//! Pictures: when they are asked for, how heavy they are, how much space they have.

use super::html::{each_document, element_names, names, rewritten};
use super::remove::not_in_document;
use super::{Known, Tried, cannot, in_scope, places};
use crate::answer::Answer;
use crate::book::Book;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageFormat};
use lol_html::element;
use phainon_core::{Bytes, ResourceKey, ResourceKind, Scope};
use std::io::Cursor;

/// Qualities that are tried for a size, from the best.
const QUALITIES: [u8; 10] = [90, 85, 80, 75, 70, 60, 50, 40, 30, 20];
/// The quality at which a picture that is shown smaller is written.
const USUAL: u8 = 80;
/// A picture that would keep so much of its width is left as it is.
const WORTH: f64 = 0.95;
/// A picture of more pixels is not decoded.
const MOST_PIXELS: u64 = 80_000_000;

/// Sets when pictures and frames are loaded (HTML, lazy loading).
pub fn loading(book: &mut Book, file: &ResourceKey, how: &str) -> Tried {
    places(book, file)?;
    let changed = each_document(book, |markup, base| {
        rewritten(
            markup,
            vec![element!("img, iframe", |el| {
                if element_names(el, base, file) && el.get_attribute("loading").as_deref() != Some(how) {
                    el.set_attribute("loading", how)?;
                    if how == "eager"
                        && let Some(late) = el.get_attribute("data-src").filter(|src| names(base, src, file))
                    {
                        el.set_attribute("src", &late)?;
                    }
                }
                Ok(())
            })],
        )
    });
    if changed == 0 { not_in_document(file, "a script or a sheet") } else { Ok(Vec::new()) }
}

fn decoded(answer: &Answer) -> Option<(DynamicImage, ImageFormat)> {
    let format = image::guess_format(&answer.body).ok()?;
    let reader = image::ImageReader::with_format(Cursor::new(&*answer.body), format);
    let (width, height) = reader.into_dimensions().ok()?;
    if u64::from(width) * u64::from(height) > MOST_PIXELS {
        return None;
    }
    Some((image::load_from_memory_with_format(&answer.body, format).ok()?, format))
}

fn as_jpeg(picture: &DynamicImage, quality: u8) -> Option<Vec<u8>> {
    let mut bytes = Vec::new();
    JpegEncoder::new_with_quality(&mut bytes, quality).encode_image(&picture.to_rgb8()).ok()?;
    Some(bytes)
}

fn is_opaque(picture: &DynamicImage) -> bool {
    !picture.color().has_alpha() || picture.to_rgba8().pixels().all(|p| p.0[3] == 255)
}

fn written(picture: &DynamicImage, format: ImageFormat, quality: u8) -> Option<(Vec<u8>, &'static str)> {
    if format == ImageFormat::Jpeg || is_opaque(picture) {
        return Some((as_jpeg(picture, quality)?, "image/jpeg"));
    }
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, ImageFormat::Png).ok()?;
    Some((bytes.into_inner(), "image/png"))
}

/// Re-encodes a picture to so many bytes, or to the quality that is usual.
pub fn shrink(book: &mut Book, file: &ResourceKey, to: Option<Bytes>) -> Tried {
    let places = places(book, file)?;
    let mut told = Vec::new();
    for place in places {
        let answer = &mut book.answers[place];
        if answer.kind != ResourceKind::Image {
            return cannot(format!(
                "Only pictures can be re-encoded; put a smaller {} in its place by hand.",
                file.name()
            ));
        }
        let Some((picture, format)) = decoded(answer).filter(|_| answer.exact) else {
            return cannot(format!("{} is of a sort that is not re-encoded here (JPEG and PNG are).", file.name()));
        };
        let limit = to.map_or(answer.body.len() as u64, |b| b.0);
        let qualities: &[u8] = if to.is_some() { &QUALITIES } else { &[USUAL] };
        let mut best = None;
        for quality in qualities {
            let Some((bytes, mime)) = written(&picture, format, *quality) else { continue };
            let fits = bytes.len() as u64 <= limit;
            best = Some((bytes, mime, *quality));
            if fits {
                break;
            }
        }
        let Some((mut bytes, mime, mut quality)) = best else {
            return cannot(format!("{} could not be written again.", file.name()));
        };
        let mut scale = 1.0;
        // Quality alone does not reach every size: the rest is pixels.
        while to.is_some() && bytes.len() as u64 > limit && scale > 0.1 {
            scale *= 0.8;
            let (width, height) = (scaled(picture.width(), scale), scaled(picture.height(), scale));
            let small = picture.resize_exact(width, height, image::imageops::FilterType::Triangle);
            quality = 50;
            match written(&small, format, quality) {
                Some((new, _)) => bytes = new,
                None => break,
            }
        }
        if bytes.len() >= answer.body.len() {
            return cannot(format!("{} does not become smaller than it is.", file.name()));
        }
        told.push(format!(
            "{} instead of {}, as JPEG of quality {quality}{}.",
            Bytes(bytes.len() as u64).text(),
            Bytes(answer.body.len() as u64).text(),
            if scale < 1.0 { format!(", at {:.0} % of its width", scale * 100.0) } else { String::new() }
        ));
        answer.set_body(bytes);
        answer.set_header("content-type", Some(mime));
    }
    told.dedup();
    Ok(told)
}

#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn scaled(length: u32, by: f64) -> u32 {
    ((f64::from(length) * by).round() as u32).max(1)
}

/// Sends pictures at the size at which they are shown, in the screen's own pixels.
pub fn resize(book: &mut Book, known: &Known<'_>, scope: &Scope) -> Tried {
    let ratio = known.prepared.load.conditions.as_ref().map_or(1.0, |c| c.pixel_ratio);
    let (mut saved, mut count) = (0usize, 0usize);
    for place in in_scope(book, known, scope) {
        let answer = &mut book.answers[place];
        if answer.kind != ResourceKind::Image || !answer.exact {
            continue;
        }
        let Some(shown) = known.prepared.shown_largest(&answer.url) else { continue };
        let Some((picture, format)) = decoded(answer) else { continue };
        let size = (f64::from(picture.width()), f64::from(picture.height()));
        let by = (shown.needed_pixels(size, ratio) / (size.0 * size.1)).sqrt();
        if by <= 0.0 || by >= WORTH {
            continue;
        }
        let (width, height) = (scaled(picture.width(), by), scaled(picture.height(), by));
        let small = picture.resize_exact(width, height, image::imageops::FilterType::CatmullRom);
        if let Some((bytes, mime)) = written(&small, format, USUAL).filter(|(b, _)| b.len() < answer.body.len()) {
            saved += answer.body.len() - bytes.len();
            count += 1;
            answer.set_body(bytes);
            answer.set_header("content-type", Some(mime));
        }
    }
    if count == 0 {
        return cannot(
            "No picture that it means is larger than it is shown, of a sort that is re-encoded here (JPEG and PNG are).",
        );
    }
    let pictures = if count == 1 { "picture" } else { "pictures" };
    Ok(vec![format!("{count} {pictures}, {} lighter in all, at quality {USUAL}.", Bytes(saved as u64).text())])
}

/// Writes width and height of pictures, and of frames the size they came to, into their tags.
pub fn dimensions(book: &mut Book, known: &Known<'_>, scope: &Scope) -> Tried {
    let files: Vec<(ResourceKey, u32, u32)> = in_scope(book, known, scope)
        .into_iter()
        .filter_map(|p| {
            let answer = &book.answers[p];
            let size =
                image::ImageReader::new(Cursor::new(&*answer.body)).with_guessed_format().ok()?.into_dimensions().ok();
            let image = known.prepared.images_of(&answer.url).next();
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let shown = image.map(|i| (i.rect.width.max(0.0) as u32, i.rect.height.max(0.0) as u32));
            let (width, height) = size.or(shown).filter(|(w, h)| *w > 0 && *h > 0)?;
            Some((ResourceKey::of(&answer.url), width, height))
        })
        .collect();
    let changed = each_document(book, |markup, base| {
        rewritten(
            markup,
            vec![element!("img, iframe", |el| {
                let own = files.iter().find(|(file, _, _)| element_names(el, base, file));
                if let Some((_, width, height)) = own.filter(|_| !el.has_attribute("height")) {
                    el.set_attribute("width", &width.to_string())?;
                    el.set_attribute("height", &height.to_string())?;
                }
                Ok(())
            })],
        )
    });
    if changed == 0 {
        return cannot(
            "No tag in the document that it means is without its dimensions: a script or a sheet puts it there.",
        );
    }
    Ok(Vec::new())
}
