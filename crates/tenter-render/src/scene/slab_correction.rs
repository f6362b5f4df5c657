//! Factors on the light of stratiform and cirriform clouds that make an even layer as bright as the exact
//! plane slab.

use super::{Light, MAX_LIGHTS};
use crate::air::henyey_greenstein;
use crate::clouds::optics::slab_table::{
    AS_DROPLETS, Between, DIRECTIONS, LIGHT, OUT, SlabTable, THICKNESS, TURN,
};
use crate::simd::Real;

/// Sine of a light's elevation below which it lights a layer from both sides.
pub const EDGEWISE: f32 = 0.02;
/// Corrections for one kind of particles: of low and high orders of a light, by thickness, light and
/// direction as in [`SlabTable`]; of light from above and from below, by side, direction and thickness.
pub struct SlabCorrections {
    pub slabs: SlabTable,
    /// Share of scattering in the phase function's forward peak, which the table leaves out; the largest
    /// value of the function without it; and the asymmetry of two peak scatterings.
    pub peak: f32,
    pub cut_off: f32,
    pub twice: f32,
    pub light: Vec<f32>,
    pub above: Vec<f32>,
    pub below: Vec<f32>,
}

/// A correction for a packet of rays, by thickness.
pub type ByThickness<R> = [R; THICKNESS.len()];

/// Corrections for a packet of rays.
pub struct SlabCorrection<R: Real> {
    pub lights: [ByThickness<R>; MAX_LIGHTS],
    pub above: ByThickness<R>,
    pub below: ByThickness<R>,
    /// Largest value of the phase function without its peak.
    pub cut_off: R,
}

/// Weight of the far side as seen from below: a light at the horizon lights both sides.
fn side_above(light: f32) -> f32 {
    (0.5 + 0.5 * light / EDGEWISE).clamp(0.0, 1.0)
}

impl SlabCorrections {
    /// Slabs of these particles.
    pub fn slabs(&self) -> &SlabTable {
        &self.slabs
    }

    /// Phase function of two and more peak scatterings at the cosine of the angle to a light that is spread
    /// over `spread` radians.
    #[inline(always)]
    pub fn twice_in_peak<R: Real>(&self, cosine: R, spread: f64) -> R {
        henyey_greenstein(self.twice.min(1.0 - spread as f32).max(0.0), cosine) * R::splat(self.peak)
    }

    /// For view rays (unit vectors) under lights.
    #[inline(always)]
    pub fn of_rays<R: Real>(&self, ways: &[R; 3], lights: &[Light]) -> SlabCorrection<R> {
        let [mut x, mut y, mut z] = [[0.0f32; 16]; 3];
        ways[0].store(&mut x);
        ways[1].store(&mut y);
        ways[2].store(&mut z);
        let mut of = SlabCorrection {
            lights: [[R::splat(1.0); THICKNESS.len()]; MAX_LIGHTS],
            above: [R::splat(1.0); THICKNESS.len()],
            below: [R::splat(1.0); THICKNESS.len()],
            cut_off: R::splat(self.cut_off),
        };
        let mut found = [[[0.0f32; 16]; THICKNESS.len()]; MAX_LIGHTS + 2];
        for lane in 0..R::LANES {
            let way = [x[lane], y[lane], z[lane]];
            for (i, light) in lights.iter().enumerate() {
                self.of_light(way, light.direction(), lane, &mut found[2 + i]);
            }
            let side = usize::from(z[lane] < 0.0);
            for (o, weight) in Between::of(&OUT, z[lane].abs()).both() {
                let first = (side * OUT.len() + o) * THICKNESS.len();
                for t in 0..THICKNESS.len() {
                    found[0][t][lane] += weight * self.above[first + t];
                    found[1][t][lane] += weight * self.below[first + t];
                }
            }
        }
        for t in 0..THICKNESS.len() {
            (of.above[t], of.below[t]) = (R::load(&found[0][t]), R::load(&found[1][t]));
            for i in 0..lights.len() {
                of.lights[i][t] = R::load(&found[2 + i][t]);
            }
        }
        of
    }

    /// For one view ray under one light.
    pub fn of_light(
        &self,
        [x, y, z]: [f32; 3],
        light: [f64; 3],
        lane: usize,
        found: &mut [[f32; 16]; THICKNESS.len()],
    ) {
        let [sx, sy, sz] = [light[0] as f32, light[1] as f32, light[2] as f32];
        // A view upward sees the side away from a sun above; at the horizon a light lights both.
        let above = side_above(sz);
        let away = if z > 0.0 { above } else { 1.0 - above };
        let flat = (x.hypot(y) * sx.hypot(sy)).max(1e-6);
        let turn = ((x * sx + y * sy) / flat).clamp(-1.0, 1.0).acos().to_degrees();
        let (rows, outs) = (Between::of(&LIGHT, sz.abs()), Between::of(&OUT, z.abs()));
        let turns = Between::of(&TURN, turn);
        let sides = [away, 1.0 - away];
        for side in 0..2 {
            if sides[side] == 0.0 {
                continue;
            }
            for t in 0..THICKNESS.len() {
                // Trilinear: sine of the light's elevation, of the ray's, and the azimuth between them.
                for corner in 0..8 {
                    let (l, a) = rows.entry(corner & 1);
                    let (o, b) = outs.entry(corner >> 1 & 1);
                    let (k, c) = turns.entry(corner >> 2);
                    let first = (t * LIGHT.len() + l) * DIRECTIONS + (side * OUT.len() + o) * TURN.len();
                    found[t][lane] += sides[side] * a * b * c * self.light[first + k];
                }
            }
        }
    }
}

/// The correction at a thickness, by its logarithm.
#[inline(always)]
pub fn at_thickness<R: Real>(corrections: &ByThickness<R>, log: R) -> R {
    // Thicknesses double from entry to entry.
    let x = (log * R::splat(std::f32::consts::LOG2_E) + R::splat((AS_DROPLETS / THICKNESS[0]).log2()))
        .clamp(0.0, THICKNESS.len() as f32 - 1.0);
    let mut sum = R::splat(0.0);
    for (k, value) in corrections.iter().enumerate() {
        let weight = (R::splat(1.0) - (x - R::splat(k as f32)).abs()).max(R::splat(0.0));
        sum = value.mul_add(weight, sum);
    }
    sum
}
