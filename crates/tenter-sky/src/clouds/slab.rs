//! Light of even sheets: what comes out of a plane slab after two and more scatterings, in every direction.
//!
//! The numbers in `slab.f32` were followed photon by photon ([`crate::reference::slabs`]; `references --slabs` makes them again), for Henyey and
//! Greenstein's phase function with g = 0.85, which is near enough to droplets' for orders past the first. Sheets take
//! their light from here, so that an even one is right whatever the sun's height; what is uneven in them scales with it.

use super::diffusion::ASYMMETRY;
use std::sync::LazyLock;

/// Optical thickness.
pub const THICKNESS: [f32; 9] = [0.25, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0];
/// Cosine of the light's angle from straight down.
pub const LIGHT: [f32; 9] = [0.02, 0.05, 0.1, 0.17, 0.26, 0.4, 0.6, 0.8, 1.0];
/// Cosine of the angle from straight down (or up) at which light leaves.
pub const OUT: [f32; 8] = [0.05, 0.1, 0.2, 0.35, 0.5, 0.7, 0.85, 1.0];
/// Angle between the light's own heading and that of what leaves, degrees.
pub const TURN: [f32; 7] = [0.0, 10.0, 25.0, 50.0, 80.0, 120.0, 180.0];
/// Sides light leaves by: the one away from the light, and the one it came by.
pub const SIDES: usize = 2;
pub const DIRECTIONS: usize = SIDES * OUT.len() * TURN.len();
/// Asymmetry of the phase function.
pub const G: f32 = 0.85;

/// What a thickness of droplets counts for here, by similarity: (1 - g) of theirs over that of the table.
pub const AS_DROPLETS: f32 = (1.0 - ASYMMETRY) / (1.0 - G);

/// Radiance for an irradiance of 1 on a plane that faces the light, by thickness, light, side, direction and turn; then the share
/// of flux that is sent back, by thickness and light.
pub struct SlabLight {
    radiance: Vec<f32>,
    sent_back: Vec<f32>,
}

/// The numbers of a table's file.
pub(super) fn numbers(bytes: &[u8]) -> Vec<f32> {
    bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
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

    /// Both values that it lies between, with their weights.
    pub fn both(self) -> [(usize, f32); 2] {
        [(self.from, 1.0 - self.share), (self.from + 1, self.share)]
    }
}

impl SlabLight {
    pub fn get() -> &'static SlabLight {
        static TABLE: LazyLock<SlabLight> = LazyLock::new(|| {
            let values = numbers(include_bytes!("slab.f32"));
            let (radiance, sent_back) = values.split_at(THICKNESS.len() * LIGHT.len() * DIRECTIONS);
            SlabLight { radiance: radiance.to_vec(), sent_back: sent_back.to_vec() }
        });
        &TABLE
    }

    /// Radiance in one of the tabulated directions of a slab of tabulated thickness under a tabulated light.
    pub fn radiance(&self, [thickness, light, side, out, turn]: [usize; 5]) -> f32 {
        let direction = (side * OUT.len() + out) * TURN.len() + turn;
        self.radiance[(thickness * LIGHT.len() + light) * DIRECTIONS + direction]
    }

    /// Share of the flux that slabs send back, under light at a cosine to straight down.
    ///
    /// ```
    /// use tenter_sky::clouds::slab::SlabLight;
    /// // Discrete ordinates give 0.3584 for thickness 8 under an upright light, 0.5581 at a cosine of 0.5.
    /// assert!((SlabLight::get().under(1.0).sent_back(8.0) - 0.3584).abs() < 0.01);
    /// assert!((SlabLight::get().under(0.5).sent_back(8.0) - 0.5581).abs() < 0.015);
    /// ```
    pub fn under(&self, cosine: f32) -> Slabs {
        let light = Between::of(&LIGHT, cosine);
        let at = |i: usize| light.both().iter().map(|(k, b)| b * self.sent_back[i * LIGHT.len() + k]).sum();
        Slabs { sent_back: std::array::from_fn(at), cosine: cosine.max(LIGHT[0]) }
    }

    /// The same under light that is as bright from everywhere above.
    pub fn under_all(&self) -> Slabs {
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
        Slabs { sent_back, cosine: 2.0 / 3.0 }
    }
}

/// Slabs of any thickness under one light.
pub struct Slabs {
    sent_back: [f32; THICKNESS.len()],
    cosine: f32,
}

impl Slabs {
    /// Share of the flux on a slab that it sends back.
    pub fn sent_back(&self, thickness: f32) -> f32 {
        let (least, most) = (THICKNESS[0], THICKNESS[THICKNESS.len() - 1]);
        // Thicknesses double from one to the next.
        let x = (thickness.clamp(least, most) / least).log2();
        let i = (x as usize).min(THICKNESS.len() - 2);
        let held = self.sent_back[i] + (self.sent_back[i + 1] - self.sent_back[i]) * (x - i as f32);
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
    use crate::air::lobe;
    use crate::reference::slabs::REFLECTANCE;
    use crate::simd::Scalar;

    /// The table's own flux, against discrete ordinates.
    #[test]
    fn the_table_sends_back_what_discrete_ordinates_give() {
        for (thickness, expected) in REFLECTANCE {
            for (cosine, expected) in [1.0f32, 0.87, 0.5, 0.2].into_iter().zip(expected) {
                let got = SlabLight::get().under(cosine).sent_back(thickness as f32) as f64;
                // Between two tabulated cosines the flux is not quite straight.
                assert!((got - expected).abs() < 0.015, "{thickness} {cosine}: {got} for {expected}");
            }
        }
    }

    /// What leaves upward in all directions, with the first order added, is what is sent back.
    #[test]
    fn radiance_adds_up_to_flux() {
        let table = SlabLight::get();
        for (i, thickness) in THICKNESS.into_iter().enumerate() {
            for k in [4, 6, 8] {
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
                        let once =
                            lobe(G, Scalar(cosine)).0 * (1.0 - (-thickness * both).exp()) / (both * out);
                        let solid = std::f64::consts::TAU / (STEPS * STEPS) as f64;
                        flux += (radiance + once) as f64 * out as f64 * solid;
                    }
                }
                let expected = (table.under(light).sent_back(thickness) * light) as f64;
                assert!((flux / expected - 1.0).abs() < 0.06, "{thickness} {light}: {flux} for {expected}");
            }
        }
    }
}
