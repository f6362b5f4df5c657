//! Crops of cloud forms, 12 degrees wide, live beside references that are stored with those of whole skies.

use crate::references::{Off, Stored, hash_of, store, stored, together};
use anyhow::Result;
use std::path::Path;
use tenter_formats::png;
use tenter_reference::{Reference, SamplingBudget, Traced};
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::render;
use tenter_render::prepare::SceneCache;
use tenter_render::scene::grade_of;
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{Eye, Land, Sky};
use tenter_sky::spectrum::luminance;

/// Pixels of a crop.
#[derive(Clone, Copy)]
pub struct Size {
    pub width: usize,
    /// Live samples along a pixel.
    finer: usize,
    /// Noise of single pixels that is enough, percent: blocks have a quarter of it.
    noise: f64,
}

impl Size {
    fn height(self) -> usize {
        self.width * 9 / 16
    }
}

pub const LARGE: Size = Size { width: 320, finer: 2, noise: 15.0 };
/// Where the larger takes hours.
pub const SMALL: Size = Size { width: 64, finer: 4, noise: 5.0 };
/// Pixels along blocks that are compared.
const BLOCK: usize = 4;
/// Screen pixels across a crop.
const SHOWN: usize = 640;
/// Of a lens that shows 12 degrees on 36 mm.
const LENS_MM: f64 = 171.0;
/// How the light of a crop is followed: heaps far off fill so few places that paths have little to share
/// ([`Wish::shared`]).
#[derive(Clone, Copy)]
struct Paths {
    size: Size,
    /// For each pixel.
    most: u64,
    shared: bool,
}

const ALONE: Paths = Paths { size: SMALL, most: 256, shared: false };
const SHARED: Paths = Paths { size: LARGE, most: 512, shared: true };

/// Where a starter is cropped.
pub struct Crop {
    pub slug: &'static str,
    heading_deg: f64,
    pitch_deg: f64,
    paths: Paths,
}

pub const CROPS: [Crop; 6] = [
    Crop { slug: "ferry-afternoon", heading_deg: 310.0, pitch_deg: 19.0, paths: SHARED },
    Crop { slug: "towers-at-evening", heading_deg: 63.0, pitch_deg: 14.0, paths: SHARED },
    Crop { slug: "four-kinds-at-evening", heading_deg: 255.0, pitch_deg: 28.0, paths: SHARED },
    Crop { slug: "squall-passing-off", heading_deg: 88.0, pitch_deg: 9.0, paths: ALONE },
    Crop { slug: "mackerel-sky", heading_deg: 150.0, pitch_deg: 35.0, paths: SHARED },
    Crop { slug: "deck-under-the-balloon", heading_deg: 95.0, pitch_deg: -30.0, paths: ALONE },
];

impl Crop {
    /// The sky, seen as the crop has it.
    pub fn sky(&self) -> Sky {
        let starter = tenter_app::starters::find(self.slug).expect("crops are of starters");
        let eye = Eye {
            heading_deg: self.heading_deg,
            pitch_deg: self.pitch_deg,
            lens_mm: LENS_MM,
            ..starter.sky.eye.clone()
        };
        Sky { land: Land::default(), eye, ..starter.sky.clone() }
    }

    pub fn size(&self) -> Size {
        self.paths.size
    }

    /// What its reference is stored under, and what it shows.
    fn named(&self) -> (String, String) {
        let sky = self.sky();
        let Paths { most, shared, .. } = self.paths;
        let shared = if shared { ", shared" } else { "" };
        let toward = format!("toward {} {}", self.heading_deg, self.pitch_deg);
        let seen = format!("{} {toward}, {most} paths{shared}", hash_of(&sky));
        (format!("crop-{}", self.slug), seen)
    }

    /// Its reference, if one is stored.
    pub fn stored(&self) -> Result<Option<Stored>> {
        let (name, seen) = self.named();
        stored(&name, &seen)
    }

    /// Makes and stores its reference.
    pub fn make(&self) -> Result<()> {
        let (name, seen) = self.named();
        store(&name, seen, &trace(&self.sky(), self.paths)?, self.size().width)
    }
}

/// Follows the light of a sky that is seen as a crop is.
pub fn trace_alone(sky: &Sky) -> Result<Traced> {
    trace(sky, ALONE)
}

fn trace(sky: &Sky, Paths { size, most, shared }: Paths) -> Result<Traced> {
    let scene = SceneCache::default().scene(sky, TableQuality::Full, &|| false)?;
    let wish = SamplingBudget { noise_percent: size.noise, most_paths: most, spread: true, shared };
    let camera = Camera::lens(&sky.eye, size.width, size.height());
    Ok(Reference::new(&scene)?.picture(&camera, wish, &|| false, |_| ())?)
}

/// The live picture of a crop, a pixel for each of its reference's.
pub fn live(sky: &Sky, size: Size) -> Result<Vec<[f32; 3]>> {
    let scene = SceneCache::default().scene(sky, TableQuality::Full, &|| false)?;
    let (width, height) = (size.width * size.finer, size.height() * size.finer);
    let finer = Camera::lens(&sky.eye, width, height);
    Ok(together(&render(&scene, &finer, MarchQuality::default(), &|| false)?.pixels, width, size.finer))
}

/// How far a live picture is off its reference, in blocks.
pub fn off(live: &[[f32; 3]], reference: &Stored, size: Size) -> Off {
    let unsure: Vec<[f32; 3]> = reference.unsure.iter().map(|e| [*e; 3]).collect();
    let blocks = |pixels: &[[f32; 3]]| together(pixels, size.width, BLOCK);
    let unsure: Vec<f32> = blocks(&unsure).iter().map(|v| v[0] / BLOCK as f32).collect();
    Off::of(&blocks(live), &blocks(&reference.truth), &unsure)
}

/// Sides of the blocks whose structure is told, pixels: each holds what its blocks differ by from those twice
/// as wide.
const SIDES: [usize; 3] = [2, 4, 8];

/// Standard deviation of log luminance of a [`LARGE`] crop from 2 to 16 pixels: of blocks within those that
/// hold four of them, the noise of their luminance, `unsure` for each pixel, taken off; by side of the
/// blocks, and all together.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Structure {
    pub by_side: [f64; SIDES.len()],
    pub all: f64,
}

impl Structure {
    pub fn of(pixels: &[[f32; 3]], unsure: &[f32]) -> Structure {
        let variances = SIDES.map(|side| structure(pixels, unsure, side).max(0.0));
        Structure { by_side: variances.map(f64::sqrt), all: variances.iter().sum::<f64>().sqrt() }
    }
}

/// The structure of a live picture and of its reference.
pub fn structures(live: &[[f32; 3]], reference: &Stored) -> [Structure; 2] {
    [Structure::of(live, &vec![0.0; live.len()]), Structure::of(&reference.truth, &reference.unsure)]
}

/// Variance of log luminance of blocks around those twice as wide.
fn structure(pixels: &[[f32; 3]], unsure: &[f32], side: usize) -> f64 {
    let blocks = |side: usize| -> Vec<f64> {
        together(pixels, LARGE.width, side).iter().map(|v| luminance(*v) as f64).collect()
    };
    let (own, wider) = (blocks(side), blocks(2 * side));
    let squares: Vec<[f32; 3]> = unsure.iter().map(|e| [e * e; 3]).collect();
    let squares = together(&squares, LARGE.width, side);
    let (across, across_wider) = (LARGE.width / side, LARGE.width / side / 2);
    let (mut sum, mut noise, mut number) = (0.0, 0.0, 0.0);
    for (i, bright) in own.iter().enumerate() {
        let Some(around) = wider.get(i / across / 2 * across_wider + i % across / 2) else { continue };
        let Some(log) = (*bright > 0.0).then(|| (bright / around).ln()) else { continue };
        sum += log * log;
        // Of four blocks a quarter of the noise is their mean's.
        noise += 0.75 * squares[i][0] as f64 / (side * side) as f64 / (bright * bright);
        number += 1.0;
    }
    (sum - noise) / f64::max(number, 1.0)
}

/// Writes both side by side, each pixel as a square.
pub fn show(sky: &Sky, live: &[[f32; 3]], reference: &Stored, size: Size, pair_to: &Path) -> Result<()> {
    let (shown, height) = (SHOWN / size.width, size.height() * SHOWN / size.width);
    let mut pair = Vec::new();
    for y in 0..height {
        for side in [live, &reference.truth] {
            pair.extend((0..SHOWN).map(|x| side[y / shown * size.width + x / shown]));
        }
    }
    let development = Development::new(&grade_of(sky));
    Ok(png::write(pair_to, &pair, 2 * SHOWN, height, &development)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    const WIDTH: usize = LARGE.width;
    const HEIGHT: usize = WIDTH * 9 / 16;

    /// A chessboard of blocks has all of its structure at their side; noise of a known size is none.
    #[test]
    fn structure_is_told_by_its_width_and_apart_from_noise() {
        let board = |side: usize| -> Vec<[f32; 3]> {
            let bright = |x: usize, y: usize| if (x / side + y / side).is_multiple_of(2) { 1.1 } else { 0.9 };
            (0..WIDTH * HEIGHT).map(|i| [bright(i % WIDTH, i / WIDTH); 3]).collect()
        };
        let none = vec![0.0; WIDTH * HEIGHT];
        let told = Structure::of(&board(4), &none);
        assert!((told.by_side[1] - 0.1).abs() < 0.002 && told.all < 0.102, "{told:?}");
        assert!(told.by_side[2] < 1e-6, "{told:?}");

        let mut rng = fastrand::Rng::with_seed(1);
        let noisy = |v: &[f32; 3]| [v[0] + 0.15 * 12f32.sqrt() * (rng.f32() - 0.5); 3];
        let noisy: Vec<[f32; 3]> = board(4).iter().map(noisy).collect();
        let told = Structure::of(&noisy, &vec![0.15; WIDTH * HEIGHT]);
        assert!((told.by_side[1] - 0.1).abs() < 0.01 && told.by_side[0] < 0.02, "{told:?}");
    }
}
