//! Maps of a layer's hulls: nested squares around the origin, each four times as wide as the one before.

use crate::air::{Build, TableQuality};
use crate::clouds::cover::body_radius::BodyRadiusMap;
use crate::clouds::cover::distance::HullMap;
use crate::clouds::cover::field::{Field, ToFill};
use crate::clouds::nested::{LEVELS, Texels};
use crate::simd::{Int, Kernel, Real, dispatch};
use rayon::prelude::*;
use tenter_sky::document::Family;

pub struct Maps {
    side: usize,
    /// Half the width of each square, m.
    pub half: [f32; LEVELS],
    /// Cumuliform clouds only.
    bodies: Option<BodyRadiusMap>,
    /// The hull's value (low half) and slope (high half) in 16 bits each, so that both are smooth between
    /// texels and four reads give them.
    words: Vec<u32>,
    /// Lowest value, and value and slope per step of the packing.
    lowest: f32,
    per_step: [f32; 2],
}

/// A hull's value and slope.
pub struct Hull<R: Real> {
    pub value: R,
    pub slope: R,
}

impl Maps {
    pub fn new(field: &Field, reach: f64, build: Build) -> Maps {
        let side = match build.quality {
            TableQuality::Draft => 512,
            TableQuality::Full => 1024,
            TableQuality::Double => 2048,
        };
        let half = [reach / 16.0, reach / 4.0, reach].map(|v| v as f32);
        let mut values = vec![0.0; LEVELS * side * side];
        // A coarse map omits small bodies, but keeps the cover: each has a threshold of its own.
        let texels = half.map(|half| 2.0 * half as f64 / side as f64);
        let cuts = field.cuts(texels, build);
        let is_heaps = field.family == Family::Cumuliform && field.anvil.is_none();
        let mut radii = vec![0.0; if is_heaps { values.len() / 4 } else { 0 }];
        let of_level = radii.len() / LEVELS;
        for (level, (texel, cut)) in texels.into_iter().zip(&cuts).enumerate() {
            let plane = &mut values[level * side * side..][..side * side];
            let bodies = &mut radii[level * of_level..][..of_level];
            field.hull(cut, ToFill { plane, bodies, side, texel }, build);
        }
        let mut slopes: Vec<f32> = values
            .par_chunks_exact(side * side)
            .zip(half)
            .flat_map(|(plane, half)| slopes(plane, side, 2.0 * half / side as f32))
            .collect();
        let lowest = values.par_iter().copied().reduce(|| f32::MAX, f32::min);
        let highest = values.par_iter().copied().reduce(|| f32::MIN, f32::max);
        let steepest = slopes.par_iter().copied().reduce(|| 0.0, f32::max);
        if is_heaps {
            let floor = field.floor() as f32;
            slope_to_rims(&values, &mut slopes, steepest, Rims { side, half, floor }, build);
        }
        let per_step = [((highest - lowest) / 65535.0).max(1e-9), (steepest / 65535.0).max(1e-9)];
        let mut words = vec![0; values.len()];
        let (values, slopes) = (values.par_chunks(side), slopes.par_chunks(side));
        words.par_chunks_mut(side).zip(values.zip(slopes)).for_each(|(out, (values, slopes))| {
            dispatch(Pack { values, slopes, lowest, per_step, out });
        });
        let bodies = is_heaps.then(|| BodyRadiusMap::new(&radii, side / 2));
        Maps { side, half, bodies, words, lowest, per_step }
    }

    /// Map position of a point, m east and north in the layer's axes.
    #[inline(always)]
    fn texels<R: Real>(&self, x: R, y: R) -> Texels<R> {
        let far = x.abs().max(y.abs());
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let mut half = R::splat(self.half[0]);
        let mut level = zero;
        for k in 0..LEVELS - 1 {
            // A margin of two texels keeps all four corners inside.
            let outside = R::splat(self.half[k] * (1.0 - 4.0 / self.side as f32)).lt(far);
            level = level + R::select(outside, one, zero);
            half = R::select(outside, R::splat(self.half[k + 1]), half);
        }
        let side = self.side as f32;
        let per_metre = R::splat(0.5 * side) / half;
        let u = (x * per_metre + R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let v = (y * per_metre + R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        Texels { level, u, v }
    }

    /// Body radius at a point, m; 0 where there is none or none is known.
    #[inline(always)]
    pub fn body<R: Real>(&self, x: R, y: R) -> R {
        match &self.bodies {
            Some(bodies) => bodies.at(&self.texels(x, y)),
            None => R::splat(0.0),
        }
    }

    #[inline(always)]
    pub fn hull<R: Real>(&self, x: R, y: R) -> Hull<R> {
        let Texels { level, u, v } = self.texels(x, y);
        let side = self.side as f32;
        let (u0, v0) = (u.floor(), v.floor());
        let (fu, fv) = (u - u0, v - v0);
        // Integers: a row number times the side passes what a float holds exactly.
        let row = (level * R::splat(side) + v0).to_int();
        let first = row * R::Int::splat(self.side as i32) + u0.to_int();
        let next = first + R::Int::splat(self.side as i32);
        // SAFETY: u and v are clamped so that both neighbours lie in the map.
        let ((a, b), (c, d)) =
            unsafe { (R::gather_word_pairs(&self.words, first), R::gather_word_pairs(&self.words, next)) };
        let value = low_half::<R>(a).lerp(low_half(b), fu).lerp(low_half::<R>(c).lerp(low_half(d), fu), fv);
        let slope =
            high_half::<R>(a).lerp(high_half(b), fu).lerp(high_half::<R>(c).lerp(high_half(d), fu), fv);
        Hull {
            value: value.mul_add(R::splat(self.per_step[0]), R::splat(self.lowest)),
            slope: slope * R::splat(self.per_step[1]),
        }
    }
}

#[inline(always)]
fn low_half<R: Real>(word: R::Int) -> R {
    R::from_int(word & R::Int::splat(0xffff))
}
#[inline(always)]
fn high_half<R: Real>(word: R::Int) -> R {
    R::from_int(word.shr::<16>())
}

/// Steepness of a map in each texel, by central differences.
fn slopes(plane: &[f32], side: usize, texel: f32) -> Vec<f32> {
    let mut slopes = vec![0.0; side * side];
    slopes.par_chunks_exact_mut(side).enumerate().for_each(|(y, out)| {
        let row = |y: usize| &plane[y * side..][..side];
        let (below, above) = (row(y.saturating_sub(1)), row((y + 1).min(side - 1)));
        dispatch(SlopeRow { row: row(y), below, above, out, scale: 0.5 / texel });
    });
    slopes
}

struct SlopeRow<'a> {
    row: &'a [f32],
    below: &'a [f32],
    above: &'a [f32],
    out: &'a mut [f32],
    scale: f32,
}

impl Kernel for SlopeRow<'_> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let SlopeRow { row, below, above, out, scale } = self;
        let last = row.len() - 1;
        for x in [0, last] {
            let east = row[(x + 1).min(last)] - row[x.saturating_sub(1)];
            out[x] = east.hypot(above[x] - below[x]) * scale;
        }
        // The last packet steps back so that it ends with the row.
        let mut x = 1;
        while x < last {
            let from = x.min(last - R::LANES);
            let east = R::load(&row[from + 1..]) - R::load(&row[from - 1..]);
            let north = R::load(&above[from..]) - R::load(&below[from..]);
            ((east * east + north * north).sqrt() * R::splat(scale)).store(&mut out[from..]);
            x += R::LANES;
        }
    }
}

/// Values and slopes in 16 bits each.
struct Pack<'a> {
    values: &'a [f32],
    slopes: &'a [f32],
    lowest: f32,
    per_step: [f32; 2],
    out: &'a mut [u32],
}

impl Kernel for Pack<'_> {
    type Output = ();
    // Vectorised by the compiler, once it may use the instruction set.
    #[inline(always)]
    fn run<R: Real>(self) {
        let [value_steps, slope_steps] = [1.0 / self.per_step[0], 1.0 / self.per_step[1]];
        for ((word, value), slope) in self.out.iter_mut().zip(self.values).zip(self.slopes) {
            let value = ((value - self.lowest) * value_steps + 0.5) as i32;
            // Rounded up: a slope too small would promise too long a step.
            let slope = (slope * slope_steps + 0.999) as i32;
            *word = value.clamp(0, 65535) as u32 | (slope.clamp(0, 65535) as u32) << 16;
        }
    }
}

/// Inputs of [`slope_to_rims`].
struct Rims {
    side: usize,
    half: [f32; LEVELS],
    floor: f32,
}

/// Outside the hulls, sets slopes such that value over slope is the horizontal distance to the nearest one;
/// none exceeds `steepest`.
fn slope_to_rims(values: &[f32], slopes: &mut [f32], steepest: f32, rims: Rims, build: Build) {
    let Rims { side, half, floor } = rims;
    let size = side * side;
    let mut wider: Option<(f32, Vec<f32>)> = None;
    for level in (0..LEVELS).rev() {
        if build.is_cancelled() {
            return;
        }
        let texel = 2.0 * half[level] / side as f32;
        let (values, slopes) = (&values[level * size..][..size], &mut slopes[level * size..][..size]);
        let map = HullMap { side, texel, values, slopes, floor };
        // Beyond the edge the next wider map is read.
        let distances = map.distances(|x, y| match &wider {
            None => f32::MAX,
            Some((wide_texel, distances)) => {
                let middle = 0.5 * side as f32;
                let at = |i: i32| ((i as f32 + 0.5 - middle) * texel / wide_texel + middle) as usize;
                (distances[at(y) * side + at(x)] - wide_texel).max(texel)
            }
        });
        slopes.par_iter_mut().with_min_len(side).zip(values).zip(&distances).for_each(
            |((slope, value), distance)| {
                if *value < 0.0 {
                    *slope = (-value / distance.max(1e-3)).min(steepest);
                }
            },
        );
        wider = Some((texel, distances));
    }
}
