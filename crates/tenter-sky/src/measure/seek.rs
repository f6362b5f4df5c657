//! Seek: where to slide a layer so that a wish comes true; or what seed, or how thick it is to be.
//!
//! Sliding clouds is the same as looking from elsewhere: nothing is formed anew, only the light's way through the layer is summed
//! from many places beside the eye (or beside a spot of the land). Wishes are judged by what comes through all layers.

use crate::camera::Camera;
use crate::clouds::form::CloudForm;
use crate::clouds::passage::passages;
use crate::document::{CloudLayer, Sky};
use crate::scene::{Clouds, Scene};
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// What is wished for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "of", rename_all = "snake_case", deny_unknown_fields)]
pub enum Wish {
    /// How the first light is seen from the eye.
    Sun { seen: Seen },
    /// Share of the first light's direct light that reaches the eye.
    SunShare { share: f64 },
    /// A part of the frame, from its left and upper edge, as shares of its width and height: free of clouds, or filled.
    Frame { left: f64, top: f64, right: f64, bottom: f64, filled: bool },
    /// A spot of the land, metres east and north of the eye: in the light or in the shadow of a cloud.
    Spot { east_m: f64, north_m: f64, lit: bool },
}

/// How a light may be seen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Seen {
    Clear,
    Veiled,
    Hidden,
    /// At the edge of a gap: half of what lies within a degree is free, half is not.
    Rim,
}

/// What of a layer may change for a wish.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum By {
    #[default]
    Slide,
    Seed,
    Thickness,
}

/// A layer that fulfils a wish, more or less; one of its first four is changed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Found {
    pub slide_east_m: f64,
    pub slide_north_m: f64,
    pub seed: u32,
    pub optical_thickness: f64,
    /// What was judged: the share of light that comes through, or of the frame's part that is free; 0 to 1.
    pub figure: f64,
    /// How far that is from the wish; 0 is fulfilled.
    pub off: f64,
}

/// Why nothing can be sought.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NoSeek {
    #[error("no layer {0:?} with clouds in it")]
    Layer(String),
    #[error("{0}")]
    Wish(&'static str),
}

/// Places tried, and steps along each ray through a layer.
const TRIED: usize = 4096;
/// Seeds tried, from the one after the present on; each asks for clouds of its own.
const SEEDS: u32 = 18;
/// Thicknesses tried: steps of a tenth, from a 25th of the present one to 25 times as much.
const THICKER: f64 = 1.1;
const EACH_WAY: i32 = 34;
const STEPS: usize = 64;

/// The best of a layer for a wish, best first. `make`: the scene of a sky.
pub fn seek(
    sky: &Sky,
    make: impl Fn(&Sky) -> Scene,
    layer_id: &str,
    wish: &Wish,
    by: By,
    most: usize,
) -> Result<Vec<Found>, NoSeek> {
    let number = sky.clouds.iter().position(|l| l.id == layer_id);
    let number = number.ok_or_else(|| NoSeek::Layer(layer_id.into()))?;
    let scene = make(sky);
    if scene.clouds.iter().all(|c| c.layer != number) {
        return Err(NoSeek::Layer(layer_id.into()));
    }
    match by {
        By::Slide => slides(sky, &scene, number, wish, most),
        By::Seed => seeds(sky, &scene, make, number, wish, most),
        By::Thickness => thicknesses(sky, &scene, number, wish, most),
    }
}

/// A layer as it is, with what a wish makes of it.
fn found(layer: &CloudLayer, (figure, off): (f64, f64)) -> Found {
    Found {
        slide_east_m: layer.slide_east_m,
        slide_north_m: layer.slide_north_m,
        seed: layer.seed,
        optical_thickness: layer.optical_thickness(),
        figure,
        off,
    }
}

fn by_off(found: &mut [Found]) {
    // Of those that are as good, the nearest.
    found.sort_by(|a, b| (a.off * 50.0).round().total_cmp(&(b.off * 50.0).round()));
}

/// Depths of a layer along rays, and of all others.
fn depths(scene: &Scene, number: usize, rays: &[Ray]) -> Vec<[f32; 2]> {
    let (own, others): (Vec<&Clouds>, Vec<&Clouds>) = scene.clouds.iter().partition(|c| c.layer == number);
    let planet = scene.planet();
    rays.par_iter()
        .map(|ray| [&own, &others].map(|clouds| depth(clouds, planet, ray, &[[0.0; 2]])[0]))
        .collect()
}

fn seeds(
    sky: &Sky,
    scene: &Scene,
    make: impl Fn(&Sky) -> Scene,
    number: usize,
    wish: &Wish,
    most: usize,
) -> Result<Vec<Found>, NoSeek> {
    let rays = rays_of(sky, scene, wish)?;
    let mut dealt = sky.clone();
    let mut all: Vec<Found> = (0..SEEDS)
        .map(|_| {
            dealt.clouds[number].seed = dealt.clouds[number].seed.wrapping_add(1);
            let depths = depths(&make(&dealt), number, &rays);
            let through = |ray: usize| (-depths[ray][0] - depths[ray][1]).exp();
            found(&dealt.clouds[number], judge(wish, through, rays.len()))
        })
        .collect();
    by_off(&mut all);
    all.truncate(most);
    Ok(all)
}

fn thicknesses(
    sky: &Sky,
    scene: &Scene,
    number: usize,
    wish: &Wish,
    most: usize,
) -> Result<Vec<Found>, NoSeek> {
    let rays = rays_of(sky, scene, wish)?;
    let depths = depths(scene, number, &rays);
    let present = sky.clouds[number].optical_thickness();
    // The nearest first, so that of those that are as good it is the one.
    let steps = (0..=EACH_WAY).flat_map(|i| if i == 0 { vec![0] } else { vec![-i, i] });
    let mut all: Vec<Found> = steps
        .filter_map(|step| {
            let share = THICKER.powi(step);
            let mut layer = sky.clouds[number].clone();
            layer.set_optical_thickness(present * share);
            let through = |ray: usize| (-depths[ray][0] * share as f32 - depths[ray][1]).exp();
            let fits = layer.water_content_g_m3 <= 10.0;
            fits.then(|| found(&layer, judge(wish, through, rays.len())))
        })
        .collect();
    by_off(&mut all);
    let mut best: Vec<Found> = Vec::new();
    for f in all {
        // Two that differ by less look the same.
        let apart = |b: &Found| (b.optical_thickness / f.optical_thickness).ln().abs() > 0.25;
        if best.len() < most && best.iter().all(apart) {
            best.push(f);
        }
    }
    Ok(best)
}

/// The best slides of a layer for a wish, best first and not two of the same gap: places are tried on a spiral up to 12 cells
/// away.
fn slides(sky: &Sky, scene: &Scene, number: usize, wish: &Wish, most: usize) -> Result<Vec<Found>, NoSeek> {
    let layer = &sky.clouds[number];
    if layer.regions.iter().any(|r| !r.muted) {
        return Err(NoSeek::Wish(
            "cover regions stay while clouds slide through them; mute the layer's regions to seek",
        ));
    }
    let (moved, fixed): (Vec<&Clouds>, Vec<&Clouds>) = scene.clouds.iter().partition(|c| c.layer == number);
    let rays = rays_of(sky, scene, wish)?;
    let reach = 12.0 * layer.cell_size_m.clamp(200.0, 8000.0);
    let slides: Vec<[f32; 2]> = (0..TRIED)
        .map(|i| {
            // A sunflower's spiral: evenly spread, and no two in a line.
            let (r, a) = ((i as f64 / TRIED as f64).sqrt() * reach, i as f64 * PI * (3.0 - 5f64.sqrt()));
            [(r * a.sin()) as f32, (r * a.cos()) as f32]
        })
        .collect();
    let planet = scene.planet();
    // What comes through along each ray, for each slide.
    let through: Vec<Vec<f32>> = rays
        .par_iter()
        .map(|ray| {
            let still = depth(&fixed, planet, ray, &[[0.0; 2]])[0];
            depth(&moved, planet, ray, &slides).into_iter().map(|d| (-d - still).exp()).collect()
        })
        .collect();
    let mut all: Vec<Found> = (0..TRIED)
        .map(|i| {
            let [east, north] = slides[i].map(f64::from);
            Found {
                slide_east_m: (layer.slide_east_m + east).round(),
                slide_north_m: (layer.slide_north_m + north).round(),
                ..found(layer, judge(wish, |ray| through[ray][i], rays.len()))
            }
        })
        .collect();
    by_off(&mut all);
    let mut best: Vec<Found> = Vec::new();
    for f in all {
        let apart = |b: &Found| {
            (b.slide_east_m - f.slide_east_m).hypot(b.slide_north_m - f.slide_north_m)
                > 0.8 * layer.cell_size_m
        };
        if best.iter().all(apart) {
            best.push(f);
            if best.len() == most {
                break;
            }
        }
    }
    Ok(best)
}

/// A way of light: from metres east and north of the eye at an altitude, in a direction.
struct Ray {
    from: [f64; 2],
    altitude: f64,
    direction: [f64; 3],
}

fn rays_of(sky: &Sky, scene: &Scene, wish: &Wish) -> Result<Vec<Ray>, NoSeek> {
    let light = &scene.lights[0];
    let sun = light.direction();
    let needs_sun = matches!(wish, Wish::Sun { .. } | Wish::SunShare { .. } | Wish::Spot { .. });
    if needs_sun && sun[2] <= 0.0 {
        return Err(NoSeek::Wish("the first light is below the horizon"));
    }
    let eye = scene.eye_altitude;
    let from_eye = |direction| Ray { from: [0.0; 2], altitude: eye, direction };
    Ok(match *wish {
        Wish::Sun { .. } | Wish::SunShare { .. } => {
            // The middle of the disc, and a ring: a degree wide around it, or as wide as places on the disc are from its middle in the mean.
            let ring = match wish {
                Wish::SunShare { .. } => 2.0 / 3.0 * light.placed.in_sky.disc_radius,
                _ => 1f64.to_radians(),
            };
            let around = |i: usize| {
                let r = if i == 0 { 0.0 } else { ring };
                let (s, c) = (i as f64 * PI / 4.0).sin_cos();
                let flat = sun[0].hypot(sun[1]).max(1e-6);
                let side = [-sun[1] / flat, sun[0] / flat, 0.0];
                let up = [-sun[0] * sun[2] / flat, -sun[1] * sun[2] / flat, flat];
                std::array::from_fn(|k| sun[k] + r * (s * side[k] + c * up[k]))
            };
            (0..9).map(|i| from_eye(around(i))).collect()
        }
        Wish::Frame { left, top, right, bottom, .. } => {
            if !(left < right && top < bottom && left >= 0.0 && top >= 0.0 && right <= 1.0 && bottom <= 1.0) {
                return Err(NoSeek::Wish(
                    "a part of the frame has 0 <= left < right <= 1 and 0 <= top < bottom <= 1",
                ));
            }
            const ACROSS: usize = 8;
            const DOWN: usize = 6;
            let camera = Camera::lens(&sky.eye, 960, (960.0 / sky.eye.frame.aspect()).round() as usize);
            let at = |i: usize| {
                let x = left + (right - left) * ((i % ACROSS) as f64 + 0.5) / ACROSS as f64;
                let y = top + (bottom - top) * ((i / ACROSS) as f64 + 0.5) / DOWN as f64;
                camera.direction(x * camera.width as f64, y * camera.height as f64)
            };
            let horizon = scene.horizon_sine() as f64;
            let rays: Vec<Ray> =
                (0..ACROSS * DOWN).filter_map(at).filter(|d| d[2] > horizon).map(from_eye).collect();
            if rays.is_empty() {
                return Err(NoSeek::Wish("there is no sky in this part of the frame"));
            }
            rays
        }
        Wish::Spot { east_m, north_m, .. } => {
            vec![Ray { from: [east_m, north_m], altitude: 0.0, direction: sun }]
        }
    })
}

/// The figure a wish is judged by, and how far it is off.
fn judge(wish: &Wish, through: impl Fn(usize) -> f32, rays: usize) -> (f64, f64) {
    let all = || (0..rays).map(|i| through(i) as f64);
    match *wish {
        Wish::SunShare { share } => {
            let disc = all().sum::<f64>() / rays as f64;
            (disc, (disc - share).abs())
        }
        Wish::Sun { seen } => {
            let disc = through(0) as f64;
            let free = all().filter(|t| *t > 0.5).count() as f64 / rays as f64;
            let off = match seen {
                Seen::Clear => 1.0 - all().fold(1.0, f64::min),
                Seen::Hidden => all().fold(0.0, f64::max),
                // Through cloud all over, and even.
                Seen::Veiled => all().map(|t| (t - 0.35).abs()).fold(0.0, f64::max),
                Seen::Rim => (free - 0.5).abs() + 0.5 * (disc - 0.5).abs(),
            };
            (disc, off)
        }
        Wish::Frame { filled, .. } => {
            let free = all().sum::<f64>() / rays as f64;
            (free, if filled { free } else { 1.0 - free })
        }
        Wish::Spot { lit, .. } => {
            let light = through(0) as f64;
            (light, if lit { 1.0 - light } else { light })
        }
    }
}

/// Optical depth along a ray through clouds, for each slide of them.
fn depth(clouds: &[&Clouds], planet: f64, ray: &Ray, slides: &[[f32; 2]]) -> Vec<f32> {
    let mut sums = vec![0.0; slides.len()];
    for cloud in clouds {
        let form = &cloud.form.0;
        for (from, to) in stretches(planet, ray, form.base as f64, (form.base + form.depth) as f64) {
            let points = points(planet, ray, from, to, form.base as f64);
            let step = ((to - from) / STEPS as f64) as f32;
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
    let [[_, ground], _] = passages(planet, r, along, 0.0, ray.altitude.max(top));
    let meets_ground = along < 0.0 && along * along >= (r - planet) * (r + planet);
    let end = if meets_ground { ground } else { f64::MAX };
    let passages = passages(planet, r, along, base, top).map(|[from, to]| (from, to.min(end)));
    passages.into_iter().filter(|(from, to)| from < to).collect()
}

/// Metres east, north and above the base, of the middles of steps.
fn points(planet: f64, ray: &Ray, from: f64, to: f64, base: f64) -> Vec<[f32; 3]> {
    let r = planet + ray.altitude;
    let [dx, dy, dz] = ray.direction;
    let flat = dx.hypot(dy).max(1e-9);
    (0..STEPS)
        .map(|i| {
            let t = from + (to - from) * (i as f64 + 0.5) / STEPS as f64;
            let (level, up) = (t * flat, r + t * dz);
            let arc = planet * level.atan2(up);
            let altitude = level.hypot(up) - planet;
            [ray.from[0] + dx / flat * arc, ray.from[1] + dy / flat * arc, altitude - base].map(|v| v as f32)
        })
        .collect()
}

struct Slid<'a> {
    form: &'a CloudForm,
    points: &'a [[f32; 3]],
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
            for [x, y, z] in self.points {
                let (x, y) = (R::splat(*x) - east, R::splat(*y) - north);
                sum = sum + self.form.extinction_at(x, y, R::splat(*z), R::splat(self.step));
            }
            (sum * R::splat(self.step)).store(&mut lanes[2]);
            out.copy_from_slice(&lanes[2][..out.len()]);
        }
        out
    }
}
