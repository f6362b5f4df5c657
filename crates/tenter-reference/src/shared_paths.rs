//! Pictures by paths that share their results.

use super::path_cache::{PathCache, VertexEstimate};
use super::{Estimate, Reference, SamplingBudget, Tally, Traced, Unsupported, noise_of, random_point};
use fastrand::Rng;
use glam::DVec3;
use rayon::prelude::*;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::luminance;

/// Paths per pixel of either half that fill the cache first; they are not part of the picture.
const FIRST: u64 = 2;
/// One of this many paths records.
const FINDING: u64 = 8;
/// Paths per pixel and half between two updates of the cache, and pixels traced together.
const AT_ONCE: u64 = 32;
const TOGETHER: usize = 2048;

/// Half of a picture's paths: the difference of two independent halves gives the error.
struct HalfEstimate {
    cells: PathCache,
    tallies: Vec<Tally>,
}

/// Paths traced between two updates of the cache.
#[derive(Clone, Copy)]
struct Iteration {
    number: u64,
    /// For each pixel.
    paths: u64,
    half: u64,
}

impl Reference<'_> {
    /// What a camera sees, by paths completed by the cache.
    pub(super) fn picture_shared(
        &self,
        camera: &Camera,
        wish: SamplingBudget,
        cancelled: &(dyn Fn() -> bool + Sync),
        mut progress: impl FnMut(f64),
    ) -> Result<Traced, Unsupported> {
        let tallies = vec![Tally::default(); camera.width * camera.height];
        let pixel = pixel_of(camera);
        let half = || HalfEstimate { cells: self.paths.cells(pixel), tallies: tallies.clone() };
        let mut halves = [half(), half()];
        let most = wish.most_paths.div_ceil(2);
        let mut spent = 0;
        for number in 0.. {
            let paths = if number == 0 { FIRST } else { spent.clamp(FINDING, AT_ONCE).min(most - spent) };
            // While one cache is updated, the other is traced.
            halves.par_iter_mut().enumerate().try_for_each(|(of, half)| {
                let round = Iteration { number, paths, half: of as u64 };
                self.follow_half(half, camera, wish.spread, round, cancelled)
            })?;
            if number == 0 {
                continue;
            }
            spent += paths;
            let noise = noise_between(&halves);
            progress(noise);
            if noise <= wish.noise_percent || spent >= most {
                break;
            }
        }
        Ok(together(&halves, camera))
    }

    fn follow_half(
        &self,
        HalfEstimate { cells, tallies }: &mut HalfEstimate,
        camera: &Camera,
        spread: bool,
        round: Iteration,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<(), Unsupported> {
        for (chunk, tallies) in tallies.chunks_mut(TOGETHER).enumerate() {
            let known = &*cells;
            let follow = |(i, tally): (usize, &mut Tally)| {
                let pixel = chunk * TOGETHER + i;
                let mut found = Vec::new();
                if !cancelled() {
                    let mut rng = Rng::with_seed((pixel as u64) << 32 | round.number << 1 | round.half);
                    let draw = |rng: &mut Rng| random_point(camera, pixel, spread, rng);
                    let seen = self.follow_pixel(draw, round, known, &mut found, &mut rng);
                    *tally = tally.merge(seen);
                }
                found
            };
            let found: Vec<Vec<VertexEstimate>> = tallies.par_iter_mut().enumerate().map(follow).collect();
            if cancelled() {
                return Err(Unsupported::Cancelled);
            }
            cells.learn(found.into_iter().flatten());
        }
        Ok(())
    }

    /// A round's paths of one pixel, in directions that are drawn for it.
    fn follow_pixel(
        &self,
        draw: impl Fn(&mut Rng) -> Option<[f64; 3]>,
        round: Iteration,
        known: &PathCache,
        found: &mut Vec<VertexEstimate>,
        rng: &mut Rng,
    ) -> Tally {
        let mut tally = Tally::default();
        for path in 0..round.paths {
            let Some(direction) = draw(rng) else { break };
            let seen = if round.number == 0 || path % FINDING == 0 {
                self.paths.find(direction, known, found, rng)
            } else {
                self.paths.follow_known(direction, known, rng)
            };
            if round.number > 0 {
                tally.add(self.with_glow(seen, direction));
            }
        }
        tally
    }
}

/// Width of a camera's middle pixel, radians.
fn pixel_of(camera: &Camera) -> f64 {
    let (x, y) = (0.5 * camera.width as f64, 0.5 * camera.height as f64);
    let [a, b] = [x - 0.5, x + 0.5].map(|x| camera.direction(x, y).map(DVec3::from_array));
    a.zip(b).map_or(0.0, |(a, b)| a.angle_between(b))
}

/// Noise of both halves together, from their difference, percent.
fn noise_between([a, b]: &[HalfEstimate; 2]) -> f64 {
    let both = |(a, b): (&Tally, &Tally)| {
        let apart = luminance(a.estimate().rgb) as f64 - luminance(b.estimate().rgb) as f64;
        Estimate { standard_error: 0.5 * apart.abs(), ..a.merge(*b).estimate() }
    };
    noise_of(&a.tallies.iter().zip(&b.tallies).map(both).collect::<Vec<_>>())
}

/// Both halves with the error of their difference: cells have correlated errors that pixels do not show.
fn together(halves: &[HalfEstimate; 2], camera: &Camera) -> Traced {
    let [a, b] = halves;
    let mut estimates: Vec<Estimate> =
        a.tallies.iter().zip(&b.tallies).map(|(a, b)| a.merge(*b).estimate()).collect();
    let noise_percent = noise_between(halves);
    let less_sure = (noise_percent / noise_of(&estimates).max(f64::MIN_POSITIVE)).max(1.0);
    for estimate in &mut estimates {
        estimate.standard_error *= less_sure;
    }
    Traced::of(camera, &estimates, noise_percent)
}
