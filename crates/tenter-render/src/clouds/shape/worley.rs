//! Worley noise for the lobes of clouds: a periodic block of several octaves.
//!
//! Each octave is one minus the squared distance to the nearest of scattered points (Worley 1996): rounded
//! outward with creases between, as convective cloud is.

use crate::clouds::shape::hash::mix;
use crate::simd::{Int, Kernel, Real, dispatch};
use std::sync::LazyLock;

/// Samples along each side of the block: three per finest cell.
pub const SIDE: usize = 64;
/// Words along a row: the first is repeated after the last, so that pairs are read across the seam.
const ROW: usize = SIDE + 1;
/// Points along each side in the coarsest octave.
pub const COARSEST: usize = 5;
/// Octaves; each has twice the points along a side.
const OCTAVES: usize = 3;

/// Four neighbouring bytes (y, y+1; z, z+1) in each word: a pair of words along x holds all eight corners of
/// a cell, and one read brings both.
pub struct WorleyBlock {
    words: Vec<u32>,
}

impl WorleyBlock {
    #[inline]
    pub fn get() -> &'static WorleyBlock {
        static BLOCK: LazyLock<WorleyBlock> = LazyLock::new(WorleyBlock::new);
        &BLOCK
    }

    /// Built by one thread in some 20 ms: all others wait, those of the pool included, so work handed to
    /// the pool would wait for ever.
    fn new() -> WorleyBlock {
        let points: Vec<Vec<f32>> = (0..OCTAVES).map(|o| scattered(COARSEST << o, o as u32)).collect();
        let mut values: Vec<f32> = (0..SIDE * SIDE)
            .flat_map(|row| dispatch(Row { points: &points, y: row % SIDE, z: row / SIDE }))
            .collect();
        equalise(&mut values);
        let byte = |x: usize, y: usize, z: usize| {
            (values[(z % SIDE * SIDE + y % SIDE) * SIDE + x % SIDE] * 255.0 + 0.5) as u32
        };
        let words = (0..SIDE * SIDE * ROW)
            .map(|i| {
                let (x, y, z) = (i % ROW, i / ROW % SIDE, i / ROW / SIDE);
                byte(x, y, z) | byte(x, y + 1, z) << 8 | byte(x, y, z + 1) << 16 | byte(x, y + 1, z + 1) << 24
            })
            .collect();
        WorleyBlock { words }
    }

    /// Interpolated value at a point in units of the block's side: uniform from 0 (creases) to 1 (crowns),
    /// with mean one half.
    #[inline(always)]
    pub fn at<R: Real>(&self, p: [R; 3]) -> R {
        let ([x0, fx], [y0, fy], [z0, fz]) = (cell(p[0]), cell(p[1]), cell(p[2]));
        // Numbers of words are far below where floats skip integers.
        let row = z0.mul_add(R::splat(SIDE as f32), y0);
        let first = row.mul_add(R::splat(ROW as f32), x0).to_int();
        // SAFETY: cells lie in the block, and each row has one word more than cells.
        let (a, b) = unsafe { R::gather_word_pairs(&self.words, first) };
        flat(a, fy, fz).lerp(flat(b, fy, fz), fx) * R::splat(1.0 / 255.0)
    }
}

/// Cell along one axis of the periodic block, and the position in it from 0 to 1.
#[inline(always)]
fn cell<R: Real>(p: R) -> [R; 2] {
    let x = (p - p.floor()) * R::splat(SIDE as f32);
    // A position that rounds up to the block's end stays in its last cell.
    let cell = x.floor().min(R::splat(SIDE as f32 - 1.0));
    [cell, x - cell]
}

/// Interpolates the four bytes of a word.
#[inline(always)]
fn flat<R: Real>(word: R::Int, fx: R, fy: R) -> R {
    let byte = R::Int::splat(255);
    let a = R::from_int(word & byte);
    let b = R::from_int(word.shr::<8>() & byte);
    let c = R::from_int(word.shr::<16>() & byte);
    let d = R::from_int(word.shr::<24>());
    a.lerp(b, fx).lerp(c.lerp(d, fx), fy)
}

/// One jittered point per cell of a grid with `n` cells a side; x, y, z in cells.
fn scattered(n: usize, octave: u32) -> Vec<f32> {
    let mut points = Vec::with_capacity(n * n * n * 3);
    for cell in 0..n * n * n {
        for axis in 0..3u32 {
            let h = mix(mix(cell as u32 ^ (octave << 24)).wrapping_add(axis * 0x9e37_79b9));
            points.push(h as f32 / 4294967296.0);
        }
    }
    points
}

struct Row<'a> {
    points: &'a [Vec<f32>],
    y: usize,
    z: usize,
}

impl Kernel for Row<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let mut out = vec![0.0; SIDE];
        let index: Vec<f32> = (0..SIDE).map(|i| i as f32).collect();
        for start in (0..SIDE).step_by(R::LANES) {
            let x = R::load(&index[start..]);
            let mut sum = R::splat(0.0);
            let mut weight = 1.0;
            for (octave, points) in self.points.iter().enumerate() {
                let n = COARSEST << octave;
                let scale = n as f32 / SIDE as f32;
                let nearest = nearest::<R>(
                    points,
                    n,
                    x * R::splat(scale),
                    self.y as f32 * scale,
                    self.z as f32 * scale,
                );
                sum = sum + (R::splat(1.0) - nearest) * R::splat(weight);
                weight *= 0.45;
            }
            sum.store(&mut out[start..]);
        }
        out
    }
}

/// Squared distance in cells to the nearest point of a repeating jittered grid.
#[inline(always)]
fn nearest<R: Real>(points: &[f32], n: usize, x: R, y: f32, z: f32) -> R {
    let (cy, cz) = (y.floor(), z.floor());
    let cx = x.floor();
    let mut best = R::splat(9.0);
    let wrap = |v: i32| v.rem_euclid(n as i32) as usize;
    for dz in -1..=1 {
        for dy in -1..=1 {
            let row = (wrap(cz as i32 + dz) * n + wrap(cy as i32 + dy)) * n;
            let (oy, oz) = (cy + dy as f32 - y, cz + dz as f32 - z);
            for dx in -1..=1 {
                let column = cx + R::splat(dx as f32);
                let size = R::splat(n as f32);
                let wrapped = column - (column / size).floor() * size;
                let i = (wrapped.to_int() + R::Int::splat(row as i32)) * R::Int::splat(3);
                // SAFETY: row and wrapped column are inside the grid, three values a point.
                let (px, py, pz) = unsafe {
                    (
                        R::gather(points, i),
                        R::gather(points, i + R::Int::splat(1)),
                        R::gather(points, i + R::Int::splat(2)),
                    )
                };
                let (vx, vy, vz) = (column - x + px, py + R::splat(oy), pz + R::splat(oz));
                best = best.min(vx * vx + vy * vy + vz * vz);
            }
        }
    }
    best
}

/// Replaces values by their rank: the distribution becomes uniform from 0 to 1.
fn equalise(values: &mut [f32]) {
    const BINS: usize = 4096;
    let (low, high) = values.iter().fold((f32::MAX, f32::MIN), |(a, b), v| (a.min(*v), b.max(*v)));
    let bin = |v: f32| (((v - low) / (high - low) * (BINS - 1) as f32) as usize).min(BINS - 1);
    let mut count = vec![0u32; BINS + 1];
    for v in values.iter() {
        count[bin(*v) + 1] += 1;
    }
    for i in 0..BINS {
        count[i + 1] += count[i];
    }
    let total = values.len() as f32;
    values.iter_mut().for_each(|v| {
        let x = (*v - low) / (high - low) * (BINS - 1) as f32;
        let b = bin(*v);
        let (from, to) = (count[b] as f32, count[b + 1] as f32);
        *v = (from + (to - from) * (x - b as f32).clamp(0.0, 1.0)) / total;
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    #[test]
    fn the_block_is_even_and_repeats() {
        let lumps = WorleyBlock::get();
        let mut sum = 0.0;
        let n = 20_000;
        for i in 0..n {
            let p: [f32; 3] = std::array::from_fn(|k| mix(i * 3 + k as u32) as f32 / 4294967296.0);
            let v = lumps.at(p.map(Scalar)).0;
            let again = lumps.at([Scalar(p[0] + 1.0), Scalar(p[1] - 2.0), Scalar(p[2] + 3.0)]).0;
            assert!((v - again).abs() < 1e-2 && (0.0..=1.0).contains(&v));
            sum += v;
        }
        assert!((sum / n as f32 - 0.5).abs() < 0.01, "{}", sum / n as f32);
    }
}
