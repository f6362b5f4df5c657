//! Extinction of cloud forms in leaves of voxels.

use super::region::VolumeSettings;
use crate::clouds::form::CloudForm;
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use serde::Serialize;

/// Voxels along a side of a leaf, and in one: those of an OpenVDB tree.
pub const LEAF_SIDE: i32 = 8;
pub const LEAF_VOXELS: usize = 512;

/// Values of a leaf: z fastest, then y, then x.
pub type LeafValues = [f32; LEAF_VOXELS];

/// Sum of the extinction (1/m) of forms in the voxels of a leaf, averaged over a voxel's footprint; 0 outside
/// of the volume's box. Nothing where no cloud is.
pub fn sample_leaf(forms: &[&CloudForm], settings: &VolumeSettings, origin: [i32; 3]) -> Option<LeafValues> {
    let voxel = settings.voxel_m as f32;
    let near: Vec<&CloudForm> = forms.iter().copied().filter(|form| may_hold(form, voxel, origin)).collect();
    if near.is_empty() {
        return None;
    }
    let mut values = dispatch(SampleLeaf { forms: &near, voxel, origin });
    clip(&mut values, settings.bounds(), origin);
    values.iter().any(|v| *v != 0.0).then_some(values)
}

/// Whether a form may have cloud in a leaf, by its altitudes.
fn may_hold(form: &CloudForm, voxel: f32, origin: [i32; 3]) -> bool {
    let low = origin[1] as f32 * voxel;
    let high = low + LEAF_SIDE as f32 * voxel;
    form.base < high && low < form.base + form.depth
}

/// Clears voxels outside of a box.
fn clip(values: &mut LeafValues, [low, high]: [[i32; 3]; 2], origin: [i32; 3]) {
    let inside = |index: [i32; 3]| (0..3).all(|axis| (low[axis]..high[axis]).contains(&index[axis]));
    let last = origin.map(|o| o + LEAF_SIDE - 1);
    if inside(origin) && inside(last) {
        return;
    }
    for (i, value) in values.iter_mut().enumerate() {
        let i = i as i32;
        let index = [origin[0] + (i >> 6), origin[1] + (i >> 3 & 7), origin[2] + (i & 7)];
        if !inside(index) {
            *value = 0.0;
        }
    }
}

struct SampleLeaf<'a> {
    forms: &'a [&'a CloudForm],
    voxel: f32,
    origin: [i32; 3],
}

impl Kernel for SampleLeaf<'_> {
    type Output = LeafValues;
    #[inline(always)]
    fn run<R: Real>(self) -> LeafValues {
        let mut values = [0.0; LEAF_VOXELS];
        let voxel = R::splat(self.voxel);
        let [x0, y0, z0] =
            [self.origin[0] as f32 + 0.5, self.origin[1] as f32 + 0.5, self.origin[2] as f32 + 0.5];
        let (zero, eighth) = (R::splat(0.0), R::splat(0.125));
        for first in (0..LEAF_VOXELS).step_by(R::LANES) {
            let i = R::counts() + R::splat(first as f32);
            let column = (i * eighth).floor();
            let x = (column * eighth).floor();
            let [y, z] = [column - x * R::splat(8.0), i - column * R::splat(8.0)];
            let west = (x + R::splat(x0)) * voxel;
            let up = (y + R::splat(y0)) * voxel;
            let north = (z + R::splat(z0)) * voxel;
            let mut sum = zero;
            for form in self.forms {
                let height = up - R::splat(form.base);
                let extinction = form.extinction_at(zero - west, north, height, voxel);
                let inside = zero.le(height) & height.le(R::splat(form.depth));
                sum = sum + R::select(inside, extinction, zero);
            }
            sum.store(&mut values[first..]);
        }
        values
    }
}

/// What a volume is going to be, before it is made.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct VolumeEstimate {
    /// Voxels of the box, and those with cloud, estimated from some leaves.
    pub voxels: f64,
    pub active: f64,
    /// Leaves with cloud, and all of the box.
    pub leaves_with_cloud: f64,
    pub leaves: f64,
}

/// Leaves that an estimate samples, about.
pub const ESTIMATE_SAMPLES: i64 = 16_384;

/// Estimates a volume from leaves spread evenly over its box.
pub fn estimate(forms: &[&CloudForm], settings: &VolumeSettings) -> VolumeEstimate {
    let all: i64 = settings.leaf_count().into_iter().product();
    // The golden section of their number: no step that follows the rows of the box.
    let step = (all as f64 * 0.618_034) as i64 | 1;
    let counted: Vec<usize> = (0..ESTIMATE_SAMPLES.min(all))
        .into_par_iter()
        .map(|i| {
            let number = if all <= ESTIMATE_SAMPLES {
                i
            } else {
                (i128::from(i) * i128::from(step) % i128::from(all)) as i64
            };
            let leaf = sample_leaf(forms, settings, settings.leaf(number));
            leaf.map_or(0, |values| values.iter().filter(|v| **v != 0.0).count())
        })
        .collect();
    let share = all as f64 / counted.len().max(1) as f64;
    VolumeEstimate {
        voxels: settings.voxels(),
        active: counted.iter().sum::<usize>() as f64 * share,
        leaves_with_cloud: counted.iter().filter(|count| **count > 0).count() as f64 * share,
        leaves: all as f64,
    }
}
