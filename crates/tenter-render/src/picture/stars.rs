//! Stars as points in pictures and maps: each has its energy at every size.

use super::disc::{DiscPixel, add_light};
use super::{Area, Picture};
use crate::integrator::{MarchQuality, radiance_along};
use crate::night::StarLight;
use crate::scene::{Face, Scene, TOTALITY_LEFT, corona};
use std::f64::consts::PI;
use tenter_sky::camera::{Camera, Projection};
use tenter_sky::smoothstep;
use tenter_sky::spectrum::{Rgb, luminance};

/// Share of a pixel's light under which a star in it can't be seen.
const UNSEEN: f64 = 2e-3;
/// Spots reach so many of their deviations.
const REACH: f64 = 3.0;

/// Adds what is seen of the stars through clouds to a part of a picture.
pub fn add_stars(picture: &mut Picture, camera: &Camera, area: Area, scene: &Scene, quality: MarchQuality) {
    let Some(night) = &scene.night else { return };
    // By day only the brightest can be seen.
    let darkest = picture.pixels.iter().map(|p| f64::from(luminance(*p))).fold(f64::MAX, f64::min);
    let least = UNSEEN * darkest.max(0.0) * camera.pixel_angle().powi(2);
    let end = night.stars.partition_point(|s| s.luminance() > least);
    add_light(picture, area, &star_pixels(&night.stars[..end], camera, area, scene, quality));
    add_light(picture, area, &corona_pixels(camera, area, scene, quality));
}

/// Share of a sun that is covered where its corona is seen, and how far it reaches, in radii of the sun.
const CORONA_FROM: f64 = 0.999;
const CORONA_REACH: f64 = 14.0;

/// Coronas of suns that are covered wholly, cd/m2.
pub fn corona_pixels(camera: &Camera, area: Area, scene: &Scene, quality: MarchQuality) -> Vec<DiscPixel> {
    let mut pixels = Vec::new();
    for light in &scene.lights {
        let Face::Sun { behind: Some(moon), .. } = light.placed.face else { continue };
        if light.placed.covered < CORONA_FROM {
            continue;
        }
        let (middle, radius) = (light.placed.seen, light.placed.in_sky.disc_radius);
        let solid_angle = PI * radius * radius;
        let whole = light.seen(scene.eye_altitude);
        let left = (1.0 - light.placed.covered).max(TOTALITY_LEFT);
        let (_, through) = radiance_along(scene, &[middle], camera.pixel_angle(), quality)[0];
        let disc = whole.map(|v| f64::from(v) * f64::from(through) / left / solid_angle);
        let nearest = (CORONA_REACH * radius).cos();
        for i in 0..area.width * area.height {
            let (x, y) = (area.x + i % area.width, area.y + i / area.width);
            let Some(d) = camera.direction(x as f64 + 0.5, y as f64 + 0.5) else { continue };
            let cosine = |v: [f64; 3]| (0..3).map(|k| v[k] * d[k]).sum::<f64>().clamp(-1.0, 1.0);
            // Share of the pixel that the moon leaves free.
            let free = (cosine(moon.direction).acos() - moon.radius) / camera.pixel_angle() + 0.5;
            if cosine(middle) < nearest || free <= 0.0 {
                continue;
            }
            let away = cosine(middle).acos() / radius;
            // It has no end; here it fades out.
            let share = corona(away.max(1.0)) * (1.0 - smoothstep(2.0 * away / CORONA_REACH - 1.0));
            pixels.push(DiscPixel { x, y, light: disc.map(|v| (v * share * free.min(1.0)) as f32) });
        }
    }
    pixels
}

/// The light of stars in the pixels of a part of a picture, cd/m2. In maps their energy is exact: the sum of
/// radiance times solid angle is their illuminance behind clouds.
pub fn star_pixels(
    stars: &[StarLight],
    camera: &Camera,
    area: Area,
    scene: &Scene,
    quality: MarchQuality,
) -> Vec<DiscPixel> {
    let Some(night) = &scene.night else { return Vec::new() };
    let spot = Spot::new(camera, night.spot);
    let margin = spot.reach() + 1.0;
    let (middle, nearest) = cone(camera, margin);
    let before = |d: [f64; 3]| (0..3).map(|i| d[i] * middle[i]).sum::<f64>() >= nearest;
    let shown: Vec<(&StarLight, [f64; 2])> = stars
        .iter()
        .filter(|star| before(star.direction))
        .filter_map(|star| Some((star, camera.place(star.direction)?)))
        .filter(|(_, [x, y])| {
            let near = |v: f64, from: usize, size: usize| {
                v > from as f64 - margin && v < (from + size) as f64 + margin
            };
            near(*y, area.y, area.height) && (spot.wraps || near(*x, area.x, area.width))
        })
        .collect();
    let directions: Vec<[f64; 3]> = shown.iter().map(|(star, _)| star.direction).collect();
    let clear = scene.clouds.is_empty() && scene.fog.is_none() && scene.land.is_none();
    let through: Vec<f32> = if clear {
        vec![1.0; shown.len()]
    } else {
        let seen = radiance_along(scene, &directions, camera.pixel_angle(), quality);
        seen.into_iter().map(|(_, through)| through).collect()
    };
    let mut pixels = Vec::with_capacity(shown.len() * 9);
    let hidden = |d: [f64; 3]| {
        let world = scene.worlds.as_ref().and_then(|w| w.worlds.toward(d, camera.pixel_angle()));
        world.map_or(0.0, |shown| shown.hidden)
    };
    for ((star, place), through) in shown.into_iter().zip(through) {
        let through = through * (1.0 - hidden(star.direction));
        if through > 0.0 {
            spot.splat(camera, place, star.illuminance.map(|v| v * through), &mut pixels);
        }
    }
    pixels
}

/// The middle of what a camera sees, and a cosine that all of it reaches, with a margin in pixels; -1 where
/// it looks all around.
fn cone(camera: &Camera, margin: f64) -> ([f64; 3], f64) {
    let (w, h) = (camera.width as f64, camera.height as f64);
    let middle = camera.direction(0.5 * w, 0.5 * h);
    let (Some(middle), Projection::Lens { .. }) = (middle, &camera.projection) else {
        return ([0.0, 0.0, 1.0], -1.0);
    };
    let corners =
        [(-margin, -margin), (w + margin, -margin), (-margin, h + margin), (w + margin, h + margin)];
    let cosine = |(x, y)| camera.direction(x, y).map_or(-1.0, |d| (0..3).map(|i| d[i] * middle[i]).sum());
    (middle, corners.map(cosine).into_iter().fold(1.0, f64::min))
}

/// How a star's light is spread over pixels: a Gaussian integrated over each, in maps a square of one pixel.
struct Spot {
    /// Standard deviation, pixels; none in maps.
    deviation: Option<f64>,
    /// Whether the first column follows the last one.
    wraps: bool,
}

impl Spot {
    fn new(camera: &Camera, width: f64) -> Spot {
        let lens = matches!(camera.projection, Projection::Lens { .. });
        let pixels = (width / camera.pixel_angle()).max(1.0);
        Spot {
            deviation: lens.then_some(0.5 * pixels),
            wraps: matches!(camera.projection, Projection::Latlong { .. }),
        }
    }

    fn reach(&self) -> f64 {
        self.deviation.map_or(1.0, |deviation| REACH * deviation)
    }

    /// Share of the light in the pixels from the first one on, along one axis.
    fn shares(&self, at: f64) -> (i64, Vec<f64>) {
        match self.deviation {
            Some(deviation) => {
                let reach = self.reach();
                let (from, to) = ((at - reach).floor() as i64, (at + reach).ceil() as i64);
                let below = |x: f64| 0.5 * (1.0 + erf((x - at) / (deviation * std::f64::consts::SQRT_2)));
                let shares: Vec<f64> = (from..to).map(|i| below((i + 1) as f64) - below(i as f64)).collect();
                let whole: f64 = shares.iter().sum();
                (from, shares.into_iter().map(|share| share / whole).collect())
            }
            None => {
                let first = (at - 0.5).floor();
                let next = at - 0.5 - first;
                (first as i64, vec![1.0 - next, next])
            }
        }
    }

    fn splat(&self, camera: &Camera, [x, y]: [f64; 2], light: Rgb, pixels: &mut Vec<DiscPixel>) {
        let ((left, across), (top, down)) = (self.shares(x), self.shares(y));
        let lens = self.deviation.is_some();
        let (width, height) = (camera.width as i64, camera.height as i64);
        for (j, share_y) in down.iter().enumerate() {
            for (i, share_x) in across.iter().enumerate() {
                let share = share_x * share_y;
                let (mut px, mut py) = (left + i as i64, top + j as i64);
                if lens && !((0..width).contains(&px) && (0..height).contains(&py)) {
                    continue;
                }
                // In maps no light is lost at an edge.
                px = if self.wraps { px.rem_euclid(width) } else { px.clamp(0, width - 1) };
                py = if let Projection::Cube { .. } = camera.projection {
                    let face = (y as i64 / width).clamp(0, 5);
                    py.clamp(face * width, face * width + width - 1)
                } else {
                    py.clamp(0, height - 1)
                };
                let (px, py) = (px as usize, py as usize);
                let solid_angle = camera.pixel_solid_angle(px, py);
                if share > 0.0 && solid_angle > 0.0 {
                    let light = light.map(|v| (f64::from(v) * share / solid_angle) as f32);
                    pixels.push(DiscPixel { x: px, y: py, light });
                }
            }
        }
    }
}

/// Error function (Abramowitz and Stegun 1964, 7.1.26), absolute error under 1.5e-7.
fn erf(x: f64) -> f64 {
    let t = 1.0 / (1.0 + 0.3275911 * x.abs());
    let poly =
        ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t;
    (1.0 - poly * (-x * x).exp()).copysign(x)
}
