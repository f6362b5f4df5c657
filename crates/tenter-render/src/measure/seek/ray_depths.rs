//! Optical depth of clouds along rays.

use super::rays::{Ray, Rays};
use crate::clouds::form::CloudForm;
use crate::clouds::shell_spans::shell_spans;
use crate::scene::{CloudComponent, Scene};
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;

/// Optical depth along a ray.
pub(super) struct Depths {
    /// Of the layer that may change, and of all others.
    pub own: f32,
    pub others: f32,
}

pub(super) fn depths(scene: &Scene, number: usize, rays: &Rays) -> Vec<Depths> {
    let (own, others): (Vec<&CloudComponent>, Vec<&CloudComponent>) =
        scene.clouds.iter().partition(|c| c.layer == number);
    let along =
        |clouds: &[&CloudComponent], ray| depth(clouds, scene.planet(), ray, rays.steps, &[[0.0; 2]])[0];
    rays.all.par_iter().map(|ray| Depths { own: along(&own, ray), others: along(&others, ray) }).collect()
}

/// Optical depth along a ray through clouds, for each slide of them.
pub(super) fn depth(
    clouds: &[&CloudComponent],
    planet: f64,
    ray: &Ray,
    steps: usize,
    slides: &[[f32; 2]],
) -> Vec<f32> {
    let mut sums = vec![0.0; slides.len()];
    for cloud in clouds {
        let form = &cloud.form.0;
        for (from, to) in stretches(planet, ray, form.base as f64, (form.base + form.depth) as f64) {
            let points = points(planet, ray, from, to, form.base as f64, steps);
            let step = ((to - from) / steps as f64) as f32;
            for (sum, depth) in sums.iter_mut().zip(dispatch(Slid { form, points: &points, step, slides })) {
                *sum += depth;
            }
        }
    }
    sums
}

/// Where a ray lies between two altitudes, as distances.
fn stretches(planet: f64, ray: &Ray, base: f64, top: f64) -> Vec<(f64, f64)> {
    let r = planet + ray.altitude;
    let along = r * ray.direction[2];
    // The ground ends a ray that goes down to it.
    let [[_, ground], _] = shell_spans(planet, r, along, 0.0, ray.altitude.max(top));
    let meets_ground = along < 0.0 && along * along >= (r - planet) * (r + planet);
    let end = if meets_ground { ground } else { f64::MAX };
    let shell_spans = shell_spans(planet, r, along, base, top).map(|[from, to]| (from, to.min(end)));
    shell_spans.into_iter().filter(|(from, to)| from < to).collect()
}

/// Metres east, north and above the base, of the middles of steps, and the footprint there.
fn points(planet: f64, ray: &Ray, from: f64, to: f64, base: f64, steps: usize) -> Vec<[f32; 4]> {
    let r = planet + ray.altitude;
    let [dx, dy, dz] = ray.direction;
    let flat = dx.hypot(dy).max(1e-9);
    (0..steps)
        .map(|i| {
            let t = from + (to - from) * (i as f64 + 0.5) / steps as f64;
            let (level, up) = (t * flat, r + t * dz);
            let arc = planet * level.atan2(up);
            let altitude = level.hypot(up) - planet;
            let (east, north) = (ray.from[0] + dx / flat * arc, ray.from[1] + dy / flat * arc);
            [east, north, altitude - base, t * ray.angle].map(|v| v as f32)
        })
        .collect()
}

struct Slid<'a> {
    form: &'a CloudForm,
    points: &'a [[f32; 4]],
    step: f32,
    slides: &'a [[f32; 2]],
}

impl Kernel for Slid<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let mut out = vec![0.0; self.slides.len()];
        let mut lanes = [[0.0f32; 16]; 3];
        for (start, out) in out.chunks_mut(R::LANES).enumerate() {
            for (k, slide) in self.slides[start * R::LANES..].iter().take(out.len()).enumerate() {
                (lanes[0][k], lanes[1][k]) = (slide[0], slide[1]);
            }
            let (east, north) = (R::load(&lanes[0]), R::load(&lanes[1]));
            let mut sum = R::splat(0.0);
            for [x, y, z, w] in self.points {
                let (x, y) = (R::splat(*x) - east, R::splat(*y) - north);
                sum = sum + self.form.extinction_at(x, y, R::splat(*z), R::splat(*w));
            }
            (sum * R::splat(self.step)).store(&mut lanes[2]);
            out.copy_from_slice(&lanes[2][..out.len()]);
        }
        out
    }
}
