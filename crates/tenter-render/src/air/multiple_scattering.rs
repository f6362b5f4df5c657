//! Light scattered more than once.
//!
//! By symmetry the radiance at a point depends on its altitude, the sun's elevation there and the direction
//! only. Directions are kept as spherical harmonics ([`super::harmonics`]): with the forward part of
//! scattering, which they cannot resolve, counted as unscattered (delta-M; Wiscombe 1977), the field of
//! each order gives the next one its exact source. Orders above the third follow as a geometric series with
//! the local ratio of the last two means, as Hillaire 2020 (eq. 9) does for all; here the transport of the
//! first three is not local, which twilight needs: there the air overhead is lit from beyond the horizon.

use super::harmonics::{DEGREE, DEGREE_OF, Field, ORDER_OF, TERMS, cut_off, multiples, polar};
use super::medium::{Medium, times};
use super::shells::Ray;
use super::transmittance::Transmittance;
use super::{Build, TOP_M, TableQuality};
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use std::f64::consts::PI;
use tenter_sky::astronomy::SOLAR_ANGULAR_RADIUS;
use tenter_sky::spectrum::{BANDS, Spectrum};

/// Legendre moments of the phase functions of molecules, aerosol and dust, and the forward shares of the
/// last two that count as unscattered.
#[derive(Clone, Copy, Debug)]
pub struct Moments {
    pub of: [[f32; DEGREE + 1]; 3],
    pub forward: [f32; 2],
}

impl Moments {
    pub fn new(medium: &Medium) -> Moments {
        let particles = [&medium.aerosol, &medium.dust];
        let forward = particles.map(|p| p.moment(DEGREE + 1));
        let mut of = [[1.0, 0.0, 0.1, 0.0]; 3];
        for (i, p) in particles.into_iter().enumerate() {
            for (degree, moment) in of[i + 1].iter_mut().enumerate() {
                *moment = (p.moment(degree) - forward[i]) / (1.0 - forward[i]);
            }
        }
        Moments { of, forward }
    }

    /// `2l + 1` times the first and second moment of all scattering at the ground together, in green;
    /// `often`: the delta-scaled air.
    pub fn in_air(&self, often: &Medium) -> [f32; 2] {
        let by = often.scattering(&often.amounts(0.0)).map(|s| s.0[GREEN]);
        let all = by.iter().sum::<f32>().max(f32::MIN_POSITIVE);
        let moment = |degree: usize| by.iter().zip(&self.of).map(|(s, of)| s * of[degree] / all).sum::<f32>();
        [3.0 * moment(1), 5.0 * moment(2)]
    }
}

/// Radiance (per unit sunlight, per steradian) of all light that was scattered at least once.
///
/// At dusk it falls by e per degree of the sun, less than the spacing of nodes: the logarithm of the mean
/// is interpolated, and the other harmonics as multiples of the mean.
pub struct MultipleScattering {
    altitudes: usize,
    heights: usize,
    /// Per node: the negative logarithm of the mean, then the other harmonics as multiples of the mean.
    fields: Vec<Field>,
    moments: Moments,
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

#[derive(Clone, Copy)]
struct Table<'a> {
    altitudes: usize,
    heights: usize,
    values: &'a [Field],
}

impl<'a> Table<'a> {
    /// All sun elevations at the altitudes below and above one, and the weight of the upper ones.
    #[inline(always)]
    fn rows(&self, altitude: f64) -> (&'a [Field], &'a [Field], f32) {
        let y = (altitude / TOP_M).clamp(0.0, 1.0).sqrt() * (self.altitudes - 1) as f64;
        let y0 = (y as usize).min(self.altitudes - 2);
        let (low, high) = self.values[y0 * self.heights..].split_at(self.heights);
        (low, high, (y - y0 as f64) as f32)
    }
}

/// Source of in-scattering along a direction: sunlight, or the field of an earlier order.
enum Source<'a> {
    Sun(&'a Transmittance),
    Scattered(Table<'a>, &'a [Spectrum]),
}

impl MultipleScattering {
    /// `medium`: the delta-scaled air.
    pub fn new(
        medium: &Medium,
        moments: Moments,
        transmittance: &Transmittance,
        build: Build,
    ) -> MultipleScattering {
        // Rows of altitude and of sun heights; cosines and azimuths of directions; steps along each.
        let (altitudes, heights, polar, around, steps) = match build.quality {
            TableQuality::Draft => (12, 20, 12, 4, 14),
            TableQuality::Full => (24, 40, 16, 8, 24),
            TableQuality::Double => (48, 80, 32, 16, 48),
        };
        let dark = [Spectrum::ZERO; TERMS];
        let pass = |source: &Source| -> (Vec<Field>, Vec<Spectrum>) {
            let rows: Vec<(Vec<Field>, Vec<Spectrum>)> = (0..altitudes)
                .into_par_iter()
                .with_max_len(1)
                .map(|row| {
                    if build.is_cancelled() {
                        return (vec![dark; heights], vec![Spectrum::ZERO; heights]);
                    }
                    let altitude = (row as f64 / (altitudes - 1) as f64).powi(2) * TOP_M;
                    let moments = &moments;
                    dispatch(Gather { medium, moments, source, altitude, heights, polar, around, steps })
                })
                .collect();
            let ground = rows[0].1.clone();
            (rows.into_iter().flat_map(|row| row.0).collect(), ground)
        };
        let (first, first_ground) = pass(&Source::Sun(transmittance));
        let table = |values| Table { altitudes, heights, values };
        let (second, second_ground) = pass(&Source::Scattered(table(&first), &first_ground));
        let (third, _) = pass(&Source::Scattered(table(&second), &second_ground));
        let mut fields = first;
        for (sum, (second, third)) in fields.iter_mut().zip(second.iter().zip(&third)) {
            // The means give the ratio of successive orders.
            let mut more = Spectrum::ZERO;
            for band in 0..BANDS {
                let (b, c) = (second[0].0[band], third[0].0[band]);
                let ratio = if b > 0.0 { (c / b).clamp(0.0, 0.97) } else { 0.0 };
                more.0[band] = 1.0 / (1.0 - ratio);
            }
            for k in 0..TERMS {
                let tail = if k == 0 { third[k] * more } else { third[k] };
                sum[k] += second[k] + tail;
            }
        }
        fields.par_iter_mut().for_each(by_their_mean);
        MultipleScattering { altitudes, heights, fields, moments }
    }

    /// In-scattering by molecules, aerosol and dust in one direction, per steradian: `up` and `sun_up` are
    /// cosines of direction and sun to the local vertical, `apart` that of the azimuth between them.
    #[inline(always)]
    pub fn scattered(
        &self,
        altitude: f64,
        up: f64,
        sun_up: f64,
        apart: f64,
        scattering: &[Spectrum; 3],
    ) -> Spectrum {
        let table = Table { altitudes: self.altitudes, heights: self.heights, values: &self.fields };
        let (low, high, fy) = table.rows(altitude);
        let x = position_of(sun_up) * (self.heights - 1) as f64;
        let i = (x as usize).min(self.heights - 2);
        let fx = (x - i as f64) as f32;
        let weights = [(1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy];
        let corners = [&low[i], &low[i + 1], &high[i], &high[i + 1]];
        let (p, m) = (polar(up as f32), multiples(apart as f32));
        let mut depth = corners[0][0] * weights[0];
        for c in 1..4 {
            depth += corners[c][0] * weights[c];
        }
        let mut by_degree = [Spectrum::ZERO; DEGREE + 1];
        by_degree[0] = Spectrum::splat(p[0] * m[0]);
        for k in 1..TERMS {
            let term = p[k] * m[ORDER_OF[k]];
            let mut field = corners[0][k] * (weights[0] * term);
            for c in 1..4 {
                field += corners[c][k] * (weights[c] * term);
            }
            by_degree[DEGREE_OF[k]] += field;
        }
        let mut sum = Spectrum::ZERO;
        for (degree, field) in by_degree.into_iter().enumerate() {
            sum += field * by_moment(&self.moments, scattering, degree);
        }
        // A field truncated at the third degree can be negative.
        sum.at_least(0.0) * depth.exp_neg()
    }
}

/// Smallest mean whose logarithm is kept.
const DARK: f32 = 1e-35;

/// The negative logarithm of a field's mean, and its other harmonics as multiples of that mean.
fn by_their_mean(field: &mut Field) {
    let mean = field[0].at_least(DARK);
    for term in &mut field[1..] {
        for band in 0..BANDS {
            term.0[band] /= mean.0[band];
        }
    }
    field[0] = Spectrum(mean.0.map(|v| -v.ln()));
}

/// Band in which the growth of light between two nodes is measured: 540 nm.
const GREEN: usize = 6;

/// Growth of light from one sun elevation to the next: the logarithm of the ratio.
fn growth(from: f32, to: f32) -> f32 {
    if from > DARK && to > DARK { (to / from).ln() } else { 0.0 }
}

/// Weight of the second of two nodes at a fraction `f` between them, for exponential growth.
#[inline(always)]
fn weight_of_second(f: f32, growth: f32) -> f32 {
    if growth.abs() < 0.02 { f } else { ((growth * f).exp() - 1.0) / (growth.exp() - 1.0) }
}

/// Scattering weighted by the moments of one degree.
#[inline(always)]
fn by_moment(moments: &Moments, scattering: &[Spectrum; 3], degree: usize) -> Spectrum {
    let of = &moments.of;
    scattering[0] * of[0][degree] + scattering[1] * of[1][degree] + scattering[2] * of[2][degree]
}

#[inline(always)]
fn interpolate(values: &[Spectrum], cos: f64) -> Spectrum {
    let x = position_of(cos) * (values.len() - 1) as f64;
    let i = (x as usize).min(values.len() - 2);
    let (a, b) = (values[i], values[i + 1]);
    a.lerp(b, weight_of_second((x - i as f64) as f32, growth(a.0[GREEN], b.0[GREEN])))
}

/// The field at one altitude and the irradiance of a level plane there, for every sun elevation.
struct Gather<'a> {
    medium: &'a Medium,
    moments: &'a Moments,
    source: &'a Source<'a>,
    altitude: f64,
    heights: usize,
    polar: usize,
    around: usize,
    steps: usize,
}

/// A sun relative to one direction.
struct Sun {
    /// Cosine to the vertical at the start.
    up: f64,
    /// Cosine to the direction.
    along: f64,
    /// Phase functions of molecules, aerosol and dust.
    phase: [f32; 3],
    light: Spectrum,
}

/// Source at a point in one direction for each sun elevation.
struct Sources {
    /// By order of the azimuth between them.
    of: Vec<[Spectrum; DEGREE + 1]>,
    /// Growth to the next elevation ([`growth`]).
    growth: Vec<f32>,
}

impl Kernel for Gather<'_> {
    type Output = (Vec<Field>, Vec<Spectrum>);

    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        // Directions: cosines dense at the horizon, azimuths from 0 to pi.
        let Gather { polar: rows, around, heights, .. } = self;
        let mut fields = vec![[Spectrum::ZERO; TERMS]; heights];
        let mut level = vec![Spectrum::ZERO; heights];
        let mut sources =
            Sources { of: vec![[Spectrum::ZERO; DEGREE + 1]; heights], growth: vec![0.0; heights] };
        let mut suns = Vec::with_capacity(heights * around);
        let horizon = -(self.altitude * (2.0 * self.medium.planet + self.altitude)).sqrt()
            / (self.medium.planet + self.altitude);
        for p in 0..rows {
            let s = |k: f64| {
                let x = k / rows as f64 * 2.0 - 1.0;
                let up = x * x;
                if x < 0.0 { horizon - up * (1.0 + horizon) } else { horizon + up * (1.0 - horizon) }
            };
            let cos = s(p as f64 + 0.5);
            let weight = 2.0 * PI * (s(p as f64 + 1.0) - s(p as f64)) / around as f64;
            self.suns(cos, &mut suns);
            self.along(cos, &mut suns, &mut sources);
            let terms = polar(cos as f32);
            for (i, sun) in suns.iter().enumerate() {
                let m = multiples(self.azimuth(i % around).cos() as f32);
                let field = &mut fields[i / around];
                for k in 0..TERMS {
                    field[k] += sun.light * (terms[k] * m[ORDER_OF[k]] * weight as f32);
                }
                if cos > 0.0 {
                    level[i / around] += sun.light * (weight * cos) as f32;
                }
            }
        }
        (fields, level)
    }
}

impl Gather<'_> {
    fn azimuth(&self, a: usize) -> f64 {
        PI * (a as f64 + 0.5) / self.around as f64
    }

    /// Every sun elevation around a direction.
    #[inline(always)]
    fn suns(&self, cos: f64, suns: &mut Vec<Sun>) {
        let sin = (1.0 - cos * cos).max(0.0).sqrt();
        suns.clear();
        for height in 0..self.heights {
            let up = cosine_of(height as f64 / (self.heights - 1) as f64);
            let flat = (1.0 - up * up).max(0.0).sqrt();
            for a in 0..self.around {
                let along = cos * up + sin * flat * self.azimuth(a).cos();
                let mut phase = [0.0; 3];
                for k in 0..3 {
                    phase[k] = cut_off(&self.moments.of[k], along as f32);
                }
                suns.push(Sun { up, along, phase, light: Spectrum::ZERO });
            }
        }
    }

    /// Integrates each sun's light along one direction; the path through the air is shared.
    #[inline(always)]
    fn along(&self, cos: f64, suns: &mut [Sun], sources: &mut Sources) {
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
            let half = m.optical_depth(times(n, dt * 0.5)).exp_neg();
            through *= half;
            let scattering = m.scattering(&times(n, dt));
            let per_radius = 1.0 / (m.planet + h);
            match self.source {
                Source::Sun(table) => {
                    for sun in suns.iter_mut() {
                        let up = ((r0 * sun.up + t * sun.along) * per_radius).clamp(-1.0, 1.0);
                        let lit = table.share_above_horizon(h, up, SOLAR_ANGULAR_RADIUS) as f32;
                        if lit > 0.0 {
                            let scattered = scattering[0] * sun.phase[0]
                                + scattering[1] * sun.phase[1]
                                + scattering[2] * sun.phase[2];
                            sun.light += through * table.to_space(m, h, up) * scattered * lit;
                        }
                    }
                }
                Source::Scattered(table, _) => {
                    let up_here = ((r0 * cos + t) * per_radius).clamp(-1.0, 1.0);
                    self.sources(table, h, up_here, through, &scattering, sources);
                    for sun in suns.iter_mut() {
                        let up = ((r0 * sun.up + t * sun.along) * per_radius).clamp(-1.0, 1.0);
                        let turns = multiples(azimuth_apart(up_here, up, sun.along) as f32);
                        let x = position_of(up) * (self.heights - 1) as f64;
                        let i = (x as usize).min(self.heights - 2);
                        let f = weight_of_second((x - i as f64) as f32, sources.growth[i]);
                        let (from, to) = (&sources.of[i], &sources.of[i + 1]);
                        for k in 0..=DEGREE {
                            sun.light += from[k] * (turns[k] * (1.0 - f));
                            sun.light += to[k] * (turns[k] * f);
                        }
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
                        let lit = table.share_above_horizon(0.0, up, SOLAR_ANGULAR_RADIUS) * up.max(0.0);
                        table.to_space(m, 0.0, up) * lit as f32
                    }
                    Source::Scattered(_, level) => interpolate(level, up),
                };
                sun.light += through * down * m.ground * std::f32::consts::FRAC_1_PI;
            }
        }
    }

    /// Scattered light at a point, for every sun elevation.
    #[inline(always)]
    fn sources(
        &self,
        table: &Table,
        altitude: f64,
        up: f64,
        through: Spectrum,
        scattering: &[Spectrum; 3],
        sources: &mut Sources,
    ) {
        let mut weight = [Spectrum::ZERO; DEGREE + 1];
        for (degree, weight) in weight.iter_mut().enumerate() {
            *weight = through * by_moment(self.moments, scattering, degree);
        }
        let terms = polar(up as f32);
        let (low, high, f) = table.rows(altitude);
        for i in 0..sources.of.len() {
            let (source, low, high) = (&mut sources.of[i], &low[i], &high[i]);
            *source = [Spectrum::ZERO; DEGREE + 1];
            for k in 0..TERMS {
                source[ORDER_OF[k]] += low[k].lerp(high[k], f) * weight[DEGREE_OF[k]] * terms[k];
            }
        }
        for (i, growth_here) in sources.growth.iter_mut().enumerate() {
            let next = (i + 1).min(self.heights - 1);
            let mut mean = [low[i][0].0[GREEN], low[next][0].0[GREEN]];
            mean[0] += (high[i][0].0[GREEN] - mean[0]) * f;
            mean[1] += (high[next][0].0[GREEN] - mean[1]) * f;
            *growth_here = growth(mean[0], mean[1]);
        }
    }
}

/// Cosine of the azimuth between two directions, from their cosines to the vertical and to each other.
#[inline(always)]
pub fn azimuth_apart(up: f64, other_up: f64, between: f64) -> f64 {
    let flat = ((1.0 - up * up) * (1.0 - other_up * other_up)).max(1e-12).sqrt();
    ((between - up * other_up) / flat).clamp(-1.0, 1.0)
}
