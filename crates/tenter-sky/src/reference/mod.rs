//! The reference integrator: unbiased, slow, true.
//!
//! Paths of light are followed backwards from the eye through spherical shells of air, scattered as often as chance has
//! it, and lit by the sun at every turn. It reads the same [`Medium`](crate::air::Medium) as the live integrator and
//! shares none of its tables, so that the two can be held against each other. Clouds are not in it yet.
//!
//! All [`BANDS`](crate::spectrum::BANDS) wavelengths go along one path: where to collide is drawn for all of them
//! together, each band carries its own weight (spectral tracking; Kutz, Habel, Li and Novak 2017).

mod paths;
mod phase;
mod shells;

pub use paths::AirPaths;

use crate::camera::Camera;
use crate::picture::Picture;
use crate::scene::{CalledOff, Scene};
use crate::spectrum::{Rgb, SunlightToRgb, luminance};
use fastrand::Rng;
use rayon::prelude::*;

/// What the reference integrator can't do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unable {
    #[error(
        "clouds: the reference integrator does not follow light through clouds yet; mute or remove the layer"
    )]
    Clouds,
    #[error("called off")]
    CalledOff,
}

impl From<CalledOff> for Unable {
    fn from(_: CalledOff) -> Self {
        Unable::CalledOff
    }
}

/// A radiance and how sure it is.
#[derive(Clone, Copy, Debug, Default)]
pub struct Estimate {
    /// Linear Rec.709, cd/m2, without the sun's disc.
    pub rgb: Rgb,
    /// Of the luminance, cd/m2.
    pub standard_error: f64,
    pub paths: u64,
}

/// Sums over paths.
#[derive(Clone, Copy, Default)]
struct Tally {
    rgb: [f64; 3],
    square: f64,
    paths: u64,
}

impl Tally {
    fn add(&mut self, rgb: Rgb) {
        for c in 0..3 {
            self.rgb[c] += rgb[c] as f64;
        }
        self.square += (luminance(rgb) as f64).powi(2);
        self.paths += 1;
    }

    fn merge(mut self, other: Tally) -> Tally {
        for c in 0..3 {
            self.rgb[c] += other.rgb[c];
        }
        self.square += other.square;
        self.paths += other.paths;
        self
    }

    fn estimate(&self) -> Estimate {
        let n = self.paths.max(1) as f64;
        let rgb = self.rgb.map(|v| (v / n) as f32);
        let mean = luminance(rgb) as f64;
        let variance = (self.square / n - mean * mean).max(0.0) / (n - 1.0).max(1.0);
        Estimate { rgb, standard_error: variance.sqrt(), paths: self.paths }
    }
}

/// Follows light in a scene without clouds.
pub struct Reference<'a> {
    scene: &'a Scene,
    paths: AirPaths<'a>,
}

/// Paths that one task follows.
const BATCH: u64 = 512;

impl<'a> Reference<'a> {
    pub fn new(scene: &'a Scene) -> Result<Reference<'a>, Unable> {
        if scene.clouds.is_some() {
            return Err(Unable::Clouds);
        }
        Ok(Reference { scene, paths: AirPaths::new(&scene.air.medium, &scene.sun, scene.eye_altitude) })
    }

    /// Radiance along one direction (x east, y north, z up), by paths until the standard error is under this share of it,
    /// or there are `most` of them. The same always comes out the same.
    pub fn along(&self, direction: [f64; 3], share: f64, most: u64) -> Estimate {
        let mut tally = Tally::default();
        while tally.paths < most {
            let begun = tally.paths;
            let more = begun.max(16 * BATCH).min(most - begun).div_ceil(BATCH);
            let sum = (0..more)
                .into_par_iter()
                .map(|batch| self.batch(direction, begun + batch * BATCH, BATCH))
                .reduce(Tally::default, Tally::merge);
            tally = tally.merge(sum);
            let now = tally.estimate();
            if now.standard_error <= share * luminance(now.rgb) as f64 {
                break;
            }
        }
        tally.estimate()
    }

    /// What a camera sees, refined until the noise left is under so many percent, and that noise: root mean square over
    /// pixels of standard error over the larger of the pixel and a tenth of the mean.
    pub fn picture(
        &self,
        camera: &Camera,
        noise_percent: f64,
        called_off: &(dyn Fn() -> bool + Sync),
    ) -> Result<(Picture, f64), Unable> {
        let (width, height) = (camera.width, camera.height);
        let mut tallies = vec![Tally::default(); width * height];
        let mut paths = 16;
        loop {
            tallies.par_iter_mut().enumerate().for_each(|(i, tally)| {
                let at = ((i % width) as f64 + 0.5, (i / width) as f64 + 0.5);
                let Some(direction) = camera.direction(at.0, at.1) else { return };
                if !called_off() {
                    let seed = (i as u64) << 32 | tally.paths;
                    *tally = tally.merge(self.batch(direction, seed, paths));
                }
            });
            if called_off() {
                return Err(Unable::CalledOff);
            }
            let estimates: Vec<Estimate> = tallies.iter().map(Tally::estimate).collect();
            let noise = noise_of(&estimates);
            if noise <= noise_percent {
                let pixels = estimates.iter().map(|e| e.rgb).collect();
                return Ok((Picture { width, height, pixels }, noise));
            }
            // Four times the paths halve the noise; never more than doubled at once, for early estimates are rough.
            paths = tallies.iter().map(|t| t.paths).max().unwrap_or(16).min(1 << 16);
        }
    }

    fn batch(&self, direction: [f64; 3], seed: u64, paths: u64) -> Tally {
        let mut rng = Rng::with_seed(seed);
        let mut tally = Tally::default();
        let to_rgb = SunlightToRgb::get();
        let strength = self.scene.sun.strength as f32;
        let glow = (self.scene.sun.night_floor_lx / std::f64::consts::PI) as f32;
        for _ in 0..paths {
            let seen = self.paths.follow(direction, &mut rng);
            // Airglow lies beyond the air, the same all round.
            let glow = if seen.ends_in_space { glow } else { 0.0 };
            tally.add(to_rgb.convert(&seen.light).map(|v| v * strength + glow));
        }
        tally
    }
}

/// Percent.
fn noise_of(estimates: &[Estimate]) -> f64 {
    let n = estimates.len().max(1) as f64;
    let mean = estimates.iter().map(|e| luminance(e.rgb) as f64).sum::<f64>() / n;
    let square = |e: &Estimate| {
        let floor = (luminance(e.rgb) as f64).max(0.1 * mean);
        if floor > 0.0 { (e.standard_error / floor).powi(2) } else { 0.0 }
    };
    100.0 * (estimates.iter().map(square).sum::<f64>() / n).sqrt()
}
