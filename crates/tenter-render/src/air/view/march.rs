//! Integration along a ray through the air, for the tables of sky and aerial perspective.

use super::SunInSky;
use super::aerial_perspective::{
    FORWARD, HIGH_EYE_M, IN_LOBE, ISOTROPIC, MOST_FORWARD, MULTIPLE, SLICES, SMOOTH, SliceRow, TRANSMITTANCE,
    slice_distance, slice_share,
};
use crate::air::medium::{rayleigh_phase, times};
use crate::air::multiple_scattering::azimuth_apart;
use crate::air::shells::Ray;
use crate::air::{Air, TOP_M};
use crate::simd::{Kernel, Real};
use tenter_sky::spectrum::{BANDS, LightToRgb, Spectrum};

/// The integral up to a distance; sunlight outside the atmosphere is 1 in each band.
pub(super) struct March<'a> {
    pub(super) air: &'a Air,
    pub(super) ray: Ray,
    sun_cos: f64,
    pub(super) to_sun: f64,
    disc_radius: f64,
    /// Phase functions of molecules, and of aerosol and dust without their narrow lobes, split into
    /// non-forward and forward parts.
    molecules: f32,
    turned: [f32; 2],
    forward: [f32; 2],
    /// Transmittance, and the delta-scaled one for light scattered here.
    transmittance: Spectrum,
    scaled_transmittance: Spectrum,
    /// Optical depth of scattering that counts as forward.
    forward_depth: Spectrum,
    pub(super) smooth: Spectrum,
    pub(super) in_lobe: Spectrum,
    /// Multiply scattered part of `smooth`.
    multiple: Spectrum,
    /// Scattering of a uniform radiance of 1.
    isotropic: Spectrum,
}

impl<'a> March<'a> {
    #[inline(always)]
    pub(super) fn new(air: &'a Air, sun: &SunInSky, ray: Ray, to_sun: f64) -> Self {
        March {
            air,
            ray,
            sun_cos: sun.direction[2],
            to_sun,
            disc_radius: sun.disc_radius,
            molecules: rayleigh_phase(to_sun as f32),
            turned: [air.medium.aerosol.broad(to_sun as f32)[0], air.medium.dust.broad(to_sun as f32)[0]],
            forward: [air.medium.aerosol.broad(to_sun as f32)[1], air.medium.dust.broad(to_sun as f32)[1]],
            forward_depth: Spectrum::ZERO,
            transmittance: Spectrum::splat(1.0),
            scaled_transmittance: Spectrum::splat(1.0),
            smooth: Spectrum::ZERO,
            in_lobe: Spectrum::ZERO,
            multiple: Spectrum::ZERO,
            isotropic: Spectrum::ZERO,
        }
    }

    /// One step. Single scattering has the particles' own phase functions; the transmittance, and all
    /// further orders, count forward scattering as unscattered (TMS method; Nakajima and Tanaka 1988).
    ///
    /// Light scattered forward any number of times before counts too: n forward scatterings of optical
    /// depth x give x^n / n!, in all e^x - 1.
    #[inline(always)]
    pub(super) fn step(&mut self, from: f64, to: f64) {
        let Air { medium: m, delta_scaled, transmittance, multiple_scattering, .. } = self.air;
        let (t, dt) = ((from + to) * 0.5, to - from);
        let h = self.ray.altitude_at(t);
        let r0 = m.planet + self.ray.altitude;
        let per_radius = 1.0 / (m.planet + h);
        let sun_cos = ((r0 * self.sun_cos + t * self.to_sun) * per_radius).clamp(-1.0, 1.0);
        let up = ((r0 * self.ray.cos + t) * per_radius).clamp(-1.0, 1.0);
        let columns = times(m.amounts(h), dt);
        let halves = times(columns, 0.5);
        self.transmittance *= m.optical_depth(columns).exp_neg();

        let half_depth = delta_scaled.optical_depth(halves);
        let half_forward_depth = m.optical_depth(halves) - half_depth;
        let half = half_depth.exp_neg();
        let apart = azimuth_apart(up, sun_cos, self.to_sun);
        let scattering = delta_scaled.scattering(&columns);
        let multiple = self.scaled_transmittance
            * half
            * multiple_scattering.scattered(h, up, sun_cos, apart, &scattering);
        self.isotropic += self.scaled_transmittance * half * (scattering[0] + scattering[1] + scattering[2]);
        self.smooth += multiple;
        self.multiple += multiple;
        let lit = transmittance.share_above_horizon(h, sun_cos, self.disc_radius) as f32;
        if lit > 0.0 {
            let to_sun = transmittance.columns(h, sun_cos);
            let depth = delta_scaled.optical_depth(to_sun);
            let sun = self.scaled_transmittance * half * depth.exp_neg() * lit;
            let forward_depth = self.forward_depth + half_forward_depth + (m.optical_depth(to_sun) - depth);
            let counted = forward_share(forward_depth);
            let [sm, sa, sd] = m.scattering(&columns);
            let turned = sm * self.molecules + sa * self.turned[0] + sd * self.turned[1];
            let forward = sa * self.forward[0] + sd * self.forward[1];
            self.smooth += sun * (turned + forward * counted);
            self.in_lobe += sun * counted * (sa * m.aerosol.lobes[0].0 + sd * m.dust.lobes[0].0);
        }
        self.scaled_transmittance *= half * half;
        self.forward_depth += half_forward_depth + half_forward_depth;
    }
}

/// (1 - e^-x) / x, within 2 % up to 4 and falling as it should beyond.
#[inline(always)]
pub(super) fn forward_share(x: Spectrum) -> Spectrum {
    let mut share = Spectrum::ZERO;
    for b in 0..BANDS {
        let x = x.0[b];
        share.0[b] = 1.0 / (1.0 + x * (0.5 + x * (1.0 / 12.0)));
    }
    share
}

/// Where a ray comes into the air, and where it leaves it or meets the ground.
pub(super) fn ends_of(ray: &Ray, below: bool) -> [f64; 2] {
    let Some(from) = ray.into_shell(TOP_M) else { return [0.0; 2] };
    let ground = if below { ray.to_ground() } else { None };
    [from, ground.unwrap_or_else(|| ray.to_shell(TOP_M)).max(from)]
}

pub(super) struct WholeRay<'a> {
    pub(super) air: &'a Air,
    pub(super) sun: &'a SunInSky,
    pub(super) ray: Ray,
    /// Whether it ends at the ground.
    pub(super) below: bool,
    pub(super) to_sun: f64,
    pub(super) steps: usize,
}

impl Kernel for WholeRay<'_> {
    type Output = [f32; 6];
    #[inline(always)]
    fn run<R: Real>(self) -> [f32; 6] {
        let [from, to] = ends_of(&self.ray, self.below);
        let mut march = March::new(self.air, self.sun, self.ray, self.to_sun);
        let at = |i: usize| from + (to - from) * (i as f64 / self.steps as f64).powi(2);
        for i in 0..self.steps {
            march.step(at(i), at(i + 1));
        }
        let smooth = self.sun.to_rgb.convert(&march.smooth);
        let in_lobe = self.sun.to_rgb.convert(&march.in_lobe);
        [smooth[0], smooth[1], smooth[2], in_lobe[0], in_lobe[1], in_lobe[2]]
    }
}

pub(super) struct Sliced<'a> {
    pub(super) air: &'a Air,
    pub(super) sun: &'a SunInSky,
    pub(super) ray: Ray,
    pub(super) to_sun: f64,
    pub(super) below: bool,
}

impl Kernel for Sliced<'_> {
    type Output = [SliceRow; SLICES];
    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        let [from, to] = ends_of(&self.ray, self.below);
        let high = self.ray.altitude > HIGH_EYE_M;
        let mut march = March::new(self.air, self.sun, self.ray, self.to_sun);
        let to_rgb = &self.sun.to_rgb;
        // The transmittance is nearly the same under any light: sunlight stands for all.
        let white = LightToRgb::sunlight();
        let whole = white.colour();
        let mut out = [SliceRow([0.0; 16]); SLICES];
        let mut previous = 0.0f64;
        for k in 0..SLICES {
            let length = to - from;
            let distance =
                if self.below { length * slice_share(k, high) } else { slice_distance(k).min(length) };
            // A slice much thinner than the air needs one step, a thick one more.
            let steps = if distance > previous {
                (1.0 + (distance - previous) / 4000.0).min(4.0) as usize
            } else {
                0
            };
            for i in 0..steps {
                let at = |j: usize| from + previous + (distance - previous) * j as f64 / steps as f64;
                march.step(at(i), at(i + 1));
            }
            previous = previous.max(distance);
            let smooth = to_rgb.convert(&march.smooth);
            let in_lobe = to_rgb.convert(&march.in_lobe);
            let multiple = to_rgb.convert(&march.multiple);
            let isotropic = white.convert(&march.isotropic);
            let transmittance = white.convert(&march.transmittance);
            for c in 0..3 {
                out[k].0[TRANSMITTANCE + c] = transmittance[c] / whole[c];
                out[k].0[SMOOTH + c] = smooth[c];
                out[k].0[IN_LOBE + c] = in_lobe[c];
                out[k].0[MULTIPLE + c] = multiple[c];
                out[k].0[ISOTROPIC + c] = isotropic[c] / whole[c];
            }
            let scaled = white.convert(&march.scaled_transmittance)[1];
            out[k].0[FORWARD] = (scaled / transmittance[1].max(1e-9)).clamp(1.0, MOST_FORWARD);
        }
        out
    }
}
