//! Optical depth toward the sun, everywhere in a layer.
//!
//! Two grids over the same nested squares as the form's maps: the density, which depends on the form only,
//! and the optical depth toward the sun, swept from it slice by slice. A moved sun costs only the sweep.
//! Cells are a hundred metres and more: the grid carries light over long distances; near a sample the form
//! itself is marched.
//!
//! Distant cells are wider than clouds. Light passes between them, so a cell filled by a share `f` stops no
//! more than `f` of the light ([`SubgridFill`]): its mean density would stop everything.
//!
//! Between neighbouring cells the transmittance is interpolated, not the depth: half-way between a clear
//! cell and one of depth 100 lies half a shadow. Between slices it is the depth, which grows linearly
//! through a cloud.

mod density;
mod layout;

pub use density::DensityGrid;

use crate::air::Build;
use crate::clouds::nested::LEVELS;
use crate::simd::{Int, Kernel, Mask, Real, Scalar, dispatch};
use density::{SubgridFill, steps};
use layout::{Layout, TOGETHER};
use rayon::prelude::*;

/// Least sine of the sun's height in a sweep: paths grow no longer than 200 layer depths.
const LEAST_SINE: f32 = 0.005;
/// Sine of the depression at which nothing is shaded from below any more: the horizon from 1 km altitude.
const SUNK: f32 = 0.018;
/// Cells store `(1 + depth / (4 n))^-n` with this `n`: like e^(-depth/4) for small depths, so that half-way
/// between a clear cell and a thick one lies half a shadow; and unbounded: 4800 has the same relative
/// precision as 48, for thick layers under a low sun.
const POWER: i32 = 16;
/// Largest depth.
const DEEPEST: f32 = 10_000.0;

/// Stored value of an optical depth.
#[inline(always)]
fn held<R: Real>(depth: R) -> R {
    let base = depth.min(R::splat(DEEPEST)).mul_add(R::splat(0.25 / POWER as f32), R::splat(1.0));
    let square = base * base;
    let fourth = square * square;
    let eighth = fourth * fourth;
    R::splat(1.0) / (eighth * eighth)
}

/// Optical depth of a stored value.
#[inline(always)]
fn depth_of<R: Real>(held: R) -> R {
    let root = held.sqrt().sqrt().sqrt().sqrt();
    (R::splat(1.0) / root - R::splat(1.0)) * R::splat(4.0 * POWER as f32)
}
/// Largest number of samples along one slice.
const MOST_SAMPLES: f32 = 32.0;

/// Displacements of a packet of cells that differ by less than this, in cells, are taken as equal.
const SAME_WAY: f32 = 0.1;

/// Optical depth from each cell to the layer's edge, toward the sun.
pub struct SunDepth {
    layout: Layout,
    /// Stored values ([`held`]).
    values: Vec<f32>,
}

impl SunDepth {
    /// `sun`: unit vector at the origin (east, north, up); `planet`: radius, m.
    pub fn new(density: &DensityGrid, sun: [f64; 3], planet: f64, build: Build) -> SunDepth {
        let layout = density.layout;
        let mut values = vec![1.0; density.values.len()];
        let sun = sun.map(|v| v as f32);
        let lowest = sun[2] - layout.half[LEVELS - 1] * 1.5 / planet as f32;
        for level in (0..LEVELS).rev() {
            for slice in (0..layout.slices).rev() {
                if build.is_cancelled() {
                    break;
                }
                sweep(density, &mut values, Slice { level, slice, sun, planet: planet as f32, rising: true });
            }
            if lowest < 0.0 {
                for slice in 0..layout.slices {
                    sweep(
                        density,
                        &mut values,
                        Slice { level, slice, sun, planet: planet as f32, rising: false },
                    );
                }
            }
        }
        SunDepth { layout, values }
    }

    /// From a point beside or in the layer to the layer's boundary toward the light in direction `[east,
    /// north, up]` there; `z` is metres above the base. Levels finer than `level` are not read.
    #[inline(always)]
    pub fn from_outside<R: Real>(&self, level: usize, x: R, y: R, z: R, light: [R; 3]) -> R {
        let (zero, top) = (R::splat(0.0), R::splat(self.layout.depth));
        let up = light[2];
        // Below a layer horizontal light still crosses it far away, where the ground has fallen off; the
        // less the lower it stands.
        let under = z.lt(zero);
        let sunk = (up * R::splat(1.0 / SUNK)).clamp(-1.0, 0.0);
        let rising = zero.le(up) | (under & R::splat(-1.0).lt(sunk));
        // Entry of the path into the layer, if it crosses it at all.
        let entry = R::select(rising, z.max(zero), z.min(top * R::splat(0.999)));
        let steep = R::select(rising, up.max(R::splat(LEAST_SINE)), up.min(R::splat(-LEAST_SINE)));
        let run = (entry - z) / steep;
        let (x, y) = (run.mul_add(light[0], x), run.mul_add(light[1], y));
        let depth = self.depth_at(level, x, y, entry);
        let depth = R::select(under, depth * (sunk + R::splat(1.0)), depth);
        R::select(entry.lt(zero) | top.le(entry), zero, depth)
    }

    /// At metres east, north and above the base, to the edge of the layer.
    #[inline(always)]
    pub fn at<R: Real>(&self, x: R, y: R, z: R) -> R {
        let inside = z.lt(R::splat(self.layout.depth));
        R::select(inside, self.depth_at(0, x, y, z), R::splat(0.0))
    }

    #[inline(always)]
    fn depth_at<R: Real>(&self, level: usize, x: R, y: R, z: R) -> R {
        let (low, high, f) = self.layout.slices_at(&self.values, level, x, y, z);
        depth_of(low).lerp(depth_of(high), f)
    }
}

/// One slice of the sweep: for a sun above the level (`rising`) light comes from the slice above.
#[derive(Clone, Copy)]
struct Slice {
    level: usize,
    slice: usize,
    sun: [f32; 3],
    planet: f32,
    rising: bool,
}

impl Slice {
    /// Sine of the light's height at places.
    #[inline(always)]
    fn up<R: Real>(&self, x: R, y: R) -> R {
        let [east, north] = R::splat_each([self.sun[0] / self.planet, self.sun[1] / self.planet]);
        (x * east + y * north + R::splat(self.sun[2])).clamp(-1.0, 1.0)
    }

    /// Sine and cosine of elevation used for paths through the slice, for a sine of `up`.
    #[inline(always)]
    fn steepness<R: Real>(&self, up: R) -> [R; 2] {
        let towards = if self.rising { 1.0 } else { -1.0 };
        let sine = (up * R::splat(towards)).max(R::splat(LEAST_SINE));
        [sine, (R::splat(1.0) - sine * sine).max(R::splat(0.0)).sqrt()]
    }

    /// Horizontal distance of the light while it falls by `rise`, m, at one point.
    fn shift(&self, x: f32, y: f32, rise: f32) -> f32 {
        let [sine, cosine] = self.steepness(self.up(Scalar(x), Scalar(y)));
        rise / sine.0 * cosine.0
    }
}

fn sweep(density: &DensityGrid, values: &mut [f32], s: Slice) {
    let layout = density.layout;
    let start = s.level * layout.level() + s.slice * layout.plane();
    let mut plane = values[start..start + layout.plane()].to_vec();
    let before: &[f32] = values;
    plane.par_chunks_mut(layout.side * 8).enumerate().for_each(|(block, rows)| {
        for (i, row) in rows.chunks_mut(layout.side).enumerate() {
            dispatch(SweepRow { density, before, s, y: block * 8 + i, row });
        }
    });
    values[start..start + layout.plane()].copy_from_slice(&plane);
}

struct SweepRow<'a> {
    density: &'a DensityGrid,
    before: &'a [f32],
    s: Slice,
    y: usize,
    row: &'a mut [f32],
}

impl Kernel for SweepRow<'_> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let SweepRow { density, before, s, row, .. } = self;
        let layout = &density.layout;
        let cell = layout.cell(s.level);
        let y_of_row = layout.centre(s.level, self.y);
        let dz = layout.slice_height();
        let zero = R::splat(0.0);
        let towards = if s.rising { 1.0 } else { -1.0 };
        let last = s.slice == if s.rising { layout.slices - 1 } else { 0 };
        // The outermost slice only has half its height before the edge.
        let rise = if last { 0.5 * dz } else { dz };
        let z = (s.slice as f32 + 0.5) * dz;
        let flat = s.sun[0].hypot(s.sun[1]).max(1e-6);
        let (east, north) = (s.sun[0] / flat, s.sun[1] / flat);
        for start in (0..layout.side).step_by(R::LANES) {
            let x = steps::<R>(layout.centre(s.level, start), cell);
            let y = R::splat(y_of_row);
            let up = s.up(x, y);
            let mine = if s.rising { zero.le(up) } else { up.lt(zero) };
            if !s.rising && !mine.any() {
                continue;
            }
            let [sine, cosine] = s.steepness(up);
            let length = R::splat(rise) / sine;
            let shift = length * cosine;
            let (dx, dy) = (shift * R::splat(east), shift * R::splat(north));
            // As many samples as the longest path needs, of the same cells whatever the lanes.
            let first = start / TOGETHER * TOGETHER;
            let from = s.shift(layout.centre(s.level, first), y_of_row, rise);
            let to = s.shift(layout.centre(s.level, first + TOGETHER - 1), y_of_row, rise);
            let longest = from.max(to);
            // Cells with a common displacement read whole rows; the remaining curvature of the ground is
            // negligible.
            let same_way = (from - to).abs() < SAME_WAY * cell;
            let cells = 0.5 * (from + to) / cell;
            let way = [cells * east, cells * north];
            let count = (longest / cell).clamp(1.0, MOST_SAMPLES).ceil();
            let broken = SubgridFill::new(density, cell, cosine, sine);
            let mut sum = zero;
            for i in 0..count as usize {
                let f = (i as f32 + 0.5) / count;
                let h = z + f * rise * towards;
                let beside = layout.beside([start, self.y], R::LANES, [way[0] * f, way[1] * f]);
                let mean = match beside {
                    Some(beside) if same_way => {
                        let most = layout.slices as f32 - 1.001;
                        let slice = (h / dz - 0.5).clamp(0.0, most);
                        let first = s.level * layout.slices + slice as usize;
                        let low = layout.at_beside::<R>(&density.values, first, &beside);
                        let high = layout.at_beside(&density.values, first + 1, &beside);
                        low.lerp(high, R::splat(slice.fract()))
                    }
                    _ => {
                        let f = R::splat(f);
                        layout.at(&density.values, s.level, x + dx * f, y + dy * f, R::splat(h))
                    }
                };
                sum = sum + broken.extinction(mean);
            }
            let mut depth = sum * length * R::splat(1.0 / count);
            if !last {
                let next = s.level * layout.slices + s.slice;
                let next = if s.rising { next + 1 } else { next - 1 };
                let beside = layout.beside([start, self.y], R::LANES, way);
                let rest = match beside {
                    Some(beside) if same_way => layout.at_beside(before, next, &beside),
                    _ => rest_of(layout, before, s, next, x + dx, y + dy),
                };
                depth = depth + depth_of(rest);
            }
            let kept = held(depth);
            let old = R::load(&row[start..]);
            R::select(mine, kept, if s.rising { kept } else { old }).store(&mut row[start..]);
        }
    }
}

/// Value of the slice `next` at a point, or beyond the edge of its square that of the next wider one.
#[inline(always)]
fn rest_of<R: Real>(layout: &Layout, values: &[f32], s: Slice, next: usize, x: R, y: R) -> R {
    let far = x.abs().max(y.abs());
    let (u0, v0, fu, fv) = layout.flat(R::splat(layout.half[s.level]), x, y);
    let side = R::Int::splat(layout.side as i32);
    let first = (R::Int::splat(next as i32) * side + v0.to_int()) * side + u0.to_int();
    let rest = layout.four(values, first, fu, fv);
    let margin = layout.half[s.level] * (1.0 - 3.0 / layout.side as f32);
    let outside = R::splat(margin).lt(far);
    if s.level + 1 == LEVELS || !outside.any() {
        return rest;
    }
    let z = ((next % layout.slices) as f32 + 0.5) * layout.slice_height();
    R::select(outside, layout.at(values, s.level + 1, x, y, R::splat(z)), rest)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;
    use crate::clouds::form::CloudForm;
    use tenter_sky::document::{CloudKind, CloudLayer};

    fn overcast() -> CloudForm {
        let layer = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..CloudKind::Stratus.usual() };
        CloudForm::new(&layer, 100_000.0, TableQuality::Draft)
    }

    /// Towers are seen from 447 km, lower heaps from 160: their cells are less than twice as wide, not three
    /// times; and twelve of their grids find room.
    #[test]
    fn towers_have_finer_grids() {
        let grid = |kind: CloudKind, reach: f64| {
            let form = CloudForm::new(&kind.usual(), reach, TableQuality::Draft);
            (Layout::new(&form, TableQuality::Full), DensityGrid::bytes(&form))
        };
        let (towers, bytes) = grid(CloudKind::Cumulonimbus, 447_000.0);
        assert!(towers.cell(0) < 180.0 && towers.slice_height() < 500.0, "{}", towers.cell(0));
        assert!(12 * bytes < 360 << 20, "{bytes}");
        let (heaps, _) = grid(CloudKind::CumulusMediocris, 160_000.0);
        assert_eq!((heaps.side, heaps.slices), (208, 16));
        assert!(heaps.cell(0) < 100.0);
        let (ice, _) = grid(CloudKind::CirrusFibratus, 400_000.0);
        assert_eq!(ice.side, 208);
    }

    /// Depths come back, from those through which light comes to those of thick sheets along the ground.
    #[test]
    fn depths_are_held_without_end() {
        for depth in [0.0f32, 0.01, 1.0, 20.0, 340.0, 5000.0] {
            let sampled = depth_of(held(Scalar(depth))).0;
            assert!((sampled - depth).abs() < 1e-4 * depth + 1e-3, "{depth}: {sampled}");
        }
        let half = depth_of((held(Scalar(0.0)) + held(Scalar(100.0))) * Scalar(0.5)).0;
        assert!((half + 4.0 * 0.5f32.ln()).abs() < 0.1, "{half}");
    }

    /// In a closed deck the depth grows downward and, over the sun's height, as one over its sine.
    #[test]
    fn depth_follows_the_slant() {
        let form = overcast();
        let density = DensityGrid::new(&form, TableQuality::Full);
        let at = |elevation: f64| {
            let (s, c) = elevation.to_radians().sin_cos();
            SunDepth::new(&density, [c, 0.0, s], 6.371e6, TableQuality::Full.into())
                .at(Scalar(900.0), Scalar(-400.0), Scalar(0.0))
                .0
        };
        let (high, low) = (at(90.0), at(30.0));
        let column = form.columns(&[900.0], &[-400.0], 20.0, 64)[0];
        assert!((high / column - 1.0).abs() < 0.15, "{high} {column}");
        assert!((low / high - 2.0).abs() < 0.2, "{low} {high}");
    }

    /// Under a sun at the zenith as much light falls below heaps as comes through their columns, though cells
    /// are coarse.
    #[test]
    fn heaps_let_through_what_their_columns_do() {
        for kind in [CloudKind::CumulusMediocris, CloudKind::CumulusCongestus] {
            let form =
                CloudForm::new(&CloudLayer { cover: 0.3, ..kind.usual() }, 100_000.0, TableQuality::Full);
            let density = DensityGrid::new(&form, TableQuality::Full);
            let depth = SunDepth::new(&density, [0.0, 0.0, 1.0], 6.371e6, TableQuality::Full.into());
            const SIDE: usize = 128;
            let place = |k: usize| (k as f32 / SIDE as f32 - 0.5) * 11_000.0;
            let (mut shadow, mut exact) = (0.0, 0.0);
            let x: Vec<f32> = (0..SIDE).map(place).collect();
            for row in 0..SIDE {
                for (x, column) in x.iter().zip(form.columns(&x, &[place(row); SIDE], 20.0, 40)) {
                    let (zero, one) = (Scalar(0.0), Scalar(1.0));
                    let below = Scalar(-500.0);
                    let there =
                        depth.from_outside(0, Scalar(*x), Scalar(place(row)), below, [zero, zero, one]);
                    shadow += (-there.0).exp() / (SIDE * SIDE) as f32;
                    exact += (-column).exp() / (SIDE * SIDE) as f32;
                }
            }
            assert!((shadow - exact).abs() < 0.03, "{kind:?}: {shadow} {exact}");
        }
    }

    /// Broken clouds let as much light through in the mean as ways through their form do, whatever the cells'
    /// width and however low the light.
    #[test]
    fn light_passes_between_clouds() {
        const PLACES: usize = 600;
        const STEP: f32 = 25.0;
        for (kind, cover) in [
            (CloudKind::CumulusMediocris, 0.3),
            (CloudKind::Cumulonimbus, 0.2),
            (CloudKind::Altocumulus, 0.5),
            (CloudKind::Stratocumulus, 0.7),
        ] {
            let form = CloudForm::new(&CloudLayer { cover, ..kind.usual() }, 300_000.0, TableQuality::Full);
            let density = DensityGrid::new(&form, TableQuality::Full);
            for elevation in [5.0f64, 12.0, 30.0, 70.0] {
                let (s, c) = elevation.to_radians().sin_cos();
                let sun = [0.6 * c, 0.8 * c, s];
                // So large a planet is flat.
                let depth = SunDepth::new(&density, sun, 6.371e9, TableQuality::Full.into());
                let [east, north, up] = sun.map(|v| v as f32);
                let (mut exact, mut sampled) = (0.0, [0.0; LEVELS]);
                let mut rng = fastrand::Rng::with_seed(3);
                for _ in 0..PLACES {
                    let [x, y] = [0, 1].map(|_| (rng.f32() - 0.5) * 30_000.0);
                    let mut sum = 0.0;
                    let mut t = 0.5 * STEP;
                    while t * up < form.depth && sum < 12.0 {
                        let [x, y, z] = [t.mul_add(east, x), t.mul_add(north, y), t * up].map(Scalar);
                        sum += STEP * form.extinction_at(x, y, z, Scalar(10.0)).0;
                        t += STEP;
                    }
                    exact += (-sum).exp() / PLACES as f32;
                    for (level, sampled) in sampled.iter_mut().enumerate() {
                        let toward = [east, north, up].map(Scalar);
                        let depth = depth.from_outside(level, Scalar(x), Scalar(y), Scalar(0.0), toward);
                        *sampled += (-depth.0).exp() / PLACES as f32;
                    }
                }
                for (sampled, allowed) in sampled.into_iter().zip([0.04, 0.09, 0.13]) {
                    assert!((sampled - exact).abs() < allowed, "{kind:?} {elevation}: {sampled} {exact}");
                }
            }
        }
    }

    /// A sun under the level lights the layer from below: the depth grows upward.
    #[test]
    fn a_sun_below_shines_from_below() {
        let form = overcast();
        let density = DensityGrid::new(&form, TableQuality::Draft);
        let (s, c) = (-2f64).to_radians().sin_cos();
        let depth = SunDepth::new(&density, [c, 0.0, s], 6.371e6, TableQuality::Full.into());
        let at = |z: f32| depth.at(Scalar(100.0), Scalar(100.0), Scalar(z)).0;
        assert!(at(300.0) > 2.0 * at(60.0) && at(60.0) > 0.0, "{} {}", at(300.0), at(60.0));
    }
}
