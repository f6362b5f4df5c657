//! Transmittance of all clouds toward a light, in leaves of voxels.

use super::region::VolumeSettings;
use super::sample::{LEAF_VOXELS, LeafValues};
use crate::scene::Scene;
use crate::simd::{Kernel, Real, dispatch};

/// Steps of the march toward the light, their first length in voxels, and how they grow.
const STEPS: usize = 14;
const GROWTH: f32 = 1.35;

/// Share of a light's direct radiance that arrives at the voxels of a leaf, unscattered. The forms are
/// marched near each voxel, over steps that grow from half a voxel; beyond the last step the scene's depths
/// toward the light are read, whose cells are a hundred metres wide.
pub fn sunlight_of_leaf(
    scene: &Scene,
    light: usize,
    settings: &VolumeSettings,
    origin: [i32; 3],
) -> LeafValues {
    dispatch(SunlightOfLeaf { scene, light, voxel: settings.voxel_m as f32, origin })
}

struct SunlightOfLeaf<'a> {
    scene: &'a Scene,
    light: usize,
    voxel: f32,
    origin: [i32; 3],
}

impl Kernel for SunlightOfLeaf<'_> {
    type Output = LeafValues;
    #[inline(always)]
    fn run<R: Real>(self) -> LeafValues {
        let mut values = [0.0; LEAF_VOXELS];
        let voxel = R::splat(self.voxel);
        let [ox, oy, oz] = self.origin;
        let [x0, y0, z0] = R::splat_each([ox as f32 + 0.5, oy as f32 + 0.5, oz as f32 + 0.5]);
        let toward = R::splat_each(self.scene.lights[self.light].direction().map(|v| v as f32));
        let (zero, eighth) = (R::splat(0.0), R::splat(0.125));
        for first in (0..LEAF_VOXELS).step_by(R::LANES) {
            let i = R::counts() + R::splat(first as f32);
            let column = (i * eighth).floor();
            let slice = (column * eighth).floor();
            let [row, along] = [column - slice * R::splat(8.0), i - column * R::splat(8.0)];
            let east = zero - (slice + x0) * voxel;
            let up = (row + y0) * voxel;
            let north = (along + z0) * voxel;
            let mut depth = zero;
            for clouds in &self.scene.clouds {
                let form = &clouds.form.0;
                let height = up - R::splat(form.base);
                let mut length = 0.5 * self.voxel;
                let mut t = 0.0;
                let mut sum = zero;
                for _ in 0..STEPS {
                    let middle = R::splat(t + 0.5 * length);
                    let z = toward[2].mul_add(middle, height);
                    let extinction = form.extinction_at(
                        toward[0].mul_add(middle, east),
                        toward[1].mul_add(middle, north),
                        z,
                        R::splat(length.max(self.voxel)),
                    );
                    let inside = zero.le(z) & z.le(R::splat(form.depth));
                    sum = R::select(inside, extinction, zero).mul_add(R::splat(length), sum);
                    t += length;
                    length *= GROWTH;
                }
                let end = R::splat(t);
                let beyond = [
                    toward[0].mul_add(end, east),
                    toward[1].mul_add(end, north),
                    toward[2].mul_add(end, height),
                ];
                depth = depth
                    + sum
                    + clouds.depths[self.light].from_outside(0, beyond[0], beyond[1], beyond[2], toward);
            }
            (zero - depth).exp().store(&mut values[first..]);
        }
        values
    }
}
