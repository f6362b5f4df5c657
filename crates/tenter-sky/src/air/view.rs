//! What the air shows to one eye: the colour of the sky, and the air in front of things.
//!
//! Light that particles scattered once by the narrow lobe of their phase function is kept apart and without
//! that lobe, which no table of directions would resolve; it is put on for each pixel. All else is smooth
//! enough.

use super::directions::{Corners, DirectionGrid};
use super::medium::{NARROW, rayleigh_phase, times};
use super::orders::azimuth_apart;
use super::shells::Ray;
use super::{Air, Fineness, Making, TOP_M};
use crate::simd::{Int, Kernel, Mask, Real, dispatch};
use crate::spectrum::{BANDS, LightToRgb, Spectrum};
use rayon::prelude::*;
use std::f64::consts::{FRAC_PI_2, PI};

/// Where a light stands and what it is like.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SunInSky {
    /// Unit vector from the eye's place, x east, y north, z up.
    pub direction: [f64; 3],
    /// Half the angle of the disc, radians.
    pub disc_radius: f64,
    /// Its colour outside the air.
    pub to_rgb: LightToRgb,
    /// Multiple of that; tables are made for 1.
    pub strength: f64,
}

/// The sky's light and the air in front of things, from one altitude under one sun.
pub struct AirView {
    pub sky: SkyColour,
    pub front: AirInFront,
}

/// Radiance of the air along whole rays, to space.
pub struct SkyColour {
    grid: DirectionGrid,
    /// Per direction: smooth light (3), light once scattered by the narrow lobe, without it (3).
    values: Vec<f32>,
}

/// Radiance and transmittance of the air up to a distance.
pub struct AirInFront {
    grid: DirectionGrid,
    /// Radius of the planet and altitude of the eye, m.
    planet: f64,
    altitude: f64,
    /// Per direction and slice.
    rows: Vec<Row>,
}

/// Where a packet of rays is looked up in [`AirInFront`], and where its slices lie.
#[derive(Clone, Copy)]
pub struct FrontCorners<R: Real> {
    corners: Corners<R>,
    /// Metres before the air begins.
    before: R,
    /// Metres from there to the ground; none for rays that meet none.
    to_ground: R,
}

/// Transmittance (3), then as in [`SkyColour`] (6), of the first three of these what has been scattered
/// before it comes into the ray (3), what would be scattered of an even radiance of 1 all around (3), and how
/// many times as much comes through with what is turned so little that it counts as not turned (green). A
/// line of the cache holds it.
#[derive(Clone, Copy)]
#[repr(align(64))]
struct Row([f32; 16]);

const THROUGH: usize = 0;
const SMOOTH: usize = 3;
const NARROWLY: usize = 6;
const MANY: usize = 9;
const EVEN: usize = 12;
const FORWARD: usize = 15;
const CHANNELS: usize = 16;
/// Most of [`FORWARD`]: where more is turned nothing is seen any longer.
const MOST_FORWARD: f32 = 8.0;

const SLICES: usize = 26;
/// Distances of the slices along rays that meet no ground, m: 0, then 150 m to 1200 km in equal ratios.
const FIRST_SLICE_M: f64 = 150.0;
const LAST_SLICE_M: f64 = 1_200_000.0;

fn slice_distance(k: usize) -> f64 {
    if k == 0 {
        return 0.0;
    }
    FIRST_SLICE_M * (LAST_SLICE_M / FIRST_SLICE_M).powf((k - 1) as f64 / (SLICES - 2) as f64)
}

/// Altitude from which on most air that is seen lies at the far end of rays that meet the ground, m.
const HIGH_EYE_M: f64 = 15_000.0;

/// Slices of rays that meet the ground, as shares of the way there: they crowd at the eye, or from high up
/// at the ground, so that light up to the ground itself is never told by a slice beyond it.
fn slice_share(k: usize, high: bool) -> f64 {
    let x = k as f64 / (SLICES - 1) as f64;
    if high { 1.0 - (1.0 - x).powi(2) } else { x.powi(3) }
}

impl AirView {
    pub fn new<'a>(air: &Air, altitude: f64, sun: &SunInSky, making: impl Into<Making<'a>>) -> AirView {
        let making = making.into();
        let (around, rows, steps) = match making.fineness {
            Fineness::Draft => (32, 40, 20),
            Fineness::Full => (64, 80, 40),
            Fineness::Double => (128, 160, 80),
        };
        let sky = SkyColour::new(air, altitude, sun, [around, rows, steps], making);
        let planet = air.medium.planet;
        let (around, rows) = match making.fineness {
            Fineness::Draft => (16, 16),
            Fineness::Full => (24, 32),
            Fineness::Double => (48, 64),
        };
        let grid = DirectionGrid::new(planet, altitude, sun.direction, around, rows);
        let rows = (0..grid.len())
            .into_par_iter()
            .with_min_len(16)
            .flat_map_iter(|i| {
                if making.is_off() {
                    return [Row([0.0; 16]); SLICES];
                }
                let (cos, to_sun, below) = grid.direction(i);
                let ray = Ray { planet, altitude, cos };
                dispatch(Sliced { air, sun, ray, to_sun, below })
            })
            .collect();
        AirView { sky, front: AirInFront { grid, planet, altitude, rows } }
    }
}

/// Radiance of the air in one direction from an altitude, cd/m2 in linear Rec.709, without making tables of
/// directions.
pub fn glimpse(air: &Air, altitude: f64, sun: &SunInSky, direction: [f64; 3]) -> [f32; 3] {
    let to_sun: f64 = (0..3).map(|i| direction[i] * sun.direction[i]).sum();
    let ray = Ray { planet: air.medium.planet, altitude, cos: direction[2] };
    let seen = dispatch(WholeRay { air, sun, ray, below: false, to_sun, steps: 40 });
    let phase = super::medium::henyey_greenstein(NARROW, to_sun as f32);
    [0, 1, 2].map(|c| (seen[c] + seen[c + 3] * phase) * sun.strength as f32)
}

/// What the air at an altitude sheds on upright planes, in the mean over azimuths: mean radiance above the
/// horizon and below it, as such planes weigh it, cd/m2 in linear Rec.709, without what narrow lobes add
/// around the sun and without the ground.
pub fn on_upright_planes(air: &Air, altitude: f64, sun: &SunInSky) -> [[f32; 3]; 2] {
    const HEIGHTS: usize = 8;
    const AROUND: usize = 5;
    let planet = air.medium.planet;
    let [s, c] = [sun.direction[0].hypot(sun.direction[1]), sun.direction[2]];
    let horizon = -(altitude * (2.0 * planet + altitude)).sqrt() / (planet + altitude);
    let halves: Vec<[f32; 3]> = (0..2 * HEIGHTS)
        .into_par_iter()
        .map(|i| {
            // Closer together at the horizon.
            let (x, below) = ((i / 2) as f64 + 0.5, i % 2 == 1);
            let from_horizon = FRAC_PI_2 * (x / HEIGHTS as f64).powi(2);
            let elevation = if below { horizon.asin() - from_horizon } else { from_horizon };
            let ray = Ray { planet, altitude, cos: elevation.sin().max(-1.0) };
            let weight = 4.0 * x / (HEIGHTS * HEIGHTS) as f64 * elevation.cos().powi(2);
            let mut sum = [0.0; 3];
            for a in 0..AROUND {
                let azimuth = PI * (a as f64 + 0.5) / AROUND as f64;
                let to_sun = elevation.sin() * c + elevation.cos() * s * azimuth.cos();
                let seen = dispatch(WholeRay { air, sun, ray, below, to_sun, steps: 30 });
                for c in 0..3 {
                    sum[c] += seen[c] * (weight / AROUND as f64) as f32;
                }
            }
            sum
        })
        .collect();
    let mut means = [[0.0; 3]; 2];
    for (i, half) in halves.iter().enumerate() {
        for c in 0..3 {
            means[i % 2][c] += half[c] * sun.strength as f32;
        }
    }
    means
}

/// The narrow lobe of particles toward a light, for a packet of cosines.
#[inline(always)]
pub fn narrow<R: Real>(cos: R) -> R {
    lobe(NARROW, cos)
}

/// Henyey and Greenstein 1941 for a packet of cosines, per steradian.
#[inline(always)]
pub fn lobe<R: Real>(g: f32, cos: R) -> R {
    let d = (R::splat(1.0 + g * g) - cos * R::splat(2.0 * g)).max(R::splat(1e-6));
    R::splat((1.0 - g * g) / (4.0 * std::f32::consts::PI)) / (d * d.sqrt())
}

impl SkyColour {
    /// The air's own sky; `size`: columns, rows, and steps along a ray.
    fn new(
        air: &Air,
        altitude: f64,
        sun: &SunInSky,
        [around, rows, steps]: [usize; 3],
        making: Making,
    ) -> SkyColour {
        let planet = air.medium.planet;
        let grid = DirectionGrid::new(planet, altitude, sun.direction, around, rows);
        // Below the horizon the ground is seen, behind the air in front of it: there the sky only carries
        // on what it is at the horizon.
        let mut values: Vec<f32> = (0..around * rows)
            .into_par_iter()
            .with_min_len(64)
            .flat_map_iter(|i| {
                if making.is_off() {
                    return [0.0; 6];
                }
                let (cos, to_sun, _) = grid.direction(i);
                let ray = Ray { planet, altitude, cos };
                dispatch(WholeRay { air, sun, ray, below: false, to_sun, steps })
            })
            .collect();
        let horizon = values[..6 * around].to_vec();
        (0..rows).for_each(|_| values.extend_from_slice(&horizon));
        SkyColour { grid, values }
    }

    /// The sky over the ground, as finely as its illuminance wants it.
    pub fn from_ground<'a>(air: &Air, sun: &SunInSky, making: impl Into<Making<'a>>) -> SkyColour {
        SkyColour::new(air, 1.0, sun, [32, 40, 20], making.into())
    }

    /// A sky that is a function of the cosines to the zenith and to the sun, cd/m2 in linear Rec.709.
    pub fn painted(
        planet: f64,
        altitude: f64,
        sun: [f64; 3],
        sky: impl Fn(f64, f64) -> [f32; 3] + Sync,
    ) -> SkyColour {
        let grid = DirectionGrid::new(planet, altitude, sun, 128, 256).even_overhead();
        let values = (0..grid.len())
            .into_par_iter()
            .flat_map_iter(|i| {
                let (cos, to_sun, _) = grid.direction(i);
                let [r, g, b] = sky(cos, to_sun);
                [r, g, b, 0.0, 0.0, 0.0]
            })
            .collect();
        SkyColour { grid, values }
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

/// Light of the air and what it lets through.
pub struct Front<R: Real> {
    pub light: [R; 3],
    pub through: [R; 3],
    /// How many times as much comes through with what the air turns so little that it counts as not turned.
    pub forward: R,
}

impl AirInFront {
    /// Where rays in these directions are looked up.
    #[inline(always)]
    pub fn corners<R: Real>(&self, direction: [R; 3]) -> FrontCorners<R> {
        let zero = R::splat(0.0);
        let corners = self.grid.corners(direction);
        let along = direction[2] * R::splat((self.planet + self.altitude) as f32);
        let before = if self.altitude > TOP_M { self.down_to(TOP_M, along) } else { zero };
        let below = direction[2].lt(R::splat(self.grid.horizon() as f32));
        let to_ground = (self.down_to(0.0, along) - before).max(R::splat(1e-3));
        FrontCorners { corners, before, to_ground: R::select(below, to_ground, zero) }
    }

    /// Nearer distance to a shell under the eye, by the numerically stable root; `along`: radius of the
    /// eye's place times the cosine of the ray to the vertical.
    #[inline(always)]
    fn down_to<R: Real>(&self, shell: f64, along: R) -> R {
        let c = (self.altitude - shell) * (2.0 * self.planet + self.altitude + shell);
        let root = (along * along - R::splat(c as f32)).max(R::splat(0.0)).sqrt();
        R::splat(c as f32) / (root - along).max(R::splat(1.0))
    }

    /// The slice at or before a distance, and how far it is to the next.
    #[inline(always)]
    fn slice_at<R: Real>(&self, corners: &FrontCorners<R>, distance: R) -> (R, R) {
        let way = (distance - corners.before).max(R::splat(0.0));
        let (k, f) = slice_on_the_way(way);
        let meets_ground = R::splat(0.0).lt(corners.to_ground);
        if !meets_ground.any() {
            return (k, f);
        }
        let share = (way / corners.to_ground.max(R::splat(1e-3))).clamp(0.0, 1.0);
        let (ground_k, ground_f) = slice_to_ground(share, self.altitude > HIGH_EYE_M);
        (R::select(meets_ground, ground_k, k), R::select(meets_ground, ground_f, f))
    }

    /// The air up to a distance in metres.
    #[inline(always)]
    pub fn up_to<R: Real>(&self, corners: &FrontCorners<R>, distance: R, narrow: R) -> Front<R> {
        let told = self.told::<R, THROUGH, MANY>(corners, distance);
        let (mut light, mut through) = ([R::splat(0.0); 3], [R::splat(0.0); 3]);
        for c in 0..3 {
            light[c] = told[NARROWLY + c].mul_add(narrow, told[SMOOTH + c]);
            through[c] = told[THROUGH + c];
        }
        Front { light, through, forward: told[FORWARD] }
    }

    /// Light of the air up to a distance in metres: all of it, what has been scattered before it comes into
    /// the ray, and what would be scattered of an even radiance of 1 all around.
    #[inline(always)]
    pub fn light_up_to<R: Real>(&self, corners: &FrontCorners<R>, distance: R, narrow: R) -> [[R; 3]; 3] {
        let told = self.told::<R, SMOOTH, FORWARD>(corners, distance);
        let mut parts = [[R::splat(0.0); 3]; 3];
        for c in 0..3 {
            parts[0][c] = told[NARROWLY + c].mul_add(narrow, told[SMOOTH + c]);
            parts[1][c] = told[MANY + c];
            parts[2][c] = told[EVEN + c];
        }
        parts
    }

    /// What the air up to a distance in metres scatters of an even radiance of 1 all around.
    #[inline(always)]
    pub fn even_up_to<R: Real>(&self, corners: &FrontCorners<R>, distance: R) -> [R; 3] {
        let told = self.told::<R, EVEN, FORWARD>(corners, distance);
        [told[EVEN], told[EVEN + 1], told[EVEN + 2]]
    }

    /// Channels `FROM` to `TO` of the air up to a distance in metres, with the first of them `FORWARD` as
    /// well; the others are 0. Whole rows are read, ray by ray: of the numbers around a ray all are wanted,
    /// and reading each for all rays takes several times as long.
    #[inline(always)]
    fn told<R: Real, const FROM: usize, const TO: usize>(
        &self,
        corners: &FrontCorners<R>,
        distance: R,
    ) -> [R; CHANNELS] {
        let (slice, share) = self.slice_at(corners, distance);
        let corners = &corners.corners;
        let (mut entries, mut slices) = ([0.0f32; 16], [0.0f32; 16]);
        R::from_int(corners.index[0]).store(&mut entries);
        slice.store(&mut slices);
        let mut weights = [[[0.0f32; 16]; 2]; 4];
        for k in 0..4 {
            let far = corners.weight[k] * share;
            (corners.weight[k] - far).store(&mut weights[k][0]);
            far.store(&mut weights[k][1]);
        }
        let mut rows = [0.0f32; 16 * 16];
        for ray in 0..R::LANES {
            let corners = self.grid.corner_entries(entries[ray] as usize);
            let mut sum = [R::splat(0.0); 16];
            for k in 0..4 {
                let first = corners[k] * SLICES + slices[ray] as usize;
                let pair = &self.rows[first..first + 2];
                for i in 0..2 {
                    let weight = R::splat(weights[k][i][ray]);
                    for part in 0..16 / R::LANES {
                        sum[part] = R::load(&pair[i].0[part * R::LANES..]).mul_add(weight, sum[part]);
                    }
                }
            }
            for part in 0..16 / R::LANES {
                sum[part].store(&mut rows[ray * 16 + part * R::LANES..]);
            }
        }
        let mut told = [R::splat(0.0); CHANNELS];
        let first = R::counts().to_int() * R::Int::splat(16);
        for c in FROM..TO {
            // SAFETY: there is a row for each ray.
            told[c] = unsafe { R::gather(&rows, first + R::Int::splat(c as i32)) };
        }
        if FROM == THROUGH {
            // SAFETY: as above.
            told[FORWARD] = unsafe { R::gather(&rows, first + R::Int::splat(FORWARD as i32)) };
        }
        told
    }
}

/// The slice at or before a distance along a ray that meets no ground, and how far it is to the next.
#[inline(always)]
fn slice_on_the_way<R: Real>(distance: R) -> (R, R) {
    let ratio = (LAST_SLICE_M / FIRST_SLICE_M).ln() / (SLICES - 2) as f64;
    let x = (distance * R::splat(1.0 / FIRST_SLICE_M as f32)).max(R::splat(1e-6)).ln()
        * R::splat((1.0 / ratio) as f32)
        + R::splat(1.0);
    let k = x.floor().clamp(0.0, (SLICES - 2) as f32);
    // Between slices the distance itself is the weight; the first slice begins at the eye.
    let far = ((k) * R::splat(ratio as f32)).exp() * R::splat(FIRST_SLICE_M as f32);
    let near = R::select(k.lt(R::splat(0.5)), R::splat(0.0), far * R::splat((-ratio).exp() as f32));
    let f = ((distance - near) / (far - near)).clamp(0.0, 1.0);
    (k, f)
}

/// The same along a ray that meets the ground, at a share of the way there (see [`slice_share`]).
#[inline(always)]
fn slice_to_ground<R: Real>(share: R, high: bool) -> (R, R) {
    let (one, last) = (R::splat(1.0), (SLICES - 1) as f32);
    let x = if high {
        one - (one - share).max(R::splat(0.0)).sqrt()
    } else {
        (share.max(R::splat(1e-12)).ln() * R::splat(1.0 / 3.0)).exp()
    };
    let k = (x * R::splat(last)).floor().clamp(0.0, last - 1.0);
    let [a, b] = [k * R::splat(1.0 / last), (k + one) * R::splat(1.0 / last)];
    let (from, to) = if high {
        (one - (one - a) * (one - a), one - (one - b) * (one - b))
    } else {
        (a * a * a, b * b * b)
    };
    (k, ((share - from) / (to - from)).clamp(0.0, 1.0))
}

/// Light gathered along a ray so far; sunlight outside the air is 1 in each band.
struct March<'a> {
    air: &'a Air,
    ray: Ray,
    sun_cos: f64,
    to_sun: f64,
    disc_radius: f64,
    /// Phase functions of molecules, and of aerosol and dust without their narrow lobes, each of the last two
    /// in the part that turns light and the part that counts as forward.
    molecules: f32,
    turned: [f32; 2],
    forward: [f32; 2],
    /// What is left of light from behind, and of light scattered here.
    through: Spectrum,
    often: Spectrum,
    /// Optical depth of what counts as forward.
    bent: Spectrum,
    smooth: Spectrum,
    narrow: Spectrum,
    /// Of `smooth`, what has been scattered before.
    many: Spectrum,
    /// Scattered of light that is the same all around.
    even: Spectrum,
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
            molecules: rayleigh_phase(to_sun as f32),
            turned: [air.medium.aerosol.broad(to_sun as f32)[0], air.medium.dust.broad(to_sun as f32)[0]],
            forward: [air.medium.aerosol.broad(to_sun as f32)[1], air.medium.dust.broad(to_sun as f32)[1]],
            bent: Spectrum::ZERO,
            through: Spectrum::splat(1.0),
            often: Spectrum::splat(1.0),
            smooth: Spectrum::ZERO,
            narrow: Spectrum::ZERO,
            many: Spectrum::ZERO,
            even: Spectrum::ZERO,
        }
    }

    /// One stretch of the ray. What is scattered once has the particles' own phase functions; on its way, and
    /// in all further scatterings, what goes nearly forward counts as not scattered (Nakajima and Tanaka
    /// 1988, their TMS method).
    ///
    /// Light that is itself scattered forward belongs to that part: after n forward turns of optical depth x
    /// it is x^n / n!, in all e^x - 1, and not x e^x as the turns after the first would have it.
    #[inline(always)]
    fn step(&mut self, from: f64, to: f64) {
        let Air { medium: m, often, transmittance, orders, .. } = self.air;
        let (t, dt) = ((from + to) * 0.5, to - from);
        let h = self.ray.altitude_at(t);
        let r0 = m.planet + self.ray.altitude;
        let per_radius = 1.0 / (m.planet + h);
        let sun_cos = ((r0 * self.sun_cos + t * self.to_sun) * per_radius).clamp(-1.0, 1.0);
        let up = ((r0 * self.ray.cos + t) * per_radius).clamp(-1.0, 1.0);
        let columns = times(m.amounts(h), dt);
        let halves = times(columns, 0.5);
        self.through *= m.optical_depth(columns).exp_neg();

        let half_depth = often.optical_depth(halves);
        let half_bent = m.optical_depth(halves) - half_depth;
        let half = half_depth.exp_neg();
        let apart = azimuth_apart(up, sun_cos, self.to_sun);
        let scattering = often.scattering(&columns);
        let many = self.often * half * orders.scattered(h, up, sun_cos, apart, &scattering);
        self.even += self.often * half * (scattering[0] + scattering[1] + scattering[2]);
        self.smooth += many;
        self.many += many;
        let lit = transmittance.share_above_horizon(h, sun_cos, self.disc_radius) as f32;
        if lit > 0.0 {
            let to_sun = transmittance.columns(h, sun_cos);
            let depth = often.optical_depth(to_sun);
            let sun = self.often * half * depth.exp_neg() * lit;
            let bent = self.bent + half_bent + (m.optical_depth(to_sun) - depth);
            let counted = forward_share(bent);
            let [sm, sa, sd] = m.scattering(&columns);
            let turned = sm * self.molecules + sa * self.turned[0] + sd * self.turned[1];
            let forward = sa * self.forward[0] + sd * self.forward[1];
            self.smooth += sun * (turned + forward * counted);
            self.narrow += sun * counted * (sa * m.aerosol.lobes[0].0 + sd * m.dust.lobes[0].0);
        }
        self.often *= half * half;
        self.bent += half_bent + half_bent;
    }
}

/// (1 - e^-x) / x, within 2 % up to 4 and falling as it should beyond.
#[inline(always)]
fn forward_share(x: Spectrum) -> Spectrum {
    let mut share = Spectrum::ZERO;
    for b in 0..BANDS {
        let x = x.0[b];
        share.0[b] = 1.0 / (1.0 + x * (0.5 + x * (1.0 / 12.0)));
    }
    share
}

/// Where a ray comes into the air, and where it leaves it or meets the ground.
fn ends_of(ray: &Ray, below: bool) -> [f64; 2] {
    let Some(from) = ray.into_shell(TOP_M) else { return [0.0; 2] };
    let ground = if below { ray.to_ground() } else { None };
    [from, ground.unwrap_or_else(|| ray.to_shell(TOP_M)).max(from)]
}

struct WholeRay<'a> {
    air: &'a Air,
    sun: &'a SunInSky,
    ray: Ray,
    /// Whether it ends at the ground.
    below: bool,
    to_sun: f64,
    steps: usize,
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
        let narrow = self.sun.to_rgb.convert(&march.narrow);
        [smooth[0], smooth[1], smooth[2], narrow[0], narrow[1], narrow[2]]
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
    type Output = [Row; SLICES];
    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        let [from, to] = ends_of(&self.ray, self.below);
        let high = self.ray.altitude > HIGH_EYE_M;
        let mut march = March::new(self.air, self.sun, self.ray, self.to_sun);
        let to_rgb = &self.sun.to_rgb;
        // What the air lets through is the same under any light, or nearly: sunlight stands for all.
        let white = LightToRgb::sunlight();
        let whole = white.colour();
        let mut out = [Row([0.0; 16]); SLICES];
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
            let narrow = to_rgb.convert(&march.narrow);
            let many = to_rgb.convert(&march.many);
            let even = white.convert(&march.even);
            let through = white.convert(&march.through);
            for c in 0..3 {
                out[k].0[THROUGH + c] = through[c] / whole[c];
                out[k].0[SMOOTH + c] = smooth[c];
                out[k].0[NARROWLY + c] = narrow[c];
                out[k].0[MANY + c] = many[c];
                out[k].0[EVEN + c] = even[c] / whole[c];
            }
            let often = white.convert(&march.often)[1];
            out[k].0[FORWARD] = (often / through[1].max(1e-9)).clamp(1.0, MOST_FORWARD);
        }
        out
    }
}

#[cfg(test)]
impl SunInSky {
    /// The real sun due south, by its elevation in degrees.
    pub fn in_the_south(elevation: f64) -> SunInSky {
        let (s, c) = elevation.to_radians().sin_cos();
        SunInSky {
            direction: [0.0, -c, s],
            disc_radius: 0.00465,
            to_rgb: *LightToRgb::sunlight(),
            strength: 1.0,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{self, AerosolKind};
    use crate::simd::{InstructionSet, Scalar, dispatch_on};
    use crate::spectrum::band_centre_nm;

    /// Air in front of space is the whole sky, and a short way through it changes nothing.
    #[test]
    fn the_air_in_front_grows_into_the_sky() {
        let air = Air::new(&document::Air::default(), Fineness::Full);
        let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(40.0), Fineness::Full);
        for (e, a) in [(60.0f64, 10.0f64), (20.0, 120.0), (4.0, 60.0)] {
            let ((sa, ca), (se, ce)) = (a.to_radians().sin_cos(), e.to_radians().sin_cos());
            let d = [ce * sa, ce * ca, se].map(|v| Scalar(v as f32));
            let phase =
                narrow(Scalar((-d[1].0 * 40f32.to_radians().cos()) + d[2].0 * 40f32.to_radians().sin()));
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

    /// Upright planes get what a picture of the sky adds up to, and from above the ground more from below the
    /// horizon.
    #[test]
    fn upright_planes_see_the_sky_they_face() {
        const HEIGHTS: usize = 300;
        const AROUND: usize = 24;
        let air = Air::new(&document::Air::default(), Fineness::Full);
        let sun = SunInSky::in_the_south(40.0);
        let sky = AirView::new(&air, 2.0, &sun, Fineness::Full).sky;
        let (mut sum, mut weights) = ([0.0; 3], 0.0);
        for i in 0..HEIGHTS * AROUND {
            let e = FRAC_PI_2 * ((i / AROUND) as f64 + 0.5) / HEIGHTS as f64;
            let (s, c) = (2.0 * PI * ((i % AROUND) as f64 + 0.5) / AROUND as f64).sin_cos();
            let weight = e.cos().powi(2) as f32;
            let d = [e.cos() * s, e.cos() * c, e.sin()].map(|v| Scalar(v as f32));
            let light = sky.radiance(d, Scalar(0.0));
            weights += weight;
            for c in 0..3 {
                sum[c] += light[c].0 * weight;
            }
        }
        let [above, low] = on_upright_planes(&air, 2.0, &sun);
        let [_, high] = on_upright_planes(&air, 3000.0, &sun);
        for c in 0..3 {
            assert!((above[c] / (sum[c] / weights) - 1.0).abs() < 0.05, "{above:?} {sum:?} {weights}");
            assert!(high[c] > 10.0 * low[c], "{high:?} {low:?}");
        }
    }

    /// Up to the ground there is as much light and as little comes through as along a ray of its own, from
    /// near the ground to far over the air.
    #[test]
    fn the_air_up_to_the_ground_is_whole() {
        let air = Air::new(&document::Air::default(), Fineness::Full);
        let sun = SunInSky::in_the_south(40.0);
        let planet = air.medium.planet;
        for altitude in [300.0, 8000.0, 14_000.0, 16_000.0, 50_000.0, 120_000.0, 400_000.0] {
            let front = AirView::new(&air, altitude, &sun, Fineness::Full).front;
            for below_horizon in [0.02, 0.1, 0.3, 0.6, 1.0] {
                let horizon = -(altitude * (2.0 * planet + altitude)).sqrt() / (planet + altitude);
                let cos = horizon - below_horizon * (1.0 + horizon);
                let flat = (1.0 - cos * cos).max(0.0).sqrt();
                let ray = Ray { planet, altitude, cos };
                let to_sun = -flat * 0.6 * sun.direction[1].abs() + cos * sun.direction[2];
                let direction = [0.8 * flat, 0.6 * flat, cos];
                let whole = dispatch(WholeRay { air: &air, sun: &sun, ray, below: true, to_sun, steps: 800 });
                let phase = narrow(Scalar(to_sun as f32));
                let corners = front.corners(direction.map(|v| Scalar(v as f32)));
                let told = front.up_to(&corners, Scalar(ray.to_ground().unwrap() as f32), phase);
                for c in 0..3 {
                    let exact = whole[c] + whole[c + 3] * phase.0;
                    let off = told.light[c].0 / exact - 1.0;
                    assert!(off.abs() < 0.03, "{altitude} {below_horizon} {c}: {off}");
                }
            }
        }
    }

    /// A packet of different rays that end at different distances.
    struct Fronts<'a>(&'a AirInFront);

    impl Fronts<'_> {
        fn ray(i: usize) -> ([f32; 3], f32) {
            let (e, a) = (-0.4 + 0.12 * i as f32, 0.7 * i as f32);
            ([e.cos() * a.sin(), e.cos() * a.cos(), e.sin()], 90.0 * 1.8f32.powi(i as i32))
        }
    }

    impl Kernel for Fronts<'_> {
        type Output = Vec<[f32; CHANNELS]>;
        #[inline(always)]
        fn run<R: Real>(self) -> Self::Output {
            let mut out = vec![[0.0; CHANNELS]; 16];
            for first in (0..16).step_by(R::LANES) {
                let (mut d, mut distance) = ([[0.0; 16]; 3], [0.0; 16]);
                for lane in 0..R::LANES {
                    let (direction, way) = Fronts::ray(first + lane);
                    (0..3).for_each(|k| d[k][lane] = direction[k]);
                    distance[lane] = way;
                }
                let corners = self.0.corners([R::load(&d[0]), R::load(&d[1]), R::load(&d[2])]);
                let told = self.0.told::<R, THROUGH, CHANNELS>(&corners, R::load(&distance));
                for (c, told) in told.into_iter().enumerate() {
                    let mut values = [0.0; 16];
                    told.store(&mut values);
                    (0..R::LANES).for_each(|lane| out[first + lane][c] = values[lane]);
                }
            }
            out
        }
    }

    /// Whatever the instruction set, each ray gets what lies between its own four directions and two
    /// distances.
    #[test]
    fn rays_of_a_packet_are_told_their_own_air() {
        let air = Air::new(&document::Air::default(), Fineness::Draft);
        let front = AirView::new(&air, 300.0, &SunInSky::in_the_south(25.0), Fineness::Draft).front;
        for set in InstructionSet::available() {
            for (i, told) in dispatch_on(*set, Fronts(&front)).into_iter().enumerate() {
                let (direction, distance) = Fronts::ray(i);
                let corners = front.corners(direction.map(Scalar));
                let (slice, share) = front.slice_at(&corners, Scalar(distance));
                let corners = corners.corners;
                let first = Scalar::from_int(corners.index[0]).0 as usize;
                for c in 0..CHANNELS {
                    let at = |slice: usize| -> f64 {
                        let entries = front.grid.corner_entries(first).into_iter();
                        let rows = entries.zip(corners.weight);
                        rows.map(|(entry, w)| (front.rows[entry * SLICES + slice].0[c] * w.0) as f64).sum()
                    };
                    let (near, far) = (at(slice.0 as usize), at(slice.0 as usize + 1));
                    let expected = near + (far - near) * share.0 as f64;
                    let off = (told[c] as f64 - expected).abs();
                    assert!(off <= 1e-4 * expected.abs().max(near.abs()).max(1e-6), "{} {i} {c}", set.name());
                }
            }
        }
    }

    /// Of an optical depth t, of which a share w is scattered by particles, delta scaling (Wiscombe 1977,
    /// from memory) leaves t (1 - w f), f being the fourth moment of their phase function: of a lobe of
    /// Henyey and Greenstein's g^4.
    #[test]
    fn what_comes_along_is_the_fourth_moment() {
        for kind in [AerosolKind::Continental, AerosolKind::Maritime, AerosolKind::Urban] {
            let hazy = document::Air { visibility_km: 15.0, aerosol: kind, ..Default::default() };
            let air = Air::new(&hazy, Fineness::Draft);
            let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(50.0), Fineness::Full);
            let (s, c) = 1f32.to_radians().sin_cos();
            let corners = view.front.corners([Scalar(0.0), Scalar(c), Scalar(s)]);
            let front = view.front.up_to(&corners, Scalar(2000.0), Scalar(0.0));
            let (through, along) = (front.through[1].0, front.through[1].0 * front.forward.0);

            let medium = &air.medium;
            let columns = times(medium.amounts(20.0), 2000.0);
            let green = (0..BANDS).find(|b| band_centre_nm(*b) > 540.0).expect("there is a green band");
            let particles: f32 = medium.aerosol.lobes.iter().map(|(share, g)| share * g.powi(4)).sum();
            let scattered = medium.scattering(&columns)[1].0[green];
            let expected = 1.0 - particles * scattered / medium.optical_depth(columns).0[green];
            assert!(
                (along.ln() / through.ln() - expected).abs() < 0.02,
                "{kind:?}: {along} {through} {expected}"
            );
        }
    }

    /// What has been scattered before is a part of the air's light; what it would scatter of an even light is
    /// no more than it hides.
    #[test]
    fn parts_of_the_air_in_front_agree() {
        let air = Air::new(&document::Air { visibility_km: 20.0, ..Default::default() }, Fineness::Full);
        let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(12.0), Fineness::Full);
        let (mut toward, mut away) = (0.0, 0.0);
        for (e, a) in [(3.0f64, 180.0f64), (12.0, 176.0), (30.0, 90.0), (4.0, 10.0), (80.0, 0.0)] {
            let ((sa, ca), (se, ce)) = (a.to_radians().sin_cos(), e.to_radians().sin_cos());
            let d = [ce * sa, ce * ca, se];
            let (s, c) = 12f64.to_radians().sin_cos();
            let phase = narrow(Scalar((-d[1] * c + d[2] * s) as f32));
            let corners = view.front.corners(d.map(|v| Scalar(v as f32)));
            let mut before = 0.0;
            for distance in [300.0, 3000.0, 20_000.0, 300_000.0] {
                let whole = view.front.up_to(&corners, Scalar(distance), phase);
                let [all, many, even] = view.front.light_up_to(&corners, Scalar(distance), phase);
                let alone = view.front.even_up_to(&corners, Scalar(distance));
                for c in 0..3 {
                    assert_eq!((all[c].0, even[c].0), (whole.light[c].0, alone[c].0));
                    assert!(many[c].0 >= 0.0 && many[c].0 <= all[c].0 * 1.001, "{} {}", many[c].0, all[c].0);
                    assert!(even[c].0 >= 0.0 && even[c].0 <= 1.02 - whole.through[c].0, "{e} {a} {distance}");
                }
                // Of the optical depth so much is forward: nothing of molecules, of particles the fourth
                // moment of their phase function.
                let (through, along) = (whole.through[1].0, whole.through[1].0 * whole.forward.0);
                let turned = along.ln() / through.ln();
                assert!(through < 0.02 || (0.5..0.97).contains(&turned), "{e} {a} {distance}: {turned}");
                assert!(even[1].0 >= before);
                before = even[1].0;
                let share = many[1].0 / all[1].0;
                match (a as i32, distance as i32) {
                    (176, 20_000) => toward = share,
                    (10, 20_000) => away = share,
                    _ => {}
                }
            }
        }
        // Beside a low sun nearly all comes straight from it.
        assert!(toward < 0.25 && toward < 0.6 * away, "{toward} {away}");
    }
}
