//! The air as one eye sees it: the sky's radiance and aerial perspective.
//!
//! Single scattering by the narrow lobe of the phase function is kept without that lobe, which no table of
//! directions resolves; it is applied per pixel. All else is smooth.

mod aerial_perspective;
mod march;
mod sky;

pub use aerial_perspective::{AerialCorners, AerialPerspective, AirSegment};
pub use sky::SkyRadiance;

use super::directions::DirectionGrid;
use super::medium::NARROW;
use super::shells::Ray;
use super::{Air, Build, TableQuality};
use crate::air::tangent_sine;
use crate::simd::{Real, dispatch};
use aerial_perspective::{SLICES, SliceRow};
use march::{Sliced, WholeRay};
use rayon::prelude::*;
use std::f64::consts::{FRAC_PI_2, PI};
use tenter_sky::astronomy::SOLAR_ANGULAR_RADIUS;
use tenter_sky::spectrum::LightToRgb;

/// A light outside the atmosphere.
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

/// Sky radiance and aerial perspective from one altitude under one sun.
pub struct AirView {
    pub sky: SkyRadiance,
    pub aerial: AerialPerspective,
}

impl AirView {
    pub fn new<'a>(air: &Air, altitude: f64, sun: &SunInSky, build: impl Into<Build<'a>>) -> AirView {
        let build = build.into();
        let (around, rows, steps) = match build.quality {
            TableQuality::Draft => (32, 40, 20),
            TableQuality::Full => (64, 80, 40),
            TableQuality::Double => (128, 160, 80),
        };
        let sky = SkyRadiance::new(air, altitude, sun, [around, rows, steps], build);
        let planet = air.medium.planet;
        let (around, rows) = match build.quality {
            TableQuality::Draft => (16, 16),
            TableQuality::Full => (24, 32),
            TableQuality::Double => (48, 64),
        };
        let grid = DirectionGrid::new(planet, altitude, sun.direction, around, rows);
        let rows = (0..grid.len())
            .into_par_iter()
            .with_min_len(16)
            .flat_map_iter(|i| {
                if build.is_cancelled() {
                    return [SliceRow([0.0; 16]); SLICES];
                }
                let (cos, to_sun, below) = grid.direction(i);
                let ray = Ray { planet, altitude, cos };
                dispatch(Sliced { air, sun, ray, to_sun, below })
            })
            .collect();
        AirView { sky, aerial: AerialPerspective { grid, planet, altitude, rows } }
    }
}

/// Radiance of the air in one direction from an altitude, cd/m2 in linear Rec.709, without making tables of
/// directions.
pub fn sky_radiance(air: &Air, altitude: f64, sun: &SunInSky, direction: [f64; 3]) -> [f32; 3] {
    let to_sun: f64 = (0..3).map(|i| direction[i] * sun.direction[i]).sum();
    let ray = Ray { planet: air.medium.planet, altitude, cos: direction[2] };
    let seen = dispatch(WholeRay { air, sun, ray, below: false, to_sun, steps: 40 });
    let phase = super::medium::henyey_greenstein_f32(NARROW, to_sun as f32);
    [0, 1, 2].map(|c| (seen[c] + seen[c + 3] * phase) * sun.strength as f32)
}

/// Light of the air at an altitude on vertical planes, averaged over azimuth: cosine-weighted mean radiance
/// above and below the horizon, cd/m2 in linear Rec.709, without narrow lobes around the sun and without
/// the ground.
pub fn on_upright_planes(air: &Air, altitude: f64, sun: &SunInSky) -> [[f32; 3]; 2] {
    const HEIGHTS: usize = 8;
    const AROUND: usize = 5;
    let planet = air.medium.planet;
    let [s, c] = [sun.direction[0].hypot(sun.direction[1]), sun.direction[2]];
    let horizon = tangent_sine(planet, altitude, 0.0);
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
pub fn forward_lobe<R: Real>(cos: R) -> R {
    henyey_greenstein(NARROW, cos)
}

/// Henyey and Greenstein 1941 for a packet of cosines, per steradian.
#[inline(always)]
pub fn henyey_greenstein<R: Real>(g: f32, cos: R) -> R {
    let d = (R::splat(1.0 + g * g) - cos * R::splat(2.0 * g)).max(R::splat(1e-6));
    R::splat((1.0 - g * g) / (4.0 * std::f32::consts::PI)) / (d * d.sqrt())
}

impl SunInSky {
    /// The real sun due south, by its elevation in degrees; for checks.
    pub fn in_the_south(elevation: f64) -> SunInSky {
        let (s, c) = elevation.to_radians().sin_cos();
        SunInSky {
            direction: [0.0, -c, s],
            disc_radius: SOLAR_ANGULAR_RADIUS,
            to_rgb: *LightToRgb::sunlight(),
            strength: 1.0,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::medium::times;
    use crate::simd::{InstructionSet, Kernel, Scalar, dispatch_on};
    use aerial_perspective::{CHANNELS, TRANSMITTANCE};
    use tenter_sky::document::{self, AerosolKind};
    use tenter_sky::spectrum::{BANDS, band_centre_nm};

    /// Air in front of space is the whole sky, and a short way through it changes nothing.
    #[test]
    fn the_air_in_front_grows_into_the_sky() {
        let air = Air::new(&document::Air::default(), TableQuality::Full);
        let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(40.0), TableQuality::Full);
        for (e, a) in [(60.0f64, 10.0f64), (20.0, 120.0), (4.0, 60.0)] {
            let ((sa, ca), (se, ce)) = (a.to_radians().sin_cos(), e.to_radians().sin_cos());
            let d = [ce * sa, ce * ca, se].map(|v| Scalar(v as f32));
            let phase = forward_lobe(Scalar(
                (-d[1].0 * 40f32.to_radians().cos()) + d[2].0 * 40f32.to_radians().sin(),
            ));
            let whole = view.sky.radiance(d, phase).map(|v| v.0);
            let corners = view.aerial.corners(d);
            let far = view.aerial.up_to(&corners, Scalar(8e5), phase);
            let near = view.aerial.up_to(&corners, Scalar(0.0), phase);
            for c in 0..3 {
                assert!(
                    (far.radiance[c].0 / whole[c] - 1.0).abs() < 0.05,
                    "{e} {a}: {} {}",
                    far.radiance[c].0,
                    whole[c]
                );
                assert!(near.radiance[c].0.abs() < 1e-3 && (near.transmittance[c].0 - 1.0).abs() < 1e-3);
            }
        }
    }

    /// Upright planes get what a picture of the sky adds up to, and from above the ground more from below the
    /// horizon.
    #[test]
    fn upright_planes_see_the_sky_they_face() {
        const HEIGHTS: usize = 300;
        const AROUND: usize = 24;
        let air = Air::new(&document::Air::default(), TableQuality::Full);
        let sun = SunInSky::in_the_south(40.0);
        let sky = AirView::new(&air, 2.0, &sun, TableQuality::Full).sky;
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
        let air = Air::new(&document::Air::default(), TableQuality::Full);
        let sun = SunInSky::in_the_south(40.0);
        let planet = air.medium.planet;
        for altitude in [300.0, 8000.0, 14_000.0, 16_000.0, 50_000.0, 120_000.0, 400_000.0] {
            let front = AirView::new(&air, altitude, &sun, TableQuality::Full).aerial;
            for below_horizon in [0.02, 0.1, 0.3, 0.6, 1.0] {
                let horizon = tangent_sine(planet, altitude, 0.0);
                let cos = horizon - below_horizon * (1.0 + horizon);
                let flat = (1.0 - cos * cos).max(0.0).sqrt();
                let ray = Ray { planet, altitude, cos };
                let to_sun = -flat * 0.6 * sun.direction[1].abs() + cos * sun.direction[2];
                let direction = [0.8 * flat, 0.6 * flat, cos];
                let whole = dispatch(WholeRay { air: &air, sun: &sun, ray, below: true, to_sun, steps: 800 });
                let phase = forward_lobe(Scalar(to_sun as f32));
                let corners = front.corners(direction.map(|v| Scalar(v as f32)));
                let sampled = front.up_to(&corners, Scalar(ray.to_ground().unwrap() as f32), phase);
                for c in 0..3 {
                    let exact = whole[c] + whole[c + 3] * phase.0;
                    let off = sampled.radiance[c].0 / exact - 1.0;
                    assert!(off.abs() < 0.03, "{altitude} {below_horizon} {c}: {off}");
                }
            }
        }
    }

    /// A packet of different rays that end at different distances.
    struct Fronts<'a>(&'a AerialPerspective);

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
                let sampled = self.0.sample::<R, TRANSMITTANCE, CHANNELS>(&corners, R::load(&distance));
                for (c, sampled) in sampled.into_iter().enumerate() {
                    let mut values = [0.0; 16];
                    sampled.store(&mut values);
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
        let air = Air::new(&document::Air::default(), TableQuality::Draft);
        let front = AirView::new(&air, 300.0, &SunInSky::in_the_south(25.0), TableQuality::Draft).aerial;
        for set in InstructionSet::available() {
            for (i, sampled) in dispatch_on(*set, Fronts(&front)).into_iter().enumerate() {
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
                    let off = (sampled[c] as f64 - expected).abs();
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
            let air = Air::new(&hazy, TableQuality::Draft);
            let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(50.0), TableQuality::Full);
            let (s, c) = 1f32.to_radians().sin_cos();
            let corners = view.aerial.corners([Scalar(0.0), Scalar(c), Scalar(s)]);
            let front = view.aerial.up_to(&corners, Scalar(2000.0), Scalar(0.0));
            let (through, along) =
                (front.transmittance[1].0, front.transmittance[1].0 * front.forward_gain.0);

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
        let air = Air::new(&document::Air { visibility_km: 20.0, ..Default::default() }, TableQuality::Full);
        let view = AirView::new(&air, 2.0, &SunInSky::in_the_south(12.0), TableQuality::Full);
        let (mut toward, mut away) = (0.0, 0.0);
        for (e, a) in [(3.0f64, 180.0f64), (12.0, 176.0), (30.0, 90.0), (4.0, 10.0), (80.0, 0.0)] {
            let ((sa, ca), (se, ce)) = (a.to_radians().sin_cos(), e.to_radians().sin_cos());
            let d = [ce * sa, ce * ca, se];
            let (s, c) = 12f64.to_radians().sin_cos();
            let phase = forward_lobe(Scalar((-d[1] * c + d[2] * s) as f32));
            let corners = view.aerial.corners(d.map(|v| Scalar(v as f32)));
            let mut before = 0.0;
            for distance in [300.0, 3000.0, 20_000.0, 300_000.0] {
                let whole = view.aerial.up_to(&corners, Scalar(distance), phase);
                let [all, multiple, isotropic] = view.aerial.parts_up_to(&corners, Scalar(distance), phase);
                let alone = view.aerial.isotropic_up_to(&corners, Scalar(distance));
                for c in 0..3 {
                    assert_eq!((all[c].0, isotropic[c].0), (whole.radiance[c].0, alone[c].0));
                    assert!(
                        multiple[c].0 >= 0.0 && multiple[c].0 <= all[c].0 * 1.001,
                        "{} {}",
                        multiple[c].0,
                        all[c].0
                    );
                    assert!(
                        isotropic[c].0 >= 0.0 && isotropic[c].0 <= 1.02 - whole.transmittance[c].0,
                        "{e} {a} {distance}"
                    );
                }
                // Of the optical depth so much is forward: nothing of molecules, of particles the fourth
                // moment of their phase function.
                let (through, along) =
                    (whole.transmittance[1].0, whole.transmittance[1].0 * whole.forward_gain.0);
                let turned = along.ln() / through.ln();
                assert!(through < 0.02 || (0.5..0.97).contains(&turned), "{e} {a} {distance}: {turned}");
                assert!(isotropic[1].0 >= before);
                before = isotropic[1].0;
                let share = multiple[1].0 / all[1].0;
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
