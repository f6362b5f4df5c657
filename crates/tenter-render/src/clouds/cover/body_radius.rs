//! Radii of cumuliform bodies by position: a hull's slope gives the radius of the nearest dome, but light
//! diffuses through the whole body.

use crate::clouds::nested::Texels;
use crate::simd::{Int, Kernel, Real, dispatch};
use rayon::prelude::*;

/// Radii of bodies in nested maps, half as fine as those of hulls; 0 where there is none.
pub struct BodyRadiusMap {
    side: usize,
    /// Radii in 255 steps up to the largest, of a texel, its neighbours to the east and north and the one
    /// across.
    words: Vec<u32>,
    /// Metres per step.
    step: f32,
}

/// Texels by which lobes may reach beyond the map's bodies.
const WIDENED: usize = 4;

impl BodyRadiusMap {
    /// Of maps of radii, m.
    pub fn new(radii: &[f32], side: usize) -> BodyRadiusMap {
        let largest = radii.par_iter().copied().reduce(|| 0.0, f32::max);
        let step = (largest / 255.0).max(1e-3);
        let mut words = vec![0; radii.len()];
        let mut radii = radii.to_vec();
        for _ in 0..WIDENED {
            radii = widened(&radii, side);
        }
        let maps = radii.par_chunks_exact(side * side);
        words.par_chunks_exact_mut(side * side).zip(maps).for_each(|(words, radii)| {
            dispatch(Pack { words, radii, side, step });
        });
        BodyRadiusMap { side, words, step }
    }

    /// Radius at a place of the maps of hulls, m.
    #[inline(always)]
    pub fn at<R: Real>(&self, place: &Texels<R>) -> R {
        let last = self.side as f32 - 1.001;
        let half = |v: R| v.mul_add(R::splat(0.5), R::splat(-0.25)).clamp(0.0, last);
        let (u, v) = (half(place.u), half(place.v));
        let (u0, v0) = (u.floor(), v.floor());
        let (fu, fv) = (u - u0, v - v0);
        let side = R::Int::splat(self.side as i32);
        let row = (place.level * R::splat(self.side as f32) + v0).to_int();
        // SAFETY: places are held inside of their map.
        let word = unsafe { R::gather_u32(&self.words, row * side + u0.to_int()) };
        let byte = R::Int::splat(0xff);
        let [a, b, c, d] = [word & byte, word.shr::<8>() & byte, word.shr::<16>() & byte, word.shr::<24>()];
        // Corners without a body are excluded, or rims would be lit as small clouds.
        let one = R::Int::splat(1);
        let known = between::<R>([a.min(one), b.min(one), c.min(one), d.min(one)], fu, fv);
        let sum = between::<R>([a, b, c, d], fu, fv);
        sum / known.max(R::splat(1e-3)) * R::splat(self.step)
    }
}

/// Bilinear, of corners from west to east, south and north.
#[inline(always)]
fn between<R: Real>([a, b, c, d]: [R::Int; 4], fu: R, fv: R) -> R {
    R::from_int(a).lerp(R::from_int(b), fu).lerp(R::from_int(c).lerp(R::from_int(d), fu), fv)
}

/// Lobes reach beyond the mapped body: texels without one take the largest radius beside them.
fn widened(radii: &[f32], side: usize) -> Vec<f32> {
    let mut wide = radii.to_vec();
    let maps = radii.par_chunks_exact(side * side);
    wide.par_chunks_exact_mut(side * side).zip(maps).for_each(|(wide, radii)| {
        for (i, wide) in wide.iter_mut().enumerate().filter(|(_, wide)| **wide <= 0.0) {
            let around = |i: usize| i.saturating_sub(1)..(i + 2).min(side);
            let beside = around(i / side).flat_map(|y| around(i % side).map(move |x| radii[y * side + x]));
            let (sum, count) =
                beside.filter(|r| *r > 0.0).fold((0.0, 0), |(sum, count), r| (sum + r, count + 1));
            *wide = sum / count.max(1) as f32;
        }
    });
    wide
}

struct Pack<'a> {
    words: &'a mut [u32],
    radii: &'a [f32],
    side: usize,
    step: f32,
}

impl Kernel for Pack<'_> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let per_step = 1.0 / self.step;
        let last = self.side - 1;
        for (y, words) in self.words.chunks_exact_mut(self.side).enumerate() {
            let row = |y: usize| &self.radii[y.min(last) * self.side..][..self.side];
            let (south, north) = (row(y), row(y + 1));
            for (x, word) in words.iter_mut().enumerate() {
                let east = (x + 1).min(last);
                let corners = [south[x], south[east], north[x], north[east]];
                *word = u32::from_le_bytes(corners.map(|r| (r * per_step + 0.5) as u8));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    /// Of one body in the middle of the second of two maps: its radius is found within, none outside and in
    /// the other map.
    #[test]
    fn bodies_are_found_where_they_are() {
        const SIDE: usize = 32;
        let inside = |x: usize, y: usize| (12..20).contains(&x) && (12..20).contains(&y);
        let of_map = |level: usize| {
            (0..SIDE * SIDE).map(move |i| if level == 1 && inside(i % SIDE, i / SIDE) { 510.0 } else { 0.0 })
        };
        let radii: Vec<f32> = (0..2).flat_map(of_map).collect();
        let bodies = BodyRadiusMap::new(&radii, SIDE);
        let at = |level: f32, u: f32, v: f32| {
            bodies.at(&Texels { level: Scalar(level), u: Scalar(u), v: Scalar(v) }).0
        };
        // Places are told in texels of hulls, two to one of these.
        assert!((at(1.0, 31.5, 32.2) - 510.0).abs() < 2.0);
        assert_eq!(at(0.0, 31.5, 32.2), 0.0);
        assert_eq!(at(1.0, 1.0, 1.0), 0.0);
        // Lumps reach out of the body; they are as large as it to the last.
        let rims = [21.5, 19.5, 16.5].map(|u| at(1.0, u, 31.0));
        assert!(rims.iter().all(|rim| (rim - 510.0).abs() < 2.0), "{rims:?}");
    }
}
