//! Light scattered more than once.
//!
//! The mean radiance at a point depends only on its altitude and the sun's height there, since shells are
//! alike all around. A table of it is made order by order: the mean of what is scattered once, then of what
//! that light does in its turn. Orders above the third follow as a geometric series with the local ratio of
//! the last two, as Hillaire 2020 (eq. 9) does for all; here the transport of the first three is not local,
//! which twilight needs: there the air overhead is lit from beyond the horizon.

use super::medium::{Medium, aerosol_phase, rayleigh_phase};
use super::shells::Ray;
use super::transmittance::Transmittance;
use super::{Fineness, Making, TOP_M};
use crate::simd::{Kernel, Real, dispatch};
use crate::spectrum::{BANDS, Spectrum};
use rayon::prelude::*;
use std::f64::consts::PI;

/// Mean radiance (per unit sunlight, per steradian) of all light that was scattered at least once.
pub struct Orders {
    altitudes: usize,
    heights: usize,
    mean: Vec<Spectrum>,
}

/// The table's axis over the sun's height: cosine from -0.45 (27 degrees below) to 1, finest at the horizon.
fn cosine_of(x: f64) -> f64 {
    const ZERO: f64 = 0.42;
    if x < ZERO { -0.45 * ((ZERO - x) / ZERO).powi(2) } else { ((x - ZERO) / (1.0 - ZERO)).powi(2) }
}

fn position_of(cos: f64) -> f64 {
    const ZERO: f64 = 0.42;
    if cos < 0.0 {
        ZERO - ZERO * (-cos / 0.45).min(1.0).sqrt()
    } else {
        ZERO + (1.0 - ZERO) * cos.min(1.0).sqrt()
    }
}

struct Table<'a> {
    altitudes: usize,
    heights: usize,
    values: &'a [Spectrum],
}

impl Table<'_> {
    #[inline(always)]
    fn at(&self, altitude: f64, cos: f64) -> Spectrum {
        let y = (altitude / TOP_M).clamp(0.0, 1.0).sqrt() * (self.altitudes - 1) as f64;
        let x = position_of(cos) * (self.heights - 1) as f64;
        let (x0, y0) = ((x as usize).min(self.heights - 2), (y as usize).min(self.altitudes - 2));
        let (fx, fy) = ((x - x0 as f64) as f32, (y - y0 as f64) as f32);
        let (i, j) = (y0 * self.heights + x0, (y0 + 1) * self.heights + x0);
        self.values[i].lerp(self.values[i + 1], fx).lerp(self.values[j].lerp(self.values[j + 1], fx), fy)
    }
}

/// What a direction gathers: the source is either sunlight or the table of an earlier order.
enum Source<'a> {
    Sun(&'a Transmittance),
    Scattered(Table<'a>, &'a [Spectrum]),
}

impl Orders {
    pub fn new(medium: &Medium, transmittance: &Transmittance, making: Making) -> Orders {
        // Rows of altitude and of sun heights; cosines and azimuths of directions; steps along each.
        let (altitudes, heights, polar, around, steps) = match making.fineness {
            Fineness::Draft => (12, 20, 12, 4, 14),
            Fineness::Full => (24, 40, 12, 6, 20),
        };
        let pass = |source: &Source| -> (Vec<Spectrum>, Vec<Spectrum>) {
            let both: Vec<(Spectrum, Spectrum)> = (0..altitudes * heights)
                .into_par_iter()
                .map(|i| {
                    if making.is_off() {
                        return (Spectrum::ZERO, Spectrum::ZERO);
                    }
                    let altitude = ((i / heights) as f64 / (altitudes - 1) as f64).powi(2) * TOP_M;
                    let cos = cosine_of((i % heights) as f64 / (heights - 1) as f64);
                    dispatch(Gather { medium, source, altitude, sun_cos: cos, polar, around, steps })
                })
                .collect();
            let ground = both[..heights].iter().map(|b| b.1).collect();
            (both.into_iter().map(|b| b.0).collect(), ground)
        };
        let (first, first_ground) = pass(&Source::Sun(transmittance));
        let (second, second_ground) =
            pass(&Source::Scattered(Table { altitudes, heights, values: &first }, &first_ground));
        let (third, _) =
            pass(&Source::Scattered(Table { altitudes, heights, values: &second }, &second_ground));
        let series = |(first, second, third): (&Spectrum, &Spectrum, &Spectrum)| {
            let mut sum = *first;
            for band in 0..BANDS {
                let (b, c) = (second.0[band], third.0[band]);
                let ratio = if b > 0.0 { (c / b).min(0.97) } else { 0.0 };
                sum.0[band] += b + c / (1.0 - ratio);
            }
            sum
        };
        let sum = |a: &[Spectrum], b: &[Spectrum], c: &[Spectrum]| {
            a.iter().zip(b).zip(c).map(|((a, b), c)| series((a, b, c))).collect::<Vec<_>>()
        };
        Orders { altitudes, heights, mean: sum(&first, &second, &third) }
    }

    /// Mean radiance at an altitude where the sun stands at this cosine to the vertical.
    #[inline(always)]
    pub fn mean(&self, altitude: f64, sun_cos: f64) -> Spectrum {
        Table { altitudes: self.altitudes, heights: self.heights, values: &self.mean }.at(altitude, sun_cos)
    }
}

#[inline(always)]
fn interpolate(values: &[Spectrum], cos: f64) -> Spectrum {
    let x = position_of(cos) * (values.len() - 1) as f64;
    let i = (x as usize).min(values.len() - 2);
    values[i].lerp(values[i + 1], (x - i as f64) as f32)
}

/// Mean over all directions at one point, and irradiance on a level plane there.
struct Gather<'a> {
    medium: &'a Medium,
    source: &'a Source<'a>,
    altitude: f64,
    sun_cos: f64,
    polar: usize,
    around: usize,
    steps: usize,
}

impl Kernel for Gather<'_> {
    type Output = (Spectrum, Spectrum);

    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        // Directions: cosines that crowd at the horizon, where the light is; azimuths from 0 to half a turn.
        let Gather { polar, around, .. } = self;
        let (mut mean, mut level) = (Spectrum::ZERO, Spectrum::ZERO);
        let horizon = -(self.altitude * (2.0 * self.medium.planet + self.altitude)).sqrt()
            / (self.medium.planet + self.altitude);
        let sun_sin = (1.0 - self.sun_cos * self.sun_cos).max(0.0).sqrt();
        for p in 0..polar {
            let s = |k: f64| {
                let x = k / polar as f64 * 2.0 - 1.0;
                let up = x * x;
                if x < 0.0 { horizon - up * (1.0 + horizon) } else { horizon + up * (1.0 - horizon) }
            };
            let cos = s(p as f64 + 0.5);
            let weight = (s(p as f64 + 1.0) - s(p as f64)) / around as f64;
            let sin = (1.0 - cos * cos).max(0.0).sqrt();
            for a in 0..around {
                let phi = PI * (a as f64 + 0.5) / around as f64;
                let to_sun = cos * self.sun_cos + sin * sun_sin * phi.cos();
                let light = self.along(cos, to_sun);
                mean += light * (0.5 * weight) as f32;
                if cos > 0.0 {
                    level += light * (2.0 * PI * weight * cos) as f32;
                }
            }
        }
        (mean, level)
    }
}

impl Gather<'_> {
    #[inline(always)]
    fn along(&self, cos: f64, to_sun: f64) -> Spectrum {
        let m = self.medium;
        let ray = Ray { planet: m.planet, altitude: self.altitude, cos };
        let ground = ray.to_ground();
        let length = ground.unwrap_or_else(|| ray.to_shell(TOP_M));
        let r0 = m.planet + self.altitude;
        let sun_cos_at =
            |t: f64, h: f64| ((r0 * self.sun_cos + t * to_sun) / (m.planet + h)).clamp(-1.0, 1.0);
        let phase_m = rayleigh_phase(to_sun as f32);
        let phase_a = aerosol_phase(m.aerosol_asymmetry, to_sun as f32);
        let (mut light, mut through) = (Spectrum::ZERO, Spectrum::splat(1.0));
        for i in 0..self.steps {
            let (a, b) = (i as f64 / self.steps as f64, (i + 1) as f64 / self.steps as f64);
            let mid = (a + b) * 0.5;
            let (t, dt) = (length * mid * mid, length * (b * b - a * a));
            let h = ray.altitude_at(t);
            let n = m.amounts(h);
            let half = m.optical_depth([n[0] * dt * 0.5, n[1] * dt * 0.5, n[2] * dt * 0.5]).exp_neg();
            through *= half;
            let sun_cos = sun_cos_at(t, h);
            let (sm, sa) = (m.molecules * (n[0] * dt) as f32, m.aerosol_scattering * (n[1] * dt) as f32);
            match self.source {
                Source::Sun(table) => {
                    let lit = table.share_above_horizon(h, sun_cos, 0.00465) as f32;
                    if lit > 0.0 {
                        let sun = table.to_space(m, h, sun_cos) * lit;
                        light += through * sun * (sm * phase_m + sa * phase_a);
                    }
                }
                Source::Scattered(table, _) => light += through * (sm + sa) * table.at(h, sun_cos),
            }
            through *= half;
        }
        if ground.is_some() {
            let sun_cos = sun_cos_at(length, 0.0);
            let down = match self.source {
                Source::Sun(table) => {
                    let lit = table.share_above_horizon(0.0, sun_cos, 0.00465) * sun_cos.max(0.0);
                    table.to_space(m, 0.0, sun_cos) * lit as f32
                }
                Source::Scattered(_, level) => interpolate(level, sun_cos),
            };
            light += through * down * (m.ground_albedo / std::f32::consts::PI);
        }
        light
    }
}
