//! Rings: a flat sheet with gaps.

use glam::DVec3;
use tenter_sky::document::World;
use tenter_sky::smoothstep;

/// Rings of one world; lengths in its radii.
#[derive(Clone, Debug)]
pub struct RingPlane {
    pub normal: DVec3,
    inner: f64,
    outer: f64,
    gaps: f64,
    opacity: f64,
    seed: u32,
}

impl RingPlane {
    pub fn new(world: &World, normal: DVec3) -> Option<RingPlane> {
        let rings = &world.rings;
        world.ringed.then_some(RingPlane {
            normal,
            inner: rings.inner,
            outer: rings.outer,
            gaps: rings.gaps,
            opacity: rings.opacity,
            seed: world.seed,
        })
    }

    /// How much they hide at a distance from the middle, seen square on.
    pub fn opacity(&self, radius: f64) -> f64 {
        if radius <= self.inner || radius >= self.outer {
            return 0.0;
        }
        let x = (radius - self.inner) / (self.outer - self.inner);
        let rim = smoothstep(x / 0.03) * smoothstep((1.0 - x) / 0.03);
        // Ringlets of several widths.
        let wave =
            |f: f64, k: f64| 0.5 + 0.5 * (f * x + k * (0.7 * f * x).sin() + f64::from(self.seed % 97)).sin();
        let fine = 0.45 * wave(23.0, 1.3) + 0.35 * wave(61.0, 0.9) + 0.2 * wave(157.0, 0.6);
        let gap = smoothstep((fine - self.gaps + 0.12) / 0.24);
        self.opacity * rim * gap * (0.65 + 0.35 * fine)
    }

    /// Where a ray from a point meets the plane: the distance along it and from the middle.
    pub fn meets(&self, from: DVec3, toward: DVec3) -> Option<(f64, f64)> {
        let slope = toward.dot(self.normal);
        if slope.abs() < 1e-9 {
            return None;
        }
        let t = -from.dot(self.normal) / slope;
        (t > 0.0).then(|| (t, (from + toward * t).length()))
    }

    /// Share of light that comes through toward a light from a point.
    pub fn shadow(&self, from: DVec3, toward: DVec3) -> f64 {
        match self.meets(from, toward) {
            Some((_, radius)) => {
                let slant = toward.dot(self.normal).abs().max(0.05);
                (1.0 - self.opacity(radius)).powf(1.0 / slant)
            }
            None => 1.0,
        }
    }
}
