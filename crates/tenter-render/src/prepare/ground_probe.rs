//! Builds the irradiance of the ground below the eye under the sky and clouds that stand above it; the mean
//! over places may differ by a fifth.

use super::eye_probe::LOOK;
use crate::integrator::{MarchQuality, radiance_along};
use crate::scene::{GroundIrradiance, Scene};
use glam::DVec3;
use std::f64::consts::{PI, TAU};
use tenter_sky::camera::Camera;

/// Pixels along a side of the orthographic picture of the sky.
const SIDE: usize = 36;
/// Radius (radians) around each light that is sampled on rings of its own, rings, and samples per ring.
const CAP: f64 = 0.14;
const RINGS: usize = 12;
const ALONG: usize = 16;

impl GroundIrradiance {
    /// None without clouds, or with some below the eye.
    pub fn of(scene: &Scene) -> Option<GroundIrradiance> {
        let lowest = scene.clouds.iter().map(|c| c.form.0.base).reduce(f32::min)?;
        let around = lowest - scene.eye_altitude as f32;
        if around <= 0.0 {
            return None;
        }
        let lights: Vec<DVec3> = scene
            .lights
            .iter()
            .filter(|l| l.strength > 0.0)
            .map(|l| DVec3::from_array(l.direction()))
            .collect();
        let near = |d: DVec3, lights: &[DVec3]| lights.iter().any(|l| l.dot(d) > CAP.cos());
        let mut looks: Vec<([f64; 3], f64)> = Vec::new();
        let mut add = |d: DVec3, weight: f64| looks.push((d.to_array(), weight));
        for (d, weight) in spread().filter(|(d, _)| !near(*d, &lights)) {
            add(d, weight);
        }
        for (i, light) in lights.iter().enumerate() {
            for (d, weight) in cap(*light).filter(|(d, _)| d.z > 0.0 && !near(*d, &lights[..i])) {
                add(d, weight);
            }
        }
        let directions: Vec<[f64; 3]> = looks.iter().map(|(d, _)| *d).collect();
        let mut diffuse = [0.0; 3];
        let seen = radiance_along(scene, &directions, LOOK, MarchQuality::default());
        for ((light, _), (_, weight)) in seen.into_iter().zip(looks) {
            for c in 0..3 {
                diffuse[c] += light[c] * weight as f32;
            }
        }
        Some(GroundIrradiance { diffuse, radius: around })
    }
}

/// Directions over the sky with their weights: pixels of an orthographic picture contribute equally to the
/// irradiance.
fn spread() -> impl Iterator<Item = (DVec3, f64)> {
    let level = Camera::level(SIDE);
    let middle = |i: usize| level.direction((i % SIDE) as f64 + 0.5, (i / SIDE) as f64 + 0.5);
    let inside: Vec<_> = (0..SIDE * SIDE).filter_map(middle).collect();
    let share = PI / inside.len() as f64;
    inside.into_iter().map(move |d| (DVec3::from_array(d), share))
}

/// Directions around a light, denser toward it, weighted by solid angle and cosine.
fn cap(light: DVec3) -> impl Iterator<Item = (DVec3, f64)> {
    let (a, b) = light.any_orthonormal_pair();
    (0..RINGS * ALONG).map(move |i| {
        let out = ((i / ALONG) as f64 + 0.5) / RINGS as f64;
        let (angle, width) = (CAP * out * out, CAP * 2.0 * out / RINGS as f64);
        let (s, c) = (TAU * ((i % ALONG) as f64 + 0.5) / ALONG as f64).sin_cos();
        let d = light * angle.cos() + (a * c + b * s) * angle.sin();
        (d, angle.sin() * width * TAU / ALONG as f64 * d.z.max(0.0))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Uniform radiance of 1 gives an irradiance of pi; a cap its solid angle times its cosine.
    #[test]
    fn weights_add_up() {
        let all: f64 = spread().map(|(_, w)| w).sum();
        assert!((all - PI).abs() < 1e-9);
        let light = DVec3::new(0.6, 0.0, 0.8);
        let around: f64 = cap(light).map(|(_, w)| w).sum();
        let exact = PI * CAP.sin().powi(2) * 0.8;
        assert!((around / exact - 1.0).abs() < 0.01, "{around} {exact}");
    }
}
