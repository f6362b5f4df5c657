//! Trial land: a height field of stacks, headlands and skerries around the eye, out to 40 km and more.
//!
//! Heights are kept in two grids of squares, a fine one near the eye and a coarse one beyond. Around the
//! origin there is open water, so that the eye stands on none of it.

use crate::clouds::shape::hash::{Draws, layered_noise};
use crate::simd::{Int, Kernel, Real, dispatch};
use rayon::prelude::*;
use tenter_sky::document;

/// Cells along each side of a grid.
const SIDE: usize = 1024;
/// Width of a cell, m.
const NEAR_CELL: f32 = 16.0;
const FAR_CELL: f32 = 96.0;

/// Radius of the land, m.
pub const REACH: f32 = SIDE as f32 * FAR_CELL * 0.5 - 2.0 * FAR_CELL;

/// Land and the sea bed around it.
pub struct Land {
    near: Grid,
    far: Grid,
    /// Height of the tallest summit, m.
    pub tallest: f32,
    /// Multiple of the usual albedo.
    pub albedo: f32,
}

struct Grid {
    cell: f32,
    heights: Vec<f32>,
}

impl Land {
    pub fn new(land: &document::Land) -> Land {
        let relief = land.relief as f32;
        let grid = |cell: f32| Grid {
            cell,
            heights: (0..SIDE)
                .into_par_iter()
                .flat_map_iter(|row| dispatch(Row { seed: land.seed, relief, row, cell }))
                .collect(),
        };
        let (near, far) = (grid(NEAR_CELL), grid(FAR_CELL));
        let tallest = near.heights.iter().chain(&far.heights).fold(1.0f32, |a, b| a.max(*b));
        Land { near, far, tallest, albedo: land.albedo as f32 }
    }

    /// Height above the sea at places east and north of the origin, m; less than 0 under water and past
    /// [`REACH`].
    #[inline(always)]
    pub fn height<R: Real>(&self, x: R, y: R) -> R {
        let reach = x.abs().max(y.abs());
        let near = self.near.at(x, y);
        let far = self.far.at(x, y);
        // The fine grid goes over into the coarse one along its rim.
        let rim = SIDE as f32 * NEAR_CELL * 0.5;
        let share = ((reach - R::splat(rim * 0.85)) * R::splat(1.0 / (rim * 0.13))).clamp(0.0, 1.0);
        let height = near.lerp(far, share);
        R::select(R::splat(REACH).lt(reach), R::splat(-50.0), height)
    }
}

impl Grid {
    #[inline(always)]
    fn at<R: Real>(&self, x: R, y: R) -> R {
        let half = SIDE as f32 * 0.5;
        let per_cell = R::splat(1.0 / self.cell);
        let u = x.mul_add(per_cell, R::splat(half - 0.5)).clamp(0.0, SIDE as f32 - 1.001);
        let v = y.mul_add(per_cell, R::splat(half - 0.5)).clamp(0.0, SIDE as f32 - 1.001);
        let (u0, v0) = (u.floor(), v.floor());
        let first = v0.mul_add(R::splat(SIDE as f32), u0).to_int();
        let (fu, fv) = (u - u0, v - v0);
        let step = R::Int::splat(1);
        let row = R::Int::splat(SIDE as i32);
        // SAFETY: both are clamped to the last cell but one.
        let (a, b, c, d) = unsafe {
            (
                R::gather(&self.heights, first),
                R::gather(&self.heights, first + step),
                R::gather(&self.heights, first + row),
                R::gather(&self.heights, first + row + step),
            )
        };
        a.lerp(b, fu).lerp(c.lerp(d, fu), fv)
    }
}

/// One row of a grid, from south to north.
struct Row {
    seed: u32,
    relief: f32,
    row: usize,
    cell: f32,
}

impl Kernel for Row {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let middle = |i: usize| (i as f32 + 0.5 - SIDE as f32 * 0.5) * self.cell;
        let y = middle(self.row);
        let mut out = vec![0.0; SIDE];
        for (k, chunk) in out.chunks_mut(R::LANES).enumerate() {
            let mut lanes = [0.0f32; 16];
            for (i, lane) in lanes.iter_mut().enumerate() {
                *lane = middle(k * R::LANES + i);
            }
            let height = formed(self.seed, R::load(&lanes), y, self.cell) * R::splat(self.relief);
            height.store(&mut lanes);
            chunk.copy_from_slice(&lanes[..chunk.len()]);
        }
        out
    }
}

#[inline(always)]
fn rise<R: Real>(x: R, from: f32, to: f32) -> R {
    let t = ((x - R::splat(from)) * R::splat(1.0 / (to - from))).clamp(0.0, 1.0);
    t * t * (R::splat(3.0) - t - t)
}

/// Places at one northing.
struct Place<R: Real> {
    seed: u32,
    x: R,
    y: f32,
}

impl<R: Real> Place<R> {
    /// Noise whose largest features have this width, m. A closure would not always be inlined, and then be
    /// compiled without the kernel's instructions.
    #[inline(always)]
    fn noise(&self, salt: u32, octaves: u32, size: f32) -> R {
        let seed = self.seed.wrapping_mul(977).wrapping_add(salt);
        layered_noise(seed, octaves, self.x * R::splat(1.0 / size), R::splat(self.y / size))
    }
}

/// Heights at one northing: cliffs that rise from the water to rolling tops, low skerries in shoals, stacks
/// off the coasts.
#[inline(always)]
fn formed<R: Real>(seed: u32, x: R, y: f32, cell: f32) -> R {
    let north = R::splat(y);
    let away = (x * x + north * north).sqrt();
    let place = Place { seed, x, y };
    let wide = place.noise(1, 6, 9000.0);
    let small = place.noise(2, 5, 1900.0);
    // More land farther out, none about the eye.
    let open = rise(away, 500.0, 2600.0);
    let coast = wide * R::splat(1.1) + small * R::splat(0.35) - R::splat(0.42)
        + rise(away, 3000.0, 26_000.0) * R::splat(0.16)
        - (R::splat(1.0) - open) * R::splat(1.5);
    let cliff = rise(coast, 0.0, 0.03) * R::splat(34.0);
    let inland = (coast - R::splat(0.02)).max(R::splat(0.0));
    let rolling = inland * R::splat(420.0) + small * rise(coast, 0.02, 0.3) * R::splat(45.0);
    let rough = place.noise(3, 4, 260.0) * rise(coast, 0.0, 0.08) * R::splat(9.0);
    let mut height = R::select(R::splat(0.0).lt(coast), cliff + rolling + rough, coast * R::splat(60.0));

    // Shoals of low rocks.
    let shoal = rise(place.noise(4, 3, 3600.0), 0.05, 0.45) * rise(away, 250.0, 700.0);
    let rocks = (place.noise(5, 4, 330.0) - R::splat(0.24)) * R::splat(26.0) * shoal
        - (R::splat(1.0) - shoal) * R::splat(4.0);
    height = height.max(rocks.min(R::splat(7.0)));

    // Stacks, one in some squares of 900 m, where the coast is near.
    const SQUARE: f32 = 900.0;
    let column = (x * R::splat(1.0 / SQUARE)).floor();
    let row = (y / SQUARE).floor();
    let wobble = place.noise(6, 3, 45.0) * R::splat(0.45);
    let off_coast = rise(coast, -0.5, -0.2) * (R::splat(1.0) - rise(coast, -0.02, 0.05)) * open;
    for dy in -1..=1i64 {
        for dx in -1..=1i32 {
            let there = column + R::splat(dx as f32);
            let mut draws = Draws::<R>::new(seed, 41, there.to_int(), row as i64 + dy);
            let (px, py) = (draws.range(0.15, 0.85), draws.range(0.15, 0.85));
            let (radius, tall, chance) = (draws.range(22.0, 60.0), draws.range(22.0, 78.0), draws.next());
            let ex = x - (there + px) * R::splat(SQUARE);
            let ey = R::splat(y) - (R::splat(row + dy as f32) + py) * R::splat(SQUARE);
            let edge = (ex * ex + ey * ey).sqrt() + (wobble - R::splat(1.0)) * radius;
            // No steeper than the cells can show.
            let foot = 14.0f32.max(1.2 * cell);
            let top = tall * (R::splat(1.0) + wobble * R::splat(0.35));
            let stack =
                top * (R::splat(1.0) - rise(edge, -foot, foot)) - rise(edge, 0.0, foot) * R::splat(8.0);
            let stands = chance.lt(off_coast * R::splat(0.55));
            height = R::select(stands, height.max(stack), height);
        }
    }
    height
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    fn land() -> Land {
        Land::new(&document::Land { shown: true, ..Default::default() })
    }

    /// Open water about the eye, land within the reach, most of it sea, no summit out of scale.
    #[test]
    fn there_is_a_coast() {
        let land = land();
        let at = |x: f32, y: f32| land.height(Scalar(x), Scalar(y)).0;
        for i in 0..64 {
            let a = i as f32 * 0.098;
            assert!(at(150.0 * a.cos(), 150.0 * a.sin()) < 0.0, "{i}");
        }
        let (mut dry, mut all) = (0, 0);
        for i in -80..=80 {
            for k in -80..=80 {
                let (x, y) = (i as f32 * 500.0, k as f32 * 500.0);
                all += 1;
                dry += usize::from(at(x, y) > 0.0);
            }
        }
        let share = dry as f32 / all as f32;
        assert!((0.05..0.5).contains(&share), "{share}");
        assert!((60.0..600.0).contains(&land.tallest), "{}", land.tallest);
        assert!(at(60_000.0, 0.0) < 0.0);
    }

    #[test]
    fn seeds_make_other_coasts_and_relief_scales_them() {
        let (a, b) = (land(), Land::new(&document::Land { seed: 4, ..Default::default() }));
        let tall = Land::new(&document::Land { relief: 2.0, ..Default::default() });
        assert_ne!(a.tallest, b.tallest);
        assert!((tall.tallest / a.tallest - 2.0).abs() < 1e-4);
    }
}
