//! Clouds as seen straight from above: how thick, and how high.

use super::PlanSettings;
use crate::scene::{CloudComponent, Scene};
use crate::simd::{Kernel, Mask, Real, dispatch};

/// Optical depth from above at which a cloud's top is taken to be.
const TOP_DEPTH: f32 = 0.1;
/// Samples through each layer.
const STEPS: usize = 64;

/// One row of a cover map.
#[derive(Clone, Debug, PartialEq)]
pub struct CoverRow {
    /// Optical thickness of all clouds over each pixel.
    pub thickness: Vec<f32>,
    /// Altitude at which the optical depth from above reaches 0.1, m; 0 where it never does.
    pub top_m: Vec<f32>,
}

/// A row of clouds from above; only clouds, without fog.
pub fn cover_row(scene: &Scene, plan: &PlanSettings, row: usize) -> CoverRow {
    let mut out = CoverRow { thickness: vec![0.0; plan.width], top_m: vec![0.0; plan.width] };
    // From the highest down.
    let mut clouds: Vec<&CloudComponent> = scene.clouds.iter().collect();
    clouds.sort_by(|a, b| (b.form.0.base + b.form.0.depth).total_cmp(&(a.form.0.base + a.form.0.depth)));
    dispatch(FromAbove { clouds: &clouds, plan, row, out: &mut out });
    out
}

struct FromAbove<'a> {
    clouds: &'a [&'a CloudComponent],
    plan: &'a PlanSettings,
    row: usize,
    out: &'a mut CoverRow,
}

impl Kernel for FromAbove<'_> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let pixel = self.plan.pixel_m() as f32;
        let first = self.plan.east(0) as f32;
        let north = R::splat(self.plan.north(self.row) as f32);
        let zero = R::splat(0.0);
        for start in (0..self.plan.width).step_by(R::LANES) {
            let east = R::counts().mul_add(R::splat(pixel), R::splat(first + start as f32 * pixel));
            let (mut depth, mut top) = (zero, zero);
            for clouds in self.clouds {
                let form = &clouds.form.0;
                let step = form.depth / STEPS as f32;
                for k in (0..STEPS).rev() {
                    let height = (k as f32 + 0.5) * step;
                    let extinction = form.extinction_at(east, north, R::splat(height), R::splat(pixel));
                    let below = extinction.mul_add(R::splat(step), depth);
                    let reached = depth.lt(R::splat(TOP_DEPTH)) & R::splat(TOP_DEPTH).le(below);
                    if reached.any() {
                        let share = (R::splat(TOP_DEPTH) - depth) / (below - depth).max(R::splat(1e-9));
                        let altitude = R::splat(form.base + height + 0.5 * step) - share * R::splat(step);
                        top = R::select(reached, altitude, top);
                    }
                    depth = below;
                }
            }
            let (mut thickness, mut altitude) = ([0.0; 16], [0.0; 16]);
            depth.store(&mut thickness);
            top.store(&mut altitude);
            let count = R::LANES.min(self.plan.width - start);
            self.out.thickness[start..start + count].copy_from_slice(&thickness[..count]);
            self.out.top_m[start..start + count].copy_from_slice(&altitude[..count]);
        }
    }
}
