//! Spheres of droplets under one light: the table for cumuliform clouds.
//!
//! A photon that leaves a sphere was last scattered at some point: the number that leave toward an angle
//! over the number that would if every particle there emitted in all directions is the mean source of what
//! is visible from outside.

use super::phase::rotated;
use super::phase_sampler::PhaseSampler;
use fastrand::Rng;
use glam::DVec3;
use rayon::prelude::*;
use std::f64::consts::{PI, TAU};
use tenter_render::clouds::optics::mie::PhaseFunction;
use tenter_render::clouds::optics::sphere_table::{
    DEPTH, DEPTHS, FACING, FACINGS, LOBES, RADII, RADIUS, cell, lobes,
};

/// Radius of the droplets, um: Mie's function for green.
const DROPLETS_UM: f64 = 10.0;
const GREEN: usize = 1;
/// Steps of the angle of scattering, of ten degrees.
const ANGLES: usize = 18;
/// Points and directions that give the visible share of a cell.
const LOOKS: usize = 20_000_000;
/// Photons that determine a cell.
const MIN_PATHS: f64 = 400.0;
/// Relative precision of a source: lobes are fitted to all angles alike.
const ALIKE: f64 = 0.05;

/// Computes the table, with this number of photons for a sphere of radius 1 and fewer for larger ones.
pub fn trace(photons: usize) -> Vec<f32> {
    let turns = PhaseSampler::new(&PhaseFunction::new(DROPLETS_UM));
    let balls: Vec<Vec<f32>> = (0..RADII)
        .into_par_iter()
        .with_max_len(1)
        .map(|i| {
            let radius = RADIUS.value(i) as f64;
            follow(radius, (photons as f64 / radius.max(4.0)) as usize, &turns).lobes(radius)
        })
        .collect();
    balls.concat()
}

/// Cells of one sphere: photons that left, and rays that saw it, by angle.
struct Sources {
    left: Vec<[f64; ANGLES]>,
    seen: Vec<[f64; ANGLES]>,
    /// Flux of a photon, and of a look.
    per_photon: f64,
}

/// Light goes along x through a ball around nothing.
fn follow(radius: f64, photons: usize, turns: &PhaseSampler) -> Sources {
    let mut rng = Rng::with_seed(radius.to_bits());
    let cells = DEPTHS * FACINGS;
    let mut sources = Sources {
        left: vec![[0.0; ANGLES]; cells],
        seen: vec![[0.0; ANGLES]; cells],
        per_photon: PI * radius * radius / photons as f64,
    };
    for _ in 0..photons {
        let (beside, turn) = (rng.f64().sqrt() * radius, TAU * rng.f64());
        let (s, c) = turn.sin_cos();
        let mut place =
            DVec3::new(-(radius * radius - beside * beside).max(0.0).sqrt(), beside * c, beside * s);
        let mut direction = DVec3::X;
        for order in 0.. {
            let next = place - direction * (1.0 - rng.f64()).ln();
            if next.length_squared() > radius * radius {
                if let (2.., Some(cell)) = (order, cell_of(place, radius)) {
                    sources.left[cell][angle_of(direction)] += 1.0;
                }
                break;
            }
            place = next;
            let (cosine, _) = turns.draw(GREEN, &mut rng);
            direction = rotated(direction, cosine, &mut rng);
        }
    }
    for _ in 0..LOOKS {
        let (place, likely) = random_point(radius, &mut rng);
        let direction = random_direction(&mut rng);
        if let Some(cell) = cell_of(place, radius) {
            let way = (-to_surface(place, radius, direction)).exp();
            sources.seen[cell][angle_of(direction)] += way * 4.0 * PI / likely / LOOKS as f64;
        }
    }
    sources
}

impl Sources {
    /// Shares of the lobes in each cell; cells without light or outside the sphere copy their neighbours.
    fn lobes(&self, radius: f64) -> Vec<f32> {
        let known: Vec<Option<[f64; LOBES]>> = (0..DEPTHS * FACINGS)
            .map(|i| {
                let all: f64 = self.left[i].iter().sum();
                let (depth, facing) = (i % DEPTHS, i / DEPTHS);
                let fits = DEPTH.value(depth) as f64 * FACING.value(facing) as f64 <= radius;
                (all > MIN_PATHS && fits).then(|| self.fitted(i))
            })
            .collect();
        let nearest = |i: usize| {
            let (depth, facing) = (i % DEPTHS, i / DEPTHS);
            let away = |j: usize| (j % DEPTHS).abs_diff(depth) + 2 * (j / DEPTHS).abs_diff(facing);
            let all = (0..known.len()).filter_map(|j| known[j].map(|lobes| (away(j), lobes)));
            all.min_by_key(|(away, _)| *away).map_or([0.0; LOBES], |(_, lobes)| lobes)
        };
        let filled: Vec<[f64; LOBES]> = (0..known.len()).map(nearest).collect();
        (0..LOBES).flat_map(|k| filled.iter().map(move |lobes| lobes[k] as f32)).collect()
    }

    /// Non-negative least squares over all choices of lobes.
    fn fitted(&self, i: usize) -> [f64; LOBES] {
        let mut best = (f64::MAX, [0.0; LOBES]);
        for choice in 1..1usize << LOBES {
            let Some(shares) = self.least_squares(i, choice) else { continue };
            let off = self.weighed(i).map(|(lobes, source, weight)| {
                let sum: f64 = lobes.iter().zip(shares).map(|(l, s)| l * s).sum();
                ((sum - source) * weight).powi(2)
            });
            let off = off.sum();
            if off < best.0 && shares.iter().all(|s| *s >= 0.0) {
                best = (off, shares);
            }
        }
        best.1
    }

    /// For each angle known: the lobes there, the source, and one over how well it is known.
    fn weighed(&self, i: usize) -> impl Iterator<Item = ([f64; LOBES], f64, f64)> + '_ {
        (0..ANGLES).filter(move |a| self.left[i][*a] > 20.0 && self.seen[i][*a] > 0.0).map(move |a| {
            let source = self.left[i][a] * self.per_photon / self.seen[i][a];
            let cosine = ((a as f64 + 0.5) / ANGLES as f64 * PI).cos();
            let unsure = source * (1.0 / self.left[i][a] + ALIKE * ALIKE).sqrt();
            (lobes(cosine), source, 1.0 / unsure)
        })
    }

    /// Shares of some lobes (bits of `choice`) by Gauss's normal equations.
    fn least_squares(&self, i: usize, choice: usize) -> Option<[f64; LOBES]> {
        let mut m = [[0.0; LOBES + 1]; LOBES];
        for (lobes, source, weight) in self.weighed(i) {
            for r in 0..LOBES {
                for c in 0..LOBES {
                    m[r][c] += lobes[r] * lobes[c] * weight * weight;
                }
                m[r][LOBES] += lobes[r] * source * weight * weight;
            }
        }
        for k in (0..LOBES).filter(|k| choice >> k & 1 == 0) {
            m[k] = [0.0; LOBES + 1];
            for row in &mut m {
                row[k] = 0.0;
            }
            m[k][k] = 1.0;
        }
        for k in 0..LOBES {
            if m[k][k].abs() < 1e-30 {
                return None;
            }
            for r in (0..LOBES).filter(|r| *r != k) {
                let f = m[r][k] / m[k][k];
                for c in k..=LOBES {
                    m[r][c] -= f * m[k][c];
                }
            }
        }
        Some(std::array::from_fn(|k| m[k][LOBES] / m[k][k]))
    }
}

/// A point in the sphere and its density per volume: seven in ten near the surface, by the logarithm of
/// their distance.
pub fn random_point(radius: f64, rng: &mut Rng) -> (DVec3, f64) {
    const LEAST: f64 = 0.01;
    const NEAR: f64 = 0.7;
    let out = random_direction(rng);
    let span = (radius / LEAST).ln();
    let from_middle =
        if rng.f64() < NEAR { radius - LEAST * (span * rng.f64()).exp() } else { radius * rng.f64().cbrt() };
    let near = radius - from_middle;
    let by_distance =
        if near > LEAST { 1.0 / (near * span * 4.0 * PI * from_middle * from_middle) } else { 0.0 };
    let even = 3.0 / (4.0 * PI * radius.powi(3));
    (out * from_middle, NEAR * by_distance + (1.0 - NEAR) * even)
}

pub fn random_direction(rng: &mut Rng) -> DVec3 {
    let z = 2.0 * rng.f64() - 1.0;
    let (s, c) = (TAU * rng.f64()).sin_cos();
    let flat = (1.0 - z * z).max(0.0).sqrt();
    DVec3::new(flat * c, flat * s, z)
}

pub fn to_surface(place: DVec3, radius: f64, direction: DVec3) -> f64 {
    let along = place.dot(direction);
    (along * along - place.length_squared() + radius * radius).max(0.0).sqrt() - along
}

fn cell_of(place: DVec3, radius: f64) -> Option<usize> {
    let depth = to_surface(place, radius, DVec3::NEG_X);
    cell(depth as f32, (radius - place.length()) as f32)
}

fn angle_of(direction: DVec3) -> usize {
    ((direction.x.clamp(-1.0, 1.0).acos() / PI * ANGLES as f64) as usize).min(ANGLES - 1)
}
