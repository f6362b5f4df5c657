//! Lights for next-event estimation.

use fastrand::Rng;
use glam::DVec3;
use tenter_sky::spectrum::{LightToRgb, Rgb, Spectrum};

/// A light as a disc.
pub(super) struct Disc {
    pub(super) direction: DVec3,
    /// Radians.
    pub(super) radius: f64,
    pub(super) strength: f32,
    pub(super) to_rgb: LightToRgb,
}

impl Disc {
    /// A direction to the disc, uniform over it.
    pub(super) fn draw(&self, rng: &mut Rng) -> DVec3 {
        let (s, c) = (std::f64::consts::TAU * rng.f64()).sin_cos();
        let r = self.radius * rng.f64().sqrt();
        let (a, b) = self.direction.any_orthonormal_pair();
        (self.direction + (a * c + b * s) * r).normalize()
    }

    /// Adds shares of its light as colours.
    pub(super) fn add(&self, share: Spectrum, light: &mut Rgb) {
        let rgb = self.to_rgb.convert(&share);
        for c in 0..3 {
            light[c] += rgb[c] * self.strength;
        }
    }
}
