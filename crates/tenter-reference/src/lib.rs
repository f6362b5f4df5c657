//! The reference integrator: an unbiased path tracer.
//!
//! Paths are traced backwards from the eye through spherical shells of air, with any number of scatterings
//! and next-event estimation toward the lights. It reads the same [`Medium`](tenter_render::air::Medium) as
//! the interactive integrator and shares none of its tables, so that the two can be compared. Clouds are
//! the same forms at their finest.
//!
//! On request paths through clouds share their results ([`SamplingBudget::shared`]): faster, and slightly
//! biased.
//!
//! All [`BANDS`](tenter_sky::spectrum::BANDS) wavelengths share one path: collisions are sampled for all of
//! them together and each band carries its own weight (spectral tracking; Kutz, Habel, Li and Novak 2017).

mod clouds;
mod light;
mod path_cache;
mod path_radiance;
mod paths;
pub mod phase;
mod phase_sampler;
mod shared_paths;
mod shells;
pub mod slabs;
pub mod spheres;

pub use paths::{AirPaths, PathSample};

use fastrand::Rng;
use rayon::prelude::*;
use tenter_render::picture::Picture;
use tenter_render::prepare::Cancelled;
use tenter_render::scene::{CloudComponent, Scene};
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::{Rgb, luminance};

/// What the reference integrator does not support.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unsupported {
    #[error(
        "clouds: the reference integrator knows clouds with physical light and shadow only; leave \
         tints, lift, high orders and shadows as they are"
    )]
    Clouds,
    #[error("fog: the reference integrator does not follow light through low fog yet; mute it")]
    Fog,
    #[error("land: the reference integrator knows level ground only; mute the trial land")]
    Land,
    #[error("source: the reference integrator knows skies of air only, seen and lit with strength 1")]
    Source,
    #[error("called off")]
    Cancelled,
}

impl From<Cancelled> for Unsupported {
    fn from(_: Cancelled) -> Self {
        Unsupported::Cancelled
    }
}

/// A radiance with its standard error.
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

/// Traces paths in a scene.
pub struct Reference<'a> {
    scene: &'a Scene,
    paths: AirPaths<'a>,
}

/// Paths per task, and paths of a pixel between two polls for cancellation.
const BATCH: u64 = 512;
const AT_ONCE: u64 = 64;

/// A picture with its standard errors.
#[derive(Clone, Debug)]
pub struct Traced {
    pub picture: Picture,
    /// Of each pixel's luminance, cd/m2.
    pub standard_errors: Vec<f32>,
    pub noise_percent: f64,
}

impl Traced {
    fn of(camera: &Camera, estimates: &[Estimate], noise_percent: f64) -> Traced {
        let pixels = estimates.iter().map(|e| e.rgb).collect();
        let standard_errors = estimates.iter().map(|e| e.standard_error as f32).collect();
        let picture = Picture { width: camera.width, height: camera.height, pixels };
        Traced { picture, standard_errors, noise_percent }
    }
}

/// When sampling stops.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SamplingBudget {
    pub noise_percent: f64,
    /// Paths for each pixel.
    pub most_paths: u64,
    /// Whether paths are spread over the pixels or go through their centres.
    pub spread: bool,
    /// Whether paths scattered in clouds end in cached results of others: far faster in thick clouds, and a
    /// little blurred, the less so the more paths there are. Else each is traced to its end.
    pub shared: bool,
}

impl<'a> Reference<'a> {
    pub fn new(scene: &'a Scene) -> Result<Reference<'a>, Unsupported> {
        if !scene.clouds.iter().all(CloudComponent::is_physical) {
            return Err(Unsupported::Clouds);
        }
        if scene.fog.is_some() {
            return Err(Unsupported::Fog);
        }
        if scene.land.is_some() {
            return Err(Unsupported::Land);
        }
        let horizon = scene.horizon.drop > 0.0 || scene.horizon.softness > 0.0;
        if scene.painted.is_some() || scene.seen_strength != 1.0 || horizon {
            return Err(Unsupported::Source);
        }
        let lights: Vec<_> = scene.lights.iter().map(|l| l.placed).collect();
        Ok(Reference {
            scene,
            paths: AirPaths::new(&scene.air.medium, &lights, &scene.clouds, scene.eye_altitude),
        })
    }

    /// Radiance along one direction (x east, y north, z up), by paths until the standard error is under this
    /// share of it, or there are `most` of them. The same always comes out the same.
    pub fn along(&self, direction: [f64; 3], share: f64, most: u64) -> Estimate {
        let mut tally = Tally::default();
        // Where few paths reach the light, early rounds may underestimate the error: twice as many have to
        // agree.
        let mut sure = 0;
        while tally.paths < most {
            let begun = tally.paths;
            let more = begun.max(16 * BATCH).min(most - begun).div_ceil(BATCH);
            let sum = (0..more)
                .into_par_iter()
                .map(|batch| self.batch(|_| Some(direction), begun + batch * BATCH, BATCH))
                .reduce(Tally::default, Tally::merge);
            tally = tally.merge(sum);
            let now = tally.estimate();
            sure = if now.standard_error <= share * luminance(now.rgb) as f64 { sure + 1 } else { 0 };
            if sure == 2 {
                break;
            }
        }
        tally.estimate()
    }

    /// What a camera sees, sampled until the noise is below the requested one or the budget is spent; noise
    /// is the root mean square over pixels of standard error over the larger of the pixel and a tenth of
    /// the mean. `progress` gets the noise after each round, percent.
    pub fn picture(
        &self,
        camera: &Camera,
        wish: SamplingBudget,
        cancelled: &(dyn Fn() -> bool + Sync),
        mut progress: impl FnMut(f64),
    ) -> Result<Traced, Unsupported> {
        if wish.shared {
            return self.picture_shared(camera, wish, cancelled, progress);
        }
        let mut tallies = vec![Tally::default(); camera.width * camera.height];
        let mut paths = 16;
        let mut spent = 0;
        loop {
            tallies.par_iter_mut().enumerate().for_each(|(i, tally)| {
                let draw = |rng: &mut Rng| random_point(camera, i, wish.spread, rng);
                // Polled every few paths, so that a pixel of many does not delay cancellation.
                let mut left = paths;
                while left > 0 && !cancelled() {
                    let some = left.min(AT_ONCE);
                    let seed = (i as u64) << 32 | tally.paths;
                    *tally = tally.merge(self.batch(draw, seed, some));
                    left -= some;
                }
            });
            if cancelled() {
                return Err(Unsupported::Cancelled);
            }
            spent += paths;
            let estimates: Vec<Estimate> = tallies.iter().map(Tally::estimate).collect();
            let noise = noise_of(&estimates);
            progress(noise);
            if noise <= wish.noise_percent || spent >= wish.most_paths {
                return Ok(Traced::of(camera, &estimates, noise));
            }
            // Four times the paths halve the noise; at most doubled at once, as early estimates are rough.
            paths = spent.min(1 << 16).min(wish.most_paths - spent);
        }
    }

    /// Some paths, each in a direction that is drawn for it.
    fn batch(&self, draw: impl Fn(&mut Rng) -> Option<[f64; 3]>, seed: u64, paths: u64) -> Tally {
        let mut rng = Rng::with_seed(seed);
        let mut tally = Tally::default();
        for _ in 0..paths {
            let Some(direction) = draw(&mut rng) else { break };
            tally.add(self.with_glow(self.paths.follow(direction, &mut rng), direction));
        }
        tally
    }

    /// Adds airglow and faint stars from beyond the air.
    fn with_glow(&self, seen: PathSample, direction: [f64; 3]) -> Rgb {
        let glow = if seen.ends_in_space { self.scene.night_radiance(direction) } else { [0.0; 3] };
        std::array::from_fn(|c| seen.light[c] + glow[c])
    }
}

/// A direction through a pixel of a camera by its index: anywhere in it, or its centre.
fn random_point(camera: &Camera, pixel: usize, spread: bool, rng: &mut Rng) -> Option<[f64; 3]> {
    let (x, y) = ((pixel % camera.width) as f64, (pixel / camera.width) as f64);
    let middle = camera.direction(x + 0.5, y + 0.5)?;
    let (right, down) = if spread { (rng.f64(), rng.f64()) } else { return Some(middle) };
    Some(camera.direction(x + right, y + down).unwrap_or(middle))
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
