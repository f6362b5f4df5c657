//! Layout of both grids: nested squares of cells, in slices of the layer's height.

use crate::air::TableQuality;
use crate::clouds::form::CloudForm;
use crate::clouds::nested::LEVELS;
use crate::simd::{Int, Real};
use tenter_sky::document::Family;

/// Neighbours whose displacements are compared: the widest lanes.
pub(super) const TOGETHER: usize = 16;

/// Largest width and height of cells in the finest square, m, as far as the number of cells allows: a tower
/// a few kilometres wide shades others ten kilometres away.
const WIDEST_CELL: f32 = 175.0;

const HIGHEST_SLICE: f32 = 420.0;

/// Fewest and most cells along a side, and slices.
const SIDES: [f32; 2] = [208.0, 320.0];

const SLICES: [f32; 2] = [16.0, 24.0];

/// Share of them in first pictures.
const DRAFT: f32 = 0.72;

/// Layout of both grids.
#[derive(Clone, Copy)]
pub(super) struct Layout {
    pub(super) side: usize,
    pub(super) slices: usize,
    pub(super) half: [f32; LEVELS],
    pub(super) depth: f32,
}

impl Layout {
    /// Tall clouds are visible from afar: their squares are wide, and cells would be as wide as the shadows
    /// of towers.
    pub(super) fn new(form: &CloudForm, quality: TableQuality) -> Layout {
        let half = form.squares();
        let width = match form.family {
            Family::Cumuliform => (2.0 * half[0] / WIDEST_CELL).clamp(SIDES[0], SIDES[1]),
            _ => SIDES[0],
        };
        let height = (form.depth / HIGHEST_SLICE).clamp(SLICES[0], SLICES[1]);
        let times = match quality {
            TableQuality::Draft => DRAFT,
            TableQuality::Full => 1.0,
            TableQuality::Double => 2.0,
        };
        let side = ((width * times / TOGETHER as f32).round() as usize) * TOGETHER;
        Layout { side, slices: (height * times).round() as usize, half, depth: form.depth }
    }

    #[inline]
    pub(super) fn plane(&self) -> usize {
        self.side * self.side
    }
    pub(super) fn level(&self) -> usize {
        self.plane() * self.slices
    }
    pub(super) fn cell(&self, level: usize) -> f32 {
        2.0 * self.half[level] / self.side as f32
    }
    #[inline]
    pub(super) fn slice_height(&self) -> f32 {
        self.depth / self.slices as f32
    }
    /// Middle of a cell along one axis, m.
    pub(super) fn centre(&self, level: usize, i: usize) -> f32 {
        (i as f32 + 0.5 - self.side as f32 * 0.5) * self.cell(level)
    }

    /// First cell and weights of a bilinear look-up in one level, clamped to its square.
    #[inline(always)]
    pub(super) fn flat<R: Real>(&self, half: R, x: R, y: R) -> (R, R, R, R) {
        let side = self.side as f32;
        let per_metre = R::splat(0.5 * side) / half;
        let u = x.mul_add(per_metre, R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let v = y.mul_add(per_metre, R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let (u0, v0) = (u.floor(), v.floor());
        (u0, v0, u - u0, v - v0)
    }

    /// Destination of a packet of `lanes` neighbouring cells, the first being `cell`, displaced by the same
    /// number of cells; none where some reach the edge of their square.
    #[inline(always)]
    pub(super) fn beside(&self, cell: [usize; 2], lanes: usize, way: [f32; 2]) -> Option<Beside> {
        let [u, v] = [cell[0] as f32 + way[0], cell[1] as f32 + way[1]];
        let most = self.side as f32 - 2.01;
        let inside = 1.0 <= u && u + (lanes - 1) as f32 <= most && 1.0 <= v && v <= most;
        let first = v as usize * self.side + u as usize;
        inside.then(|| Beside { first, share: [u - u.floor(), v - v.floor()] })
    }

    /// Bilinear look-up in one slice, of those of all levels.
    #[inline(always)]
    pub(super) fn at_beside<R: Real>(&self, values: &[f32], slice: usize, beside: &Beside) -> R {
        let values = &values[slice * self.plane() + beside.first..];
        let [fu, fv] = R::splat_each(beside.share);
        let low = R::load(values).lerp(R::load(&values[1..]), fu);
        let high = R::load(&values[self.side..]).lerp(R::load(&values[self.side + 1..]), fu);
        low.lerp(high, fv)
    }

    /// Trilinear look-up at metres east, north and above the base.
    #[inline(always)]
    pub(super) fn at<R: Real>(&self, values: &[f32], from_level: usize, x: R, y: R, z: R) -> R {
        let (low, high, f) = self.slices_at(values, from_level, x, y, z);
        low.lerp(high, f)
    }

    /// Bilinear look-ups in the slices under and over a place, and how far it lies between them.
    #[inline(always)]
    pub(super) fn slices_at<R: Real>(
        &self,
        values: &[f32],
        from_level: usize,
        x: R,
        y: R,
        z: R,
    ) -> (R, R, R) {
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
    pub(super) fn four<R: Real>(&self, values: &[f32], first: R::Int, fu: R, fv: R) -> R {
        let up = R::Int::splat(self.side as i32);
        // SAFETY: both callers clamp the first cell so that its neighbours lie in the grid.
        let ((a, b), (c, d)) =
            unsafe { (R::gather_pairs(values, first), R::gather_pairs(values, first + up)) };
        a.lerp(b, fu).lerp(c.lerp(d, fu), fv)
    }
}

/// The cells around the destination of a packet with a common displacement.
pub(super) struct Beside {
    /// The first of them in its slice.
    pub(super) first: usize,
    /// Fractions toward the next cell, east and north.
    pub(super) share: [f32; 2],
}
