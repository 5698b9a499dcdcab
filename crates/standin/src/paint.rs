//! Pictures painted from a seed: sky, hills, sea and a hull, with grain, so that they weigh and
//! decode like photographs.

use image::codecs::jpeg::JpegEncoder;
use image::codecs::png::PngEncoder;
use image::{ImageEncoder, RgbImage};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Smooth noise on a lattice of random values.
struct Noise {
    values: Vec<f32>,
}

const SIDE: usize = 256;

impl Noise {
    fn new(rng: &mut ChaCha8Rng) -> Self {
        Self { values: (0..SIDE * SIDE).map(|_| rng.random::<f32>()).collect() }
    }

    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, clippy::cast_precision_loss)]
    fn at(&self, x: f32, y: f32) -> f32 {
        let (x0, y0) = (x.floor(), y.floor());
        let smooth = |t: f32| t * t * (3.0 - 2.0 * t);
        let (fx, fy) = (smooth(x - x0), smooth(y - y0));
        let value = |dx: i64, dy: i64| {
            let (ix, iy) =
                ((x0 as i64 + dx).rem_euclid(SIDE as i64) as usize, (y0 as i64 + dy).rem_euclid(SIDE as i64) as usize);
            self.values[iy * SIDE + ix]
        };
        let top = value(0, 0) + (value(1, 0) - value(0, 0)) * fx;
        let bottom = value(0, 1) + (value(1, 1) - value(0, 1)) * fx;
        top + (bottom - top) * fy
    }

    fn layers(&self, x: f32, y: f32) -> f32 {
        self.at(x, y) * 0.5
            + self.at(x * 2.1, y * 2.1) * 0.27
            + self.at(x * 4.3, y * 4.3) * 0.15
            + self.at(x * 9.1, y * 9.1) * 0.08
    }
}

/// What is in the picture.
#[derive(Clone, Copy)]
pub struct Scene {
    pub seed: u64,
    pub width: u32,
    pub height: u32,
    /// JPEG quality.
    pub quality: u8,
    /// Strength of the grain, 0 to 1.
    pub grain: f32,
    /// Whether a ship is in it.
    pub ship: bool,
}

/// Paints a scene.
#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn paint(scene: Scene) -> RgbImage {
    let mut rng = ChaCha8Rng::seed_from_u64(scene.seed);
    let noise = Noise::new(&mut rng);
    let (w, h) = (scene.width as f32, scene.height as f32);
    let horizon = rng.random_range(0.38..0.5);
    let dusk: f32 = rng.random_range(0.0..1.0);
    let ship_at = rng.random_range(0.35..0.65);
    let scale = 7.0 / w.max(h);
    let mut picture = RgbImage::new(scene.width, scene.height);
    for (px, py, pixel) in picture.enumerate_pixels_mut() {
        let (x, y) = (px as f32 / w, py as f32 / h);
        let (nx, ny) = (px as f32 * scale * 6.0, py as f32 * scale * 6.0);
        let hill = horizon - 0.13 * noise.layers(nx * 0.35, 3.0) - 0.02;
        let mut color = if y < hill {
            // Sky: paler towards the horizon, with cloud.
            let cloud = noise.layers(nx * 0.5, ny * 1.1);
            let base = [150.0 + 60.0 * dusk, 178.0 + 10.0 * dusk, 205.0 - 20.0 * dusk];
            base.map(|c: f32| c + 45.0 * (y / horizon) + 50.0 * (cloud - 0.45))
        } else if y < horizon {
            let shade = noise.layers(nx * 2.0, ny * 2.0);
            [62.0 + 50.0 * shade, 84.0 + 44.0 * shade, 74.0 + 26.0 * shade]
        } else {
            // Sea: long waves that widen towards the viewer.
            let depth = (y - horizon) / (1.0 - horizon);
            let wave = noise.layers(nx * (0.6 + depth), ny * (7.0 - 4.5 * depth));
            let glint = if wave > 0.68 { 80.0 * (wave - 0.68) / 0.32 } else { 0.0 };
            [34.0 + 36.0 * wave + glint + 20.0 * dusk, 74.0 + 52.0 * wave + glint, 96.0 + 54.0 * wave + glint]
        };
        if scene.ship {
            let (sx, sy) = ((x - ship_at) * w / h, y - horizon);
            let hull = sy > -0.02 && sy < 0.10 && sx.abs() < 0.42 - 1.1 * (sy - 0.02).max(0.0);
            let house = sy > -0.11 && sy <= -0.02 && (-0.30..0.20).contains(&sx);
            let funnel = sy > -0.20 && sy <= -0.11 && (-0.14..-0.06).contains(&sx);
            let grain = noise.layers(nx * 5.0, ny * 5.0);
            if hull {
                color = if sy > 0.045 { [150.0, 52.0, 46.0] } else { [28.0, 44.0, 70.0] };
            } else if house {
                let window = ((sx * 40.0).rem_euclid(1.0) < 0.55) && (-0.085..-0.045).contains(&sy);
                color = if window { [60.0, 78.0, 96.0] } else { [232.0, 230.0, 222.0] };
            } else if funnel {
                color = if sy > -0.15 { [200.0, 160.0, 60.0] } else { [40.0, 48.0, 66.0] };
            }
            if hull || house || funnel {
                color = color.map(|c| c + 26.0 * (grain - 0.5));
            }
        }
        let grain = (rng.random::<f32>() - 0.5) * 60.0 * scene.grain;
        *pixel = image::Rgb(color.map(|c| (c + grain).clamp(0.0, 255.0) as u8));
    }
    picture
}

/// Paints a scene and encodes it as JPEG.
pub fn jpeg(scene: Scene) -> Vec<u8> {
    let picture = paint(scene);
    let mut bytes = Vec::new();
    let encoder = JpegEncoder::new_with_quality(&mut bytes, scene.quality);
    // Writing to memory of a size that the format allows cannot fail.
    let _ = encoder.write_image(picture.as_raw(), scene.width, scene.height, image::ExtendedColorType::Rgb8);
    bytes
}

/// Paints a scene and encodes it as PNG.
pub fn png(scene: Scene) -> Vec<u8> {
    let picture = paint(scene);
    let mut bytes = Vec::new();
    let encoder = PngEncoder::new(&mut bytes);
    // As above.
    let _ = encoder.write_image(picture.as_raw(), scene.width, scene.height, image::ExtendedColorType::Rgb8);
    bytes
}
