//! How much cloud lies toward the sun, everywhere in a layer.
//!
//! Two grids over the same nested squares as the form's maps: the density, which only depends on the form,
//! and the optical depth toward the sun, swept from it slice by slice. A moved sun costs only the sweep.
//! Cells are a hundred metres and more, so the grid carries light over long ways; near a sample the form
//! itself is marched.
//!
//! Cells far away are wider than clouds. Light passes between those, so that a cell that is filled by a share
//! `f` stops no more than `f` of what crosses it ([`Broken`]): its mean density would stop everything.
//!
//! Between cells side by side what comes through is interpolated, not the depth: half-way between a clear
//! cell and one of depth 100 lies half a shadow. Between slices it is the depth, which grows evenly through a
//! cloud.

use super::form::CloudForm;
use super::maps::LEVELS;
use crate::air::{Fineness, Making};
use crate::document::Family;
use crate::simd::{Int, Kernel, Mask, Real, Scalar, dispatch};
use rayon::prelude::*;

/// Least sine of the sun's height in a sweep: paths grow no longer than 200 layer depths.
const LEAST_SINE: f32 = 0.005;
/// Sine of the depth under the horizon at which nothing is shaded from below any more: the horizon of a place
/// 1 km up.
const SUNK: f32 = 0.018;
/// Cells hold `(1 + depth / (4 n))^-n` with this `n`: like e^(-depth/4) where light still comes through, so
/// that half-way between a clear cell and a thick one lies half a shadow; and without end: 4800 is told as
/// exactly as 48, as thick sheets have under a low sun.
const POWER: i32 = 16;
/// Deepest that is told.
const DEEPEST: f32 = 10_000.0;

/// What a cell of so much optical depth holds.
#[inline(always)]
fn held<R: Real>(depth: R) -> R {
    let base = depth.min(R::splat(DEEPEST)).mul_add(R::splat(0.25 / POWER as f32), R::splat(1.0));
    let square = base * base;
    let fourth = square * square;
    let eighth = fourth * fourth;
    R::splat(1.0) / (eighth * eighth)
}

/// The optical depth of what a cell holds.
#[inline(always)]
fn depth_of<R: Real>(held: R) -> R {
    let root = held.sqrt().sqrt().sqrt().sqrt();
    (R::splat(1.0) / root - R::splat(1.0)) * R::splat(4.0 * POWER as f32)
}
/// Most samples along one slice.
const MOST_SAMPLES: f32 = 32.0;

/// Extinction of a cell that is filled, as a share of the highest: bodies have edges, but where those are
/// half as dense they stop as much. So that as much light comes through as along ways through the form (see
/// the tests).
const FILLED: f32 = 0.75;
/// How much less it is where edges take much of a cell: in heaps as wide as this, m, and less of wider ones,
/// and in cells as narrow.
const EDGES: f32 = 0.15;
const ALL_EDGE: [f32; 2] = [800.0, 110.0];

/// Cells of the finest square are no wider than this and no higher, m, as far as the numbers of cells allow:
/// a tower a few kilometres wide shades others ten kilometres off.
const WIDEST_CELL: f32 = 175.0;
const HIGHEST_SLICE: f32 = 420.0;
/// Fewest and most cells along a side, and slices.
const SIDES: [f32; 2] = [208.0, 320.0];
const SLICES: [f32; 2] = [16.0, 24.0];
/// Of them in first pictures.
const DRAFT: f32 = 0.72;

/// The shape of both grids.
#[derive(Clone, Copy)]
struct Layout {
    side: usize,
    slices: usize,
    half: [f32; LEVELS],
    depth: f32,
}

impl Layout {
    /// High heaps are seen from afar: their squares are wide, and would have cells as wide as the shadows of
    /// towers.
    fn new(form: &CloudForm, fineness: Fineness) -> Layout {
        let half = form.squares();
        let width = match form.family {
            Family::Heaps => (2.0 * half[0] / WIDEST_CELL).clamp(SIDES[0], SIDES[1]),
            _ => SIDES[0],
        };
        let height = (form.depth / HIGHEST_SLICE).clamp(SLICES[0], SLICES[1]);
        let times = match fineness {
            Fineness::Draft => DRAFT,
            Fineness::Full => 1.0,
            Fineness::Double => 2.0,
        };
        let side = ((width * times / TOGETHER as f32).round() as usize) * TOGETHER;
        Layout { side, slices: (height * times).round() as usize, half, depth: form.depth }
    }

    #[inline]
    fn plane(&self) -> usize {
        self.side * self.side
    }
    fn level(&self) -> usize {
        self.plane() * self.slices
    }
    fn cell(&self, level: usize) -> f32 {
        2.0 * self.half[level] / self.side as f32
    }
    #[inline]
    fn slice_height(&self) -> f32 {
        self.depth / self.slices as f32
    }
    /// Middle of a cell along one axis, m.
    fn centre(&self, level: usize, i: usize) -> f32 {
        (i as f32 + 0.5 - self.side as f32 * 0.5) * self.cell(level)
    }

    /// First cell and weights of a bilinear look-up in one level, clamped to its square.
    #[inline(always)]
    fn flat<R: Real>(&self, half: R, x: R, y: R) -> (R, R, R, R) {
        let side = self.side as f32;
        let per_metre = R::splat(0.5 * side) / half;
        let u = x.mul_add(per_metre, R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let v = y.mul_add(per_metre, R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let (u0, v0) = (u.floor(), v.floor());
        (u0, v0, u - u0, v - v0)
    }

    /// Where a packet of `lanes` neighbouring cells, of which `cell` is the first, comes to by a way of so
    /// many cells; none where some of them come to the edge of their square.
    #[inline(always)]
    fn beside(&self, cell: [usize; 2], lanes: usize, way: [f32; 2]) -> Option<Beside> {
        let [u, v] = [cell[0] as f32 + way[0], cell[1] as f32 + way[1]];
        let most = self.side as f32 - 2.01;
        let inside = 1.0 <= u && u + (lanes - 1) as f32 <= most && 1.0 <= v && v <= most;
        let first = v as usize * self.side + u as usize;
        inside.then(|| Beside { first, share: [u - u.floor(), v - v.floor()] })
    }

    /// Bilinear look-up in one slice, of those of all levels.
    #[inline(always)]
    fn at_beside<R: Real>(&self, values: &[f32], slice: usize, beside: &Beside) -> R {
        let values = &values[slice * self.plane() + beside.first..];
        let [fu, fv] = R::splat_each(beside.share);
        let low = R::load(values).lerp(R::load(&values[1..]), fu);
        let high = R::load(&values[self.side..]).lerp(R::load(&values[self.side + 1..]), fu);
        low.lerp(high, fv)
    }

    /// Trilinear look-up at metres east, north and above the base.
    #[inline(always)]
    fn at<R: Real>(&self, values: &[f32], from_level: usize, x: R, y: R, z: R) -> R {
        let (low, high, f) = self.slices_at(values, from_level, x, y, z);
        low.lerp(high, f)
    }

    /// Bilinear look-ups in the slices under and over a place, and how far it lies between them.
    #[inline(always)]
    fn slices_at<R: Real>(&self, values: &[f32], from_level: usize, x: R, y: R, z: R) -> (R, R, R) {
        let far = x.abs().max(y.abs());
        let mut half = R::splat(self.half[from_level]);
        let mut level = R::splat(from_level as f32);
        for k in from_level..LEVELS - 1 {
            let outside = R::splat(self.half[k] * (1.0 - 3.0 / self.side as f32)).lt(far);
            level = R::select(outside, R::splat((k + 1) as f32), level);
            half = R::select(outside, R::splat(self.half[k + 1]), half);
        }
        let (u0, v0, fu, fv) = self.flat(half, x, y);
        let slices = self.slices as f32;
        let s = z.mul_add(R::splat(1.0 / self.slice_height()), R::splat(-0.5)).clamp(0.0, slices - 1.001);
        let s0 = s.floor();
        let side = R::Int::splat(self.side as i32);
        let slice = level.mul_add(R::splat(slices), s0).to_int();
        let first = (slice * side + v0.to_int()) * side + u0.to_int();
        let low = self.four(values, first, fu, fv);
        let high = self.four(values, first + R::Int::splat(self.plane() as i32), fu, fv);
        (low, high, s - s0)
    }

    #[inline(always)]
    fn four<R: Real>(&self, values: &[f32], first: R::Int, fu: R, fv: R) -> R {
        let up = R::Int::splat(self.side as i32);
        // SAFETY: both callers clamp the first cell so that its neighbours lie in the grid.
        let ((a, b), (c, d)) =
            unsafe { (R::gather_pairs(values, first), R::gather_pairs(values, first + up)) };
        a.lerp(b, fu).lerp(c.lerp(d, fu), fv)
    }
}

/// Cells between which a packet of neighbours lies that all went the same way.
struct Beside {
    /// The first of them in its slice.
    first: usize,
    /// How far toward the next cell, east and north.
    share: [f32; 2],
}

/// Neighbours whose ways are compared: as many as the widest lanes.
const TOGETHER: usize = 16;
/// Ways of a packet of cells that differ by less than this, in cells, count as the same.
const SAME_WAY: f32 = 0.1;

/// Extinction in cells, per metre.
pub struct DensityGrid {
    layout: Layout,
    /// The highest, and the width of single clouds, m.
    extinction: f32,
    heaps: bool,
    body: f32,
    values: Vec<f32>,
}

/// Clouds that fill cells in part, along ways toward a light.
#[derive(Clone, Copy)]
struct Broken<R: Real> {
    /// Share of a cell that is filled, for its mean extinction.
    per_core: R,
    /// One over the metres along which a way meets the same clouds.
    per_along: R,
    /// Share that a cloud of that length stops.
    stopped: R,
    /// How much of this holds: fine cells know the edges of clouds.
    holds: R,
}

/// Widths of cells, m, between which the soft edges of clouds are lost, which are some fifty metres wide.
const LOST: [f32; 2] = [70.0, 150.0];

impl<R: Real> Broken<R> {
    /// `cosine`, `sine`: of the light's height.
    #[inline(always)]
    fn new(density: &DensityGrid, cell: f32, cosine: R, sine: R) -> Broken<R> {
        let depth = R::splat(density.layout.depth) / sine;
        let across = R::splat(cell.min(density.body)) / cosine.max(R::splat(1e-3));
        let along = depth.min(across);
        let core = density.core(cell);
        let stopped = R::splat(1.0) - (along * R::splat(-core)).exp();
        Broken {
            per_core: R::splat(1.0 / core.max(1e-9)),
            per_along: R::splat(1.0) / along,
            stopped,
            holds: R::splat(((cell - LOST[0]) / (LOST[1] - LOST[0])).clamp(0.0, 1.0)),
        }
    }

    /// Extinction that stops what clouds of this mean extinction do.
    #[inline(always)]
    fn extinction(&self, mean: R) -> R {
        let filled = (mean * self.per_core).min(R::splat(1.0));
        let left = (R::splat(1.0) - filled * self.stopped).max(R::splat(1e-20));
        // Whole clouds are what they are, however little their exponential leaves.
        let broken = -left.ln() * self.per_along;
        R::select(R::splat(0.98).lt(filled), mean, mean.lerp(broken.min(mean), self.holds))
    }
}

impl DensityGrid {
    /// Extinction of a cell that is filled, per metre, of cells so wide, m.
    fn core(&self, cell: f32) -> f32 {
        let edges = match self.heaps {
            true => (ALL_EDGE[0] / self.body + ALL_EDGE[1] / cell).min(1.0),
            false => 0.0,
        };
        self.extinction * (FILLED - EDGES * edges)
    }

    /// Bytes of a form's fine grid; depths toward one light take as many.
    pub fn bytes(form: &CloudForm) -> usize {
        LEVELS * Layout::new(form, Fineness::Full).level() * size_of::<f32>()
    }

    pub fn new<'a>(form: &CloudForm, making: impl Into<Making<'a>>) -> DensityGrid {
        let making = making.into();
        let layout = Layout::new(form, making.fineness);
        let Layout { side, slices, .. } = layout;
        let values = (0..LEVELS * slices * side)
            .into_par_iter()
            .with_min_len(8)
            .flat_map_iter(|row| {
                if making.is_off() {
                    return vec![0.0; side];
                }
                let (level, slice, y) = (row / side / slices, row / side % slices, row % side);
                dispatch(DensityRow { form, layout, level, slice, y })
            })
            .collect();
        DensityGrid {
            layout,
            extinction: form.extinction,
            heaps: form.family == Family::Heaps,
            body: form.body,
            values,
        }
    }
}

struct DensityRow<'a> {
    form: &'a CloudForm,
    layout: Layout,
    level: usize,
    slice: usize,
    y: usize,
}

impl Kernel for DensityRow<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let layout = &self.layout;
        let cell = layout.cell(self.level);
        let y = R::splat(layout.centre(self.level, self.y));
        let z = R::splat((self.slice as f32 + 0.5) * layout.slice_height());
        // Cells are wide and flat: a footprint between both keeps the mean without blurring the height.
        let w = R::splat((cell * layout.slice_height()).sqrt().min(cell));
        let mut row = vec![0.0; layout.side];
        for start in (0..layout.side).step_by(R::LANES) {
            let x = steps::<R>(layout.centre(self.level, start), cell);
            self.form.extinction_at(x, y, z, w).store(&mut row[start..]);
        }
        row
    }
}

/// `from`, `from + step` and so on.
#[inline(always)]
fn steps<R: Real>(from: f32, step: f32) -> R {
    R::counts().mul_add(R::splat(step), R::splat(from))
}

/// Optical depth from each cell to the layer's edge, toward the sun.
pub struct SunDepth {
    layout: Layout,
    /// What cells hold of their depths ([`held`]).
    values: Vec<f32>,
}

impl SunDepth {
    /// `sun`: unit vector at the origin (east, north, up); `planet`: radius, m.
    pub fn new(density: &DensityGrid, sun: [f64; 3], planet: f64, making: Making) -> SunDepth {
        let layout = density.layout;
        let mut values = vec![1.0; density.values.len()];
        let sun = sun.map(|v| v as f32);
        let lowest = sun[2] - layout.half[LEVELS - 1] * 1.5 / planet as f32;
        for level in (0..LEVELS).rev() {
            for slice in (0..layout.slices).rev() {
                if making.is_off() {
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

    /// From a place beside the layer or in it to the layer's edge toward the light, which stands in the
    /// direction `[east, north, up]` there; `z` is metres above the base. Grids finer than `level` are not
    /// asked.
    #[inline(always)]
    pub fn from_outside<R: Real>(&self, level: usize, x: R, y: R, z: R, light: [R; 3]) -> R {
        let (zero, top) = (R::splat(0.0), R::splat(self.layout.depth));
        let up = light[2];
        // Under a layer light that comes along the ground still climbs through it, far away where the ground
        // has fallen off; the less, the lower it stands.
        let under = z.lt(zero);
        let sunk = (up * R::splat(1.0 / SUNK)).clamp(-1.0, 0.0);
        let rising = zero.le(up) | (under & R::splat(-1.0).lt(sunk));
        // Where the way toward the light comes into the layer, if it lies that way at all.
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

/// One slice of the sweep: where the sun is above the level (`rising`) light comes from the slice above.
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

    /// Sine and cosine of its height that ways through the slice are counted by, where the sine of it is
    /// `up`.
    #[inline(always)]
    fn steepness<R: Real>(&self, up: R) -> [R; 2] {
        let towards = if self.rising { 1.0 } else { -1.0 };
        let sine = (up * R::splat(towards)).max(R::splat(LEAST_SINE));
        [sine, (R::splat(1.0) - sine * sine).max(R::splat(0.0)).sqrt()]
    }

    /// How far light comes along the ground while it falls by `rise`, m, at one place.
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
            // As many samples as the longest way asks for, of the same cells whatever the lanes.
            let first = start / TOGETHER * TOGETHER;
            let from = s.shift(layout.centre(s.level, first), y_of_row, rise);
            let to = s.shift(layout.centre(s.level, first + TOGETHER - 1), y_of_row, rise);
            let longest = from.max(to);
            // Cells that all look the same way read whole rows; what is left of bends of the ground is next
            // to nothing.
            let same_way = (from - to).abs() < SAME_WAY * cell;
            let cells = 0.5 * (from + to) / cell;
            let way = [cells * east, cells * north];
            let count = (longest / cell).clamp(1.0, MOST_SAMPLES).ceil();
            let broken = Broken::new(density, cell, cosine, sine);
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

/// What the cells of the slice `next` hold at a place in it, or where it lies past the edge of their square
/// the next wider ones.
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
    use crate::document::{CloudKind, CloudLayer};

    fn overcast() -> CloudForm {
        let layer = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..CloudKind::Stratus.usual() };
        CloudForm::new(&layer, 100_000.0, Fineness::Draft)
    }

    /// Towers are seen from 447 km, lower heaps from 160: their cells are less than twice as wide, not three
    /// times; and twelve of their grids find room.
    #[test]
    fn towers_have_finer_grids() {
        let grid = |kind: CloudKind, reach: f64| {
            let form = CloudForm::new(&kind.usual(), reach, Fineness::Draft);
            (Layout::new(&form, Fineness::Full), DensityGrid::bytes(&form))
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
            let told = depth_of(held(Scalar(depth))).0;
            assert!((told - depth).abs() < 1e-4 * depth + 1e-3, "{depth}: {told}");
        }
        let half = depth_of((held(Scalar(0.0)) + held(Scalar(100.0))) * Scalar(0.5)).0;
        assert!((half + 4.0 * 0.5f32.ln()).abs() < 0.1, "{half}");
    }

    /// In a closed deck the depth grows downward and, over the sun's height, as one over its sine.
    #[test]
    fn depth_follows_the_slant() {
        let form = overcast();
        let density = DensityGrid::new(&form, Fineness::Full);
        let at = |elevation: f64| {
            let (s, c) = elevation.to_radians().sin_cos();
            SunDepth::new(&density, [c, 0.0, s], 6.371e6, Fineness::Full.into())
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
            let form = CloudForm::new(&CloudLayer { cover: 0.3, ..kind.usual() }, 100_000.0, Fineness::Full);
            let density = DensityGrid::new(&form, Fineness::Full);
            let depth = SunDepth::new(&density, [0.0, 0.0, 1.0], 6.371e6, Fineness::Full.into());
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
            let form = CloudForm::new(&CloudLayer { cover, ..kind.usual() }, 300_000.0, Fineness::Full);
            let density = DensityGrid::new(&form, Fineness::Full);
            for elevation in [5.0f64, 12.0, 30.0, 70.0] {
                let (s, c) = elevation.to_radians().sin_cos();
                let sun = [0.6 * c, 0.8 * c, s];
                // So large a planet is flat.
                let depth = SunDepth::new(&density, sun, 6.371e9, Fineness::Full.into());
                let [east, north, up] = sun.map(|v| v as f32);
                let (mut exact, mut told) = (0.0, [0.0; LEVELS]);
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
                    for (level, told) in told.iter_mut().enumerate() {
                        let toward = [east, north, up].map(Scalar);
                        let depth = depth.from_outside(level, Scalar(x), Scalar(y), Scalar(0.0), toward);
                        *told += (-depth.0).exp() / PLACES as f32;
                    }
                }
                for (told, allowed) in told.into_iter().zip([0.04, 0.09, 0.13]) {
                    assert!((told - exact).abs() < allowed, "{kind:?} {elevation}: {told} {exact}");
                }
            }
        }
    }

    /// A sun under the level lights the layer from below: the depth grows upward.
    #[test]
    fn a_sun_below_shines_from_below() {
        let form = overcast();
        let density = DensityGrid::new(&form, Fineness::Draft);
        let (s, c) = (-2f64).to_radians().sin_cos();
        let depth = SunDepth::new(&density, [c, 0.0, s], 6.371e6, Fineness::Full.into());
        let at = |z: f32| depth.at(Scalar(100.0), Scalar(100.0), Scalar(z)).0;
        assert!(at(300.0) > 2.0 * at(60.0) && at(60.0) > 0.0, "{} {}", at(300.0), at(60.0));
    }
}
