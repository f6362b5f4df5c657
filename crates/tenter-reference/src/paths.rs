//! Paths through air, clouds and ground.

use super::clouds::{CloudField, ForwardPeak, LEAST, survives};
use super::light::Disc;
use super::path_cache::{ISOTROPIC_AFTER, PathCache, PathSpread, VertexEstimate};
use super::path_radiance::PathRadiance;
use super::phase::{lobed_cosine, rayleigh_cosine, rotated};
use super::phase_sampler::{ScatteredWeight, Weight};
use super::shells::{ShellExit, ShellPosition, Shells};
use fastrand::Rng;
use glam::DVec3;
use std::f32::consts::PI;
use tenter_render::air::{Medium, rayleigh_phase};
use tenter_render::scene::{CloudComponent, PlacedLight};
use tenter_sky::spectrum::{BANDS, Rgb, Spectrum};

/// Where the phase function toward a light is large, shadow rays are followed below [`LEAST`]: until
/// transmittance times phase function is under this, per steradian.
const ROULETTE_WEIGHT: f32 = 0.015;
/// Phase function, per steradian, above which every vertex samples a light: a path of many scatterings
/// contributes about half as much.
const LIKELY: f32 = 0.15;

/// Traces paths from an eye.
pub struct AirPaths<'a> {
    medium: &'a Medium,
    lights: Vec<Disc>,
    eye: DVec3,
    shells: Shells,
    clouds: CloudField<'a>,
}

/// The sample of a path.
pub struct PathSample {
    /// Radiance in linear Rec.709, cd/m2.
    pub light: Rgb,
    /// Whether the primary ray misses the ground.
    pub ends_in_space: bool,
    /// Number of scatterings and ground reflections.
    pub orders: u32,
}

/// Scattering at a point, per metre.
struct LocalMedium {
    /// By molecules, aerosol and dust.
    by: [Spectrum; 3],
    scattering: Spectrum,
    extinction: Spectrum,
}

/// Phase functions at one angle: of molecules, aerosol and dust, per steradian.
type Phases = [f32; 3];

impl<'a> AirPaths<'a> {
    pub fn new(
        medium: &'a Medium,
        lights: &[PlacedLight],
        clouds: &'a [CloudComponent],
        eye_altitude: f64,
    ) -> AirPaths<'a> {
        let disc = |light: &PlacedLight| Disc {
            direction: DVec3::from_array(light.in_sky.direction).normalize(),
            radius: light.in_sky.disc_radius,
            strength: light.in_sky.strength as f32,
            to_rgb: light.in_sky.to_rgb,
        };
        AirPaths {
            medium,
            lights: lights.iter().filter(|l| l.in_sky.strength > 0.0).map(disc).collect(),
            eye: DVec3::new(0.0, 0.0, medium.planet + eye_altitude),
            shells: Shells::new(medium),
            clouds: CloudField::new(clouds, medium.planet),
        }
    }

    /// Traces one path in a direction (x east, y north, z up) to its end.
    pub fn follow(&self, direction: [f64; 3], rng: &mut Rng) -> PathSample {
        self.gather(direction, &mut PathRadiance::uncached(&self.lights), rng)
    }

    /// A cache for pixels of this width, radians.
    pub(super) fn cells(&self, pixel: f64) -> PathCache {
        PathCache::new(self.lights.len(), self.medium.planet, pixel)
    }

    /// One path that the cache completes.
    pub(super) fn follow_known(&self, direction: [f64; 3], known: &PathCache, rng: &mut Rng) -> PathSample {
        self.gather(direction, &mut PathRadiance::with_cache(known, &self.lights), rng)
    }

    /// The same, recorded for the cache.
    pub(super) fn find(
        &self,
        direction: [f64; 3],
        known: &PathCache,
        found: &mut Vec<VertexEstimate>,
        rng: &mut Rng,
    ) -> PathSample {
        let mut gathered = PathRadiance::recording(known, &self.lights);
        let seen = self.gather(direction, &mut gathered, rng);
        found.extend(gathered.found());
        seen
    }

    fn gather(&self, direction: [f64; 3], light: &mut PathRadiance, rng: &mut Rng) -> PathSample {
        let direction = DVec3::from_array(direction).normalize();
        let enters = self.shells.enter(self.eye, direction);
        let orders = enters.map_or(0, |at| self.walk(at, direction, light, rng));
        PathSample { light: light.rgb, ends_in_space: !self.meets_ground(direction), orders }
    }

    /// Walks a path from a point in the air; returns the number of scatterings and reflections.
    fn walk(
        &self,
        mut at: ShellPosition,
        mut direction: DVec3,
        light: &mut PathRadiance,
        rng: &mut Rng,
    ) -> u32 {
        let mut orders = 0;
        let mut weight = Weight::new(rng);
        // Whether all scatterings were in the forward peak, and how many were not.
        let (mut straight, mut turned_away) = (true, 0);
        let mut spread = PathSpread::new(self.eye);
        loop {
            // Russian roulette: paths of little weight continue rarely, with more weight.
            let most = weight.bands.max();
            if most < 0.5 {
                if rng.f32() >= most {
                    return orders;
                }
                weight.bands = weight.bands * (1.0 / most);
            }
            match self.next(&mut at, direction, rng) {
                ShellExit::Space => return orders,
                ShellExit::Droplet { part } => {
                    let turns = self.clouds.turns(part);
                    for (number, disc) in self.lights.iter().enumerate() {
                        let toward = disc.draw(rng);
                        let ScatteredWeight { phase, onward } = turns.at(direction.dot(toward));
                        let phase = weight.bands * phase;
                        let rotated = phase * (1.0 - onward);
                        // Shadow rays are sampled in proportion to their contribution.
                        let worth = rotated.max();
                        let chance = (worth / LIKELY).min(1.0);
                        if rng.f32() < chance {
                            let least = (ROULETTE_WEIGHT / worth.max(LIKELY)).min(LEAST);
                            let lit = self.light_at(at, toward, ForwardPeak::Kept, least, rng);
                            light.add(number, rotated * lit * (1.0 / chance));
                        }
                        // Forward-peak scatterings after others are included in the light of those.
                        if straight && onward > 0.0 {
                            let lit = self.light_at(at, toward, ForwardPeak::Lost, LEAST, rng);
                            light.add(number, phase * lit * onward);
                        }
                    }
                    let turn = turns.turn(direction, &mut weight, rng);
                    direction = turn.direction;
                    straight &= turn.onward;
                    if turn.onward {
                        orders += 1;
                        continue;
                    }
                    turned_away += 1;
                    spread.turns(at.place);
                    if turned_away >= ISOTROPIC_AFTER
                        && let Some(cells) = light.cells()
                    {
                        let stand =
                            cells.stand(at.place, direction, &spread, self.clouds.extinction(part), rng);
                        if light.add_vertex(stand, &weight) {
                            return orders + 1;
                        }
                    }
                }
                ShellExit::Ground => {
                    let up = at.place.normalize();
                    for (number, disc) in self.lights.iter().enumerate() {
                        let toward = disc.draw(rng);
                        let facing = up.dot(toward) as f32;
                        if facing > 0.0 {
                            let on_ground = self.shells.on_ground(at.place);
                            let lit = self.light_at(on_ground, toward, ForwardPeak::Kept, LEAST, rng);
                            light.add(number, weight.bands * lit * self.medium.ground * (facing / PI));
                        }
                    }
                    weight.bands *= self.medium.ground;
                    // Lambert: cosine-weighted sampling.
                    direction = rotated(up, rng.f64().sqrt(), rng);
                    at = self.shells.on_ground(at.place);
                    straight = false;
                    turned_away += 1;
                    spread.turns(at.place);
                }
                ShellExit::Perhaps { bound } => {
                    if !self.collides(&at, bound as f32, &mut weight.bands, rng) {
                        continue;
                    }
                    direction = self.scatter(&at, direction, &mut weight.bands, light, rng);
                    straight = false;
                    turned_away += 1;
                    spread.turns(at.place);
                }
            }
            orders += 1;
        }
    }

    /// Advances to the next event in air or clouds.
    fn next(&self, at: &mut ShellPosition, direction: DVec3, rng: &mut Rng) -> ShellExit {
        // Inside clouds the next collision is near: the air is evaluated rarely.
        let (near, free) = self.shells.nothing_within(at, free_path(rng));
        if let Some(met) = self.clouds.meet(at.place, direction, near, rng) {
            at.place += direction * met.distance;
            return ShellExit::Droplet { part: met.part };
        }
        at.place += direction * near;
        let from = at.place;
        let next = self.shells.go(at, direction, free);
        // Air and clouds each have their next collision; the nearer one happens.
        if let Some(met) = self.clouds.meet(from, direction, from.distance(at.place), rng) {
            *at = self.shells.at(from + direction * met.distance);
            return ShellExit::Droplet { part: met.part };
        }
        next
    }

    fn meets_ground(&self, direction: DVec3) -> bool {
        let along = self.eye.dot(direction);
        let altitude = self.eye.z - self.medium.planet;
        along < 0.0 && along * along >= altitude * (self.eye.z + self.medium.planet)
    }

    fn here(&self, place: DVec3) -> LocalMedium {
        let n = self.medium.amounts(self.shells.altitude(place));
        let by = self.medium.scattering(&n);
        LocalMedium { scattering: by[0] + by[1] + by[2], by, extinction: self.medium.optical_depth(n) }
    }

    fn phases(&self, cosine: f64) -> Phases {
        let c = cosine as f32;
        [rayleigh_phase(c), self.medium.aerosol.phase(c), self.medium.dust.phase(c)]
    }

    /// Whether a collision scatters, sampled for all bands together; their weights compensate.
    fn collides(&self, at: &ShellPosition, bound: f32, weight: &mut Spectrum, rng: &mut Rng) -> bool {
        let here = self.here(at.place);
        let scattering = here.scattering;
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

    /// Next-event estimation at a scattering, and the direction in which the path continues.
    fn scatter(
        &self,
        at: &ShellPosition,
        direction: DVec3,
        weight: &mut Spectrum,
        light: &mut PathRadiance,
        rng: &mut Rng,
    ) -> DVec3 {
        let here = self.here(at.place);
        for (number, disc) in self.lights.iter().enumerate() {
            let toward = disc.draw(rng);
            let lit = self.light_at(*at, toward, ForwardPeak::Kept, LEAST, rng);
            light.add(number, *weight * lit * here.mixed(&self.phases(direction.dot(toward))));
        }

        let mut chances = [0.0; 3];
        for (chance, by) in chances.iter_mut().zip(&here.by) {
            for b in 0..BANDS {
                *chance += weight.0[b] * by.0[b];
            }
        }
        let all = chances.iter().sum::<f32>().max(f32::MIN_POSITIVE);
        let drawn = rng.f32() * all;
        let cosine = if drawn < chances[0] {
            rayleigh_cosine(rng)
        } else if drawn < chances[0] + chances[1] {
            lobed_cosine(&self.medium.aerosol.lobes, rng)
        } else {
            lobed_cosine(&self.medium.dust.lobes, rng)
        };
        let phases = self.phases(cosine);
        let mean: f32 = chances.iter().zip(&phases).map(|(chance, phase)| chance * phase / all).sum();
        *weight *= here.mixed(&phases) * (1.0 / mean);
        rotated(direction, cosine, rng)
    }

    /// Transmittance from space to a point by ratio tracking (Novak, Selle and Jarosz 2014).
    fn light_at(
        &self,
        mut at: ShellPosition,
        direction: DVec3,
        onward: ForwardPeak,
        least: f32,
        rng: &mut Rng,
    ) -> Spectrum {
        let mut through = self.clouds.through(at.place, direction, onward, least, rng);
        if through.max() <= 0.0 {
            return Spectrum::ZERO;
        }
        loop {
            match self.shells.go(&mut at, direction, free_path(rng)) {
                ShellExit::Space => return through,
                ShellExit::Ground | ShellExit::Droplet { .. } => return Spectrum::ZERO,
                ShellExit::Perhaps { bound } => {
                    let extinction = self.here(at.place).extinction;
                    for b in 0..BANDS {
                        through.0[b] *= (1.0 - extinction.0[b] / bound as f32).max(0.0);
                    }
                    if !survives(&mut through, least, rng) {
                        return Spectrum::ZERO;
                    }
                }
            }
        }
    }
}

impl LocalMedium {
    /// Phase function of the mixture, band by band.
    fn mixed(&self, phases: &Phases) -> Spectrum {
        let mut share = Spectrum::ZERO;
        for b in 0..BANDS {
            let sum: f32 = (0..3).map(|i| self.by[i].0[b] * phases[i]).sum();
            share.0[b] = sum / self.scattering.0[b].max(f32::MIN_POSITIVE);
        }
        share
    }
}

/// Optical depth to the next collision.
fn free_path(rng: &mut Rng) -> f64 {
    -(1.0 - rng.f64()).ln()
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_render::air::{SunInSky, Transmittance};
    use tenter_render::scene::Face;
    use tenter_sky::document;

    fn in_the_south(elevation: f64) -> [PlacedLight; 1] {
        let in_sky = SunInSky::in_the_south(elevation);
        let seen = in_sky.direction;
        let face = Face::Sun { limb_darkening: 0.0, behind: None };
        let lining = Default::default();
        [PlacedLight {
            in_sky,
            seen,
            flattening: 1.0,
            face,
            disc_seen: true,
            glare: 0.0,
            covered: 0.0,
            lining,
        }]
    }

    /// Ratio tracking is unbiased: its mean is the transmittance of the column (Bouguer).
    #[test]
    fn tracked_sunlight_is_what_the_column_lets_through() {
        let medium = Medium::new(&document::Air { visibility_km: 30.0, ..Default::default() });
        for elevation in [60.0, 8.0] {
            let paths = AirPaths::new(&medium, &in_the_south(elevation), &[], 2.0);
            let sun = paths.lights[0].direction;
            let at = paths.shells.enter(paths.eye, sun).unwrap();
            let mut rng = Rng::with_seed(1);
            const N: usize = 40_000;
            let mut mean = Spectrum::ZERO;
            for _ in 0..N {
                mean += paths.light_at(at, sun, ForwardPeak::Lost, LEAST, &mut rng) * (1.0 / N as f32);
            }
            let column = Transmittance::new(&medium).to_space(&medium, 2.0, sun.z);
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
        let paths = AirPaths::new(&medium, &in_the_south(45.0), &[], 2.0);
        let mut rng = Rng::with_seed(5);
        for i in 0..20_000 {
            let e = (i as f64 / 20_000.0 * 180.0 - 90.0).to_radians();
            let seen = paths.follow([e.cos(), 0.0, e.sin()], &mut rng);
            assert!(seen.light.iter().all(|v| v.is_finite()));
            if !(9_980..=10_020).contains(&i) {
                assert_eq!(seen.ends_in_space, i > 10_000, "{i}");
            }
        }
    }
}
