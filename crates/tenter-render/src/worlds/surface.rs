//! What the ground of a world looks like: noise over a sphere, by kind.

use crate::clouds::shape::hash::share as share_of;
use tenter_sky::document::{World, WorldKind};
use tenter_sky::smoothstep;

/// Finest octaves.
const MOST_OCTAVES: f64 = 8.0;

/// Whole places along one axis, spread over all bits.
fn spread(axis: usize, place: i64) -> u32 {
    (place as u32).wrapping_mul([0x9e37_79b1, 0x85eb_ca77, 0xc2b2_ae3d][axis])
}

fn hash(seed: u32, [x, y, z]: [i64; 3]) -> f64 {
    share_of(seed.wrapping_mul(0x27d4_eb2f) ^ spread(0, x) ^ spread(1, y) ^ spread(2, z))
}

/// A value and its slope along each axis.
type Sloped = (f64, [f64; 3]);

/// Smooth noise between values at whole places, 0 to 1, and its slope.
fn noise(seed: u32, p: [f64; 3]) -> Sloped {
    let first = p.map(f64::floor);
    let part: [f64; 3] = std::array::from_fn(|i| p[i] - first[i]);
    let share = part.map(smoothstep);
    let rise = part.map(|x| 6.0 * x * (1.0 - x));
    let places: [[u32; 2]; 3] = std::array::from_fn(|i| [0, 1].map(|more| spread(i, first[i] as i64 + more)));
    let seed = seed.wrapping_mul(0x27d4_eb2f);
    let at = |c: usize| share_of(seed ^ places[0][c & 1] ^ places[1][c >> 1 & 1] ^ places[2][c >> 2]);
    let lerp = |a: f64, b: f64, t: f64| a + (b - a) * t;
    let corners: [f64; 8] = std::array::from_fn(at);
    let along: [f64; 4] = std::array::from_fn(|i| lerp(corners[2 * i], corners[2 * i + 1], share[0]));
    let step: [f64; 4] = std::array::from_fn(|i| corners[2 * i + 1] - corners[2 * i]);
    let (low, high) = (lerp(along[0], along[1], share[1]), lerp(along[2], along[3], share[1]));
    let dx = lerp(lerp(step[0], step[1], share[1]), lerp(step[2], step[3], share[1]), share[2]);
    let dy = lerp(along[1] - along[0], along[3] - along[2], share[2]);
    (lerp(low, high, share[2]), [dx * rise[0], dy * rise[1], (high - low) * rise[2]])
}

/// Ground of one world.
#[derive(Clone, Debug)]
pub struct Surface {
    kind: WorldKind,
    seed: u32,
    /// Features per radius.
    frequency: f64,
    craters: f64,
}

/// What a place of the ground is like.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ground {
    /// From dark parts to light ones.
    pub light: f64,
    /// Share hidden by white clouds.
    pub clouds: f64,
    /// Share that glows.
    pub glow: f64,
}

impl Surface {
    pub fn new(world: &World) -> Surface {
        Surface {
            kind: world.kind,
            seed: world.seed,
            frequency: 1.0 / world.feature_size,
            craters: world.craters,
        }
    }

    /// Whether nothing of it glows.
    pub fn is_cold(&self) -> bool {
        self.kind != WorldKind::Molten
    }

    /// Sum of octaves, 0 to 1; `detail`: smallest width that can be seen, as a share of the radius.
    fn octaves(&self, layer: u32, p: [f64; 3], frequency: f64, detail: f64) -> f64 {
        self.sloped_octaves(layer, p, frequency, detail).0
    }

    fn sloped_octaves(&self, layer: u32, p: [f64; 3], frequency: f64, detail: f64) -> Sloped {
        let mut left = (1.0 / (frequency * detail).max(1e-6)).log2().clamp(1.0, MOST_OCTAVES);
        let (mut sum, mut slope) = (0.0, [0.0; 3]);
        let (mut whole, mut weight, mut f) = (0.0, 1.0, frequency);
        let mut octave = layer.wrapping_mul(31);
        while left > 0.0 {
            // The last octave fades in, so that nothing pops as one comes nearer.
            let share = weight * left.min(1.0);
            let (value, rise) = noise(self.seed ^ octave, p.map(|v| v * f + 17.3));
            sum += share * value;
            (0..3).for_each(|i| slope[i] += share * f * rise[i]);
            whole += weight;
            weight *= 0.5;
            f *= 2.03;
            left -= 1.0;
            octave = octave.wrapping_add(1);
        }
        let missing: f64 = 2.0 - whole;
        ((sum + 0.5 * missing.max(0.0)) / 2.0, slope.map(|v| v / 2.0))
    }

    /// Ridges: folds of noise.
    fn ridged(&self, layer: u32, p: [f64; 3], frequency: f64, detail: f64) -> f64 {
        1.0 - (2.0 * self.octaves(layer, p, frequency, detail) - 1.0).abs() * 2.0
    }

    /// Craters of three sizes: below 0 in a bowl, above on a rim; with their slope.
    fn cratered(&self, p: [f64; 3], detail: f64) -> Sloped {
        /// Widest crater with its rim, in cells.
        const REACH: f64 = 1.6 * 0.55;
        let (mut height, mut slope) = (0.0, [0.0; 3]);
        for (size, seed) in [(1.6f64, 0xc1u32), (3.7, 0xc2), (8.5, 0xc3)] {
            let f = self.frequency * size;
            if f * detail > 0.7 {
                continue;
            }
            let at = p.map(|v| v * f);
            let first = at.map(|v| v.floor() as i64);
            for corner in 0..27 {
                let off = [corner % 3 - 1, corner / 3 % 3 - 1, corner / 9 - 1];
                let cell: [i64; 3] = std::array::from_fn(|i| first[i] + off[i]);
                let draw = |k: u32| hash(self.seed ^ seed.wrapping_add(k.wrapping_mul(0x51)), cell);
                if Surface::beyond(at, cell, REACH) || draw(0) > 0.55 {
                    continue;
                }
                let from: [f64; 3] = std::array::from_fn(|i| at[i] - cell[i] as f64 - draw(1 + i as u32));
                let radius = 0.2 + 0.35 * draw(7);
                let apart = from.iter().map(|v| v * v).sum::<f64>().sqrt();
                let away = apart / radius;
                if away < 1.6 {
                    let (bowl, sinks) = if away < 1.0 { (away * away - 1.0, 2.0 * away) } else { (0.0, 0.0) };
                    let over = (away - 1.0) / 0.22;
                    let rim = (-over * over).exp();
                    let strength = 1.0 / size.sqrt();
                    height += strength * (0.5 * bowl + 0.35 * rim);
                    let outward = strength * (0.5 * sinks - 0.35 * rim * 2.0 * over / 0.22) * f
                        / (radius * apart.max(1e-9));
                    (0..3).for_each(|i| slope[i] += outward * from[i]);
                }
            }
        }
        (height, slope)
    }

    /// Whether all of a cell is farther from a place than this, in cells.
    fn beyond(at: [f64; 3], cell: [i64; 3], reach: f64) -> bool {
        let gap = |i: usize| (cell[i] as f64 - at[i]).max(at[i] - cell[i] as f64 - 1.0).max(0.0);
        (0..3).map(|i| gap(i).powi(2)).sum::<f64>() > reach * reach
    }

    /// Height of the ground, about -1 to 1, in a direction from the world's middle, and its slope along each
    /// axis by radii.
    pub fn height(&self, n: [f64; 3], detail: f64) -> Sloped {
        if self.kind == WorldKind::Gas {
            return (0.0, [0.0; 3]);
        }
        let (folded, rise) = self.sloped_octaves(3, n, self.frequency, detail);
        let fold = 2.0 * folded - 1.0;
        let (ridges, steep) = (0.7 - 2.0 * fold.abs(), rise.map(|v| -4.0 * fold.signum() * v));
        if self.craters <= 0.0 {
            return (ridges, steep);
        }
        let (craters, sides) = self.cratered(n, detail);
        let share = 1.0 - 0.75 * self.craters;
        let slope = std::array::from_fn(|i| share * steep[i] + self.craters * sides[i]);
        (share * ridges + self.craters * craters, slope)
    }

    /// What a direction from the world's middle shows; z is its axis.
    pub fn ground(&self, n: [f64; 3], detail: f64) -> Ground {
        let f = self.frequency;
        let plain = |light: f64| Ground { light: light.clamp(0.0, 1.0), clouds: 0.0, glow: 0.0 };
        let step = |low: f64, high: f64, v: f64| smoothstep((v - low) / (high - low));
        match self.kind {
            WorldKind::Rock => {
                let maria = step(0.44, 0.58, self.octaves(1, n, 0.6 * f, detail));
                plain(0.25 + 0.6 * maria + 0.3 * (self.octaves(2, n, 3.0 * f, detail) - 0.5))
            }
            WorldKind::Ice => {
                let crack = self.ridged(1, n, 0.8 * f, detail).max(self.ridged(5, n, 1.9 * f, detail));
                plain(
                    1.0 - 0.85 * step(0.9, 0.985, crack) - 0.4 * (self.octaves(2, n, 1.5 * f, detail) - 0.4),
                )
            }
            WorldKind::Dust => {
                let bent = self.octaves(2, n, f, detail) - 0.5;
                let at = [n[0] + 0.5 * bent, n[1] - 0.4 * bent, 2.2 * n[2] + 0.6 * bent];
                plain(step(0.3, 0.72, self.octaves(1, at, 0.7 * f, detail)))
            }
            WorldKind::Gas => self.bands(n, detail),
            WorldKind::Water => {
                let land = step(0.515, 0.535, self.octaves(1, n, 0.55 * f, detail));
                let bent = self.octaves(4, n, 0.9 * f, detail) - 0.5;
                let at = [n[0] + 0.7 * bent, n[1] - 0.6 * bent, 1.6 * n[2] + 0.5 * bent];
                let clouds = step(0.52, 0.7, self.octaves(6, at, 1.1 * f, detail));
                let white = step(0.86, 0.95, n[2].abs() + 0.2 * bent);
                Ground {
                    light: land * (0.7 + 0.3 * self.octaves(2, n, 4.0 * f, detail)),
                    clouds: clouds.max(white),
                    glow: 0.0,
                }
            }
            WorldKind::Molten => {
                let crack = step(0.8, 0.99, self.ridged(1, n, 0.8 * f, detail));
                let lake = step(0.68, 0.74, self.octaves(7, n, 0.5 * f, detail));
                Ground {
                    light: 0.4 * self.octaves(2, n, 3.0 * f, detail),
                    clouds: 0.0,
                    glow: crack.max(0.7 * lake),
                }
            }
        }
    }

    /// Bands along the latitudes, torn by eddies, with a few oval storms.
    fn bands(&self, n: [f64; 3], detail: f64) -> Ground {
        let f = self.frequency;
        let eddy = self.octaves(1, [1.2 * n[0], 1.2 * n[1], 5.0 * n[2]], 1.4 * f, detail) - 0.5;
        let latitude = n[2].clamp(-1.0, 1.0).asin();
        let mut bent = latitude + 0.07 * eddy * latitude.cos();
        let mut storm: f64 = 0.0;
        for k in 0..5 {
            let draw = |i: i64| hash(self.seed ^ 0x5708, [k, i, 0]);
            let (lat, lon) = ((draw(0) - 0.5) * 1.7, draw(1) * std::f64::consts::TAU);
            let wide = 0.05 + 0.13 * draw(2) * draw(2);
            let aside = (n[1].atan2(n[0]) - lon + std::f64::consts::PI).rem_euclid(std::f64::consts::TAU)
                - std::f64::consts::PI;
            let away = ((aside * latitude.cos() / 1.9).powi(2) + (latitude - lat).powi(2)).sqrt() / wide;
            let inside = (-away * away).exp();
            bent += 0.05 * inside * (3.0 * away).sin();
            storm = storm.max(inside * step_of(0.25 + draw(3)));
        }
        let row = [0.0, 0.0, 3.0 * bent + 40.0];
        let band = self.octaves(8, row, 2.2 * f.max(1.0), detail.max(0.004));
        let light = smoothstep((band - 0.32) / 0.36) + 0.35 * (eddy - 0.0) * 0.6;
        Ground { light: (light * (1.0 - 0.5 * storm) + 0.35 * storm).clamp(0.0, 1.0), clouds: 0.0, glow: 0.0 }
    }
}

fn step_of(v: f64) -> f64 {
    v.clamp(0.0, 1.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Slopes are those of heights, by central differences.
    #[test]
    fn slopes_are_those_of_heights() {
        for craters in [0.0, 0.7] {
            let surface = Surface::new(&World { craters, ..World::default() });
            for i in 0..40 {
                let (a, b) = (f64::from(i) * 0.37, f64::from(i) * 0.11 - 0.9);
                let n = [a.cos() * b.cos(), a.sin() * b.cos(), b.sin()];
                let (_, slope) = surface.height(n, 0.02);
                for k in 0..3 {
                    const STEP: f64 = 1e-6;
                    let at = |by: f64| {
                        let mut p = n;
                        p[k] += by;
                        surface.height(p, 0.02).0
                    };
                    let found = (at(STEP) - at(-STEP)) / (2.0 * STEP);
                    // Folds and rims are kinks.
                    assert!(
                        (found - slope[k]).abs() < 0.02 * (1.0 + found.abs()),
                        "{i} {k}: {found} {}",
                        slope[k]
                    );
                }
            }
        }
    }
}
