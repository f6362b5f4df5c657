//! What light of stratiform clouds is multiplied by so that an even one sends what a plane slab does.

use super::{Light, MAX_LIGHTS};
use crate::air::henyey_greenstein;
use crate::clouds::optics::slab_table::{
    AS_DROPLETS, Between, DIRECTIONS, LIGHT, OUT, SlabTable, THICKNESS, TURN,
};
use crate::simd::Real;

/// Sine of a light's height within which it lights a sheet from above and from below.
pub const EDGEWISE: f32 = 0.02;
/// What is looked up in sheets of one kind of particles is multiplied by: for few and many turns of a
/// light, by thickness, light and direction as [`SlabTable`] has them; for what comes from above and from
/// below, by side, direction and thickness.
pub struct SlabCorrections {
    pub slabs: SlabTable,
    /// Of what is scattered the share of the phase function's peak, which the table leaves out; what the
    /// function is without it at most, and the asymmetry of what it turns twice.
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
    /// What the particles' phase function is without its peak at most.
    pub cut_off: R,
}

/// Share of the side away from a light that is seen from below: a light that stands edgewise lights both.
fn side_above(light: f32) -> f32 {
    (0.5 + 0.5 * light / EDGEWISE).clamp(0.0, 1.0)
}

impl SlabCorrections {
    /// Slabs of these particles.
    pub fn slabs(&self) -> &SlabTable {
        &self.slabs
    }

    /// Of all that scattering turns, what the peak alone has turned twice and more, at the cosine of the
    /// angle to a light that is spread over so many radians.
    #[inline(always)]
    pub fn twice_in_peak<R: Real>(&self, cosine: R, spread: f64) -> R {
        henyey_greenstein(self.twice.min(1.0 - spread as f32).max(0.0), cosine) * R::splat(self.peak)
    }

    /// For ways (unit vectors in the eye's axes) under lights.
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

    /// Of one way under one light.
    pub fn of_light(
        &self,
        [x, y, z]: [f32; 3],
        light: [f64; 3],
        lane: usize,
        found: &mut [[f32; 16]; THICKNESS.len()],
    ) {
        let [sx, sy, sz] = [light[0] as f32, light[1] as f32, light[2] as f32];
        // Looking up one sees the side away from a sun above; one that stands edgewise lights both.
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
                // The eight entries around: by the light's sine, the way's, and the azimuth between them.
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
    // Thicknesses double from one to the next.
    let x = (log * R::splat(std::f32::consts::LOG2_E) + R::splat((AS_DROPLETS / THICKNESS[0]).log2()))
        .clamp(0.0, THICKNESS.len() as f32 - 1.0);
    let mut sum = R::splat(0.0);
    for (k, value) in corrections.iter().enumerate() {
        let weight = (R::splat(1.0) - (x - R::splat(k as f32)).abs()).max(R::splat(0.0));
        sum = value.mul_add(weight, sum);
    }
    sum
}
