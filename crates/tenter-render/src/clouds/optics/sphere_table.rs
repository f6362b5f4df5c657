//! Table of spheres: scattered light inside spheres of droplets, for cumuliform clouds.
//!
//! A point in a sphere is given by its optical depth toward the light and its optical distance to the
//! nearest surface; their ratio is about the cosine at which light enters there. With the optical radius
//! these hold for other bodies: a hemisphere on its flat side is as bright as a sphere of two thirds of its
//! radius (equal volume per surface), within a tenth where it is lit. The numbers in `sphere_table.f32` are
//! Monte Carlo results for second and higher orders with Mie's function for 10 um
//! (`tenter_reference::spheres`; `references --balls` makes them again).

use crate::air::henyey_greenstein;
use crate::clouds::optics::diffusion::{ASYMMETRY, NON_FORWARD_FRACTION};
use crate::simd::{Int, Real, Scalar};
use std::f32::consts::PI;
use std::sync::LazyLock;

/// An axis whose values double from entry to entry.
#[derive(Clone, Copy)]
pub struct Row {
    first: f32,
    count: usize,
}

impl Row {
    pub fn value(self, i: usize) -> f32 {
        self.first * (i as f32).exp2()
    }

    /// Position of a value, from 0 to the last, clamped to the ends.
    #[inline(always)]
    fn place<R: Real>(self, value: R) -> R {
        let most = self.count as f32 - 1.001;
        let steps = value.max(R::splat(1e-9)).ln() * R::splat(std::f32::consts::LOG2_E);
        (steps - R::splat(self.first.log2())).clamp(0.0, most)
    }

    fn nearest(self, value: f32) -> usize {
        (value.max(1e-9) / self.first).log2().round().clamp(0.0, self.count as f32 - 1.0) as usize
    }
}

pub const DEPTHS: usize = 13;
pub const FACINGS: usize = 7;
pub const RADII: usize = 10;
/// Optical depth toward the light.
pub const DEPTH: Row = Row { first: 0.0625, count: DEPTHS };
/// Distance to the nearest surface over that depth.
pub const FACING: Row = Row { first: 1.0 / 64.0, count: FACINGS };
/// Optical radius of the sphere.
pub const RADIUS: Row = Row { first: 1.0, count: RADII };

pub const LOBES: usize = 3;
/// Asymmetries of the Henyey-Greenstein lobes of the sources: of low and of high orders. Chosen for the
/// least error of three lobes over all cells, 9 %.
const ASYMMETRIES: [f32; LOBES] = [0.55, 0.2, -0.3];
/// Radius of the sphere as bright as a hemisphere of radius 1.
pub const HALF: f32 = 2.0 / 3.0;

/// Extrapolation length of diffuse light in mean free paths (Hopf 1934): between two surfaces at the height
/// of a hemisphere it decays along the path as e^(-pi s / (h + 2 ENDS)), the first diffusion mode between
/// planes (s and h similarity-scaled).
const ENDS: f32 = 0.71;

/// Lobes at a cosine.
pub fn lobes(cosine: f64) -> [f64; LOBES] {
    phases(Scalar(cosine as f32)).map(|lobe| lobe.0 as f64)
}

/// Lobes at cosines.
#[inline(always)]
pub fn phases<R: Real>(cosine: R) -> [R; LOBES] {
    [
        henyey_greenstein(ASYMMETRIES[0], cosine),
        henyey_greenstein(ASYMMETRIES[1], cosine),
        henyey_greenstein(ASYMMETRIES[2], cosine),
    ]
}

/// Asymmetry of repeated diffraction by droplets: some three degrees (10 um, Airy's disc of 0.61
/// wavelengths over the radius, widened by the root of the number of diffractions; an assumption in
/// between).
const DIFFRACTED: f32 = 0.96;

/// Phase function of repeated diffraction as a share of all scattering.
#[inline(always)]
pub fn diffracted<R: Real>(cosine: R) -> R {
    henyey_greenstein(DIFFRACTED, cosine) * R::splat(1.0 - NON_FORWARD_FRACTION)
}

/// Largest difference in steps between a point's facing and its cell's: normal incidence says nothing about
/// grazing incidence.
const LIKE: f32 = 0.2;

/// The cell that a point represents, if any: optical depth toward the light and distance to the nearest
/// surface.
pub fn cell(depth: f32, near: f32) -> Option<usize> {
    let facing = near / depth;
    let nearest = FACING.nearest(facing);
    let off = (facing / FACING.value(nearest)).log2();
    (off < LIKE && (off > -LIKE || nearest == 0)).then(|| nearest * DEPTHS + DEPTH.nearest(depth))
}

/// Sources in spheres as shares of three lobes, for an irradiance of 1.
pub struct SphereTable {
    /// By radius, lobe, facing and depth.
    shares: Vec<f32>,
}

impl SphereTable {
    #[inline]
    pub fn get() -> &'static SphereTable {
        static TABLE: LazyLock<SphereTable> = LazyLock::new(|| {
            let shares = numbers(include_bytes!("sphere_table.f32"));
            assert_eq!(
                shares.len(),
                RADII * LOBES * FACINGS * DEPTHS,
                "sphere_table.f32 was made for other cells"
            );
            SphereTable { shares }
        });
        &TABLE
    }

    /// At optical depths toward the light, optical distances to the nearest surface, in hemispheres of an
    /// optical radius.
    ///
    /// ```
    /// use tenter_render::clouds::optics::sphere_table::SphereTable;
    /// use tenter_render::simd::Scalar;
    /// // Under the lit side there is more light than behind: ten times in a dome of radius 60.
    /// let sphere = SphereTable::get();
    /// let at = |depth, near| -> f32 {
    ///     sphere.at(Scalar(depth), Scalar(near), Scalar(60.0)).iter().map(|s| s.0).sum()
    /// };
    /// assert!(at(2.0, 2.0) > 10.0 * at(60.0, 2.0));
    /// ```
    #[inline(always)]
    pub fn at<R: Real>(&self, depth: R, near: R, dome: R) -> [R; LOBES] {
        let radius = dome * R::splat(HALF);
        let d = DEPTH.place(depth);
        let f = FACING.place(near / depth.max(R::splat(1e-3)));
        let r = RADIUS.place(radius);
        let [d0, f0, r0] = [d.floor(), f.floor(), r.floor()];
        let [dx, fx, rx] = [d - d0, f - f0, r - r0];
        let row = R::Int::splat(DEPTHS as i32);
        let lobe = R::Int::splat((FACINGS * DEPTHS) as i32);
        let first = (r0.to_int() * R::Int::splat(LOBES as i32)) * lobe + f0.to_int() * row + d0.to_int();
        let mut shares = [R::splat(0.0); LOBES];
        for (k, share) in shares.iter_mut().enumerate() {
            let first = first + R::Int::splat((k * FACINGS * DEPTHS) as i32);
            let mut by_radius = [R::splat(0.0); 2];
            for (i, value) in by_radius.iter_mut().enumerate() {
                let first = first + R::Int::splat((i * LOBES * FACINGS * DEPTHS) as i32);
                // SAFETY: places are held to their rows, one short of the last.
                let (low, high) = unsafe {
                    (R::gather_pairs(&self.shares, first), R::gather_pairs(&self.shares, first + row))
                };
                *value = low.0.lerp(low.1, dx).lerp(high.0.lerp(high.1, dx), fx);
            }
            *share = by_radius[0].lerp(by_radius[1], rx);
        }
        // A body deeper than it is high guides light between top and base, through which it escapes.
        let past = (depth - radius.max(R::splat(1.0)) * R::splat(2.0)).max(R::splat(0.0));
        let height = radius * R::splat((1.0 - ASYMMETRY) / HALF) + R::splat(2.0 * ENDS);
        let left = (-past * R::splat((1.0 - ASYMMETRY) * PI) / height).exp();
        // Small bodies scatter in proportion to their radius.
        let small = radius.min(R::splat(1.0));
        for share in &mut shares {
            *share = *share * left * small;
        }
        shares
    }
}

/// The numbers of a table's file.
fn numbers(bytes: &[u8]) -> Vec<f32> {
    bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
}
