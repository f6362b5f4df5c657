//! The grid of extinction, and subgrid clouds.

use super::layout::Layout;
use crate::air::{Build, TableQuality};
use crate::clouds::form::CloudForm;
use crate::clouds::nested::LEVELS;
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use tenter_sky::document::Family;

/// Extinction of a full cell as a share of the highest: edges are less dense but opaque as well. Calibrated
/// so that as much light passes as along paths through the form (see the tests).
const FILLED: f32 = 0.75;

/// Reduction where edges dominate the cell: for bodies as wide as this, m, less for wider ones; and for
/// cells as narrow.
const EDGES: f32 = 0.15;

const ALL_EDGE: [f32; 2] = [800.0, 110.0];

/// Range of cell widths, m, over which soft edges (some fifty metres wide) become unresolved.
const LOST: [f32; 2] = [70.0, 150.0];

/// Extinction in cells, per metre.
pub struct DensityGrid {
    pub(super) layout: Layout,
    /// The highest, and the width of single clouds, m.
    pub(super) extinction: f32,
    heaps: bool,
    body: f32,
    pub(super) values: Vec<f32>,
}

/// Subgrid clouds along paths toward a light.
#[derive(Clone, Copy)]
pub(super) struct SubgridFill<R: Real> {
    /// Cover of a cell per mean extinction.
    per_core: R,
    /// Inverse of the path length through the same clouds, 1/m.
    per_along: R,
    /// Opacity of a cloud of that length.
    stopped: R,
    /// Weight of the correction: fine cells resolve edges.
    weight: R,
}

impl<R: Real> SubgridFill<R> {
    /// `cosine`, `sine`: of the light's height.
    #[inline(always)]
    pub(super) fn new(density: &DensityGrid, cell: f32, cosine: R, sine: R) -> SubgridFill<R> {
        let depth = R::splat(density.layout.depth) / sine;
        let across = R::splat(cell.min(density.body)) / cosine.max(R::splat(1e-3));
        let along = depth.min(across);
        let core = density.core(cell);
        let stopped = R::splat(1.0) - (along * R::splat(-core)).exp();
        SubgridFill {
            per_core: R::splat(1.0 / core.max(1e-9)),
            per_along: R::splat(1.0) / along,
            stopped,
            weight: R::splat(((cell - LOST[0]) / (LOST[1] - LOST[0])).clamp(0.0, 1.0)),
        }
    }

    /// Effective extinction of clouds of this mean extinction.
    #[inline(always)]
    pub(super) fn extinction(&self, mean: R) -> R {
        let filled = (mean * self.per_core).min(R::splat(1.0));
        let left = (R::splat(1.0) - filled * self.stopped).max(R::splat(1e-20));
        // Full cells keep their mean extinction whatever their transmittance.
        let broken = -left.ln() * self.per_along;
        R::select(R::splat(0.98).lt(filled), mean, mean.lerp(broken.min(mean), self.weight))
    }
}

impl DensityGrid {
    /// Extinction of a full cell of this width (m), per metre.
    pub(super) fn core(&self, cell: f32) -> f32 {
        let edges = match self.heaps {
            true => (ALL_EDGE[0] / self.body + ALL_EDGE[1] / cell).min(1.0),
            false => 0.0,
        };
        self.extinction * (FILLED - EDGES * edges)
    }

    /// Bytes of a form's fine grid; depths toward one light take as many.
    pub fn bytes(form: &CloudForm) -> usize {
        LEVELS * Layout::new(form, TableQuality::Full).level() * size_of::<f32>()
    }

    pub fn new<'a>(form: &CloudForm, build: impl Into<Build<'a>>) -> DensityGrid {
        let build = build.into();
        let layout = Layout::new(form, build.quality);
        let Layout { side, slices, .. } = layout;
        let values = (0..LEVELS * slices * side)
            .into_par_iter()
            .with_min_len(8)
            .flat_map_iter(|row| {
                if build.is_cancelled() {
                    return vec![0.0; side];
                }
                let (level, slice, y) = (row / side / slices, row / side % slices, row % side);
                dispatch(DensityRow { form, layout, level, slice, y })
            })
            .collect();
        DensityGrid {
            layout,
            extinction: form.extinction,
            heaps: form.family == Family::Cumuliform,
            body: form.body_width,
            values,
        }
    }
}

struct DensityRow<'a> {
    form: &'a CloudForm,
    pub(super) layout: Layout,
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
        // Cells are wide and flat: a footprint between both preserves the mean without blurring the height.
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
pub(super) fn steps<R: Real>(from: f32, step: f32) -> R {
    R::counts().mul_add(R::splat(step), R::splat(from))
}
