//! Light scattered more than once.
//!
//! The mean radiance at a point depends only on its altitude and the sun's height there, since shells are
//! alike all around. A table of it is made order by order: the mean of what is scattered once, then of what
//! that light does in its turn. Orders above the third follow as a geometric series with the local ratio of
//! the last two, as Hillaire 2020 (eq. 9) does for all; here the transport of the first three is not local,
//! which twilight needs: there the air overhead is lit from beyond the horizon.

use super::medium::{Medium, henyey_greenstein, rayleigh_phase};
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
    /// All heights of the sun at one altitude.
    #[inline(always)]
    fn row(&self, altitude: f64, row: &mut [Spectrum]) {
        let y = (altitude / TOP_M).clamp(0.0, 1.0).sqrt() * (self.altitudes - 1) as f64;
        let y0 = (y as usize).min(self.altitudes - 2);
        let (low, high) = self.values[y0 * self.heights..].split_at(self.heights);
        for ((value, low), high) in row.iter_mut().zip(low).zip(high) {
            *value = low.lerp(*high, (y - y0 as f64) as f32);
        }
    }

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
            Fineness::Double => (48, 80, 24, 12, 40),
        };
        let pass = |source: &Source| -> (Vec<Spectrum>, Vec<Spectrum>) {
            let rows: Vec<(Vec<Spectrum>, Vec<Spectrum>)> = (0..altitudes)
                .into_par_iter()
                .with_max_len(1)
                .map(|row| {
                    if making.is_off() {
                        return (vec![Spectrum::ZERO; heights], vec![Spectrum::ZERO; heights]);
                    }
                    let altitude = (row as f64 / (altitudes - 1) as f64).powi(2) * TOP_M;
                    dispatch(Gather { medium, source, altitude, heights, polar, around, steps })
                })
                .collect();
            let ground = rows[0].1.clone();
            (rows.into_iter().flat_map(|row| row.0).collect(), ground)
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

/// Mean over all directions at one altitude, and irradiance on a level plane there, for every height of the sun.
struct Gather<'a> {
    medium: &'a Medium,
    source: &'a Source<'a>,
    altitude: f64,
    heights: usize,
    polar: usize,
    around: usize,
    steps: usize,
}

/// A sun as one direction sees it.
struct Sun {
    /// Cosine to the vertical, where the direction begins.
    up: f64,
    /// Cosine to the direction.
    along: f64,
    /// Phase functions of molecules and aerosol.
    phase: [f32; 2],
    light: Spectrum,
}

impl Kernel for Gather<'_> {
    type Output = (Vec<Spectrum>, Vec<Spectrum>);

    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        // Directions: cosines that crowd at the horizon, where the light is; azimuths from 0 to half a turn.
        let Gather { polar, around, heights, .. } = self;
        let mut mean = vec![Spectrum::ZERO; heights];
        let mut level = vec![Spectrum::ZERO; heights];
        let mut row = vec![Spectrum::ZERO; heights];
        let mut suns = Vec::with_capacity(heights * around);
        let horizon = -(self.altitude * (2.0 * self.medium.planet + self.altitude)).sqrt()
            / (self.medium.planet + self.altitude);
        for p in 0..polar {
            let s = |k: f64| {
                let x = k / polar as f64 * 2.0 - 1.0;
                let up = x * x;
                if x < 0.0 { horizon - up * (1.0 + horizon) } else { horizon + up * (1.0 - horizon) }
            };
            let cos = s(p as f64 + 0.5);
            let weight = (s(p as f64 + 1.0) - s(p as f64)) / around as f64;
            self.suns(cos, &mut suns);
            self.along(cos, &mut suns, &mut row);
            for (i, sun) in suns.iter().enumerate() {
                mean[i / around] += sun.light * (0.5 * weight) as f32;
                if cos > 0.0 {
                    level[i / around] += sun.light * (2.0 * PI * weight * cos) as f32;
                }
            }
        }
        (mean, level)
    }
}

impl Gather<'_> {
    /// Every height of the sun, all round a direction.
    #[inline(always)]
    fn suns(&self, cos: f64, suns: &mut Vec<Sun>) {
        let sin = (1.0 - cos * cos).max(0.0).sqrt();
        suns.clear();
        for height in 0..self.heights {
            let up = cosine_of(height as f64 / (self.heights - 1) as f64);
            let flat = (1.0 - up * up).max(0.0).sqrt();
            for a in 0..self.around {
                let phi = PI * (a as f64 + 0.5) / self.around as f64;
                let along = cos * up + sin * flat * phi.cos();
                let phase = [
                    rayleigh_phase(along as f32),
                    henyey_greenstein(self.medium.aerosol_asymmetry, along as f32),
                ];
                suns.push(Sun { up, along, phase, light: Spectrum::ZERO });
            }
        }
    }

    /// Gathers each sun's light along one direction. The way through the air is the same for all of them.
    #[inline(always)]
    fn along(&self, cos: f64, suns: &mut [Sun], row: &mut [Spectrum]) {
        let m = self.medium;
        let ray = Ray { planet: m.planet, altitude: self.altitude, cos };
        let ground = ray.to_ground();
        let length = ground.unwrap_or_else(|| ray.to_shell(TOP_M));
        let r0 = m.planet + self.altitude;
        let mut through = Spectrum::splat(1.0);
        for i in 0..self.steps {
            let (a, b) = (i as f64 / self.steps as f64, (i + 1) as f64 / self.steps as f64);
            let mid = (a + b) * 0.5;
            let (t, dt) = (length * mid * mid, length * (b * b - a * a));
            let h = ray.altitude_at(t);
            let n = m.amounts(h);
            let half = m.optical_depth([n[0] * dt * 0.5, n[1] * dt * 0.5, n[2] * dt * 0.5]).exp_neg();
            through *= half;
            let sm = through * m.molecules * (n[0] * dt) as f32;
            let sa = through * m.aerosol_scattering * (n[1] * dt) as f32;
            let per_radius = 1.0 / (m.planet + h);
            match self.source {
                Source::Sun(table) => {
                    for sun in suns.iter_mut() {
                        let up = ((r0 * sun.up + t * sun.along) * per_radius).clamp(-1.0, 1.0);
                        let lit = table.share_above_horizon(h, up, 0.00465) as f32;
                        if lit > 0.0 {
                            let scattered = sm * sun.phase[0] + sa * sun.phase[1];
                            sun.light += table.to_space(m, h, up) * scattered * lit;
                        }
                    }
                }
                Source::Scattered(table, _) => {
                    table.row(h, row);
                    for sun in suns.iter_mut() {
                        let up = ((r0 * sun.up + t * sun.along) * per_radius).clamp(-1.0, 1.0);
                        sun.light += (sm + sa) * interpolate(row, up);
                    }
                }
            }
            through *= half;
        }
        if ground.is_some() {
            for sun in suns {
                let up = ((r0 * sun.up + length * sun.along) / m.planet).clamp(-1.0, 1.0);
                let down = match self.source {
                    Source::Sun(table) => {
                        let lit = table.share_above_horizon(0.0, up, 0.00465) * up.max(0.0);
                        table.to_space(m, 0.0, up) * lit as f32
                    }
                    Source::Scattered(_, level) => interpolate(level, up),
                };
                sun.light += through * down * (m.ground_albedo / std::f32::consts::PI);
            }
        }
    }
}
