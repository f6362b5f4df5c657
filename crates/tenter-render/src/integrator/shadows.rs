//! What clouds leave of each light in the air below them, along rays.
//!
//! Shadows in the air change little from pixel to pixel and cost much: they are looked for along a few rays
//! ([`AirShadows`]), and the rays between take theirs from those around them ([`ShadowWeights`]). For that the rays
//! here know neither ground nor land: they go on below it, so that what they say is smooth across the horizon
//! and the outlines of hills.

use super::pack_directions;
use super::rays::{Rays, Span};
use crate::scene::{MAX_LIGHTS, Scene};
use crate::simd::{Int, Kernel, Real, dispatch};
use tenter_sky::spectrum::luminance;

/// Stretches that are told apart, and places looked at in each.
pub const SEGMENTS: usize = 12;
pub const SAMPLES: usize = 4;
/// Distances: `FIRST * (GROWTH^k - 1)`, m.
pub const FIRST: f32 = 400.0;
pub const GROWTH: f32 = 1.135;
/// Where shadows lie farther apart than the cells of a coarser grid, that one is asked: it blurs what would
/// else show as slices.
const COARSER: [usize; 2] = [14, 26];
/// Share of the sky's light that a layer must take to be worth a look: by whatever light, or several would
/// not add up.
const MIN_LOSS: f32 = 0.01;
/// How deep under the ground rays are followed, m.
const LOWEST_ALTITUDE_M: f32 = -2000.0;

/// Metres from where a ray comes below the clouds to a place of the row of looks.
pub fn distance(k: f32) -> f32 {
    FIRST * (GROWTH.powf(k) - 1.0)
}

/// Altitude below which the air is shaded, if it is: tall clouds shade what stands beside them.
pub fn shaded_below(scene: &Scene) -> Option<f32> {
    let layers = scene.clouds.iter().zip(&scene.ambient.layers);
    let shading = layers.filter(|(_, around)| MIN_LOSS <= 1.0 - around.open);
    shading.map(|(clouds, _)| clouds.form.0.base + clouds.form.0.depth).reduce(f32::max)
}

/// Parts after those of the lights: what has been scattered before, and red, green and blue of what clouds
/// send down.
const AFTER_LIGHTS: usize = 4;
const MAX_PARTS: usize = MAX_LIGHTS + AFTER_LIGHTS;

/// Along some rays, share that is left of what comes straight from each light, and after those of what has
/// been scattered before; then mean radiance that clouds add, cd/m2.
pub struct AirShadows {
    /// By stretch, part and ray.
    values: Vec<f32>,
    parts: usize,
    rays: usize,
}

impl AirShadows {
    /// Along rays in these directions (unit vectors); nothing where no cloud shades the air.
    pub fn along(scene: &Scene, directions: &[[f64; 3]], pixel: f64) -> Option<AirShadows> {
        let highest = shaded_below(scene)?;
        let values = dispatch(Along { scene, directions, pixel: pixel as f32, highest });
        Some(AirShadows { values, parts: scene.lights.len() + AFTER_LIGHTS, rays: directions.len() })
    }

    /// One part in one stretch, at rays among those that were followed.
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

/// For each ray of a packet, four followed rays around it and the weights of what they say.
#[derive(Clone, Debug)]
pub struct ShadowWeights {
    rays: [[f32; 16]; 4],
    weights: [[f32; 16]; 4],
}

impl ShadowWeights {
    pub fn none() -> ShadowWeights {
        ShadowWeights { rays: [[0.0; 16]; 4], weights: [[0.0; 16]; 4] }
    }

    /// Sets the numbers of the followed rays around one lane's, and their weights.
    pub fn set(&mut self, lane: usize, rays: [usize; 4], weights: [f32; 4]) {
        for k in 0..4 {
            (self.rays[k][lane], self.weights[k][lane]) = (rays[k] as f32, weights[k]);
        }
    }

    /// Rays that were followed themselves.
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
            // Shadows are looked for a little before the end: on the base itself, rounding would say on which
            // side of it.
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

/// What is left at distances on the rays: what comes straight from a light is lost in the shadow of each
/// cloud, what has been scattered before in the mean over the sky; and what the lowest clouds over a place
/// send down in their stead.
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
        // Haze sends on more of what comes from where one looks.
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
