//! Table of plane slabs: radiance of second and higher orders out of a slab, in every direction.
//!
//! Stratiform clouds are corrected by it, so that an even layer is exact whatever the sun's elevation;
//! uneven ones scale with it. Tables are built for the particles' own phase function ([`super::doubling`]).

use crate::clouds::optics::diffusion::ASYMMETRY;
use crate::clouds::optics::doubling::{Directions, Moments, STREAMS, slabs};
use crate::clouds::optics::mie::PhaseFunction;
use std::sync::LazyLock;

/// Optical thickness of slabs of asymmetry [`G`] with the same similarity-scaled thickness.
pub const THICKNESS: [f32; 9] = [0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0];
/// Cosine of the light to the vertical.
pub const LIGHT: [f32; 11] = [0.02, 0.05, 0.1, 0.17, 0.26, 0.4, 0.6, 0.8, 0.9, 0.96, 1.0];
/// Cosine of the outgoing direction to the vertical.
pub const OUT: [f32; 9] = [0.05, 0.1, 0.2, 0.35, 0.5, 0.7, 0.85, 0.95, 1.0];
/// Azimuth between the light's heading and the outgoing one, degrees.
pub const TURN: [f32; 7] = [0.0, 10.0, 25.0, 50.0, 80.0, 120.0, 180.0];
/// Sides: transmission and reflection.
pub const SIDES: usize = 2;
pub const DIRECTIONS: usize = SIDES * OUT.len() * TURN.len();
/// Asymmetry of the tabulated thicknesses.
pub const G: f32 = 0.85;

/// Tabulated thickness of a droplet thickness of 1, by similarity.
pub const AS_DROPLETS: f32 = (1.0 - ASYMMETRY) / (1.0 - G);

/// Radiance for an irradiance of 1 on a plane that faces the light, by thickness, light, side, direction
/// and azimuth; and the flux reflectance by thickness and light.
pub struct SlabTable {
    radiance: Vec<f32>,
    /// Cosines of lights of the reflectance.
    lights: Vec<f32>,
    reflectance: Vec<f32>,
    /// Tabulated thickness of an optical thickness of 1.
    per_depth: f32,
}

/// Position of a number between the values of an axis.
#[derive(Clone, Copy)]
pub struct Between {
    pub from: usize,
    pub share: f32,
}

impl Between {
    /// Clamped to the ends.
    pub fn of(row: &[f32], value: f32) -> Between {
        let from = row[1..row.len() - 1].partition_point(|v| *v <= value);
        let share = ((value - row[from]) / (row[from + 1] - row[from])).clamp(0.0, 1.0);
        Between { from, share }
    }

    /// The lower (0) or upper (1) neighbour and its weight.
    #[inline]
    pub fn entry(&self, upper: usize) -> (usize, f32) {
        (self.from + upper, if upper == 0 { 1.0 - self.share } else { self.share })
    }

    /// Both neighbours with their weights.
    pub fn both(self) -> [(usize, f32); 2] {
        [(self.from, 1.0 - self.share), (self.from + 1, self.share)]
    }
}

impl SlabTable {
    /// For Henyey and Greenstein's function of asymmetry [`G`].
    pub fn get() -> &'static SlabTable {
        static TABLE: LazyLock<SlabTable> =
            LazyLock::new(|| SlabTable::new(&Moments::henyey_greenstein(G as f64), 1.0));
        &TABLE
    }

    /// For particles of a similarity scale relative to droplets of 10 um.
    pub fn of(phase: &PhaseFunction, turned: f32) -> SlabTable {
        SlabTable::new(&phase.moments(), AS_DROPLETS * turned)
    }

    fn new(moments: &Moments, per_depth: f32) -> SlabTable {
        let more: Vec<f64> = OUT.iter().chain(&LIGHT).map(|cosine| *cosine as f64).collect();
        let directions = Directions::with(&more);
        let thinnest = (THICKNESS[0] / per_depth) as f64;
        let slabs = slabs(moments, &directions, thinnest, THICKNESS.len());
        let mut radiance = Vec::with_capacity(THICKNESS.len() * LIGHT.len() * DIRECTIONS);
        for slab in &slabs {
            for light in 0..LIGHT.len() {
                let light = STREAMS + OUT.len() + light;
                let ways = (0..OUT.len()).flat_map(|out| TURN.map(|turn| (out, turn)));
                let sent: Vec<[f64; 2]> = ways
                    .map(|(out, turn)| {
                        slab.radiance(&directions, STREAMS + out, light, f64::from(turn).to_radians())
                    })
                    .collect();
                // Truncated series oscillate around zero.
                for side in [1, 0] {
                    radiance.extend(sent.iter().map(|both| both[side].max(0.0) as f32));
                }
            }
        }
        // Nodes are denser where the flux is more curved.
        let upright = STREAMS + OUT.len() + LIGHT.len() - 1;
        let rows: Vec<usize> = (0..STREAMS).chain([upright]).collect();
        let lights = rows.iter().map(|row| directions.cosines[*row] as f32).collect();
        let reflectance =
            slabs.iter().flat_map(|slab| rows.iter().map(|row| slab.reflectance[*row] as f32)).collect();
        SlabTable { radiance, lights, reflectance, per_depth }
    }

    /// Radiance of a tabulated slab in a tabulated direction under a tabulated light.
    pub fn radiance(&self, [thickness, light, side, out, turn]: [usize; 5]) -> f32 {
        let direction = (side * OUT.len() + out) * TURN.len() + turn;
        self.radiance[(thickness * LIGHT.len() + light) * DIRECTIONS + direction]
    }

    /// Reflectance of slabs under light at a cosine to the vertical.
    ///
    /// ```
    /// use tenter_render::clouds::optics::slab_table::SlabTable;
    /// // Discrete ordinates give 0.3584 for thickness 8 under an upright light, 0.5581 at a cosine of 0.5.
    /// assert!((SlabTable::get().under(1.0).reflectance(8.0) - 0.3584).abs() < 0.001);
    /// assert!((SlabTable::get().under(0.5).reflectance(8.0) - 0.5581).abs() < 0.002);
    /// ```
    pub fn under(&self, cosine: f32) -> SlabReflectance {
        let light = Between::of(&self.lights, cosine);
        let at = |i: usize| {
            light.both().iter().map(|(k, b)| b * self.reflectance[i * self.lights.len() + k]).sum()
        };
        let cosine = cosine.max(LIGHT[0]);
        SlabReflectance { reflectance: std::array::from_fn(at), cosine, per_depth: self.per_depth }
    }

    /// The same under uniform light from above.
    pub fn under_all(&self) -> SlabReflectance {
        const STEPS: usize = 20;
        let mut reflectance = [0.0; THICKNESS.len()];
        for k in 0..STEPS {
            let cosine = (k as f32 + 0.5) / STEPS as f32;
            let slabs = self.under(cosine);
            for (sum, value) in reflectance.iter_mut().zip(slabs.reflectance) {
                *sum += value * 2.0 * cosine / STEPS as f32;
            }
        }
        // Weighted by the cosine.
        SlabReflectance { reflectance, cosine: 2.0 / 3.0, per_depth: self.per_depth }
    }
}

/// Slabs of any thickness under one light.
pub struct SlabReflectance {
    reflectance: [f32; THICKNESS.len()],
    cosine: f32,
    per_depth: f32,
}

impl SlabReflectance {
    /// Flux reflectance at an optical thickness.
    pub fn reflectance(&self, depth: f32) -> f32 {
        let thickness = depth * self.per_depth;
        let (least, most) = (THICKNESS[0], THICKNESS[THICKNESS.len() - 1]);
        let held = thickness.clamp(least, most);
        // Thicknesses double from one to the next.
        let i = ((held / least).log2() as usize).min(THICKNESS.len() - 2);
        let share = (held - THICKNESS[i]) / (THICKNESS[i + 1] - THICKNESS[i]);
        // The inverse transmittance is linear in the thickness (two streams; Meador and Weaver 1980,
        // equation 14).
        let [from, to] = [i, i + 1].map(|i| 1.0 / (1.0 - self.reflectance[i]));
        let held = 1.0 - 1.0 / (from + (to - from) * share);
        if thickness < least {
            // A thin slab reflects in proportion to its slant depth.
            let gone = |t: f32| 1.0 - (-t / self.cosine).exp();
            held * gone(thickness) / gone(least)
        } else if thickness > most {
            // The transmittance of a thick one goes as one over its extrapolated thickness.
            let depth = |t: f32| (1.0 - G) * t + 1.42;
            1.0 - (1.0 - held) * depth(most) / depth(thickness)
        } else {
            held
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::henyey_greenstein;
    use crate::simd::Scalar;

    /// The radiance upward, single scattering included, integrates to the reflectance.
    #[test]
    fn radiance_adds_up_to_flux() {
        let table = SlabTable::get();
        for (i, thickness) in THICKNESS.into_iter().enumerate() {
            for k in [4, 6, 8, 10] {
                let light = LIGHT[k];
                let mut flux = 0.0f64;
                const STEPS: usize = 60;
                for a in 0..STEPS {
                    let out = (a as f32 + 0.5) / STEPS as f32;
                    let row = Between::of(&OUT, out);
                    for b in 0..STEPS {
                        let turn = (b as f32 + 0.5) * 180.0 / STEPS as f32;
                        let mut radiance = 0.0;
                        for (o, x) in row.both() {
                            for (t, y) in Between::of(&TURN, turn).both() {
                                radiance += x * y * table.radiance([i, k, 1, o, t]);
                            }
                        }
                        let flat = |m: f32| (1.0 - m * m).sqrt();
                        let cosine = flat(light) * flat(out) * turn.to_radians().cos() - light * out;
                        let both = 1.0 / light + 1.0 / out;
                        let once = henyey_greenstein(G, Scalar(cosine)).0 * (1.0 - (-thickness * both).exp())
                            / (both * out);
                        let solid = std::f64::consts::TAU / (STEPS * STEPS) as f64;
                        flux += (radiance + once) as f64 * out as f64 * solid;
                    }
                }
                let expected = (table.under(light).reflectance(thickness) * light) as f64;
                assert!((flux / expected - 1.0).abs() < 0.06, "{thickness} {light}: {flux} for {expected}");
            }
        }
    }
}
