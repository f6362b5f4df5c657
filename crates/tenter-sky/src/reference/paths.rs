//! Paths of light through air and ground.

use super::phase::{aerosol_cosine, rayleigh_cosine, turned};
use super::shells::{Next, Shells, Under};
use crate::air::{Medium, SunInSky, aerosol_lobes, aerosol_phase, rayleigh_phase};
use crate::spectrum::{BANDS, Spectrum};
use fastrand::Rng;
use glam::DVec3;
use std::f32::consts::PI;

/// Follows paths from an eye.
pub struct AirPaths<'a> {
    medium: &'a Medium,
    sun: DVec3,
    disc_radius: f64,
    eye: DVec3,
    shells: Shells,
    lobes: [(f64, f64); 3],
}

/// What came back along a path, as shares of the sunlight outside the air, per steradian.
pub struct Seen {
    pub light: Spectrum,
    /// Whether the eye looks past the ground.
    pub ends_in_space: bool,
}

/// Scattering at a place, per metre.
struct Here {
    molecules: Spectrum,
    aerosol: Spectrum,
    extinction: Spectrum,
}

impl<'a> AirPaths<'a> {
    pub fn new(medium: &'a Medium, sun: &SunInSky, eye_altitude: f64) -> AirPaths<'a> {
        AirPaths {
            medium,
            sun: DVec3::from_array(sun.direction).normalize(),
            disc_radius: sun.disc_radius,
            eye: DVec3::new(0.0, 0.0, medium.planet + eye_altitude),
            shells: Shells::new(medium),
            lobes: aerosol_lobes(medium.aerosol_asymmetry).map(|(share, g)| (share as f64, g as f64)),
        }
    }

    /// One path in a direction (x east, y north, z up).
    pub fn follow(&self, direction: [f64; 3], rng: &mut Rng) -> Seen {
        let mut direction = DVec3::from_array(direction).normalize();
        let ends_in_space = !self.meets_ground(direction);
        let mut light = Spectrum::ZERO;
        let mut weight = Spectrum::splat(1.0);
        let Some(mut at) = self.shells.enter(self.eye, direction) else {
            return Seen { light, ends_in_space };
        };
        loop {
            match self.shells.go(&mut at, direction, free_path(rng)) {
                Next::Space => break,
                Next::Ground => {
                    let up = at.place.normalize();
                    let sun = self.in_disc(rng);
                    let albedo = self.medium.ground_albedo;
                    let facing = up.dot(sun) as f32;
                    if facing > 0.0 {
                        let lit = self.sunlight_at(self.shells.on_ground(at.place), sun, rng);
                        light += weight * lit * (albedo / PI * facing);
                    }
                    weight *= Spectrum::splat(albedo);
                    // Lambert: the cosine is drawn as often as it weighs.
                    direction = turned(up, rng.f64().sqrt(), rng);
                    at = self.shells.on_ground(at.place);
                }
                Next::Perhaps { bound } => {
                    if !self.collides(&at, bound as f32, &mut weight, rng) {
                        continue;
                    }
                    direction = self.scatter(&at, direction, &mut weight, &mut light, rng);
                }
            }
            // Russian roulette: what weighs little goes on seldom, with all the more weight.
            let most = weight.max();
            if most < 0.5 {
                if rng.f32() >= most {
                    break;
                }
                weight = weight * (1.0 / most);
            }
        }
        Seen { light, ends_in_space }
    }

    fn meets_ground(&self, direction: DVec3) -> bool {
        let along = self.eye.dot(direction);
        let altitude = self.eye.z - self.medium.planet;
        along < 0.0 && along * along >= altitude * (self.eye.z + self.medium.planet)
    }

    fn here(&self, place: DVec3) -> Here {
        let n = self.medium.amounts(self.shells.altitude(place));
        Here {
            molecules: self.medium.molecules * n[0] as f32,
            aerosol: self.medium.aerosol_scattering * n[1] as f32,
            extinction: self.medium.optical_depth(n),
        }
    }

    /// Whether light scatters at a place, drawn for all bands together; their weights make up for it.
    fn collides(&self, at: &Under, bound: f32, weight: &mut Spectrum, rng: &mut Rng) -> bool {
        let here = self.here(at.place);
        let scattering = here.molecules + here.aerosol;
        let (mut scattered, mut passed) = (0.0, 0.0);
        for b in 0..BANDS {
            scattered += weight.0[b] * scattering.0[b];
            passed += weight.0[b] * (bound - here.extinction.0[b]).max(0.0);
        }
        let chance = scattered / (scattered + passed).max(f32::MIN_POSITIVE);
        let collides = rng.f32() < chance;
        for b in 0..BANDS {
            weight.0[b] *= if collides {
                scattering.0[b] / (bound * chance)
            } else {
                (bound - here.extinction.0[b]).max(0.0) / (bound * (1.0 - chance))
            };
        }
        collides
    }

    /// Takes the sunlight that is scattered here toward the eye, and draws where the path goes on.
    fn scatter(
        &self,
        at: &Under,
        direction: DVec3,
        weight: &mut Spectrum,
        light: &mut Spectrum,
        rng: &mut Rng,
    ) -> DVec3 {
        let here = self.here(at.place);
        let scattering = here.molecules + here.aerosol;
        let phase = |cosine: f64| {
            let (m, a) =
                (rayleigh_phase(cosine as f32), aerosol_phase(self.medium.aerosol_asymmetry, cosine as f32));
            let mut share = Spectrum::ZERO;
            for b in 0..BANDS {
                let sum = (here.molecules.0[b] * m + here.aerosol.0[b] * a)
                    / scattering.0[b].max(f32::MIN_POSITIVE);
                share.0[b] = sum;
            }
            (share, m, a)
        };
        let sun = self.in_disc(rng);
        let lit = self.sunlight_at(*at, sun, rng);
        *light += *weight * lit * phase(direction.dot(sun)).0;

        let (mut by_molecules, mut by_all) = (0.0, 0.0);
        for b in 0..BANDS {
            by_molecules += weight.0[b] * here.molecules.0[b];
            by_all += weight.0[b] * scattering.0[b];
        }
        let chance = by_molecules / by_all.max(f32::MIN_POSITIVE);
        let cosine = if rng.f32() < chance { rayleigh_cosine(rng) } else { aerosol_cosine(&self.lobes, rng) };
        let (share, m, a) = phase(cosine);
        *weight *= share * (1.0 / (chance * m + (1.0 - chance) * a));
        turned(direction, cosine, rng)
    }

    /// A direction to the sun's disc, evenly over it.
    fn in_disc(&self, rng: &mut Rng) -> DVec3 {
        let (s, c) = (std::f64::consts::TAU * rng.f64()).sin_cos();
        let r = self.disc_radius * rng.f64().sqrt();
        let (a, b) = self.sun.any_orthonormal_pair();
        (self.sun + (a * c + b * s) * r).normalize()
    }

    /// Share of light from space that reaches a place, by ratio tracking (Novak, Selle and Jarosz 2014).
    fn sunlight_at(&self, mut at: Under, direction: DVec3, rng: &mut Rng) -> Spectrum {
        let mut through = Spectrum::splat(1.0);
        loop {
            match self.shells.go(&mut at, direction, free_path(rng)) {
                Next::Space => return through,
                Next::Ground => return Spectrum::ZERO,
                Next::Perhaps { bound } => {
                    let extinction = self.here(at.place).extinction;
                    for b in 0..BANDS {
                        through.0[b] *= (1.0 - extinction.0[b] / bound as f32).max(0.0);
                    }
                    let most = through.max();
                    if most < 0.1 {
                        if rng.f32() >= most {
                            return Spectrum::ZERO;
                        }
                        through = through * (1.0 / most);
                    }
                }
            }
        }
    }
}

/// Optical depth to the next collision.
fn free_path(rng: &mut Rng) -> f64 {
    -(1.0 - rng.f64()).ln()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::Transmittance;
    use crate::document;

    /// Ratio tracking is unbiased: its mean is the transmittance of the column (Bouguer).
    #[test]
    fn tracked_sunlight_is_what_the_column_lets_through() {
        let medium = Medium::new(&document::Air { visibility_km: 30.0, ..Default::default() });
        for elevation in [60.0, 8.0] {
            let paths = AirPaths::new(&medium, &SunInSky::in_the_south(elevation), 2.0);
            let at = paths.shells.enter(paths.eye, paths.sun).unwrap();
            let mut rng = Rng::with_seed(1);
            const N: usize = 40_000;
            let mut mean = Spectrum::ZERO;
            for _ in 0..N {
                mean += paths.sunlight_at(at, paths.sun, &mut rng) * (1.0 / N as f32);
            }
            let column = Transmittance::new(&medium).to_space(&medium, 2.0, paths.sun.z);
            for b in [0, 6, 15] {
                assert!(
                    (mean.0[b] - column.0[b]).abs() < 0.012,
                    "{elevation} {b}: {} {}",
                    mean.0[b],
                    column.0[b]
                );
            }
        }
    }

    #[test]
    fn paths_bring_back_numbers_and_know_the_ground() {
        let medium = Medium::new(&document::Air { ozone_du: 0.0, ground_albedo: 0.0, ..Default::default() });
        let paths = AirPaths::new(&medium, &SunInSky::in_the_south(45.0), 2.0);
        let mut rng = Rng::with_seed(5);
        for i in 0..20_000 {
            let e = (i as f64 / 20_000.0 * 180.0 - 90.0).to_radians();
            let seen = paths.follow([e.cos(), 0.0, e.sin()], &mut rng);
            assert!(seen.light.0.iter().all(|v| v.is_finite() && *v >= 0.0));
            if !(9_980..=10_020).contains(&i) {
                assert_eq!(seen.ends_in_space, i > 10_000, "{i}");
            }
        }
    }
}
