//! Random numbers keyed by position: the same position always has the same ones.

use crate::simd::{Int, Real};

/// Increment between the states of two numbers of one position.
const BETWEEN: u32 = 0x6d2b_79f5;
/// Numbers have 24 bits.
const PER_STEP: f32 = 1.0 / 16_777_216.0;

/// Numbers in 0..1 for a cell of a jittered grid.
pub struct Draw(u32);

impl Draw {
    pub fn new(seed: u32, level: u32, x: i64, y: i64) -> Draw {
        let mut h = start(seed, level);
        for v in [x as u32, y as u32] {
            h = mix(h ^ v.wrapping_mul(PER_PLACE));
        }
        Draw(h)
    }
    pub fn next(&mut self) -> f64 {
        self.skip(1);
        share(self.0)
    }
    /// Skips numbers.
    pub fn skip(&mut self, numbers: u32) {
        self.0 = self.0.wrapping_add(BETWEEN.wrapping_mul(numbers));
    }
    pub fn range(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.next()
    }
    /// The next numbers, for lanes at consecutive offsets.
    #[inline(always)]
    pub fn shared_out<R: Real>(&self, numbers: u32) -> Draws<R> {
        let apart = R::Int::splat(BETWEEN.wrapping_mul(numbers) as i32);
        Draws(R::Int::splat(self.0 as i32) + R::counts().to_int() * apart)
    }
}

const PER_PLACE: u32 = 0xc2b2_ae35;

fn start(seed: u32, level: u32) -> u32 {
    seed.wrapping_mul(0x9e37_79b1) ^ level.wrapping_mul(0x85eb_ca6b)
}

/// The same numbers as [`Draw`], for a packet of cells of one row.
pub struct Draws<R: Real>(R::Int);

impl<R: Real> Draws<R> {
    #[inline(always)]
    pub fn new(seed: u32, level: u32, x: R::Int, y: i64) -> Draws<R> {
        let per_place = R::Int::splat(PER_PLACE as i32);
        let h = mix_lanes(R::Int::splat(start(seed, level) as i32) ^ (x * per_place));
        Draws(mix_lanes(h ^ R::Int::splat((y as u32).wrapping_mul(PER_PLACE) as i32)))
    }
    #[inline(always)]
    pub fn next(&mut self) -> R {
        self.0 = self.0 + R::Int::splat(BETWEEN as i32);
        R::from_int(mix_lanes(self.0).shr::<8>()) * R::splat(PER_STEP)
    }
    #[inline(always)]
    pub fn range(&mut self, low: f32, high: f32) -> R {
        self.next().mul_add(R::splat(high - low), R::splat(low))
    }
}

/// Bit mixing (Wellons 2018, "lowbias32", a public-domain hash).
#[inline(always)]
pub fn mix(mut h: u32) -> u32 {
    h ^= h >> 16;
    h = h.wrapping_mul(0x21f0_aaad);
    h ^= h >> 15;
    h = h.wrapping_mul(0xd35a_2d97);
    h ^ (h >> 15)
}

/// A number in 0..1 for bits of any origin.
#[inline(always)]
pub fn share(bits: u32) -> f64 {
    f64::from(mix(bits) >> 8) * f64::from(PER_STEP)
}

#[inline(always)]
fn mix_lanes<I: Int>(h: I) -> I {
    let h = (h ^ h.shr::<16>()) * I::splat(0x21f0_aaad);
    let h = (h ^ h.shr::<15>()) * I::splat(0xd35a_2d97u32 as i32);
    h ^ h.shr::<15>()
}

/// Smooth noise over the plane, about -1 to 1, one feature per unit square (Perlin 1985, with values for
/// slopes).
#[inline(always)]
pub fn value_noise<R: Real>(seed: u32, x: R, y: R) -> R {
    let (x0, y0) = (x.floor(), y.floor());
    let (fx, fy) = (ease(x - x0), ease(y - y0));
    let (ix, iy) = (x0.to_int(), y0.to_int());
    let one = R::Int::splat(1);
    let left = mix_lanes(ix ^ R::Int::splat(seed as i32));
    let right = mix_lanes((ix + one) ^ R::Int::splat(seed as i32));
    let low = iy * R::Int::splat(0x9e37_79b1u32 as i32);
    let high = (iy + one) * R::Int::splat(0x9e37_79b1u32 as i32);
    let bottom = corner::<R>(left ^ low).lerp(corner(right ^ low), fx);
    let top = corner::<R>(left ^ high).lerp(corner(right ^ high), fx);
    bottom.lerp(top, fy)
}

// Functions, not closures: only functions can be forced to be inlined into the instruction set in use.
#[inline(always)]
fn ease<R: Real>(f: R) -> R {
    f * f * f * ((f * R::splat(6.0) - R::splat(15.0)) * f + R::splat(10.0))
}
#[inline(always)]
fn corner<R: Real>(hashed: R::Int) -> R {
    R::from_int(mix_lanes(hashed).shr::<8>()) * R::splat(2.0 / 16_777_216.0) - R::splat(1.0)
}

/// Several octaves of [`value_noise`], rotated against each other to hide the grid; about -1 to 1.
#[inline(always)]
pub fn layered_noise<R: Real>(seed: u32, octaves: u32, x: R, y: R) -> R {
    let (mut x, mut y) = (x, y);
    let mut sum = R::splat(0.0);
    let (mut weight, mut total) = (1.0f32, 0.0f32);
    for octave in 0..octaves {
        sum = value_noise(seed.wrapping_add(octave * 7919), x, y).mul_add(R::splat(weight), sum);
        total += weight;
        weight *= 0.5;
        let (c, s) = (R::splat(2.03 * 0.8), R::splat(2.03 * 0.6));
        (x, y) = (x * c - y * s + R::splat(17.3), x * s + y * c + R::splat(5.1));
    }
    sum * R::splat(1.0 / total)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::{Scalar, ScalarInt};

    #[test]
    fn packets_draw_what_single_places_draw() {
        for (x, y) in [(0, 0), (-17, 4), (40_000, -3)] {
            let (mut one, mut many) =
                (Draw::new(9, 2, x, y), Draws::<Scalar>::new(9, 2, ScalarInt::splat(x as i32), y));
            for _ in 0..5 {
                assert_eq!(one.next() as f32, many.next().0);
            }
            let mut ahead = Draw::new(9, 2, x, y);
            ahead.skip(5);
            assert_eq!(one.next(), ahead.next());
        }
    }
}
