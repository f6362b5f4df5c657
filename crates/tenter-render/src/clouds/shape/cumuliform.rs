//! Cumuliform clouds: bodies scattered over the ground, each a cluster of domes on a common flat base.
//!
//! Cells of a few sizes stand on jittered grids. The frequency of sizes follows the observed power law of
//! cumulus areas, n(A) ~ A^-1.8 (Cahalan and Joseph 1989; Neggers et al. 2003: -1.7 to -1.9): with one site
//! per cell of a grid whose spacing shrinks with the size, fewer sites are taken the smaller the clouds
//! are.

use crate::air::Build;
use crate::clouds::shape::ageing::swing;
use crate::clouds::shape::hash::{Draw, Draws, layered_noise};
use crate::simd::{Kernel, Mask, Real, dispatch};
use rayon::prelude::*;

/// A dome: an ellipsoid centred on the base.
#[derive(Clone, Copy, Debug)]
pub struct Dome {
    /// Metres from the origin.
    pub x: f64,
    pub y: f64,
    pub radius: f64,
    pub height: f64,
    /// Order in which it appears as cover grows; 0 is usual.
    pub birth: f64,
}

impl Dome {
    /// The dome enlarged by a margin, m.
    pub fn wider(self, by: f64) -> Dome {
        Dome { radius: self.radius + by, height: self.height + by, ..self }
    }

    /// Radius of the hemisphere with the same volume per surface, enlarged as cover does, m: the body
    /// radius of the light computation. Surface of an ellipsoid after Thomsen 2004 (within 1.1 %; from
    /// memory).
    pub fn equivalent_hemisphere(&self, grown: f64) -> f64 {
        const P: f64 = 1.6075;
        let [r, h] = [self.radius * grown.sqrt(), self.height * grown.min(1.0).sqrt()];
        let dome = ((r.powf(2.0 * P) + 2.0 * (r * h).powf(P)) / 3.0).powf(1.0 / P);
        3.0 * r * r * h / (2.0 * dome + r * r)
    }
}

/// Grids of cells: spacing in cell sizes, share of places taken, domes around the first.
const GRIDS: [(f64, f64, usize); 4] = [(1.0, 0.9, 8), (0.58, 0.62, 6), (0.33, 0.5, 3), (0.19, 0.4, 1)];
/// Radius of the largest bodies of a grid, in spacings.
const LARGEST: f64 = 0.42;
/// Largest height of a single dome, in its radii.
const SLENDER: f64 = 1.3;
/// Largest reach of a dome from its grid cell, in spacings.
const REACH: f64 = 2.2;

/// Amplitudes of the births' oscillation as bodies and the domes around them form and dissolve.
const SWING: [f64; 2] = [0.2, 0.12];

/// An unbounded field of cumuliform bodies.
#[derive(Clone, Copy)]
pub struct CumuliformField {
    pub seed: u32,
    /// Metres.
    pub cell: f64,
    pub tallest: f64,
    /// Exponent of height over size: less makes small bodies tall.
    pub rise: f32,
    /// How often bodies have been replaced.
    pub turns: f32,
}

/// Selection of domes.
#[derive(Clone, Copy)]
pub struct Wanted {
    /// Least radius, m.
    pub smallest: f64,
    /// Births up to this are excluded.
    pub earliest: f64,
    /// Factor on the usual reach of a dome.
    pub grow: f64,
}

/// Domes of a row of sites: those of one body are consecutive, the first before its companions.
#[derive(Default)]
struct Crowds {
    domes: Vec<Dome>,
    /// How many each body has.
    counts: Vec<usize>,
}

impl Crowds {
    fn bodies(&self) -> impl Iterator<Item = &[Dome]> {
        let mut rest = &self.domes[..];
        self.counts.iter().map(move |count| {
            let (body, others) = rest.split_at(*count);
            rest = others;
            body
        })
    }
}

/// Random numbers per site, and per companion dome.
const DRAWN: u32 = 6;
const AROUND: u32 = 4;

impl CumuliformField {
    /// Maps every selected dome that reaches into a rectangle by `keep`, and the first dome of its body by
    /// `of_body`; incomplete once `build` is cancelled.
    pub fn domes_in<B, T: Send>(
        &self,
        [low, high]: [[f64; 2]; 2],
        wanted: Wanted,
        build: Build,
        of_body: impl Fn(&Dome) -> B + Sync,
        keep: impl Fn(&Dome, &B) -> Option<T> + Sync,
    ) -> Vec<T> {
        let mut domes = Vec::new();
        for (level, &(spacing, ..)) in GRIDS.iter().enumerate() {
            let s = spacing * self.cell;
            // Bodies below the footprint cost more than they contribute.
            if s * LARGEST < wanted.smallest {
                continue;
            }
            let margin = REACH * wanted.grow * s;
            let range = |axis: usize| {
                ((low[axis] - margin) / s).floor() as i64..((high[axis] + margin) / s).ceil() as i64
            };
            domes.par_extend(range(1).into_par_iter().flat_map_iter(|iy| {
                let mut row = Vec::new();
                if !build.is_cancelled() {
                    let crowds = dispatch(Row { heaps: self, level, iy, ix: range(0), wanted });
                    for body in crowds.bodies() {
                        let sampled = of_body(&body[0]);
                        row.extend(body.iter().filter_map(|dome| keep(dome, &sampled)));
                    }
                }
                row
            }));
        }
        domes
    }
}

/// Sine and cosine of a part of a full turn.
fn turn(part: f64) -> (f64, f64) {
    let (sin, cos) = (part as f32 * std::f32::consts::TAU).sin_cos();
    (sin as f64, cos as f64)
}

/// The domes of one row of a grid that pass the selection.
struct Row<'a> {
    heaps: &'a CumuliformField,
    level: usize,
    iy: i64,
    ix: std::ops::Range<i64>,
    wanted: Wanted,
}

impl Row<'_> {
    /// Companions of the first dome of a site; `draw` has drawn [`DRAWN`] numbers.
    #[inline(always)]
    fn around<R: Real>(&self, first: &Dome, mut draw: Draw, domes: &mut Vec<Dome>) {
        let Wanted { smallest, earliest, .. } = self.wanted;
        let ovalness = draw.range(0.75, 1.0);
        let (sin, cos) = turn(draw.next());
        let [birth, height, reach] =
            R::splat_each([first.birth as f32, first.height as f32, first.radius as f32]);
        let count = GRIDS[self.level].2;
        let mut lanes = [[0.0f32; 16]; 5];
        for start in (0..count).step_by(R::LANES) {
            let mut draws = draw.shared_out::<R>(AROUND);
            let angle = draws.next();
            let away = draws.range(0.25, 1.05);
            let share = draws.range(0.28, 0.62) * away.mul_add(R::splat(-0.5), R::splat(1.25));
            let rise = draws.range(0.55, 1.08) * away.mul_add(R::splat(-0.55), R::splat(1.15));
            draw.skip(AROUND * R::LANES as u32);
            // Companions follow the first.
            let mut born = away.mul_add(R::splat(-0.25), birth);
            if self.heaps.turns != 0.0 {
                let turns = R::splat(2.0 * self.heaps.turns % 1.0);
                born = swing(turns, angle).mul_add(R::splat(SWING[1] as f32), born);
            }
            let born = born.min(birth);
            let radius = share * reach;
            // None rises above the first by much more than its own width, or it would be a spire.
            let level = (R::splat(1.0) - away * away).max(R::splat(0.0)).sqrt() * height;
            let height =
                (height * rise.min(R::splat(1.0))).min(radius.mul_add(R::splat(SLENDER as f32), level));
            let values = [angle, away * reach, radius, height, born];
            for i in 0..5 {
                values[i].store(&mut lanes[i]);
            }
            let shown = R::splat(smallest as f32).le(radius)
                & R::splat(earliest as f32).lt(born)
                & R::counts().lt(R::splat((count - start) as f32));
            let mut left = shown.bits();
            while left != 0 {
                let k = left.trailing_zeros() as usize & 15;
                left &= left - 1;
                let [_, away, radius, height, birth] = of_lane(&lanes, k);
                let (up, along) = turn(lanes[0][k] as f64);
                let (u, v) = (along * away, up * away * ovalness);
                let (x, y) = (first.x + u * cos - v * sin, first.y + u * sin + v * cos);
                domes.push(Dome { x, y, radius, height, birth });
            }
        }
    }
}

impl Kernel for Row<'_> {
    type Output = Crowds;
    #[inline(always)]
    fn run<R: Real>(self) -> Crowds {
        let CumuliformField { seed, cell, tallest, rise, turns } = *self.heaps;
        let (spacing, taken, _) = GRIDS[self.level];
        let s = spacing * cell;
        let per_cell = R::splat((spacing / 4.0) as f32);
        let mut crowds = Crowds::default();
        let mut lanes = [[0.0f32; 16]; 5];
        let end = R::splat(self.ix.end as f32);
        for start in self.ix.clone().step_by(R::LANES) {
            let ix = R::counts() + R::splat(start as f32);
            let mut draws = Draws::<R>::new(seed, self.level as u32, ix.to_int(), self.iy);
            let there = draws.next().le(R::splat(taken as f32)) & ix.lt(end);
            let (east, north) = (draws.next(), draws.next());
            // Clouds cluster in streets a few cells wide.
            let company = layered_noise(
                seed ^ 77,
                2,
                (ix + east) * per_cell,
                (north + R::splat(self.iy as f32)) * per_cell,
            );
            let u = draws.next();
            let size = (u * u).mul_add(R::splat(0.25), R::splat(0.17));
            let radius = size * R::splat(s as f32) * company.mul_add(R::splat(0.35), R::splat(1.0));
            let size = (radius * R::splat((1.0 / (0.38 * cell)) as f32)).min(R::splat(1.0));
            let height = R::splat(tallest as f32)
                * (size.max(R::splat(1e-6)).ln() * R::splat(rise)).exp()
                * draws.range(0.72, 1.0);
            let mut birth = company * R::splat(0.55) + draws.range(-0.35, 0.25);
            if turns != 0.0 {
                // The site itself seeds the numbers, disjoint from those of domes.
                birth = swing(R::splat(turns), east + north).mul_add(R::splat(SWING[0] as f32), birth);
            }
            // Companions are smaller than the first, and none appears earlier.
            let there = there
                & R::splat(self.wanted.earliest as f32).lt(birth)
                & R::splat(self.wanted.smallest as f32).le(radius);
            let values = [east, north, radius, height, birth];
            for i in 0..5 {
                values[i].store(&mut lanes[i]);
            }
            let mut left = there.bits();
            while left != 0 {
                let k = left.trailing_zeros() as usize & 15;
                left &= left - 1;
                let ix = start + k as i64;
                let [_, _, radius, height, birth] = of_lane(&lanes, k);
                let (x, y) =
                    ((ix as f64 + lanes[0][k] as f64) * s, (self.iy as f64 + lanes[1][k] as f64) * s);
                let first = Dome { x, y, radius, height, birth };
                let mut draw = Draw::new(seed, self.level as u32, ix, self.iy);
                draw.skip(DRAWN);
                let before = crowds.domes.len();
                crowds.domes.push(first);
                self.around::<R>(&first, draw, &mut crowds.domes);
                crowds.counts.push(crowds.domes.len() - before);
            }
        }
        crowds
    }
}

/// One lane's numbers.
#[inline(always)]
fn of_lane(lanes: &[[f32; 16]; 5], lane: usize) -> [f64; 5] {
    let mut numbers = [0.0; 5];
    for i in 0..5 {
        numbers[i] = lanes[i][lane] as f64;
    }
    numbers
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::{InstructionSet, dispatch_on};

    /// A half ball is one of its own radius; a flat one is told by its height, a tall one by its width.
    #[test]
    fn half_balls_keep_their_radius() {
        let dome = |radius: f64, height: f64| Dome { x: 0.0, y: 0.0, radius, height, birth: 0.0 };
        let of = |radius: f64, height: f64| dome(radius, height).equivalent_hemisphere(1.0);
        assert!((of(400.0, 400.0) - 400.0).abs() < 1e-9);
        assert!((dome(400.0, 400.0).wider(30.0).equivalent_hemisphere(1.0) - 430.0).abs() < 1e-9);
        assert!((of(4000.0, 10.0) / 15.0 - 1.0).abs() < 0.02, "{}", of(4000.0, 10.0));
        // A thin half spheroid has pi^2 r h / 2 of surface (within Thomsen's 1.1 %).
        let tall = of(10.0, 4000.0);
        let exact = 3.0 * 10.0 * 10.0 * 4000.0 / (std::f64::consts::PI / 2.0 * 10.0 * 4000.0 + 100.0);
        assert!((tall / exact - 1.0).abs() < 0.02, "{tall} {exact}");
    }

    /// Bodies have as many domes, and the same ones, on every instruction set; none is smaller or earlier
    /// than wanted.
    #[test]
    #[cfg_attr(not(isa_all), ignore = "kernels are compiled for one instruction set: TENTER_ISA=all")]
    fn crowds_are_the_same_on_every_instruction_set() {
        let heaps = CumuliformField { seed: 5, cell: 1500.0, tallest: 1200.0, rise: 0.85, turns: 0.3 };
        let wanted = Wanted { smallest: 60.0, earliest: -0.5, grow: 1.0 };
        for level in 0..GRIDS.len() {
            let row = |set| {
                let row = Row { heaps: &heaps, level, iy: 7, ix: -20..30, wanted };
                dispatch_on(set, row)
            };
            let alone = row(InstructionSet::Scalar);
            assert!(alone.counts.iter().all(|count| (1..=GRIDS[level].2 + 1).contains(count)));
            assert!(alone.domes.iter().all(|dome| dome.radius >= 60.0 && dome.birth > -0.5));
            assert!(level > 0 || alone.counts.iter().any(|count| *count > 4));
            for &set in InstructionSet::available() {
                let wide = row(set);
                assert_eq!(wide.counts, alone.counts, "{set:?}");
                for (wide, alone) in wide.domes.iter().zip(&alone.domes) {
                    let off = (wide.x - alone.x).abs() + (wide.y - alone.y).abs();
                    let off = off + (wide.radius - alone.radius).abs() + (wide.height - alone.height).abs();
                    assert!(
                        off < 0.01 && (wide.birth - alone.birth).abs() < 1e-5,
                        "{set:?}: {wide:?} {alone:?}"
                    );
                }
            }
        }
    }

    /// Cover makes a body rise to its height, then only spread.
    #[test]
    fn bodies_grow_with_cover() {
        let dome = Dome { x: 0.0, y: 0.0, radius: 300.0, height: 300.0, birth: 0.0 };
        assert!(dome.equivalent_hemisphere(0.25) < 0.6 * dome.equivalent_hemisphere(1.0));
        let spread = Dome { radius: 600.0, ..dome };
        assert!((dome.equivalent_hemisphere(4.0) - spread.equivalent_hemisphere(1.0)).abs() < 1e-9);
    }
}
