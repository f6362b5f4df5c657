//! Transmittance of clouds toward each light, in the air along rays.
//!
//! Shadows in the air change little from pixel to pixel and are costly: they are computed along a few rays
//! ([`AirShadows`]) and interpolated for the rays between ([`ShadowWeights`]). These rays ignore ground and
//! land and go on below it, so that the result is smooth across the horizon and the outlines of hills.

use super::pack_directions;
use super::rays::{Rays, Span};
use crate::scene::{MAX_LIGHTS, Scene};
use crate::simd::{Int, Kernel, Real, dispatch};
use tenter_sky::spectrum::luminance;

/// Segments of a ray, and samples in each.
pub const SEGMENTS: usize = 12;
pub const SAMPLES: usize = 4;
/// Distances: `FIRST * (GROWTH^k - 1)`, m.
pub const FIRST: f32 = 400.0;
pub const GROWTH: f32 = 1.135;
/// Sample indices from which the coarser grids of sun depth are read: they blur what would show as slices
/// where samples are farther apart than cells.
const COARSER: [usize; 2] = [14, 26];
/// Least share of the sky's light that a layer must stop to be sampled; the same for all lights, so that
/// their contributions add up.
const MIN_LOSS: f32 = 0.01;
/// Altitude down to which rays are followed below the ground, m.
const LOWEST_ALTITUDE_M: f32 = -2000.0;

/// Distance from where a ray enters the space below the clouds to sample `k`, m.
pub fn distance(k: f32) -> f32 {
    FIRST * (GROWTH.powf(k) - 1.0)
}

/// Altitude below which the air is shaded, if it is: tall clouds shade the air beside them.
pub fn shaded_below(scene: &Scene) -> Option<f32> {
    let layers = scene.clouds.iter().zip(&scene.ambient.layers);
    let shading = layers.filter(|(_, around)| MIN_LOSS <= 1.0 - around.open);
    shading.map(|(clouds, _)| clouds.form.0.base + clouds.form.0.depth).reduce(f32::max)
}

/// Numbers after those of the lights: the share of light scattered before, and the red, green and blue that
/// clouds add.
const AFTER_LIGHTS: usize = 4;
const MAX_PARTS: usize = MAX_LIGHTS + AFTER_LIGHTS;

/// Along some rays: the transmittance toward each light, the share that is left of light scattered before,
/// and the mean radiance that clouds add, cd/m2.
pub struct AirShadows {
    /// By segment, number and ray.
    values: Vec<f32>,
    parts: usize,
    rays: usize,
}

impl AirShadows {
    /// For rays in these directions (unit vectors); none where no cloud shades the air.
    pub fn along(scene: &Scene, directions: &[[f64; 3]], pixel: f64) -> Option<AirShadows> {
        let highest = shaded_below(scene)?;
        let values = dispatch(Along { scene, directions, pixel: pixel as f32, highest });
        Some(AirShadows { values, parts: scene.lights.len() + AFTER_LIGHTS, rays: directions.len() })
    }

    /// One number of a segment, interpolated between the computed rays.
    #[inline(always)]
    pub fn transmittance<R: Real>(&self, stretch: usize, part: usize, around: &ShadowWeights) -> R {
        let row = (stretch * self.parts + part) * self.rays;
        assert!(part < self.parts && row + self.rays <= self.values.len(), "a stretch past the last");
        let mut left = R::splat(0.0);
        for k in 0..4 {
            let ray = R::load(&around.rays[k]).clamp(0.0, (self.rays - 1) as f32);
            let index = ray.to_int() + R::Int::splat(row as i32);
            // SAFETY: the row lies inside, and rays are held to it; what is no number becomes the last ray.
            let value = unsafe { R::gather(&self.values, index) };
            left = value.mul_add(R::load(&around.weights[k]), left);
        }
        left
    }
}

/// For each ray of a packet the four computed rays around it and their weights.
#[derive(Clone, Debug)]
pub struct ShadowWeights {
    rays: [[f32; 16]; 4],
    weights: [[f32; 16]; 4],
}

impl ShadowWeights {
    pub fn none() -> ShadowWeights {
        ShadowWeights { rays: [[0.0; 16]; 4], weights: [[0.0; 16]; 4] }
    }

    /// Sets the computed rays around one lane's ray, and their weights.
    pub fn set(&mut self, lane: usize, rays: [usize; 4], weights: [f32; 4]) {
        for k in 0..4 {
            (self.rays[k][lane], self.weights[k][lane]) = (rays[k] as f32, weights[k]);
        }
    }

    /// Each ray is a computed one itself.
    pub fn identity(rays: &[usize]) -> ShadowWeights {
        let mut around = ShadowWeights::none();
        around.weights[0] = [1.0; 16];
        for lane in 0..16 {
            around.rays[0][lane] = rays[lane.min(rays.len() - 1)] as f32;
        }
        around
    }
}

struct Along<'a> {
    scene: &'a Scene,
    directions: &'a [[f64; 3]],
    pixel: f32,
    highest: f32,
}

impl Kernel for Along<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let (parts, count) = (self.scene.lights.len() + AFTER_LIGHTS, self.directions.len());
        let mut values = vec![0.0; SEGMENTS * parts * count];
        for from in (0..count).step_by(R::LANES) {
            let lanes = R::LANES.min(count - from);
            let directions = pack_directions(&self.directions[from..from + lanes]);
            let d = [R::load(&directions[0]), R::load(&directions[1]), R::load(&directions[2])];
            let rays = Rays::new(self.scene, d, self.pixel);
            let Span { start, end } = rays.under(self.highest, LOWEST_ALTITUDE_M);
            // The last sample lies a little before the end: on the cloud base itself rounding would decide
            // on which side.
            let last = (end - start).mul_add(R::splat(0.999), start);
            for stretch in 0..SEGMENTS {
                let mut left = [R::splat(0.0); MAX_PARTS];
                for k in stretch * SAMPLES..(stretch + 1) * SAMPLES {
                    let t = (start + R::splat(distance(k as f32 + 0.5))).min(last);
                    let here = left_at(&rays, t, COARSER.iter().filter(|from| **from <= k).count());
                    for i in 0..parts {
                        left[i] = here[i].mul_add(R::splat(1.0 / SAMPLES as f32), left[i]);
                    }
                }
                for i in 0..parts {
                    let mut out = [0.0; 16];
                    left[i].store(&mut out);
                    let row = (stretch * parts + i) * count + from;
                    values[row..row + lanes].copy_from_slice(&out[..lanes]);
                }
            }
        }
        values
    }
}

/// At one sample: direct light is attenuated by the shadow of each cloud, light scattered before by the
/// mean over the sky, and the lowest cloud above the point adds what it sends down.
#[inline(always)]
fn left_at<R: Real>(rays: &Rays<R>, t: R, level: usize) -> [R; MAX_PARTS] {
    let scene = rays.scene;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let p = rays.at(t);
    let lights = scene.lights.len();
    let mut depth = [zero; MAX_LIGHTS];
    let mut left = [zero; MAX_PARTS];
    left[lights] = one;
    let mut under = zero;
    let up = rays.direction[2];
    let second = up.mul_add(up * R::splat(1.5), R::splat(-0.5));
    for number in 0..scene.clouds.len() {
        let (clouds, around) = (&scene.clouds[number], &scene.ambient.layers[number]);
        if 1.0 - around.open < MIN_LOSS {
            continue;
        }
        let z = p.altitude - R::splat(clouds.form.0.base);
        let beneath = z.lt(zero);
        left[lights] = left[lights] * R::select(beneath, R::splat(around.open), one);
        let first = beneath & under.le(zero);
        // Haze scatters forward: light from the view direction counts more.
        let bright = luminance(around.sent_down).max(1e-9);
        let along = R::splat(around.leaning[0] * scene.air.phase_moments[0] / bright);
        let across = R::splat(around.leaning[1] * scene.air.phase_moments[1] / bright);
        let leaning = up.mul_add(along, second.mul_add(across, one)).max(R::splat(0.1));
        for c in 0..3 {
            let part = lights + 1 + c;
            left[part] = R::select(first, leaning * R::splat(around.sent_down[c]), left[part]);
        }
        under = R::select(beneath, one, under);
        let leaves = R::splat(clouds.form.0.non_forward_fraction);
        for (i, light) in scene.lights.iter().enumerate() {
            let toward = p.frame.local(light.direction());
            let shadow = clouds.shadow(i, level, [p.x, p.y, z], toward);
            depth[i] = shadow.mul_add(leaves, depth[i]);
        }
    }
    for i in 0..lights {
        left[i] = (-depth[i]).exp();
    }
    left
}
