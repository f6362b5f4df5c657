//! What clouds leave of each light in the air below them, along rays.
//!
//! Shadows in the air change little from pixel to pixel and cost much: they are looked for along a few rays ([`Shadows`]), and
//! the rays between take theirs from those around them ([`Around`]). For that the rays here know neither ground nor land: they go on
//! below it, so that what they say is smooth across the horizon and the outlines of hills.

use super::packet;
use super::rays::{Rays, Span};
use crate::scene::{MAX_LIGHTS, Scene};
use crate::simd::{Int, Kernel, Real, dispatch};

/// Stretches that are told apart, and places looked at in each.
pub const STRETCHES: usize = 12;
pub const LOOKS: usize = 4;
/// Distances: `FIRST * (GROWTH^k - 1)`, m.
pub const FIRST: f32 = 400.0;
pub const GROWTH: f32 = 1.135;
/// Where shadows lie farther apart than the cells of a coarser grid, that one is asked: it blurs what would else show as slices.
const COARSER: [usize; 2] = [14, 26];
/// Share of the air's light that was scattered once.
const ONCE: f32 = 0.65;
/// Share of the air's light below that a layer must take to be worth a look.
const LEAST_TAKEN: f32 = 0.01;
/// How deep under the ground rays are followed, m.
const DEEPEST: f32 = -2000.0;

/// Metres from where a ray comes below the clouds to a place of the row of looks.
pub fn distance(k: f32) -> f32 {
    FIRST * (GROWTH.powf(k) - 1.0)
}

/// Altitude below which the air is shaded, if it is.
pub fn shaded_below(scene: &Scene) -> Option<f32> {
    let layers = scene.clouds.iter().zip(&scene.ambience.layers);
    let shading = layers.filter(|(_, around)| LEAST_TAKEN <= around.taken);
    shading.map(|(clouds, _)| clouds.form.0.base).reduce(f32::max)
}

/// Share of each light's part of the air's light that is left, along some rays.
pub struct Shadows {
    /// By stretch, light and ray.
    values: Vec<f32>,
    rays: usize,
}

impl Shadows {
    /// Along rays in these directions (unit vectors); nothing where no cloud shades the air.
    pub fn along(scene: &Scene, directions: &[[f64; 3]], pixel: f64) -> Option<Shadows> {
        let highest = shaded_below(scene)?;
        let values = dispatch(Along { scene, directions, pixel: pixel as f32, highest });
        Some(Shadows { values, rays: directions.len() })
    }

    /// What is left in one stretch of one light, at rays among those that were followed.
    #[inline(always)]
    pub fn left<R: Real>(&self, stretch: usize, lights: usize, light: usize, around: &Around) -> R {
        let row = R::Int::splat(((stretch * lights + light) * self.rays) as i32);
        let mut left = R::splat(0.0);
        for k in 0..4 {
            let index = R::load(&around.rays[k]).to_int() + row;
            // SAFETY: `Around` holds numbers of followed rays.
            let value = unsafe { R::gather(&self.values, index) };
            left = value.mul_add(R::load(&around.weights[k]), left);
        }
        left
    }
}

/// For each ray of a packet, four followed rays around it and the weights of what they say.
#[derive(Clone, Debug)]
pub struct Around {
    pub rays: [[f32; 16]; 4],
    pub weights: [[f32; 16]; 4],
}

impl Around {
    pub fn none() -> Around {
        Around { rays: [[0.0; 16]; 4], weights: [[0.0; 16]; 4] }
    }

    /// Rays that were followed themselves.
    pub fn themselves(rays: &[usize]) -> Around {
        let mut around = Around::none();
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
        let (lights, count) = (self.scene.lights.len(), self.directions.len());
        let mut values = vec![0.0; STRETCHES * lights * count];
        for from in (0..count).step_by(R::LANES) {
            let lanes = R::LANES.min(count - from);
            let directions = packet(&self.directions[from..from + lanes]);
            let d = [R::load(&directions[0]), R::load(&directions[1]), R::load(&directions[2])];
            let rays = Rays::new(self.scene, d, self.pixel);
            let Span { start, end } = rays.under(self.highest, DEEPEST);
            // Shadows are looked for a little before the end: on the base itself, rounding would say on which side of it.
            let last = (end - start).mul_add(R::splat(0.999), start);
            for stretch in 0..STRETCHES {
                let mut left = [R::splat(0.0); MAX_LIGHTS];
                for k in stretch * LOOKS..(stretch + 1) * LOOKS {
                    let t = (start + R::splat(distance(k as f32 + 0.5))).min(last);
                    let here = left_at(&rays, t, COARSER.iter().filter(|from| **from <= k).count());
                    for i in 0..lights {
                        left[i] = here[i].mul_add(R::splat(1.0 / LOOKS as f32), left[i]);
                    }
                }
                for i in 0..lights {
                    let mut out = [0.0; 16];
                    left[i].store(&mut out);
                    let row = (stretch * lights + i) * count + from;
                    values[row..row + lanes].copy_from_slice(&out[..lanes]);
                }
            }
        }
        values
    }
}

/// Share of each light's part of the air's light that is left at distances on the rays: what came straight from a light is
/// lost in the shadow of each cloud, what has been scattered before in the mean over the sky.
#[inline(always)]
fn left_at<R: Real>(rays: &Rays<R>, t: R, level: usize) -> [R; MAX_LIGHTS] {
    let scene = rays.scene;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let p = rays.at(t);
    let mut whole = one;
    let mut straight = [one; MAX_LIGHTS];
    let mut depth = [zero; MAX_LIGHTS];
    for (clouds, around) in scene.clouds.iter().zip(&scene.ambience.layers) {
        if around.taken < LEAST_TAKEN {
            continue;
        }
        let z = p.altitude - R::splat(clouds.form.0.base);
        let below = z.lt(zero);
        whole = whole - R::select(below, R::splat(around.taken), zero);
        for (i, light) in scene.lights.iter().enumerate() {
            let toward = p.turn.local(light.direction());
            straight[i] = straight[i] - R::select(below, R::splat(around.straight_taken[i]), zero);
            depth[i] = depth[i] + clouds.shadow(i, level, [p.x, p.y, z], toward);
        }
    }
    let mut left = [one; MAX_LIGHTS];
    for i in 0..scene.lights.len() {
        let scattered = (whole - straight[i] * R::splat(ONCE)).max(zero);
        left[i] = (-depth[i]).exp().mul_add(R::splat(ONCE), scattered);
    }
    left
}
