//! The rays that decide whether a target is met.

use super::{SearchError, Target};
use crate::picture::{DiscPlace, disc_places};
use crate::scene::{Light, Scene};
use std::f64::consts::PI;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;

/// Accuracy of the evaluation.
#[derive(Clone, Copy, PartialEq)]
pub(super) enum RayDensity {
    /// For the first of thousands of candidates.
    Quick,
    /// As accurate as the light meter.
    Close,
}

/// A ray: from metres east and north of the eye at an altitude, in a direction.
pub(super) struct Ray {
    pub from: [f64; 2],
    pub altitude: f64,
    pub direction: [f64; 3],
    /// Between neighbours, radians: finer parts of clouds are not looked for.
    pub angle: f64,
    /// Of the light's disc; nothing beside it. All together have 1.
    pub share: f64,
}

pub(super) struct Rays {
    pub all: Vec<Ray>,
    /// Along each through a layer.
    pub steps: usize,
}

/// Angle beside a light that is sampled, and the number of directions.
const BESIDE_DEG: f64 = 1.0;
const BESIDE: usize = 8;
/// Samples of the frame, across and down.
const ACROSS: usize = 8;
const DOWN: usize = 6;

impl Rays {
    pub fn of(sky: &Sky, scene: &Scene, target: &Target, look: RayDensity) -> Result<Rays, SearchError> {
        let eye = ([0.0; 2], scene.eye_altitude);
        let all = match *target {
            Target::SunShare { .. } => disc(light(scene)?, eye, look),
            Target::Sun { .. } => {
                let light = light(scene)?;
                let mut rays = disc(light, eye, look);
                rays.extend(ring(light, BESIDE_DEG.to_radians(), BESIDE).map(|d| ray(eye, d, 0.002, 0.0)));
                rays
            }
            Target::Spot { east_m, north_m, .. } => disc(light(scene)?, ([east_m, north_m], 0.0), look),
            Target::Frame { left, top, right, bottom, .. } => {
                if !(left < right
                    && top < bottom
                    && left >= 0.0
                    && top >= 0.0
                    && right <= 1.0
                    && bottom <= 1.0)
                {
                    return Err(SearchError::Target(
                        "a part of the frame has 0 <= left < right <= 1 and 0 <= top < bottom <= 1",
                    ));
                }
                let camera = Camera::lens(&sky.eye, 960, (960.0 / sky.eye.aspect()).round() as usize);
                let at = |i: usize| {
                    let x = left + (right - left) * ((i % ACROSS) as f64 + 0.5) / ACROSS as f64;
                    let y = top + (bottom - top) * ((i / ACROSS) as f64 + 0.5) / DOWN as f64;
                    camera.direction(x * camera.width as f64, y * camera.height as f64)
                };
                let horizon = scene.horizon_sine() as f64;
                let angle = camera.pixel_angle();
                let rays: Vec<Ray> = (0..ACROSS * DOWN)
                    .filter_map(at)
                    .filter(|d| d[2] > horizon)
                    .map(|d| ray(eye, d, angle, 0.0))
                    .collect();
                if rays.is_empty() {
                    return Err(SearchError::Target("there is no sky in this part of the frame"));
                }
                rays
            }
        };
        Ok(Rays { all, steps: if look == RayDensity::Quick { 64 } else { 256 } })
    }
}

fn ray((from, altitude): ([f64; 2], f64), direction: [f64; 3], angle: f64, share: f64) -> Ray {
    Ray { from, altitude, direction, angle, share }
}

/// The first light over the horizon.
fn light(scene: &Scene) -> Result<&Light, SearchError> {
    let over = scene.lights.iter().find(|l| l.direction()[2] > 0.0);
    over.ok_or(SearchError::Target("no light is over the horizon"))
}

/// Rays to a light's disc: its middle and a ring, or all the places the light meter looks at.
fn disc(light: &Light, from: ([f64; 2], f64), look: RayDensity) -> Vec<Ray> {
    let radius = light.placed.in_sky.disc_radius;
    if look == RayDensity::Quick {
        // As far from the middle as places on a disc are in the mean.
        let share = 1.0 / (1 + BESIDE) as f64;
        let ring = ring(light, 2.0 / 3.0 * radius, BESIDE);
        return std::iter::once(light.direction())
            .chain(ring)
            .map(|d| ray(from, d, 0.5 * radius, share))
            .collect();
    }
    let places: Vec<DiscPlace> = disc_places(light);
    let whole: f64 = places.iter().map(|p| p.brightness).sum();
    places.iter().map(|p| ray(from, p.direction, p.angle, p.brightness / whole)).collect()
}

fn ring(light: &Light, radius: f64, count: usize) -> impl Iterator<Item = [f64; 3]> {
    let middle = light.direction();
    let flat = middle[0].hypot(middle[1]).max(1e-6);
    let side = [-middle[1] / flat, middle[0] / flat, 0.0];
    let up = [-middle[0] * middle[2] / flat, -middle[1] * middle[2] / flat, flat];
    (0..count).map(move |i| {
        let (s, c) = (2.0 * PI * i as f64 / count as f64).sin_cos();
        std::array::from_fn(|k| middle[k] + radius * (s * side[k] + c * up[k]))
    })
}
