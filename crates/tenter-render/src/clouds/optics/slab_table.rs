//! Light of even sheets: what comes out of a plane slab after two and more scatterings, in every direction.
//!
//! Sheets take their light from here, so that an even one is right whatever the sun's height; what is
//! uneven in them scales with it. Tables are made for the particles' own phase function
//! ([`crate::clouds::optics::doubling`]).

use crate::clouds::optics::diffusion::ASYMMETRY;
use crate::clouds::optics::doubling::{Directions, Moments, STREAMS, slabs};
use crate::clouds::optics::mie::PhaseFunction;
use std::sync::LazyLock;

/// Optical thickness of slabs of asymmetry [`G`] that turn as much light as those of a table (similarity).
pub const THICKNESS: [f32; 9] = [0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0];
/// Cosine of the light's angle from straight down.
pub const LIGHT: [f32; 11] = [0.02, 0.05, 0.1, 0.17, 0.26, 0.4, 0.6, 0.8, 0.9, 0.96, 1.0];
/// Cosine of the angle from straight down (or up) at which light leaves.
pub const OUT: [f32; 9] = [0.05, 0.1, 0.2, 0.35, 0.5, 0.7, 0.85, 0.95, 1.0];
/// Angle between the light's own heading and that of what leaves, degrees.
pub const TURN: [f32; 7] = [0.0, 10.0, 25.0, 50.0, 80.0, 120.0, 180.0];
/// Sides light leaves by: the one away from the light, and the one it came by.
pub const SIDES: usize = 2;
pub const DIRECTIONS: usize = SIDES * OUT.len() * TURN.len();
/// Asymmetry that thicknesses are told for.
pub const G: f32 = 0.85;

/// What a thickness of droplets counts for here, by similarity: (1 - g) of theirs over that of the table.
pub const AS_DROPLETS: f32 = (1.0 - ASYMMETRY) / (1.0 - G);

/// Radiance for an irradiance of 1 on a plane that faces the light, by thickness, light, side, direction
/// and turn; and the share of flux that is sent back, by thickness and light.
pub struct SlabTable {
    radiance: Vec<f32>,
    /// Heights of lights that flux is told for.
    lights: Vec<f32>,
    sent_back: Vec<f32>,
    /// Thickness in the table of an optical thickness of 1.
    per_depth: f32,
}

/// Where a number lies between the values of a row.
#[derive(Clone, Copy)]
pub struct Between {
    pub from: usize,
    pub share: f32,
}

impl Between {
    /// Held to the row's ends.
    pub fn of(row: &[f32], value: f32) -> Between {
        let from = row[1..row.len() - 1].partition_point(|v| *v <= value);
        let share = ((value - row[from]) / (row[from + 1] - row[from])).clamp(0.0, 1.0);
        Between { from, share }
    }

    /// The lower (0) or upper (1) of the values that it lies between, and its weight.
    #[inline]
    pub fn entry(&self, upper: usize) -> (usize, f32) {
        (self.from + upper, if upper == 0 { 1.0 - self.share } else { self.share })
    }

    /// Both values that it lies between, with their weights.
    pub fn both(self) -> [(usize, f32); 2] {
        [(self.from, 1.0 - self.share), (self.from + 1, self.share)]
    }
}

impl SlabTable {
    /// Of Henyey and Greenstein's function with an asymmetry of [`G`].
    pub fn get() -> &'static SlabTable {
        static TABLE: LazyLock<SlabTable> =
            LazyLock::new(|| SlabTable::new(&Moments::henyey_greenstein(G as f64), 1.0));
        &TABLE
    }

    /// Of particles that turn so many times as much light as droplets of 10 um.
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
                // Truncated series ring around nothing.
                for side in [1, 0] {
                    radiance.extend(sent.iter().map(|both| both[side].max(0.0) as f32));
                }
            }
        }
        // Nodes lie closer together where flux bends most.
        let upright = STREAMS + OUT.len() + LIGHT.len() - 1;
        let rows: Vec<usize> = (0..STREAMS).chain([upright]).collect();
        let lights = rows.iter().map(|row| directions.cosines[*row] as f32).collect();
        let sent_back =
            slabs.iter().flat_map(|slab| rows.iter().map(|row| slab.reflectance[*row] as f32)).collect();
        SlabTable { radiance, lights, sent_back, per_depth }
    }

    /// Radiance in one of the tabulated directions of a slab of tabulated thickness under a tabulated light.
    pub fn radiance(&self, [thickness, light, side, out, turn]: [usize; 5]) -> f32 {
        let direction = (side * OUT.len() + out) * TURN.len() + turn;
        self.radiance[(thickness * LIGHT.len() + light) * DIRECTIONS + direction]
    }

    /// Share of the flux that slabs send back, under light at a cosine to straight down.
    ///
    /// ```
    /// use tenter_render::clouds::optics::slab_table::SlabLight;
    /// // Discrete ordinates give 0.3584 for thickness 8 under an upright light, 0.5581 at a cosine of 0.5.
    /// assert!((SlabLight::get().under(1.0).sent_back(8.0) - 0.3584).abs() < 0.001);
    /// assert!((SlabLight::get().under(0.5).sent_back(8.0) - 0.5581).abs() < 0.002);
    /// ```
    pub fn under(&self, cosine: f32) -> SlabReflectance {
        let light = Between::of(&self.lights, cosine);
        let at =
            |i: usize| light.both().iter().map(|(k, b)| b * self.sent_back[i * self.lights.len() + k]).sum();
        let cosine = cosine.max(LIGHT[0]);
        SlabReflectance { sent_back: std::array::from_fn(at), cosine, per_depth: self.per_depth }
    }

    /// The same under light that is as bright from everywhere above.
    pub fn under_all(&self) -> SlabReflectance {
        const STEPS: usize = 20;
        let mut sent_back = [0.0; THICKNESS.len()];
        for k in 0..STEPS {
            let cosine = (k as f32 + 0.5) / STEPS as f32;
            let slabs = self.under(cosine);
            for (sum, value) in sent_back.iter_mut().zip(slabs.sent_back) {
                *sum += value * 2.0 * cosine / STEPS as f32;
            }
        }
        // The mean cosine of light through a level.
        SlabReflectance { sent_back, cosine: 2.0 / 3.0, per_depth: self.per_depth }
    }
}

/// Slabs of any thickness under one light.
pub struct SlabReflectance {
    sent_back: [f32; THICKNESS.len()],
    cosine: f32,
    per_depth: f32,
}

impl SlabReflectance {
    /// Share of the flux on a slab of an optical thickness that it sends back.
    pub fn reflectance(&self, depth: f32) -> f32 {
        let thickness = depth * self.per_depth;
        let (least, most) = (THICKNESS[0], THICKNESS[THICKNESS.len() - 1]);
        let held = thickness.clamp(least, most);
        // Thicknesses double from one to the next.
        let i = ((held / least).log2() as usize).min(THICKNESS.len() - 2);
        let share = (held - THICKNESS[i]) / (THICKNESS[i + 1] - THICKNESS[i]);
        // One over what comes through is straight in the thickness, of two streams (Meador and Weaver 1980,
        // equation 14).
        let [from, to] = [i, i + 1].map(|i| 1.0 / (1.0 - self.sent_back[i]));
        let held = 1.0 - 1.0 / (from + (to - from) * share);
        if thickness < least {
            // What is thin sends back of what it holds, until its slanted depth is spent.
            let gone = |t: f32| 1.0 - (-t / self.cosine).exp();
            held * gone(thickness) / gone(least)
        } else if thickness > most {
            // What a thick one lets through goes with one over its depth, past both boundaries.
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

    /// What leaves upward in all directions, with the first order added, is what is sent back.
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
