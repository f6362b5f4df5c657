//! Crops of cloud forms, 12 degrees wide, live beside references that are stored with those of whole skies.

use crate::references::{Off, Stored, hash_of, store, stored, together};
use anyhow::Result;
use std::path::Path;
use tenter_formats::png;
use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{Eye, Land, Sky};
use tenter_sky::live::Effort;
use tenter_sky::picture::render;
use tenter_sky::reference::{Reference, Traced, Wish};
use tenter_sky::scene::{Workshop, grade_of};

const WIDTH: usize = 64;
const HEIGHT: usize = 36;
/// Pixels along blocks that are compared, live samples along a pixel, and screen pixels for each.
const BLOCK: usize = 4;
const FINER: usize = 4;
const SHOWN: usize = 9;
/// Of a lens that shows 12 degrees on 36 mm.
const LENS_MM: f64 = 171.0;
/// How the light of a crop is followed: heaps far off fill so few places that paths have little to share ([`Wish::shared`]).
#[derive(Clone, Copy)]
struct Paths {
    /// For each pixel.
    most: u64,
    shared: bool,
}

const ALONE: Paths = Paths { most: 256, shared: false };
const SHARED: Paths = Paths { most: 2048, shared: true };

/// Where a starter is cropped.
pub struct Crop {
    pub slug: &'static str,
    heading_deg: f64,
    pitch_deg: f64,
    paths: Paths,
}

pub const CROPS: [Crop; 6] = [
    Crop { slug: "ferry-afternoon", heading_deg: 310.0, pitch_deg: 19.0, paths: SHARED },
    Crop { slug: "towers-at-evening", heading_deg: 63.0, pitch_deg: 14.0, paths: ALONE },
    Crop { slug: "four-kinds-at-evening", heading_deg: 255.0, pitch_deg: 28.0, paths: SHARED },
    Crop { slug: "squall-passing-off", heading_deg: 62.0, pitch_deg: 7.0, paths: ALONE },
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

    /// What its reference is stored under, and what it shows.
    fn named(&self) -> (String, String) {
        let sky = self.sky();
        let Paths { most, shared } = self.paths;
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
        store(&name, seen, &trace(&self.sky(), self.paths)?, WIDTH)
    }
}

/// Follows the light of a sky that is seen as a crop is.
pub fn trace_alone(sky: &Sky) -> Result<Traced> {
    trace(sky, ALONE)
}

fn trace(sky: &Sky, Paths { most, shared }: Paths) -> Result<Traced> {
    let scene = Workshop::default().scene(sky, Fineness::Full, &|| false)?;
    let wish = Wish { noise_percent: 5.0, most_paths: most, spread: true, shared };
    let camera = Camera::lens(&sky.eye, WIDTH, HEIGHT);
    Ok(Reference::new(&scene)?.picture(&camera, wish, &|| false, |_| ())?)
}

/// The live picture of a crop, a pixel for each of its reference's.
pub fn live(sky: &Sky) -> Result<Vec<[f32; 3]>> {
    let scene = Workshop::default().scene(sky, Fineness::Full, &|| false)?;
    let finer = Camera::lens(&sky.eye, WIDTH * FINER, HEIGHT * FINER);
    Ok(together(&render(&scene, &finer, Effort::default(), &|| false)?.pixels, WIDTH * FINER, FINER))
}

/// How far a live picture is off its reference, in blocks.
pub fn off(live: &[[f32; 3]], reference: &Stored) -> Off {
    let unsure: Vec<[f32; 3]> = reference.unsure.iter().map(|e| [*e; 3]).collect();
    let blocks = |pixels: &[[f32; 3]]| together(pixels, WIDTH, BLOCK);
    let unsure: Vec<f32> = blocks(&unsure).iter().map(|v| v[0] / BLOCK as f32).collect();
    Off::of(&blocks(live), &blocks(&reference.truth), &unsure)
}

/// Writes both side by side, each pixel as a square.
pub fn show(sky: &Sky, live: &[[f32; 3]], reference: &Stored, pair_to: &Path) -> Result<()> {
    let mut pair = Vec::new();
    for y in 0..HEIGHT * SHOWN {
        for side in [live, &reference.truth] {
            pair.extend((0..WIDTH * SHOWN).map(|x| side[y / SHOWN * WIDTH + x / SHOWN]));
        }
    }
    let development = Development::new(&grade_of(sky));
    Ok(png::write(pair_to, &pair, 2 * WIDTH * SHOWN, HEIGHT * SHOWN, &development)?)
}
