//! Column amounts of the air's constituents from any altitude to space.

use super::TOP_M;
use super::medium::{Amounts, CONSTITUENTS, Medium};
use super::shells::Ray;
use crate::air::tangent_length;
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use tenter_sky::spectrum::Spectrum;

const COSINES: usize = 256;
const ALTITUDES: usize = 64;

/// Table of columns along rays that leave the air; Bruneton and Neyret 2008, section 4, with columns of the
/// constituents in place of colours, so that one table serves every wavelength.
pub struct Transmittance {
    planet: f64,
    columns: Vec<[f32; CONSTITUENTS]>,
}

/// Ray through the column of a texel: distances are spread between straight up and the horizon.
fn ray_of(planet: f64, x_cos: f64, x_altitude: f64) -> (Ray, f64) {
    let horizon_span = tangent_length(planet, TOP_M, 0.0);
    let rho = x_altitude * horizon_span;
    let altitude = rho * rho / (planet + (planet * planet + rho * rho).sqrt());
    let (near, far) = (TOP_M - altitude, rho + horizon_span);
    let d = near + x_cos * (far - near);
    let r = planet + altitude;
    // d^2 + 2 r cos d = top^2 - r^2
    let gap = (TOP_M - altitude) * (2.0 * planet + TOP_M + altitude);
    let cos = if d <= 0.0 { 1.0 } else { ((gap - d * d) / (2.0 * r * d)).clamp(-1.0, 1.0) };
    (Ray { planet, altitude, cos }, d)
}

impl Transmittance {
    pub fn new(medium: &Medium) -> Transmittance {
        let planet = medium.planet;
        let columns = (0..ALTITUDES)
            .into_par_iter()
            .flat_map_iter(|row| {
                let rays = (0..COSINES).map(|x| {
                    ray_of(planet, x as f64 / (COSINES - 1) as f64, row as f64 / (ALTITUDES - 1) as f64)
                });
                dispatch(ColumnsOf { medium, rays: rays.collect() })
            })
            .collect();
        Transmittance { planet, columns }
    }

    /// Columns from an altitude to space, m at reference density; below the horizon, those of the horizon.
    #[inline(always)]
    pub fn columns(&self, altitude: f64, cos: f64) -> Amounts {
        let h = altitude.clamp(0.0, TOP_M);
        let r = self.planet + h;
        let horizon_span = (TOP_M * (2.0 * self.planet + TOP_M)).sqrt();
        let rho = (h * (2.0 * self.planet + h)).sqrt();
        let cos = cos.max(-rho / r);
        let gap = (TOP_M - h) * (2.0 * self.planet + TOP_M + h);
        let root = (r * r * cos * cos + gap).sqrt();
        let d = if cos > 0.0 { gap / (r * cos + root) } else { root - r * cos };
        let (near, far) = (TOP_M - h, rho + horizon_span);
        let x = ((d - near) / (far - near)).clamp(0.0, 1.0) * (COSINES - 1) as f64;
        let y = (rho / horizon_span).clamp(0.0, 1.0) * (ALTITUDES - 1) as f64;
        let (x0, y0) = ((x as usize).min(COSINES - 2), (y as usize).min(ALTITUDES - 2));
        let (fx, fy) = (x - x0 as f64, y - y0 as f64);
        let at = |dx: usize, dy: usize| self.columns[(y0 + dy) * COSINES + x0 + dx];
        let (a, b, c, d) = (at(0, 0), at(1, 0), at(0, 1), at(1, 1));
        let mut columns = [0.0; CONSTITUENTS];
        for k in 0..CONSTITUENTS {
            let top = a[k] as f64 + (b[k] - a[k]) as f64 * fx;
            let bottom = c[k] as f64 + (d[k] - c[k]) as f64 * fx;
            columns[k] = top + (bottom - top) * fy;
        }
        columns
    }

    /// Share of light that comes from space, ignoring the ground.
    #[inline(always)]
    pub fn to_space(&self, medium: &Medium, altitude: f64, cos: f64) -> Spectrum {
        medium.optical_depth(self.columns(altitude, cos)).exp_neg()
    }

    /// Share of a disc of light that stands above the horizon of a point; `cos` is of the disc's centre.
    #[inline(always)]
    pub fn share_above_horizon(&self, altitude: f64, cos: f64, disc_radius: f64) -> f64 {
        let h = altitude.max(0.0);
        let r = self.planet + h;
        // Small angles: the difference of cosines is the angle times the horizon's sine.
        let sine = self.planet / r;
        let horizon = -(h * (2.0 * self.planet + h)).sqrt() / r;
        let x = (cos - horizon) / sine.max(1e-3) / disc_radius;
        if x.abs() >= 1.0 {
            return if x > 0.0 { 1.0 } else { 0.0 };
        }
        // Area of a circle above a chord.
        0.5 + (x * (1.0 - x * x).sqrt() + x.asin()) / std::f64::consts::PI
    }
}

/// Steps along a ray; denser near its lower end, where the air is: t = d s^2.
const STEPS: usize = 96;

/// Columns along rays over distances, by the midpoint rule.
struct ColumnsOf<'a> {
    medium: &'a Medium,
    rays: Vec<(Ray, f64)>,
}

impl Kernel for ColumnsOf<'_> {
    type Output = Vec<[f32; CONSTITUENTS]>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<[f32; CONSTITUENTS]> {
        let mut columns = Vec::with_capacity(self.rays.len());
        for rays in self.rays.chunks(R::LANES) {
            let mut lanes = [[0.0f32; 16]; CONSTITUENTS];
            for (k, (ray, length)) in rays.iter().enumerate() {
                lanes[0][k] = ray.altitude as f32;
                lanes[1][k] = ray.cos as f32;
                lanes[2][k] = *length as f32;
            }
            let (altitude, cos, length) = (R::load(&lanes[0]), R::load(&lanes[1]), R::load(&lanes[2]));
            let r = R::splat(self.medium.planet as f32) + altitude;
            let mut sum = [R::splat(0.0); CONSTITUENTS];
            for i in 0..STEPS {
                let (a, b) = (i as f32 / STEPS as f32, (i + 1) as f32 / STEPS as f32);
                let middle = (a + b) * 0.5;
                let t = length * R::splat(middle * middle);
                // The difference form, as in [`Ray::altitude_at`].
                let gain = t * (t + (r + r) * cos);
                let there = (r * r + gain).max(R::splat(0.0)).sqrt();
                let amounts = self.medium.amounts_at(altitude + gain / (r + there));
                for k in 0..CONSTITUENTS {
                    sum[k] = amounts[k].mul_add(length * R::splat(b * b - a * a), sum[k]);
                }
            }
            for k in 0..CONSTITUENTS {
                sum[k].store(&mut lanes[k]);
            }
            for k in 0..rays.len() {
                columns.push([lanes[0][k], lanes[1][k], lanes[2][k], lanes[3][k]]);
            }
        }
        columns
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document;

    /// Column to space by two thousand even steps.
    fn column(medium: &Medium, ray: &Ray) -> Amounts {
        const STEPS: usize = 2000;
        let length = ray.to_shell(TOP_M);
        let mut sum = [0.0; CONSTITUENTS];
        for i in 0..STEPS {
            let (a, b) = (i as f64 / STEPS as f64, (i + 1) as f64 / STEPS as f64);
            let amounts = medium.amounts(ray.altitude_at(length * (0.5 * (a + b)).powi(2)));
            for k in 0..CONSTITUENTS {
                sum[k] += amounts[k] * length * (b * b - a * a);
            }
        }
        sum
    }

    /// Kasten and Young 1989 air mass: 1 at the zenith, 1.994 at 60 degrees from it, 10.3 at 85; from memory.
    /// At 90 degrees theirs is 38 along a refracted ray; along a straight one it is sqrt(pi R / 2 H) = 34.4
    /// for an exponential air (Chapman 1931), a little more for the slower decrease near the ground.
    #[test]
    fn air_mass() {
        let medium = Medium::new(&document::Air::default());
        let t = Transmittance::new(&medium);
        let zenith = t.columns(0.0, 1.0)[0];
        for (angle, mass, tolerance) in
            [(0.0, 1.0, 1e-6), (60.0, 1.994, 0.01), (85.0, 10.3, 0.25), (90.0, 35.0, 1.0)]
        {
            let m = t.columns(0.0, f64::to_radians(angle).cos())[0] / zenith;
            assert!((m - mass).abs() < tolerance, "{angle}: {m}");
        }
    }

    /// The table agrees with direct integration everywhere, also on a small moon and a giant.
    #[test]
    fn the_table_is_fine_enough() {
        for radius in [50.0, 6371.0, 70_000.0] {
            let air = document::Air { planet_radius_km: radius, ..Default::default() };
            let medium = Medium::new(&air);
            let t = Transmittance::new(&medium);
            for altitude in [3.0, 1500.0, 12_000.0] {
                for cos in [0.9, 0.3, 0.05, 0.005, 0.0] {
                    let ray = Ray { planet: medium.planet, altitude, cos };
                    let direct = medium.optical_depth(column(&medium, &ray)).exp_neg();
                    let table = t.to_space(&medium, altitude, cos);
                    for b in [2, 7, 13] {
                        assert!(
                            (direct.0[b] - table.0[b]).abs() < 0.006,
                            "{radius} {altitude} {cos} {b}: {} {}",
                            direct.0[b],
                            table.0[b]
                        );
                    }
                }
            }
        }
    }
}
