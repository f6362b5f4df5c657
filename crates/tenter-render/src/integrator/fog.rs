//! Low fog along rays.

use super::rays::Rays;
use crate::clouds::shape::hash::value_noise;
use crate::scene::Fog;
use crate::simd::{Mask, Real};

/// Steps through it, shorter near its beginning.
const STEPS: usize = 10;
const PATCHES: u32 = 77;

/// Transmittance of the fog, and the mean distance of its visible part, m.
pub struct FogSegment<R: Real> {
    pub through: R,
    pub distance: R,
}

/// Fog along rays up to a distance.
#[inline(always)]
pub fn fog_segment<R: Real>(fog: &Fog, rays: &Rays<R>, to_ground: R, distance: R) -> FogSegment<R> {
    let zero = R::splat(0.0);
    let shell = rays.shell(fog.from, fog.to, to_ground);
    let start = shell.start.max(R::splat(fog.begins));
    let end = shell.end.min(distance).min(R::splat(fog.ends));
    let length = (end - start).max(zero);
    let (mut depth, mut moment, mut seen) = (zero, zero, zero);
    if zero.lt(length).any() {
        for i in 0..STEPS {
            let (a, b) = (i as f32 / STEPS as f32, (i + 1) as f32 / STEPS as f32);
            let middle = 0.5 * (a + b);
            let t = length.mul_add(R::splat(middle * middle), start);
            let p = rays.at(t);
            let above = (p.altitude - R::splat(fog.from)).max(zero);
            let mut density = (above * R::splat(-1.0 / fog.depth)).exp() * R::splat(fog.extinction);
            if fog.patchiness > 0.0 {
                let scale = R::splat(1.0 / fog.patch_size);
                // Patches of two sizes; the mean is unchanged.
                let wide = value_noise(PATCHES, p.x * scale, p.y * scale);
                let fine = R::splat(2.7) * scale;
                let small = value_noise(PATCHES + 1, p.x * fine, p.y * fine);
                let bank = wide * R::splat(1.1) + small * R::splat(0.6);
                let share = (bank + R::splat(0.5)).clamp(0.0, 1.0) * R::splat(2.0);
                density = density * R::splat(1.0).lerp(share, R::splat(fog.patchiness));
            }
            let piece = density * length * R::splat(b * b - a * a);
            // Fog behind fog is attenuated by it.
            let share = (-(piece.mul_add(R::splat(0.5), depth))).exp() * piece;
            depth = depth + piece;
            seen = seen + share;
            moment = share.mul_add(t, moment);
        }
    }
    FogSegment { through: (-depth).exp(), distance: moment / seen.max(R::splat(1e-9)) }
}
