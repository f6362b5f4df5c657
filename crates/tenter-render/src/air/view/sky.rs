//! Radiance of the clear sky: of the air along whole rays, to space.

use super::SunInSky;
use super::march::WholeRay;
use crate::air::directions::DirectionGrid;
use crate::air::shells::Ray;
use crate::air::{Air, Build};
use crate::simd::{Int, Real, dispatch};
use rayon::prelude::*;

/// Radiance of the air along whole rays, to space.
pub struct SkyRadiance {
    pub(super) grid: DirectionGrid,
    /// Per direction: smooth radiance (3), and single scattering by the narrow lobe without its phase
    /// function (3).
    pub(super) values: Vec<f32>,
}

impl SkyRadiance {
    /// The air's own sky; `size`: columns, rows, and steps along a ray.
    pub(super) fn new(
        air: &Air,
        altitude: f64,
        sun: &SunInSky,
        [around, rows, steps]: [usize; 3],
        build: Build,
    ) -> SkyRadiance {
        let planet = air.medium.planet;
        let grid = DirectionGrid::new(planet, altitude, sun.direction, around, rows);
        // Below the horizon the ground shows behind the aerial perspective; the sky only continues its
        // value at the horizon.
        let mut values: Vec<f32> = (0..around * rows)
            .into_par_iter()
            .with_min_len(64)
            .flat_map_iter(|i| {
                if build.is_cancelled() {
                    return [0.0; 6];
                }
                let (cos, to_sun, _) = grid.direction(i);
                let ray = Ray { planet, altitude, cos };
                dispatch(WholeRay { air, sun, ray, below: false, to_sun, steps })
            })
            .collect();
        let horizon = values[..6 * around].to_vec();
        (0..rows).for_each(|_| values.extend_from_slice(&horizon));
        SkyRadiance { grid, values }
    }

    /// The sky at the ground, at the resolution that its illuminance needs.
    pub fn from_ground<'a>(air: &Air, sun: &SunInSky, build: impl Into<Build<'a>>) -> SkyRadiance {
        SkyRadiance::new(air, 1.0, sun, [32, 40, 20], build.into())
    }

    /// A sky that is a function of the cosines to the zenith and to the sun, cd/m2 in linear Rec.709.
    pub fn painted(
        planet: f64,
        altitude: f64,
        sun: [f64; 3],
        sky: impl Fn(f64, f64) -> [f32; 3] + Sync,
    ) -> SkyRadiance {
        let grid = DirectionGrid::new(planet, altitude, sun, 128, 256).even_overhead();
        let values = (0..grid.len())
            .into_par_iter()
            .flat_map_iter(|i| {
                let (cos, to_sun, _) = grid.direction(i);
                let [r, g, b] = sky(cos, to_sun);
                [r, g, b, 0.0, 0.0, 0.0]
            })
            .collect();
        SkyRadiance { grid, values }
    }

    /// Radiance (cd/m2 in linear Rec.709) toward packets of directions: everything but the discs.
    #[inline(always)]
    pub fn radiance<R: Real>(&self, direction: [R; 3], narrow: R) -> [R; 3] {
        let corners = self.grid.corners(direction);
        let mut light = [R::splat(0.0); 3];
        for c in 0..3 {
            let smooth = corners.gather(&self.values, 6, R::Int::splat(c as i32));
            let aerosol = corners.gather(&self.values, 6, R::Int::splat(c as i32 + 3));
            light[c] = aerosol.mul_add(narrow, smooth);
        }
        light
    }
}
