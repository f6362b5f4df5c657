//! Trial land in the live picture: where rays meet it, and what light falls on it.

use super::rays::{RayPoint, Rays};
use crate::land::{Land, REACH};
use crate::scene::MAX_LIGHTS;
use crate::simd::{Mask, Real};

const STEPS: usize = 220;
const SHADOW_STEPS: usize = 28;

/// Distance to the land, or to the ground where that is nearer; `f32::MAX` where rays meet neither.
#[inline(always)]
pub fn to_land<R: Real>(land: &Land, rays: &Rays<R>, to_ground: R) -> R {
    let zero = R::splat(0.0);
    let shell = rays.shell(0.0, land.tallest, to_ground);
    let end = shell.end.min(to_ground).min(R::splat(REACH * 1.4));
    let mut t = shell.start.max(R::splat(1.0));
    let mut step = zero;
    let mut gap_before = R::splat(1.0);
    let mut hit = R::splat(f32::MAX);
    for _ in 0..STEPS {
        let active = t.lt(end) & R::splat(f32::MAX * 0.5).lt(hit);
        if !active.any() {
            break;
        }
        let p = rays.at(t);
        let gap = p.altitude - land.height(p.x, p.y);
        let inside = gap.lt(zero) & active;
        let back = step * (-gap) / (gap_before - gap).max(R::splat(1e-6));
        hit = R::select(inside, t - back, hit);
        // Slopes are seldom steeper than the ray's height over them is long; far off a step may pass what
        // is smaller than a pixel.
        step = (gap * R::splat(0.7)).max((t * R::splat(0.0035)).max(R::splat(1.5)));
        gap_before = gap;
        t = R::select(active, t + step, t);
    }
    hit.min(to_ground)
}

/// Surface at the end of a ray: its normal and albedo.
pub struct Surface<R: Real> {
    pub normal: [R; 3],
    pub albedo: [R; 3],
    /// Visible share of each light above the terrain.
    pub lit: [R; MAX_LIGHTS],
}

/// The surface of land or sea at the end of rays `t` long.
#[inline(always)]
pub fn surface<R: Real>(land: &Land, rays: &Rays<R>, p: &RayPoint<R>, t: R, sea: [f32; 3]) -> Surface<R> {
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let reach = (t * rays.pixel).max(R::splat(6.0));
    let slope_x = (land.height(p.x + reach, p.y) - land.height(p.x - reach, p.y)) / (reach + reach);
    let slope_y = (land.height(p.x, p.y + reach) - land.height(p.x, p.y - reach)) / (reach + reach);
    let dry = R::splat(0.3).lt(p.altitude);
    let (sx, sy) = (R::select(dry, -slope_x, zero), R::select(dry, -slope_y, zero));
    let length = (sx * sx + sy * sy + one).sqrt();
    let normal = [sx / length, sy / length, one / length];
    // Heath where it is flat, rock where it is steep, dark weed at the water's edge (shares of light: common
    // practice).
    let heath = ((normal[2] - R::splat(0.78)) * R::splat(1.0 / 0.14)).clamp(0.0, 1.0);
    let weed = one - ((p.altitude - R::splat(2.0)) * R::splat(0.4)).clamp(0.0, 1.0);
    let mut albedo = [zero; 3];
    for c in 0..3 {
        let rock = R::splat([0.17, 0.155, 0.14][c] * land.albedo);
        let grown = R::splat([0.085, 0.1, 0.05][c] * land.albedo);
        let wet = R::splat([0.05, 0.047, 0.04][c] * land.albedo);
        albedo[c] = R::select(dry, rock.lerp(grown, heath).lerp(wet, weed), R::splat(sea[c]));
    }
    let mut lit = [one; MAX_LIGHTS];
    for (i, light) in rays.scene.lights.iter().enumerate() {
        let toward = p.frame.local(light.direction());
        lit[i] = seen_from::<R>(land, p, toward, light.placed.in_sky.disc_radius as f32);
    }
    Surface { normal, albedo, lit }
}

/// Visible share of a light's disc above the terrain: the least angle over the land along the way, in disc
/// diameters.
#[inline(always)]
fn seen_from<R: Real>(land: &Land, p: &RayPoint<R>, to: [R; 3], radius: f32) -> R {
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let mut clear = R::splat(1.0);
    let mut way = R::splat(12.0);
    for _ in 0..SHADOW_STEPS {
        let altitude = way.mul_add(to[2], p.altitude);
        let height = land.height(way.mul_add(to[0], p.x), way.mul_add(to[1], p.y));
        let above = altitude - height + R::splat(0.6);
        let share = (above / (way * R::splat(2.0 * radius)) + R::splat(0.5)).clamp(0.0, 1.0);
        let counts = altitude.lt(R::splat(land.tallest + 1.0)) & zero.lt(altitude);
        clear = R::select(counts, clear.min(share), clear);
        way = way * R::splat(1.32) + R::splat(4.0);
    }
    clear.min(one)
}
