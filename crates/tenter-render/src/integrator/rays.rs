//! A packet of rays from the eye over a round planet.

use crate::scene::Scene;
use crate::simd::{Mask, Real};

/// Rays of one packet.
pub struct Rays<'a, R: Real> {
    pub scene: &'a Scene,
    pub direction: [R; 3],
    /// Unit heading along the ground, and the cosine of the elevation.
    pub heading: [R; 2],
    pub flat: R,
    /// Width of a pixel per metre of distance.
    pub pixel: R,
    planet: R,
    eye: R,
}

/// A point on each ray.
#[derive(Clone, Copy)]
pub struct RayPoint<R: Real> {
    pub altitude: R,
    /// Metres along the ground from the origin, east and north.
    pub x: R,
    pub y: R,
    /// The local frame at the point.
    pub frame: LocalFrame<R>,
}

/// Rotation about the planet's centre from the eye to a point: unit heading, cosine and sine of the angle.
#[derive(Clone, Copy)]
pub struct LocalFrame<R: Real> {
    pub heading: [R; 2],
    pub cos: R,
    pub sin: R,
}

impl<R: Real> LocalFrame<R> {
    /// Components of a direction at the eye in the frame of the point: east, north, up.
    #[inline(always)]
    pub fn local(&self, direction: [f64; 3]) -> [R; 3] {
        let [hx, hy] = self.heading;
        let [x, y, z] =
            [R::splat(direction[0] as f32), R::splat(direction[1] as f32), R::splat(direction[2] as f32)];
        let (along, across) = (x * hx + y * hy, y * hx - x * hy);
        let up = z * self.cos + along * self.sin;
        let along = along * self.cos - z * self.sin;
        [along * hx - across * hy, along * hy + across * hx, up]
    }
}

/// A part of each ray as distances, m; empty where it ends before it begins.
#[derive(Clone, Copy)]
pub struct Span<R: Real> {
    pub start: R,
    pub end: R,
}

/// Longest distance, m: from 400 km altitude the far side of the atmosphere behind the horizon is nearer.
pub const FAR: f32 = 5e6;

impl<'a, R: Real> Rays<'a, R> {
    #[inline(always)]
    pub fn new(scene: &'a Scene, direction: [R; 3], pixel: f32) -> Self {
        let [dx, dy, _] = direction;
        let flat = (dx * dx + dy * dy).sqrt();
        let inverse = R::splat(1.0) / flat.max(R::splat(1e-9));
        let heading = [dx * inverse, dy * inverse];
        Rays {
            scene,
            direction,
            heading,
            flat,
            pixel: R::splat(pixel),
            planet: R::splat(scene.planet() as f32),
            eye: R::splat(scene.eye_altitude as f32),
        }
    }

    /// Cosine between the rays and a light.
    #[inline(always)]
    pub fn to_light(&self, light: usize) -> R {
        let s = self.scene.lights[light].direction();
        let [dx, dy, dz] = self.direction;
        let sum = dx * R::splat(s[0] as f32) + dy * R::splat(s[1] as f32) + dz * R::splat(s[2] as f32);
        sum.clamp(-1.0, 1.0)
    }

    /// Width of a pixel at a distance, m; at least half a metre.
    #[inline(always)]
    pub fn width(&self, t: R) -> R {
        (t * self.pixel).max(R::splat(0.5))
    }

    /// The point at a distance.
    #[inline(always)]
    pub fn at(&self, t: R) -> RayPoint<R> {
        let dz = self.direction[2];
        let r = self.planet + self.eye;
        // The difference form: h = h0 + t (t + 2 r dz) / (r + r').
        let gain = t * (t + (r + r) * dz);
        let r2 = (r * r + gain).max(R::splat(0.0)).sqrt();
        let altitude = self.eye + gain / (r + r2);
        // Angle at the planet's centre between eye and point.
        let q = t * self.flat / (r + t * dz).max(R::splat(1.0));
        let arc = self.planet * arc_tangent(q);
        let cos = R::splat(1.0) / (q * q + R::splat(1.0)).sqrt();
        let sin = q * cos;
        let [hx, hy] = self.heading;
        let turn = LocalFrame { heading: self.heading, cos, sin };
        RayPoint { altitude, x: hx * arc, y: hy * arc, frame: turn }
    }

    /// Both distances to a shell at an altitude; nearer first, `FAR` where there is none.
    #[inline(always)]
    fn to_shell(&self, altitude: f32) -> (R, R) {
        let h = R::splat(altitude);
        let b = (self.planet + self.eye) * self.direction[2];
        let c = (self.eye - h) * (self.planet + self.planet + self.eye + h);
        let q = b * b - c;
        let s = q.max(R::splat(0.0)).sqrt();
        // The numerically stable pair of roots.
        let rising = R::splat(0.0).le(b);
        let k = R::select(rising, -(b + s), s - b);
        let k = R::select(k.abs().lt(R::splat(1e-6)), R::splat(1e-6), k);
        let other = c / k;
        let (near, far) = (k.min(other), k.max(other));
        let none = q.lt(R::splat(0.0));
        (R::select(none, R::splat(FAR), near), R::select(none, R::splat(FAR), far))
    }

    /// Distance to the ground, `f32::MAX` where the ray meets none.
    #[inline(always)]
    pub fn to_ground(&self) -> R {
        let (near, _) = self.to_shell(0.0);
        let hits = near.lt(R::splat(FAR * 0.999)) & self.direction[2].lt(R::splat(0.0));
        R::select(hits & R::splat(0.0).le(near), near, R::splat(f32::MAX))
    }

    /// Where the rays pass between two altitudes: on their way down, or on their way up from their lowest
    /// point.
    #[inline(always)]
    pub fn between(&self, from: f32, to: f32, rising: bool, to_ground: R) -> Span<R> {
        let zero = R::splat(0.0);
        let none = R::splat(FAR * 0.999);
        let (low_near, low_far) = self.to_shell(from);
        let (high_near, high_far) = self.to_shell(to);
        let lowest = (-(self.planet + self.eye) * self.direction[2]).max(zero);
        let misses_low = none.le(low_near);
        let (start, end);
        if rising {
            start = R::select(misses_low, lowest, low_far.max(lowest));
            end = high_far;
        } else {
            start = high_near;
            end = R::select(misses_low, lowest, low_near.min(lowest));
        }
        let end = R::select(none.le(high_near), zero, end.min(to_ground).min(R::splat(FAR)));
        Span { start: start.max(zero), end }
    }

    /// Where the rays first come between two altitudes and where they leave them for the last time: they may
    /// pass below in the meantime.
    #[inline(always)]
    pub fn shell(&self, from: f32, to: f32, to_ground: R) -> Span<R> {
        let zero = R::splat(0.0);
        let (_, low_far) = self.to_shell(from);
        let (high_near, high_far) = self.to_shell(to);
        let eye = self.scene.eye_altitude as f32;
        let end_of_ray = to_ground.min(R::splat(FAR));
        let (start, end);
        if eye < from {
            start = low_far.max(zero);
            end = high_far.max(zero);
        } else {
            let none = R::splat(FAR);
            start = if eye > to { R::select(high_near.lt(zero), none, high_near) } else { zero };
            end = R::select(zero.lt(high_far), high_far, zero);
        }
        Span { start, end: end.min(end_of_ray) }
    }

    /// Where the rays are below an altitude.
    #[inline(always)]
    pub fn below(&self, altitude: f32, to_ground: R) -> Span<R> {
        let zero = R::splat(0.0);
        let (near, far) = self.to_shell(altitude);
        let end = far.min(to_ground).min(R::splat(FAR));
        Span { start: near.max(zero), end: R::select(R::splat(FAR * 0.999).le(near), zero, end) }
    }

    /// Distance from which on the rays stay above an altitude: 0 where they are above it already.
    #[inline(always)]
    pub fn over(&self, altitude: f32) -> R {
        if altitude <= self.scene.eye_altitude as f32 {
            return R::splat(0.0);
        }
        self.to_shell(altitude).1.max(R::splat(0.0))
    }

    /// Where the rays are between two altitudes, ground ignored; those that pass above the higher one count
    /// from their lowest point.
    #[inline(always)]
    pub fn under(&self, high: f32, low: f32) -> Span<R> {
        let zero = R::splat(0.0);
        let (near, far) = self.to_shell(high);
        let lowest = (-(self.planet + self.eye) * self.direction[2]).max(zero);
        let misses = R::splat(FAR * 0.999).le(near);
        let start = R::select(misses, lowest, near.max(zero));
        let (deep, _) = self.to_shell(low);
        let end = R::select(misses, start, far.min(R::select(zero.lt(deep), deep, R::splat(FAR))));
        Span { start, end: end.max(start) }
    }
}

/// Arc tangent of a number that is not negative, relative error under 3e-6.
#[inline(always)]
fn arc_tangent<R: Real>(q: R) -> R {
    let one = R::splat(1.0);
    let q2 = q * q;
    let mut near = R::splat(1.0 / 9.0);
    for c in [-1.0 / 7.0, 1.0 / 5.0, -1.0 / 3.0, 1.0] {
        near = near.mul_add(q2, R::splat(c));
    }
    near = near * q;
    // Distances over 1200 km occur only for eyes in space.
    let far = R::splat(0.2).lt(q);
    if !far.any() {
        return near;
    }
    let large = one.lt(q);
    let x = R::select(large, one / q.max(R::splat(1e-9)), q);
    // Halve the angle once, so that the series converges fast: tan(a/2) = x / (1 + sqrt(1 + x^2)).
    let y = x / (one + (x * x + one).sqrt());
    let y2 = y * y;
    let mut p = R::splat(-1.0 / 11.0);
    for c in [1.0 / 9.0, -1.0 / 7.0, 1.0 / 5.0, -1.0 / 3.0, 1.0] {
        p = p.mul_add(y2, R::splat(c));
    }
    let a = (p * y) * R::splat(2.0);
    let a = R::select(large, R::splat(std::f32::consts::FRAC_PI_2) - a, a);
    R::select(far, a, near)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    #[test]
    fn arc_tangents() {
        for i in 0..400 {
            let q = 1.06f32.powi(i - 200);
            let (a, b) = (arc_tangent(Scalar(q)).0 as f64, (q as f64).atan());
            assert!((a / b - 1.0).abs() < 1e-5, "{q}: {a} {b}");
        }
    }
}
