//! The ground under the eye: lit by the sky that stands over it, clouds and all, where the mean over places may be a fifth more or less.

use super::{Effort, look_at};
use crate::scene::Scene;
use crate::spectrum::Rgb;
use std::f64::consts::{PI, TAU};

/// Directions along a side of the square that is spread over the sky.
const SIDE: usize = 32;

/// Ground whose sky is known.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UnderEye {
    /// Illuminance of level ground by everything but the direct lights, lx.
    pub diffuse: Rgb,
    /// How far around the sky is much the same, m: as far as the lowest clouds are up.
    pub around: f32,
}

impl UnderEye {
    /// Nothing where there are no clouds, or some are under the eye. All directions count alike, for they are spread by their cosine (Malley's method; Pharr,
    /// Jakob and Humphreys 2016, section 13.6.3).
    pub fn of(scene: &Scene) -> Option<UnderEye> {
        let lowest = scene.clouds.iter().map(|c| c.form.0.base).reduce(f32::min)?;
        let around = lowest - scene.eye_altitude as f32;
        if around <= 0.0 {
            return None;
        }
        let directions: Vec<[f64; 3]> = (0..SIDE * SIDE)
            .map(|i| {
                let at = |k: usize| (k as f64 + 0.5) / SIDE as f64;
                let (square, (s, c)) = (at(i / SIDE), (TAU * at(i % SIDE)).sin_cos());
                let flat = square.sqrt();
                [flat * s, flat * c, (1.0 - square).sqrt()]
            })
            .collect();
        let pixel = (PI / (SIDE * SIDE) as f64).sqrt();
        let mut diffuse = [0.0; 3];
        for (light, _) in look_at(scene, &directions, pixel, Effort::default()) {
            for c in 0..3 {
                diffuse[c] += light[c] * (PI / (SIDE * SIDE) as f64) as f32;
            }
        }
        Some(UnderEye { diffuse, around })
    }
}
