//! What the air shows to one eye: the colour of the sky, and the air in front of things.
//!
//! Light that aerosol scattered once is kept apart and without its phase function, which has a narrow peak
//! around the sun that no table of directions would resolve; it is put on for each pixel.

use super::directions::{Corners, DirectionGrid};
use super::shells::Ray;
use super::{Air, Fineness, Making, TOP_M, aerosol_lobes, rayleigh_phase};
use crate::simd::{Int, Kernel, Real, dispatch};
use crate::spectrum::{Spectrum, SunlightToRgb};
use rayon::prelude::*;

/// Where the light comes from and how strong it is.
#[derive(Clone, Copy, Debug)]
pub struct SunInSky {
    /// Unit vector from the eye's place, x east, y north, z up.
    pub direction: [f64; 3],
    /// Half the angle of the disc, radians.
    pub disc_radius: f64,
    /// Multiple of the real sun's light.
    pub strength: f64,
    /// Illuminance of airglow and stars on level ground, lx.
    pub night_floor_lx: f64,
}

/// The sky's light and the air in front of things, from one altitude under one sun.
pub struct AirView {
    pub sky: SkyColour,
    pub front: AirInFront,
    asymmetry: f32,
}

/// Radiance of the air along whole rays, to space.
pub struct SkyColour {
    grid: DirectionGrid,
    /// Per direction: light of molecules and of all higher orders (3), light once scattered by aerosol (3).
    values: Vec<f32>,
}

/// Radiance and transmittance of the air up to a distance.
pub struct AirInFront {
    grid: DirectionGrid,
    /// Per direction and distance: as in [`SkyColour`] (6), then transmittance (3).
    values: Vec<f32>,
}

const SLICES: usize = 26;
/// Distances of the slices, m: 0, then 150 m to 900 km in equal ratios.
const FIRST_SLICE_M: f64 = 150.0;
const LAST_SLICE_M: f64 = 900_000.0;

fn slice_distance(k: usize) -> f64 {
    if k == 0 {
        return 0.0;
    }
    FIRST_SLICE_M * (LAST_SLICE_M / FIRST_SLICE_M).powf((k - 1) as f64 / (SLICES - 2) as f64)
}

impl AirView {
    pub fn new<'a>(air: &Air, altitude: f64, sun: &SunInSky, making: impl Into<Making<'a>>) -> AirView {
        let making = making.into();
        let (around, rows, steps) = match making.fineness {
            Fineness::Draft => (32, 40, 20),
            Fineness::Full => (64, 80, 40),
            Fineness::Double => (128, 160, 80),
        };
        let planet = air.medium.planet;
        let grid = DirectionGrid::new(planet, altitude, sun.direction, around, rows);
        // Below the horizon the ground is seen, behind the air in front of it: there the sky only carries on what it
        // is at the horizon.
        let mut values: Vec<f32> = (0..around * rows)
            .into_par_iter()
            .with_min_len(64)
            .flat_map_iter(|i| {
                if making.is_off() {
                    return [0.0; 6];
                }
                let (cos, to_sun, _) = grid.direction(i);
                let ray = Ray { planet, altitude, cos };
                dispatch(WholeRay { air, sun, ray, to_sun, steps })
            })
            .collect();
        let horizon = values[..6 * around].to_vec();
        (0..rows).for_each(|_| values.extend_from_slice(&horizon));
        let sky = SkyColour { grid, values };

        let (around, rows) = match making.fineness {
            Fineness::Draft => (16, 16),
            Fineness::Full => (24, 32),
            Fineness::Double => (48, 64),
        };
        let grid = DirectionGrid::new(planet, altitude, sun.direction, around, rows);
        let values = (0..grid.len())
            .into_par_iter()
            .with_min_len(16)
            .flat_map_iter(|i| {
                if making.is_off() {
                    return [0.0; 9 * SLICES];
                }
                let (cos, to_sun, below) = grid.direction(i);
                let ray = Ray { planet, altitude, cos };
                dispatch(Sliced { air, sun, ray, to_sun, below })
            })
            .collect();
        AirView { sky, front: AirInFront { grid, values }, asymmetry: air.medium.aerosol_asymmetry }
    }

    /// Phase function of aerosol toward the sun, for a packet of cosines.
    #[inline(always)]
    pub fn aerosol_phase<R: Real>(&self, cos: R) -> R {
        let mut sum = R::splat(0.0);
        for (share, g) in aerosol_lobes(self.asymmetry) {
            sum = lobe(g, cos).mul_add(R::splat(share), sum);
        }
        sum
    }
}

/// Henyey and Greenstein 1941 for a packet of cosines, per steradian.
#[inline(always)]
pub fn lobe<R: Real>(g: f32, cos: R) -> R {
    let d = (R::splat(1.0 + g * g) - cos * R::splat(2.0 * g)).max(R::splat(1e-6));
    R::splat((1.0 - g * g) / (4.0 * std::f32::consts::PI)) / (d * d.sqrt())
}

impl SkyColour {
    /// Radiance (cd/m2 in linear Rec.709) toward packets of directions: everything but the discs.
    #[inline(always)]
    pub fn radiance<R: Real>(&self, direction: [R; 3], aerosol_phase: R) -> [R; 3] {
        let corners = self.grid.corners(direction);
        let mut light = [R::splat(0.0); 3];
        for c in 0..3 {
            let smooth = corners.gather(&self.values, 6, R::Int::splat(c as i32));
            let aerosol = corners.gather(&self.values, 6, R::Int::splat(c as i32 + 3));
            light[c] = aerosol.mul_add(aerosol_phase, smooth);
        }
        light
    }
}

/// Light of the air and what it lets through.
pub struct Front<R: Real> {
    pub light: [R; 3],
    pub through: [R; 3],
}

impl AirInFront {
    #[inline(always)]
    pub fn corners<R: Real>(&self, direction: [R; 3]) -> Corners<R> {
        self.grid.corners(direction)
    }

    /// The air up to a distance in metres.
    #[inline(always)]
    pub fn up_to<R: Real>(&self, corners: &Corners<R>, distance: R, aerosol_phase: R) -> Front<R> {
        let ratio = (LAST_SLICE_M / FIRST_SLICE_M).ln() / (SLICES - 2) as f64;
        let x = (distance * R::splat(1.0 / FIRST_SLICE_M as f32)).max(R::splat(1e-6)).ln()
            * R::splat((1.0 / ratio) as f32)
            + R::splat(1.0);
        let k = x.floor().clamp(0.0, (SLICES - 2) as f32);
        // Between slices the distance itself is the weight; the first slice begins at the eye.
        let far = ((k) * R::splat(ratio as f32)).exp() * R::splat(FIRST_SLICE_M as f32);
        let near = R::select(k.lt(R::splat(0.5)), R::splat(0.0), far * R::splat((-ratio).exp() as f32));
        let f = ((distance - near) / (far - near)).clamp(0.0, 1.0);
        let first = (k * R::splat(9.0)).to_int();
        let (mut light, mut through) = ([R::splat(0.0); 3], [R::splat(0.0); 3]);
        for c in 0..3 {
            let smooth = self.between::<R>(corners, first, c, f);
            light[c] = self.between::<R>(corners, first, c + 3, f).mul_add(aerosol_phase, smooth);
            through[c] = self.between::<R>(corners, first, c + 6, f);
        }
        Front { light, through }
    }

    /// A channel between the slice that begins at `first` and the next one.
    #[inline(always)]
    fn between<R: Real>(&self, corners: &Corners<R>, first: R::Int, channel: usize, f: R) -> R {
        let near = corners.gather(&self.values, 9 * SLICES, first + R::Int::splat(channel as i32));
        let far = corners.gather(&self.values, 9 * SLICES, first + R::Int::splat(channel as i32 + 9));
        near.lerp(far, f)
    }
}

/// Light gathered along a ray so far; sunlight outside the air is 1 in each band.
struct March<'a> {
    air: &'a Air,
    ray: Ray,
    sun_cos: f64,
    to_sun: f64,
    disc_radius: f64,
    phase: f32,
    /// What is left of light from behind, of light scattered once here, and of light scattered more often.
    through: Spectrum,
    once: Spectrum,
    often: Spectrum,
    smooth: Spectrum,
    aerosol: Spectrum,
}

impl<'a> March<'a> {
    #[inline(always)]
    fn new(air: &'a Air, sun: &SunInSky, ray: Ray, to_sun: f64) -> Self {
        March {
            air,
            ray,
            sun_cos: sun.direction[2],
            to_sun,
            disc_radius: sun.disc_radius,
            phase: rayleigh_phase(to_sun as f32),
            through: Spectrum::splat(1.0),
            once: Spectrum::splat(1.0),
            often: Spectrum::splat(1.0),
            smooth: Spectrum::ZERO,
            aerosol: Spectrum::ZERO,
        }
    }

    /// One stretch of the ray. What is scattered once has aerosol's own phase function; on its way, and in all further
    /// scatterings, what goes nearly forward counts as not scattered (Nakajima and Tanaka 1988, their TMS method).
    #[inline(always)]
    fn step(&mut self, from: f64, to: f64) {
        let Air { medium: m, once, often, transmittance, orders } = self.air;
        let (t, dt) = ((from + to) * 0.5, to - from);
        let h = self.ray.altitude_at(t);
        let r0 = m.planet + self.ray.altitude;
        let sun_cos = ((r0 * self.sun_cos + t * self.to_sun) / (m.planet + h)).clamp(-1.0, 1.0);
        let n = m.amounts(h);
        let columns = [n[0] * dt, n[1] * dt, n[2] * dt];
        let halves = [0.5 * columns[0], 0.5 * columns[1], 0.5 * columns[2]];
        self.through *= m.optical_depth(columns).exp_neg();
        let sm = m.molecules * columns[0] as f32;

        let half = often.optical_depth(halves).exp_neg();
        let sa = often.aerosol_scattering * columns[1] as f32;
        self.smooth += self.often * half * (sm + sa) * orders.mean(h, sun_cos);
        self.often *= half * half;

        let half = once.optical_depth(halves).exp_neg();
        let lit = transmittance.share_above_horizon(h, sun_cos, self.disc_radius) as f32;
        if lit > 0.0 {
            let sun = self.once * half * transmittance.to_space(once, h, sun_cos) * lit;
            self.smooth += sun * sm * self.phase;
            self.aerosol += sun * m.aerosol_scattering * columns[1] as f32;
        }
        self.once *= half * half;
    }
}

/// Where a ray leaves the air, or meets the ground.
fn length_of(ray: &Ray, below: bool) -> f64 {
    if below { ray.to_ground().unwrap_or_else(|| ray.to_shell(TOP_M)) } else { ray.to_shell(TOP_M) }
}

struct WholeRay<'a> {
    air: &'a Air,
    sun: &'a SunInSky,
    ray: Ray,
    to_sun: f64,
    steps: usize,
}

impl Kernel for WholeRay<'_> {
    type Output = [f32; 6];
    #[inline(always)]
    fn run<R: Real>(self) -> [f32; 6] {
        let length = length_of(&self.ray, false);
        let mut march = March::new(self.air, self.sun, self.ray, self.to_sun);
        let at = |i: usize| length * (i as f64 / self.steps as f64).powi(2);
        for i in 0..self.steps {
            march.step(at(i), at(i + 1));
        }
        let to_rgb = SunlightToRgb::get();
        let strength = self.sun.strength as f32;
        let smooth = to_rgb.convert(&march.smooth).map(|v| v * strength);
        let aerosol = to_rgb.convert(&march.aerosol).map(|v| v * strength);
        // Airglow is outside the air, the same all round: on level ground it makes pi times its radiance.
        let glow = (self.sun.night_floor_lx / std::f64::consts::PI) as f32;
        [smooth[0] + glow, smooth[1] + glow, smooth[2] + glow, aerosol[0], aerosol[1], aerosol[2]]
    }
}

struct Sliced<'a> {
    air: &'a Air,
    sun: &'a SunInSky,
    ray: Ray,
    to_sun: f64,
    below: bool,
}

impl Kernel for Sliced<'_> {
    type Output = [f32; 9 * SLICES];
    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        let length = length_of(&self.ray, self.below);
        let mut march = March::new(self.air, self.sun, self.ray, self.to_sun);
        let to_rgb = SunlightToRgb::get();
        let white = to_rgb.convert(&Spectrum::splat(1.0));
        let strength = self.sun.strength as f32;
        let mut out = [0.0; 9 * SLICES];
        let mut previous = 0.0f64;
        for k in 0..SLICES {
            let distance = slice_distance(k).min(length);
            // A slice much thinner than the air needs one step, a thick one more.
            let steps = if distance > previous {
                (1.0 + (distance - previous) / 4000.0).min(4.0) as usize
            } else {
                0
            };
            for i in 0..steps {
                let at = |j: usize| previous + (distance - previous) * j as f64 / steps as f64;
                march.step(at(i), at(i + 1));
            }
            previous = previous.max(distance);
            let smooth = to_rgb.convert(&march.smooth);
            let aerosol = to_rgb.convert(&march.aerosol);
            let through = to_rgb.convert(&march.through);
            for c in 0..3 {
                out[9 * k + c] = smooth[c] * strength;
                out[9 * k + 3 + c] = aerosol[c] * strength;
                out[9 * k + 6 + c] = through[c] / white[c];
            }
        }
        out
    }
}

#[cfg(test)]
impl SunInSky {
    /// The real sun due south, by its elevation in degrees.
    pub fn in_the_south(elevation: f64) -> SunInSky {
        let (s, c) = elevation.to_radians().sin_cos();
        SunInSky { direction: [0.0, -c, s], disc_radius: 0.00465, strength: 1.0, night_floor_lx: 0.0 }
    }
}

#[cfg(test)]
mod tests {
    use super::super::aerosol_phase;
    use super::*;
    use crate::document;
    use crate::simd::Scalar;

    #[test]
    fn packet_phase_is_the_plain_one() {
        let air = Air::new(&document::Air::default(), Fineness::Draft);
        let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(30.0), Fineness::Draft);
        for c in [-1.0f32, -0.3, 0.5, 0.99, 1.0] {
            let (a, b) = (view.aerosol_phase(Scalar(c)).0, aerosol_phase(air.medium.aerosol_asymmetry, c));
            assert!((a / b - 1.0).abs() < 1e-4, "{c}: {a} {b}");
        }
    }

    /// Air in front of space is the whole sky, and a short way through it changes nothing.
    #[test]
    fn the_air_in_front_grows_into_the_sky() {
        let air = Air::new(&document::Air::default(), Fineness::Full);
        let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(40.0), Fineness::Full);
        for (e, a) in [(60.0f64, 10.0f64), (20.0, 120.0), (4.0, 60.0)] {
            let ((sa, ca), (se, ce)) = (a.to_radians().sin_cos(), e.to_radians().sin_cos());
            let d = [ce * sa, ce * ca, se].map(|v| Scalar(v as f32));
            let phase = view.aerosol_phase(Scalar(
                (-d[1].0 * 40f32.to_radians().cos()) + d[2].0 * 40f32.to_radians().sin(),
            ));
            let whole = view.sky.radiance(d, phase).map(|v| v.0);
            let corners = view.front.corners(d);
            let far = view.front.up_to(&corners, Scalar(8e5), phase);
            let near = view.front.up_to(&corners, Scalar(0.0), phase);
            for c in 0..3 {
                assert!(
                    (far.light[c].0 / whole[c] - 1.0).abs() < 0.05,
                    "{e} {a}: {} {}",
                    far.light[c].0,
                    whole[c]
                );
                assert!(near.light[c].0.abs() < 1e-3 && (near.through[c].0 - 1.0).abs() < 1e-3);
            }
        }
    }
}
