//! Direct sunlight at any altitude and sun elevation, as a colour.

use super::{Medium, Ray, TOP_M, Transmittance};
use crate::air::tangent_sine;
use crate::simd::{Int, Kernel, Real, dispatch};
use tenter_sky::spectrum::{LightToRgb, Rgb};

const HEIGHTS: usize = 192;
const ALTITUDES: usize = 32;
/// Cosine below the horizon at which the table begins; a disc of 20 degrees has then set.
const BELOW: f32 = 0.18;

/// Illuminance (lx, linear Rec.709) on a plane that faces a sun of strength 1, without the part of the disc
/// that has set.
pub struct SunlightTable {
    planet: f32,
    values: Vec<f32>,
}

impl SunlightTable {
    /// `disc_radius` in radians.
    pub fn new(
        medium: &Medium,
        transmittance: &Transmittance,
        to_rgb: &LightToRgb,
        disc_radius: f64,
    ) -> SunlightTable {
        let mut values = Vec::with_capacity(HEIGHTS * ALTITUDES * 3);
        for y in 0..ALTITUDES {
            let altitude = (y as f64 / (ALTITUDES - 1) as f64).powi(2) * TOP_M;
            values.extend(dispatch(Row { medium, transmittance, to_rgb, disc_radius, altitude }));
        }
        SunlightTable { planet: medium.planet as f32, values }
    }

    /// `altitude` in metres, `cos` of the sun's centre to the vertical at that place.
    #[inline(always)]
    pub fn at<R: Real>(&self, altitude: R, cos: R) -> [R; 3] {
        let h = altitude.clamp(0.0, TOP_M as f32);
        let planet = R::splat(self.planet);
        let horizon = -(h * (planet + planet + h)).sqrt() / (planet + h);
        let x = ((cos - horizon + R::splat(BELOW)) * R::splat(1.0 / (1.6 + BELOW))).clamp(0.0, 1.0).sqrt()
            * R::splat((HEIGHTS - 1) as f32);
        let y = (h * R::splat(1.0 / TOP_M as f32)).sqrt() * R::splat((ALTITUDES - 1) as f32);
        let x0 = x.floor().clamp(0.0, (HEIGHTS - 2) as f32);
        let y0 = y.floor().clamp(0.0, (ALTITUDES - 2) as f32);
        let (fx, fy) = (x - x0, y - y0);
        let first = y0.mul_add(R::splat(HEIGHTS as f32), x0).to_int() * R::Int::splat(3);
        let mut light = [R::splat(0.0); 3];
        for c in 0..3 {
            let low = self.entry::<R>(first, c).lerp(self.entry::<R>(first, c + 3), fx);
            let high =
                self.entry::<R>(first, c + 3 * HEIGHTS).lerp(self.entry::<R>(first, c + 3 * HEIGHTS + 3), fx);
            light[c] = low.lerp(high, fy);
        }
        light
    }

    #[inline(always)]
    fn entry<R: Real>(&self, first: R::Int, step: usize) -> R {
        // SAFETY: `at` leaves room for the neighbours of an entry.
        unsafe { R::gather(&self.values, first + R::Int::splat(step as i32)) }
    }

    /// At a single point; above the atmosphere it is the value where the ray leaves it, or all of it where
    /// the ray passes by.
    pub fn single(&self, altitude: f64, cos: f64) -> Rgb {
        use crate::simd::Scalar;
        let ray = Ray { planet: self.planet as f64, altitude, cos };
        let (altitude, cos) = match ray.into_shell(TOP_M) {
            Some(way) => {
                let r = ray.planet + altitude;
                let there = altitude.min(TOP_M);
                (there, ((r * cos + way) / (ray.planet + there)).clamp(-1.0, 1.0))
            }
            None => (TOP_M, 1.0),
        };
        self.at(Scalar(altitude as f32), Scalar(cos as f32)).map(|c| c.0)
    }
}

struct Row<'a> {
    medium: &'a Medium,
    transmittance: &'a Transmittance,
    to_rgb: &'a LightToRgb,
    disc_radius: f64,
    altitude: f64,
}

impl Kernel for Row<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let h = self.altitude;
        let planet = self.medium.planet;
        let horizon = tangent_sine(planet, h, 0.0);
        let mut row = Vec::with_capacity(HEIGHTS * 3);
        for i in 0..HEIGHTS {
            let x = i as f64 / (HEIGHTS - 1) as f64;
            let cos = (horizon + x * x * (1.6 + BELOW as f64) - BELOW as f64).min(1.0);
            let shown = self.transmittance.share_above_horizon(h, cos, self.disc_radius);
            let light = self.transmittance.to_space(self.medium, h, cos) * shown as f32;
            row.extend(self.to_rgb.convert(&light));
        }
        row
    }
}
